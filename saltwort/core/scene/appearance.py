"""Colours that must appear as given: from code values of a display back through a view to what lies in the scene."""

from collections.abc import Hashable, Iterator
from dataclasses import dataclass, replace
from itertools import islice
from threading import RLock

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache, cached
from cachetools.keys import hashkey
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.displays import HDR, HDR_WHITE, NO_LIGHT, SDR_WHITE, display_kind
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, colours_of_view, space_of_view
from saltwort.core.engine.processors import inverse_view_processor, shows_own_numbers
from saltwort.core.errors import BadInput
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.scene.decisions import Appearance, Scene, Swatch
from saltwort.core.scene.reflectances import LIGHT
from saltwort.core.spaces.difference import delta_e_2000, delta_e_itp
from saltwort.core.spaces.typed import Triple, TypedColour
from saltwort.core.views.hdr import on_this_screen
from saltwort.core.views.tone import display_difference, display_xyz

Array = NDArray[np.float64]

SRGB = "srgb"
HALF_STEP, HALF_STEP_HDR = 0.5 / 255, 0.5 / 1023
"""Code values within which a colour appears as given: half a step of 8 bits, of 10 bits on an HDR display."""
NEAR_LIMIT = 1e-3
"""How far, relative to the limit, a channel may lie outside what a surface or lamp can have and be rounded to it."""
GRID, SHRINK, STEPS = 5, 0.65, 22
"""Nodes a side of the grid that a search starts from, by how much the grid around the best one shrinks, and how often.
"""
REMEMBERED = 4096
"""Solutions, by the config's content."""
BRIGHTEST_SEARCHED = 1024.0
"""Scene-linear value up to which a search goes for lamps: ten stops above white, where the views in use are white."""
MOST_OTHERS = 12
"""Other views, and other displays, that are tried."""


@dataclass(frozen=True)
class Solved:
    """What must lie in the scene so that a colour appears as given. `wish` and `shown`: code values of the display, as
    given and as they come out. `own`: scene-linear values in the working space of the surface or lamp itself. `needed`:
    the same without the limits of a surface or lamp; None for a view without an inverse. `difference`: how far apart
    wish and shown look, by `metric`. `is_held`: within half a step of the display's code values."""

    wish: Triple
    shown: Triple
    own: Triple
    needed: Triple | None
    difference: float
    metric: str
    is_held: bool


@dataclass(frozen=True)
class Remedy:
    """What would let a colour appear as given: one of REMEDIES, in a sentence, with the stops, or the first display and
    view, that it names."""

    kind: str
    says: str
    stops: float | None = None
    display: str = ""
    view: str = ""


LAMP, MORE_LIGHT, OTHER_VIEW, WIDER_DISPLAY, GRAPHIC = "lamp", "more light", "other view", "wider display", "graphic"
REMEDIES = (LAMP, MORE_LIGHT, OTHER_VIEW, WIDER_DISPLAY, GRAPHIC)


def solved_swatch(config: ocio.Config, swatch: Swatch) -> Solved:
    """What a swatch with an appearance must be in the scene. Raises BadInput where the config lacks its view, and for a
    view that does not output display colours."""
    assert swatch.appears is not None
    appears = swatch.appears
    return _solved(config, swatch.colour.values, appears.choice, appears.stops, is_lamp=swatch.use == LIGHT)


def resolved(config: ocio.Config, scene: Scene) -> Scene:
    """The scene with every swatch that has an appearance as the scene-linear values that give it, in the working space.
    One whose view is gone keeps a colour that cannot be told."""
    return replace(scene, swatches=tuple(_resolved(config, swatch) for swatch in scene.swatches))


def _resolved(config: ocio.Config, swatch: Swatch) -> Swatch:
    if swatch.appears is None:
        return swatch
    try:
        solved = solved_swatch(config, swatch)
    except BadInput:  # the finding swatch.unknown-view says what to do
        return replace(swatch, appears=None)
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    text = " ".join(f"{value:.7g}" for value in solved.own)
    return replace(swatch, colour=TypedColour(working, "unit", text), appears=None)


