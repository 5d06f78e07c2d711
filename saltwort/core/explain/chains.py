"""Chains of deviations: what was done, in its order, with its numbers, and how well that explains a picture."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from saltwort.core.explain.operation import Fit, Operation, Way
from saltwort.core.images.reading import Pixels

Array = NDArray[np.float64]
FITTING = 3.0
"""In how many steps of the coding a sample is explained."""
MOST_OUTLIERS = 0.12
"""Share of the samples that need not be: a watermark, a frame number, a denoiser."""
CLEARLY = 1.4
"""How many times better a longer chain must be."""
OF_MANY, OF_SOME, SOME = 3, 2, 3
"""Deviations for which one with many numbers counts, and one with up to SOME: they bend to much that they are not."""


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
    def length(self) -> int:
        """How many deviations it counts as."""
        return sum(_counts(each.way) for each in self.deviations)

    @property
    def fits(self) -> bool:
        """Whether it explains all but a few samples."""
        return bool((self.off > FITTING).mean() <= MOST_OUTLIERS)


def _counts(way: Way) -> int:
    if way.many is None:
        return 1
    return OF_SOME if len(way.many.start) <= SOME else OF_MANY


def may_follow(first: Operation, second: Operation) -> bool:
    """Whether two operations are a chain: in the order of stages, no two views, none twice."""
    stages = ("light", "view", "codes")
    one, other = stages.index(first.stage), stages.index(second.stage)
    if one == other == 1 or first is second:
        return False
    return one <= other


def may_meet(one: Operation, other: Operation) -> bool:
    """Whether two operations are a chain in one order or the other."""
    return may_follow(one, other) or may_follow(other, one)


def beginnings(deviation: Deviation) -> Iterator[Deviation]:
    """A deviation with each of the numbers that its search begins with; as it is where it has none."""
    fit = deviation.way.fit
    if fit is None:
        yield deviation
        return
    for value in fit.first:
        yield with_number(deviation, fit, value)


def numbers_of(deviation: Deviation) -> Array:
    """Where the search of a deviation's numbers begins, and their ends, (3, numbers)."""
    fit, many = deviation.way.fit, deviation.way.many
    if many:
        told = deviation.way.numbers or many.start
        return np.array([told, many.low, many.high])
    if fit:
        return np.array([[deviation.way.parameters[fit.name]], [fit.low], [fit.high]], np.float64)
    return np.empty((3, 0))


def with_numbers(deviation: Deviation, numbers: Array) -> Deviation:
    """A deviation with as many numbers as `numbers_of` gives for it."""
    fit, many = deviation.way.fit, deviation.way.many
    if fit:
        return with_number(deviation, fit, float(numbers[0]))
    if many:
        step, undo, told = many.step(numbers), many.undo(numbers), many.told(numbers)
        way = replace(deviation.way, step=step, undo=undo, parameters=told, numbers=tuple(map(float, numbers)))
        return replace(deviation, way=way)
    return deviation


def in_parts(*deviations: Deviation) -> Deviation:
    """One deviation with other numbers in each of as many equal parts of the samples."""
    steps = [each.way.step for each in deviations]
    if len({id(step) for step in steps}) == 1:
        return deviations[0]

    def step(numbers: Pixels) -> Pixels:
        parts = np.split(numbers, len(steps), axis=1)
        return np.concatenate([each(part) if each else part for each, part in zip(steps, parts, strict=True)], axis=1)

    return replace(deviations[0], way=replace(deviations[0].way, step=step))


def with_number(deviation: Deviation, fit: Fit, value: float) -> Deviation:
    """A deviation with the one number that it has."""
    parameters = {**deviation.way.parameters, fit.name: value}
    undo = fit.undo(value) if fit.undo else None
    way = replace(deviation.way, step=fit.step(value), parameters=parameters, undo=undo)
    return replace(deviation, way=way)


def in_order(chains: Iterable[Chain]) -> list[Chain]:
    """The best first; a longer one, or one of many numbers, only where it is clearly better."""
    return sorted(chains, key=lambda chain: chain.cost * CLEARLY ** (chain.length - 1))
