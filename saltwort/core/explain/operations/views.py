"""The view: missing, twice, another one, of another display, with another look."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.configs.matching import encoding_of
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.measured import space_of_view
from saltwort.core.errors import BadInput
from saltwort.core.explain.operation import MOST_OTHERS, Scene, Way, operation
from saltwort.core.explain.operations.curves import decoded, encoded
from saltwort.core.explain.operations.power import powered
from saltwort.core.explain.steps import Step, in_turn, on_colour
from saltwort.core.images.reading import Pixels

_unchanged: Step = on_colour(lambda codes: codes)
_clipped: Step = on_colour(lambda codes: np.clip(codes, 0, 1))


@operation("view-missing", "view", "The view is missing: the light of the working space was written as it is.")
def view_missing(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(None, undo=_unchanged)


@operation("view-twice", "view", "The view was applied twice{between}.")
def view_twice(scene: Scene) -> Iterator[Way]:
    view = scene.view()
    if scene.expects_light:
        return

    def back(codes: Pixels) -> Pixels:
        undone = scene.view_undone()
        return undone(undone(codes))

    told: dict[str, str | float] = {"between": ", with code values taken for light"}
    yield Way(in_turn(view, _clipped, view), told, undo=back)
    if scene.texture_space:
        decode = scene.between(scene.texture_space, scene.working_space)
        encode = scene.between(scene.working_space, scene.texture_space)

        def back_through_codes(codes: Pixels) -> Pixels:
            undone = scene.view_undone()
            return undone(encode(undone(codes)))

        told = {"between": ": the finished picture was read as a texture, and viewed again"}
        yield Way(in_turn(view, _clipped, decode, view), told, undo=back_through_codes)


@operation("view-other", "view", "It has the view {view} of {display}.")
def view_other(scene: Scene) -> Iterator[Way]:
    """Another view of the display; any, where light is expected. Encoding alone is the config's un-tone-mapped view,
    where it has one."""
    display = scene.choice.display
    for view in list(scene.config.getViews(display))[:MOST_OTHERS]:
        if view != scene.choice.view or scene.expects_light:
            yield from _through(scene, ViewChoice(display, view), {"display": display, "view": view})


@operation("display-other", "view", "It was written for the display {display}, with the view {view}.")
def display_other(scene: Scene) -> Iterator[Way]:
    for display in list(scene.config.getDisplays())[:MOST_OTHERS]:
        if display == scene.choice.display:
            continue
        views = list(scene.config.getViews(display))
        same = [view for view in views if view == scene.choice.view] or views[:1]
        for view in same if not scene.expects_light else views[:4]:
            yield from _through(scene, ViewChoice(display, view), {"display": display, "view": view})


@operation("display-curve", "view", "It was written with a pure power of {power}, not with the curve of sRGB.")
def display_curve(scene: Scene) -> Iterator[Way]:
    """After the displays of the config: where one of these is it, that one is named."""
    space = None if scene.expects_light else space_of_view(scene.config, scene.choice)
    encoding = encoding_of(scene.config, space) if space else None
    if encoding and encoding.curve.kind == "srgb":
        for power in (2.2, 2.4):
            there, back = in_turn(scene.view(), _clipped, decoded, powered(1 / power)), in_turn(powered(power), encoded)
            yield Way(there, {"power": power}, undo=in_turn(back, scene.view_undone()))


@operation("look-missing", "view", "The look {look} is missing.")
def look_missing(scene: Scene) -> Iterator[Way]:
    choice = scene.choice
    if choice.look and not scene.expects_light:
        yield from _through(scene, ViewChoice(choice.display, choice.view), {"look": choice.look})


@operation("look-extra", "view", "The look {look} was applied besides.")
def look_extra(scene: Scene) -> Iterator[Way]:
    yield from _with_looks(scene, when=not scene.choice.look)


@operation("look-other", "view", "It has the look {look} instead.")
def look_other(scene: Scene) -> Iterator[Way]:
    yield from _with_looks(scene, when=bool(scene.choice.look))


def _with_looks(scene: Scene, *, when: bool) -> Iterator[Way]:
    choice = scene.choice
    if when and not scene.expects_light:
        for look in list(scene.config.getLookNames())[:MOST_OTHERS]:
            if look != choice.look:
                yield from _through(scene, ViewChoice(choice.display, choice.view, look), {"look": look})


def _through(scene: Scene, choice: ViewChoice, told: dict[str, str | float]) -> Iterator[Way]:
    try:
        yield Way(scene.view(choice), told, undo=lambda codes: scene.view_undone(choice)(codes))
    except BadInput:
        return
