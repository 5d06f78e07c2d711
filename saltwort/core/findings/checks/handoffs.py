"""Stations that cannot take what they are given."""

from collections.abc import Iterator

from saltwort.core.changes import Change
from saltwort.core.configs.target import VERSIONS
from saltwort.core.findings.registry import BLOCKER, Fix, Problem, Subjects, check
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
                "Update the station, or have the config written for its version.",
                _write_for(station.ocio_version, version),
            )


def _write_for(target: str, now: str) -> Fix | None:
    if target not in VERSIONS:
        return None
    change = Change("target OCIO version", now, target)
    return Fix("set-target-version", f"Write the config for OCIO {target}", {"version": target}, (change,))
