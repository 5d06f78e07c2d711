"""Gloss and roughness: the same map the other way round, 1 minus the other, and how file names say which it is."""

import re

from saltwort.core.errors import BadInput
from saltwort.core.images import Stats

ROUGHNESS, GLOSS = "roughness", "gloss"
SORTS = (ROUGHNESS, GLOSS)
_WORDS = {
    **dict.fromkeys(("roughness", "rough", "rgh"), ROUGHNESS),
    **dict.fromkeys(("gloss", "glossiness", "smoothness"), GLOSS),
}


def sort_of(word: str) -> str:
    """One of SORTS for the word by which a name says its map kind; empty for any other word."""
    return _WORDS.get(word.lower(), "")


def renamed(name: str, word: str, sort: str) -> str:
    """A file name with the word that says the one sort, where it stands last, replaced by the other; capitals as they
    were."""
    found = list(re.finditer(re.escape(word), name, re.IGNORECASE))[-1]
    written = found[0]
    put = sort.upper() if written.isupper() else sort.capitalize() if written[0].isupper() else sort
    return name[: found.start()] + put + name[found.end() :]


def check_invertible(stats: Stats) -> None:
    """Raise BadInput for a file with values beyond 0 to 1, which 1 minus them would leave beyond it."""
    if stats.below_zero > 0 or stats.above_one > 0:
        raise BadInput("The file has values beyond 0 to 1, unlike gloss and roughness maps. Do not invert it.")
