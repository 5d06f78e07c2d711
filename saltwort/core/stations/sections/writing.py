"""What the station writes for the next: the same file that Outputs makes."""

from collections.abc import Iterator

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.deliverables.kinds.light import header_of
from saltwort.core.stations.sheet import Chain, Setting, section


@section(50, "writing", "Writing")
def writing(chain: Chain) -> Iterator[Setting]:
    space = chain.working_space
    header = header_of(chain.config, space)
    yield Setting("format", "File", header.file, "file format", "holds light above 1 without clipping")
    yield Setting("space", "Colour space of the file", space, "space", "no view and no look in it")
    if header.interop_id:
        why = "tells the next reader the space by itself"
        yield Setting("interop-id", "Header colorInteropID", header.interop_id, "name", why)
    if header.chromaticities:
        gamut = gamut_of(chain.config, space)
        numbers = "  ".join(f"{number:g}" for number in header.chromaticities)
        why = f"{gamut.name} primaries and white" if gamut else "primaries and white"
        yield Setting("chromaticities", "Header chromaticities", numbers, "numbers", why)
