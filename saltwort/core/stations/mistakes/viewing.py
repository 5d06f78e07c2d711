"""What goes wrong between light and the screen: the file handed on is right."""

from collections.abc import Iterator
from dataclasses import replace

from saltwort.core.engine import ViewChoice
from saltwort.core.explain.operations.channels import ordered
from saltwort.core.explain.operations.exposure import exposed
from saltwort.core.explain.operations.levels import squeezed, stretched
from saltwort.core.explain.operations.power import powered
from saltwort.core.explain.operations.tone_mapping import exponential, reinhard
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.abilities.own_tone_mapping import OWN_TONE_MAPPING
from saltwort.core.stations.mistake import Range, Slip, mistake
from saltwort.core.stations.mistakes.reading import clipped_at_one, encodings_of
from saltwort.core.stations.simulation import Bench, Run, encoded_as_srgb, step_if_possible

MOST_OTHERS = 40
"""Other views, displays and looks that are tried."""
POWERS = (1 / 2.4, 1 / 2.2, 1 / 1.8, 1 / 1.4, 1.2, 1.4, 1.8, 2.2, 2.4)
STOPS = (-4.0, -3.0, -2.0, -1.0, -0.5, 0.5, 1.0, 2.0, 3.0, 4.0)
_SET_VIEW = "Set display {display}, view {view}, for looking only."


def _agreed(bench: Bench) -> dict[str, str | float]:
    return {"display": bench.choice.display, "view": bench.choice.view}


def _has_view(bench: Bench) -> bool:
    return bench.shows and loads_config(bench.station) and bench.fed != "picture"


@mistake(
    "view-missing",
    "show",
    "viewing/view",
    "node",
    "No view",
    "No view was applied: light is shown as if it were a picture.",
    _SET_VIEW,
)
def view_missing(bench: Bench, run: Run) -> Iterator[Slip]:
    if (bench.shows and bench.fed == "light") or _has_view(bench):
        yield Slip(replace(run, show=()), _agreed(bench))


@mistake(
    "curve-alone",
    "show",
    "viewing/view",
    "node",
    "A curve instead of the view",
    "Light is shown in {space}, without the view: highlights are clipped.",
    _SET_VIEW,
)
def curve_alone(bench: Bench, run: Run) -> Iterator[Slip]:
    if not _has_view(bench):
        return
    for name, step in encodings_of(bench):
        yield Slip(replace(run, show=(step,)), {"space": name, **_agreed(bench)})


