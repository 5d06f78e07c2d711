"""A picture with the view in it, for looking at."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.deliverables.registry import Defaults, Deliverable, Facts, Source, deliverable
from saltwort.core.deliverables.writing import Progress, Written, write_still
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.core.names import slug

SAMPLE_TYPES = {8: "uint8", 16: "uint16"}


@dataclass(frozen=True)
class StillSettings:
    """A view, light brighter by so many stops before it, and bits per channel."""

    view: ViewChoice
    exposure: float = 0.0
    bits: int = 16


@deliverable
class Still(Deliverable[StillSettings]):
    kind = "still"
    label = "Picture with the view"
    use = "PNG with the view baked in, tagged with the display’s code points. For looking, not for compositing."
    settings = StillSettings

    def defaults(self, chosen: Defaults) -> dict[str, Any]:
        return {"view": vars(chosen.view)}

    def plan(self, config: ocio.Config, settings: StillSettings) -> None:
        check_view(config, settings.view)
        if not abs(settings.exposure) <= LARGEST_EXPOSURE:
            raise BadInput(f"Exposure lies from −{LARGEST_EXPOSURE:g} to +{LARGEST_EXPOSURE:g} stops.")
        if settings.bits not in SAMPLE_TYPES:
            raise BadInput(f"A still has {' or '.join(map(str, SAMPLE_TYPES))} bits per channel.")

    def named(self, stem: str, revision: int, settings: StillSettings) -> str:
        return f"{stem}_{slug(settings.view.view)}_r{revision}.png"

    def facts(self, config: ocio.Config, settings: StillSettings) -> Facts:
        return {
            "view": f"{settings.view.view} on {settings.view.display}",
            "look": settings.view.look or "look of the view",
            "exposure": f"{settings.exposure:+.2f} stops",
            "samples": f"{settings.bits}-bit",
        }

    def write(
        self, config: ocio.Config, source: Source, settings: StillSettings, target: Path, progress: Progress
    ) -> Written:
        return write_still(
            config,
            source.file,
            source.space,
            settings.view,
            target,
            exposure=settings.exposure,
            sample_type=SAMPLE_TYPES[settings.bits],
            layer=source.layer,
            progress=progress,
        )
