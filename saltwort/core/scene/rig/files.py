"""A picture of the rig as a multi-layer EXR."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs.tags import handoff_tags
from saltwort.core.images.writing import Attribute, write_layers
from saltwort.core.scene.rig.bodies import Array
from saltwort.core.scene.rig.stage import LAYERS, body_names
from saltwort.core.scene.rig.tracing import Traced

SETTINGS = "saltwort:rig"
BODIES = "saltwort:bodies"
CHANNELS = "RGB"


def write_rig(
    config: ocio.Config,
    space: str,
    traced: Traced,
    gains: Array,
    path: Path,
    settings: Mapping[str, Any],
    beauty: Array | None = None,
) -> None:
    """Write the layers as they are lit, (layers, 3) gains, in the working space `space`: beauty, one layer for each
    light, albedo, emission, depth in Z (metres, 0 for none) and body numbers in id (1 for the first, 0 for none).

    The header says primaries, interop ID, names of the bodies and `settings`, as JSON. `beauty`, (height, width, 3),
    stands in for the sum of the layers where something was done to it. Raises BadInput when the disk refuses.
    """
    lit = traced.layers * gains[:, :, None, None].astype(np.float32)
    emitted = (traced.emitted * gains[:, :, None, None].astype(np.float32)).sum(axis=0)
    whole = lit.sum(axis=0) if beauty is None else np.moveaxis(beauty, 2, 0)
    channels = {name: whole[number] for number, name in enumerate(CHANNELS)}
    channels |= {"Z": traced.depth, "id": (traced.bodies + 1).astype(np.float32)}
    for layer, picture in (*zip(LAYERS, lit, strict=True), ("albedo", traced.albedo), ("emission", emitted)):
        channels |= {f"{layer}.{name}": picture[number] for number, name in enumerate(CHANNELS)}
    tags: dict[str, Attribute] = {
        **handoff_tags(config, space),
        SETTINGS: json.dumps(settings, sort_keys=True),
        BODIES: ", ".join(f"{number} {name}" for number, name in enumerate(body_names(), start=1)),
    }
    write_layers(path, {name: np.ascontiguousarray(channel, np.float32) for name, channel in channels.items()}, tags)
