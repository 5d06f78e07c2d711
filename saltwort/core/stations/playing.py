"""Play an application from its package: what it would do with nothing but what lies in the folder, held against the
numbers of the project.

The player knows the abilities of the application and the files of the package. It makes each step by what the sheet and
the table of textures say, in the words of these files, and never by what the project knows.
"""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE
from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels
from saltwort.core.images.reading import Pixels
from saltwort.core.luts.tables import read_processor
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.spaces.curves import SRGB, Curve
from saltwort.core.spaces.gamuts import REC709, rgb_to_xyz
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, loads_config
from saltwort.core.stations.abilities.ocio_version import OCIO_VERSION, config_is_too_new
from saltwort.core.stations.abilities.per_file_override import PER_FILE_OVERRIDE
from saltwort.core.stations.abilities.typed_colours import DISPLAY, TYPED_COLOURS
from saltwort.core.stations.abilities.viewers import NONE, VIEWERS
from saltwort.core.stations.abilities.working_space import REC709 as REC709_ALONE
from saltwort.core.stations.abilities.working_space import WORKING_SPACE
from saltwort.core.stations.sheet import linear_rec709
from saltwort.core.stations.station import READS_TEXTURES, Station
from saltwort.core.stations.texture_table import AS_IT_IS, AS_LINEAR, AS_SRGB, BY_PROFILE, CONVERTED
from saltwort.core.views.tone import display_difference

SAMPLED = 400
"""Pixels of a texture, and colours of a view, that are looked at."""
SAME = 2e-3
"""Of light, relative to the brightest channel and at least to 1/64: half floats keep 2⁻¹¹, sheets four places."""
LEAST_LIGHT = 1 / 64
MOST_OF_CONFIG = 2.0
"""ΔE at the 99th percentile that a view of a config may be off: older versions have views baked into LUTs. For a LUT it
is the largest error that was measured when it was made."""
SCENE_LINEAR: str = ocio.ROLE_SCENE_LINEAR


@dataclass(frozen=True)
class PlayedTexture:
    """A texture of the project: its path, its file, and the space that it is read in."""

    path: str
    file: Path
    space: str


@dataclass(frozen=True)
class Truth:
    """What the project says: its config and view, the space of light of the application, textures, colours as light in
    the working space, and all views that it uses and that give light of a display."""

    config: ocio.Config
    choice: ViewChoice
    own_space: str
    textures: Sequence[PlayedTexture]
    colours: Mapping[str, tuple[float, float, float]]
    views: Sequence[ViewChoice]


@dataclass
class Played:
    """How it went: how many of each came out as the project has them; within how much 99 % of SAMPLED colours are in
    the view that is farthest off, by its metric, and what shows them; what failed, and what is not possible in this
    application, in sentences."""

    textures: tuple[int, int] = (0, 0)
    colours: tuple[int, int] = (0, 0)
    views: int = 0
    within: dict[str, float] = field(default_factory=dict)
    shown_by: str = ""
    failures: list[str] = field(default_factory=list)
    cannot: list[str] = field(default_factory=list)

    @property
    def is_ready(self) -> bool:
        return not self.failures

    @property
    def sentence(self) -> str:
        parts = []
        for (right, of), what in ((self.textures, "textures"), (self.colours, "colours")):
            if of:
                parts.append(f"{right:,} of {of:,} {what}")
        if self.within:
            views = f"{self.views} view{'' if self.views == 1 else 's'}"
            within = " and ".join(f"{metric} {value:.1f}" for metric, value in self.within.items())
            parts.append(f"{views}, 99 % of colours within {within} ({self.shown_by})")
        return f"Played from this package: {', '.join(parts) or 'nothing to compare'}."


def play(folder: Path, station: Station, truth: Truth) -> Played:
    """Play an application from its unpacked package."""
    played = Played()
    try:
        player = _Player(folder, station)
    except BadInput as error:
        played.failures.append(str(error))
        return played
    except (OSError, KeyError, ValueError, ocio.Exception, ocio.ExceptionMissingFile) as error:
        played.failures.append(f"The package cannot be opened: {error}")
        return played
    if station.reads == READS_TEXTURES:
        _textures(player, truth, played)
    _colours(player, truth, played)
    try:
        _views(player, truth, played)
    except BadInput as error:
        played.failures.append(f"What it shows with cannot be read: {error}")
    return played