def why_not(swatch: Swatch, solved: Solved) -> str:
    """Why a swatch does not appear as given, in a sentence; empty where it does."""
    if solved.is_held:
        return ""
    if solved.needed is None:
        return "This view has no inverse, so the nearest colour was searched."
    needs = f"It needs {_numbers(solved.needed)} in the scene"
    if min(solved.needed) < -NEAR_LIMIT * max(solved.needed):
        return f"{needs}: values below 0 lie outside the working gamut."
    if swatch.use != LIGHT and max(solved.needed) > 1 + NEAR_LIMIT:
        return f"{needs}, and a surface reflects 1 at most."
    return "No scene-linear values appear so through this view."


def in_words(config: ocio.Config, swatch: Swatch) -> str:
    """How a swatch appears, as a settings sheet says it; empty for one without an appearance. Raises BadInput where
    the config lacks its view."""
    if swatch.appears is None:
        return ""
    solved = solved_swatch(config, swatch)
    where = f"through {swatch.appears.view} on {swatch.appears.display}"
    lit = f", lit by {swatch.appears.stops:+g} stops" if swatch.appears.stops else ""
    if solved.is_held:
        return f"appears as {swatch.colour.text} {where}{lit}"
    return f"the nearest to {swatch.colour.text} {where}{lit}: {solved.metric} {solved.difference:.1f} away"


def on_screen(config: ocio.Config, choice: ViewChoice, codes: Array) -> Array:
    """Code values of a view's display, (n, 3), as those of an sRGB screen that show the same, white at white: what the
    screen does not hold is clipped."""
    white = HDR_WHITE if display_kind(config, choice) == HDR else SDR_WHITE
    shown = on_this_screen(display_xyz(config, choice, codes), np.eye(3), white / SDR_WHITE)
    return np.asarray(shown, np.float64)


def fitted(config: ocio.Config, swatch: Swatch, choice: ViewChoice) -> Swatch:
    """The swatch with the same colour asked of another view: in code values of that view's display, where that is
    another one. Raises BadInput where that display does not hold the colour, or the config lacks one of the views."""
    assert swatch.appears is not None
    appears = replace(swatch.appears, display=choice.display, view=choice.view, look=choice.look)
    if choice.display == swatch.appears.display:
        return replace(swatch, appears=appears)
    codes = codes_on(config, swatch.colour.values, swatch.appears.choice, choice)
    text = " ".join(f"{value:.5g}" for value in codes)
    return replace(swatch, colour=TypedColour("", "unit", text), appears=appears)


def appearing_in_srgb(config: ocio.Config, swatch: Swatch, view: ViewChoice) -> Swatch:
    """A swatch with code values of an sRGB display as one that must appear so through a project's view: in that view's
    own code values where its display holds the colour and is no HDR display, else on the config's first sRGB display.
    Raises BadInput where there is none."""
    screens = (
        ViewChoice(name, view.view if view.view in config.getViews(name) else config.getDefaultView(name))
        for name in config.getDisplays()
    )
    screen = next((each for each in (view, *screens) if display_kind(config, each) == SRGB), None)
    if screen is None:
        raise BadInput("A palette is for an sRGB display, which this config lacks. Import CSV with display and view.")
    typed = replace(swatch, appears=Appearance(screen.display, screen.view, screen.look))
    if screen == view or display_kind(config, view) in (HDR, NO_LIGHT):
        return typed
    try:
        return fitted(config, typed, view)
    except BadInput:
        return typed


def difference_through(config: ocio.Config, swatch: Swatch, view: ViewChoice) -> tuple[str, float] | None:
    """How far from the colour given a swatch looks through another view, with the name of the metric. None between SDR
    and HDR, whose whites differ on purpose, and for a view that does not output display colours. Raises BadInput
    where the config lacks one of the views."""
    assert swatch.appears is not None
    solved = solved_swatch(config, swatch)
    is_hdr = [display_kind(config, each) == HDR for each in (swatch.appears.choice, view)]
    if is_hdr[0] != is_hdr[1] or space_of_view(config, view) is None:
        return None
    shown = _Through(config, view, swatch.appears.stops).shown(np.array([solved.own]))
    wish = display_xyz(config, swatch.appears.choice, np.array([solved.wish]))
    measure = delta_e_itp if is_hdr[0] else delta_e_2000
    return solved.metric, float(measure(display_xyz(config, view, shown), wish)[0])


