"""Arrays kept in files."""

from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

_ONE_AT_A_TIME = Lock()
"""The header of an array is parsed as Python, and Python 3.11 may raise a SystemError where two threads parse at once:
seen once in a run of all tests."""


def read_arrays(file: Path) -> dict[str, Any]:
    """The numpy arrays of an .npz file of our own, by name."""
    with _ONE_AT_A_TIME, np.load(file, allow_pickle=False) as kept:
        return {name: kept[name] for name in kept.files}
