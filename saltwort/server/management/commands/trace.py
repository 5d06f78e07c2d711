"""`trace COLOUR --config CONFIG --from SPACE`: one colour after every step to another space, or through a view."""

from typing import Any

from django.core.management.base import CommandError, CommandParser

import saltwort
from saltwort.core.spaces.typed import UNITS
from saltwort.server.commands import HeadlessCommand
from saltwort.server.http import finite


class Command(HeadlessCommand):
    help = "Print a colour after every step of the way from a space to another, or through a view."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("colour", metavar="COLOUR", help="such as '#c8102e', '47 106 104' or '0.18'")
        parser.add_argument("--config", required=True, metavar="CONFIG", help="a config.ocio, its folder, or an .ocioz")
        parser.add_argument("--from", required=True, dest="source", metavar="SPACE")
        parser.add_argument("--unit", choices=list(UNITS), help="hex where the colour starts with #, else 0–1")
        parser.add_argument("--to", metavar="SPACE")
        parser.add_argument("--display", metavar="D")
        parser.add_argument("--view", metavar="V")
        parser.add_argument("--look", default="", metavar="L")
        parser.add_argument("--format", choices=("text", "json"), default="text")

    def handle(self, *args: Any, colour: str, config: str, source: str, **options: Any) -> None:
        display, view = options["display"], options["view"]
        if bool(options["to"]) == bool(display or view) or bool(display) != bool(view):
            raise CommandError("Say where the colour goes: --to a space, or --display and --view.")
        steps = saltwort.trace(
            saltwort.load_config(config),
            colour,
            source,
            to=options["to"] or "",
            display=display or "",
            view=view or "",
            look=options["look"],
            unit=options["unit"] or "",
        )
        if options["format"] == "json":
            self.print_rows([{"step": step.text, "values": finite(step.values)} for step in steps])
        else:
            self.print_lines(f"{'  '.join(f'{value:12.6g}' for value in step.values)}  {step.text}" for step in steps)
