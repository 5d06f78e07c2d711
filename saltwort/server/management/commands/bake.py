"""`bake IMAGE …`: one picture with a view in it."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.deliverables import Source, deliverables
from saltwort.core.deliverables.kinds.still import StillSettings, format_named
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand
from saltwort.server.projects.operations import project_named
from saltwort.server.projects.setups import config_of

PRINTED = ("width", "height", "tags", "clipped", "largest_error", "not_finite")
"""What scripts rely on, of what is read back."""
QUALITY = 98


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
        config, still = config_of(project_named(options["project"]).current), deliverables()["still"]
        settings = StillSettings(
            display=options["display"],
            view=options["view"],
            look=options["look"],
            exposure=options["exposure"],
            format=format_named(output),
            bits=str(options["bits"] or ""),
            dither=False,
            quality=QUALITY,
        )
        still.check(config, settings)
        written = still.write(config, [Source(image, options["source"])], settings, output, self.progress(options))
        found = asdict(written)
        self.print_json({"path": str(output), **{name: found[name] for name in PRINTED}})