class _Player:
    """The application with its package."""

    def __init__(self, folder: Path, station: Station) -> None:
        self.folder, self.station = folder, station
        self.facts: dict[str, Any] = json.loads((folder / "manifest.json").read_text(encoding="utf-8"))
        sheet = json.loads((folder / "sheet.json").read_text(encoding="utf-8"))
        self.settings = {
            section["key"]: {one["key"]: one["value"] for one in section["settings"]} for section in sheet["sections"]
        }
        self.config: ocio.Config | None = None
        if loads_config(station):
            self.config = ocio.Config.CreateFromFile(str(folder / self.facts["config"]["file"]))
            version = f"{self.config.getMajorVersion()}.{self.config.getMinorVersion()}"
            if config_is_too_new(version, station):
                raise BadInput(
                    f"This application loads configs up to OCIO {station.able(OCIO_VERSION)}, and this one needs "
                    f"{version}. Update it, or describe it as one that takes LUT files."
                )

    def rows(self) -> dict[str, dict[str, Any]]:
        table = self.folder / "textures.json"
        if not table.exists():
            return {}
        return {row["path"]: row for row in json.loads(table.read_text(encoding="utf-8"))}

    def light_space(self, config: ocio.Config) -> str:
        """The space in which a station with a config has light: linear Rec.709 where it knows nothing else, or what the
        sheet says."""
        if self.station.able(WORKING_SPACE) == REC709_ALONE:
            found = linear_rec709(config)
            if found is None:
                raise BadInput("its config has no linear Rec.709, which is all that this application works in")
            return found
        return str(self.settings["working-space"]["space"])

    def read(self, texture: PlayedTexture, row: Mapping[str, Any]) -> Pixels:
        """Light of some pixels of a texture, as the table has it read."""
        copy = row.get("converted")
        pixels = _some(read_pixels(self.folder / copy if copy else texture.file))
        value = str(row["value"])
        if self.config is not None:
            space = value if row["by_hand"] else self.config.getColorSpaceFromFilepath(texture.path)[0]
            if self.config.getColorSpace(space) is None:
                raise BadInput(f"its config has no space “{space}”")
            return apply(space_processor(self.config, space, self.light_space(self.config)), pixels)
        if value == CONVERTED and not copy:
            raise BadInput("it must be converted, and the package has no copy")
        if value == AS_SRGB:
            return _srgb_decoded(pixels)
        if value in (AS_IT_IS, AS_LINEAR, CONVERTED, BY_PROFILE):
            return pixels
        raise BadInput(f"this application knows no “{value}”")

    def typed(self, value: str) -> Pixels | None:
        """The light of numbers that are typed; None for a colour that the sheet gives no numbers for."""
        if not value:
            return None
        numbers = np.array([[[float(part) for part in value.split()]]], np.float32)
        if self.station.able(TYPED_COLOURS) != DISPLAY:
            return numbers
        return _srgb_decoded(numbers)

    def cannot_be_told(self, row: Mapping[str, Any]) -> bool:
        """Whether a texture must be set manually, but the application sets none by itself."""
        return bool(row["by_hand"]) and self.config is not None and not self.station.able(PER_FILE_OVERRIDE)

    @property
    def most_off(self) -> float:
        """ΔE at the 99th percentile that a view may be off."""
        return MOST_OF_CONFIG if self.config is not None else float(self.facts["lut"]["error"]["largest"])

    @property
    def knows_profiles(self) -> bool:
        return self.station.able(COLOUR_BY) == ICC

    @property
    def picks_in_rec709(self) -> bool:
        """Whether typed colours are light in Rec.709 once the curve of a picker is undone."""
        return self.station.able(TYPED_COLOURS) == DISPLAY and self.station.able(COLOUR_BY) != LUT


