"""Settings sheets as files, with pictures of what goes wrong most."""

import json
from base64 import b64encode

from saltwort.core.errors import BadInput
from saltwort.core.stations.sheet import Section
from saltwort.core.stations.sheet_files import Pictures, SheetOf, as_html, as_json, as_markdown, as_text
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import sheet_of
from saltwort.server.handoffs.simulating import mistakes_of, pair_of, picture_light

ENDINGS = {"txt": "text/plain", "md": "text/markdown", "html": "text/html", "json": "application/json"}
MOST_PICTURES = 4
"""Pairs of pictures on a sheet: more would make two pages of one."""
OFTEN = (
    "view-missing",
    "view-baked",
    "tone-mapped",
    "curve-missing",
    "curve-twice",
    "power",
    "view-twice",
    "primaries",
)
"""Mistakes that people make most, the first first."""


def sheet_as(station: Station, ending: str) -> tuple[str, str]:
    """The settings sheet of a station as a file that ends so, and its content type."""
    sections = sheet_of(station)
    of = SheetOf(station.name, station.project.name, station.project.current.number)
    if ending == "json":
        content = json.dumps(as_json(of, sections), ensure_ascii=False, indent=1) + "\n"
    elif ending == "html":
        content = as_html(of, sections, _pictures(station, sections))
    else:
        content = {"txt": as_text, "md": as_markdown}[ending](of, sections)
    return content, f"{ENDINGS[ending]}; charset=utf-8"


def _pictures(station: Station, sections: list[Section]) -> Pictures:
    """For the settings that go wrong most, what the project's own picture looks like then."""
    lines = {(section.key, setting.key) for section in sections for setting in section.settings}
    found: Pictures = {}
    try:
        light = picture_light(station.project, None)
    except BadInput:  # without a render, in a config that does not tell what its numbers mean
        return found
    for made in sorted(mistakes_of(station), key=lambda made: _rank(made.mistake.code)):
        place = made.mistake.section, made.mistake.setting
        if len(found) < MOST_PICTURES and place in lines and place not in found and made.mistake.code in OFTEN:
            right, wrong = (b64encode(png).decode() for png in pair_of(station, made.key, light))
            found[place] = (right, wrong, made.mistake.label)
    return found


def _rank(code: str) -> int:
    return OFTEN.index(code) if code in OFTEN else len(OFTEN)
