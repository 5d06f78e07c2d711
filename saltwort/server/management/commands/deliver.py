"""`deliver [INPUT…]`: make a deliverable, of pictures or folders of frames, and say what was read back from it."""

import sys
from argparse import ArgumentParser
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.deliverables import Deliverable, deliverable_of, deliverables, options_of, read_options
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Make a deliverable: a still, scene-linear EXR, LUT, ICC profile and more. Prints JSON."

    def add_arguments(self, parser: CommandParser | ArgumentParser) -> None:
        parser.add_argument("inputs", nargs="*", type=Path, metavar="INPUT", help="pictures, or folders of frames")
        parser.add_argument("--project", metavar="SLUG")
        parser.add_argument("--kind", metavar="KIND", help="see --list")
        parser.add_argument("--set", action="append", default=[], metavar="KEY=VALUE", dest="typed")
        parser.add_argument("--source", default="", metavar="SPACE", help="of the pictures; the working space at first")
        parser.add_argument("--frames", default="", metavar="1-100x2", help="of sequences; all unless said")
        parser.add_argument("--output", type=Path, metavar="PATH", help="a file, or a folder for several")
        parser.add_argument("--resume", action="store_true", help="leave out files that are there already")
        parser.add_argument("--list", action="store_true", help="print kinds and their settings")

    def handle(self, *args: Any, inputs: list[Path], typed: list[str], **options: Any) -> None:
        if options["list"]:
            self.print_json([_listed(made) for made in deliverables().values()])
            return
        for needed in ("project", "kind", "output"):
            if not options[needed]:
                raise BadInput(f"Say --{needed}, or --list to see what can be made.")
        files = saltwort.deliver(
            saltwort.open_project(options["project"]),
            options["kind"],
            inputs,
            options["output"],
            space=options["source"],
            frames=options["frames"],
            settings=read_options(deliverable_of(options["kind"]).settings, _pairs(typed)),
            resume=options["resume"],
            progress=self.progress(options),
        )
        self.print_json({"kind": options["kind"], "files": [_row(file) for file in files]})
        if any(file.error for file in files):
            sys.exit(1)


def _row(file: saltwort.Delivered) -> dict[str, Any]:
    return {"path": str(file.path), **({"error": file.error} if file.error else {"facts": file.facts})}


def _listed(made: Deliverable[Any]) -> dict[str, Any]:
    return {
        "kind": made.kind,
        "label": made.label,
        "use": made.use,
        "takes": made.takes,
        "settings": [
            {
                "key": each.typed,
                "label": each.label,
                "kind": each.kind,
                "default": each.default,
                "choices": [value for value, _ in each.choices],
                "lowest": each.lowest,
                "highest": each.highest,
                "unit": each.unit,
                "use": each.use,
            }
            for each in options_of(made.settings)
        ],
    }


def _pairs(typed: Sequence[str]) -> Mapping[str, str]:
    found = {}
    for each in typed:
        key, sign, value = each.partition("=")
        if not sign:
            raise BadInput(f"“{each}” is no setting. Write it as KEY=VALUE.")
        found[key.strip()] = value
    return found
