"""`diff CONFIG CONFIG`: what two configs do to colours, and where that differs."""

import sys
from dataclasses import asdict
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.configs.compare import DIFFERENT, Difference
from saltwort.server.commands import HeadlessCommand
from saltwort.server.http import finite


class Command(HeadlessCommand):
    help = "Compare two configs by what they do to colours. The exit code is 1 when a colour differs."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("configs", nargs=2, metavar="CONFIG", help="a config.ocio, its folder, or an .ocioz")
        parser.add_argument("--format", choices=("text", "json"), default="text")

    def handle(self, *args: Any, configs: list[str], format: str, **options: Any) -> None:
        found = saltwort.diff(*configs)
        if format == "json":
            self.print_json({"verdict": found.verdict, "differences": [_row(row) for row in found.differences]})
        else:
            self.print_lines([found.verdict, *map(_line, found.differences)])
        if found.verdict == DIFFERENT:
            sys.exit(1)


def _row(row: Difference) -> dict[str, Any]:
    return {**asdict(row), **dict(zip(("largest", "mean"), finite((row.largest, row.mean)), strict=True))}


def _line(row: Difference) -> str:
    other = f" → {row.other}" if row.other else ""
    said = f"{row.kind} {row.what} {row.name}{other}"
    if not row.metric or not row.largest:
        return said
    worst = f", worst at {' '.join(f'{value:.4g}' for value in row.worst)}" if row.worst else ""
    return f"{said}: largest {row.largest:.4g}, mean {row.mean:.4g} ({row.metric}){worst}"
