"""Write a config for other applications."""

import io
import zipfile
from pathlib import Path

from saltwort.core.files import replacing

CONFIG_NAME = "config.ocio"
_FIXED_TIME = (2020, 1, 1, 0, 0, 0)  # the same config gives the same archive, byte for byte


def packed(text: str) -> bytes:
    """A zip archive that holds the config as `config.ocio`. Named `.ocioz`, the engine loads it as it is."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as archive:
        entry = zipfile.ZipInfo(CONFIG_NAME, date_time=_FIXED_TIME)
        entry.compress_type = zipfile.ZIP_DEFLATED
        entry.external_attr = 0o644 << 16
        archive.writestr(entry, text)
    return buffer.getvalue()


def write_config(text: str, target: Path) -> Path:
    """Write the config to `target`, an `.ocioz` or `.zip` file, else a folder that gets `config.ocio`; return the
    file. An existing file of that name is replaced whole. Raises BadInput when the disk refuses.
    """
    archive = target.suffix.lower() in (".ocioz", ".zip")
    file = target if archive else target / CONFIG_NAME
    with replacing(file) as temporary:
        temporary.write_bytes(packed(text) if archive else text.encode())
    return file


def environment_lines(path: str) -> dict[str, str]:
    """The line that makes applications use the config at `path`, for the shell each system starts with."""
    return {
        "Linux (bash)": f'export OCIO="{path}"',
        "macOS (zsh)": f'export OCIO="{path}"',
        "Windows (PowerShell)": f'$env:OCIO = "{path}"',
        "Windows (Command Prompt)": f'set "OCIO={path}"',
    }
