"""Checks: what is wrong or doubtful, why it matters, and what mends it."""

from saltwort.core.findings.registry import (
    BLOCKER,
    CAUTION,
    NOTE,
    CheckedRender,
    CheckedTexture,
    DrawnOff,
    Finding,
    Fix,
    Subjects,
    UnreadableFile,
    check,
    codes,
    run_checks,
)

__all__ = [
    "BLOCKER",
    "CAUTION",
    "NOTE",
    "CheckedRender",
    "CheckedTexture",
    "DrawnOff",
    "Finding",
    "Fix",
    "Subjects",
    "UnreadableFile",
    "check",
    "codes",
    "run_checks",
]