@mistake(
    "channels",
    "show",
    "viewing/view",
    "node",
    "Channels shown in another order",
    "Red and blue have changed places in what is seen.",
    "Show the channels in the order R, G, B.",
)
def channels(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.shows:
        yield Slip(replace(run, show=(*run.show, ordered((2, 1, 0)))), {"order": "BGR"})


@mistake(
    "view-twice",
    "show",
    "viewing/view",
    "node",
    "The view twice",
    "The view was applied twice{how}.",
    "Apply the view in one place: turn it off where {other}.",
    finding="handoff.viewed-twice",
)
def view_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    if not bench.shows:
        return
    view = bench.view()
    once: tuple[Step, ...] = () if bench.fed == "picture" else run.show
    yield Slip(
        replace(run, show=(*once, clipped_at_one, view)),
        {"how": ", with numbers taken for light between", "other": "the picture already has it"},
    )
    if bench.texture_space:
        decode = bench.between(bench.texture_space, bench.working_space)
        yield Slip(
            replace(run, show=(*once, clipped_at_one, decode, view)),
            {"how": ": a finished picture was decoded and viewed again", "other": "the picture already has it"},
        )


@mistake(
    "view-other",
    "show",
    "viewing/view",
    "node",
    "Another view",
    "It shows the view {shown} instead of {view}.",
    _SET_VIEW,
)
def view_other(bench: Bench, run: Run) -> Iterator[Slip]:
    if not _has_view(bench):
        return
    if bench.encoded_only is not None:
        told = {"shown": "without tone mapping, only encoded", **_agreed(bench)}
        yield Slip(replace(run, show=(bench.encoded_only,)), told)
    for view in list(bench.config.getViews(bench.choice.display))[:MOST_OTHERS]:
        if view != bench.choice.view and (step := _through(bench, bench.choice.display, view)):
            yield Slip(replace(run, show=(step,)), {"shown": view, **_agreed(bench)})


@mistake(
    "display-other",
    "show",
    "viewing/display",
    "node",
    "Another display",
    "It shows for the display {shown} instead of {display}.",
    _SET_VIEW,
)
def display_other(bench: Bench, run: Run) -> Iterator[Slip]:
    if not _has_view(bench):
        return
    for display in list(bench.config.getDisplays())[:MOST_OTHERS]:
        views = list(bench.config.getViews(display))
        if display == bench.choice.display or not views:
            continue
        view = bench.choice.view if bench.choice.view in views else views[0]
        if step := _through(bench, display, view):
            yield Slip(replace(run, show=(step,)), {"shown": f"{display}, view {view}", **_agreed(bench)})


@mistake(
    "look-other",
    "show",
    "viewing/look",
    "node",
    "Another look",
    "It shows {shown} instead of {look}.",
    "Set {look}.",
)
def look_other(bench: Bench, run: Run) -> Iterator[Slip]:
    if not _has_view(bench):
        return
    agreed = bench.choice.look or "the look of the view"
    for look in ["", *list(bench.config.getLookNames())[:MOST_OTHERS]]:
        if look != bench.choice.look and (step := _through(bench, bench.choice.display, bench.choice.view, look)):
            shown = f"the look {look}" if look else "the view without that look"
            yield Slip(replace(run, show=(step,)), {"shown": shown, "look": agreed})


@mistake(
    "tone-mapped",
    "show",
    "viewing/own-tone-mapping",
    "project",
    "Its own tone mapping besides the view",
    "Light was compressed by tone mapping of its own ({curve}) before the view.",
    "Turn the application’s own tone mapping, filmic curve and highlight compression off.",
    finding="handoff.own-tone-mapping",
)
def tone_mapped(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.fed == "picture" or not bench.shows:
        return
    if bench.station.able(OWN_TONE_MAPPING) or loads_config(bench.station):
        for curve, compressed in _COMPRESSIONS.items():
            yield Slip(replace(run, show=(compressed, *run.show)), {"curve": curve})


@mistake(
    "power",
    "show",
    "viewing/own-gamma",
    "preference",
    "A gamma besides the view",
    "A gamma of {exponent} was applied after the view.",
    "Set the application’s own gamma for the screen to 1, or off.",
)
def power(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.shows:

        def at(exponent: float) -> Run:
            return replace(run, show=(*run.show, clipped_at_one, powered(exponent)))

        for exponent in POWERS:
            yield Slip(at(exponent), {"exponent": exponent}, Range("exponent", 0.3, 3.3, at))


@mistake(
    "curve-twice",
    "show",
    "viewing/own-gamma",
    "preference",
    "The display’s curve twice",
    "The picture was encoded as sRGB once more, after the view.",
    "Turn off what encodes after the view: a gamma node, an sRGB switch, or the option “view as sRGB”.",
)
def encoded_twice(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.shows:
        yield Slip(replace(run, show=(*run.show, on_colour(encoded_as_srgb))))


@mistake(
    "exposure",
    "show",
    "viewing/exposure",
    "node",
    "Exposure not at 0",
    "The viewer’s exposure stands at {stops} stops.",
    "Set the exposure of the viewer to 0.",
)
def exposure(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.shows and bench.fed != "picture":

        def at(stops: float) -> Run:
            return replace(run, show=(exposed(stops), *run.show))

        for stops in STOPS:
            yield Slip(at(stops), {"stops": stops}, Range("stops", -8.0, 8.0, at))


@mistake(
    "levels",
    "show",
    "viewing/levels",
    "output",
    "Legal and full range mixed up",
    "Levels are {range}: black and white of a full-range picture lie elsewhere.",
    "Write and read full range (0–255).",
)
def levels(bench: Bench, run: Run) -> Iterator[Slip]:
    if bench.shows:
        yield Slip(replace(run, show=(*run.show, clipped_at_one, squeezed)), {"range": "squeezed to legal range"})
        yield Slip(replace(run, show=(*run.show, stretched)), {"range": "stretched as if they were legal range"})


def _through(bench: Bench, display: str, view: str, look: str = "") -> Step | None:
    return step_if_possible(lambda: bench.view(ViewChoice(display, view, look)))


_COMPRESSIONS = {"light / (1 + light)": reinhard, "1 − exp(−light)": exponential}
"""What applications do that compress highlights, in two common forms."""
