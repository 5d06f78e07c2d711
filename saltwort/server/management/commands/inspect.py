"""`inspect FILE…`: what image files are and hold."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Print header, measured statistics, map kind and suggested space of image files, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        self.print_json([_row(saltwort.inspect(path)) for path in files])


def _row(found: saltwort.Inspection) -> dict[str, Any]:
    header = found.facts.header
    return {
        "path": str(found.path),
        "format": header.format,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "layers": header.layers,
        "parts": header.parts,
        "bit_depth": header.bit_depth,
        "header": {"channel_names": header.channel_names, "compression": header.compression, **header.tags},
        "stats": asdict(found.facts.stats),
        "map_kind": found.map_kind,
        "suggested_space": found.verdict.space,
        "packed": found.packed,
        "evidence": [
            {
                "code": piece.code,
                "says": piece.says,
                "favours": piece.favours,
                "against": piece.against,
                "weight": piece.weight,
            }
            for piece in found.evidence
        ],
        "verdict": asdict(found.verdict),
        "findings": [asdict(finding) for finding in found.findings],
    }
