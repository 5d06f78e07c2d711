"""Stations that cannot take what they are given."""

from collections.abc import Iterator

from saltwort.core.findings.registry import BLOCKER, Problem, Subjects, check
from saltwort.core.handoffs import config_is_too_new


@check("handoff.config-too-new", BLOCKER)
def config_too_new(subjects: Subjects) -> Iterator[Problem]:
    """A station cannot load a config of the project's version."""
    version = f"{subjects.config.getMajorVersion()}.{subjects.config.getMinorVersion()}"
    for station in subjects.stations:
        if config_is_too_new(version, station):
            yield Problem(
                station.name,
                "Config too new for this station",
                f"The config needs OCIO {version}; this station stops at {station.ocio_version} and would refuse it. "
                "Update the station, or start the project from an older built-in config.",
            )
