"""What was done to a picture, told: the verdict, the deviations in order, what is left, and what cannot be undone."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import (
    NO_BARS,
    Bars,
    Placement,
)
from saltwort.core.explain.besides import LEAST_SAMPLES, Told, beside_brightness, geometry, stepped
from saltwort.core.explain.chains import FITTING, Chain
from saltwort.core.explain.chroma import chroma_offset, moved_back
from saltwort.core.explain.fitted import Fitted, fitted
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.placed import inside, placed
from saltwort.core.explain.places import COVERED, EXPOSED, SCATTERED, SINGLE, Places, places
from saltwort.core.explain.question import LOSSY_DEPTH, STEP, Question
from saltwort.core.explain.samples import Samples, sampled
from saltwort.core.explain.search import CLOSE, Search
from saltwort.core.images.reading import Pixels
from saltwort.core.views.tone import display_difference

Verdict = Literal["as expected", "explained", "not told apart", "unknown", "another picture", "differs in places"]
VERDICTS: tuple[Verdict, ...] = get_args(Verdict)
AS_EXPECTED, EXPLAINED, UNDECIDED, UNKNOWN, ANOTHER, IN_PLACES = VERDICTS
SCALED = 1.5 / 255
"""More for a picture that has another size: samples then lie between pixels."""
SEEN = 1.0
"""ΔE in the mean below which a picture is as expected, unless something is known to have been done to it."""
NOTICED, NOTICED_OF_MANY = 2.0, 1.2
CLEARLY_BETTER = 1.5
"""How many times better something known must explain a picture that is hardly off, for it not to be as expected."""
BETTER = 0.85
"""Part of what the best chain leaves that one which counts as one more must leave, to be named beside it."""
MOST_ELSEWHERE, MOST_SCATTERED, OUTSIDE = 0.25, 0.03, 2.0
"""Share of the image that a chain may leave unexplained, in one place or scattered, and the factor by which that share
lowers the confidence."""
HARDLY, OF_CODING, HARDLY_MORE, FAR_BETTER = 0.25, 0.5, 1.6, 10.0
"""ΔE in the mean, or as a part of what the coding makes, or how many times as much, that one deviation more is not told
for, unless it explains so many times as much of what the coding can tell."""
NO_BETTER, MOST_UNEXPLAINED = 1.15, 3.0
"""A picture that nothing explains better by so much is as expected up to this ΔE: scaling mixes what lies side by
side."""
MOST = 0.88
"""Share of the samples that must be as told; the rest may be covered by a watermark or a frame number."""
SURE, LIKELY, LIKELY_LOSSY = 0.98, 0.9, 0.88
"""How often a picture called as expected is right: at once, and where what is known explains it hardly better; and one
that differs in places after compression."""
CONFIDENCE = ((2.0, 0.99), (1.4, 0.97), (1.15, 0.9), (0.0, 0.75))
"""How often the first chain was right, by how many times more the next leaves."""
NOTHING = (0.0, 0.0)
SEEN_AT_ONCE = (COVERED, SINGLE)
MOST_PLACES = 0.4
"""What differs in places may look like, and how much of a picture it may be, for nothing else to be looked for."""
LIKELIEST = 4
"""Chains that are held to every pixel."""
SIMILAR = 0.5
"""Correlation below which a picture that nothing explains is another one: other pictures come to 0.4 by chance."""


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
    placement, bars = placed(question)
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
    besides = (*stepped(question), *geometry(placement, bars), *beside_brightness(offset))
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
    where = None if everywhere else _places(question, search, placement, best)
    if where and where.share > (MOST_SCATTERED if where.looks == SCATTERED else MOST_ELSEWHERE):
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
    better = [chain for chain in search.best_singles if chain.cost < expected.cost]
    return _right_everywhere(question, search, placement, better) is not None


def _places(question: Question, search: Search, placement: Placement, chain: Chain) -> Places | None:
    """Where a picture is not what a chain gives."""
    return places(question.picture, question.light, placement, search.made_by(chain.deviations), question.coding)


def _right_everywhere(
    question: Question, search: Search, placement: Placement, chains: Sequence[Chain]
) -> Chain | None:
    """The first of the chains that is right in every pixel, or of those that leave least."""
    fitting = [chain for chain in chains if chain.fits]
    most = sorted(chain.cost for chain in fitting)[:LIKELIEST]
    likely = [chain for chain in fitting if chain is fitting[0] or chain.cost <= most[-1]]
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


def _chroma_offset(question: Question, placement: Placement, search: Search) -> tuple[float, float] | None:
    if question.expects_light or placement.flip:
        return None
    return chroma_offset(question.picture, question.light, placement, search.made_by(()))


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
