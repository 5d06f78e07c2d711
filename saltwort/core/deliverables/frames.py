"""The frames of a sequence on their way into one file: made ahead on several threads, and what becomes of gaps."""

import os
from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from typing import Any

from saltwort.core.deliverables.shown import Source
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.images.sequences import FrameRange

STOP, HOLD, CLOSE_UP = "stop", "hold", "close up"
GAPS = {STOP: "stop and say which", HOLD: "hold the frame before", CLOSE_UP: "close up"}


class Frames:
    """Pictures that `make` gives of sources, in order. A missing or broken frame stops them, is stood in for by the one
    before, or is left out, as `gaps` says; `held` and `left_out` are the numbers of such frames, once all were made.
    Raises BadInput, naming the frames, where some are missing and that is to stop them."""

    def __init__(self, sources: Sequence[Source], gaps: str, make: Callable[[Source], Pixels]) -> None:
        self._gaps, self._make = gaps, make
        self._places = _places(sources)
        missing = [number for number, source in self._places if source is None]
        if missing and gaps == STOP:
            raise BadInput(f"Frames are missing: {numbers_told(missing)}. Render them, or hold or close up.", "gaps")
        self.held: list[int] = []
        self.left_out: list[int] = []

    @property
    def first_number(self) -> int | None:
        """Of the first frame that is there; None where frames have no numbers."""
        return next((source.number for _, source in self._places if source is not None), None)

    def __len__(self) -> int:
        """How many there are at most."""
        return len(self._places)

    def __iter__(self) -> Iterator[Pixels]:
        """Raises BadInput for a broken frame that is to stop them."""
        last: Pixels | None = None
        for (number, _), made in zip(self._places, self._made(), strict=True):
            if isinstance(made, BadInput) and self._gaps == STOP:
                raise BadInput(f"{made} To go on without it, choose to hold the frame before, or to close up.", "gaps")
            if made is not None and not isinstance(made, BadInput):
                last = made
                yield made
            elif self._gaps == HOLD and last is not None:
                self.held.append(number)
                yield last
            else:
                self.left_out.append(number)

    def _made(self) -> Iterator[Pixels | BadInput | None]:
        """A few ahead of whoever takes them, so that memory does not grow with their number."""
        ahead = (os.cpu_count() or 1) + 1
        rest = (source for _, source in self._places)
        with ThreadPoolExecutor(ahead) as pool:
            waiting = deque(pool.submit(self._attempt, source) for source in islice(rest, ahead))
            try:
                while waiting:
                    future = waiting.popleft()
                    waiting.extend(pool.submit(self._attempt, source) for source in islice(rest, 1))
                    yield future.result()
            finally:
                for future in waiting:
                    future.cancel()

    def _attempt(self, source: Source | None) -> Pixels | BadInput | None:
        try:
            return None if source is None else self._make(source)
        except BadInput as error:
            return error


def worst_of(written: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """What was found in the files of a sequence, all together, as one finding of their kind: of figures the largest, of
    bytes the sum, of all else what the first says."""
    found = dict(written[0])
    for name, value in found.items():
        if isinstance(value, int | float) and not isinstance(value, bool):
            values = [each[name] for each in written if isinstance(each.get(name), int | float)]
            found[name] = sum(values) if name == "bytes" else max(values)
    return found


def numbers_told(numbers: Sequence[int]) -> str:
    """The first of some numbers, and how many more there are."""
    shown = ", ".join(map(str, numbers[:8]))
    return f"{shown} and {len(numbers) - 8} more" if len(numbers) > 8 else shown


def _places(sources: Sequence[Source]) -> list[tuple[int, Source | None]]:
    """Each frame by its number, None for one that is missing; by place where not all have numbers."""
    known = [source.number for source in sources if source.number is not None]
    if len(known) < len(sources):
        return list(enumerate(sources))
    by_number = {source.number: source for source in sources}
    return [(number, by_number.get(number)) for number in FrameRange().wanted(known)]
