"""`convert --project SLUG --space SPACE --format FORMAT --output DIR PATH…`: textures in another space."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.errors import BadInput
from saltwort.core.images.layer_kinds import ByHand
from saltwort.core.names import on_disk
from saltwort.core.textures.conversion_plans import (
    DEFAULT_PATTERN,
    FORMATS,
    check_convertible,
    converted_name,
    read_parts,
)
from saltwort.core.textures.converting import check_flip
from saltwort.server.commands import HeadlessCommand


class Command(HeadlessCommand):
    help = "Convert files from the space that the project reads them in, to new files; each is read back and compared."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("files", nargs="+", type=Path, metavar="PATH")
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--space", required=True, metavar="SPACE")
        parser.add_argument("--format", required=True, metavar="FORMAT", help=f"one of {', '.join(FORMATS)}")
        parser.add_argument("--output", required=True, type=Path, metavar="DIR")
        parser.add_argument("--data-layer", action="append", default=[], metavar="LAYER", help="one that is data")
        parser.add_argument("--colour-layer", action="append", default=[], metavar="LAYER", help="one that is colour")
        parser.add_argument("--flip-green", action="store_true", help="of normal maps, to point the other way")
        parser.add_argument("--invert", action="store_true", help="1 minus each value: gloss becomes roughness")
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
        found = saltwort.open_project(project)
        by_hand = ByHand(tuple(options["data_layer"]), tuple(options["colour_layer"]))
        config = found.config.ocio
        orders = []
        for file, assignment in zip(files, saltwort.assign(found, [file.as_posix() for file in files]), strict=True):
            is_data = config.getColorSpace(assignment.space).isData()
            into = assignment.space if is_data else space  # the numbers of data are no colour, in any space
            target = output / converted_name(file.name, config, into, format, names)
            check_convertible(read_parts(file, by_hand), file.name, format, is_data=is_data)
            if options["flip_green"] and options["invert"]:
                raise BadInput("A file is flipped or inverted, not both. Convert normal maps and gloss maps apart.")
            if options["flip_green"]:
                check_flip(config, file, assignment.space)
            orders.append((file, assignment.space, into, target))
        _check(orders)
        self.print_json(
            [
                asdict(
                    saltwort.convert(
                        found,
                        file,
                        source,
                        into,
                        target,
                        format,
                        data_layers=by_hand.data,
                        colour_layers=by_hand.colour,
                        flip_green=options["flip_green"],
                        invert=options["invert"],
                    )
                )
                for file, source, into, target in orders
            ]
        )


def _check(orders: list[tuple[Path, str, str, Path]]) -> None:
    """Refuse before the first file is written what could not be done to the last."""
    targets: dict[str, Path] = {}
    for file, _, _, target in orders:
        if target.exists():
            raise BadInput(f"{target.name} is there already, and nothing is overwritten. Choose another --output.")
        if (name := on_disk(target.name)) in targets:
            raise BadInput(f"{file} and {targets[name]} would both become {target.name}. Convert them apart.")
        targets[name] = file
