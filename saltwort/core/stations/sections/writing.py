"""What the station writes for the next: the same file that Outputs makes."""

from collections.abc import Iterator

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.deliverables.kinds.light import header_of
from saltwort.core.stations.abilities.bakes_view import BAKES_VIEW, NEVER
from saltwort.core.stations.abilities.writes import INTEGERS, WRITES
from saltwort.core.stations.sheet import Chain, Setting, section


@section(50, "writing", "Writing")
def writing(chain: Chain) -> Iterator[Setting]:
    space = chain.working_space
    if chain.station.able(WRITES) == INTEGERS:
        why = "it writes no floats: what it hands on is a picture and no light"
        yield Setting("format", "File", "PNG or TIFF, 16 bits, with the view", "file format", why, "output")
        return
    header = header_of(chain.config, space)
    clips = ("Light above 1 is cut off.", "Lamps turn flat and grey once they are darkened.")
    holds = "holds light above 1 without clipping"
    yield Setting("format", "File", header.file, "file format", holds, "output", (), *clips)
    yield Setting("space", "Colour space of the file", space, "space", "no view and no look in it", "output")
    if chain.station.able(BAKES_VIEW) != NEVER:
        yield Setting(
            "bake",
            "View written into the file",
            "off",
            "choice",
            "the view is for looking",
            "output",
            (),
            "Compositing gets a picture for a screen, and the view is applied a second time.",
            "Flat, whites turn grey, nothing is left above 1.",
        )
    if header.interop_id:
        why = "tells the next reader the space by itself"
        yield Setting("interop-id", "Header colorInteropID", header.interop_id, "name", why, "output")
    if header.chromaticities:
        gamut = gamut_of(chain.config, space)
        numbers = "  ".join(f"{number:g}" for number in header.chromaticities)
        why = f"{gamut.name} primaries and white" if gamut else "primaries and white"
        yield Setting("chromaticities", "Header chromaticities", numbers, "numbers", why, "output")
