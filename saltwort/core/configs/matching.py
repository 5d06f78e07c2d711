"""Which space of a config has given primaries and a given curve: told by its colours, never by its name."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, DISPLAY_INTERCHANGE, SCENE_INTERCHANGE
from saltwort.core.engine.processors import display_spaces, scene_spaces
from saltwort.core.errors import BadInput
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import BY_INTEROP_ID, DISPLAY_ENCODINGS, SCENE_ENCODINGS, Encoding
from saltwort.core.spaces.gamuts import AP0, BRADFORD, CAT02, D65, Gamut, Matrix, adaptation, primaries_of

SAME_XY = 1.5e-3
"""Between chromaticities: headers round them to three decimals and more, and the gamuts in use differ by 5e-3."""
SAME_LIGHT = 4e-3
"""Between curves, as a part of the light: written ones are rounded to four figures, and those in use differ by 2 %."""
LEAST_LIGHT = 1e-3
"""Of white, below which light is compared as if it were that."""
_GREYS = np.array([0.02, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0])
_ABOVE = 4.0
_ASKED = np.array([*np.eye(3), *np.repeat(_GREYS[:, np.newaxis], 3, axis=1), [_ABOVE] * 3], np.float32)[np.newaxis]


@dataclass(frozen=True)
class Measured:
    """What a space makes of its numbers, in CIE XYZ under D65: the directions of its primaries, and its greys."""

    space: str
    is_display: bool
    primaries: Matrix
    greys: NDArray[np.float64]
    above: float

    def gamut(self, name: str, white: tuple[float, float] = D65, cones: Matrix = BRADFORD) -> Gamut:
        """Its primaries as they are seen under a white, brought there from D65, or from the white of AP0, by `cones`.
        Raises ValueError where they are no colours."""
        if self.is_display or cones is BRADFORD:
            return primaries_of(adaptation(D65, white) @ self.primaries, name, white)
        in_ap0 = adaptation(D65, AP0.white) @ self.primaries
        return primaries_of(adaptation(AP0.white, white, cones) @ in_ap0, name, white)


# Found by sending colours through the engine, which takes a moment; configs in use never change.
_measured: WeakKeyDictionary[ocio.Config, dict[str, Measured]] = WeakKeyDictionary()


def measured_spaces(config: ocio.Config) -> dict[str, Measured]:
    """All spaces of a config that hold colour, the scene-referred first, as far as they can be told."""
    if config not in _measured:
        _measured[config] = {found.space: found for found in _measure(config)}
    return _measured[config]


def _measure(config: ocio.Config) -> Iterator[Measured]:
    for spaces, interchange, to_xyz in (
        (scene_spaces(config), SCENE_INTERCHANGE, AP0_TO_XYZ_D65),
        (display_spaces(config), DISPLAY_INTERCHANGE, np.eye(3)),
    ):
        for space in spaces:
            if space.isData():
                continue
            try:
                processor = space_processor(config, space.getName(), interchange)
                light = apply(processor, _ASKED)[0].astype(np.float64) @ to_xyz.T
            except BadInput:
                continue
            if np.isfinite(light).all():
                yield Measured(
                    space.getName(),
                    interchange == DISPLAY_INTERCHANGE,
                    light[:3].T,
                    light[3:-1, 1],
                    float(light[-1, 1]),
                )


def spaces_with(config: ocio.Config, gamut: Gamut, curve: Curve) -> list[str]:
    """The spaces of a config with these primaries and white, and this curve: scene-referred ones first, the nearest
    first among each. Empty where there is none, or the config has no interchange role to tell by."""
    known = _matched.setdefault(config, {})
    wanted = (gamut.chromaticities, curve)
    if wanted not in known:
        if len(known) >= MOST_MATCHED:
            known.clear()
        known[wanted] = _spaces_with(config, gamut, curve)
    return known[wanted]


def spaces_of_ids(config: ocio.Config, ids: Iterable[str]) -> Iterator[tuple[str, str]]:
    """The spaces of a config that have the colours of interop IDs: each ID with the name that the config has for it;
    those that it lacks are left out."""
    for interop_id in ids:
        encoding = BY_INTEROP_ID[interop_id]
        for name in spaces_with(config, encoding.gamut, encoding.curve)[:1]:
            yield interop_id, name


MOST_MATCHED = 1_000
# Thousands of files of a project declare the same few things.
_matched: WeakKeyDictionary[ocio.Config, dict[tuple[tuple[float, ...], Curve], list[str]]] = WeakKeyDictionary()


def _spaces_with(config: ocio.Config, gamut: Gamut, curve: Curve) -> list[str]:
    found = []
    for space in measured_spaces(config).values():
        off = _off(space, gamut)
        if off <= SAME_XY and _has_curve(space, curve):
            found.append((space.is_display, off, space.space))
    return [name for _, _, name in sorted(found)]


def _off(space: Measured, gamut: Gamut) -> float:
    """How far the primaries of a space lie from those of a gamut, as the largest difference of x or y. A config may
    have adapted their white in either of two ways, so the nearer counts."""
    off = [np.inf]
    for cones in (BRADFORD, CAT02):
        try:
            own = space.gamut("", gamut.white, cones)
        except (ValueError, ZeroDivisionError, np.linalg.LinAlgError):
            continue
        off.append(float(np.abs(np.array(own.chromaticities[:6]) - gamut.chromaticities[:6]).max()))
    return min(off)


def _has_curve(space: Measured, curve: Curve) -> bool:
    meant = curve.decode(_GREYS)
    least = LEAST_LIGHT * float(meant[-1])
    if np.abs((space.greys - meant) / np.maximum(meant, least)).max() > SAME_LIGHT:
        return False
    # What clips at 1, or bends there, is not linear.
    return not curve.is_linear or abs(space.above - _ABOVE) <= SAME_LIGHT * _ABOVE


def primaries_of_space(config: ocio.Config, space: str) -> Gamut | None:
    """The primaries of a scene-linear space under D65, whichever they are; None where it is not linear, or they are
    imaginary beyond telling."""
    found = config.getColorSpace(space)
    measured = measured_spaces(config).get(found.getName()) if found else None
    if measured is None or measured.is_display or not _has_curve(measured, Curve("linear")):
        return None
    try:
        return measured.gamut(measured.space)
    except ValueError:
        return None


def encoding_of(config: ocio.Config, space: str) -> Encoding | None:
    """The known encoding that a space has by its colours; None where it is none of them. Where two have the same
    colours up to white, its interop ID decides."""
    known = _encodings.setdefault(config, {})
    if space not in known:
        known[space] = _encoding_of(config, space)
    return known[space]


_encodings: WeakKeyDictionary[ocio.Config, dict[str, Encoding | None]] = WeakKeyDictionary()


def _encoding_of(config: ocio.Config, space: str) -> Encoding | None:
    found = config.getColorSpace(space)
    measured = measured_spaces(config).get(found.getName()) if found else None
    if measured is None:
        return None
    fitting = [
        encoding
        for encoding in (DISPLAY_ENCODINGS if measured.is_display else SCENE_ENCODINGS)
        if _off(measured, encoding.gamut) <= SAME_XY and _has_curve(measured, encoding.curve)
    ]
    claimed = BY_INTEROP_ID.get(found.getInteropID())
    return claimed if claimed in fitting else next(iter(fitting), None)
