"""What a deliverable will cost and lose, told before it is made from what is known of the picture."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from saltwort.core.images import Facts
from saltwort.core.images.layer_kinds import NOTHING_BY_HAND, ByHand, JudgedLayer, judged_layers
from saltwort.core.images.reading import Pixels

HEADERS = 200_000
"""Bytes of a file beside its pixels: header, tags and tables."""
SAMPLE_BYTES = {"8": 1, "10": 2, "16": 2, "half": 2, "float": 4}


@dataclass(frozen=True)
class Subject:
    """A picture that something is to be made of: its facts, the space that its numbers are in, and some of its colours,
    float32 (1, n, 3), as stored."""

    facts: Facts
    space: str
    colours: Pixels
    find_file: Callable[[], Path] | None = None
    """Where the picture stands, for what its layers are; asked only where that matters, since it may be gone."""
    find_beside: Callable[[], Sequence[Path]] = tuple
    """Where some frames of the same sequence stand."""

    @property
    def has_alpha(self) -> bool:
        return bool(self.facts.header.alpha)

    def layers(self, by_hand: ByHand = NOTHING_BY_HAND) -> tuple[JudgedLayer, ...]:
        """All layers of the file, each colour or data. Raises BadInput for a layer `by_hand` that it lacks."""
        return judged_layers(self.find_file(), by_hand, self.find_beside()) if self.find_file else ()

    def losses_of_all(self) -> Iterator[str]:
        """What no kind keeps that holds one picture of finite numbers."""
        if count := self.facts.stats.non_finite:
            yield f"{count:,} samples are no numbers, and become black."
        if others := len(self.facts.header.layers):
            yield f"{others} other {'layer is' if others == 1 else 'layers are'} left out."


@dataclass(frozen=True)
class Foreseen:
    """The size of a file, in bytes at most, and what it does not keep, in sentences."""

    bytes: int
    losses: tuple[str, ...] = ()


def raw_bytes(size: tuple[int, int], channels: int, sample_bytes: float) -> int:
    """What a picture of this width and height takes where nothing is compressed."""
    return round(size[0] * size[1] * channels * sample_bytes * 1.01) + HEADERS


def percent(share: float) -> str:
    """A share in words that does not call little nothing."""
    return f"{share:.2%}" if share >= 0.0001 else "less than 0.01%"
