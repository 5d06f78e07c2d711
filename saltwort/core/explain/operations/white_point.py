"""A white point adapted where it should not be, or not where it should."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.engine.measured import SCENE_INTERCHANGE
from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, in_turn, on_colour
from saltwort.core.spaces.gamuts import AP0, D65, adaptation, rgb_to_xyz, solve


@operation("white-point", "light", "Its white was taken for {taken_as}: it is not adapted.")
def white_point(scene: Scene) -> Iterator[Way]:
    if not scene.config.hasRole(SCENE_INTERCHANGE):
        return
    to_ap0 = scene.between(scene.working_space, SCENE_INTERCHANGE)
    back = scene.between(SCENE_INTERCHANGE, scene.working_space)
    for taken_as, matrix in (("D65", adaptation(D65, AP0.white)), ("the white of ACES", adaptation(AP0.white, D65))):
        of_ap0 = solve(rgb_to_xyz(AP0), matrix @ rgb_to_xyz(AP0)).T.astype(np.float32)
        undone = np.linalg.inv(of_ap0.astype(np.float64)).astype(np.float32)
        yield Way(
            in_turn(to_ap0, _times(of_ap0), back), {"taken_as": taken_as}, undo=in_turn(to_ap0, _times(undone), back)
        )


def _times(matrix: np.ndarray) -> Step:
    return on_colour(lambda light: np.asarray(light @ matrix, np.float32))
