"""The way that a picture has gone, in parts: what is as expected on it, and what is missing, extra or other."""

from dataclasses import dataclass
from typing import Literal, get_args

from saltwort.core.explain.besides import Told
from saltwort.core.explain.explained import Explained
from saltwort.core.explain.operation import Parameter
from saltwort.core.explain.question import Question

State = Literal["expected", "missing", "extra", "other"]
STATES: tuple[State, ...] = get_args(State)
MISSING = ("view-missing", "look-missing", "curve-missing")
"""Where what is told is that something was left out."""


@dataclass(frozen=True)
class Part:
    """A part of the way: what it is, in a few words, and how it is beside what was agreed."""

    label: str
    state: State


def drawn(question: Question, found: Explained) -> tuple[Part, ...]:
    """The parts from the light of the render to the file, in order."""
    view = question.choice.view
    of_view = [each for each in found.deviations if each.stage == "view"]
    parts = [Part(f"light in {question.scene.working_space}", "expected")]
    parts += [_part(each) for each in found.deviations if each.stage == "light"]
    if not question.expects_light and not of_view:
        parts.append(Part(view, "expected"))
    for each in of_view:
        parts += _of_view(each, view, expects_light=question.expects_light)
    parts += [_part(each) for each in found.deviations if each.stage not in ("light", "view")]
    if found.places:
        parts.append(Part("other in places", "extra"))
    return (*parts, Part(f"file, {question.depth}", "expected"))


def _of_view(told: Told, view: str, *, expects_light: bool) -> list[Part]:
    if told.code == "view-missing":
        return [Part(view, "missing")]
    if told.code == "view-twice":
        return [Part(view, "expected"), Part(f"{view} again", "extra")]
    if told.code.startswith("look-"):
        state: State = {"look-missing": "missing", "look-extra": "extra"}.get(told.code, "other")  # type: ignore[assignment]
        return [Part(f"look {told.parameters['look']}", state), Part(view, "expected")]
    other = Part(str(told.parameters.get("view", told.code)), "extra" if expects_light else "other")
    return [other]


def _part(told: Told) -> Part:
    values = " ".join(_short(value) for name, value in told.parameters.items() if name not in FINER)
    label = told.code.replace("-", " ")
    if told.code in MISSING:
        return Part(label.removesuffix(" missing"), "missing")
    return Part(f"{label} {values}".strip() if len(values) <= MOST else label, "extra")


MOST = 24
FINER = ("saturation", "span", "sharpness")
"""Parameters that say no more at a glance."""


def _short(value: Parameter) -> str:
    if isinstance(value, tuple):
        return " ".join(f"{number:.2f}" for number in value)
    return value if isinstance(value, str) else f"{value:.3g}"
