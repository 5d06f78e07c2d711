"""`package [--station NAME] --output FILE.zip`: all that an application needs, or every one of the chain."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.server.across.packages import chain_package, files_in, package
from saltwort.server.commands import HeadlessCommand, project_for, station_for
from saltwort.server.http import zipped


class Command(HeadlessCommand):
    help = "Write the package of an application, or of the whole chain, as a zip."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--station", metavar="NAME", help="the application, as it is called; all without it")
        parser.add_argument("--output", required=True, type=Path, metavar="FILE.zip")

    def handle(self, *args: Any, project: str, station: str | None, output: Path, **options: Any) -> None:
        if output.suffix.lower() != ".zip":
            raise BadInput("A package is a zip. Give it a name that ends with .zip.")
        found, progress = project_for(project), self.progress(options)
        made = package(station_for(found, station), progress) if station else chain_package(found, progress)
        with made as folder:
            files = files_in(folder)
            with zipped(files) as content, replacing(output) as temporary, temporary.open("wb") as target:
                while piece := content.read(1 << 20):
                    target.write(piece)
        self.print_json(
            {"path": str(output), "project": found.slug, "revision": found.current.number, "files": list(files)}
        )
