"""What the station shows light with, and what it must not do besides."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.abilities.own_gamma import OWN_GAMMA
from saltwort.core.stations.abilities.own_tone_mapping import OWN_TONE_MAPPING
from saltwort.core.stations.abilities.viewers import EACH, NONE, VIEWERS
from saltwort.core.stations.sheet import Chain, Level, Setting, section

_RAW = ("Light is shown as if it were a picture.", "Dark and harsh, lamps burnt out.")


@section(40, "viewing", "Viewing")
def viewing(chain: Chain) -> Iterator[Setting]:
    station, choice = chain.station, chain.choice
    viewers = station.able(VIEWERS)
    if viewers == NONE:
        why = "it shows no view: look at a still from Outputs, or in another application"
        yield Setting("view", "View", "none here", "choice", why)
    elif loads_config(station):
        level: Level = "node" if viewers == EACH else "preference"
        where = "in every viewer" if viewers == EACH else "once, for all"
        overriding: tuple[Level, ...] = ("output",) if viewers == EACH else ("project", "output")
        yield Setting("display", "Display", choice.display, "display", where, level, overriding, *_RAW)
        why = "for looking only: not written into scene-linear files"
        yield Setting("view", "View", choice.view, "view", why, level, overriding, *_RAW)
        yield Setting("look", "Look", choice.look or "look of the view", "look", "", level, overriding)
    if station.able(OWN_TONE_MAPPING):
        yield Setting(
            "own-tone-mapping",
            "Its own tone mapping, filmic curve or highlight compression",
            "off",
            "choice",
            "the view does it",
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
