"""The chain as a graph: who hands on to whom, in what order people work, and what lies on each arrow."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from typing import TypeVar

from saltwort.core.errors import BadInput
from saltwort.core.stations.abilities.hands_on import HANDS_ON, LIGHT, NOTHING, PICTURES, TEXTURES
from saltwort.core.stations.abilities.takes import PICTURES as TAKES_PICTURES
from saltwort.core.stations.abilities.takes import TAKES
from saltwort.core.stations.abilities.writes import INTEGERS, WRITES
from saltwort.core.stations.station import READS_TEXTURES, Station

Key = TypeVar("Key", bound=Hashable)
Arrow = tuple[Key, Key]


def check_arrows(keys: Iterable[Key], arrows: Sequence[Arrow[Key]]) -> None:
    """Raise BadInput for an arrow from or to a station that there is not, one to itself, and a circle."""
    known = set(keys)
    for giver, taker in arrows:
        if giver not in known or taker not in known:
            raise BadInput("An application of the chain is gone meanwhile. Reload the page.")
        if giver == taker:
            raise BadInput("An application cannot hand on to itself. Choose another one.")
    _steps(known, arrows)


def columns(keys: Sequence[Key], arrows: Sequence[Arrow[Key]]) -> list[list[Key]]:
    """The stations in columns from left to right, each one after all that feed it, in their own order within."""
    step = _steps(keys, arrows)
    made: list[list[Key]] = [[] for _ in range(max(step.values(), default=-1) + 1)]
    for key in keys:
        made[step[key]].append(key)
    return made


def _steps(keys: Iterable[Key], arrows: Sequence[Arrow[Key]]) -> Mapping[Key, int]:
    """How many stations lie before each, along the longest way. Raises BadInput for a circle."""
    fed_by: dict[Key, set[Key]] = {key: set() for key in keys}
    for giver, taker in arrows:
        fed_by[taker].add(giver)
    step: dict[Key, int] = {}
    while len(step) < len(fed_by):
        ready = [key for key in fed_by if key not in step and all(giver in step for giver in fed_by[key])]
        if not ready:
            raise BadInput("The chain would run in a circle. Remove one of its arrows.")
        for key in ready:
            step[key] = 1 + max((step[giver] for giver in fed_by[key]), default=-1)
    return step


def handed_over(giver: Station, taker: Station) -> str:
    """What lies on an arrow, in words."""
    handed = giver.able(HANDS_ON)
    if handed == NOTHING:
        return f"nothing: {giver.name} is for looking"
    if handed == TEXTURES:
        return "textures, each in its own space"
    if handed == PICTURES:
        return "finished pictures, with the view, full range"
    if giver.able(WRITES) == INTEGERS:
        return "16-bit pictures: no light is left above 1"
    if taker.reads != READS_TEXTURES and taker.able(TAKES) == TAKES_PICTURES:
        return "finished pictures, made in Outputs of its light"
    assert handed == LIGHT
    return "scene-linear EXR, half float, no view"
