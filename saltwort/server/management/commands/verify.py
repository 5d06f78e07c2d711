"""`verify FILE …`: what finished files say of themselves, what their pixels say, and whether that fits together."""

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.deliverables.verify import Verified, against, verify
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.outputs.recipes import recipe_named


class Command(HeadlessCommand):
    help = "Verify finished pictures and videos, as JSON. The exit code is 1 where something does not fit together."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--recipe", metavar="NAME", help="of the project, that the files should be")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        recipe = _asked(options["project"], options["recipe"])
        found = [{"path": str(file), **asdict(_verified(file, recipe))} for file in files]
        self.print_json(found)
        if any(one["doubts"] for one in found):
            sys.exit(1)


Asked = tuple[Any, Any, Any] | None
"""The config, the kind and the settings that a file is held against."""


def _verified(file: Path, recipe: Asked) -> Verified:
    found = verify(file)
    return against(found, file, *recipe) if recipe else found


def _asked(slug: str | None, name: str | None) -> Asked:
    if not name:
        return None
    if not slug:
        raise BadInput("Say --project SLUG: a recipe belongs to a project.")
    return recipe_named(project_for(slug), name)
