"""Configs that mislead: missing roles and files, doubles, narrow gamuts, paths of one machine."""

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator
from threading import Lock

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache, cached

from saltwort.core.changes import Change
from saltwort.core.configs.describe import working_spaces
from saltwort.core.configs.target import BAKED, LEFT_OUT
from saltwort.core.engine import ViewChoice, apply, space_processor, view_processor
from saltwort.core.engine.colours import colours_of
from saltwort.core.engine.measured import (
    AP0_TO_XYZ_D65,
    DISPLAY_INTERCHANGE,
    SCENE_INTERCHANGE,
    display_to_xyz,
    linear_to_ap0,
)
from saltwort.core.engine.transforms import lut_names
from saltwort.core.errors import BadInput
from saltwort.core.findings.registry import BLOCKER, CAUTION, NOTE, Fix, Problem, Subjects, check
from saltwort.core.spaces.gamuts import Matrix, solve
from saltwort.core.views.screens import display_space

OUTSIDE = -2e-3
"""Light of a display's primary in the working space below which it lies outside, and not on the edge by rounding."""

# Dim, bright, saturated and negative: enough that two conversions which agree on all are the same.
_SIGNATURE = np.array(
    [[0.0, 0.18, 1.0], [0.02, 0.01, 0.5], [4.0, 0.3, 0.05], [0.7, 0.7, 0.7], [-0.1, 0.2, 0.4], [9.0, 9.0, 9.0]],
    np.float32,
)[None]


@check("config.no-interchange-role", CAUTION)
def no_interchange_role(subjects: Subjects) -> Iterator[Problem]:
    """The config lacks a role by which applications match its spaces to those of another config."""
    for role, kind in ((SCENE_INTERCHANGE, "scene"), (DISPLAY_INTERCHANGE, "display")):
        if not subjects.config.hasRole(role):
            yield Problem(
                role,
                "Interchange role missing",
                f"Without the role {role}, nobody can tell what the numbers of {kind}-referred spaces mean: configs "
                "cannot be compared, views cannot be added, and headers cannot be written.",
                _interchange_fix(subjects.config, role),
            )


_INTERCHANGE_NAMES = {
    SCENE_INTERCHANGE: ("lin_ap0_scene", "aces2065_1", "ACES2065-1", "ACES - ACES2065-1", "lin_ap0"),
    DISPLAY_INTERCHANGE: ("cie_xyz_d65", "CIE-XYZ-D65", "CIE XYZ-D65 - Display-referred"),
}


def _interchange_fix(config: ocio.Config, role: str) -> Fix | None:
    """Give the role to the space that goes by a name which nothing else has."""
    space = next(filter(None, map(config.getColorSpace, _INTERCHANGE_NAMES[role])), None)
    if space is None:
        return None
    name = space.getName()
    return Fix("set-role", f"Give it to {name}", {"role": role, "space": name}, (Change(f"role {role}", "", name),))


@check("config.data-not-marked", CAUTION)
def data_not_marked(subjects: Subjects) -> Iterator[Problem]:
    """A space for plain numbers is not marked as data, so conversions change them."""
    config = subjects.config
    by_role = config.getColorSpace(ocio.ROLE_DATA) if config.hasRole(ocio.ROLE_DATA) else None
    for space in config.getColorSpaces():
        meant = space.getEncoding() == "data" or (by_role is not None and space.getName() == by_role.getName())
        if meant and not space.isData():
            yield Problem(
                space.getName(),
                "Data space not marked as data",
                "Its encoding or role says data, but isdata is not set: applications convert it like a colour.",
                Fix(
                    "mark-as-data",
                    "Mark it as data",
                    {"space": space.getName()},
                    (Change(space.getName(), "a colour", "data"),),
                ),
            )


@check("config.gamut-narrower-than-display", CAUTION)
def gamut_narrower_than_display(subjects: Subjects) -> Iterator[Problem]:
    """The chosen display shows colours that the working space cannot hold without going negative."""
    config, display = subjects.config, subjects.setup.view.display
    working = linear_to_ap0(config, ocio.ROLE_SCENE_LINEAR)
    try:
        to_xyz = display_to_xyz(config, display_space(config, display))
    except BadInput:
        return  # an OCIO 1 display: what it shows is a space like any other
    if working is None:
        return
    light = solve(AP0_TO_XYZ_D65 @ working, to_xyz)
    outside = [name for name, column in zip(("red", "green", "blue"), light.T, strict=True) if column.min() < OUTSIDE]
    if outside:
        yield Problem(
            subjects.setup.working_space,
            "Display wider than the working space",
            f"The {' and '.join(outside)} of {display} lies outside {subjects.setup.working_space}: renders never "
            "reach the colours that this display could show. Choose a wider working space.",
            _wider_space(config, to_xyz, subjects.setup.working_space),
        )


def _wider_space(config: ocio.Config, display_to_xyz_d65: Matrix, now: str) -> Fix | None:
    """The first usual working space that holds the display's primaries."""
    for name in working_spaces(config):
        to_ap0 = linear_to_ap0(config, name)
        if to_ap0 is not None and solve(AP0_TO_XYZ_D65 @ to_ap0, display_to_xyz_d65).min() >= OUTSIDE:
            change = Change("working space", now, name)
            return Fix("set-working-space", f"Work in {name}", {"space": name}, (change,))
    return None


@check("config.same-space-twice", NOTE)
def same_space_twice(subjects: Subjects) -> Iterator[Problem]:
    """Two spaces mean the same under two names."""
    for names in _doubles(_space_signatures(subjects.config)):
        yield Problem(
            names[0],
            "Same space under two names",
            f"{_and(names)} convert every colour alike. Two names for one space lead to two settings; keep one.",
        )


