"""Texture sets: files of one surface, which differ only in map, UDIM tile, resolution or frame."""

import re
from dataclasses import dataclass

from saltwort.core.textures.kinds import DEFAULT_KIND_WORDS, KindWords, map_word_span

_TILE = re.compile(r"(?<![A-Za-z0-9])(1[0-9]{3}|u[0-9]{1,2}_v[0-9]{1,2})(?![A-Za-z0-9])", re.IGNORECASE)
"""1001 to 1999, and the older spelling by column and row."""
_RESOLUTION = re.compile(
    r"(?<![A-Za-z0-9])([0-9]{1,2}k|[0-9]{3,5}x[0-9]{3,5}|256|512|1024|2048|4096|8192|16384)(?![A-Za-z0-9])",
    re.IGNORECASE,
)
_FRAME = re.compile(r"(?<=[._-])([0-9]{3,8})$|(?<=\.)([0-9]{1,8})$")
_SEPARATORS = re.compile(r"[\s._-]+")


@dataclass(frozen=True)
class SetMember:
    """Where a file stands in its set. `key` is the same for all files of a set, `name` what it is called; `tile`,
    `resolution` and `frame` are as written in the file's name, empty where it has none."""

    key: str
    name: str
    tile: str
    resolution: str
    frame: str


def set_member(path: str, words: KindWords = DEFAULT_KIND_WORDS) -> SetMember:
    """The set that a path belongs to: its folder, and its name without map word, tile, resolution and frame.

    A name that holds nothing else, such as `basecolor.png`, is of the set of its folder. Capitals make no difference.
    """
    folder, _, file = path.replace("\\", "/").rpartition("/")
    stem = file.rpartition(".")[0] or file
    if span := map_word_span(stem, words):
        stem = f"{stem[: span[0]]}_{stem[span[1] :]}"
    stem, resolution = _taken_out(stem, _RESOLUTION)
    stem, tile = _taken_out(stem, _TILE)
    stem, frame = _taken_out(stem.rstrip("_"), _FRAME)
    name = _SEPARATORS.sub("_", stem).strip("_") or folder.rpartition("/")[2] or file.rpartition(".")[0]
    return SetMember(f"{folder}/{name}".lower(), name, tile, resolution, frame)


def _taken_out(stem: str, expression: re.Pattern[str]) -> tuple[str, str]:
    """The stem without the last match, and that match."""
    found = list(expression.finditer(stem))
    return (f"{stem[: found[-1].start()]}_{stem[found[-1].end() :]}", found[-1][0]) if found else (stem, "")
