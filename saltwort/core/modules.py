"""Load what registers itself by being there."""

from importlib import import_module
from pkgutil import iter_modules


def import_all(package: str) -> None:
    """Import every module that stands in a package."""
    for module in iter_modules(import_module(package).__path__, f"{package}."):
        import_module(module.name)
