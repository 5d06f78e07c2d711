"""Read the config that an application on this machine uses, from where it lies."""

import re
from collections.abc import Sequence
from pathlib import Path

import PyOpenColorIO as ocio

from saltwort.core.configs.archives import MAX_ENTRIES, MAX_FILE_BYTES, MAX_UNPACKED_BYTES, read_archive
from saltwort.core.configs.export import CONFIG_NAME
from saltwort.core.configs.untried import named_luts
from saltwort.core.engine import ConfigArchive, builtin_text
from saltwort.core.errors import BadInput
from saltwort.core.files import allowed_path

BUILTIN = "ocio://"
ARCHIVES = (".ocioz", ".zip")


def read_config_at(typed: str, roots: Sequence[Path]) -> ConfigArchive:
    """The config at a path, as an application or a shell line names it: a file, its folder, an archive, or one of the
    engine's own as `ocio://…`. LUTs are read from beside the config.

    Nothing outside `roots` is looked at, and links are followed only to see where they lead. Raises BadInput, saying
    what to paste instead, for a path that is not there, is no config, or leads out.
    """
    path = _path_in(typed)
    if path.startswith(BUILTIN):
        return ConfigArchive(builtin_text(ocio.ResolveConfigPath(path).removeprefix(BUILTIN)))
    file = allowed_path(path, roots)
    if file.is_dir():
        file = allowed_path(str(file / CONFIG_NAME), roots)
    if not file.is_file():
        raise BadInput(f"There is no config at “{path}”. Paste the path of a {CONFIG_NAME}, or of its folder.")
    if file.stat().st_size > MAX_UNPACKED_BYTES:
        raise BadInput(f"{file.name} is larger than {MAX_UNPACKED_BYTES // 1_000_000} MB, too large for a config.")
    config = read_archive(file.read_bytes(), file.name)
    return (
        config
        if file.suffix.lower() in ARCHIVES
        else ConfigArchive(config.text, _luts_beside(config.text, file.parent))
    )


def _path_in(typed: str) -> str:
    """The path in what was pasted: quotes, `OCIO=` and the words of a shell line around it are taken off."""
    line = typed.strip()
    assigned = re.fullmatch(r"""(?:export |set |\$env:)?"?OCIO\s*=\s*(.*)""", line, re.IGNORECASE)
    path = (assigned[1] if assigned else line).strip().strip("\"'").strip()
    if not path or "\0" in path:
        raise BadInput("Paste the path of a config, as the application or the OCIO variable has it.")
    return path


def _luts_beside(text: str, folder: Path) -> dict[str, bytes]:
    """The LUTs that a config names, as far as they lie in its folder, by their path from there."""
    found: dict[str, bytes] = {}
    unpacked = 0
    for path in named_luts(text, CONFIG_NAME):
        file = folder / path
        if not file.is_file() or not file.resolve().is_relative_to(folder):
            continue
        size = file.stat().st_size
        unpacked += size
        if len(found) >= MAX_ENTRIES or size > MAX_FILE_BYTES or unpacked > MAX_UNPACKED_BYTES:
            raise BadInput("The LUTs of this config are more, or larger, than any config needs.")
        found[path] = file.read_bytes()
    return found
