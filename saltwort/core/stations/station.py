"""Stations: the applications of a chain, described by what they can do."""

from dataclasses import dataclass

from saltwort.core.configs.target import VERSIONS

READS_TEXTURES = "textures"
READS_RENDERS = "renders"


@dataclass(frozen=True)
class Station:
    """One application. `reads` is what it is fed, `textures` or `renders`; `ocio_version` the newest config version
    it loads, as `2.6`; `follows_file_rules` whether it takes texture spaces from the config by itself."""

    name: str
    reads: str
    ocio_version: str
    follows_file_rules: bool


RENDERER = Station("Renderer", READS_TEXTURES, "2.6", follows_file_rules=True)
COMPOSITOR = Station("Compositor", READS_RENDERS, "2.6", follows_file_rules=False)


def config_is_too_new(config_version: str, station: Station) -> bool:
    """Whether the station cannot load a config of that version. Versions are `major.minor`."""
    return _numbers(config_version) > _numbers(station.ocio_version)


def own_version(config_version: str, station: Station) -> str:
    """The OCIO version that the config is written for, for this station alone; empty where it loads the project's, or
    none that can be written."""
    is_written = station.ocio_version in VERSIONS and config_is_too_new(config_version, station)
    return station.ocio_version if is_written else ""


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(part) for part in version.split("."))
