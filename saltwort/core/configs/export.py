"""Write a config for other applications."""

import io
import zipfile
from pathlib import Path

from saltwort.core.engine import ConfigArchive
from saltwort.core.files import replacing

CONFIG_NAME = "config.ocio"
_FIXED_TIME = (2020, 1, 1, 0, 0, 0)  # the same config gives the same archive, byte for byte


def packed(archive: ConfigArchive) -> bytes:
    """A zip archive of the config, as `config.ocio`, and its files. Named `.ocioz`, the engine loads it as it is."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packing:
        for path, content in _entries(archive).items():
            entry = zipfile.ZipInfo(path, date_time=_FIXED_TIME)
            entry.compress_type = zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            packing.writestr(entry, content)
    return buffer.getvalue()


def write_config(archive: ConfigArchive, target: Path) -> Path:
    """Write the config to `target`, an `.ocioz` or `.zip` file, else a folder that gets `config.ocio` and its files;
    return the file to load. Existing files of these names are replaced, each whole. Raises BadInput when the disk
    refuses.
    """
    if target.suffix.lower() in (".ocioz", ".zip"):
        with replacing(target) as temporary:
            temporary.write_bytes(packed(archive))
        return target
    entries = _entries(archive)
    for path in sorted(entries, key=CONFIG_NAME.__eq__):  # the config last, when all it needs is there
        with replacing(target / path) as temporary:
            temporary.write_bytes(entries[path])
    return target / CONFIG_NAME


def _entries(archive: ConfigArchive) -> dict[str, bytes]:
    return {CONFIG_NAME: archive.text.encode(), **dict(sorted(archive.files.items()))}


def environment_lines(path: str) -> dict[str, str]:
    """The line that makes applications use the config at `path`, for the shell each system starts with."""
    return {
        "Linux (bash)": f'export OCIO="{path}"',
        "macOS (zsh)": f'export OCIO="{path}"',
        "Windows (PowerShell)": f'$env:OCIO = "{path}"',
        "Windows (Command Prompt)": f'set "OCIO={path}"',
    }
