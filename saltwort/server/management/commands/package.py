"""`package [--station NAME] --output FILE.zip`: all that an application needs, or every one of the chain."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Write the package of an application, or of the whole chain, as a zip."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--station", metavar="NAME", help="the application, as it is called; all without it")
        parser.add_argument("--output", required=True, type=Path, metavar="FILE.zip")

    def handle(self, *args: Any, project: str, station: str | None, output: Path, **options: Any) -> None:
        found = saltwort.open_project(project)
        made = saltwort.package(found, output, station or "", self.progress(options))
        self.print_json(
            {"path": str(made.path), "project": found.slug, "revision": found.revision, "files": list(made.files)}
        )
