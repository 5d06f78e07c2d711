"""`assign --project SLUG PATH…`: the space each path is read in."""

import sys
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.textures.rules import Assignment
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Print the colour space of each path, as set by hand or by the file rules, as JSON. Files need not exist."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument(
            "paths", nargs="+", metavar="PATH", help="paths, or - to read one a line from standard input"
        )

    def handle(self, *args: Any, project: str, paths: list[str], **options: Any) -> None:
        asked = [line.rstrip("\n") for line in sys.stdin] if paths == ["-"] else paths
        assignments = saltwort.assign(saltwort.open_project(project), asked)
        self.print_rows(_row(path, found) for path, found in zip(asked, assignments, strict=True))


def _row(path: str, found: Assignment) -> dict[str, Any]:
    return {"path": path, "space": found.space, "reason": vars(found.reason)}
