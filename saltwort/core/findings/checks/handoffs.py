"""Stations that cannot take what they are given."""

from collections.abc import Iterator, Sequence

import PyOpenColorIO as ocio

from saltwort.core.engine.typed import typed_in
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, NOTE, Problem, Subjects, check
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import resolved
from saltwort.core.stations.abilities.bakes_view import BAKES_VIEW, BY_DEFAULT
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, LUT, loads_config
from saltwort.core.stations.abilities.file_rules import FOLLOWS_FILE_RULES
from saltwort.core.stations.abilities.hands_on import HANDS_ON, LIGHT, PICTURES
from saltwort.core.stations.abilities.ocio_version import OCIO_VERSION, config_is_too_new, own_version
from saltwort.core.stations.abilities.own_rules import OWN_RULES
from saltwort.core.stations.abilities.own_tone_mapping import OWN_TONE_MAPPING
from saltwort.core.stations.abilities.per_file_override import PER_FILE_OVERRIDE
from saltwort.core.stations.abilities.takes import LIGHT as TAKES_LIGHT
from saltwort.core.stations.abilities.takes import TAKES
from saltwort.core.stations.abilities.typed_colours import DISPLAY, TYPED_COLOURS
from saltwort.core.stations.abilities.viewers import NONE, VIEWERS
from saltwort.core.stations.abilities.writes import FLOATS, INTEGERS, WRITES
from saltwort.core.stations.lat_long import is_turned, turn_between
from saltwort.core.stations.proof import FAILED, NOT_TRIED, OUT_OF_DATE
from saltwort.core.stations.sections.colours import picked_in
from saltwort.core.stations.sections.config import lut_input
from saltwort.core.stations.sheet import space_of, spaces_handed_on
from saltwort.core.stations.station import READS_RENDERS, READS_TEXTURES, Station

MOST_NAMED = 4
"""Colours that a finding names."""


@check("handoff.config-too-new", BLOCKER)
def config_too_new(subjects: Subjects) -> Iterator[Problem]:
    """An application loads no config of any version that can be written."""
    version = _version(subjects)
    for station in subjects.stations:
        if loads_config(station) and config_is_too_new(version, station) and not own_version(version, station):
            yield Problem(
                station.name,
                "Config too new for this application",
                f"The config needs OCIO {version}, and this application stops at {station.able(OCIO_VERSION)}, for "
                "which none can be written. Update the application.",
            )


@check("handoff.config-of-its-own", NOTE)
def config_of_its_own(subjects: Subjects) -> Iterator[Problem]:
    """An application loads older configs only, and gets one written for its version; others keep theirs."""
    version = _version(subjects)
    for station in subjects.stations:
        if loads_config(station) and (own := own_version(version, station)):
            yield Problem(
                station.name,
                f"Gets a config for OCIO {own}",
                f"The project's config needs OCIO {version}. What version {own} cannot hold is baked or left out for "
                "this application alone; Hand-offs lists it before the file is saved.",
            )


@check("handoff.view-baked-for-compositing", CAUTION)
def view_baked(subjects: Subjects) -> Iterator[Problem]:
    """An application writes its view into files unless it is told not to, and another composites them."""
    for station, following in subjects.hand_offs:
        hands_light = station.able(HANDS_ON) == LIGHT and station.able(WRITES) == FLOATS
        if station.able(BAKES_VIEW) == BY_DEFAULT and hands_light and _is_fed_light(following):
            yield Problem(
                station.name,
                "Bakes the view in unless told not to",
                f"{following.name} needs light. Turn the view off where {station.name} writes, as its sheet says, or "
                "the view is applied a second time there.",
            )


@check("handoff.bit-depth-clips", BLOCKER)
def bit_depth_clips(subjects: Subjects) -> Iterator[Problem]:
    """An application writes 8 and 16 bits alone, and another is to go on with light."""
    for station, following in subjects.hand_offs:
        hands_light = station.able(HANDS_ON) == LIGHT
        if station.able(WRITES) == INTEGERS and hands_light and _is_fed_light(following):
            yield Problem(
                station.name,
                "What it hands on is cut off at 1",
                f"{station.name} writes 8- and 16-bit files, and {following.name} reads renders. Put {station.name} at "
                "the end of the chain, or use one that writes float EXR.",
            )


@check("handoff.own-tone-mapping", NOTE)
def own_tone_mapping(subjects: Subjects) -> Iterator[Problem]:
    """An application has tone mapping of its own besides the view."""
    for station in subjects.stations:
        if station.able(OWN_TONE_MAPPING) and loads_config(station):
            yield Problem(
                station.name,
                "Tone mapping of its own besides the view",
                "With both on, light is compressed twice: whites turn grey. Turn its own off, as its sheet says.",
            )


@check("handoff.rules-ignored", NOTE)
def rules_ignored(subjects: Subjects) -> Iterator[Problem]:
    """An application has rules of its own for the space of a file, which decide before the config's."""
    for station in subjects.stations:
        if station.able(OWN_RULES) and station.reads == READS_TEXTURES:
            yield Problem(
                station.name,
                "Its own rules decide before the config",
                "Its “auto” may read another space than the other applications do. Turn its own rules off, as its "
                "sheet says.",
            )


@check("handoff.viewed-twice", CAUTION)
def viewed_twice(subjects: Subjects) -> Iterator[Problem]:
    """An application hands on finished pictures, and the next one takes them for light and applies the view again."""
    for station, following in subjects.hand_offs:
        shows = loads_config(following) and following.able(VIEWERS) != NONE
        if station.able(HANDS_ON) == PICTURES and _is_fed_light(following) and shows:
            yield Problem(
                following.name,
                "Applies the view a second time",
                f"{station.name} hands on finished pictures, and {following.name} is fed light. Have {station.name} "
                f"hand on light, or say of {following.name} that it is fed finished pictures.",
            )


