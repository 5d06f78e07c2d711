"""`export_config --project SLUG --output PATH`: the project's config for other applications."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.configs import write_config
from saltwort.core.configs.export import check_suffix
from saltwort.server.across.exports import exported
from saltwort.server.commands import HeadlessCommand
from saltwort.server.projects.operations import project_named


class Command(HeadlessCommand):
    help = "Write the project's OCIO config, to an .ocioz or .zip file or into a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--output", required=True, type=Path, metavar="PATH")
        parser.add_argument("--ocio-version", default="", metavar="VERSION", help="the oldest that must read it: 2.3")
        parser.add_argument("--look", action="store_true", help="tell what would be replaced, and write nothing")
        parser.add_argument("--trim", action="store_true", help="only what the project uses, with proof")

    def handle(
        self, *args: Any, project: str, output: Path, ocio_version: str, look: bool, trim: bool, **options: Any
    ) -> None:
        found = project_named(project)
        made = exported(found, ocio_version, trim)
        check_suffix(made.written, output.suffix.lower())
        file = None if look else write_config(made.written, output)
        self.print_json(
            {
                "path": str(file) if file else None,
                "revision": found.current.number,
                "sha256": made.written.hash,
                "replaced": [asdict(replacement) for replacement in made.replacements],
            }
        )
