"""`verify FILE …`: what finished files say of themselves, what their pixels say, and whether that fits together."""

import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Verify finished pictures and videos, as JSON. The exit code is 1 where something does not fit together."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--recipe", metavar="NAME", help="of the project, that the files should be")
        parser.add_argument("--image", action="append", type=Path, default=[], metavar="PATH", help="they should be of")
        parser.add_argument("--source", default="", metavar="SPACE", help="of the images; the working space at first")
        parser.add_argument("--frames", default="", metavar="1-100x2", help="of sequences; default: all")

    def handle(self, *args: Any, files: list[Path], **options: Any) -> None:
        recipe = options["recipe"] or ""
        if recipe and not options["project"]:
            raise BadInput("Say --project SLUG: a recipe belongs to a project.")
        project = saltwort.open_project(options["project"]) if recipe else None
        of = {"images": options["image"], "space": options["source"], "frames": options["frames"]}
        if options["image"] and not recipe:
            raise BadInput("Say --recipe NAME: an image is compared as a recipe makes it.")
        found = [{"path": str(file), **asdict(saltwort.verify(file, project, recipe, **of))} for file in files]
        self.print_json(found)
        if any(one["doubts"] for one in found):
            sys.exit(1)
