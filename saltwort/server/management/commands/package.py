"""`package [--application NAME] --output FILE.zip`: all that an application needs, or every one of the chain; or with
`--check`, whether each does with its package what the project says."""

import sys
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.server.across.packages import checked
from saltwort.server.commands import HeadlessCommand
from saltwort.server.projects.operations import project_named

NOT_READY = 1


class Command(HeadlessCommand):
    help = "Write the package of an application, or of the whole chain, as a zip; or check all of them."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument(
            "--application", "--station", metavar="NAME", dest="station", help="the application, as it is called (all)"
        )
        parser.add_argument("--output", type=Path, metavar="FILE.zip")
        parser.add_argument(
            "--check", action="store_true", help="play every application from its package, and end with 1 on a failure"
        )

    def handle(self, *args: Any, project: str, station: str | None, output: Path | None, **options: Any) -> None:
        if options["check"]:
            self._check(project)
            return
        if output is None:
            raise BadInput("Say where the package goes: --output FILE.zip, or --check to make none.")
        found = saltwort.open_project(project)
        made = saltwort.package(found, output, station or "", self.progress(options))
        self.print_json(
            {"path": str(made.path), "project": found.slug, "revision": found.revision, "files": list(made.files)}
        )

    def _check(self, project: str) -> None:
        found = project_named(project)
        played = list(checked(found))
        self.print_json({"project": found.slug, "revision": found.current.number, "applications": played})
        if not all(each["ready"] for each in played):
            sys.exit(NOT_READY)
