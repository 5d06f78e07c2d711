"""`export_config --project SLUG --output PATH`: the project's config for other applications."""

from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.configs import write_config
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.projects.setups import archive_of


class Command(HeadlessCommand):
    help = "Write the project's OCIO config, to an .ocioz or .zip file or into a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--output", required=True, type=Path, metavar="PATH")

    def handle(self, *args: Any, project: str, output: Path, **options: Any) -> None:
        revision = project_for(project).current
        file = write_config(archive_of(revision), output)
        self.print_json({"path": str(file), "revision": revision.number, "sha256": revision.config_hash})
