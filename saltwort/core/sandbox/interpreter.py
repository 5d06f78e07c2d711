"""Which Python runs the workers. In an application that has Python inside, `sys.executable` may be the application."""

import os
import re
import sys
from pathlib import Path

from saltwort.core.errors import BadInput

VARIABLE = "SALTWORT_PYTHON"
"""Names the Python that runs the workers."""
_NAMES = re.compile(r"(python|pypy)[\d.]*[a-z]?(\.exe)?", re.IGNORECASE)


class NoPython(BadInput):
    """No Python can be started to read files in."""


def worker_command() -> list[str]:
    """The command that starts a worker. Raises NoPython where neither VARIABLE nor `sys.executable` names a Python."""
    # Without the folder that is current: what lies there may be called as modules are.
    return [_python(), "-P", "-m", "saltwort.core.sandbox.worker"]


def worker_environment() -> dict[str, str]:
    """The environment of a worker: that of this process, one thread for linear algebra since there is a worker for each
    core, and with the same Python the same places of modules."""
    environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1"}
    if VARIABLE not in os.environ:
        environment["PYTHONPATH"] = os.pathsep.join(str(Path(place or ".").absolute()) for place in sys.path)
    return environment


def no_python(reason: str) -> NoPython:
    """What to do about a Python that does not start a worker."""
    return NoPython(
        f"Saltwort reads files in a process of its own, and {reason}. Set {VARIABLE} to the path of a "
        f"Python {sys.version_info[0]}.{sys.version_info[1]} in which Saltwort is installed."
    )


def _python() -> str:
    if named := os.environ.get(VARIABLE):
        if not Path(named).is_file():
            raise no_python(f"there is no file at “{named}”, which {VARIABLE} names")
        return named
    if not sys.executable:
        raise no_python("this program does not say which Python it runs in")
    if not _NAMES.fullmatch(Path(sys.executable).name):
        raise no_python(f"“{sys.executable}”, in which it runs, is not a Python")
    return sys.executable
