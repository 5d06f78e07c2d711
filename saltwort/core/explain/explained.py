"""What was done to a picture, told: the verdict, the deviations in order, what is left, and what cannot be undone."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import (
    CERTAIN,
    NO_BARS,
    Bars,
    Placement,
    Reduced,
    around,
    bars_of,
    flipped,
    place,
    reduced,
)
from saltwort.core.explain.alignment import LIKELY as LIKELY_PLACED
from saltwort.core.explain.chains import FITTING, Chain
from saltwort.core.explain.chroma import chroma_offset, moved_back
from saltwort.core.explain.fitted import Fitted, fitted
from saltwort.core.explain.operation import Parameter, Scene
from saltwort.core.explain.places import COVERED, EXPOSED, SINGLE, Coding, Places, places
from saltwort.core.explain.samples import Samples, sampled
from saltwort.core.explain.search import CLOSE, OPAQUE, Search
from saltwort.core.explain.steps import Step
from saltwort.core.images.alpha import associated, straight
from saltwort.core.images.headers import SAMPLE_TYPES, Header
from saltwort.core.images.reading import Pixels
from saltwort.core.views.tone import display_difference

Verdict = Literal["as expected", "explained", "not told apart", "unknown", "another picture", "differs in places"]
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
AS_EXPECTED, EXPLAINED, UNDECIDED, UNKNOWN, ANOTHER, IN_PLACES = VERDICTS
Depth = Literal["8 bits", "JPEG", "16 bits", "half", "float"]
CLIPPED_DEPTHS: tuple[Depth, ...] = ("8 bits", "JPEG", "16 bits")
"""Of files that hold 0–1."""
LOSSY_DEPTH: Depth = "JPEG"
STEP: Mapping[str, float] = {"8 bits": 1.2 / 255, "JPEG": 3 / 255, "16 bits": 1.5e-3, "half": 3e-3, "float": 3e-3}
"""How far a sample may be off by its coding alone: of code values, or of light as a part of it."""
SCALED = 1.5 / 255
"""More for a picture that has another size: samples then lie between pixels."""
SEEN = 1.0
"""ΔE in the mean below which a picture is as expected, unless something is known to have been done to it."""
NOTICED, NOTICED_OF_MANY = 2.0, 1.2
CLEARLY_BETTER = 1.5
"""How many times better something known must explain a picture that is hardly off, for it not to be as expected."""
BETTER = 0.85
"""Part of what the best chain leaves that one which counts as one more must leave, to be named beside it."""
MOST_ELSEWHERE, OUTSIDE = 0.25, 2.0
"""Share of a picture that may be otherwise than what was done to the rest, and how many times that share an answer is
less likely for it."""
HARDLY, OF_CODING, HARDLY_MORE, FAR_BETTER = 0.25, 0.5, 1.6, 10.0
"""ΔE in the mean, or as a part of what the coding makes, or how many times as much, that one deviation more is not told
for, unless it explains so many times as much of what the coding can tell."""
NO_BETTER, MOST_UNEXPLAINED = 1.15, 3.0
"""A picture that nothing explains better by so much is as expected up to this ΔE: scaling mixes what lies side by
side."""
MOST = 0.88
"""Share of the samples that must be as told; the rest may be covered by a watermark or a frame number."""
LEAST_SAMPLES = 60
STEPS_OF = 255
SURE, LIKELY, LIKELY_LOSSY = 0.98, 0.9, 0.88
"""How often a picture called as expected is right: at once, and where what is known explains it hardly better; and one
that differs in places after compression."""
CONFIDENCE = ((2.0, 0.99), (1.4, 0.97), (1.15, 0.9), (0.0, 0.75))
"""How often the first chain was right, by how many times more the next leaves."""
HARDLY_COVERED = 0.03
"""Part of a picture that may be covered without being looked for: far fewer samples than may be off."""
CLEARLY_MORE = 0.1
"""By how much a picture must be more alike without its bars."""
NOTHING = (0.0, 0.0)
LEAST_TOLD = 0.2
"""Pixels of colour beside brightness that are worth a word."""
SEEN_AT_ONCE = (COVERED, SINGLE)
MOST_PLACES = 0.4
"""What differs in places may look like, and how much of a picture it may be, for nothing else to be looked for."""
LIKELIEST = 4
"""Chains that are held to every pixel."""
SIMILAR = 0.5
"""Correlation below which a picture that nothing explains is another one: other pictures come to 0.4 by chance."""
IN_STEPS = 0.97
"""Share of the samples of a float file that lie on steps of 8 bits, for it to have had no more."""


@dataclass(frozen=True)
class Question:
    """A picture, (height, width, 3 or 4) in its own numbers with straight alpha, and what it should be: light in the
    working space, with associated alpha where it has any, through a view or as it is."""

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

    @property
    def coding(self) -> Coding:
        return Coding(
            STEP[self.depth],
            clips=self.is_clipped,
            lossy=self.depth == LOSSY_DEPTH,
            linear=self.expects_light and not self.is_clipped,
        )

    def with_alpha_alike(self) -> "Question":
        """The same with alpha alike on both sides: straight colour through a view, associated where light is expected.
        A picture without alpha shows colour as the light has it."""
        if self.picture.shape[2] < 4 or self.light.shape[2] < 4 or (self.picture[..., 3] > OPAQUE).all():
            return self
        if self.expects_light:
            return replace(self, picture=associated(self.picture))
        return replace(self, light=straight(self.light))


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
    """The answer. `residual` is ΔE of the mean and the 99th percentile to what the deviations give; `expected` the
    same to what is expected. `alternatives` are other chains that fit as well; `confidence`, 0–1, is how often such an
    answer is right, 0 where nothing known explains it: then `fitted` is what comes nearest. `bars` lie around the
    picture."""

    verdict: str
    deviations: tuple[Told, ...]
    alternatives: tuple[tuple[Told, ...], ...]
    residual: tuple[float, float]
    expected: tuple[float, float]
    placement: Placement
    confidence: float = 0.0
    bars: Bars = NO_BARS
    fitted: Fitted | None = None
    places: Places | None = None
    """Where the picture is not even what the deviations make of it; None where it is so in every pixel."""
    would_tell: str = ""
    """Of a picture that is as expected with alternatives, what file would tell, in a sentence."""

    @property
    def lost(self) -> tuple[str, ...]:
        """What is gone for good, in sentences."""
        return tuple(each.happened for each in self.deviations if not each.can_be_undone)

    @property
    def can_be_undone(self) -> bool:
        """Also where several explain it: each makes this picture of that light, so that each leads back to it."""
        known = self.verdict in (AS_EXPECTED, EXPLAINED, UNDECIDED, IN_PLACES)
        return known and all(each.can_be_undone for each in self.deviations)

    @property
    def sentence(self) -> str:
        if self.verdict == AS_EXPECTED and self.alternatives:
            others = " ".join(each.happened for other in self.alternatives[:MOST_NAMED] for each in other)
            return f"The picture is as expected, or this file cannot tell it from: {others} {self.would_tell}"
        if self.verdict in SENTENCES:
            return SENTENCES[self.verdict]
        told = [each.happened for each in self.deviations]
        if self.verdict == UNDECIDED:
            told.append("Other explanations fit as well.")
        if self.places:
            told.append(self.places.sentence)
        return " ".join(told)


MOST_NAMED = 2
NO_DIFFERENCE = 5e-4
"""Code values, or part of light, up to which something leaves a picture as it is, and is not told."""
DEEPER = "A file of 16 bits would tell."
STRONGER = "A render with stronger colours would tell."
SENTENCES = {
    AS_EXPECTED: "The picture is as expected.",
    ANOTHER: "This is another picture than the render.",
    UNKNOWN: "Something was done to it that is none of what is known.",
}


def explain(question: Question) -> Explained:
    """What was done to a picture on its way from the light that it should show. As expected is only what is so in every
    pixel, as far as its coding lets anyone tell."""
    question = question.with_alpha_alike()
    placement, bars = _placed(question)
    if not placement.is_same_picture:
        return Explained(ANOTHER, (), (), NOTHING, NOTHING, placement)
    question = inside(question, bars)
    samples = sampled(question.light, question.picture, placement)
    if len(samples.light) < LEAST_SAMPLES:
        return Explained(UNKNOWN, (), (), NOTHING, NOTHING, placement)
    step = STEP[question.depth] + (0.0 if abs(placement.scale[0] - 1) < 1e-3 else SCALED)
    search = Search(question.scene, samples, step, is_clipped=question.is_clipped)
    if (offset := _chroma_offset(question, placement, search)) is not None:
        question = replace(question, picture=moved_back(question.picture, offset), depth=LOSSY_DEPTH)
        samples = sampled(question.light, question.picture, placement)
        search = Search(question.scene, samples, step, is_clipped=question.is_clipped)
    expected = search.expected()
    off, most = _difference(question, search, expected, samples), _difference(question, search, expected, samples, MOST)
    besides = (*_steps(question), *_geometry(placement, bars), *_beside_brightness(offset))
    as_expected = Explained(EXPLAINED if besides else AS_EXPECTED, besides, (), off, off, placement, SURE, bars)
    # Where most of it is off, nothing is off in places.
    is_off = float(np.median(expected.off)) > FITTING
    elsewhere = None if is_off else _places(question, search, placement, expected)
    coding = _by_coding(question, samples)
    seen = SEEN * max(1.0, coding)
    is_mostly_right = expected.fits and most[0] < seen
    if is_mostly_right and elsewhere is None:
        return _with_what_is_alike(question, search, placement, expected, as_expected)
    sure = LIKELY_LOSSY if question.coding.lossy else SURE
    in_places = replace(as_expected, verdict=IN_PLACES, places=elsewhere, confidence=sure)
    is_at_once = elsewhere and elsewhere.share < MOST_PLACES and _is_seen_at_once(elsewhere, is_mostly_right)
    if is_at_once and not _is_better_everywhere(question, search, placement, expected):
        return in_places
    found = search.best()
    found = [chain for chain in found if search.is_shortest(chain)] or found
    chains = _shortest_first(question, search, samples, found, coding)
    best = chains[0]
    is_no_better = expected.cost < NO_BETTER * best.cost and most[0] < MOST_UNEXPLAINED * seen
    if is_no_better or (most[0] < seen and expected.cost < CLEARLY_BETTER * best.cost):
        if elsewhere is None:
            return replace(as_expected, confidence=LIKELY)
        everywhere = _right_everywhere(question, search, placement, chains)
        if everywhere is None:
            return in_places
        best = everywhere
    elif (everywhere := _right_everywhere(question, search, placement, chains)) is not None:
        chains = [everywhere, *(chain for chain in chains if chain is not everywhere)]
        best = everywhere

    def unknown() -> Explained:
        if placement.likeness < SIMILAR:
            return Explained(ANOTHER, (), (), NOTHING, NOTHING, placement)
        near = None if question.expects_light else fitted(search.numbers((), samples), samples.numbers)
        return Explained(UNKNOWN, (), (), off, off, placement, bars=bars, fitted=near)

    left = _difference(question, search, best, samples)
    if not _is_explained(best, _difference(question, search, best, samples, MOST)[0]):
        return unknown()
    where = _places(question, search, placement, best)
    if where and where.share > MOST_ELSEWHERE:
        return unknown()
    others = tuple(map(_told, _fitting_as_well(search, best, chains[1:])))
    verdict = UNDECIDED if others else EXPLAINED
    confidence = _confidence(search, chains) / (1 + len(others))
    if where:
        confidence = min(confidence, LIKELY) * (1 - OUTSIDE * where.share)
    return Explained(verdict, (*_told(best), *besides), others, left, off, placement, confidence, bars, places=where)


def _with_what_is_alike(
    question: Question, search: Search, placement: Placement, expected: Chain, found: Explained
) -> Explained:
    """An answer with what would look the same in every pixel of this file, and what would tell."""
    likely = search.alike(expected) if found.verdict == AS_EXPECTED else []
    likely = [chain for chain in likely if search.apart(expected, chain) > NO_DIFFERENCE][:LIKELIEST]
    alike = [chain for chain in likely if _places(question, search, placement, chain) is None]
    if not alike:
        return found
    is_finer = search.step > STEP["16 bits"] and min(search.apart(expected, chain) for chain in alike) > STEP["16 bits"]
    return replace(found, alternatives=tuple(map(_told, alike)), would_tell=DEEPER if is_finer else STRONGER)


def _is_seen_at_once(elsewhere: Places, is_mostly_right: bool) -> bool:
    return elsewhere.looks == EXPOSED or (is_mostly_right and elsewhere.looks in SEEN_AT_ONCE)


def _is_better_everywhere(question: Question, search: Search, placement: Placement, expected: Chain) -> bool:
    """Whether one deviation makes every pixel right, so that what differs does not do so in places alone."""
    better = [chain for chain in search.best_singles() if chain.cost < expected.cost]
    return _right_everywhere(question, search, placement, better) is not None


def _places(question: Question, search: Search, placement: Placement, chain: Chain) -> Places | None:
    """Where a picture is not what a chain gives."""
    return places(question.picture, question.light, placement, search.made_by(chain.deviations), question.coding)


def _right_everywhere(
    question: Question, search: Search, placement: Placement, chains: Sequence[Chain]
) -> Chain | None:
    """The first of the chains that is right in every pixel, or of those that leave least."""
    fitting = [chain for chain in chains if chain.fits]
    least = [*fitting[:1], *sorted(fitting[1:], key=lambda chain: chain.cost)[: LIKELIEST - 1]]
    likely = [chain for chain in chains if any(chain is other for other in least)]
    return next((chain for chain in likely if _places(question, search, placement, chain) is None), None)


def _shortest_first(
    question: Question, search: Search, samples: Samples, chains: list[Chain], coding: float
) -> list[Chain]:
    """The chains with a shorter one first where it leaves hardly more than the best."""
    best = chains[0]
    left = _difference(question, search, best, samples)[0]
    for chain in chains[1:]:
        is_shorter = chain.length < best.length and chain.fits and chain.cost < FAR_BETTER * best.cost
        hardly_more = max(left + HARDLY, left + OF_CODING * coding, HARDLY_MORE * left)
        if is_shorter and _difference(question, search, chain, samples)[0] <= hardly_more:
            return [chain, *(other for other in chains if other is not chain)]
    return chains


def _fitting_as_well(search: Search, best: Chain, others: Sequence[Chain]) -> list[Chain]:
    """The chains that the picture does not tell from the best, one of those that are one answer."""
    found = [best]
    for chain in others:
        if _fits_as_well(search, best, chain) and not any(_is_same_answer(search, chain, other) for other in found):
            found.append(chain)
    return found[1:]


def _is_same_answer(search: Search, one: Chain, other: Chain) -> bool:
    """Whether two chains are of the same operations, with the same result or numbers that describe one curve in two
    forms."""
    if [each.operation for each in one.deviations] != [each.operation for each in other.deviations]:
        return False
    return any(each.way.many for each in one.deviations) or search.is_same(one, other)


def _fits_as_well(search: Search, best: Chain, other: Chain) -> bool:
    """Whether the picture does not say that the best is better than another chain that counts as much; or that another,
    which counts as one more and is none that adds to the best, is better than the best."""
    if not other.fits:
        return False
    if other.length == best.length:
        return not search.is_told_apart(best, other)
    adds = {each.code for each in best.deviations} <= {each.code for each in other.deviations}
    return other.length == best.length + 1 and not adds and other.cost < BETTER * best.cost


def _is_explained(best: Chain, left: float) -> bool:
    """Whether a chain explains a picture of which so much is left, ΔE in the mean. A grade bends to much that it is
    not, so it must leave less."""
    if any(each.way.many for each in best.deviations):
        return best.fits and (left < NOTICED_OF_MANY or best.cost < CLOSE)
    return best.fits or left <= NOTICED


def _placed(question: Question) -> tuple[Placement, Bars]:
    """Where the picture lies in the light, and the bars around it, where it is found only without them."""
    light, picture = reduced(question.light), reduced(question.picture)
    placement = place(light, picture)
    if placement.likeness >= CERTAIN:
        return placement, NO_BARS
    for bars in _likely_bars(question, light, picture, placement):
        if any(bars):
            within = place(light, reduced(inside(question, bars).picture))
            if within.likeness > placement.likeness + CLEARLY_MORE:
                return within, bars
    if placement.likeness < LIKELY_PLACED:  # a negative is dark where the light is bright
        negative = place(light, replace(picture, bright=-picture.bright))
        return max(placement, negative, key=lambda found: found.likeness), NO_BARS
    return placement, NO_BARS


def _likely_bars(question: Question, light: Reduced, picture: Reduced, placement: Placement) -> Iterator[Bars]:
    bars = bars_of(question.picture)
    fills = placement.fills(light, picture)
    # What fills the picture has nothing around it; but bars may be laid over it.
    if not fills or _covered(bars, picture.shape) > HARDLY_COVERED:
        yield bars
    if not fills:
        yield around(light, picture)


def _covered(bars: Bars, shape: tuple[int, int]) -> float:
    """The part of a picture of a shape, (height, width), that bars cover."""
    left, top, right, bottom = bars
    return 1 - (1 - (top + bottom) / shape[0]) * (1 - (left + right) / shape[1])


def inside(question: Question, bars: Bars) -> Question:
    """The question of the picture without its bars."""
    left, top, right, bottom = bars
    height, width = question.picture.shape[:2]
    return replace(question, picture=question.picture[top : height - bottom, left : width - right])


def _confidence(search: Search, chains: Sequence[Chain]) -> float:
    """How often the first of such chains is right, by how much more is left by the next that gives other numbers;
    measured on pictures made at random (CONFIDENCE)."""
    best = chains[0]
    other = next((chain for chain in chains[1:] if not search.is_same(best, chain)), None)
    ratio = other.cost / max(best.cost, 1e-6) if other else float("inf")
    return next(share for least, share in CONFIDENCE if ratio >= least)


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


def _geometry(placement: Placement, bars: Bars) -> Iterator[Told]:
    """A picture that is flipped, or has bars around it; one of another size, or with something cut off, is none the
    worse for it."""
    scale = round(1 / placement.scale[0], 4)
    if any(bars):
        told: dict[str, Parameter] = {"scale": scale, "bars": tuple(map(float, bars))}
        yield Told(
            "geometry", told, f"There is something around it: {_bars_told(bars)}.", "codes", lambda pixels: pixels
        )
    if flip := placement.flip:
        yield Told(
            "geometry",
            {"scale": scale, "flip": flip},
            f"The picture is flipped, {flip}.",
            "codes",
            lambda pixels: flipped(pixels, flip),
        )


def _chroma_offset(question: Question, placement: Placement, search: Search) -> tuple[float, float] | None:
    if question.expects_light or placement.flip:
        return None
    return chroma_offset(question.picture, question.light, placement, search.made_by(()))


def _beside_brightness(offset: tuple[float, float] | None) -> Iterator[Told]:
    """Colour that lies beside its brightness."""
    if offset is None:
        return
    found = offset
    ways = ((found[0], "right", "left"), (found[1], "down", "up"))
    told = " and ".join(
        f"{abs(by):.1f} pixels {plus if by > 0 else minus}" for by, plus, minus in ways if abs(by) >= LEAST_TOLD
    )
    yield Told(
        "chroma-siting",
        {"right": found[0], "down": found[1]},
        f"Its colour lies {told} of where its brightness lies, as where the chroma siting of a video is misread.",
        "codes",
        lambda pixels: moved_back(pixels, found),
    )


def _bars_told(bars: Bars) -> str:
    sides = zip(("left", "top", "right", "bottom"), bars, strict=True)
    return ", ".join(f"{pixels} pixels {side}" for side, pixels in sides if pixels)


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
    """ΔE between the picture and what a chain gives, mean and 99th percentile; of light through the view. Of a
    `share` alone, the nearest: what covers a part of the picture does not decide."""
    made = search.numbers(chain.deviations, samples)
    _, measure = display_difference(question.config, question.choice)
    found = measure(*(_shown(question, numbers) for numbers in (samples.numbers, made)))
    nearest = np.sort(found)[: max(1, round(share * len(found)))]
    return float(nearest.mean()), float(np.percentile(nearest, 99))


def _by_coding(question: Question, samples: Samples) -> float:
    """ΔE in the mean that half a step of the coding makes: beyond 1 where few code values have many brightnesses."""
    if question.expects_light:
        return 0.0
    _, measure = display_difference(question.config, question.choice)
    codes = samples.numbers.astype(np.float64)
    signs = np.random.default_rng(3).choice([-0.5, 0.5], codes.shape)
    return float(measure(codes, np.clip(codes + STEP[question.depth] * signs, 0, 1)).mean())


def _shown(question: Question, numbers: Pixels) -> Any:
    """Code values of the view."""
    codes = numbers
    if question.expects_light:
        codes = question.scene.view()(np.ascontiguousarray(numbers[np.newaxis]))[0]
    return np.clip(np.nan_to_num(codes), 0, 1).astype(np.float64)


def rescued(question: Question, found: Explained) -> Pixels:
    """The picture undone into light in the working space, (height, width, 3), the last that happened first. Raises
    BadInput where something of it cannot be undone."""
    if not found.can_be_undone:
        lost = " ".join(found.lost) or "What was done to it is not known."
        raise BadInput(f"This picture cannot be undone into light. {lost}")
    return undone(question.scene, found.deviations, inside(question, found.bars).picture)


def undone(scene: Scene, deviations: Sequence[Told], picture: Pixels) -> Pixels:
    """The light of a picture to which deviations happened in their order, without its bars, (height, width, 3) in the
    working space. Each of them can be undone."""
    numbers = np.ascontiguousarray(picture[..., :3], np.float32)
    steps = [each.undo for each in reversed(deviations) if each.stage == "codes"]
    of_view = [each.undo for each in deviations if each.stage == "view"]
    if not scene.expects_light or of_view:
        steps += of_view or [scene.view_undone()]
    steps += [each.undo for each in reversed(deviations) if each.stage == "light"]
    for step in steps:
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
