"""What was done to a picture, told: the verdict, the deviations in order, what is left, and what cannot be undone."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import Placement, flipped, place
from saltwort.core.explain.operation import Parameter, Scene
from saltwort.core.explain.samples import Samples, sampled
from saltwort.core.explain.search import Chain, Search
from saltwort.core.explain.steps import Step
from saltwort.core.images.headers import SAMPLE_TYPES, Header
from saltwort.core.images.reading import Pixels
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views.tone import display_xyz

Verdict = Literal["as expected", "explained", "not told apart", "unknown", "another picture"]
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
AS_EXPECTED, EXPLAINED, UNDECIDED, UNKNOWN, ANOTHER = VERDICTS
Depth = Literal["8 bits", "JPEG", "16 bits", "half", "float"]
CLIPPED_DEPTHS: tuple[Depth, ...] = ("8 bits", "JPEG", "16 bits")
"""Of files that hold 0–1."""
STEP: Mapping[str, float] = {"8 bits": 1.2 / 255, "JPEG": 3 / 255, "16 bits": 1.5e-3, "half": 3e-3, "float": 3e-3}
"""How far a sample may be off by its coding alone: of code values, or of light as a part of it."""
SCALED = 1.5 / 255
"""More for a picture that has another size: samples then lie between pixels."""
SEEN = 1.0
"""ΔE 2000 in the mean below which a picture is as expected, unless something is known to have been done to it."""
NOTICED = 2.0
CLEARLY_BETTER = 1.5
"""How many times better something known must explain a picture that is hardly off, for it not to be as expected."""
NO_BETTER, MOST_UNEXPLAINED = 1.15, 3.0
"""A picture that nothing explains better by so much is as expected up to this ΔE: scaling mixes what lies side by
side."""
MOST = 0.88
"""Share of the samples that must be as told; the rest may be covered by a watermark or a frame number."""
LEAST_SAMPLES = 60
STEPS_OF = 255
IN_STEPS = 0.97
"""Share of the samples of a float file that lie on steps of 8 bits, for it to have had no more."""


@dataclass(frozen=True)
class Question:
    """A picture, (height, width, 3 or 4) in its own numbers, and what it should be: light in the working space, through
    a view or as it is."""

    picture: Pixels
    depth: Depth
    light: Pixels
    config: ocio.Config
    choice: ViewChoice
    expects_light: bool

    @property
    def scene(self) -> Scene:
        return Scene(self.config, self.choice, self.expects_light)

    @property
    def is_clipped(self) -> bool:
        return self.depth in CLIPPED_DEPTHS


@dataclass(frozen=True)
class Told:
    """A deviation as it is told: its code, its parameters, and what happened in a sentence."""

    code: str
    parameters: Mapping[str, Parameter]
    happened: str
    stage: str = ""
    undo: Step | None = None

    @property
    def can_be_undone(self) -> bool:
        return self.undo is not None


@dataclass(frozen=True)
class Explained:
    """The answer. `residual` is ΔE 2000 of the mean and the 99th percentile to what the deviations give; `expected` the
    same to what is expected. `alternatives` are other chains that fit as well."""

    verdict: str
    deviations: tuple[Told, ...]
    alternatives: tuple[tuple[Told, ...], ...]
    residual: tuple[float, float]
    expected: tuple[float, float]
    placement: Placement

    @property
    def lost(self) -> tuple[str, ...]:
        """What is gone for good, in sentences."""
        return tuple(each.happened for each in self.deviations if not each.can_be_undone)

    @property
    def can_be_undone(self) -> bool:
        return self.verdict in (AS_EXPECTED, EXPLAINED) and all(each.can_be_undone for each in self.deviations)

    @property
    def sentence(self) -> str:
        if self.verdict in SENTENCES:
            return SENTENCES[self.verdict]
        told = " ".join(each.happened for each in self.deviations)
        return f"{told} Other explanations fit as well." if self.verdict == UNDECIDED else told


SENTENCES = {
    AS_EXPECTED: "The picture is as expected.",
    ANOTHER: "This is another picture than the render.",
    UNKNOWN: "Something was done to it that is none of what is known.",
}


def explain(question: Question) -> Explained:
    """What was done to a picture on its way from the light that it should show."""
    placement = place(question.light, question.picture)
    nothing = (0.0, 0.0)
    if not placement.is_same_picture:
        return Explained(ANOTHER, (), (), nothing, nothing, placement)
    samples = sampled(question.light, question.picture, placement)
    if len(samples.light) < LEAST_SAMPLES:
        return Explained(UNKNOWN, (), (), nothing, nothing, placement)
    step = STEP[question.depth] + (0.0 if abs(placement.scale[0] - 1) < 1e-3 else SCALED)
    search = Search(question.scene, samples, step, is_clipped=question.is_clipped)
    expected = search.expected()
    off, most = _difference(question, search, expected, samples), _difference(question, search, expected, samples, MOST)
    besides = (*_steps(question), *_geometry(placement))
    as_expected = Explained(EXPLAINED if besides else AS_EXPECTED, besides, (), off, off, placement)
    if expected.fits and most[0] < SEEN:
        return as_expected
    chains = search.best()
    best = chains[0]
    left = _difference(question, search, best, samples)
    is_no_better = expected.cost < NO_BETTER * best.cost and most[0] < MOST_UNEXPLAINED
    if is_no_better or (most[0] < SEEN and expected.cost < CLEARLY_BETTER * best.cost):
        return as_expected
    if not best.fits and _difference(question, search, best, samples, MOST)[0] > NOTICED:
        return Explained(UNKNOWN, (), (), left, off, placement)
    others = tuple(
        _told(chain)
        for chain in chains[1:]
        if chain.fits
        and len(chain.deviations) == len(best.deviations)
        and search.is_same(best, chain)
        and not _is_one(search, best, chain)
    )
    verdict = UNDECIDED if others else EXPLAINED
    return Explained(verdict, (*_told(best), *besides), others, left, off, placement)


def _is_one(search: Search, best: Chain, other: Chain) -> bool:
    """Whether a chain is the best under another name: configs have several views that do the same to every colour, and
    some that leave light as it is."""
    last = (each.deviations[-1].operation.stage if each.deviations else "" for each in (best, other))
    return all(stage == "view" for stage in last) and search.is_one(best, other)


def _told(chain: Chain) -> tuple[Told, ...]:
    return tuple(
        Told(
            each.code,
            each.way.parameters,
            each.happened,
            each.operation.stage,
            each.way.undo,
        )
        for each in chain.deviations
    )


def _geometry(placement: Placement) -> tuple[Told, ...]:
    """A picture that is flipped; one of another size, or with something cut off, is none the worse for it."""
    if not placement.flip:
        return ()
    told: dict[str, Parameter] = {"scale": round(1 / placement.scale[0], 4), "flip": placement.flip}
    flip = placement.flip
    return (Told("geometry", told, f"The picture is flipped, {flip}.", "codes", lambda pixels: flipped(pixels, flip)),)


def _steps(question: Question) -> tuple[Told, ...]:
    """A float file whose numbers stand on the steps of 8 bits."""
    if question.is_clipped:
        return ()
    height, width = question.picture.shape[:2]
    numbers = question.picture[:: max(1, height // 120), :: max(1, width // 120), :3].astype(np.float64)
    inside = numbers[(numbers > 2 / STEPS_OF) & (numbers < 1)]
    if len(inside) < LEAST_SAMPLES:
        return ()
    on_step = np.abs(inside * STEPS_OF - np.round(inside * STEPS_OF)) < 0.02 + 5e-4 * STEPS_OF * inside
    if on_step.mean() < IN_STEPS:
        return ()
    return (Told("steps", {"bits": 8.0}, "Its numbers stand on the steps of 8 bits."),)


def _difference(
    question: Question, search: Search, chain: Chain, samples: Samples, share: float = 1.0
) -> tuple[float, float]:
    """ΔE 2000 between the picture and what a chain gives, mean and 99th percentile; of light through the view. Of a
    `share` alone, the nearest: what covers a part of the picture does not decide."""
    made = search.numbers(chain.deviations, samples)
    xyz = [_seen(question, numbers) for numbers in (samples.numbers, made)]
    found = delta_e_2000(*xyz)
    nearest = np.sort(found)[: max(1, round(share * len(found)))]
    return float(nearest.mean()), float(np.percentile(nearest, 99))


def _seen(question: Question, numbers: Pixels) -> Any:
    codes = numbers
    if question.expects_light:
        codes = question.scene.view()(np.ascontiguousarray(numbers[np.newaxis]))[0]
    return display_xyz(question.config, question.choice, np.clip(np.nan_to_num(codes), 0, 1).astype(np.float64))


def rescued(question: Question, found: Explained) -> Pixels:
    """The picture undone into light in the working space, (height, width, 3), the last that happened first. Raises
    BadInput where something of it cannot be undone."""
    if not found.can_be_undone:
        lost = " ".join(found.lost) or "What was done to it is not known."
        raise BadInput(f"This picture cannot be undone into light. {lost}")
    numbers = np.ascontiguousarray(question.picture[..., :3], np.float32)
    undone = [each.undo for each in reversed(found.deviations) if each.stage == "codes"]
    if not question.expects_light or any(each.stage == "view" for each in found.deviations):
        of_view = [each.undo for each in found.deviations if each.stage == "view"]
        undone += of_view or [question.scene.view_undone()]
    undone += [each.undo for each in reversed(found.deviations) if each.stage == "light"]
    for step in undone:
        assert step is not None
        numbers = step(numbers)
    return np.ascontiguousarray(np.nan_to_num(numbers), np.float32)


def depth_of(header: Header, suffix: str) -> Depth:
    """How a file is coded, as far as it matters here."""
    if suffix.lower() in LOSSY:
        return "JPEG"
    if header.bit_depth in FLOATS:
        return "half" if header.bit_depth == FLOATS[0] else "float"
    return "16 bits" if header.bit_depth in DEEP else "8 bits"


FLOATS = (SAMPLE_TYPES["half"], SAMPLE_TYPES["float"])
DEEP = ("12-bit", SAMPLE_TYPES["uint16"])
LOSSY = (".jpg", ".jpeg", ".avif", ".jxl", ".webp")
