"""`unbundle FILE`: make a project of a bundle."""

from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand
from saltwort.server.whole_projects.bundles import read_bundle


class Command(HeadlessCommand):
    help = "Make a project of a bundle that `bundle` or the projects page wrote."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=Path, metavar="FILE")

    def handle(self, *args: Any, file: Path, **options: Any) -> None:
        try:
            content = file.open("rb")
        except OSError as error:
            raise BadInput(f"{file} cannot be read: {error.strerror}.") from error
        with content:
            made = read_bundle(content, file.name, self.say)
        self.print_json({"project": made.slug, "name": made.name, "revision": made.current.number})
