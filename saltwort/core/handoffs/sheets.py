"""Settings sheets: what to set in one station, derived from the project and never typed."""

from collections.abc import Sequence
from dataclasses import dataclass

import PyOpenColorIO as ocio

from saltwort.core.configs.gamut import gamut_of
from saltwort.core.engine import ViewChoice
from saltwort.core.handoffs.stations import READS_TEXTURES, Station, config_is_too_new, own_version


@dataclass(frozen=True)
class Line:
    """One setting: what it is called in most applications, the value to give it, and why."""

    setting: str
    value: str
    why: str = ""


@dataclass(frozen=True)
class Section:
    title: str
    lines: tuple[Line, ...]


@dataclass(frozen=True)
class TextureLine:
    """A file and the space it is read in; `by_rule` tells that the config's file rules give it by themselves."""

    path: str
    space: str
    by_rule: bool


def settings_sheet(
    station: Station,
    config: ocio.Config,
    choice: ViewChoice,
    textures: Sequence[TextureLine],
    config_file: str,
    next_station: Station | None,
) -> list[Section]:
    """The sheet of one station, in the order in which it is set: config, reading, working, viewing, writing, and how
    the next station reads what this one wrote. `config` is the project's, and `config_file` what this station gets."""
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    reading = _texture_lines(station, textures) if station.reads == READS_TEXTURES else _render_lines(working)
    sections = [
        Section("Config", _config_lines(station, config, config_file)),
        Section("Working space", (Line("Working or rendering space", working, "role scene_linear of the config"),)),
        Section("Reading", reading),
        Section("Viewing", _view_lines(choice)),
        Section("Writing", _writing_lines(config, working)),
    ]
    if next_station:
        sections.append(Section(f"Then, in the {next_station.name.lower()}", _render_lines(working)))
    return sections


def sheet_text(station: Station, project: str, revision: int, sections: Sequence[Section]) -> str:
    """A settings sheet as plain text, for a mail or a wiki."""
    title = f"{project}, revision {revision}: settings for the {station.name.lower()}"
    parts = [title, "=" * len(title)]
    for section in sections:
        parts += ["", section.title, "-" * len(section.title)]
        parts += [f"{line.setting}: {line.value}" + (f"   ({line.why})" if line.why else "") for line in section.lines]
    return "\n".join(parts) + "\n"


def _config_lines(station: Station, config: ocio.Config, config_file: str) -> tuple[Line, ...]:
    version = f"{config.getMajorVersion()}.{config.getMinorVersion()}"
    own = own_version(version, station)
    is_folder = config_file.endswith(".zip")
    lines = [
        Line(
            "OCIO config",
            config_file,
            "unpack it, and set config.ocio in the preferences or the OCIO variable"
            if is_folder
            else "set it in the preferences or the OCIO variable",
        ),
        Line("Config name", config.getName(), "what the application shows once the config is in use"),
        Line("Config version", f"OCIO {own or version}", f"this station loads up to {station.ocio_version}"),
    ]
    if own:
        lines.append(Line("Written for it alone", f"OCIO {own}", f"other stations keep the project's, OCIO {version}"))
    elif config_is_too_new(version, station):
        limit = f"it stops at OCIO {station.ocio_version}"
        lines.append(Line("Attention", "this station cannot load the config", limit))
    return tuple(lines)


_BY_RULE = {True: "by the file rules", False: "pinned: set by hand on this file"}


def _texture_lines(station: Station, textures: Sequence[TextureLine]) -> tuple[Line, ...]:
    if not textures:
        return (Line("Textures", "none in the project yet"),)
    if not station.follows_file_rules:
        return tuple(Line(texture.path, texture.space, "set by hand on this file") for texture in textures)
    by_rule = sum(texture.by_rule for texture in textures)
    first = Line("Texture colour space", "from file rules (auto)", f"right for {by_rule} of {len(textures)} files")
    pinned_first = sorted(textures, key=lambda texture: texture.by_rule)
    return (first, *(Line(texture.path, texture.space, _BY_RULE[texture.by_rule]) for texture in pinned_first))


def _render_lines(working: str) -> tuple[Line, ...]:
    return (
        Line("Read EXR renders as", working, "already scene-linear: nothing is decoded"),
        Line("Conversion on reading", "none beyond that space", "a second decode would darken the picture"),
    )


def _view_lines(choice: ViewChoice) -> tuple[Line, ...]:
    return (
        Line("Display", choice.display),
        Line("View", choice.view, "for looking only: not written into scene-linear files"),
        Line("Look", choice.look or "the view's own"),
    )


def _writing_lines(config: ocio.Config, working: str) -> tuple[Line, ...]:
    gamut = gamut_of(config, working)
    interop_id = config.getColorSpace(working).getInteropID()
    lines = [
        Line("File", "OpenEXR, half float, zip", "holds light above 1 without clipping"),
        Line("Colour space of the file", working, "no view and no look in it"),
    ]
    if interop_id:
        lines.append(Line("Header colorInteropID", interop_id, "tells the next reader the space by itself"))
    if gamut:
        numbers = "  ".join(f"{number:g}" for number in gamut.chromaticities)
        lines.append(Line("Header chromaticities", numbers, f"{gamut.name} primaries and white"))
    return tuple(lines)
