"""What a picture says by itself, without the render that it should show: less, and it is told how much less."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.configs.matching import spaces_with
from saltwort.core.images import Facts, Survey
from saltwort.core.images.channels import colour_channels
from saltwort.core.images.headers import SAMPLE_TYPES
from saltwort.core.textures.declared import declared

Holds = Literal["light", "codes", "undecided"]
LIGHT: Holds = "light"
CODES: Holds = "codes"
UNDECIDED: Holds = "undecided"
FLOATS = (SAMPLE_TYPES["half"], SAMPLE_TYPES["float"])
ONE = 1.0005
"""Largest value of what is cut off at 1; a half float just below it is 0.9995."""
BRIGHT_MEDIAN, DARK_MEDIAN = 0.3, 0.1
"""Half of a scene brighter than the first, and nothing above 1, is a picture for a display: scenes are exposed around
0.18, and have highlights. Half of it darker than the second is light."""
AT_TOP = 5e-4
"""How near to the largest value a sample counts as being it, as a part of it."""
LEAST_CUT, LEAST_COLOURS = 0.003, 6
"""Share of the samples that a cut leaves at one value, and how many different colours must be among them: a lamp of
even brightness is all of one colour."""
LEGAL = (15.5 / 255, 235.5 / 255)
"""Codes of black and white in narrow range (ITU-R BT.2100, table 9), of 8 bits."""


@dataclass(frozen=True)
class Sign:
    """Something that the picture alone tells: a code of a deviation, how likely it is, 0–1, and why, in a sentence."""

    code: str
    confidence: float
    why: str


@dataclass(frozen=True)
class Alone:
    """What a picture holds by its own numbers and header, how likely that is, why, and what else shows."""

    holds: Holds
    confidence: float
    why: str
    signs: tuple[Sign, ...]


def alone(config: ocio.Config, found: Survey, working_space: str) -> Alone:
    """What a picture says by itself, whose numbers should be those of a view, or light in a working space."""
    holds, confidence, why = _holds(config, found.facts)
    return Alone(holds, confidence, why, tuple(_signs(config, found, working_space, holds)))


def _holds(config: ocio.Config, facts: Facts) -> tuple[Holds, float, str]:
    stats, is_float = facts.stats, facts.header.bit_depth in FLOATS
    said = declared(config, facts.header)
    if reason := display_sign(facts):
        return CODES, 0.97, reason
    if said is not None and said.meaning is not None:
        return (LIGHT if said.is_linear else CODES), said.trust, said.says
    if is_float and stats.above_one > 0:
        return LIGHT, 0.97, f"{stats.above_one:.2%} of its samples lie above 1, where no code of a display does."
    if not is_float:
        return CODES, 0.9, f"It is written in {facts.header.bit_depth}, as pictures for a display are."
    median = float(np.mean(known(stats.median))) if known(stats.median) else 0.0
    if median < DARK_MEDIAN:
        return LIGHT, 0.8, f"Half of it is darker than {median:.2f}: a view would have put that higher."
    return (
        UNDECIDED,
        0.5,
        "Nothing in it is above 1, and it is neither dark nor bright: light and a picture look alike.",
    )


def display_sign(facts: Facts) -> str:
    """What tells that a picture is for a display, in a sentence; empty where nothing does."""
    interop_id = facts.header.tags.get("colorInteropID")
    if isinstance(interop_id, str) and interop_id.endswith("_display"):
        return f"Its header says {interop_id}."
    if bits := facts.stats.linear_steps:
        floats = ", saved as floats" if facts.header.bit_depth in FLOATS else ""
        return f"All its values are steps of {bits} bits: a picture for a screen{floats}."
    peaks, medians = known(facts.stats.max), known(facts.stats.median)
    if peaks and max(peaks) <= ONE and float(np.mean(medians)) > BRIGHT_MEDIAN:
        return f"Half of it is brighter than {np.mean(medians):.2f}, and nothing is above 1, as in encoded pictures."
    return ""


def _signs(config: ocio.Config, found: Survey, working_space: str, holds: Holds) -> list[Sign]:
    facts, signs = found.facts, []
    said = declared(config, facts.header)
    if holds == LIGHT and said is not None and said.meaning is not None and said.is_linear:
        named = spaces_with(config, *said.meaning)
        if working_space not in named and (named or said.space):
            name = said.space or named[0]
            signs.append(
                Sign("primaries", said.trust, f"{said.says}, which is {name}, and {working_space} is expected.")
            )
    cut = cut_level(colour_of(found))
    if holds != CODES and cut is not None:
        signs.append(
            Sign("clipped", 0.95, f"Light is cut off at {cut:.4g}: many different colours have a channel at just that.")
        )
    if facts.header.bit_depth in FLOATS and facts.stats.linear_steps:
        signs.append(Sign("steps", 0.97, f"Its numbers stand on the steps of {facts.stats.linear_steps} bits."))
    low, high = known(facts.stats.min), known(facts.stats.max)
    if holds == CODES and low and high and min(low) >= LEGAL[0] and max(high) <= LEGAL[1]:
        signs.append(Sign("levels", 0.6, "Nothing in it is darker than 16 or brighter than 235 of 255, as in video."))
    return signs


def cut_level(colour: NDArray[np.float32]) -> float | None:
    """The value at which samples, (n, 3), are cut off: many of different colours have a channel at the largest of all.
    None where nothing tells of a cut."""
    finite = colour[np.isfinite(colour).all(axis=1)]
    if not len(finite) or finite.max() <= 0:
        return None
    top = float(finite.max())
    at_top = finite >= top * (1 - AT_TOP)
    there = at_top.any(axis=1)
    if there.mean() < LEAST_CUT or at_top.any(axis=0).sum() < 2:
        return None
    colours = np.unique(np.round(finite[there] / top, 2), axis=0)
    return top if len(colours) >= LEAST_COLOURS else None


def colour_of(found: Survey) -> NDArray[np.float32]:
    """The red, green and blue of a file's sample, (n, 3)."""
    return found.sample[:, colour_channels(found.facts.header.channel_names)]


def known(values: tuple[float | None, ...]) -> list[float]:
    """Those of the first three channels that are there."""
    return [value for value in values[:3] if value is not None]
