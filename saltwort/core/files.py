"""Files that appear whole or not at all."""

import errno
import os
import shutil
import tempfile
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path

from saltwort.core.errors import BadInput, DiskFull

LEAST_FREE = 20_000_000
"""Bytes below which a disk counts as full: what is written besides, as the database's log, needs room too."""
WRITING = ".writing-"
"""How the names of files begin that are not whole yet."""


def is_disk_full(error: OSError) -> bool:
    return error.errno in (errno.ENOSPC, getattr(errno, "EDQUOT", None))


def sync(path: Path) -> None:
    """Have a file on disk, or the names in a folder where the system lets folders be opened: Windows writes them by
    itself."""
    if path.is_dir() and os.name == "nt":
        return
    # Windows syncs only what may be written to.
    handle = os.open(path, os.O_RDONLY if path.is_dir() or os.name != "nt" else os.O_RDWR)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def check_room(folder: Path, size: int = 0) -> None:
    """Raise DiskFull when the disk of a folder has no room for `size` bytes more."""
    if shutil.disk_usage(folder).free < LEAST_FREE + size:
        raise DiskFull


@contextmanager
def replacing(path: Path, *, synced: bool = True) -> Iterator[Path]:
    """A temporary file beside `path`, which takes its place, synced to disk, when the block ends well. What can be made
    again need not be `synced`.

    An existing file stands until then. Raises BadInput when the disk refuses.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=WRITING, suffix=path.suffix)
    except OSError as error:
        raise _unwritten(path, error) from error
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        if synced:
            sync(temporary)
        temporary.chmod(0o644)
        temporary.replace(path)
    except OSError as error:
        raise _unwritten(path, error) from error
    finally:
        temporary.unlink(missing_ok=True)


def _unwritten(path: Path, error: OSError) -> BadInput:
    if is_disk_full(error):
        return DiskFull()
    return BadInput(f"{path.name} cannot be written: {error.strerror}. Check the folder and its rights.")


def forget_unfinished(folder: Path, older_than: float) -> None:
    """Delete what a killed process left unfinished below a folder, if it is older than so many seconds."""
    for file in folder.rglob(f"{WRITING}*"):
        with suppress(OSError):
            if time.time() - file.stat().st_mtime > older_than:
                file.unlink()


def shrink(folder: Path, most: int) -> None:
    """Delete the files of a folder that were used longest ago, until they have no more than `most` bytes."""
    found = [(file.stat(), file) for file in folder.glob("*") if file.is_file()]
    found.sort(key=lambda item: item[0].st_mtime, reverse=True)
    size = 0
    for status, file in found:
        size += status.st_size
        if size > most:
            file.unlink(missing_ok=True)


def allowed_path(path: str, roots: Sequence[Path]) -> Path:
    """A path as typed, with links resolved. Raises BadInput unless it then lies below one of `roots`."""
    resolved = Path(path).expanduser().resolve()
    if not any(resolved.is_relative_to(root.resolve()) for root in roots):
        allowed = ", ".join(map(str, roots)) or "none"
        raise BadInput(f"“{path}” lies outside the folders that Saltwort may use ({allowed}). Import the file instead.")
    return resolved
