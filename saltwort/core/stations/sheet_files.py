"""Settings sheets as files: for people on paper and in a wiki, and for pipelines."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from html import escape
from typing import Any, get_args

from saltwort.core.stations.sheet import LEVELS, Kind, Section, Setting

FORMAT = 1
"""Of the JSON: raised when a reader of this one could not read it."""
LEVEL_WORDS = {
    "environment": "environment",
    "preference": "preferences",
    "project": "project",
    "file": "each file",
    "node": "each node or layer",
    "output": "when writing",
}
_STYLE = """
@page { size: A4; margin: 16mm }
body { font: 10pt/1.4 sans-serif; color: #111; max-width: 178mm; margin: 8mm auto }
h1 { font-size: 16pt; margin: 0 } h2 { font-size: 12pt; margin: 6mm 0 1mm } p { margin: 0 0 2mm }
section { break-inside: auto } table { border-collapse: collapse; width: 100% } tr { break-inside: avoid }
td { border-top: 0.2mm solid #bbb; padding: 1mm 2mm 1mm 0; vertical-align: top; overflow-wrap: anywhere }
.pair { display: flex; gap: 3mm; margin: 1mm 0 } figure { margin: 0; width: 44mm } img { width: 100%; display: block }
figcaption { font: 8pt sans-serif; color: #444 }
td:nth-child(2) { font-family: monospace } small { color: #444; font-family: sans-serif; display: block }
"""


@dataclass(frozen=True)
class SheetOf:
    """What a sheet is about."""

    station: str
    project: str
    revision: int

    @property
    def title(self) -> str:
        return f"{self.project}, revision {self.revision}: settings for the {self.station.lower()}"


def as_text(of: SheetOf, sections: Sequence[Section]) -> str:
    """For a mail."""
    parts = [of.title, "=" * len(of.title)]
    for section in sections:
        parts += ["", section.title, "-" * len(section.title)]
        parts += [f"{line.label}: {line.value}" + (f"   ({line.why})" if line.why else "") for line in section.settings]
    return "\n".join(parts) + "\n"


def json_schema() -> dict[str, Any]:
    """What `as_json` gives, as JSON Schema (draft 2020-12)."""
    text = {"type": "string"}
    setting = {
        "key": text,
        "label": text,
        "value": text,
        "kind": {"enum": list(get_args(Kind))},
        "why": text,
        "level": {"enum": list(LEVELS)},
        "overridden_at": {"type": "array", "items": {"enum": list(LEVELS)}},
        "otherwise": text,
        "symptom": text,
    }
    section = {"key": text, "title": text, "settings": {"type": "array", "items": _object(setting)}}
    whole = {
        "format": {"const": FORMAT},
        "station": text,
        "project": text,
        "revision": {"type": "integer", "minimum": 1},
        "sections": {"type": "array", "items": _object(section)},
    }
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Settings sheet", **_object(whole)}


def _object(properties: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": dict(properties),
        "required": list(properties),
        "additionalProperties": False,
    }


def as_json(of: SheetOf, sections: Sequence[Section]) -> dict[str, Any]:
    """For a pipeline: every setting by section and key, with all that is known of it."""
    return {"format": FORMAT, **asdict(of), "sections": [asdict(section) for section in sections]}


def as_markdown(of: SheetOf, sections: Sequence[Section]) -> str:
    """For a wiki (CommonMark, with the tables of GitHub)."""
    parts = [f"# {of.title}"]
    for section in sections:
        parts += ["", f"## {section.title}", "", "| setting | value | where | why |", "|---|---|---|---|"]
        for line in section.settings:
            value = f"`{line.value.replace('`', '')}`" if line.value else ""
            parts.append("| " + " | ".join(map(_cell, (line.label, value, where_told(line), _why(line)))) + " |")
    return "\n".join(parts) + "\n"


Pair = tuple[str, str, str]
"""PNGs in Base64 of what is right and what is wrong, and what went wrong."""
Pictures = dict[tuple[str, str], Pair]
"""Pairs by section and key of the setting that they are of."""


def as_html(of: SheetOf, sections: Sequence[Section], pictures: Mapping[tuple[str, str], Pair] | None = None) -> str:
    """One file without scripts that prints well on A4. `pictures` stand beside the settings that they are of."""
    beside = pictures or {}
    rows = []
    for section in sections:
        rows.append(f"<section><h2>{escape(section.title)}</h2><table>")
        for line in section.settings:
            why = f"<small>{escape(_why(line))}</small>" if _why(line) else ""
            seen = _pair(beside.get((section.key, line.key)))
            cells = (escape(line.label), f"{escape(line.value)}{why}{seen}", escape(where_told(line)))
            rows.append("<tr>" + "".join(f"<td>{cell}</td>" for cell in cells) + "</tr>")
        rows.append("</table></section>")
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(of.title)}</title><style>{_STYLE}</style>"
        f"<h1>{escape(of.title)}</h1><p>Set these in order. What stands in “where” may be overridden by what comes "
        f"after it.</p>{''.join(rows)}</html>"
    )


def _pair(pictures: Pair | None) -> str:
    if pictures is None:
        return ""
    right, wrong, label = pictures
    shown = ((right, "Right"), (wrong, f"Wrong: {label.lower()}"))
    figures = (
        f"<figure><img alt='' src='data:image/png;base64,{png}'><figcaption>{escape(words)}</figcaption></figure>"
        for png, words in shown
    )
    return f"<div class=pair>{''.join(figures)}</div>"


def where_told(line: Setting) -> str:
    """At which level a setting is set, and what can override it there."""
    if not line.value:
        return ""
    told = LEVEL_WORDS[line.level]
    if line.overridden_at:
        told += f"; overridden by: {', '.join(LEVEL_WORDS[level] for level in line.overridden_at)}"
    return told


def _why(line: Setting) -> str:
    parts = [line.why, line.otherwise and f"Otherwise: {line.otherwise}", line.symptom and f"It looks: {line.symptom}"]
    return " ".join(f"{part[0].upper()}{part[1:]}{'' if part[-1] in '.?' else '.'}" for part in parts if part)


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("\n", " ")
