"""The space in which the station renders or composites."""

from collections.abc import Iterator

from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.abilities.grading_space import GRADING_SPACE, NONE
from saltwort.core.stations.abilities.project_depth import PROJECT_DEPTH
from saltwort.core.stations.abilities.working_space import REC709, WORKING_SPACE
from saltwort.core.stations.sheet import Chain, Setting, section


def _fixed(chain: Chain) -> Iterator[Setting]:
    value = f"from {chain.working_space} on reading"
    why = "its files stay in linear Rec.709, and say so; colours to type are given in it"
    if not loads_config(chain.station):
        value = f"give it files in {chain.own_space}"
        why = "it converts nothing itself: convert renders and textures first; colours to type are given in it"
    yield Setting(
        "fixed",
        "Works in linear Rec.709, always",
        value,
        "choice",
        why,
        "node" if loads_config(chain.station) else "file",
        (),
        "Other primaries are read as those of Rec.709.",
        "Colours pale, saturated lamps dull.",
    )


@section(20, "working-space", "Working space")
def working_space(chain: Chain) -> Iterator[Setting]:
    station = chain.station
    if chain.own_space != chain.working_space or station.able(WORKING_SPACE) == REC709:
        yield from _fixed(chain)
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
