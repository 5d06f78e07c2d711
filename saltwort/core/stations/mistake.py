"""What is set wrong in applications, as arithmetic: the registry of mistakes, each of which changes what an application
does.

A mistake is a function in `stations/mistakes` under the decorator `mistake`, which gives the ways in which it may
happen on a bench. The simulation shows them, the handshake recognises them, and right and wrong pictures are made of
them.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cache
from typing import Literal

from saltwort.core.explain.steps import Step
from saltwort.core.modules import import_all
from saltwort.core.stations.sheet import Level
from saltwort.core.stations.simulation import Bench, Run

Stage = Literal["read", "show", "write"]
"""Where it happens: reading concerns all that follows, showing what is seen alone, writing the file handed on."""
Parameter = str | float


@dataclass(frozen=True)
class Range:
    """A number that a mistake may have: its name, the ends within which it is looked for, and the run that it makes."""

    name: str
    low: float
    high: float
    run: Callable[[float], Run]


@dataclass(frozen=True)
class Slip:
    """One way in which a mistake may happen: its parameters, and the run that it makes of the agreed one. `fits` says
    how one of them is found exactly, where it is any number. `undo` takes it back, of light where it was made in
    reading, of the file's numbers where in writing; None where what it took is gone, or nothing was handed on."""

    run: Run
    parameters: Mapping[str, Parameter] = field(default_factory=dict)
    fits: Range | None = None
    undo: Step | None = None


@dataclass(frozen=True)
class Mistake:
    """A mistake: its code, its stage, the setting of the sheet that is wrong (section and key) with the level it is
    mostly set at, what happened and what to set, in sentences whose braces hold parameters, and the finding that warns
    of it."""

    code: str
    stage: Stage
    section: str
    setting: str
    level: Level
    label: str
    happened: str
    repair: str
    finding: str
    slips: Callable[[Bench, Run], Iterator[Slip]]


@dataclass(frozen=True)
class Made:
    """A mistake as it was made once."""

    mistake: Mistake
    slip: Slip

    @property
    def key(self) -> str:
        """Names it among all that may happen on a bench."""
        told = ",".join(f"{name}={_plain(value)}" for name, value in self.slip.parameters.items())
        return f"{self.mistake.stage}:{self.mistake.code}" + (f":{told}" if told else "")

    def told(self, sentence: str) -> str:
        """A sentence with the parameters in it."""
        return sentence.format(**{name: _plain(value) for name, value in self.slip.parameters.items()})


def _plain(value: Parameter) -> str:
    return value if isinstance(value, str) else f"{value:+.2f}".rstrip("0").rstrip(".") if value < 0 else f"{value:.3g}"


_mistakes: list[Mistake] = []


def mistake(
    code: str,
    stage: Stage,
    setting: str,
    level: Level,
    label: str,
    happened: str,
    repair: str,
    *,
    finding: str = "",
) -> Callable[[Callable[[Bench, Run], Iterator[Slip]]], Callable[[Bench, Run], Iterator[Slip]]]:
    """Have a function give the slips of a mistake. `setting` is `section/key` of the sheet."""

    def register(slips: Callable[[Bench, Run], Iterator[Slip]]) -> Callable[[Bench, Run], Iterator[Slip]]:
        section, key = setting.split("/")
        _mistakes.append(Mistake(code, stage, section, key, level, label, happened, repair, finding, slips))
        return slips

    return register


@cache
def mistakes() -> tuple[Mistake, ...]:
    """All mistakes, in the order of work."""
    import_all("saltwort.core.stations.mistakes")
    stages = ("read", "show", "write")
    return tuple(sorted(_mistakes, key=lambda each: stages.index(each.stage)))


USUAL = {"stops": (1.0, -1.0), "exponent": (1 / 2.2, 2.2)}
"""Of numbers that may be any, those that people meet."""


def usual(bench: Bench) -> list[Made]:
    """What is mostly set wrong on a bench: all that may be, but of numbers that may be any the usual ones."""
    return [made for made in possible(bench) if _is_usual(made.slip)]


def _is_usual(slip: Slip) -> bool:
    return slip.fits is None or slip.parameters[slip.fits.name] in USUAL[slip.fits.name]


def possible(bench: Bench) -> list[Made]:
    """All that may be set wrong on a bench, each way once."""
    agreed = bench.agreed()
    return [Made(each, slip) for each in mistakes() for slip in each.slips(bench, agreed)]