@check("handoff.environment-turned", NOTE)
def environment_turned(subjects: Subjects) -> Iterator[Problem]:
    """Two applications look at a lat-long environment from other sides."""
    readers = [station for station in subjects.stations if station.reads == READS_TEXTURES]
    for station in readers[1:]:
        if is_turned(station, readers[0]):
            turn = turn_between(readers[0], station)
            flip = ", flipped left to right," if turn.mirrored else ""
            yield Problem(
                station.name,
                "Environments are turned here",
                f"{readers[0].name} and {station.name} look at a lat-long picture from other sides. In {station.name} "
                f"turn it{flip} by {turn.degrees:g}°, or use the turned copy of its package.",
            )


@check("handoff.failed", CAUTION)
def failed(subjects: Subjects) -> Iterator[Problem]:
    """The test card of an application came back otherwise than agreed."""
    for proof in subjects.proofs:
        if proof.state == FAILED:
            yield Problem(proof.station, "The test card came back otherwise than agreed", proof.why)


@check("handoff.out-of-date", NOTE)
def out_of_date(subjects: Subjects) -> Iterator[Problem]:
    """An application was proved by its test card, and what its proof depends on has changed since."""
    for proof in subjects.proofs:
        if proof.state == OUT_OF_DATE:
            yield Problem(
                proof.station, "The proof is out of date", f"{proof.why} Save the new test card, and try again."
            )


@check("handoff.never-proved", NOTE)
def never_proved(subjects: Subjects) -> Iterator[Problem]:
    """No test card has come back from an application."""
    for proof in subjects.proofs:
        if proof.state == NOT_TRIED:
            yield Problem(
                proof.station,
                "Not tried yet",
                "Open its test card there as the sheet says, save what it shows or writes, and drop that file on "
                "Hand-offs.",
            )


@check("handoff.lut-input-differs", CAUTION)
def lut_input_differs(subjects: Subjects) -> Iterator[Problem]:
    """An application shows with a LUT that takes another space than that of the light it has."""
    config = subjects.config
    for station in subjects.stations:
        if station.able(COLOUR_BY) != LUT:
            continue
        takes = lut_input(station, config)
        givers = [giver for giver, taker in subjects.hand_offs if taker == station]
        own = [space_of(station, config)] if station.reads == READS_TEXTURES else []
        if other := sorted({*own, *spaces_handed_on(givers, config).values()} - {takes}):
            yield Problem(
                station.name,
                "Its LUT takes another space than it gets",
                f"The LUT takes {takes}, and the light is in {', '.join(other)}: every colour would be shown wrong. "
                f"Convert to {takes} before the LUT, or describe the application as one that reads LUTs with a shaper "
                "if it does.",
            )


@check("handoff.colour-not-typable", CAUTION)
def colour_not_typable(subjects: Subjects) -> Iterator[Problem]:
    """An application types colours as sRGB, which does not hold a colour of the project."""
    for station in subjects.stations:
        if station.able(TYPED_COLOURS) == DISPLAY and (names := _not_typable(subjects, station)):
            yield Problem(
                station.name,
                "Colours that its picker cannot hold",
                f"sRGB does not hold {', '.join(names[:MOST_NAMED])}{_and_more(names)}. Set it where scene-linear "
                "values can be typed, or give this application a texture of the colour as EXR.",
            )


@check("handoff.shows-no-view", NOTE)
def shows_no_view(subjects: Subjects) -> Iterator[Problem]:
    """An application that works on light shows no view of the project."""
    for station in subjects.stations:
        has_light = station.reads == READS_TEXTURES or _is_fed_light(station)
        shows = loads_config(station) and station.able(VIEWERS) != NONE
        if has_light and not shows and station.able(COLOUR_BY) != LUT:
            yield Problem(
                station.name,
                "Shows no view of the project",
                "What it shows is not what is delivered. Judge colour in an application that loads the config, or by "
                "a still from Outputs.",
            )


@check("handoff.space-not-settable", CAUTION)
def space_not_settable(subjects: Subjects) -> Iterator[Problem]:
    """An application sets no space for a single file, and textures have one that its file rules do not give."""
    census = subjects.census
    for station in subjects.stations:
        if station.reads != READS_TEXTURES or station.able(PER_FILE_OVERRIDE) or not loads_config(station):
            continue
        count = census.pinned if station.able(FOLLOWS_FILE_RULES) else census.count
        if count:
            textures = "1 texture" if count == 1 else f"{count:,} textures"
            yield Problem(
                station.name,
                "Spaces that cannot be set here",
                f"{station.name} cannot set the space of a single file, and {textures} need that. In Textures, make a "
                "rule that takes them, convert them to the space that the rules give, or rename them.",
            )


def _not_typable(subjects: Subjects, station: Station) -> list[str]:
    """The swatches that the colour picker of a station cannot hold."""
    names = []
    for swatch in resolved(subjects.config, ScenePart.of(subjects.setup)).swatches:
        try:
            light = typed_in(subjects.config, swatch.colour, ocio.ROLE_SCENE_LINEAR)
        except BadInput:
            continue  # reported under swatch.unknown-space
        if picked_in(station, subjects.config, light) is None:
            names.append(swatch.name)
    return names


def _and_more(names: Sequence[str]) -> str:
    return f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""


def _is_fed_light(station: Station) -> bool:
    return station.reads == READS_RENDERS and station.able(TAKES) == TAKES_LIGHT


def _version(subjects: Subjects) -> str:
    return f"{subjects.config.getMajorVersion()}.{subjects.config.getMinorVersion()}"
