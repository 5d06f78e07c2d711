"""What the station shows light with, and what it must not do besides."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.abilities.inverts_view import INVERTS_VIEW
from saltwort.core.stations.abilities.own_clamp import OWN_CLAMP
from saltwort.core.stations.abilities.own_exposure import OWN_EXPOSURE
from saltwort.core.stations.abilities.own_gamma import OWN_GAMMA
from saltwort.core.stations.abilities.own_tone_mapping import OWN_TONE_MAPPING
from saltwort.core.stations.abilities.takes import PICTURES, TAKES
from saltwort.core.stations.abilities.viewers import EACH, NONE, VIEWERS
from saltwort.core.stations.sheet import Chain, Level, Setting, section

_RAW = ("Light is shown as if it were a picture.", "Dark and harsh, lamps burnt out.")
_TWICE = ("The view is applied a second time.", "Flat, whites turn grey, blacks are lifted.")


@section(40, "viewing", "Viewing")
def viewing(chain: Chain) -> Iterator[Setting]:
    station = chain.station
    if station.has(TAKES) and station.able(TAKES) == PICTURES:
        why = "the pictures have it already"
        yield Setting("view", "View", "none: show them as they are", "choice", why, "project", ("node",), *_TWICE)
    elif station.able(VIEWERS) == NONE:
        why = "it shows no view: look at a still from Outputs, or in another application"
        yield Setting("view", "View", "none here", "choice", why)
    elif loads_config(station):
        yield from _view(chain)
    if station.able(INVERTS_VIEW) and loads_config(station):
        yield Setting(
            "inverse",
            "To make a finished picture light again",
            f"inverse of {chain.choice.view} on {chain.choice.display}",
            "view",
            "for plates and references with the view in them only",
            "node",
            (),
            "A picture that is decoded by its curve alone is no light that this view was made for.",
            "The view compresses it a second time.",
        )
    yield from _besides(chain)


def _view(chain: Chain) -> Iterator[Setting]:
    station, choice = chain.station, chain.choice
    each = station.able(VIEWERS) == EACH
    level: Level = "node" if each else "preference"
    where = "in every viewer" if each else "once, for all"
    overriding: tuple[Level, ...] = ("output",) if each else ("project", "output")
    yield Setting("display", "Display", choice.display, "display", where, level, overriding, *_RAW)
    why = "for looking only: not written into scene-linear files"
    yield Setting("view", "View", choice.view, "view", why, level, overriding, *_RAW)
    yield Setting("look", "Look", choice.look or "look of the view", "look", "", level, overriding)


def _besides(chain: Chain) -> Iterator[Setting]:
    """What acts besides the view, and is to be off."""
    station = chain.station
    if station.able(OWN_TONE_MAPPING):
        yield Setting(
            "own-tone-mapping",
            "Its own tone mapping, filmic curve or highlight compression",
            "off",
            "choice",
            "the view does it; of the two, this one is off",
            "project",
            ("node", "output"),
            "Light is compressed twice, and files hold a picture and no light.",
            "Flat, whites turn grey.",
        )
    if station.able(OWN_GAMMA):
        yield Setting(
            "own-gamma",
            "Its own gamma, for textures and screen",
            "1.0, or off",
            "choice",
            "the spaces decode, the view encodes",
            "preference",
            ("project", "file"),
            "Colours are decoded or encoded twice.",
            "Washed out on the screen, or textures too dark and strong.",
        )
    if station.able(OWN_EXPOSURE):
        yield Setting(
            "exposure",
            "Its own exposure, of camera or picture",
            "0 stops",
            "choice",
            "use the viewer’s exposure, which is written nowhere",
            "project",
            ("node", "output"),
            "It is written into files, and nobody after it knows.",
            "Brighter or darker here than in the next application.",
        )
    if station.able(OWN_CLAMP):
        yield Setting(
            "clamp",
            "Clamp of light or pixels",
            "off",
            "choice",
            "light goes far above 1",
            "project",
            ("output",),
            "Light above 1 is cut off before it is seen or written.",
            "Lamps turn flat and grey once they are darkened; glows are weak.",
        )
