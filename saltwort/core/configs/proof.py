"""Prove that two configs give the same colours: a fixed set of colours goes through every space and view of both."""

import colorsys
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, SCENE_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY

Colours = NDArray[np.float32]


@dataclass(frozen=True)
class Proof:
    """The outcome for a number of colours: `compared` spaces and views, the largest difference over all, and where it
    is. `unproved` names what could not be compared, with the reason."""

    colours: int
    compared: int
    largest: float
    where: str
    unproved: tuple[str, ...]


@lru_cache(maxsize=1)
def proof_colours() -> Colours:
    """The fixed set, float32 of shape (n, 3), scene light in any linear space, and code values as well.

    Greys over 20 stops, sweeps of hue over saturation and exposure, negative components, and camera-like values (most
    dim, few bright, correlated channels). Read-only.
    """
    chance = np.random.default_rng(20)
    greys = np.repeat(MIDDLE_GREY * 2.0 ** np.linspace(-10, 10, 256)[:, None], 3, axis=1)
    hues = [
        np.array(colorsys.hsv_to_rgb(hue, saturation, 1.0)) * MIDDLE_GREY * 2.0**stop
        for hue in np.linspace(0, 1, 48, endpoint=False)
        for saturation in (0.4, 0.8, 1.0)
        for stop in np.linspace(-8, 9, 12)
    ]
    negative = chance.uniform(-0.5, 1.5, (512, 3))
    exposure = chance.normal(-2.5, 3.0, (1800, 1))
    camera = MIDDLE_GREY * 2.0 ** (exposure + chance.normal(0, 0.7, (1800, 3)))
    colours = np.concatenate([greys, hues, negative, camera]).astype(np.float32)
    colours.setflags(write=False)
    return colours


def prove_equal(before: ocio.Config, after: ocio.Config, spaces: Iterable[str], views: Iterable[ViewChoice]) -> Proof:
    """Send the proof colours through spaces and views that both configs have, and compare to the bit.

    Each space is gone to from the interchange space and back. Something that neither config can compute is unproved,
    something that only one can is an infinite difference.
    """
    largest, where, compared = 0.0, "", 0
    unproved: dict[str, None] = {}
    for label, way in _ways(before, spaces, views):
        first, second = _through(before, way), _through(after, way)
        if isinstance(first, str) and isinstance(second, str):
            unproved[f"{label}: {first}"] = None
            continue
        compared += 1
        difference = _largest(first, second)
        if difference > largest:
            largest, where = difference, label
    return Proof(len(proof_colours()), compared, largest, where, tuple(unproved))


Way = Callable[[ocio.Config], ocio.CPUProcessor]


def _ways(config: ocio.Config, spaces: Iterable[str], views: Iterable[ViewChoice]) -> Iterator[tuple[str, Way]]:
    """To each space and back, and through each view from the working space."""
    for name in spaces:
        space = config.getColorSpace(name)
        is_display = space is not None and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
        interchange = DISPLAY_INTERCHANGE if is_display else SCENE_INTERCHANGE
        yield name, partial(_between, interchange, name)
        yield name, partial(_between, name, interchange)
    for view in views:
        yield f"{view.view} on {view.display}", partial(_seen, view)


def _between(source: str, target: str, config: ocio.Config) -> ocio.CPUProcessor:
    return space_processor(config, source, target)


def _seen(view: ViewChoice, config: ocio.Config) -> ocio.CPUProcessor:
    return view_processor(config, ocio.ROLE_SCENE_LINEAR, view)


def _through(config: ocio.Config, way: Way) -> Colours | str:
    try:
        shown: Colours = apply(way(config), proof_colours()[None])[0]
        return shown
    except BadInput as error:
        return str(error)


def _largest(first: Colours | str, second: Colours | str) -> float:
    if isinstance(first, str) or isinstance(second, str):
        return float("inf")
    same = (first == second) | (np.isnan(first) & np.isnan(second))
    if same.all():
        return 0.0
    with np.errstate(invalid="ignore"):
        gaps = np.abs(first[~same].astype(np.float64) - second[~same])
    return float(np.nan_to_num(gaps, nan=np.inf).max())
