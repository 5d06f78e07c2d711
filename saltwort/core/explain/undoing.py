"""What was found of one picture, undone in others of the same origin: frames of a sequence, on whatever machine."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import NO_BARS, Bars, flipped
from saltwort.core.explain.besides import Told
from saltwort.core.explain.explained import undone
from saltwort.core.explain.operation import Scene, Way, operations
from saltwort.core.explain.steps import Step
from saltwort.core.images.reading import Pixels
from saltwort.core.images.sequences import frame_of

Plain = Mapping[str, Any]
"""A deviation as JSON holds it: its code, and its parameters."""


def undone_again(scene: Scene, deviations: Sequence[Plain], picture: Pixels) -> Pixels:
    """The light of a picture, (height, width, 3 or 4), to which was done what deviations say, in the working space,
    (height, width, 3). Raises BadInput for what cannot be undone."""
    told = [_told(scene, each) for each in deviations]
    bars = next((_bars(each) for each in deviations if each["code"] == "geometry" and "bars" in each), NO_BARS)
    left, top, right, bottom = bars
    height, width = picture.shape[:2]
    if left + right >= width or top + bottom >= height:
        raise BadInput("The bars are larger than the picture: it is none of the same sequence.")
    return undone(scene, told, picture[top : height - bottom, left : width - right])


def rescued_name(file: Path) -> str:
    """What a picture is called once it is light again: its number stays at the end, so that it stays a sequence."""
    frame = frame_of(file)
    stem = file.stem.removesuffix(frame.digits)
    between = stem[-1:] if frame.digits and stem[-1:] in "._-" else ""
    return f"{stem.removesuffix(between)}_rescued{between}{frame.digits}.exr"


def _bars(deviation: Plain) -> Bars:
    left, top, right, bottom = (int(pixels) for pixels in deviation["bars"])
    return left, top, right, bottom


def _told(scene: Scene, deviation: Plain) -> Told:
    code, parameters = deviation["code"], {name: value for name, value in deviation.items() if name != "code"}
    if code == "geometry":
        flip = str(parameters.get("flip", ""))
        return Told(code, parameters, "", "codes", lambda pixels: flipped(pixels, flip))
    for operation in operations():
        if operation.code != code:
            continue
        for way in operation.ways(scene):
            if (undo := _undo(way, parameters)) is not None:
                return Told(
                    code, parameters, operation.told(replace(way, parameters=parameters)), operation.stage, undo
                )
    raise BadInput("This cannot be undone into light: what was done to it is not known here, or gone for good.")


def _undo(way: Way, parameters: Plain) -> Step | None:
    """How a way is taken back whose parameters are these; None where it is another one."""
    if way.many is not None:
        names = ("slope", "offset", "power", "saturation")
        if any(name not in parameters for name in names):
            return None
        return way.many.undo(np.concatenate([np.atleast_1d(np.asarray(parameters[name], float)) for name in names]))
    fixed = {name: value for name, value in way.parameters.items() if way.fit is None or name != way.fit.name}
    if any(parameters.get(name) != value for name, value in fixed.items()):
        return None
    if way.fit is None:
        return way.undo
    return way.fit.undo(float(parameters[way.fit.name])) if way.fit.undo else None
