"""What is done with a config, LUT or look before it is known to be harmless: in a process of its own, with limits.

Only what passed here is loaded where others wait.
"""

from itertools import product
from posixpath import join, normpath

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import AddedLook
from saltwort.core.configs.compare import Comparison, compare
from saltwort.core.configs.describe import describe
from saltwort.core.configs.look_files import looks_from_file
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.engine.processors import build
from saltwort.core.engine.transforms import lut_names
from saltwort.core.errors import BadInput
from saltwort.core.sandbox import Limits, run_sandboxed

SECONDS = 4.0
"""The largest built-in config takes a tenth of one."""
BYTES_A_SECOND = 5_000_000
"""Of LUTs: as text, the slowest, they are read at three times that."""
COMPARE_SECONDS = 30.0
"""Two configs of a hundred views each take five."""
MEMORY = 1_000_000_000
ADVICE = "Remove what is unused, or check it with whoever made it."


def try_config(archive: ConfigArchive, name: str) -> None:
    """Load and describe a config and load all its LUTs. Raises BadInput when it does not load, when that takes too
    much, or brings the library down; a LUT that does not load is no reason, since only what needs it will not work."""
    run_sandboxed(_try, archive, limits=_limits(archive, SECONDS), called=name, advice=ADVICE)


def compare_apart(first: ConfigArchive, second: ConfigArchive, name: str) -> Comparison:
    """`compare` for a `second` config that has not been tried. Raises BadInput as `try_config` does."""
    return run_sandboxed(compare, first, second, limits=_limits(second, COMPARE_SECONDS), called=name, advice=ADVICE)


def named_luts(text: str, name: str) -> list[str]:
    """Paths, from the folder of a config, where the files that it names may lie. Raises BadInput as `try_config`
    does."""
    archive = ConfigArchive(text)
    return run_sandboxed(_named_luts, text, limits=_limits(archive, SECONDS), called=name, advice=ADVICE)


def looks_of(name: str, content: bytes) -> tuple[AddedLook, ...]:
    """`looks_from_file` for a file that has not been tried. Raises BadInput as that and as `try_config` do."""
    limits = _limits(ConfigArchive("", {name: content}), SECONDS)
    return run_sandboxed(looks_from_file, name, content, limits=limits, called=name, advice=ADVICE)


def _limits(archive: ConfigArchive, seconds: float) -> Limits:
    size = len(archive.text) + sum(map(len, archive.files.values()))
    return Limits(seconds + size / BYTES_A_SECOND, MEMORY + 4 * size)


def _try(archive: ConfigArchive) -> None:
    config = load_config(archive, to_mend=True)
    describe(config)
    for path in archive.files:
        try:
            build(config, ocio.FileTransform(f"{config.getWorkingDir()}/{path}"))
        except BadInput:
            continue  # a read-me, or a LUT that is damaged


def _named_luts(text: str) -> list[str]:
    config = load_config(text, to_mend=True)
    context = config.getCurrentContext()
    searched = [context.resolveStringVar(path) for path in config.getSearchPaths()] or [""]
    named = (context.resolveStringVar(name) for name in lut_names(config))
    return list(dict.fromkeys(normpath(join(below, path)) for path, below in product(named, searched)))
