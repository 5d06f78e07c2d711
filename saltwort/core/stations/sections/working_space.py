"""The space in which the station renders or composites."""

from collections.abc import Iterator

from saltwort.core.stations.sheet import Chain, Setting, section


@section(20, "working-space", "Working space")
def working_space(chain: Chain) -> Iterator[Setting]:
    why = "role scene_linear of the config"
    yield Setting("space", "Working or rendering space", chain.working_space, "space", why)
