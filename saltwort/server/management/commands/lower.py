"""`lower CONFIG --ocio-version V --output FILE`: a config for an older OCIO version."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

from saltwort.core.configs import VERSIONS, lowered, write_config
from saltwort.core.configs.untried import try_config
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand, config_at


class Command(HeadlessCommand):
    help = "Write a config for an older OCIO version, and print what that version could not hold, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("config", metavar="CONFIG", help="a config.ocio, its folder, or an .ocioz")
        parser.add_argument("--ocio-version", required=True, choices=VERSIONS)
        parser.add_argument("--output", required=True, type=Path, metavar="FILE", help=".ocioz, .zip, or a folder")

    def handle(self, *args: Any, config: str, ocio_version: str, output: Path, **options: Any) -> None:
        if output.exists() and output.resolve() == Path(config).resolve():
            raise BadInput("The output would replace the config itself. Name another file.")
        archive = config_at(config)
        try_config(archive, config)
        made = lowered(archive, ocio_version)
        written = write_config(made.archive, output)
        self.print_json({"path": str(written), "replacements": [asdict(part) for part in made.replacements]})
