"""Try a config in a process of its own, before this one touches it: a hostile one may keep the engine busy without
end, or bring it down."""

import json
import subprocess
import sys
from pathlib import Path

from saltwort.core.configs.archives import read_archive
from saltwort.core.configs.describe import describe
from saltwort.core.configs.export import packed
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.errors import BadInput

SECONDS = 20.0
"""The largest built-in config takes one; a config with hundreds of LUTs takes some."""
_ROOT = Path(__file__).parents[3]


def try_config(archive: ConfigArchive, name: str, seconds: float = SECONDS) -> None:
    """Load and describe a config elsewhere. Raises BadInput when it does not load, takes longer than `seconds`, or
    brings the engine down."""
    try:
        run = subprocess.run(
            [sys.executable, "-m", __name__],
            input=packed(archive),
            capture_output=True,
            cwd=_ROOT,
            timeout=seconds,
            check=False,
        )
    except subprocess.TimeoutExpired:
        raise BadInput(f"{name} takes longer than {seconds:g} s to read. Trim it before you bring it.") from None
    if run.returncode != 0:
        raise BadInput(f"{name} brings the OCIO library down, so it is not taken. Check it with whoever made it.")
    if refusal := json.loads(run.stdout):
        raise BadInput(refusal)


def _main() -> None:
    """Answer with the refusal of the config on standard input, or null."""
    try:
        describe(load_config(read_archive(sys.stdin.buffer.read(), "The config"), to_mend=True))
        refusal = None
    except BadInput as error:
        refusal = str(error)
    sys.stdout.write(json.dumps(refusal))


if __name__ == "__main__":
    _main()
