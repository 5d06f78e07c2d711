"""From which side the station looks at a lat-long environment."""

from collections.abc import Iterator

from saltwort.core.stations.lat_long import is_turned, turn_between
from saltwort.core.stations.sheet import Chain, Setting, section
from saltwort.core.stations.station import READS_TEXTURES


@section(37, "environment", "Environment")
def environment(chain: Chain) -> Iterator[Setting]:
    like = chain.lit_like
    if like is None or chain.station.reads != READS_TEXTURES or not is_turned(chain.station, like):
        return
    turn = turn_between(like, chain.station)
    seen = f"so that it lights as in the {like.name.lower()}"
    wrong = ("Lamps and windows reflect from another side.", "Highlights and shadows sit on the wrong side.")
    yield Setting("rotation", "Rotation of the environment", f"{turn.degrees:g}°", "choice", seen, "file", (), *wrong)
    if turn.mirrored:
        why = "flip it left to right, or use the turned copy of its package"
        yield Setting("flip", "Flip of the environment", "left to right", "choice", why, "file", (), *wrong)
