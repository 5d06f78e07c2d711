"""Find the textures in folders and zips that people bring."""

import os
import shutil
import stat
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from saltwort.core.errors import BadInput
from saltwort.core.files import allowed_path

SUFFIXES = (".exr", ".png", ".jpg", ".jpeg", ".tif", ".tiff", ".hdr", ".dpx", ".tx")
"""Of names that promise a picture; in a folder or zip, other files are passed over."""
MAX_IN_ZIP, MAX_IN_FOLDER = 20_000, 200_000
"""Pictures. A large show has a hundred thousand."""
MAX_UNPACKED_BYTES = 256 << 30
MAX_RATIO = 1_000
"""Unpacked to packed: a plain picture without noise packs to a hundredth, a zip bomb to a millionth."""
HARMLESS_BYTES = 1 << 28
"""Unpacked, up to which a zip may pack as well as it likes: flat masks do."""


@dataclass(frozen=True)
class FoundFile:
    """A file with its path below where it was found, with `/`; `refused` says why it may not be read."""

    path: str
    place: Path
    size: int
    refused: str = ""


def looks_like_picture(path: str) -> bool:
    """Whether a file in a folder or zip is meant, by its name alone."""
    parts = PurePosixPath(path).parts
    is_hidden = any(part.startswith(".") or part == "__MACOSX" for part in parts)
    return not is_hidden and path.lower().endswith(SUFFIXES)


def allowed_folder(typed: str, roots: Sequence[Path]) -> Path:
    """The folder that a person typed or pasted, links resolved. Raises BadInput unless it lies below one of `roots`."""
    path = typed.strip().strip("\"'").strip()
    if not path or "\0" in path:
        raise BadInput("Paste the path of a folder on this machine.")
    folder = allowed_path(path, roots)
    if not folder.is_dir():
        raise BadInput(f"There is no folder at “{path}”. Paste the path of a folder with pictures.")
    return folder


def pictures_below(folder: Path) -> Iterator[FoundFile]:
    """Every picture below a folder, by path. Linked folders are not entered; a linked file that leads out is refused.

    Raises BadInput for more than MAX_IN_FOLDER.
    """
    count = 0
    for place, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(names):
            file = Path(place) / name
            path = file.relative_to(folder).as_posix()
            if not looks_like_picture(path):
                continue
            count += 1
            if count > MAX_IN_FOLDER:
                raise BadInput(
                    f"{folder.name} holds more than {MAX_IN_FOLDER:,} pictures. Choose a folder further down."
                )
            yield _found(file, path, folder)


def _found(file: Path, path: str, folder: Path) -> FoundFile:
    try:
        if not file.resolve(strict=True).is_relative_to(folder):
            return FoundFile(
                path, file, 0, f"{file.name} is a link that leads out of the folder. Import the file itself."
            )
        status = file.stat()
    except (OSError, RuntimeError):
        return FoundFile(path, file, 0, f"{file.name} is a link that leads nowhere.")
    if not stat.S_ISREG(status.st_mode):
        return FoundFile(path, file, 0, f"{file.name} is no plain file.")
    return FoundFile(path, file, status.st_size)


def is_zip(path: Path) -> bool:
    with path.open("rb") as file:
        return file.read(4) == b"PK\x03\x04"


def picture_paths(path: Path) -> list[str]:
    """The paths of the pictures in a zip, as they are after unpacking; none of one that cannot be read, which is told
    when it is unpacked."""
    try:
        with zipfile.ZipFile(path) as packed:
            names = [entry.filename for entry in packed.infolist() if looks_like_picture(entry.filename)]
    except (zipfile.BadZipFile, NotImplementedError, EOFError, UnicodeError, OSError):
        return []
    return [name.replace("\\", "/") for name in names[:MAX_IN_ZIP]]


def unpacked_pictures(path: Path, name: str, into: Path) -> Iterator[FoundFile]:
    """Unpack the pictures of a zip, called `name`, into plain numbered files below `into`, one at a time.

    Raises BadInput for a zip that is damaged, encrypted, too large, packs too well, or does not fit the disk; a
    single file whose name leads out of the zip is refused by itself.
    """
    damaged = BadInput(f"{name} is a damaged or encrypted zip. Pack it again without a password.")
    try:
        with zipfile.ZipFile(path) as packed:
            entries = [entry for entry in packed.infolist() if looks_like_picture(entry.filename)]
            _check_size(entries, path, name, into)
            for number, entry in enumerate(entries):
                target = into / f"{path.name}-{number}"
                yield _unpacked(packed, entry, target)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, UnicodeError) as error:
        raise damaged from error


def _check_size(entries: Sequence[zipfile.ZipInfo], path: Path, name: str, into: Path) -> None:
    if len(entries) > MAX_IN_ZIP:
        raise BadInput(f"{name} holds {len(entries):,} pictures; a zip may hold {MAX_IN_ZIP:,}. Import several.")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > min(MAX_UNPACKED_BYTES, max(HARMLESS_BYTES, MAX_RATIO * path.stat().st_size)):
        raise BadInput(
            f"{name} unpacks to {unpacked / 1e9:,.1f} GB, more than a zip of its size can hold. Import the folder."
        )
    if unpacked > shutil.disk_usage(into).free:
        raise BadInput(f"{name} unpacks to {unpacked / 1e9:,.1f} GB, and the disk has less. Make room and try again.")


def _unpacked(packed: zipfile.ZipFile, entry: zipfile.ZipInfo, target: Path) -> FoundFile:
    path = PurePosixPath(entry.filename.replace("\\", "/"))
    leads_out = path.is_absolute() or ".." in path.parts or ":" in path.parts[0]
    if leads_out or stat.S_ISLNK(entry.external_attr >> 16):
        return FoundFile(entry.filename, target, 0, f"“{entry.filename}” leads out of the zip.")
    with packed.open(entry) as source, target.open("wb") as file:
        shutil.copyfileobj(source, file, 1 << 20)
    return FoundFile(path.as_posix(), target, entry.file_size)
