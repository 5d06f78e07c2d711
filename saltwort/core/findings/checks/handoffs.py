"""Stations that cannot take what they are given."""

from collections.abc import Iterator

from saltwort.core.findings.registry import BLOCKER, NOTE, Problem, Subjects, check
from saltwort.core.stations.abilities.ocio_version import OCIO_VERSION, config_is_too_new, own_version


@check("handoff.config-too-new", BLOCKER)
def config_too_new(subjects: Subjects) -> Iterator[Problem]:
    """An application loads no config of any version that can be written."""
    version = _version(subjects)
    for station in subjects.stations:
        if config_is_too_new(version, station) and not own_version(version, station):
            yield Problem(
                station.name,
                "Config too new for this application",
                f"The config needs OCIO {version}, and this application stops at {station.able(OCIO_VERSION)}, for "
                "which none can be written. Update the application.",
            )


@check("handoff.config-of-its-own", NOTE)
def config_of_its_own(subjects: Subjects) -> Iterator[Problem]:
    """An application loads older configs only, and gets one written for its version; others keep theirs."""
    version = _version(subjects)
    for station in subjects.stations:
        if own := own_version(version, station):
            yield Problem(
                station.name,
                f"Gets a config for OCIO {own}",
                f"The project's config needs OCIO {version}. What version {own} cannot hold is baked or left out for "
                "this application alone; Hand-offs lists it before the file is saved.",
            )


def _version(subjects: Subjects) -> str:
    return f"{subjects.config.getMajorVersion()}.{subjects.config.getMinorVersion()}"
