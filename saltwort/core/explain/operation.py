"""What may have been done to a picture on its way from light: the registry of operations.

An operation is a module in `explain/operations` with a function under the decorator `operation`, which gives the ways
in which it may happen. The search puts them in a chain: on light, then the view, then on code values.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Literal

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice
from saltwort.core.explain.steps import ColourSteps, Step
from saltwort.core.modules import import_all

Stage = Literal["light", "view", "codes"]
"""Where in the chain it acts: on light in the working space, in place of what makes codes of it, or on these."""
Parameter = str | float | tuple[float, ...]
MOST_OTHERS = 60
"""Other views, displays and looks that are tried."""


@dataclass(frozen=True)
class Scene(ColourSteps):
    """What operations follow from: the config, and the view that is expected; `choice` is the project's where light is
    expected and no view."""

    config: ocio.Config
    choice: ViewChoice
    expects_light: bool = False

    def expected(self) -> Step | None:
        """From light in the working space to the numbers that are expected; None where these are light."""
        return None if self.expects_light else self.view()


@dataclass(frozen=True)
class Fit:
    """A number that an operation may have: its name, the ends within which it is looked for, and the step it makes."""

    name: str
    low: float
    high: float
    step: Callable[[float], Step]
    first: tuple[float, ...]
    """Numbers to begin with."""
    undo: Callable[[float], Step] | None = None


@dataclass(frozen=True)
class FitMany:
    """Several numbers that an operation may have together: where they begin, their limits, the step that they make, and
    the parameters that they are told as."""

    start: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    step: Callable[[NDArray[np.float64]], Step]
    told: Callable[[NDArray[np.float64]], Mapping[str, Parameter]]
    undo: Callable[[NDArray[np.float64]], Step | None]
    solved: Callable[[NDArray[np.float32], NDArray[np.float32]], NDArray[np.float64]] | None = None
    """The numbers that about make others, (n, 3), of those before it, (n, 3), where these can be solved for."""


@dataclass(frozen=True)
class Way:
    """One way in which an operation may happen: its step, None for none, and its parameters. `fit` says how one of them
    is found, where it is any number, and `many` how several are. `undo` takes it back, None where it cannot be."""

    step: Step | None
    parameters: Mapping[str, Parameter] = field(default_factory=dict)
    fit: Fit | None = None
    undo: Step | None = None
    many: FitMany | None = None
    numbers: tuple[float, ...] = ()
    """Those of `many` as they were found so far; none before."""


@dataclass(frozen=True)
class Operation:
    """An operation: its code, where it acts, and what happened in a sentence whose braces hold parameters."""

    code: str
    stage: Stage
    happened: str
    ways: Callable[[Scene], Iterator[Way]]

    def told(self, way: Way) -> str:
        """What happened in one way, as a sentence."""
        return self.happened.format(**{name: _plain(value) for name, value in way.parameters.items()})


def _plain(value: Parameter) -> str:
    if isinstance(value, tuple):
        return " ".join(f"{number:.3g}" for number in value)
    return value if isinstance(value, str) else f"{value:.3g}"


_operations: list[Operation] = []
Ways = Callable[[Scene], Iterator[Way]]


def operation(code: str, stage: Stage, happened: str) -> Callable[[Ways], Ways]:
    """Have a function give the ways of an operation."""

    def register(ways: Ways) -> Ways:
        _operations.append(Operation(code, stage, happened, ways))
        return ways

    return register


@cache
def operations() -> tuple[Operation, ...]:
    """All operations, in the order in which they happen."""
    import_all("saltwort.core.explain.operations")
    stages = ("light", "view", "codes")
    return tuple(sorted(_operations, key=lambda each: stages.index(each.stage)))