def _some(pixels: Pixels) -> Pixels:
    flat = pixels.reshape(-1, pixels.shape[2])
    colour = flat[:, :3] if flat.shape[1] >= 3 else np.repeat(flat[:, :1], 3, axis=1)
    return np.ascontiguousarray(colour[:: max(1, len(colour) // SAMPLED)][np.newaxis], np.float32)


def _srgb_decoded(codes: Pixels) -> Pixels:
    return np.asarray(Curve(SRGB).decode(codes.astype(np.float64)), np.float32)


def _is_same(found: Pixels, meant: Pixels) -> bool:
    found, meant = np.nan_to_num(found), np.nan_to_num(meant)
    allowed = SAME * np.maximum(np.abs(meant).max(axis=-1, keepdims=True), LEAST_LIGHT)
    return bool((np.abs(found - meant) <= allowed).all())


def _textures(player: _Player, truth: Truth, played: Played) -> None:
    rows = player.rows()
    right = untold = 0
    for texture in truth.textures:
        if (row := rows.get(texture.path)) is None:
            played.failures.append(f"{texture.path} is missing in the table of textures.")
            continue
        if player.cannot_be_told(row):
            untold += 1
            continue
        try:
            found, pixels = player.read(texture, row), _some(read_pixels(texture.file))
        except (BadInput, ocio.Exception) as error:
            played.failures.append(f"{texture.path}: {error}.")
            continue
        if player.knows_profiles and row["value"] == AS_SRGB:  # what it decodes, it knows the primaries of
            meant = _in_rec709(truth.config, apply(space_processor(truth.config, texture.space, SCENE_LINEAR), pixels))
        else:
            meant = apply(space_processor(truth.config, texture.space, truth.own_space), pixels)
        if _is_same(found, meant):
            right += 1
        else:
            played.failures.append(f"{texture.path}, read as “{row['value']}”, is other light.")
    played.textures = right, len(truth.textures)
    if untold:
        files = "1 texture" if untold == 1 else f"{untold:,} textures"
        played.cannot.append(f"The space of {files} cannot be set file by file: convert or rename in Textures.")


def _colours(player: _Player, truth: Truth, played: Played) -> None:
    told = {key.removeprefix("colour:"): value for key, value in player.settings.get("colours", {}).items()}
    working = truth.config.getColorSpace(SCENE_LINEAR).getName()
    right = 0
    untyped = []
    for name, light in truth.colours.items():
        if name not in told:
            played.failures.append(f"The colour {name} is missing on the sheet.")
            continue
        if (found := player.typed(told[name])) is None:
            untyped.append(name)
            continue
        meant = np.array([[light]], np.float32)
        if player.picks_in_rec709:
            meant = _in_rec709(truth.config, meant)
        else:
            meant = apply(space_processor(truth.config, working, truth.own_space), meant)
        if np.allclose(found, meant, rtol=SAME, atol=2e-4):
            right += 1
        else:
            played.failures.append(f"The colour {name}, typed as {told[name]}, is another colour.")
    played.colours = right, len(truth.colours)
    if untyped:
        played.cannot.append(f"These colours cannot be typed in this application: {', '.join(untyped)}.")


def _in_rec709(config: ocio.Config, light: Pixels) -> Pixels:
    """Light of the working space in Rec.709 primaries, by the scene interchange of its config."""
    ap0 = apply(space_processor(config, SCENE_LINEAR, SCENE_INTERCHANGE), light)
    matrix = np.linalg.inv(rgb_to_xyz(REC709)) @ AP0_TO_XYZ_D65
    return np.asarray(ap0 @ matrix.T, np.float32)


def _views(player: _Player, truth: Truth, played: Played) -> None:
    stops = np.random.default_rng(11).uniform(-6, 4, (1, SAMPLED, 1))
    tints = np.random.default_rng(12).uniform(0.5, 1.0, (1, SAMPLED, 3))
    light = np.asarray(MIDDLE_GREY * 2.0**stops * tints, np.float32)
    working = truth.config.getColorSpace(SCENE_LINEAR).getName()
    for choice, shown_by, shown in _shown(player, truth, light, played):
        meant = apply(view_processor(truth.config, working, choice), light)[0]
        metric, measure = display_difference(truth.config, choice)
        codes = (np.clip(np.nan_to_num(each), 0, 1).astype(np.float64) for each in (shown, meant))
        within = float(np.percentile(measure(*codes), 99))
        played.views += 1
        played.shown_by = shown_by
        played.within[metric] = max(within, played.within.get(metric, 0.0))
        if within > player.most_off:
            played.failures.append(f"{choice.view} on {choice.display} is off by {metric} {within:.1f} ({shown_by}).")


def _shown(player: _Player, truth: Truth, light: Pixels, played: Played) -> Iterator[tuple[ViewChoice, str, Pixels]]:
    """What the application shows of light of the working space, by the views that its package has."""
    station, told = player.station, player.settings.get("viewing", {})
    if player.config is not None:
        if station.able(VIEWERS) == NONE:
            return
        own = ViewChoice(told["display"], told["view"]) if "display" in told else None
        for choice in truth.views:
            if choice.display not in player.config.getDisplays() or choice.view not in player.config.getViews(
                choice.display
            ):
                played.failures.append(f"Its config has no {choice.view} on {choice.display}.")
                continue
            yield choice, "config", apply(view_processor(player.config, SCENE_LINEAR, choice), light)[0]
        if own is not None and own.view not in player.config.getViews(own.display):
            played.failures.append(f"The sheet sets {own.view} on {own.display}, which its config does not have.")
    elif station.able(COLOUR_BY) == LUT:
        fed = player.facts["lut"]["input"]
        if fed != truth.own_space:
            played.cannot.append(
                f"Its LUT reads no shaper and takes {fed}: give it files in {fed}, or choose a format with a shaper."
            )
        working = truth.config.getColorSpace(SCENE_LINEAR).getName()
        numbers = apply(space_processor(truth.config, working, fed), light)
        if truth.choice in truth.views:
            yield truth.choice, "LUT", apply(read_processor(player.folder / player.facts["lut"]["file"]), numbers)[0]
    elif station.able(COLOUR_BY) == ICC or station.able(VIEWERS) != NONE:
        played.cannot.append(
            "It shows no view of the project: look at a still from Outputs, or in another application."
        )
