"""Swatches, lights and the rig. They stand in no config."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from saltwort.core.project.part import Fields, Part, part
from saltwort.core.project.setup import Setup
from saltwort.core.scene.decisions import check_scene
from saltwort.core.spaces.typed import TypedColour


@part
class ScenePart(Part):
    fields = ("scene",)
    stands_in_config = False

    def check(self, setup: Setup) -> None:
        check_scene(setup.scene)

    def spaces(self, setup: Setup) -> Iterable[str]:
        scene = setup.scene
        colours = (*(swatch.colour for swatch in scene.swatches), *(light.colour for light in scene.lights))
        return (colour.space for colour in colours)

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        def called(colour: TypedColour) -> TypedColour:
            return replace(colour, space=now(colour.space))

        scene = setup.scene
        swatches = (replace(swatch, colour=called(swatch.colour)) for swatch in scene.swatches)
        lights = (replace(light, colour=called(light.colour)) for light in scene.lights)
        return {"scene": replace(scene, swatches=tuple(swatches), lights=tuple(lights))}