def codes_on(config: ocio.Config, codes: Triple, choice: ViewChoice, other: ViewChoice) -> Triple:
    """Code values of one view's display as those of another's that look the same, by CIE XYZ. Raises BadInput where
    that display does not hold the colour, or a view does not output display colours."""
    given, wanted = (colours_of_view(config, each) for each in (choice, other))
    if given == wanted:
        return codes
    xyz = _applied(space_processor(config, given, DISPLAY_INTERCHANGE), np.array([codes]))
    there = _applied(space_processor(config, DISPLAY_INTERCHANGE, wanted), xyz)[0]
    if not (np.isfinite(there).all() and there.min() >= -HALF_STEP and there.max() <= 1 + HALF_STEP):
        raise BadInput(f"{other.display} does not hold this colour. Choose a display with a wider gamut.")
    return _triple(np.clip(there, 0, 1))


def remedies(config: ocio.Config, swatch: Swatch, solved: Solved) -> list[Remedy]:
    """What would let a swatch appear as given that cannot: each was computed and holds."""
    assert swatch.appears is not None
    return list(_remedies(config, swatch, swatch.appears, solved))


def _remedies(config: ocio.Config, swatch: Swatch, appears: Appearance, solved: Solved) -> Iterator[Remedy]:
    choice, is_lamp = appears.choice, swatch.use == LIGHT
    if not is_lamp:
        yield from _with_more_light(config, appears, solved)
    highest = LARGEST_HALF if is_lamp else 1.0
    others = (ViewChoice(choice.display, name) for name in config.getViews(choice.display) if name != choice.view)
    views = [
        other.view
        for other in islice(others, MOST_OTHERS)
        if not shows_own_numbers(config, other)
        and _exact(config, solved.wish, other, appears.stops, highest) is not None
    ]
    if views:
        says = f"Through {_either([f'“{name}”' for name in views])} on {choice.display}."
        yield Remedy(OTHER_VIEW, says, display=choice.display, view=views[0])
    displays = [name for name in config.getDisplays() if name != choice.display][:MOST_OTHERS]
    if names := [name for name in displays if _holds_on(config, solved.wish, choice, name, appears.stops, highest)]:
        yield Remedy(WIDER_DISPLAY, f"The same colour on {_either(names)}.", display=names[0])
    codes = "  ".join(f"{value * 255:.0f}" for value in solved.wish)
    yield Remedy(GRAPHIC, f"As a graphic composited after the view, with the code values {codes} (0–255).")


def _with_more_light(config: ocio.Config, appears: Appearance, solved: Solved) -> Iterator[Remedy]:
    """What helps a surface that would need to reflect more than it receives."""
    lamp = _exact(config, solved.wish, appears.choice, appears.stops, LARGEST_HALF)
    if lamp is not None:
        yield Remedy(LAMP, f"As a light of {_numbers(lamp)} instead of a surface.")
    more = _stops_more(solved.needed) if solved.needed else 0.0
    stops = round(appears.stops + more, 1)
    if more and _exact(config, solved.wish, appears.choice, stops, 1.0) is not None:
        yield Remedy(MORE_LIGHT, f"Lit {more:.1f} stops brighter: {stops:+.1f} stops.", stops=stops)


def _holds_on(
    config: ocio.Config, wish: Triple, choice: ViewChoice, display: str, stops: float, highest: float
) -> bool:
    """Whether another display shows the same colour, through the view of the same name or its first one."""
    views = config.getViews(display)
    other = ViewChoice(display, choice.view if choice.view in views else config.getDefaultView(display))
    try:
        codes = codes_on(config, wish, choice, other)
    except BadInput:
        return False
    return _exact(config, codes, other, stops, highest) is not None


def _stops_more(needed: Triple) -> float:
    """How much brighter a surface must be lit that needs to reflect more than all, in tenths of a stop; 0 where that
    does not help."""
    if min(needed) < -NEAR_LIMIT or max(needed) <= 1:
        return 0.0
    return float(np.ceil(np.log2(max(needed)) * 10) / 10)


def _key(config: ocio.Config, *asked: object, **more: object) -> Hashable:
    return hashkey(config.getCacheID(), *asked, **more)


@cached(LRUCache(REMEMBERED), key=_key, lock=RLock())
def _solved(config: ocio.Config, wish: Triple, choice: ViewChoice, stops: float, *, is_lamp: bool) -> Solved:
    through = _Through(config, choice, stops)
    needed = through.undone(wish)
    own = through.exact(wish, LARGEST_HALF if is_lamp else 1.0)
    if own is None:
        own = _nearest(through, wish, needed, BRIGHTEST_SEARCHED if is_lamp else 1.0)
    shown = through.shown(np.array([own]))[0]
    difference = float(through.apart(shown[np.newaxis], wish)[0])
    return Solved(wish, _triple(shown), own, needed, difference, through.metric, through.is_same(shown, wish))


