"""Write a config for other applications."""

import io
import re
import zipfile
from pathlib import Path

from saltwort.core.engine import ConfigArchive
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.names import same_on_disk

CONFIG_NAME = "config.ocio"
FIRST_WITH_ARCHIVES = (2, 2)
"""OCIO version that reads a config in one `.ocioz` file."""
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


def archive_suffix(version: str) -> str:
    """What a config of an OCIO version, as `2.1`, is handed over as in one file: `.ocioz`, or below
    FIRST_WITH_ARCHIVES, which reads a folder alone, a `.zip` to unpack."""
    return ".ocioz" if _numbers(version) >= FIRST_WITH_ARCHIVES else ".zip"


def without_suffix(name: str) -> str:
    """The name of a config in one file without its ending, which is what the config is called."""
    return name.removesuffix(".ocioz").removesuffix(".zip")


def check_suffix(archive: ConfigArchive, suffix: str) -> None:
    """Raise BadInput for a config as `.ocioz` when its OCIO version does not read that."""
    found = re.search(r"^ocio_profile_version:\s*(\d+)(?:\.(\d+))?", archive.text, re.MULTILINE)
    version = f"{found[1]}.{found[2] or 0}" if found else ""
    if suffix == ".ocioz" and version and archive_suffix(version) != ".ocioz":
        raise BadInput(f"OCIO {version} reads no .ocioz file. Write the config to a .zip, or into a folder.")


def _numbers(version: str) -> tuple[int, ...]:
    return tuple(int(part) for part in version.split("."))


def write_config(archive: ConfigArchive, target: Path) -> Path:
    """Write the config to `target`, an `.ocioz` or `.zip` file, else a folder that gets `config.ocio` and its files;
    return the file to load. Existing files of these names are replaced, each whole. Raises BadInput for an `.ocioz` of
    a version that reads none, and when the disk refuses.
    """
    check_suffix(archive, target.suffix.lower())
    if target.suffix.lower() in (".ocioz", ".zip"):
        with replacing(target) as temporary:
            temporary.write_bytes(packed(archive))
        return target
    entries = _entries(archive)
    if pair := same_on_disk(entries):
        raise BadInput(
            f"“{pair[0]}” and “{pair[1]}” are one file on some systems. Write the config to an archive instead."
        )
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
