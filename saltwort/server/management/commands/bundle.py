"""`bundle --project SLUG --output FILE`: a whole project in one file."""

from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.files import replacing
from saltwort.server.commands import HeadlessCommand
from saltwort.server.projects.operations import project_named
from saltwort.server.whole_projects.manifests import write_bundle


class Command(HeadlessCommand):
    help = "Write a whole project into one file, to be kept or carried to another machine."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--output", required=True, type=Path, metavar="FILE")
        parser.add_argument("--with-images", action="store_true", help="the files of textures too")

    def handle(self, *args: Any, project: str, output: Path, with_images: bool, **options: Any) -> None:
        found = project_named(project)
        with replacing(output) as temporary, temporary.open("wb") as file:
            write_bundle(found, file, with_images=with_images)
        self.print_json({"path": str(output), "revision": found.current.number, "bytes": output.stat().st_size})
