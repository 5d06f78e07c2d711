"""A scene taken into the project: its pictures, its typed colours and its lights."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.migration.graph import FILE, LIGHT, without_time
from saltwort.core.migration.plan import Draft, DraftColour
from saltwort.core.migration.readings import to_xyz
from saltwort.core.migration.scene import picture_files
from saltwort.core.migration.uses import LIGHT_ROLE, SURFACE, LightUse
from saltwort.core.names import free_name
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import LIGHTS, LONGEST_NAME, Scene, Swatch, with_swatch
from saltwort.core.spaces.gamuts import solve, xy_to_xyz
from saltwort.core.spaces.observer import black_body_xy
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.images.operations import stored_image, take_in
from saltwort.server.migrating.drafts import draft_of
from saltwort.server.migrating.models import OldScene
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene.operations import change_scene
from saltwort.server.textures.operations import add_textures

ENVIRONMENT, *LAMPS = LIGHTS
GREY = 1e-6
"""How far apart the numbers of a light without colour may lie."""


def read_into(scene: OldScene, author: str = "") -> dict[str, int]:
    """Take a scene into the project: its pictures as textures, its typed colours as swatches, and its lights as the
    colours of the rig's: a dome as the environment, the brightest of the others as the key. What cannot be read is
    passed over. Raises BadInput when the project is changed meanwhile."""
    draft = draft_of(scene.project, [Path(path) for path in scene.paths], [Path(path) for path in scene.allowed])
    images = {}
    for file in picture_files(draft.scene):
        told = Path(draft.scene.told(file))
        if told.is_relative_to(draft.scene.folder):
            path = told.relative_to(draft.scene.folder).as_posix()
            try:
                images[path] = stored_image(take_in(file, path, in_place=not draft.scene.is_packed(file)))
            except BadInput:
                continue
    if images:
        add_textures(scene.project, images, f"Textures of {scene.name} imported", author)
    taken = {swatch.name for swatch in ScenePart.of(current_setup(scene.project)).swatches}
    lights = list(_lights(draft, taken))
    swatches = [*_swatches(draft, taken), *(swatch for _, swatch in lights)]
    lit = _rig_lights(lights)
    if swatches:

        def changed(before: Scene) -> Scene:
            for swatch in swatches:
                before = with_swatch(before, "", swatch)
            return replace(
                before, lights=tuple(replace(each, swatch=lit.get(each.name, each.swatch)) for each in before.lights)
            )

        project = Project.objects.get(pk=scene.project_id)
        change_scene(project, project.version, f"Colours and lights of {scene.name} imported", changed, author)
    return {"textures": len(images), "swatches": len(swatches), "lights": len(lit)}


def _first_samples(draft: Draft) -> Iterator[DraftColour]:
    """Every typed colour; of one that changes over time the first."""
    first: dict[tuple[str, str, str], DraftColour] = {}
    for colour in draft.colours:
        first.setdefault((colour.use.document, colour.use.node.path, without_time(colour.use.input)), colour)
    yield from first.values()


def _swatches(draft: Draft, taken: set[str]) -> Iterator[Swatch]:
    """A swatch for each typed colour of a surface, and for what glows, by the name of its material and input."""
    for colour in _first_samples(draft):
        use = colour.use
        if use.role not in (SURFACE, LIGHT_ROLE) or use.node.sort == LIGHT:
            continue
        if use.gammas or len(use.values) > use.width:
            continue
        parts = _parts(use.node.path)
        owner = parts[-2] if len(parts) > 1 else parts[-1]
        name = _named(f"{owner} {without_time(use.input).removeprefix('inputs:')}", taken)
        typed = _typed(colour.reading.space or colour.reading.working, use.values)
        yield Swatch(name, typed, "light" if use.role == LIGHT_ROLE else "surface")


def _lights(draft: Draft, taken: set[str]) -> Iterator[tuple[LightUse, Swatch]]:
    """Every light that has a colour or a temperature, with its swatch."""
    typed = {
        (colour.use.document, colour.use.node.path): colour
        for colour in _first_samples(draft)
        if colour.use.node.sort == LIGHT and not colour.use.gammas and len(colour.use.values) == colour.use.width
    }
    for light in draft.scene.lights:
        colour = typed.get((light.document, light.node.path))
        found = _colour_of(draft.config, light, colour)
        if found is not None:
            yield light, Swatch(_named(_parts(light.node.path)[-1], taken), found, "light")


def _colour_of(config: ocio.Config, light: LightUse, colour: DraftColour | None) -> TypedColour | None:
    """A light's colour: its temperature, what is typed, or both multiplied, as a filter before a lamp."""
    numbers = colour.use.values[:3] if colour else (1.0, 1.0, 1.0)
    try:
        warm = None if light.temperature is None else black_body_xy(light.temperature)
    except BadInput:  # hotter or colder than anything that glows
        warm = None
    if warm is None:
        return _typed(colour.reading.space or colour.reading.working, numbers) if colour else None
    if max(numbers) - min(numbers) <= GREY:
        return TypedColour("", "kelvin", f"{light.temperature:g}")
    assert colour is not None
    space = colour.reading.space or colour.reading.working
    lamp = solve(to_xyz(config, space), xy_to_xyz(warm))
    return _typed(space, (np.array(numbers) * lamp).tolist())


def _rig_lights(lights: Sequence[tuple[LightUse, Swatch]]) -> dict[str, str]:
    """The swatches that the rig's lights get, by the lights' names."""
    domes = [swatch for light, swatch in lights if _is_dome(light)]
    lamps = sorted(
        ((light, swatch) for light, swatch in lights if not _is_dome(light)),
        key=lambda each: -each[0].intensity * 2.0 ** each[0].exposure,
    )
    named = dict(zip(LAMPS, (swatch for _, swatch in lamps), strict=False))
    if domes:
        named[ENVIRONMENT] = domes[0]
    return {light: swatch.name for light, swatch in named.items()}


def _is_dome(light: LightUse) -> bool:
    has_picture = any(given.type == FILE for given in light.node.inputs.values())
    return has_picture or "dome" in light.node.category.lower()


def _parts(path: str) -> list[str]:
    return [part for part in re.split(r"[/:]", path.strip("/")) if part]


def _named(wanted: str, taken: set[str]) -> str:
    name = free_name(wanted[: LONGEST_NAME - 4], taken)
    taken.add(name)
    return name


def _typed(space: str, numbers: Sequence[float]) -> TypedColour:
    return TypedColour(space, "unit", " ".join(f"{number:.6g}" for number in numbers[:3]))
