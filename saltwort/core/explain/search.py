"""The search for what was done: chains of operations, the shortest that give the numbers of the picture."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property, partial
from itertools import product

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from saltwort.core.explain.chains import (
    Array,
    Chain,
    Deviation,
    beginnings,
    in_order,
    in_parts,
    may_follow,
    may_meet,
    numbers_of,
    with_number,
    with_numbers,
)
from saltwort.core.explain.made import Made
from saltwort.core.explain.operation import Fit, Operation, Scene, Way, operations
from saltwort.core.explain.samples import Samples
from saltwort.core.explain.steps import Step, in_turn
from saltwort.core.images.alpha import OPAQUE
from saltwort.core.numbers import LARGEST_HALF, MIDDLE_GREY

FEW = 500
"""Samples by which numbers are found exactly."""
MOST_LOOKED_AT = 12
"""Chains that are then looked at with all samples."""
CLOSE = 0.3
"""Cost up to which what was found is all: a third of a step in the mean, which scaling and compression leave of a right
chain. Beyond, more is tried."""
SURE = 3.0
"""How many times the uncertainty of the mean one chain must be better than another, to be told apart from it."""
ALIKE_SAMPLES = 8
"""Samples that err together, as those of one surface do."""
LEAST_LIGHT = 0.01
SAME_NUMBERS = 1e-5
_STOPS = np.random.default_rng(7).normal(0, 3, (400, 3))
_ANY_LIGHT = np.append(MIDDLE_GREY * 2.0**_STOPS, np.ones((400, 1)), axis=1).astype(np.float32)
"""Colours of all strengths, dark and bright, (n, 4)."""
EXPOSURE, LAID_OVER, HIGHLIGHTS, CHANNEL_MIX, GRADE = "exposure", "laid-over", "highlights", "channel-mix", "grade"
QUICK, QUICK_TRIES, EXACT_TRIES = 120, 9, 40
"""Samples and steps by which numbers are found about, and steps by which they are found exactly."""
VERY_FEW = 40
"""Samples by which chains of three are told apart."""
EXPOSURES = ((np.arange(-4, 4.1, 1.0), 300), (np.arange(-5, 5.1, 0.25), 60))
"""Stops that chains of three are tried with, and how many chains are left then."""
FEWER = ((16, 3), (3, 7))
"""How many grades with another are left after how many steps, and of these again."""
MOST_MADE = 64_000_000
"""Bytes of numbers of samples that are kept."""
DIFFERENCE = 1e-3
"""By which a number is moved to see what follows: pixels are float32, which smaller ones drown in."""
SETTLED = 1e-4
"""Part of a cost or a number by which it still moves when it is found well enough to be told from others."""


class Search:
    """Chains tried on samples. `step` is how far the coding of the picture alone may put a number off, in code values,
    or of light as a part of it; `is_clipped` says that the file holds 0–1."""

    def __init__(self, scene: Scene, samples: Samples, step: float, *, is_clipped: bool) -> None:
        self.scene, self.step, self.is_clipped = scene, step, is_clipped
        self._expected = scene.expected()
        self._all = samples
        self._few = samples.some(FEW)
        self._quick = self._few.some(QUICK)
        self._made: LRUCache[object, NDArray[np.float32]] = LRUCache(MOST_MADE, getsizeof=lambda made: made.nbytes)

    @cached_property
    def _ways(self) -> list[tuple[Operation, Way]]:
        """What could have been done, without grades. Not worked out for a picture that is as expected."""
        return self._unlike(
            (each, way)
            for each in operations()
            for way in each.ways(self.scene)
            if way.many is None and not self._is_idle(each, way)
        )

    @cached_property
    def _of_many(self) -> list[Deviation]:
        is_opaque = bool((self._few.light[:, 3] > OPAQUE).all())
        known = [each for each in operations() if not (is_opaque and each.code == LAID_OVER)]
        return [Deviation(each, way) for each in known for way in each.ways(self.scene) if way.many is not None]

    def _is_idle(self, operation: Operation, way: Way) -> bool:
        """Whether it changes nothing here, as what is done with alpha where there is none."""
        if operation.stage != "light" or way.step is None or way.fit is not None:
            return False
        light = self._few.light[np.newaxis]
        return bool(np.allclose(way.step(light), light, rtol=1e-4, atol=1e-6))

    def _unlike(self, ways: Iterable[tuple[Operation, Way]]) -> list[tuple[Operation, Way]]:
        """Without views that do to any light what one before them does: configs have several names for one thing."""
        light = _ANY_LIGHT[np.newaxis]
        kept: list[tuple[Operation, Way]] = []
        seen: list[NDArray[np.float32]] = []
        for operation, way in ways:
            if operation.stage == "view":
                made = way.step(light) if way.step else light
                if any(np.allclose(made, other, rtol=SAME_NUMBERS, atol=SAME_NUMBERS) for other in seen):
                    continue
                seen.append(made)
            kept.append((operation, way))
        return kept

    def expected(self) -> Chain:
        return self.chain((), self._all)

    def plain(self) -> list[Deviation]:
        """All deviations that have no number of their own."""
        return [Deviation(each, way) for each, way in self._ways if way.fit is None]

    def written(self, step: Step) -> Chain:
        """A chain that is one step alone, from light in the working space to the numbers of the picture."""
        return Chain((), self._off(self._coded(step(self._all.light[np.newaxis])), self._all.numbers))

    @cached_property
    def best_singles(self) -> list[Chain]:
        """Chains of one deviation, the best first."""
        return self._looked_at(self._singles())

    def best(self) -> list[Chain]:
        """Chains of one deviation, the best first; where none of these is close, of alpha over a colour, of compressed
        highlights, of two, of mixed channels, of three of which one is exposure, of a grade, and of what has many
        numbers with another."""
        found = self.best_singles
        if found[0].fits and found[0].cost < CLOSE:
            return found
        codes = (LAID_OVER, HIGHLIGHTS, CHANNEL_MIX, GRADE)
        laid_over, highlights, mixes, grades = (partial(self._of_numbers, code) for code in codes)
        for more in (laid_over, highlights, self._pairs, mixes, self._threes, grades, self._graded):
            found = in_order([*found, *self._looked_at(more())])
            if found[0].fits and found[0].cost < CLOSE:
                break
        return found

    def chain(self, deviations: tuple[Deviation, ...], samples: Samples) -> Chain:
        """How far the samples are from what a chain gives."""
        return Chain(deviations, self._off(self.numbers(deviations, samples), samples.numbers))

    def numbers(self, deviations: tuple[Deviation, ...], samples: Samples) -> NDArray[np.float32]:
        """What a chain gives for the light of samples."""
        after = [each.way.step for each in deviations if each.operation.stage == "codes" and each.way.step is not None]
        before = tuple(each for each in deviations if each.operation.stage != "codes")
        return self._coded(in_turn(*after)(self._before_codes(before, samples)))

    def made_by(self, deviations: tuple[Deviation, ...]) -> Made:
        """A chain as what it does to light, and to code values after that."""
        views = [each.way.step for each in deviations if each.operation.stage == "view"] or [self._expected]
        of_light = [each.way.step for each in deviations if each.operation.stage == "light"]
        after = [each.way.step for each in deviations if each.operation.stage == "codes"]
        return Made(
            in_turn(*(step for step in (*of_light, *views) if step is not None)),
            in_turn(*(step for step in after if step is not None)) if after else None,
        )

    def _before_codes(self, deviations: tuple[Deviation, ...], samples: Samples) -> NDArray[np.float32]:
        """What comes out of the view, (1, n, 3 or 4); kept, since many chains begin alike."""
        key = (samples, *((each.code, *each.way.parameters.items()) for each in deviations))
        if (made := self._made.get(key)) is None:
            view: Step | None = self._expected
            steps = []
            for each in deviations:
                if each.operation.stage == "view":
                    view = each.way.step
                elif each.way.step is not None:
                    steps.append(each.way.step)
            made = self._made[key] = in_turn(*steps, *([view] if view else []))(samples.light[np.newaxis])
        return made

    def _coded(self, made: NDArray[np.float32]) -> NDArray[np.float32]:
        """The numbers that a file holds of colours, (1, n, 3 or 4), as (n, 3)."""
        low, high = (0, 1) if self.is_clipped else (-LARGEST_HALF, LARGEST_HALF)
        numbers = np.clip(made[0, :, :3], low, high)
        numbers[np.isnan(numbers)] = 0
        return numbers

    def is_same(self, one: Chain, other: Chain) -> bool:
        """Whether two chains give numbers that the coding does not tell apart."""
        first, second = (self.numbers(each.deviations, self._all) for each in (one, other))
        return self._are_same(first, second)

    def is_shortest(self, chain: Chain) -> bool:
        """Whether each of several deviations changes something that the coding shows."""
        parts = chain.deviations
        shorter = [Chain((*parts[:at], *parts[at + 1 :]), chain.off) for at in range(len(parts))]
        return len(parts) < 2 or not any(self.is_same(chain, fewer) for fewer in shorter)

    def alike(self, best: Chain) -> list[Chain]:
        """Chains of one deviation, without a number of its own, that this picture does not tell from the best, though
        other light would."""
        found = []
        for each in self.plain():
            chain = Chain((each,), best.off)
            few = [self.numbers(one.deviations, self._few) for one in (best, chain)]
            if self._are_same(*few) and self.is_same(best, chain) and not self._is_another_name(best, chain):
                found.append(self.chain((each,), self._all))
        return found

    def apart(self, one: Chain, other: Chain) -> float:
        """How far the numbers of two chains are apart, at the 98th percentile, in code values or as a part of light."""
        first, second = (self.numbers(each.deviations, self._all) for each in (one, other))
        return float(np.percentile(self._off(first, second), 98) * self.step)

    def _is_another_name(self, one: Chain, other: Chain) -> bool:
        """Whether two chains give the same of any light."""
        any_light = Samples(_ANY_LIGHT, np.zeros((len(_ANY_LIGHT), 3), np.float32))
        return self._are_same(*(self.numbers(each.deviations, any_light) for each in (one, other)))

    def _are_same(self, first: NDArray[np.float32], second: NDArray[np.float32]) -> bool:
        return bool((self._off(first, second) > 1.0).mean() < 0.02)

    def is_told_apart(self, best: Chain, other: Chain) -> bool:
        """Whether the picture says that one chain is better than another: by how far both are off in the same places,
        beyond chance."""
        if self.is_same(best, other):
            return False
        worse = np.log1p(other.off) - np.log1p(best.off)
        chance = float(worse.std()) / np.sqrt(max(1.0, len(worse) / ALIKE_SAMPLES))
        return bool(worse.mean() > SURE * chance)

    def _off(self, one: NDArray[np.float32], other: NDArray[np.float32]) -> Array:
        difference = np.abs(one.astype(np.float64) - other)
        if self.scene.expects_light and not self.is_clipped:
            difference = difference / np.maximum(np.abs(other).max(axis=1, keepdims=True), LEAST_LIGHT)
        return np.asarray(difference.max(axis=1) / self.step)

    def _singles(self) -> Iterator[Chain]:
        for operation, way in self._ways:
            yield self._fitted((), Deviation(operation, way), self._few)

    def _pairs(self) -> Iterator[Chain]:
        """Two deviations in the order in which they happen."""
        for first, one in self._ways:
            for second, other in self._ways:
                if not may_follow(first, second):
                    continue
                begun = Deviation(first, one)
                if one.fit is None:
                    yield self._fitted((begun,), Deviation(second, other), self._quick)
                elif other.fit is None:
                    yield self._fitted((), begun, self._quick, after=(Deviation(second, other),))
                else:
                    both = product(beginnings(begun), beginnings(Deviation(second, other)))
                    best = min((self.chain(each, self._quick) for each in both), key=lambda chain: chain.cost)
                    yield self._together(best.deviations, self._quick, QUICK_TRIES)

    def _of_numbers(self, code: str) -> Iterator[Chain]:
        """Chains of one operation alone that has several numbers."""
        for each in self._of_many:
            if each.code == code:
                yield self._together(self._begun((), each, self._few), self._few, EXACT_TRIES)

    def _threes(self) -> Iterator[Chain]:
        """Exposure, and two others."""
        exposure = next(Deviation(each, way) for each, way in self._ways if each.code == EXPOSURE)
        fit = exposure.way.fit
        assert fit is not None
        others = [Deviation(operation, way) for operation, way in self._ways if operation.code != EXPOSURE]
        pairs = [pair for pair in product(others, others) if may_follow(pair[0].operation, pair[1].operation)]
        likely = [(number, begun) for number, pair in enumerate(pairs) for begun in product(*map(beginnings, pair))]
        begun: list[tuple[Deviation, ...]] = []
        for stops, most in EXPOSURES:
            costs = self._exposed([tried for _, tried in likely], [fit.step(value) for value in stops.tolist()])
            best: dict[int, int] = {}  # where the best of each pair is
            for at in np.argsort(costs.min(axis=1)).tolist():
                best.setdefault(likely[at][0], at)
            kept = list(best.values())[:most]
            begun = [(with_number(exposure, fit, float(stops[costs[at].argmin()])), *likely[at][1]) for at in kept]
            likely = [likely[at] for at in kept]
        for deviations in begun:
            yield self._together(deviations, self._quick, QUICK_TRIES)

    def _exposed(self, chains: Sequence[tuple[Deviation, ...]], exposures: Sequence[Step]) -> Array:
        """What chains cost after each of some exposures, (chains, exposures)."""
        few = self._few.some(VERY_FEW)
        # All exposures as one picture: many colours at once take hardly longer than a few.
        light = np.concatenate([exposed(few.light) for exposed in exposures])
        samples = Samples(light, np.tile(few.numbers, (len(exposures), 1)))
        off = np.array([self._off(self.numbers(chain, samples), samples.numbers) for chain in chains])
        return np.asarray(np.log1p(off).reshape(len(chains), len(exposures), -1).mean(axis=2))

    def _graded(self) -> Iterator[Chain]:
        """What has many numbers, with another that has none of its own, or exposure."""
        # What others do to code values bends to what a grade does after the view.
        plain = [each for each in self.plain() if each.operation.stage != "codes"]
        plain += [Deviation(operation, way) for operation, way in self._ways if operation.code == EXPOSURE]
        likely = [
            (grade, other) for grade in self._of_many for other in plain if may_meet(grade.operation, other.operation)
        ]
        for most, tries in FEWER:
            costs = [self._together(self._met(grade, other), self._quick, tries).cost for grade, other in likely]
            likely = [likely[place] for place in np.argsort(costs)[:most]]
        for grade, other in likely:
            yield self._together(self._met(grade, other), self._few, EXACT_TRIES)

    def _met(self, many: Deviation, other: Deviation) -> tuple[Deviation, ...]:
        """What has many numbers and another, with the numbers by which their search begins."""
        if not (many.way.many and many.way.many.solved):
            return _in_stages(other, many)
        begun = [self._begun((first,), many, self._quick) for first in beginnings(other)]
        return min(begun, key=lambda deviations: self.chain(deviations, self._quick).cost)

    def _begun(self, before: tuple[Deviation, ...], many: Deviation, samples: Samples) -> tuple[Deviation, ...]:
        """What has many numbers after others, with the numbers that these leave for it where they can be solved for."""
        assert many.way.many
        if many.way.many.solved is None:
            return (*before, many)
        left = self._before_codes(before, samples)[0, :, :3]
        return (*before, with_numbers(many, many.way.many.solved(np.nan_to_num(left), samples.numbers)))

    def _fitted(
        self,
        before: tuple[Deviation, ...],
        deviation: Deviation,
        samples: Samples,
        after: tuple[Deviation, ...] = (),
    ) -> Chain:
        """A chain with the number of one deviation that about fits best, where it has one."""
        fit = deviation.way.fit
        if fit is None:
            return self.chain((*before, deviation, *after), samples)

        def at(value: float) -> Chain:
            return self.chain((*before, with_number(deviation, fit, value), *after), samples)

        start = min(fit.first, key=lambda value: at(value).cost)
        return at(_least(lambda value: at(value).cost, fit, start, QUICK_TRIES))

    def _together(self, deviations: tuple[Deviation, ...], samples: Samples, tries: int) -> Chain:
        """A chain with all its numbers, by least squares with little weight on what is far off (soft L1)."""
        from scipy.optimize import least_squares  # slow to import, seldom needed

        numbers = [numbers_of(each) for each in deviations]
        start, low, high = np.concatenate(numbers, axis=1)
        if not len(start):
            return self.chain(deviations, samples)
        ends = np.cumsum([each.shape[1] for each in numbers])[:-1]

        def made(found: Array) -> tuple[Deviation, ...]:
            return tuple(map(with_numbers, deviations, np.split(found, ends)))

        def missing(found: Array) -> Array:
            given = self.numbers(made(found), samples)
            return np.asarray((given - samples.numbers).ravel() / self.step, np.float64)

        moves = np.vstack([np.zeros(len(start)), np.eye(len(start)) * DIFFERENCE])
        tiled = Samples(*(np.tile(each, (len(moves), 1)) for each in (samples.light, samples.numbers)))

        def slopes(found: Array) -> Array:
            """By moving each number a little: all at once, each on a copy of the samples, which is far faster."""
            given = self.numbers(tuple(map(in_parts, *map(made, found + moves))), tiled)
            here, *moved = given.astype(np.float64).reshape(len(moves), -1) / self.step
            return np.stack([(each - here) / DIFFERENCE for each in moved], axis=1)

        found = least_squares(
            missing,
            start,
            slopes,
            bounds=(low, high),
            loss="soft_l1",
            f_scale=2.0,
            ftol=SETTLED,
            xtol=SETTLED,
            max_nfev=tries,
        )
        return self.chain(made(found.x), samples)

    def _looked_at(self, chains: Iterable[Chain]) -> list[Chain]:
        """The best of many chains, with all samples and their numbers found exactly."""
        best = sorted(chains, key=lambda chain: chain.cost)[:MOST_LOOKED_AT]
        return in_order(self._exact(chain) for chain in best)

    def _exact(self, chain: Chain) -> Chain:
        numbered = [place for place, each in enumerate(chain.deviations) if each.way.fit]
        deviations = chain.deviations
        if len(numbered) == 1:
            place = numbered[0]
            before, deviation, after = deviations[:place], deviations[place], deviations[place + 1 :]
            fit = deviation.way.fit
            assert fit is not None
            start = deviation.way.parameters[fit.name]
            assert isinstance(start, float)

            def cost(value: float) -> float:
                return self.chain((*before, with_number(deviation, fit, value), *after), self._few).cost

            exact = _least(cost, fit, start, EXACT_TRIES)
            deviations = (*before, with_number(deviation, fit, exact), *after)
        elif numbered:
            deviations = self._together(deviations, self._few, EXACT_TRIES).deviations
        return self.chain(deviations, self._all)


def _in_stages(one: Deviation, other: Deviation) -> tuple[Deviation, Deviation]:
    """Two deviations in the order in which they happen."""
    return (one, other) if may_follow(one.operation, other.operation) else (other, one)


def _least(cost: Callable[[float], float], fit: Fit, start: float, tries: int) -> float:
    """The number near `start` with the least cost, after so many tries at most."""
    from scipy.optimize import minimize_scalar  # slow to import, seldom needed

    numbers = sorted({*fit.first, start})
    at = numbers.index(start)
    low = numbers[at - 1] if at > 0 else fit.low
    high = numbers[at + 1] if at + 1 < len(numbers) else fit.high
    found = minimize_scalar(cost, bounds=(low, high), options={"xatol": 1e-4, "maxiter": tries})
    return float(found.x)