@check("config.same-view-twice", NOTE)
def same_view_twice(subjects: Subjects) -> Iterator[Problem]:
    """Two views of a display give the same picture under two names."""
    config = subjects.config
    displays: dict[tuple[str, ...], list[str]] = defaultdict(list)
    for display in config.getDisplays():
        for names in _doubles(_view_signatures(config, display)):
            displays[tuple(names)].append(display)
    for alike, shown_on in displays.items():
        yield Problem(
            alike[0],
            "Same view under two names",
            f"{_and(alike)} show the same picture on {_and(shown_on)}. Comparing them shows no difference.",
        )


@check("config.lut-missing", BLOCKER)
def lut_missing(subjects: Subjects) -> Iterator[Problem]:
    """A space, look or view needs a LUT that the config did not bring."""
    for name, error in _failures(subjects.config):
        if match := re.search(r"file reference '([^']*)' could not be located|transform file '([^']*)'", error):
            yield Problem(
                name,
                "LUT missing",
                f"It needs “{match[1] or match[2]}”, which is not in the config's archive. Import the config as a zip "
                "with its LUT folders, or remove this.",
            )


@check("config.cannot-be-computed", BLOCKER)
def cannot_be_computed(subjects: Subjects) -> Iterator[Problem]:
    """A space or view cannot be computed at all: it refers to itself, or to something that is not there."""
    for name, error in _failures(subjects.config):
        if not re.search(r"could not be located|transform file '", error):
            yield Problem(name, "Cannot be computed", f"{error} Remove it, or fix the source config.")


@check("config.not-archivable", NOTE)
def not_archivable(subjects: Subjects) -> Iterator[Problem]:
    """The config cannot be packed as one file by every tool: a path in it depends on the machine or on a variable."""
    paths = [*subjects.config.getSearchPaths(), *lut_names(subjects.config)]
    for path in dict.fromkeys(paths):
        if re.match(r"[$%]", path) or ".." in re.split(r"[/\\]", path):
            yield Problem(
                path,
                "Cannot be packed",
                "The OCIO library packs no config with such a path, since it may lead out of its folder. Put the files "
                "into a folder of the config and name them from there.",
            )


@check("config.replaced-for-target", CAUTION)
def replaced_for_target(subjects: Subjects) -> Iterator[Problem]:
    """The target version cannot hold a part of the config, which is baked into a LUT or left out."""
    for part in subjects.replacements:
        if part.fate in (BAKED, LEFT_OUT):
            became = (
                "It is baked into a LUT; Hand-offs shows the difference in ΔE."
                if part.fate == BAKED
                else "It is left out."
            )
            yield Problem(
                f"{part.what} {part.name}",
                f"OCIO {subjects.setup.target_version} cannot hold this",
                f"Missing: {part.why} {became} Choose a newer target version once every application reads it.",
            )


Signatures = dict[str, bytes | str]
"""What a conversion makes of a few colours, by name; text where it cannot be computed, and why."""

CONFIGS_SEEN = 64


# Computing them takes a moment for large configs, and most changes of a project change no colour.
@cached(LRUCache(CONFIGS_SEEN), key=colours_of, lock=Lock())
def _space_signatures(config: ocio.Config) -> Signatures:
    return {space.getName(): _space_signature(config, space) for space in config.getColorSpaces() if not space.isData()}


def _space_signature(config: ocio.Config, space: ocio.ColorSpace) -> bytes | str:
    is_display = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    interchange = DISPLAY_INTERCHANGE if is_display else SCENE_INTERCHANGE
    target = interchange if config.hasRole(interchange) else ocio.ROLE_SCENE_LINEAR
    try:
        light = apply(space_processor(config, space.getName(), target), _SIGNATURE)
    except BadInput as error:
        return str(error)
    # An HDR and an SDR display may take the same code values, and yet differ.
    return f"{target} {space.getEncoding()} ".encode() + np.round(light.astype(np.float64), 6).tobytes()


@cached(LRUCache(16 * CONFIGS_SEEN), key=lambda config, display: (colours_of(config), display), lock=Lock())
def _view_signatures(config: ocio.Config, display: str) -> Signatures:
    return {view: _view_signature(config, ViewChoice(display, view)) for view in config.getViews(display)}


def _view_signature(config: ocio.Config, choice: ViewChoice) -> bytes | str:
    try:
        shown = apply(view_processor(config, ocio.ROLE_SCENE_LINEAR, choice), _SIGNATURE)
    except BadInput as error:
        return str(error)
    # Views for other encodings of pictures are no doubles: applications offer one or the other.
    rule = config.getDisplayViewRule(choice.display, choice.view)
    return f"{rule} ".encode() + np.round(shown.astype(np.float64), 6).tobytes()


def _failures(config: ocio.Config) -> Iterator[tuple[str, str]]:
    """(name, reason) of every space and view that cannot be computed."""
    for name, signature in _space_signatures(config).items():
        if isinstance(signature, str):
            yield name, signature
    for display in config.getDisplays():
        for view, signature in _view_signatures(config, display).items():
            if isinstance(signature, str):
                yield f"{view} on {display}", signature


def _doubles(signatures: Signatures) -> list[list[str]]:
    alike: dict[bytes, list[str]] = defaultdict(list)
    for name, signature in signatures.items():
        if isinstance(signature, bytes):
            alike[signature].append(name)
    return [names for names in alike.values() if len(names) > 1]


def _and(names: Iterable[str]) -> str:
    *first, last = [f"“{name}”" for name in names]
    return f"{', '.join(first)} and {last}" if first else last
