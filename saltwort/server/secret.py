"""The secret key: made on first start, kept beside the database."""

import os
from pathlib import Path
from secrets import token_urlsafe


def secret_key(path: Path) -> str:
    """The key in `path`, which is made readable to its owner alone when it is not there yet."""
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text(encoding="utf-8")
    with os.fdopen(handle, "w") as file:
        file.write(token_urlsafe(50))
    return path.read_text(encoding="utf-8")
