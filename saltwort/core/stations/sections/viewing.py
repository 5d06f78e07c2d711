"""What the station shows light with."""

from collections.abc import Iterator

from saltwort.core.stations.sheet import Chain, Setting, section


@section(40, "viewing", "Viewing")
def viewing(chain: Chain) -> Iterator[Setting]:
    choice = chain.choice
    yield Setting("display", "Display", choice.display, "display")
    why = "for looking only: not written into scene-linear files"
    yield Setting("view", "View", choice.view, "view", why)
    yield Setting("look", "Look", choice.look or "look of the view", "look")
