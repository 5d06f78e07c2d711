"""Settings of deliverables as earlier versions stored them, brought to the form of today."""

from collections.abc import Mapping
from typing import Any


def upgraded(kind: str, settings: Mapping[str, Any]) -> tuple[str, dict[str, Any]]:
    """A kind and its stored settings, with what stands beside them, as they are now: hand-offs became light, and a
    still has its display, view and look each for itself, as has the render that they are made of."""
    now = dict(settings)
    if "source" in now and kind in ("handoff", "still"):
        now |= {"source_space": now.pop("source"), "source_layer": now.pop("layer", "")}
    if kind == "handoff":
        return "light", now
    if kind == "still" and isinstance(view := now.get("view"), dict):
        now |= {name: view.get(name, "") for name in ("display", "view", "look")}
        now["bits"] = str(now.get("bits", 16))
        now["dither"] = False  # nothing was dithered then
    return kind, now
