"""The one door to the OCIO library: load a config, build processors, apply them to pixels."""

from saltwort.core.engine.applying import apply, apply_to_colour
from saltwort.core.engine.loading import ConfigArchive, builtin_text, load_config, newest_cg_config
from saltwort.core.engine.processors import ViewChoice, space_processor, view_processor

__all__ = [
    "ConfigArchive",
    "ViewChoice",
    "apply",
    "apply_to_colour",
    "builtin_text",
    "load_config",
    "newest_cg_config",
    "space_processor",
    "view_processor",
]
