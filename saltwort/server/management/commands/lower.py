"""`lower CONFIG --ocio-version V --output FILE`: a config for an older OCIO version."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from django.core.management.base import CommandParser

import saltwort
from saltwort.core.configs import VERSIONS
from saltwort.core.errors import BadInput
from saltwort.server.commands import HeadlessCommand
from saltwort.server.http import finite


class Command(HeadlessCommand):
    help = "Write a config for an older OCIO version, and print what that version could not hold, as JSON."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("config", metavar="CONFIG", help="a config.ocio, its folder, or an .ocioz")
        parser.add_argument("--ocio-version", required=True, choices=VERSIONS)
        parser.add_argument("--output", required=True, type=Path, metavar="FILE", help=".ocioz, .zip, or a folder")

    def handle(self, *args: Any, config: str, ocio_version: str, output: Path, **options: Any) -> None:
        if output.exists() and output.resolve() == Path(config).resolve():
            raise BadInput("The output would replace the config itself. Name another file.")
        made = saltwort.lower(saltwort.load_config(config), ocio_version)
        self.print_json(
            {
                "path": str(made.config.save(output)),
                "replacements": [asdict(part) for part in made.replacements],
                "proof": {**asdict(made.proof), "largest": finite([made.proof.largest])[0]},
            }
        )
