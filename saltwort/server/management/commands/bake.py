"""`bake IMAGE …`: one picture with a view in it."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.deliverables import write_still
from saltwort.core.deliverables.writing import STILL_TYPES
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand, project_for
from saltwort.server.projects.setups import config_of


class Command(HeadlessCommand):
    help = "Bake a view into a picture: PNG and TIFF with 16 bits, JPEG with 8, EXR as half float."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("image", type=Path, metavar="IMAGE")
        parser.add_argument("--project", required=True, metavar="SLUG")
        parser.add_argument("--source", required=True, metavar="SPACE", help="the space of the picture")
        parser.add_argument("--display", required=True, metavar="D")
        parser.add_argument("--view", required=True, metavar="V")
        parser.add_argument("--look", default="", metavar="L")
        parser.add_argument("--exposure", type=float, default=0.0, metavar="STOPS")
        parser.add_argument("--bits", type=int, choices=(8, 16), help="of PNG and TIFF; 16 unless said")
        parser.add_argument("--output", required=True, type=Path, metavar="FILE")

    def handle(self, *args: Any, image: Path, output: Path, **options: Any) -> None:
        if output.exists() and image.exists() and output.samefile(image):
            raise BadInput("The output would replace the picture itself. Name another file.")
        written = write_still(
            config_of(project_for(options["project"]).current),
            image,
            options["source"],
            ViewChoice(options["display"], options["view"], options["look"]),
            output,
            exposure=options["exposure"],
            sample_type=_sample_type(output, options["bits"]),
            progress=lambda share, doing: self.say(f"{share:4.0%} {doing}") if options["verbosity"] > 1 else None,
        )
        self.print_json({"path": str(output), **asdict(written)})


def _sample_type(output: Path, bits: int | None) -> str:
    allowed = STILL_TYPES.get(output.suffix.lower(), ("uint16",))
    if bits:
        return f"uint{bits}"
    return "uint16" if "uint16" in allowed else allowed[0]
