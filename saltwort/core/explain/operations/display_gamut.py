"""Code values of one display converted to another's primaries, as a managed screenshot on a wide screen has them, or as
numbers of one are taken for those of the other."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.configs.matching import encoding_of
from saltwort.core.engine.measured import space_of_view
from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.curves import SRGB, Curve, srgb_encoded
from saltwort.core.spaces.gamuts import P3_D65, REC709, REC2020, Gamut, rgb_to_xyz

_GAMUTS = (REC709, P3_D65, REC2020)


def _converted(source: Gamut, target: Gamut) -> Step:
    """Codes of sRGB's curve in one gamut as codes of the same curve in another; negative light keeps its sign."""
    matrix = (np.linalg.inv(rgb_to_xyz(target)) @ rgb_to_xyz(source)).T

    def step(codes: Pixels) -> Pixels:
        light = Curve(SRGB).decode(codes.astype(np.float64)) @ matrix
        return np.asarray(np.sign(light) * srgb_encoded(np.abs(light)), np.float32)

    return on_colour(step)


@operation("display-gamut", "codes", "Its colours were converted from {source} to {target}, as a screen does.")
def display_gamut(scene: Scene) -> Iterator[Way]:
    space = None if scene.expects_light else space_of_view(scene.config, scene.choice)
    encoding = encoding_of(scene.config, space) if space else None
    if encoding is None or encoding.curve.kind not in ("srgb", "power") or encoding.gamut not in _GAMUTS:
        return
    own = encoding.gamut
    for other in _GAMUTS:
        if other != own:
            for source, target in ((own, other), (other, own)):
                told: dict[str, str | float] = {"source": source.name, "target": target.name}
                yield Way(_converted(source, target), told, undo=_converted(target, source))
