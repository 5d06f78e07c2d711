"""Which applications of a chain may have done what was found of a picture, and the setting of each that does it."""

from collections.abc import Iterator, Sequence

from saltwort.core.explain.besides import Told
from saltwort.core.stations.mistake import Mistake, possible
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.proving import bench_of

ON_LIGHT, ON_CODES = ("read", "show", "write"), ("show", "write", "read")
"""Where something is likely to be set wrong, by what it acted on."""


def repairs(stations: Sequence[Station], deviations: Sequence[Told]) -> list[dict[str, str]]:
    """The settings of stations' sheets that make such deviations, the one that is most likely of each station."""
    codes = {each.code for each in deviations}
    if not codes:
        return []
    may_happen = {
        station: {made.mistake for made in possible(bench_of(station)) if made.mistake.code in codes}
        for station in stations
    }
    return [
        _told(station, mistake)
        for deviation in deviations
        for station, known in may_happen.items()
        for mistake in _likeliest(deviation, known)
    ]


def _likeliest(deviation: Told, known: set[Mistake]) -> Iterator[Mistake]:
    stages = ON_LIGHT if deviation.stage == "light" else ON_CODES
    same = (mistake for mistake in known if mistake.code == deviation.code)
    yield from sorted(same, key=lambda mistake: stages.index(mistake.stage))[:1]


def _told(station: Station, mistake: Mistake) -> dict[str, str]:
    return {
        "station": station.name,
        "code": mistake.code,
        "setting": f"{mistake.section}/{mistake.setting}",
        "level": mistake.level,
        "label": mistake.label,
    }
