"""Primaries taken for others, by the usual spaces."""

from collections.abc import Iterator

from saltwort.core.configs.matching import spaces_of_ids
from saltwort.core.explain.operation import Scene, Way, operation

LINEAR_IDS = ("lin_ap1_scene", "lin_rec709_scene", "lin_ap0_scene", "lin_p3d65_scene", "lin_rec2020_scene")


@operation("primaries", "light", "Its light was taken for {taken_as}.")
def primaries(scene: Scene) -> Iterator[Way]:
    for name in _usual(scene):
        undo = scene.between(scene.working_space, name)
        yield Way(scene.between(name, scene.working_space), {"taken_as": name}, undo=undo)


@operation("primaries", "light", "It was converted to {converted_to}, and taken for {taken_as}.")
def converted(scene: Scene) -> Iterator[Way]:
    """The other way: the numbers are those of another space, and read as the working space."""
    for name in _usual(scene):
        undo = scene.between(name, scene.working_space)
        told: dict[str, str | float] = {"taken_as": scene.working_space, "converted_to": name}
        yield Way(scene.between(scene.working_space, name), told, undo=undo)


def _usual(scene: Scene) -> Iterator[str]:
    for _, name in spaces_of_ids(scene.config, LINEAR_IDS):
        if name != scene.working_space:
            yield name
