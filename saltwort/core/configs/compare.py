"""Compare two configs by what they do: a name says nothing, the numbers decide."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import product
from typing import TypeVar

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.proof import proof_colours
from saltwort.core.engine import ConfigArchive, ViewChoice, apply, load_config, space_processor, view_processor
from saltwort.core.engine.measured import DISPLAY_INTERCHANGE, SCENE_INTERCHANGE, space_written_by
from saltwort.core.errors import BadInput
from saltwort.core.spaces.difference import delta_e_2000, delta_e_itp
from saltwort.core.spaces.typed import Triple
from saltwort.core.views.screens import display_space

Colours = NDArray[np.float64]

IDENTICAL, SAME_MEANING, DIFFERENT = "identical", "same meaning", "different"
ADDED, REMOVED, RENAMED, CHANGED = "added", "removed", "renamed", "changed"
RELATIVE, CODE_VALUE = "relative", "code value"
SAME = 1e-6
"""Relative to the light: what two ways of writing one matrix differ by in float32."""
LEAST_SEEN = 0.01
"""ΔE: a hundredth of what the best eye tells apart."""
DARKEST = 1e-3
"""Light below which a relative difference says nothing that could be seen."""


@dataclass(frozen=True)
class Difference:
    """One thing that differs. `other` is its name in the second config. For what is changed, `largest` and `mean`
    are over the proof colours, in `metric`, and `worst` is the colour where it is largest: a code value of a space,
    light in the working space for a view."""

    kind: str
    what: str
    name: str
    other: str = ""
    metric: str = ""
    largest: float = 0.0
    mean: float = 0.0
    worst: Triple | None = None


@dataclass(frozen=True)
class Comparison:
    """`verdict` is identical, same meaning (other names or another text, the same colours) or different."""

    verdict: str
    differences: tuple[Difference, ...]


def compare(first: ConfigArchive, second: ConfigArchive) -> Comparison:
    """Compare roles, active spaces, views and file rules of two configs, the worst difference first.

    Spaces and views are matched by name; those left over are matched by their numbers, and are then renamed. Raises
    BadInput when one does not load.
    """
    if first.hash == second.hash:
        return Comparison(IDENTICAL, ())
    before, after = load_config(first), load_config(second)
    differences = [
        *_roles(before, after),
        *_spaces(before, after),
        *_views(before, after),
        *_file_rules(before, after),
        *_default_view(before, after),
    ]
    differences.sort(key=lambda difference: (difference.kind != CHANGED, -difference.largest))
    same = all(difference.kind == RENAMED for difference in differences)
    return Comparison(SAME_MEANING if same else DIFFERENT, tuple(differences))


def _roles(before: ocio.Config, after: ocio.Config) -> list[Difference]:
    first, second = ({role: meaning_of(config, role) for role, _ in config.getRoles()} for config in (before, after))
    found = [Difference(REMOVED, "role", role) for role in first if role not in second]
    found += [Difference(ADDED, "role", role) for role in second if role not in first]
    for role in first.keys() & second.keys():
        if (changed := _changed("role", role, first[role], second[role])) is not None:
            found.append(changed)
    return found


def _file_rules(before: ocio.Config, after: ocio.Config) -> list[Difference]:
    """Rules by name; one that stands elsewhere in the order, or takes or gives something else, is changed."""
    first, second = (_rules_by_name(config.getFileRules()) for config in (before, after))
    found = [Difference(REMOVED, "file rule", name) for name in first if name not in second]
    found += [Difference(ADDED, "file rule", name) for name in second if name not in first]
    order = [name for name in first if name in second]
    moved = order != [name for name in second if name in first]
    found += [Difference(CHANGED, "file rule", name, name) for name in order if first[name] != second[name] or moved]
    return found


def _rules_by_name(rules: ocio.FileRules) -> dict[str, tuple[str, ...]]:
    return {
        rules.getName(index): tuple(
            getattr(rules, get)(index) for get in ("getPattern", "getExtension", "getRegex", "getColorSpace")
        )
        for index in range(rules.getNumEntries())
    }


def _default_view(before: ocio.Config, after: ocio.Config) -> list[Difference]:
    first, second = (
        f"{config.getDefaultView(config.getDefaultDisplay())} on {config.getDefaultDisplay()}"
        for config in (before, after)
    )
    return [] if first == second else [Difference(CHANGED, "default view", first, second)]


def _spaces(before: ocio.Config, after: ocio.Config) -> list[Difference]:
    first, second = (
        {space.getName(): meaning_of(config, space.getName()) for space in config.getColorSpaces()}
        for config in (before, after)
    )
    return _matched("space", first, second, _changed, _same_meaning)


@dataclass(frozen=True)
class Meaning:
    """What a space's code values mean: scene light, display light or plain data; and the light of the proof colours in
    the interchange space, None where nobody can tell."""

    kind: str
    light: Colours | None


def meaning_of(config: ocio.Config, name: str) -> Meaning:
    """What the code values of a space, by any of its names, mean."""
    space = config.getColorSpace(name)
    if space.isData():
        return Meaning("data", proof_colours().astype(np.float64))
    is_display = space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    interchange = DISPLAY_INTERCHANGE if is_display else SCENE_INTERCHANGE
    return Meaning(
        "display" if is_display else "scene", _through(config, lambda: space_processor(config, name, interchange))
    )


@dataclass(frozen=True)
class _Seen:
    """What a view shows of the proof colours: its code values and, where it can be told, display light as XYZ."""

    codes: Colours | None
    light: Colours | None
    is_hdr: bool


def _views(before: ocio.Config, after: ocio.Config) -> list[Difference]:
    first, second = (
        {
            f"{view} on {display}": _seen(config, ViewChoice(display, view), space)
            for display in config.getDisplays()
            for space in [_space_shown_on(config, display)]
            for view in config.getViews(display)
        }
        for config in (before, after)
    )
    return _matched("view", first, second, _changed_view, _same_picture)


def _space_shown_on(config: ocio.Config, display: str) -> str | None:
    try:
        return display_space(config, display)
    except BadInput:
        return None


def _seen(config: ocio.Config, choice: ViewChoice, space: str | None) -> _Seen:
    # The same light for both configs, whatever their working spaces.
    codes = _through(config, lambda: view_processor(config, SCENE_INTERCHANGE, choice))
    if space is None:
        return _Seen(codes, None, False)
    is_hdr = config.getColorSpace(space).getEncoding() == "hdr-video"
    shown = space_written_by(config, choice)
    if codes is None or (shown is not None and shown.isData()):
        return _Seen(codes, None, is_hdr)  # a raw view shows numbers, not light
    light = _through(config, lambda: space_processor(config, space, DISPLAY_INTERCHANGE), codes)
    return _Seen(codes, light, is_hdr)


def _through(
    config: ocio.Config, make: Callable[[], ocio.CPUProcessor], colours: Colours | None = None
) -> Colours | None:
    try:
        given = proof_colours() if colours is None else colours.astype(np.float32)
        result: Colours = apply(make(), given[None])[0].astype(np.float64)
        return result
    except BadInput:
        return None


Measured = TypeVar("Measured")


def _matched(
    what: str,
    first: Mapping[str, Measured],
    second: Mapping[str, Measured],
    changed: Callable[[str, str, Measured, Measured], Difference | None],
    alike: Callable[[str, str, Measured, Measured], Difference | None],
) -> list[Difference]:
    """Differences of things under the same name; then the rest, paired where they are alike or else added and
    removed."""
    found = [
        difference
        for name in first
        if name in second and (difference := changed(what, name, first[name], second[name])) is not None
    ]
    left = [name for name in first if name not in second]
    fresh = [name for name in second if name not in first]
    for name, other in product(tuple(left), tuple(fresh)):
        if name in left and other in fresh and alike(what, name, first[name], second[other]) is None:
            found.append(Difference(RENAMED, what, name, other))
            left.remove(name)
            fresh.remove(other)
    found += [Difference(REMOVED, what, name) for name in left]
    found += [Difference(ADDED, what, name) for name in fresh]
    return found


def _changed(what: str, name: str, first: Meaning, second: Meaning) -> Difference | None:
    """A space's or role's difference, relative to the light; None where there is none."""
    if first.kind != second.kind:
        return Difference(CHANGED, what, name, f"{first.kind} → {second.kind}")
    if first.light is None or second.light is None:
        return None if first.light is second.light else _only_one(what, name, RELATIVE)
    scale = np.maximum(np.maximum(np.abs(first.light), np.abs(second.light)).max(axis=1), DARKEST)
    with np.errstate(invalid="ignore"):
        return _difference(what, name, RELATIVE, _gaps(first.light, second.light) / scale, SAME)


def mean_the_same(first: Meaning, second: Meaning) -> bool:
    """Whether two spaces, of one config or of two, give the same light for the same code values."""
    return _same_meaning("space", "", first, second) is None


def _same_meaning(what: str, name: str, first: Meaning, second: Meaning) -> Difference | None:
    """The same for spaces of other names: those that cannot be computed are never taken for each other."""
    if first.light is None or second.light is None:
        return Difference(CHANGED, what, name)
    return _changed(what, name, first, second)


def _changed_view(what: str, name: str, first: _Seen, second: _Seen) -> Difference | None:
    """A view's difference as an eye sees it where the light can be told, else in code values."""
    if first.codes is None or second.codes is None:
        return None if first.codes is second.codes else _only_one(what, name, CODE_VALUE)
    if first.light is None or second.light is None or first.is_hdr != second.is_hdr:
        return _difference(what, name, CODE_VALUE, _gaps(first.codes, second.codes), SAME)
    if _gaps(first.light, second.light).max() < SAME:
        return None
    if first.is_hdr:
        return _difference(what, name, "ΔE ITP", delta_e_itp(first.light, second.light), LEAST_SEEN)
    return _difference(what, name, "ΔE 2000", delta_e_2000(first.light, second.light), LEAST_SEEN)


def _same_picture(what: str, name: str, first: _Seen, second: _Seen) -> Difference | None:
    """The same for views of other names: those whose light cannot be told are never taken for each other."""
    if first.light is None or second.light is None:
        return Difference(CHANGED, what, name)
    return _changed_view(what, name, first, second)


def _only_one(what: str, name: str, metric: str) -> Difference:
    """What only one of the configs can compute."""
    return Difference(CHANGED, what, name, name, metric, np.inf, np.inf)


def _gaps(first: Colours, second: Colours) -> Colours:
    """The largest difference of a channel for each colour; infinite values are equal to themselves."""
    with np.errstate(invalid="ignore"):
        return np.asarray(np.where(first == second, 0.0, np.abs(first - second)).max(axis=1), np.float64)


def _difference(what: str, name: str, metric: str, gaps: Colours, least: float) -> Difference | None:
    gaps = np.nan_to_num(gaps, nan=0.0, posinf=np.inf)
    worst = int(gaps.argmax())
    if gaps[worst] <= least:
        return None
    red, green, blue = proof_colours()[worst].tolist()
    return Difference(CHANGED, what, name, name, metric, float(gaps[worst]), float(gaps.mean()), (red, green, blue))
