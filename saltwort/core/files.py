"""Files that appear whole or not at all."""

import os
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from saltwort.core.errors import BadInput


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary file beside `path`, which takes its place, synced to disk, when the block ends well.

    An existing file stands until then. Raises BadInput when the disk refuses.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".writing-", suffix=path.suffix)
    except OSError as error:
        raise BadInput(f"{path} cannot be written: {error.strerror}.") from error
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        with temporary.open("rb") as file:
            os.fsync(file.fileno())
        temporary.chmod(0o644)
        temporary.replace(path)
    except OSError as error:
        raise BadInput(f"{path} cannot be written: {error.strerror}.") from error
    finally:
        temporary.unlink(missing_ok=True)


def allowed_path(path: str, roots: Sequence[Path]) -> Path:
    """A path as typed, with links resolved. Raises BadInput unless it then lies below one of `roots`."""
    resolved = Path(path).expanduser().resolve()
    if not any(resolved.is_relative_to(root.resolve()) for root in roots):
        allowed = ", ".join(map(str, roots)) or "none"
        raise BadInput(f"“{path}” lies outside the folders that Saltwort may use ({allowed}). Bring the file instead.")
    return resolved
