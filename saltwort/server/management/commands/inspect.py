"""`inspect FILE…`: what image files are and hold."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio
from django.core.management.base import CommandParser

from saltwort.core.engine import builtin_text, load_config, newest_cg_config
from saltwort.core.images import measure
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.core.textures.kinds import map_kind_of
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Print header, measured statistics, map kind and suggested space of image files, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        config = load_config(builtin_text(newest_cg_config()))
        self.print_json([_inspected(path, config) for path in files])


def _inspected(path: Path, config: ocio.Config) -> dict[str, Any]:
    facts, kind = measure(path), map_kind_of(path.name)
    header = facts.header
    evidence = evidence_for(config, path.name, kind, facts)
    verdict = verdict_of(evidence)
    return {
        "path": str(path),
        "format": header.format,
        "width": header.width,
        "height": header.height,
        "channels": header.channels,
        "bit_depth": header.bit_depth,
        "header": {"channel_names": header.channel_names, "compression": header.compression, **header.tags},
        "stats": asdict(facts.stats),
        "map_kind": kind.kind.key if kind else None,
        "suggested_space": verdict.space,
        "evidence": [asdict(piece) for piece in evidence],
        "verdict": asdict(verdict),
    }
