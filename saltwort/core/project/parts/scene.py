"""Swatches, lights and the rig. They stand in no config."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import ClassVar

from saltwort.core.project.part import Fields, Upgrade, ValuePart, part
from saltwort.core.project.setup import Setup
from saltwort.core.scene.decisions import Scene, check_scene
from saltwort.core.spaces.typed import TypedColour


@part
class ScenePart(ValuePart[Scene]):
    fields = ("scene",)
    version = 2
    upgrades: ClassVar[Mapping[int, Upgrade]] = {1: dict}  # swatches got appearances, and have none where none is said
    default = Scene()
    is_set_whole = False
    stands_in_config = False

    def check(self, setup: Setup) -> None:
        check_scene(self.of(setup))

    def spaces(self, setup: Setup) -> Iterable[str]:
        scene = self.of(setup)
        colours = (*(swatch.colour for swatch in scene.swatches), *(light.colour for light in scene.lights))
        return (colour.space for colour in colours)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        def called(colour: TypedColour) -> TypedColour:
            return colour if colour.lacks_space else replace(colour, space=now(colour.space))

        scene = self.of(setup)
        swatches = (replace(swatch, colour=called(swatch.colour)) for swatch in scene.swatches)
        lights = (replace(light, colour=called(light.colour)) for light in scene.lights)
        return {"scene": replace(scene, swatches=tuple(swatches), lights=tuple(lights))}
