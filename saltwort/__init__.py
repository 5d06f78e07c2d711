"""Saltwort: one colour path, set up once, computed, checked and handed to every application.

What stands in `__all__` is the library, for scripts, notebooks and pipelines; `docs/library.md` describes it. Importing
is lazy: a function loads what it needs when it is first asked for.
"""

from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from saltwort.core.errors import BadInput
    from saltwort.library.applications import Package, Sheet, package, sheet
    from saltwort.library.configs import Config, Lowered, Trimmed, diff, lint, load_config, lower, trace, trim
    from saltwort.library.delivering import Delivered, deliver, verify
    from saltwort.library.explaining import Explanation, explain
    from saltwort.library.images import assign, convert, view
    from saltwort.library.inspecting import Inspection, inspect
    from saltwort.library.projects import Project, open_project

_HOMES = {
    "core.errors": ("BadInput",),
    "library.applications": ("Package", "Sheet", "package", "sheet"),
    "library.configs": ("Config", "Lowered", "Trimmed", "diff", "lint", "load_config", "lower", "trace", "trim"),
    "library.delivering": ("Delivered", "deliver", "verify"),
    "library.explaining": ("Explanation", "explain"),
    "library.images": ("assign", "convert", "view"),
    "library.inspecting": ("Inspection", "inspect"),
    "library.projects": ("Project", "open_project"),
}

__all__ = [
    "BadInput",
    "Config",
    "Delivered",
    "Explanation",
    "Inspection",
    "Lowered",
    "Package",
    "Project",
    "Sheet",
    "Trimmed",
    "assign",
    "convert",
    "deliver",
    "diff",
    "explain",
    "inspect",
    "lint",
    "load_config",
    "lower",
    "open_project",
    "package",
    "sheet",
    "trace",
    "trim",
    "verify",
    "view",
]


if not TYPE_CHECKING:  # type checkers read the imports above, and tell of names that are not there

    def __getattr__(name: str) -> Any:
        from importlib import import_module

        for home, names in _HOMES.items():
            if name in names:
                found = getattr(import_module(f"saltwort.{home}"), name)
                globals()[name] = found
                return found
        raise AttributeError(f"module “saltwort” has no attribute “{name}”")


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
