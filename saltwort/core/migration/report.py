"""The report of a migration: what was read, changed and written, and the proof; as JSON and as a page."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from html import escape
from typing import Any

from saltwort.core.errors import BadInput
from saltwort.core.migration.documents import DocumentDifference, Documents
from saltwort.core.migration.plan import Asked, Change, Draft, Left
from saltwort.core.migration.proof import COLOUR_TOLERANCE, TOLERANCE, Proved
from saltwort.core.migration.scene import hash_of, picture_files
from saltwort.core.migration.writing import Written
from saltwort.core.structured import structured

VERSION = 1


@dataclass(frozen=True)
class Report:
    """All of a migration. `read` is the hash of every file that was read, by its path; `written` None for a dry run;
    `balls` the mean and worst ΔE of the materials on balls, `frame` those of the first rescued frame with its name;
    None without any."""

    plan: tuple[Asked, ...]
    read: dict[str, str]
    changes: tuple[Change, ...]
    left: tuple[Left, ...]
    differences: tuple[DocumentDifference, ...]
    proof: tuple[Proved, ...]
    written: Written | None
    balls: dict[str, Any] | None = None
    frame: dict[str, Any] | None = None

    @property
    def same(self) -> int:
        """How many inputs give the same light."""
        return sum(row.same for row in self.proof)

    def as_terms(self) -> dict[str, Any]:
        """Terms of JSON, with the version of this form."""
        return {
            "report": VERSION,
            "tolerance": {"pictures": TOLERANCE, "colours": COLOUR_TOLERANCE},
            "same": self.same,
            "inputs": len(self.proof),
            **asdict(self),
        }


def report_of(
    draft: Draft,
    plan: Sequence[Asked],
    changes: Sequence[Change],
    proof: Sequence[Proved],
    documents: Documents,
    done: Written | None,
    balls: dict[str, Any] | None = None,
    frame: dict[str, Any] | None = None,
) -> Report:
    """The report of a draft, whose files are still as they were read."""
    read = {str(draft.scene.folder / path): document.sha256 for path, document in draft.scene.documents.items()}
    written = {file.source: file.source_sha256 for file in done.files} if done else {}
    read |= {draft.scene.told(file): written.get(str(file)) or hash_of(file) for file in picture_files(draft.scene)}
    read |= {str(frame.source): written.get(str(frame.source)) or hash_of(frame.source) for frame in draft.frames}
    return Report(
        plan=tuple(plan),
        read=read,
        changes=tuple(changes),
        left=tuple(dict.fromkeys(draft.left)),
        differences=tuple(documents.differences()),
        proof=tuple(proof),
        written=done,
        balls=balls,
        frame=frame,
    )


def written_of(content: bytes, name: str) -> Written:
    """What a report says was written. Raises BadInput for what is no report, or that of a dry run."""
    try:
        terms = json.loads(content)
    except (UnicodeDecodeError, ValueError) as error:
        raise BadInput(f"{name} is no report of a migration.") from error
    if not isinstance(terms, dict) or terms.get("report") != VERSION:
        raise BadInput(f"{name} is no report of a migration, or of another version.")
    if not terms.get("written"):
        raise BadInput("This report is of a dry run, so there is nothing to go back from.")
    done: Written = structured(Written, terms["written"], "The report")
    return done


def page_of(report: Mapping[str, Any], title: str, pictures: Mapping[str, str] | None = None) -> str:
    """A report, as the terms of JSON that `Report.as_terms` gives, as one HTML page; `pictures` are data URIs by what
    they show."""
    proof, changes = report["proof"], report["changes"]
    parts = [
        f"<h1>{escape(title)}</h1>",
        f"<p>{report['same']} of {len(proof)} inputs give the same light, to {TOLERANCE:.1%} for pictures and "
        f"{COLOUR_TOLERANCE:.3%} for typed colours. {len(changes)} changes.</p>",
    ]
    for label, uri in (pictures or {}).items():
        shown = f'<img src="{escape(uri)}" alt="{escape(label)}">'
        parts.append(f"<figure>{shown}<figcaption>{escape(label)}</figcaption></figure>")
    if balls := report["balls"]:
        parts.append(f"<p>Materials on balls: mean ΔE {balls['mean']:.2f}, worst {balls['worst']:.2f}.</p>")
    if frame := report.get("frame"):
        told = f"mean ΔE {frame['mean']:.2f}, worst {frame['worst']:.2f}"
        parts.append(f"<p>{escape(frame['name'])}, its light through the view once more: {told}.</p>")
    differing = [row for row in proof if not row["same"]]
    parts += _section(
        "What differs",
        ("input", "mean Y before", "after", "largest difference", "why"),
        [
            (row["of"], f"{row['before'][1]:.5f}", f"{row['after'][1]:.5f}", f"{row['largest']:.2%}", row["why"])
            for row in differing
        ],
    )
    same = [(row["of"], f"{row['before'][1]:.5f}", f"{row['largest']:.1e}") for row in proof if row["same"]]
    parts += _section("What is the same", ("input", "mean Y", "largest difference"), same)
    rows = [(row["document"], row["of"], row["before"], row["after"], f"{row['why']} {row['lost']}") for row in changes]
    parts += _section("Changes", ("document", "of", "before", "after", "why"), rows)
    left = [(row["document"], row["of"], row["why"]) for row in report["left"]]
    parts += _section("Left as it was", ("document", "of", "why"), left)
    for difference in report["differences"]:
        parts.append(f"<h2>{escape(difference['document'])}</h2><pre>{escape(difference['diff'])}</pre>")
        parts += [f"<p><strong>{escape(problem)}</strong></p>" for problem in difference["problems"]]
    parts += _section("Files read", ("file", "SHA-256"), list(report["read"].items()))
    if written := report["written"]:
        files = [(file["path"], file["how"], file["sha256"]) for file in written["files"]]
        parts += _section(f"Files written to {written['folder']}", ("file", "how", "SHA-256"), files)
    head = f'<meta charset="utf-8"><title>{escape(title)}</title><style>{_STYLE}</style>'
    return f'<!doctype html><html lang="en">{head}{"".join(parts)}'


_STYLE = (
    "body{font:15px/1.45 system-ui,sans-serif;margin:2em auto;max-width:70em;padding:0 1em}"
    "table{border-collapse:collapse;width:100%}td,th{border-bottom:1px solid #ccc;padding:4px 8px;text-align:left;"
    "vertical-align:top;overflow-wrap:anywhere}pre{background:#eee;overflow:auto;padding:1em}img{max-width:100%}"
    "@media print{pre{white-space:pre-wrap}}"
)


def _section(title: str, heads: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    head = "".join(f"<th>{escape(each)}</th>" for each in heads)
    body = "".join("<tr>" + "".join(f"<td>{escape(str(cell))}</td>" for cell in row) + "</tr>" for row in rows)
    table = f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>" if rows else "<p>None.</p>"
    return [f"<h2>{escape(title)}</h2>", table]
