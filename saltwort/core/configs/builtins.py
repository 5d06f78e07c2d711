"""The engine's built-in configs, with what tells them apart."""

import re
from dataclasses import dataclass
from functools import lru_cache

import PyOpenColorIO as ocio

USES = {
    "cg": "For rendering and look development: few spaces, no cameras.",
    "studio": "For shows with camera plates: the CG config, and the spaces of cameras and more displays.",
}


@dataclass(frozen=True)
class BuiltinConfig:
    """One built-in config. `use` says when to choose it."""

    name: str
    kind: str
    aces_version: str
    ocio_version: str
    spaces: int
    use: str


@lru_cache(maxsize=1)
def builtin_configs() -> tuple[BuiltinConfig, ...]:
    """The CG and studio configs that the engine carries, newest first."""
    names = [row[0] for row in ocio.BuiltinConfigRegistry().getBuiltinConfigs()]
    described = [_described(name) for name in names]
    return tuple(sorted(described, key=lambda config: (config.ocio_version, config.kind == "cg"), reverse=True))


def _described(name: str) -> BuiltinConfig:
    kind, aces, version = re.fullmatch(r"(\w+)-config-v[\d.]+_aces-v([\d.]+)_ocio-v([\d.]+)", name).groups()  # type: ignore[union-attr]
    spaces = len(ocio.Config.CreateFromBuiltinConfig(name).getColorSpaceNames())
    return BuiltinConfig(name, kind, aces, version, spaces, f"{USES[kind]} Every application must load OCIO {version}.")
