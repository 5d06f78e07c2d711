"""What the station writes for those that it hands on to: the same files that Outputs makes."""

from collections.abc import Iterator

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.deliverables.kinds.light import header_of
from saltwort.core.stations.abilities.bakes_view import BAKES_VIEW, NEVER
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, SRGB, loads_config
from saltwort.core.stations.abilities.compression import COMPRESSION, DWA
from saltwort.core.stations.abilities.compression import NONE as UNCOMPRESSED
from saltwort.core.stations.abilities.hands_on import HANDS_ON, NOTHING, PICTURES, TEXTURES
from saltwort.core.stations.abilities.writes import INTEGERS, WRITES
from saltwort.core.stations.sheet import Chain, Setting, alpha_setting, section

_CLIPS = ("Light above 1 is cut off.", "Lamps turn flat and grey once they are darkened.")


@section(50, "writing", "Writing")
def writing(chain: Chain) -> Iterator[Setting]:
    handed = chain.station.able(HANDS_ON)
    if handed == NOTHING:
        return
    if handed == TEXTURES:
        yield from _textures(chain)
    elif handed == PICTURES:
        yield from _pictures(chain)
    elif chain.station.able(WRITES) == INTEGERS:
        why = "it writes no floats: what it hands on is a picture and no light"
        yield Setting("format", "File", "PNG or TIFF, 16 bits, with the view", "file format", why, "output")
    else:
        yield from _light(chain)


def _textures(chain: Chain) -> Iterator[Setting]:
    floats = chain.station.able(WRITES) != INTEGERS
    value = "PNG or TIFF, 16 bits" + ("; float EXR for displacement and light" if floats else "")
    why = "data needs its steps; colour may have 8 bits"
    yield Setting("format", "File", value, "file format", why, "output")
    yield Setting(
        "space",
        "Colour space of a file",
        "the one in which the chain reads it",
        "choice",
        "names and spaces are those of the project’s file rules",
        "file",
        (),
        "The renderer decodes another curve than was written.",
        "Colours too dark or pale.",
    )
    yield _no_view(chain, "A texture with the view in it is no surface.")


def _pictures(chain: Chain) -> Iterator[Setting]:
    choice, managed = chain.choice, chain.station.able(COLOUR_BY)
    if managed in (ICC, SRGB):
        why = "it has no such view: what it would save is another picture"
        yield Setting("format", "File", "none here: make it in Outputs", "choice", why, "output")
        return
    yield Setting(
        "format",
        "File",
        "PNG or TIFF, 16 bits, full range, tagged",
        "file format",
        "the deliverable of Outputs with this view",
        "output",
    )
    yield Setting(
        "bake",
        "View written into the file",
        "the LUT of its package" if managed == LUT else f"{choice.view} on {choice.display}",
        "choice" if managed == LUT else "view",
        "on saving, and in no node before it: where both would act, the node is off",
        "output",
        (),
        "Without it the file holds light; with a view in a node as well it is applied twice.",
        "Dark and harsh; or flat, with grey whites.",
    )


def _light(chain: Chain) -> Iterator[Setting]:
    space, names_spaces = chain.own_space, loads_config(chain.station)
    header = header_of(chain.config, space)
    holds = "holds light above 1 without clipping"
    yield Setting("format", "File", _format(chain, header.file), "file format", holds, "output", (), *_CLIPS)
    if names_spaces:
        why = "no view and no look in it"
        yield Setting("space", "Colour space of the file", chain.called(space), "space", why, "output")
    else:
        value = "linear, or as it is: nothing converted"
        yield Setting("space", "Colour space of the file", value, "choice", f"it is light in {space}", "output")
    if chain.station.able(BAKES_VIEW) != NEVER:
        yield _no_view(chain, "Compositing gets a picture for a screen, and the view is applied a second time.")
    if chain.station.able(COMPRESSION) == DWA:
        yield Setting(
            "compression",
            "Compression",
            "zip",
            "choice",
            "it writes DWA unless told not to, which loses some of each highlight and of data layers",
            "output",
            (),
            "Fine noise and id mattes are changed.",
            "Edges of mattes crumble.",
        )
    yield alpha_setting("output")
    if not names_spaces:
        return
    if header.interop_id:
        why = "tells the next reader the space by itself"
        yield Setting("interop-id", "Header colorInteropID", header.interop_id, "name", why, "output")
    if header.chromaticities:
        gamut = gamut_of(chain.config, space)
        numbers = "  ".join(f"{number:g}" for number in header.chromaticities)
        why = f"{gamut.name} primaries and white" if gamut else "primaries and white"
        yield Setting("chromaticities", "Header chromaticities", numbers, "numbers", why, "output")


def _format(chain: Chain, usual: str) -> str:
    if chain.station.able(COMPRESSION) == UNCOMPRESSED:
        return usual.replace("zip", "uncompressed")
    return usual


def _no_view(chain: Chain, otherwise: str) -> Setting:
    return Setting(
        "bake",
        "View written into the file",
        "off",
        "choice",
        "the view is for looking",
        "output",
        (),
        otherwise,
        "Flat, whites turn grey, nothing is left above 1.",
    )
