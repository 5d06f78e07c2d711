"""Kinds of stations to start from: each a bundle of abilities, which can then be changed one by one."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from saltwort.core.errors import BadInput
from saltwort.core.stations.station import READS_RENDERS, READS_TEXTURES, Station


@dataclass(frozen=True)
class StationKind:
    """A kind of application: what it is called, what it does in the chain, what it is fed, and what it can do otherwise
    than the defaults say."""

    key: str
    label: str
    does: str
    reads: str
    abilities: Mapping[str, Any] = field(default_factory=dict)

    def station(self, name: str) -> Station:
        """An application of this kind."""
        return Station(name, self.reads).with_abilities(self.abilities)


_PICKS = {"typed_colours": "display"}
_NO_FLOATS = {"writes": "integers"}

KINDS = (
    StationKind(
        "texturing",
        "Texturing tool that follows a config",
        "Paints textures, and shows them through the project’s view.",
        READS_TEXTURES,
        {**_PICKS, "config_set_at": "project", "viewers": "one", "own_rules": True, "hands_on": "textures"},
    ),
    StationKind(
        "texturing-srgb",
        "Texturing tool that knows only sRGB",
        "Paints textures without a config.",
        READS_TEXTURES,
        {
            **_PICKS,
            **_NO_FLOATS,
            "colour_by": "srgb",
            "own_tone_mapping": True,
            "viewers": "one",
            "hands_on": "textures",
        },
    ),
    StationKind(
        "renderer",
        "Renderer that follows a config",
        "Reads textures and writes light.",
        READS_TEXTURES,
        {"bakes_view": "can", "scene_documents": "both"},
    ),
    StationKind(
        "renderer-tone-mapping",
        "Renderer with tone mapping and gamma of its own",
        "Reads textures and writes light, unless its own tone mapping is on.",
        READS_TEXTURES,
        {**_PICKS, "config_set_at": "project", "own_tone_mapping": True, "own_gamma": True, "bakes_view": "default"},
    ),
    StationKind(
        "renderer-gamma",
        "Renderer of old, with gamma alone",
        "Knows no config: textures are decoded by a gamma.",
        READS_TEXTURES,
        {**_PICKS, "colour_by": "srgb", "own_gamma": True, "viewers": "none"},
    ),
    StationKind(
        "render-viewer",
        "Render viewer",
        "Shows the render while it comes.",
        READS_RENDERS,
        {"viewers": "one", "bakes_view": "can", "hands_on": "nothing"},
    ),
    StationKind(
        "compositor-nodes",
        "Node compositor that follows a config",
        "Composites light, and shows it through the project’s view.",
        READS_RENDERS,
        {"bakes_view": "can", "own_rules": True},
    ),
    StationKind(
        "compositor-layers",
        "Layer compositor",
        "Composites layers in a project with a bit depth.",
        READS_RENDERS,
        {
            **_PICKS,
            "config_set_at": "project",
            "project_depth": True,
            "depth_decides": True,
            "viewers": "one",
            "bakes_view": "default",
        },
    ),
    StationKind(
        "compositor-transform",
        "Compositor with transform nodes alone",
        "Has no colour management but in single nodes.",
        READS_RENDERS,
        {"colour_by": "transform", "project_depth": True, "viewers": "none", "bakes_view": "can"},
    ),
    StationKind(
        "editor-icc",
        "Image editor that knows ICC profiles",
        "Retouches pictures by their profiles.",
        READS_RENDERS,
        {**_PICKS, "colour_by": "icc", "project_depth": True, "depth_decides": True, "viewers": "none"},
    ),
    StationKind(
        "editor-lut",
        "Image editor that takes LUT files",
        "Shows light through a LUT.",
        READS_RENDERS,
        {**_PICKS, "colour_by": "lut", "project_depth": True, "viewers": "none", "bakes_view": "can"},
    ),
    StationKind(
        "grading",
        "Grading suite with a logarithmic working space",
        "Grades light in a logarithmic space, and makes the master.",
        READS_RENDERS,
        {
            "grading_space": "acescct",
            "config_set_at": "project",
            "viewers": "one",
            "bakes_view": "default",
            "hands_on": "pictures",
        },
    ),
    StationKind(
        "engine",
        "Real-time engine",
        "Reads textures, and shows light by tone mapping of its own.",
        READS_TEXTURES,
        {
            **_PICKS,
            "colour_by": "srgb",
            "own_tone_mapping": True,
            "own_gamma": True,
            "viewers": "one",
            "hands_on": "nothing",
        },
    ),
    StationKind(
        "player",
        "Player",
        "Plays frames and videos for review.",
        READS_RENDERS,
        {"viewers": "one", **_NO_FLOATS, "takes": "pictures", "hands_on": "nothing"},
    ),
    StationKind(
        "web-page",
        "Web page",
        "Shows finished pictures by their tags.",
        READS_RENDERS,
        {"colour_by": "icc", "viewers": "none", **_NO_FLOATS, "takes": "pictures", "hands_on": "nothing"},
    ),
)
BY_KEY = {kind.key: kind for kind in KINDS}


def kind_named(key: str) -> StationKind:
    """Raises BadInput for a kind that there is not."""
    if key not in BY_KEY:
        raise BadInput(f"There is no kind of application “{key}”. Choose one of {', '.join(BY_KEY)}.", "kind")
    return BY_KEY[key]
