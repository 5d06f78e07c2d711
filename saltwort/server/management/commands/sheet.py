"""`sheet --station NAME`: what to set in an application, for a pipeline, a wiki or paper."""

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.server.commands import HeadlessCommand
from saltwort.server.handoffs.sheets import ENDINGS


class Command(HeadlessCommand):
    help = "Print the settings sheet of an application, or write it to a file."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument(
            "--application",
            "--station",
            dest="station",
            required=True,
            metavar="NAME",
            help="the application, as it is called",
        )
        parser.add_argument("--format", choices=list(ENDINGS), help="json unless the name of the output says otherwise")
        parser.add_argument("--output", type=Path, metavar="FILE")

    def handle(self, *args: Any, project: str, station: str, output: Path | None, **options: Any) -> None:
        found = saltwort.sheet(saltwort.open_project(project), station)
        ending: Any = options["format"] or (output.suffix.removeprefix(".").lower() if output else "json")
        if ending not in ENDINGS:
            raise BadInput(f"A sheet ends with one of {', '.join(ENDINGS)}, or say --format.")
        content = found.formatted(ending)
        if output is None:
            self.stdout.write(content, ending="")
            return
        with replacing(output) as temporary:
            temporary.write_text(content, encoding="utf-8")
        self.print_json({"station": found.application, "format": ending, "path": str(output)})
