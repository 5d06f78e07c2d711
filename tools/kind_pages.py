"""Write a page of the guide for each kind of application, from what core would tell of it.

.venv/bin/python -m tools.kind_pages
"""

from collections.abc import Iterator
from pathlib import Path

from saltwort.core.stations import Chain, Section, TextureLine, settings_sheet
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, loads_config
from saltwort.core.stations.kinds import KINDS, StationKind
from saltwort.core.stations.mistake import Made, usual
from saltwort.core.stations.sheet_files import where_told
from saltwort.core.stations.simulation import Bench, form_fed
from tests.samples import ACES_SDR, SRGB, project_config

FOLDER = Path(__file__).parents[1] / "docs" / "guide" / "handoffs"
MOST_MISTAKES = 3
"""Of each stage."""
TEXTURES = (
    TextureLine("quay_wall/quay_wall_basecolor.png", SRGB, True, "base colour", "quay_wall"),
    TextureLine("quay_wall/quay_wall_roughness.png", "Raw", True, "roughness", "quay_wall"),
    TextureLine("mooring_rope/mooring_rope_diff.tif", SRGB, False, "base colour", "mooring_rope"),
)
CARDS = {
    "light": "`test_card_light.exr`, scene-linear",
    "texture": "`test_card_texture.png` or `.tif`, read as a colour texture",
    "picture": "`test_card_picture.png` or `.tif`, a finished picture",
}


def pages() -> dict[str, str]:
    """The text of each page, in Markdown, by its file name."""
    return {f"{kind.key}.md": "\n".join(_page(kind)) + "\n" for kind in KINDS}


def _page(kind: StationKind) -> Iterator[str]:
    station = kind.station(kind.label)
    bench = Bench(station, project_config(), ACES_SDR, form_fed(station, project_config()))
    chain = Chain(station, (), project_config(), ACES_SDR, TEXTURES, "quay-r3.ocioz")
    yield f"# {kind.label}"
    yield ""
    added = "Add it on [Hand-offs](../handoffs.md) under *Add an application*; change there what yours does otherwise."
    yield f"{kind.does} {added}"
    yield ""
    yield "## 1. Save its package"
    yield ""
    yield _package(bench)
    yield ""
    yield "## 2. Set it up, in this order"
    yield ""
    yield "Values are those of a project with ACEScg as its working space; the sheet has yours."
    yield ""
    yield "![Settings on Hand-offs](../../screenshots/handoffs.png)"
    yield ""
    for section in settings_sheet(chain):
        yield from _settings(section)
    yield "## 3. Try it"
    yield ""
    yield _try(bench)
    yield ""
    yield "![A test card that came back](../../screenshots/test-card.png)"
    yield ""
    yield "## What goes wrong most"
    yield ""
    yield "*Simulation* on Hand-offs shows each of these on your own render, here and in every later application."
    yield ""
    yield "![The simulation](../../screenshots/simulation.png)"
    yield ""
    for made in _mistakes(bench):
        yield f"- **{made.mistake.label}.** {made.told(made.mistake.happened)} {made.told(made.mistake.repair)}"


def _package(bench: Bench) -> str:
    station = bench.station
    if loads_config(station):
        given = "the config in the form and version that it loads, with scripts that start it with this config"
    elif station.able(COLOUR_BY) == LUT:
        given = "the view as a LUT, with its error measured over 100,000 colours"
    elif station.able(COLOUR_BY) == ICC:
        given = "ICC profiles of the working space and of the view, with their error measured"
    else:
        given = "its settings: it takes no config"
    besides = "the settings to print, and a test card. `README.txt` in it says in which order"
    return f"*Save package* gives a zip with {given}; besides, {besides}."


def _settings(section: Section) -> Iterator[str]:
    lines = [line for line in section.settings if line.value]
    if not lines:
        return
    yield f"**{section.title}**"
    yield ""
    for line in lines:
        told = f": {line.why}" if line.why else ""
        yield f"- {line.label}: `{line.value}`{told} ({where_told(line)})"
    yield ""


def _try(bench: Bench) -> str:
    back = []
    if bench.shows:
        back.append("what it shows, or a picture of the screen")
    if bench.hands_on is not None:
        back.append("the file that it hands on")
    return (
        f"Open {CARDS[bench.fed]}, from the package as step 2 says. Save {', or '.join(back)}, and drop that file "
        "under *Test card*. It answers *as agreed*, or which setting is wrong and what to set."
    )


def _mistakes(bench: Bench) -> list[Made]:
    """The first usual mistakes of each stage, one of each sort."""
    found: dict[str, dict[str, Made]] = {"show": {}, "read": {}, "write": {}}
    for made in usual(bench):
        found[made.mistake.stage].setdefault(made.mistake.code, made)
    return [made for stage in found.values() for made in list(stage.values())[:MOST_MISTAKES]]


if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    for name, text in pages().items():
        (FOLDER / name).write_text(text)
