"""`convert --project SLUG --space SPACE --format FORMAT --output DIR PATH…`: textures in another space."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.textures.converting import DEFAULT_PATTERN, FORMATS, convert, converted_name
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.operations import assign_paths


class Command(HeadlessCommand):
    help = "Convert files from the space that the project reads them in, to new files; each is read back and compared."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="PATH")
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--space", required=True, metavar="SPACE")
        parser.add_argument("--format", required=True, metavar="FORMAT", help=f"one of {', '.join(FORMATS)}")
        parser.add_argument("--output", required=True, type=Path, metavar="DIR")
        parser.add_argument("--names", default=DEFAULT_PATTERN, metavar="PATTERN", help="with {name} and {space}")

    def handle(
        self,
        *args: Any,
        files: list[Path],
        project: str,
        space: str,
        format: str,
        output: Path,
        names: str,
        **options: Any,
    ) -> None:
        found = project_for(project)
        config = config_of(found.current)
        done = []
        for file, assignment in zip(files, assign_paths(found, [file.as_posix() for file in files]), strict=True):
            is_data = config.getColorSpace(assignment.space).isData()
            into = assignment.space if is_data else space  # the numbers of data are no colour, in any space
            target = output / converted_name(file.name, config, into, format, names)
            done.append(asdict(convert(config, file, assignment.space, into, format, target)))
        self.print_json(done)
