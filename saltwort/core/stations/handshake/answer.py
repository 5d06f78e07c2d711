"""Whether a card came back as agreed, or which setting is wrong: every mistake that may happen is made on the patches
of the card, and the one that gives the numbers found is it."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.question import CLIPPED_DEPTHS, Depth
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, LUT
from saltwort.core.stations.handshake.card import Card
from saltwort.core.stations.handshake.found import Found
from saltwort.core.stations.mistake import Made, Range, mistakes, possible
from saltwort.core.stations.simulation import Run

Came = Literal["shown", "written"]
"""What the file is: a picture of what is seen in the application, or the file that it hands on."""
VERDICTS = ("as agreed", "wrong", "undecided", "unknown")
AGREED, WRONG, UNDECIDED, UNKNOWN = VERDICTS
Numbers = NDArray[np.float64]

STEP: dict[Depth, float] = {"8 bits": 1 / 255, "JPEG": 3 / 255, "16 bits": 5e-4, "half": 1e-3, "float": 1e-3}
"""How far a patch may be off by the coding alone: of code values, or of light as a part of it. JPEG of quality 75 and
more keeps the middle of a patch of one colour within it; 8 bits are rounded, some with dither."""
LUT_STEP = 0.01
"""More for an application that shows through a LUT: its own interpolation is not ours."""
LEAST_LIGHT = 0.02
"""Light below which differences count as if it were that."""
MOST_STEPS = 2.5
"""In the largest of all patches, for a picture to be as agreed."""
LEAST_COST, CLEARLY = 0.3, 2.0
"""A picture within its coding of what is agreed is undecided still where it is this many steps off in the mean, and a
mistake explains it so many times better."""
FITTING, OUTLIERS = 3.0, 0.04
"""Steps within which a mistake explains a patch, and the share of patches that it need not explain."""


@dataclass(frozen=True)
class CameBack:
    """A file that came back: the card in it, what it is, and how it is coded."""

    found: Found
    came: Came
    depth: Depth

    @property
    def is_clipped(self) -> bool:
        return self.depth in CLIPPED_DEPTHS


@dataclass(frozen=True)
class Answer:
    """The verdict; the mistakes that were made, in the order in which they happened, nothing where all is as agreed;
    other explanations that these numbers do not tell apart; the largest difference to what is agreed and what is left
    once the mistakes are made, in code values, or of light as a part of it; the patch with the largest; and the step of
    the coding."""

    verdict: str
    made: tuple[Made, ...]
    others: tuple[tuple[Made, ...], ...]
    largest: float
    left: float
    worst: int
    step: float


@dataclass(frozen=True)
class _Guess:
    made: tuple[Made, ...]
    run: Run
    steps: Numbers

    @property
    def cost(self) -> float:
        """Robust: a few patches that are covered or cut off do not decide."""
        return float(np.sqrt(np.mean(np.minimum(self.steps, 30) ** 2)))

    @property
    def slope(self) -> float:
        """What is made small when a number is looked for: it falls towards the right one from anywhere."""
        return float(np.mean(np.log1p(self.steps)))

    @property
    def fits(self) -> bool:
        return bool((self.steps > FITTING).mean() <= OUTLIERS)


def answer(card: Card, back: CameBack) -> Answer:
    """What was done to a card. Colours of patches that are not in the picture do not count."""
    compare = _Comparison(card, back)
    agreed = compare.guess((), card.bench.agreed())
    largest, worst = compare.largest(agreed), compare.worst(agreed)
    singles = [compare.guess((made,), made.slip.run) for made in possible(card.bench) if compare.concerns(made)]
    guesses = _best(compare.fitted(singles))
    if float(agreed.steps.max()) <= MOST_STEPS:
        if agreed.cost <= max(LEAST_COST, CLEARLY * guesses[0].cost):
            return Answer(AGREED, (), (), largest, largest, worst, compare.step)
        return Answer(UNDECIDED, guesses[0].made, ((),), largest, compare.largest(guesses[0]), worst, compare.step)
    if not guesses[0].fits:
        guesses = _best([*guesses, *compare.fitted(compare.pairs(singles))])
    # What changes nothing explains nothing: an exposure of 0 stops, say.
    guesses = [guess for guess in guesses if not compare.is_same(agreed, guess)] or [agreed]
    best = guesses[0]
    if not best.fits:
        return Answer(UNKNOWN, best.made, (), largest, compare.largest(best), worst, compare.step)
    others = tuple(guess.made for guess in guesses[1:] if guess.fits and compare.is_same(best, guess))
    verdict = UNDECIDED if any(_setting(made) != _setting(best.made) for made in others) else WRONG
    return Answer(verdict, best.made, others, largest, compare.largest(best), worst, compare.step)


class _Comparison:
    """The patches of a card beside what came back."""

    def __init__(self, card: Card, back: CameBack) -> None:
        self.card, self.back = card, back
        found = back.found.numbers.astype(np.float64)
        if found.shape[1] < 3:
            found = np.repeat(found[:, :1], 3, axis=1)
        self.seen = ~np.isnan(found[:, 0])
        self.found = found[self.seen, :3]
        self.fed = card.numbers[self.seen][np.newaxis]
        lut = LUT_STEP if back.came == "shown" and card.bench.station.able(COLOUR_BY) == LUT else 0.0
        self.step = STEP[back.depth] + lut

    def concerns(self, made: Made) -> bool:
        return made.mistake.stage in ("read", "show" if self.back.came == "shown" else "write")

    def predicted(self, run: Run) -> Numbers:
        made = run.shown(self.fed) if self.back.came == "shown" else run.written(self.fed)
        colours = np.nan_to_num(made[0, :, :3].astype(np.float64), posinf=LARGEST_HALF, neginf=-LARGEST_HALF)
        return np.clip(colours, 0, 1) if self.back.is_clipped else colours

    def guess(self, made: tuple[Made, ...], run: Run) -> _Guess:
        return _Guess(made, run, self._off(self.predicted(run), self.found) / self.step)

    def largest(self, guess: _Guess) -> float:
        return float(guess.steps.max() * self.step)

    def worst(self, guess: _Guess) -> int:
        """The patch of the card that is furthest off."""
        return int(np.flatnonzero(self.seen)[int(guess.steps.argmax())])

    def is_same(self, one: _Guess, other: _Guess) -> bool:
        """Whether two guesses give numbers that this coding does not tell apart."""
        return bool((self._off(self.predicted(one.run), self.predicted(other.run)) <= 1.5 * self.step).all())

    def fitted(self, guesses: Sequence[_Guess]) -> list[_Guess]:
        """The guesses, those of a number that may be any with the number that fits best; one of each mistake then."""
        best: dict[object, _Guess] = {}
        plain = []
        for guess in guesses:
            if guess.made[-1].slip.fits is None:
                plain.append(guess)
                continue
            of = (*(made.key for made in guess.made[:-1]), guess.made[-1].mistake)
            if of not in best or guess.slope < best[of].slope:
                best[of] = guess
        likely = sorted(best.values(), key=lambda guess: guess.slope)
        return [*plain, *(self._fit(guess) for guess in likely[:6]), *likely[6:]]

    def _fit(self, guess: _Guess) -> _Guess:
        from scipy.optimize import minimize_scalar  # slow to import, seldom needed

        last = guess.made[-1]
        fits = last.slip.fits
        assert fits is not None
        start = float(last.slip.parameters[fits.name])
        low, high = _around(fits, start)
        found = minimize_scalar(
            lambda value: self.guess(guess.made, fits.run(value)).slope, bounds=(low, high), options={"xatol": 1e-5}
        )
        value = float(found.x)
        slip = replace(last.slip, run=fits.run(value), parameters={**last.slip.parameters, fits.name: value})
        fitted = self.guess((*guess.made[:-1], replace(last, slip=slip)), slip.run)
        return min(fitted, guess, key=lambda each: each.slope)

    def pairs(self, singles: Iterable[_Guess]) -> list[_Guess]:
        """What two mistakes one after the other give, the first of them read or made where the second is."""
        made = []
        for first in singles:
            for second in self._second(first.made[0], first.run):
                made.append(self.guess((first.made[0], second), second.slip.run))
        return made

    def _second(self, first: Made, run: Run) -> Iterator[Made]:
        target = "show" if self.back.came == "shown" else "write"
        for each in mistakes():
            if each.stage == target and each is not first.mistake:
                for slip in each.slips(self.card.bench, run):
                    yield Made(each, slip)

    def _off(self, one: Numbers, other: Numbers) -> Numbers:
        """How far the patches of two are apart, (n,): in code values; of light as a part of it."""
        difference = np.abs(one - other)
        if self.back.came == "written" and self.card.bench.hands_on == "light":
            difference = difference / np.maximum(np.abs(one).max(axis=1, keepdims=True), LEAST_LIGHT)
        return np.asarray(difference.max(axis=1))


def _around(fits: Range, start: float) -> tuple[float, float]:
    reach = 1.2 if fits.name == "stops" else 0.5 * start
    return max(fits.low, start - reach), min(fits.high, start + reach)


def _best(guesses: Sequence[_Guess]) -> list[_Guess]:
    return sorted(guesses, key=lambda guess: (round(guess.cost, 2), len(guess.made)))


def _setting(made: tuple[Made, ...]) -> tuple[tuple[str, str], ...]:
    return tuple((each.mistake.section, each.mistake.setting) for each in made)
