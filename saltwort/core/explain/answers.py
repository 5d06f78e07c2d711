"""What was done to a picture, as scripts and the application read it."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from saltwort.core.explain.besides import Told
from saltwort.core.explain.drawn import drawn
from saltwort.core.explain.explained import Explained
from saltwort.core.explain.operation import Parameter
from saltwort.core.explain.operations.highlights import drawn as drawn_rolloff
from saltwort.core.explain.question import Question
from saltwort.core.explain.search import HIGHLIGHTS
from saltwort.core.views.tone import display_difference


def answer_json(question: Question, found: Explained) -> dict[str, Any]:
    """An answer as JSON holds it: numbers to four places, ΔE and likeness to three."""
    told: dict[str, Any] = {
        "verdict": found.verdict,
        "deviations": _listed(found.deviations),
        "sentence": found.sentence,
        "confidence": round(found.confidence, 3),
        "chain": [vars(part) for part in drawn(question, found)],
        "residual": {
            "metric": display_difference(question.config, question.choice)[0],
            "de_mean": round(found.residual[0], 3),
            "de_p99": round(found.residual[1], 3),
        },
        "alternatives": [_listed(other) for other in found.alternatives],
        "undo": {"possible": found.can_be_undone, "lost": list(found.lost)},
        "placement": {
            "scale": round(1 / found.placement.scale[0], 4),
            "shift": [round(part, 2) for part in found.placement.shift],
            "flip": found.placement.flip,
            "likeness": round(found.placement.likeness, 3),
        },
    }
    if found.places is not None:
        told["places"] = {
            "share": round(found.places.share, 6),
            "looks": found.places.looks,
            "numbers": {name: round(value, 4) for name, value in found.places.numbers.items()},
            "boxes": [{name: round(value, 4) for name, value in vars(box).items()} for box in found.places.boxes],
        }
    for each in found.deviations:
        if each.code == HIGHLIGHTS:
            values, became = drawn_rolloff(each.parameters)
            told["rolloff"] = {"knee": _short(each.parameters["knee"]), "values": values, "became": became}
    if found.fitted is not None:
        told["nearest"] = {
            "matrix": np.round(found.fitted.matrix, 4).tolist(),
            "curves": np.round(found.fitted.curves, 4).tolist(),
            "off": round(found.fitted.off, 4),
        }
    return told


def _listed(deviations: Sequence[Told]) -> list[dict[str, Any]]:
    return [
        {"code": each.code, **{name: _short(value) for name, value in each.parameters.items()}} for each in deviations
    ]


def _short(value: Parameter) -> str | float | list[float]:
    if isinstance(value, tuple):
        return [round(number, 4) for number in value]
    return round(value, 4) if isinstance(value, float) else value
