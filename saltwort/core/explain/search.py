"""The search for what was done: chains of operations, the shortest that give the numbers of the picture."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from saltwort.core.explain.operation import Fit, Operation, Scene, Way, operations
from saltwort.core.explain.samples import Samples
from saltwort.core.explain.steps import Step, in_turn
from saltwort.core.numbers import LARGEST_HALF

Array = NDArray[np.float64]
FEW = 500
"""Samples by which chains of two are told apart before the best are looked at with all."""
MOST_LOOKED_AT = 12
FITTING = 3.0
"""In how many steps of the coding a sample is explained."""
MOST_OUTLIERS = 0.12
"""Share of the samples that need not be: a watermark, a frame number, a denoiser."""
CLEARLY = 1.4
"""How many times better a longer chain must be."""
CLOSE = 0.3
"""Cost up to which a single deviation is all: a third of a step in the mean. Beyond, two are tried as well."""
CLOSE_ENOUGH = 0.7
"""The same for several: what scaling and compression leave of a right one."""
SURE = 3.0
"""How many times the uncertainty of the mean one chain must be better than another, to be told apart from it."""
ALIKE_SAMPLES = 8
"""Samples that err together, as those of one surface do."""
LEAST_LIGHT = 0.01
SAME_NUMBERS = 1e-5
OF_MANY = 3
"""Deviations for which one with many numbers counts: they bend to much that they are not."""
QUICK, QUICK_TRIES, EXACT_TRIES = 120, 9, 40
"""Samples and steps by which a number is found quickly, and steps by which it is found exactly."""
VERY_FEW, MOST_LIKELY, EACH_OTHER = 60, 40, 2
"""Samples by which chains of three are told apart, how many of them are then fitted, and which of the exposures that
one begins with are tried."""
FEW_GRADED, MOST_TRIES = 120, 40
FEWER = ((16, 3), (3, 7))
"""Samples by which grades with another are told apart; how many are left after how many steps, and of these again."""
MOST_MADE = 4_000
"""Numbers of samples that are kept; they take 6 kB each, or 30 where all samples are asked for."""
DIFFERENCE = 1e-3
"""By which a number is moved to see what follows: pixels are float32, which smaller ones drown in."""


@dataclass(frozen=True)
class Deviation:
    """One operation as it happened, in the order of the chain."""

    operation: Operation
    way: Way

    @property
    def code(self) -> str:
        return self.operation.code

    @property
    def happened(self) -> str:
        return self.operation.told(self.way)


@dataclass(frozen=True)
class Chain:
    """Deviations from what is expected, and how far each sample is off then, in steps of the coding."""

    deviations: tuple[Deviation, ...]
    off: Array

    @cached_property
    def cost(self) -> float:
        """Falls towards the right chain from anywhere; a few samples that are quite different hardly count."""
        return float(np.mean(np.log1p(self.off)))

    @property
    def fits(self) -> bool:
        """Whether it explains all but a few samples."""
        return bool((self.off > FITTING).mean() <= MOST_OUTLIERS)


class Search:
    """Chains tried on samples. `step` is how far the coding of the picture alone may put a number off, in code values,
    or of light as a part of it; `is_clipped` says that the file holds 0–1."""

    def __init__(self, scene: Scene, samples: Samples, step: float, *, is_clipped: bool) -> None:
        self.scene, self.step, self.is_clipped = scene, step, is_clipped
        self._expected = scene.expected()
        self._all = samples
        self._few = samples.some(FEW)
        self._quick = self._few.some(QUICK)
        self._made: LRUCache[object, NDArray[np.float32]] = LRUCache(MOST_MADE)
        ways = [(each, way) for each in operations() for way in each.ways(scene)]
        self._ways = [(each, way) for each, way in ways if way.many is None and not self._is_idle(each, way)]
        self._of_many = [Deviation(each, way) for each, way in ways if way.many is not None]

    def _is_idle(self, operation: Operation, way: Way) -> bool:
        """Whether it changes nothing here, as what is done with alpha where there is none."""
        if operation.stage != "light" or way.step is None or way.fit is not None:
            return False
        light = self._few.light[np.newaxis]
        return bool(np.allclose(way.step(light), light, rtol=1e-4, atol=1e-6))

    def expected(self) -> Chain:
        return self.chain((), self._all)

    def plain(self) -> list[Deviation]:
        """All deviations that have no number of their own."""
        return [Deviation(each, way) for each, way in self._ways if way.fit is None]

    def written(self, step: Step) -> Chain:
        """A chain that is one step alone, from light in the working space to the numbers of the picture."""
        return Chain((), self._off(self._coded(step(self._all.light[np.newaxis])), self._all.numbers))

    def best_single(self) -> Chain:
        """The one deviation that explains most."""
        return self._looked_at(self._singles())[0]

    def best(self) -> list[Chain]:
        """Chains of one deviation, the best first; where none of these fits, of two, of a grade, of three of which one
        is exposure, and of a grade with another."""
        singles = self._looked_at(self._singles())
        if singles and singles[0].fits and singles[0].cost < CLOSE:
            return singles
        found = singles
        for more in (self._pairs, self._grades, self._threes, self._graded):
            found = _in_order([*found, *self._looked_at(more())])
            if found[0].fits and found[0].cost < CLOSE_ENOUGH:
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
        return bool((self._off(first, second) > 1.0).mean() < 0.02)

    def is_told_apart(self, best: Chain, other: Chain) -> bool:
        """Whether the picture says that one chain is better than another: by how far both are off in the same places,
        beyond chance."""
        if self.is_same(best, other):
            return False
        worse = np.log1p(other.off) - np.log1p(best.off)
        chance = float(worse.std()) / np.sqrt(max(1.0, len(worse) / ALIKE_SAMPLES))
        return bool(worse.mean() > SURE * chance)

    def is_one(self, one: Chain, other: Chain) -> bool:
        """Whether two chains give the same numbers for any light: then they are two names for one thing."""
        first, second = (self.numbers(each.deviations, self._all) for each in (one, other))
        return bool(np.abs(first - second).max() < SAME_NUMBERS)

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
                if not _may_follow(first, second):
                    continue
                begun = Deviation(first, one)
                if one.fit is None:
                    yield self._fitted((begun,), Deviation(second, other), self._few, quick=True)
                elif other.fit is None:
                    yield self._fitted((), begun, self._few, after=(Deviation(second, other),), quick=True)
                else:
                    yield self._both(begun, Deviation(second, other))

    def _grades(self) -> Iterator[Chain]:
        for each in self._of_many:
            yield self._with_many(each, (), self._few, MOST_TRIES)

    def _threes(self) -> Iterator[Chain]:
        """Exposure, and two that have no numbers of their own."""
        exposure = next(Deviation(each, way) for each, way in self._ways if each.code == "exposure")
        fit = exposure.way.fit
        assert fit is not None
        plain = self.plain()
        very_few = self._few.some(VERY_FEW)
        exposures = [_with_number(exposure, fit, value) for value in fit.first[::EACH_OTHER]]
        likely: list[tuple[float, Chain]] = []
        for first in plain:
            for second in plain:
                if _may_follow(first.operation, second.operation):
                    chains = (self.chain((exposed, first, second), very_few) for exposed in exposures)
                    best = min(chains, key=lambda chain: chain.cost)
                    likely.append((best.cost, best))
        for _, chain in sorted(likely, key=lambda each: each[0])[:MOST_LIKELY]:
            yield self._fitted((), exposure, self._few, after=chain.deviations[1:], quick=True)

    def _graded(self) -> Iterator[Chain]:
        """A grade, with another that has no number of its own."""
        few = self._few.some(FEW_GRADED)
        # What others do to code values bends to what a grade does after the view.
        plain = [each for each in self.plain() if each.operation.stage != "codes"]
        likely = [
            (grade, other) for grade in self._of_many for other in plain if _may_meet(grade.operation, other.operation)
        ]
        for most, tries in FEWER:
            costs = [self._with_many(grade, (other,), few, tries).cost for grade, other in likely]
            likely = [likely[place] for place in np.argsort(costs)[:most]]
        for grade, other in likely:
            yield self._with_many(grade, (other,), self._few, MOST_TRIES)

    def _both(self, first: Deviation, second: Deviation) -> Chain:
        """Two numbers, one after the other until they stay."""
        best = self.chain((first, second), self._few)
        for _ in range(3):
            found = self._fitted((), first, self._few, after=(second,))
            first = found.deviations[0]
            best = self._fitted((first,), second, self._few)
            second = best.deviations[1]
        return best

    def _fitted(
        self,
        before: tuple[Deviation, ...],
        deviation: Deviation,
        samples: Samples,
        after: tuple[Deviation, ...] = (),
        *,
        quick: bool = False,
    ) -> Chain:
        """A chain with the number of one deviation that fits best, where it has one."""
        fit = deviation.way.fit
        if fit is None:
            return self.chain((*before, deviation, *after), samples)
        few = self._quick if quick else samples

        def at(value: float, of: Samples) -> Chain:
            return self.chain((*before, _with_number(deviation, fit, value), *after), of)

        costs = [(at(value, few).cost, value) for value in fit.first]
        start = min(costs)[1]
        most = QUICK_TRIES if quick else EXACT_TRIES
        return at(_least(lambda value: at(value, few).cost, fit, start, most), samples)

    def _with_many(self, deviation: Deviation, others: tuple[Deviation, ...], samples: Samples, tries: int) -> Chain:
        """A chain with a deviation that has several numbers, by least squares with little weight on what is far off
        (soft L1). Others of its stage come before it."""
        from scipy.optimize import least_squares  # slow to import, seldom needed

        many = deviation.way.many
        assert many is not None

        def made(numbers: Array) -> tuple[Deviation, ...]:
            step, undo, told = many.step(numbers), many.undo(numbers), many.told(numbers)
            way = replace(deviation.way, step=step, undo=undo, parameters=told)
            return (*others, replace(deviation, way=way))

        def missing(numbers: Array) -> Array:
            given = self.numbers(made(numbers), samples)
            return np.asarray((given - samples.numbers).ravel() / self.step, np.float64)

        found = least_squares(
            missing,
            many.start,
            bounds=(many.low, many.high),
            loss="soft_l1",
            f_scale=2.0,
            max_nfev=tries,
            diff_step=DIFFERENCE,
        )
        return self.chain(made(found.x), samples)

    def _looked_at(self, chains: Iterable[Chain]) -> list[Chain]:
        """The best of many chains, with all samples and their numbers found exactly."""
        best = sorted(chains, key=lambda chain: chain.cost)[:MOST_LOOKED_AT]
        return _in_order(self._exact(chain) for chain in best)

    def _exact(self, chain: Chain) -> Chain:
        deviations = list(chain.deviations)
        for _ in range(2 if sum(each.way.fit is not None for each in deviations) > 1 else 1):
            for place, deviation in enumerate(deviations):
                fit = deviation.way.fit
                if fit is None:
                    continue

                def cost(value: float, place: int = place, deviation: Deviation = deviation, fit: Fit = fit) -> float:
                    moved = [*deviations]
                    moved[place] = _with_number(deviation, fit, value)
                    return self.chain(tuple(moved), self._few).cost

                start = deviation.way.parameters[fit.name]
                assert isinstance(start, float)
                value = _least(cost, fit, start, EXACT_TRIES)
                deviations[place] = _with_number(deviation, fit, value)
        return self.chain(tuple(deviations), self._all)


def _may_follow(first: Operation, second: Operation) -> bool:
    """Whether two operations are a chain: in the order of stages, no two views, none twice."""
    stages = ("light", "view", "codes")
    one, other = stages.index(first.stage), stages.index(second.stage)
    if one == other == 1 or first is second:
        return False
    return one <= other


def _may_meet(one: Operation, other: Operation) -> bool:
    """Whether two operations are a chain in one order or the other."""
    return _may_follow(one, other) or _may_follow(other, one)


def _with_number(deviation: Deviation, fit: Fit, value: float) -> Deviation:
    parameters = {**deviation.way.parameters, fit.name: value}
    undo = fit.undo(value) if fit.undo else None
    way = replace(deviation.way, step=fit.step(value), parameters=parameters, undo=undo)
    return replace(deviation, way=way)


def _least(cost: Callable[[float], float], fit: Fit, start: float, tries: int) -> float:
    """The number near `start` with the least cost, after so many tries at most."""
    from scipy.optimize import minimize_scalar  # slow to import, seldom needed

    numbers = sorted({*fit.first, start})
    at = numbers.index(start)
    low = numbers[at - 1] if at > 0 else fit.low
    high = numbers[at + 1] if at + 1 < len(numbers) else fit.high
    found = minimize_scalar(cost, bounds=(low, high), options={"xatol": 1e-4, "maxiter": tries})
    return float(found.x)


def _in_order(chains: Iterable[Chain]) -> list[Chain]:
    """The best first; a longer one, or one of many numbers, only where it is clearly better."""
    return sorted(chains, key=lambda chain: chain.cost * CLEARLY ** (_length(chain) - 1))


def _length(chain: Chain) -> int:
    return sum(OF_MANY if each.way.many else 1 for each in chain.deviations)
