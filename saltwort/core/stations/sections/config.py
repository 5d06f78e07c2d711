"""Which config the station loads."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.config_form import CONFIG_FORM
from saltwort.core.stations.abilities.ocio_version import OCIO_VERSION, config_is_too_new, own_version
from saltwort.core.stations.sheet import Chain, Setting, section


@section(10, "config", "Config")
def config(chain: Chain) -> Iterator[Setting]:
    station, version = chain.station, chain.config_version
    own = own_version(version, station)
    how = "set it in the preferences or the OCIO variable"
    if chain.config_file.endswith(".zip") or station.able(CONFIG_FORM) == "folder":
        how = "unpack it, and set config.ocio in the preferences or the OCIO variable"
    yield Setting("file", "OCIO config", chain.config_file, "file", how)
    shown = "what the application shows once the config is in use"
    yield Setting("name", "Config name", chain.config.getName(), "name", shown)
    limit = f"this application loads up to {station.able(OCIO_VERSION)}"
    yield Setting("version", "Config version", f"OCIO {own or version}", "version", limit)
    if own:
        others = f"other applications keep the project's, OCIO {version}"
        yield Setting("own-version", "Written for it alone", f"OCIO {own}", "version", others)
    elif config_is_too_new(version, station):
        limit = f"it stops at OCIO {station.able(OCIO_VERSION)}"
        yield Setting("too-new", "Attention", "this application cannot load the config", "choice", limit)
