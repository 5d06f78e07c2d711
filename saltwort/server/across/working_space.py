"""What another working space would change in a scene, before anything is saved."""

from dataclasses import dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.changes import Change
from saltwort.core.engine.typed import typed_in
from saltwort.core.errors import BadInput
from saltwort.core.findings import CAUTION, NOTE, Finding
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import resolved
from saltwort.core.scene.rig.judging import Difference
from saltwort.core.spaces.gamuts import GAMUT_TOLERANCE, is_inside
from saltwort.core.spaces.typed import Triple, TypedColour
from saltwort.server.across.previews import preview_change
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene import rig
from saltwort.server.scene.operations import expectations

CHANNELS = ("red", "green", "blue")


@dataclass(frozen=True)
class ColourChange:
    """A swatch or light in the working space before and after; None where its space is gone. `says` tells in
    words when it leaves the gamut, or comes back into it, and `level` how bad that is."""

    kind: str
    name: str
    before: Triple | None
    after: Triple | None
    says: str = ""
    level: str = NOTE


@dataclass(frozen=True)
class WorkingSpaceChange:
    colours: list[ColourChange]
    textures: list[Change]
    stations: list[str]
    new_findings: list[Finding]
    gone_findings: list[Finding]
    rig: Difference


def working_space_change(project: Project, space: str) -> WorkingSpaceChange:
    """Look at a switch to another working space. Raises BadInput for one that is none."""
    config = config_of(project.current)
    scene = resolved(config, ScenePart.of(current_setup(project)))
    preview = preview_change(project, lambda setup: replace(setup, working_space=space))
    typed = [("swatch", swatch.name, swatch.colour) for swatch in scene.swatches]
    typed += [("light", light.name, scene.colour_of(light)) for light in scene.lights]
    return WorkingSpaceChange(
        colours=[_colour_change(config, space, *row) for row in typed],
        textures=preview.textures,
        stations=expectations(project, space),
        new_findings=preview.new_findings,
        gone_findings=preview.gone_findings,
        rig=rig.difference_between(project, space),
    )


def _colour_change(config: ocio.Config, space: str, kind: str, name: str, colour: TypedColour) -> ColourChange:
    try:
        before, after = typed_in(config, colour, ocio.ROLE_SCENE_LINEAR), typed_in(config, colour, space)
    except BadInput as error:
        return ColourChange(kind, name, None, None, str(error), CAUTION)
    least = -GAMUT_TOLERANCE * max(*after, 0.0)
    outside = [channel for channel, value in zip(CHANNELS, after, strict=True) if value < least]
    was_outside = not is_inside(before)
    if outside:
        says = f"{' and '.join(outside)} below zero: outside the gamut of {space}"
        return ColourChange(kind, name, before, after, f"still {says}" if was_outside else says, CAUTION)
    return ColourChange(kind, name, before, after, "comes into the gamut" if was_outside else "")
