"""The space in which the station renders or composites."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.abilities.grading_space import GRADING_SPACE, NONE
from saltwort.core.stations.abilities.project_depth import PROJECT_DEPTH
from saltwort.core.stations.abilities.working_space import REC709, WORKING_SPACE
from saltwort.core.stations.sheet import Chain, Setting, section


@section(20, "working-space", "Working space")
def working_space(chain: Chain) -> Iterator[Setting]:
    station = chain.station
    if station.able(WORKING_SPACE) == REC709:
        yield Setting(
            "fixed",
            "Works in linear Rec.709, always",
            f"from {chain.working_space} on reading, and back on writing",
            "choice",
            "convert what is read and what is written; typed colours are linear Rec.709 here",
            "node",
            (),
            "Its primaries are taken for those of Rec.709.",
            "Colours pale, saturated lamps dull.",
        )
    elif loads_config(station):
        yield Setting(
            "space",
            "Working or rendering space",
            chain.called(chain.working_space),
            "space",
            "role scene_linear of the config",
            "project",
            (),
            "Light is mixed in other primaries.",
            "Saturated lights look different from the look-dev.",
        )
    if station.has(PROJECT_DEPTH) and station.able(PROJECT_DEPTH):
        yield Setting(
            "depth",
            "Bit depth of the project",
            "32 bits, float",
            "choice",
            "light goes far above 1",
            "project",
            ("file", "output"),
            "8 and 16 bits cut light off at 1.",
            "Lamps turn flat and grey once they are darkened.",
        )
    if station.has(GRADING_SPACE) and (space := station.able(GRADING_SPACE)) != NONE:
        yield Setting(
            "grading",
            "Convert to before the grade",
            {"acescct": "ACEScct", "acescc": "ACEScc"}[space],
            "choice",
            f"from {chain.working_space}, and back after it",
            "node",
            ("project",),
            "A logarithmic tool on light moves highlights alone.",
            "Contrast reacts only in the brightest parts.",
        )