class _Through:
    """A view with neutral light of some stops before it: scene-linear values to code values and back, (n, 3). Raises
    BadInput for a view that the config lacks or that does not output display colours."""

    def __init__(self, config: ocio.Config, choice: ViewChoice, stops: float) -> None:
        self._config, self._choice, self._gain = config, choice, 2.0**stops
        self._view = view_processor(config, ocio.ROLE_SCENE_LINEAR, choice)
        self.metric, self._measure = display_difference(config, choice)
        self._half_step = HALF_STEP_HDR if display_kind(config, choice) == HDR else HALF_STEP

    def shown(self, own: Array) -> Array:
        """Code values, clipped to what a display takes."""
        return np.clip(_applied(self._view, own * self._gain), 0, 1)

    def apart(self, shown: Array, wish: Triple) -> Array:
        """How far code values look from a wish, (n,)."""
        return self._measure(np.nan_to_num(shown), np.broadcast_to(np.array([wish]), shown.shape))

    def is_same(self, shown: Array, wish: Triple) -> bool:
        return bool(np.abs(shown - np.array(wish)).max() <= self._half_step)

    def undone(self, wish: Triple) -> Triple | None:
        """By the inverse of the view, without limits; None where it has none or gives no number."""
        try:
            processor = inverse_view_processor(self._config, ocio.ROLE_SCENE_LINEAR, self._choice)
        except BadInput:
            return None
        own = _applied(processor, np.array([wish]))[0] / self._gain
        return _triple(own) if np.isfinite(own).all() else None

    def exact(self, wish: Triple, highest: float) -> Triple | None:
        """What lies in the scene by the inverse of the view, where it lies within 0 and the highest and the view,
        played forward, gives the wish."""
        needed = self.undone(wish)
        if needed is None or min(needed) < -NEAR_LIMIT * max(needed) or max(needed) > highest * (1 + NEAR_LIMIT):
            return None
        own = np.clip(np.array(needed), 0, highest)
        return _triple(own) if self.is_same(self.shown(own[np.newaxis])[0], wish) else None


def _exact(config: ocio.Config, wish: Triple, choice: ViewChoice, stops: float, highest: float) -> Triple | None:
    """As `_Through.exact`; None for a view that does not output display colours, too."""
    try:
        return _Through(config, choice, stops).exact(wish, highest)
    except BadInput:
        return None


def _nearest(through: _Through, wish: Triple, needed: Triple | None, highest: float) -> Triple:
    """What looks nearest within 0 and the highest: the best node of a grid in cube roots, around which the grid is made
    finer. A grid finds its way over the flat parts of views, where a gradient is 0."""
    side = np.cbrt(highest)
    nodes = np.stack(np.meshgrid(*[np.linspace(-1, 1, GRID)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    starts = [np.full(3, side / 2)]
    if needed is not None:
        starts.append(np.cbrt(np.clip(np.array(needed), 0, highest)))

    def off(roots: Array) -> Array:
        apart = through.apart(through.shown(roots**3), wish)
        return np.where(np.isfinite(apart), apart, np.inf)

    best, reach = np.array(starts), side / 2
    for _ in range(STEPS):
        tried = np.clip(best[:, np.newaxis] + nodes * reach, 0, side)  # among which is the best so far
        distances = off(tried.reshape(-1, 3)).reshape(len(best), -1)
        best = tried[np.arange(len(best)), distances.argmin(axis=1)]
        reach *= SHRINK
    return _triple(best[int(np.argmin(off(best)))] ** 3)


def _applied(processor: ocio.CPUProcessor, numbers: Array) -> Array:
    return np.asarray(apply(processor, numbers.astype(np.float32)[np.newaxis])[0], np.float64)


def _triple(numbers: Array) -> Triple:
    red, green, blue = numbers.tolist()
    return red, green, blue


def _numbers(numbers: Triple) -> str:
    return "  ".join(f"{value:.4g}" for value in numbers).replace("-", "−")


def _either(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} or {names[-1]}"
