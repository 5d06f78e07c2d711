"""Read configs that people bring: a `config.ocio` alone, or a zip (`.ocioz`) with its LUTs.

Nothing is unpacked to disk.
"""

import io
import stat
import zipfile
from pathlib import PurePosixPath

from saltwort.core.configs.export import CONFIG_NAME
from saltwort.core.engine import ConfigArchive
from saltwort.core.engine.loading import MAX_CONFIG_BYTES
from saltwort.core.errors import BadInput

MAX_ENTRIES = 2_000
MAX_UNPACKED_BYTES = 256_000_000
MAX_FILE_BYTES = 32_000_000
"""Of one LUT: a 65-cube in text has about 8 MB."""
MAX_RATIO = 200
"""Unpacked to packed. Text of LUTs packs to a tenth; a zip bomb to a thousandth."""
HARMLESS_BYTES = 32_000_000
"""Unpacked, up to which an archive may pack as well as it likes: LUTs of one value do."""


def read_archive(content: bytes, name: str) -> ConfigArchive:
    """The config in an uploaded file, which is told by its content and called by `name` in refusals.

    A zip may hold the config in one folder; paths are then below it. Raises BadInput for what is no config, and for
    archives that are too large, pack too well, or name files outside themselves.
    """
    if not content.startswith(b"PK"):
        return ConfigArchive(_as_text(content, name))
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            entries = _checked_entries(packed, len(content), name)
            found = {path: packed.read(entry) for path, entry in entries.items()}
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError, UnicodeError) as error:
        raise BadInput(f"{name} is a damaged or encrypted zip. Pack it again without a password.") from error
    configs = sorted((path for path in found if PurePosixPath(path).name == CONFIG_NAME), key=len)
    if not configs:
        raise BadInput(f"{name} holds no {CONFIG_NAME}. Pack the folder that it lies in.")
    prefix = configs[0].removesuffix(CONFIG_NAME)
    files = {path.removeprefix(prefix): file for path, file in found.items() if path.startswith(prefix)}
    return ConfigArchive(_as_text(files.pop(CONFIG_NAME), name), files)


def _checked_entries(packed: zipfile.ZipFile, size: int, name: str) -> dict[str, zipfile.ZipInfo]:
    """The files of a zip by their path, once sizes and names are found harmless."""
    entries = [entry for entry in packed.infolist() if not entry.is_dir()]
    if len(entries) > MAX_ENTRIES:
        raise BadInput(f"{name} holds {len(entries):,} files; a config has up to {MAX_ENTRIES:,}.")
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > min(MAX_UNPACKED_BYTES, max(HARMLESS_BYTES, MAX_RATIO * size)):
        raise BadInput(f"{name} unpacks to {unpacked / 1e6:,.0f} MB, more than any config. Remove the rest.")
    for entry in entries:
        path = PurePosixPath(entry.filename)
        leads_out = path.is_absolute() or ".." in path.parts or "\\" in entry.filename or ":" in entry.filename
        if leads_out or stat.S_ISLNK(entry.external_attr >> 16):
            raise BadInput(
                f"{name} holds “{entry.filename}”, which leads out of it. Pack plain files with plain names."
            )
        if entry.file_size > MAX_FILE_BYTES:
            raise BadInput(
                f"{name}: “{entry.filename}” is larger than {MAX_FILE_BYTES // 1_000_000} MB, too large for a LUT."
            )
    return {str(PurePosixPath(entry.filename)): entry for entry in entries}


def _as_text(content: bytes, name: str) -> str:
    if len(content) > MAX_CONFIG_BYTES:
        raise BadInput(f"{name} is larger than {MAX_CONFIG_BYTES // 1_000_000} MB, too large for a config.")
    try:
        return content.decode()
    except UnicodeDecodeError:
        raise BadInput(f"{name} is not a config: it is not UTF-8 text. Use {CONFIG_NAME}, or a zip with it.") from None
