"""Scene-linear light for the next application, with no view in it."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.deliverables.registry import Defaults, Deliverable, Facts, Source, deliverable
from saltwort.core.deliverables.writing import Progress, Written, write_handoff
from saltwort.core.engine.processors import known_space


@dataclass(frozen=True)
class HandoffSettings:
    """The space that the light is written in."""

    space: str


@deliverable
class Handoff(Deliverable[HandoffSettings]):
    kind = "handoff"
    label = "Scene-linear EXR"
    use = "Half-float EXR in the working space, no view, with chromaticities and interop ID in the header."
    settings = HandoffSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {"space": chosen.working_space}

    def plan(self, config: ocio.Config, settings: HandoffSettings) -> None:
        known_space(config, settings.space)

    def named(self, stem: str, revision: int, settings: HandoffSettings) -> str:
        return f"{stem}_linear_r{revision}.exr"

    def facts(self, config: ocio.Config, settings: HandoffSettings) -> Facts:
        return {"colour space": settings.space, "view": "none", "samples": "half float"}

    def write(
        self, config: ocio.Config, source: Source, settings: HandoffSettings, target: Path, progress: Progress
    ) -> Written:
        return write_handoff(
            config, source.file, source.space, settings.space, target, layer=source.layer, progress=progress
        )


@dataclass(frozen=True)
class Header:
    """What an application writes into a hand-off file: format, and what its header says of colour."""

    file: str
    interop_id: str
    chromaticities: tuple[float, ...]


def header_of(config: ocio.Config, space: str) -> Header:
    """The file that `Handoff` writes in a space, told to applications that write it themselves."""
    tags = handoff_tags(config, space)
    interop_id, numbers = tags.get("colorInteropID", ""), tags.get("chromaticities", ())
    return Header(
        "OpenEXR, half float, zip",
        str(interop_id),
        numbers if isinstance(numbers, tuple) else (),
    )
