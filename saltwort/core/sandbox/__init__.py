"""Work on what strangers bring, in worker processes with limits: a hostile file may keep a library busy without end,
eat all memory, or bring it down. A worker starts from a command of its own, and never imports the caller's program."""

from saltwort.core.sandbox.interpreter import NoPython
from saltwort.core.sandbox.limits import Limits, end_with_parent
from saltwort.core.sandbox.pool import Sandboxed, run_in_process, run_sandboxed

__all__ = ["Limits", "NoPython", "Sandboxed", "end_with_parent", "run_in_process", "run_sandboxed"]
