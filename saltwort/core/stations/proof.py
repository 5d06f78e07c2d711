"""How far a station is proved: what its test card said, and whether that still holds."""

from collections.abc import Mapping
from itertools import product
from typing import Any

import numpy as np

from saltwort.core.stations.handshake.answer import AGREED
from saltwort.core.stations.simulation import Bench

NOT_TRIED, PROVED, FAILED, UNDECIDED, OUT_OF_DATE = "not-tried", "proved", "failed", "undecided", "out-of-date"
STATES = (NOT_TRIED, PROVED, FAILED, UNDECIDED, OUT_OF_DATE)

SAME_NUMBERS = 2e-3
"""Code values, and light up to 1: what differs by less is the same to whoever looks."""
_PARTS = {
    "working_space": "the working space",
    "view": "the view",
    "fed": "what the application is fed",
    "abilities": "what the application can do",
}


def depends_on(bench: Bench) -> dict[str, Any]:
    """All that a proof of a station depends on, by what it is called, as JSON holds it: settings as text, and what the
    station makes of known light, so that a change of the config counts where it changes colours here."""
    choice = bench.choice
    abilities = ", ".join(f"{key}={value}" for key, value in sorted(bench.station.abilities.items()))
    return {
        "working_space": bench.working_space,
        "view": " / ".join(filter(None, (choice.display, choice.view, choice.look))),
        "fed": f"{bench.fed}, {bench.fed_space}",
        "abilities": abilities,
        "numbers": _numbers(bench),
    }


def _numbers(bench: Bench) -> list[float]:
    corners = np.array([*product((0.0, 0.18, 0.6), repeat=3), (4.0, 4.0, 4.0), (9.0, 2.0, 0.5)], np.float32)
    run = bench.agreed()
    made = [run.shown(corners[np.newaxis])] if bench.shows else []
    if bench.hands_on is not None:
        made.append(run.written(corners[np.newaxis]))
    return [round(float(number), 5) for each in made for number in np.nan_to_num(each).ravel()]


def changed_since(then: Mapping[str, Any], now: Mapping[str, Any]) -> list[str]:
    """What a proof depended on and is otherwise now, in words; with both values where people can read them."""
    told = []
    for key, words in _PARTS.items():
        if then.get(key) != now[key]:
            readable = key in ("working_space", "view")
            told.append(f"{words} was {then.get(key)} and is {now[key]}" if readable else words)
    before, after = np.array(then.get("numbers", [])), np.array(now["numbers"])
    if not told and (before.shape != after.shape or np.abs(before - after).max(initial=0.0) > SAME_NUMBERS):
        told.append("what the config makes of the same light")
    return told


def state_of(verdict: str | None, changed: list[str]) -> str:
    """One of STATES, for the last verdict, None where no card came back, and what has changed since."""
    if verdict is None:
        return NOT_TRIED
    if changed:
        return OUT_OF_DATE
    if verdict == AGREED:
        return PROVED
    return UNDECIDED if verdict == "undecided" else FAILED
