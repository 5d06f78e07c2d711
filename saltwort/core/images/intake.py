"""Take image files in: measured in a process of their own, and kept by their content."""

import shutil
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from hashlib import file_digest
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.images.formats import sniff
from saltwort.core.images.measuring import Survey, survey
from saltwort.core.sandbox import Limits, run_sandboxed
from saltwort.core.threads import on_all_cores

SMALL_FILE = 10_000_000
"""Bytes up to which a file is held to SMALL_FILE_LIMITS: what packs well may be a bomb."""
SMALL_FILE_LIMITS = Limits(seconds=4, memory=1_000_000_000)
LARGEST_MEMORY = 4_000_000_000
"""Bytes, for any other file: an interlaced picture, or one in a single piece, is unpacked whole."""
SLOWEST = 2_000_000
"""Bytes of a file that are read in a second, at the least: the slowest compression of EXR is ten times as fast."""
ADVICE = "Save it again, as plain scanlines or tiles, without rare compression, or smaller."
AT_A_TIME, TOGETHER = 8, 1_000_000
"""Files that are looked at in one piece of work, and bytes up to which they are: to hand it out takes as long as a
small file."""
PREVIEW_SUFFIX = ".npz"
_LARGEST_HALF = np.finfo(np.float16).max


@dataclass(frozen=True)
class Taken:
    """What is known of a file once it is in: `modified` is when it was last changed, in nanoseconds; `facts` are Facts
    as plain dictionaries, since they come from another process and go to where they are kept."""

    sha256: str
    suffix: str
    size: int
    modified: int
    facts: dict[str, Any]


def kept_file(store: Path, sha256: str, suffix: str) -> Path:
    """Where a store keeps what belongs to a content."""
    return store / sha256[:2] / f"{sha256}{suffix}"


def take_in(path: Path, name: str, store: Path, *, copy: bool) -> Taken:
    """Measure a file and keep its preview, and with `copy` the file itself, in a store, by the hash of its content.

    Raises BadInput, which calls the file by `name`, for what is no whole image or takes too much to read; then
    nothing is kept.
    """
    return run_sandboxed(_take_in, path, name, store, copy, limits=_limits(path, name), called=name, advice=ADVICE)


def survey_apart(path: Path, name: str, layer: str | None = None) -> Survey:
    """`survey` with the limits of `take_in`. Raises BadInput as that does."""
    return run_sandboxed(_survey, path, name, layer, limits=_limits(path, name), called=name, advice=ADVICE)


def surveys_apart(
    paths: Sequence[Path], progress: Callable[[float], None] | None = None
) -> dict[Path, Survey | BadInput]:
    """`survey_apart` of many files, or why it refuses one; several at a time, which is quicker where they are small.
    `progress` is told the share done, 0–1."""
    found: dict[Path, Survey | BadInput] = {}

    def look(several: Sequence[Path]) -> None:
        found.update(zip(several, _surveys_together(several), strict=True))

    small = [path for path in paths if path.is_file() and path.stat().st_size < TOGETHER]
    together = set(small)
    alone = [[path] for path in paths if path not in together]
    on_all_cores(look, [small[at : at + AT_A_TIME] for at in range(0, len(small), AT_A_TIME)] + alone, progress)
    return {path: found[path] for path in paths}


def keep_preview(store: Path, sha256: str, found: Survey) -> None:
    """Keep thumbnail and sample of a file for quick looks."""
    # Shown in 8 bits, so halves are enough for the thumbnail.
    thumbnail = np.clip(np.nan_to_num(found.thumbnail), -_LARGEST_HALF, _LARGEST_HALF).astype(np.float16)
    with replacing(kept_file(store, sha256, PREVIEW_SUFFIX), synced=False) as temporary:
        np.savez(temporary, thumbnail=thumbnail, sample=found.sample)


def _limits(path: Path, name: str) -> Limits:
    try:
        size = path.stat().st_size
    except OSError as error:
        raise BadInput(f"{name} cannot be read: {error.strerror}.") from error
    return SMALL_FILE_LIMITS if size < SMALL_FILE else Limits(seconds=size / SLOWEST, memory=LARGEST_MEMORY)


def _surveys_together(paths: Sequence[Path]) -> list[Survey | BadInput]:
    if len(paths) > 1:
        limits = Limits(SMALL_FILE_LIMITS.seconds * len(paths), SMALL_FILE_LIMITS.memory)
        with suppress(BadInput):  # which of them it was is not known, so each is held to its own limits
            return run_sandboxed(_surveys, paths, limits=limits, called="One of several files", advice=ADVICE)
    return [_survey_or_refusal(path, survey_apart) for path in paths]


def _surveys(paths: Sequence[Path]) -> list[Survey | BadInput]:
    return [_survey_or_refusal(path, _survey) for path in paths]


def _survey_or_refusal(path: Path, look: Callable[[Path, str], Survey]) -> Survey | BadInput:
    try:
        return look(path, path.name)
    except BadInput as refusal:
        return refusal


def _survey(path: Path, name: str, layer: str | None = None) -> Survey:
    try:
        return survey(path, layer)
    except BadInput as error:
        raise BadInput(str(error).replace(path.name, name)) from error
    except OSError as error:
        raise BadInput(f"{name} cannot be read: {error.strerror}.") from error


def _take_in(path: Path, name: str, store: Path, copy: bool) -> Taken:
    found = _survey(path, name)
    suffix, status = sniff(path).suffix, path.stat()
    with path.open("rb") as file:
        sha256 = file_digest(file, "sha256").hexdigest()
    kept = kept_file(store, sha256, suffix)
    if copy and kept.exists():
        kept.touch()  # housekeeping leaves alone what was taken in lately
    elif copy:
        with replacing(kept) as temporary:
            shutil.copyfile(path, temporary)
    keep_preview(store, sha256, found)
    return Taken(sha256, suffix, status.st_size, status.st_mtime_ns, asdict(found.facts))
