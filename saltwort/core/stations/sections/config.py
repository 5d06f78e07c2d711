"""Which config the station loads, or what it gets in its place."""

from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.deliverables.kinds.lut import FORMATS, WITH_SHAPER
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, SRGB, TRANSFORM
from saltwort.core.stations.abilities.config_form import CONFIG_FORM
from saltwort.core.stations.abilities.config_set_at import CONFIG_SET_AT, ENVIRONMENT, PREFERENCE, PROJECT
from saltwort.core.stations.abilities.lut_format import LUT_FORMAT
from saltwort.core.stations.abilities.lut_shaper import LUT_SHAPER
from saltwort.core.stations.abilities.lut_size import LUT_SIZE
from saltwort.core.stations.abilities.ocio_version import OCIO_VERSION, config_is_too_new, own_version
from saltwort.core.stations.sheet import Chain, Level, Setting, section, space_of
from saltwort.core.stations.station import Station

_PLACES: dict[str, tuple[str, Level, tuple[Level, ...]]] = {
    ENVIRONMENT: ("set the OCIO variable to {file}", "environment", ("preference", "project")),
    PREFERENCE: ("set {file} in the preferences", "preference", ("environment", "project")),
    PROJECT: ("set {file} in the project", "project", ("environment",)),
}
_OTHER_CONFIG = "Spaces and views of another config have the same names and other colours."
_LOOKS_OFF = "Names of spaces are missing, or every picture looks slightly wrong."


@section(10, "config", "Config")
def config(chain: Chain) -> Iterator[Setting]:
    managed = chain.station.able(COLOUR_BY)
    if managed == LUT:
        yield from _lut(chain)
    elif managed == ICC:
        yield from _profile(chain)
    elif managed == SRGB:
        why = "it knows no config: colour is read as sRGB, data as linear or raw"
        yield Setting("management", "Colour management", "sRGB", "choice", why)
    else:
        yield from _config(chain)


def _config(chain: Chain) -> Iterator[Setting]:
    station, version = chain.station, chain.config_version
    own = own_version(version, station)
    place, level, overriding = _PLACES[station.able(CONFIG_SET_AT)]
    if station.able(COLOUR_BY) == TRANSFORM:
        place, level, overriding = "choose {file} in every transform node", "node", ()
    if chain.config_file.endswith(".zip") or station.able(CONFIG_FORM) == "folder":
        place = f"unpack it, and {place.format(file='its config.ocio')}"
    yield Setting(
        "file",
        "OCIO config",
        chain.config_file,
        "file",
        place.format(file="it"),
        level,
        overriding,
        _OTHER_CONFIG,
        _LOOKS_OFF,
    )
    shown = "what the application shows once the config is in use"
    yield Setting("name", "Config name", chain.config_name, "name", shown, level)
    limit = f"this application loads up to {station.able(OCIO_VERSION)}"
    yield Setting("version", "Config version", f"OCIO {own or version}", "version", limit, level)
    if own:
        others = f"other applications keep the project's, OCIO {version}"
        yield Setting("own-version", "Written for it alone", f"OCIO {own}", "version", others, level)
    elif config_is_too_new(version, station):
        limit = f"it stops at OCIO {station.able(OCIO_VERSION)}"
        yield Setting("too-new", "Attention", "this application cannot load the config", "choice", limit, level)


def _lut(chain: Chain) -> Iterator[Setting]:
    station = chain.station
    form, size = FORMATS[station.able(LUT_FORMAT)], station.able(LUT_SIZE)
    yield Setting(
        "lut",
        "LUT for looking",
        f"{chain.choice.view} on {chain.choice.display}",
        "file",
        f"in its package as {form}, {size} nodes a side; load it in the viewer",
        "project",
        ("node",),
        "Without it light is shown as if it were a picture.",
        "Dark and harsh, lamps burnt out.",
    )
    fed = lut_input(station, chain.config)
    why = "its shaper takes light; anything else must be converted to that first"
    if fed != chain.own_space:
        why = "it reads no shaper and converts nothing: give it files that were written in this space"
    yield Setting(
        "lut-input",
        "Feed the LUT with",
        fed,
        "space",
        why,
        "node",
        (),
        "A LUT that is fed another space shows other colours throughout.",
        "Washed out, no true black.",
    )


def lut_input(station: Station, config: ocio.Config) -> str:
    """The space in which a station's LUT is fed: that of its own light where it reads a shaper, else the config's
    logarithmic space."""
    own = space_of(station, config)
    if station.able(LUT_SHAPER) and station.able(LUT_FORMAT) in WITH_SHAPER:
        return own
    return log_space(config) or own


def log_space(config: ocio.Config) -> str | None:
    """The logarithmic space of a config, by its role, else by its common name."""
    found = config.getColorSpace(ocio.ROLE_COMPOSITING_LOG) or config.getColorSpace("ACEScct")
    return found.getName() if found else None


def _profile(chain: Chain) -> Iterator[Setting]:
    yield Setting(
        "profile",
        "Profile to assign",
        chain.working_space,
        "file",
        "in its package as an ICC profile of this space; assign it, do not convert",
        "file",
        (),
        "Without it light is taken for sRGB.",
        "Dark and harsh, colours too strong.",
    )
    yield Setting(
        "embedded",
        "Embedded profiles",
        "use them",
        "choice",
        "pictures with the view carry their own",
        "preference",
        ("file",),
        "Pictures of a wide gamut are taken for sRGB.",
        "Pale colours, skin grey.",
    )
