"""`verify FILE …`: what finished files say of themselves, what their pixels say, and whether that fits together."""

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.deliverables import read_options
from saltwort.core.deliverables.verify import verify
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.outputs.operations import chosen_in, deliverable_of
from saltwort.server.projects.setups import config_of, current_setup


class Command(HeadlessCommand):
    help = "Verify finished pictures and videos, as JSON. The exit code is 1 where something does not fit together."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--recipe", metavar="NAME", help="of the project, that the files should be")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        config, recipe = _asked(options["project"], options["recipe"])
        found = [{"path": str(file), **asdict(verify(file, config, recipe))} for file in files]
        self.print_json(found)
        if any(one["doubts"] for one in found):
            sys.exit(1)


def _asked(slug: str | None, name: str | None) -> tuple[Any, Any]:
    if not name:
        return None, None
    if not slug:
        raise BadInput("Say --project SLUG: a recipe belongs to a project.")
    project = project_for(slug)
    recipe = next((one for one in current_setup(project).recipes if one.name == name), None)
    if recipe is None:
        known = ", ".join(one.name for one in current_setup(project).recipes) or "none yet"
        raise BadInput(f"There is no recipe “{name}”. Recipes: {known}.")
    made = deliverable_of(recipe.kind)
    settings = made.settings_from(read_options(made.settings, dict(recipe.settings)), chosen_in(project))
    return config_of(project.current), (made, settings)
