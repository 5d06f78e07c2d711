"""`inspect FILE…`: what image files are and hold."""

from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.engine import builtin_text, load_config, newest_cg_config
from saltwort.core.findings import CheckedTexture, Subjects, run_checks
from saltwort.core.images.intake import survey_apart
from saltwort.core.project import first_setup
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.rules import RuleBook
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Print header, measured statistics, map kind and suggested space of image files, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        base = f"builtin:{newest_cg_config()}"
        config = load_config(builtin_text(newest_cg_config()))
        subjects = Subjects(config, first_setup(base, config))
        book = RuleBook(config, subjects.setup.rules, subjects.setup.default_space)
        self.print_json([_inspected(path, subjects, book) for path in files])


def _inspected(path: Path, subjects: Subjects, book: RuleBook) -> dict[str, Any]:
    """What a file holds and says, and what would be wrong with it in a new project."""
    config = subjects.config
    facts, kind = survey_apart(path, path.name).facts, map_kind_of(path.name)
    header = facts.header
    evidence = evidence_for(config, path.name, kind, facts)
    verdict = verdict_of(evidence)
    texture = CheckedTexture(path.name, kind, book.assign(path.name), facts, tuple(evidence))
    findings = run_checks(replace(subjects, textures=[texture]))
    return {
        "path": str(path),
        "format": header.format,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "layers": header.layers,
        "parts": header.parts,
        "bit_depth": header.bit_depth,
        "header": {"channel_names": header.channel_names, "compression": header.compression, **header.tags},
        "stats": asdict(facts.stats),
        "map_kind": kind.kind.key if kind else None,
        "suggested_space": verdict.space,
        "packed": kind.channels if kind else (),
        "evidence": [
            {
                "code": piece.code,
                "says": piece.says,
                "favours": piece.favours,
                "against": piece.against,
                "weight": piece.weight,
            }
            for piece in evidence
        ],
        "verdict": asdict(verdict),
        "findings": [asdict(finding) for finding in findings if finding.code.startswith("texture.")],
    }
