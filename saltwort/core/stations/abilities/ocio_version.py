"""The newest OCIO that a station has."""

from saltwort.core.configs.target import VERSIONS
from saltwort.core.stations.station import Ability, Station, ability

OCIO_VERSION = ability(
    Ability(
        20,
        "ocio_version",
        "Loads OCIO configs up to",
        "An older one gets a config written for its version; what that cannot hold is baked or left out.",
        VERSIONS[-1],
        {version: f"OCIO {version}" for version in ("1.0", *VERSIONS)},
    )
)


def config_is_too_new(config_version: str, station: Station) -> bool:
    """Whether the station cannot load a config of that version. Versions are `major.minor`."""
    return _numbers(config_version) > _numbers(station.able(OCIO_VERSION))


def own_version(config_version: str, station: Station) -> str:
    """The OCIO version that the config is written for, for this station alone; empty where it loads the project's, or
    none that can be written."""
    newest = station.able(OCIO_VERSION)
    return newest if newest in VERSIONS and config_is_too_new(config_version, station) else ""


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(part) for part in version.split("."))
