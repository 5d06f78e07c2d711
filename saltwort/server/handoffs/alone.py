"""What pictures say by themselves, without the render that they should show: asked of files, told as JSON."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.explain.alone import CODES, LIGHT, alone
from saltwort.core.explain.explained import EXPLAINED, UNDECIDED
from saltwort.core.explain.files import read_picture
from saltwort.core.explain.frames import CERTAIN
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.pointed import by_swatches
from saltwort.core.explain.question import CLIPPED_DEPTHS, STEP
from saltwort.core.images.intake import survey_apart
from saltwort.server.handoffs.explaining import Wanted
from saltwort.server.handoffs.operations import colours_of
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of

FIRST_LAYER = ""
AROUND = 3
"""Pixels around the one that is pointed at, of which the median counts."""


def alone_file(project: Project, path: Path, wanted: Wanted) -> dict[str, Any]:
    """What the picture in a file says by itself, as scripts read it: less than beside a render, with how likely each
    is. Nothing is called as expected, which the picture alone cannot tell."""
    if not path.is_file():
        raise BadInput(f"There is no file {path.name}.")
    scene = Scene(config_of(project.current), wanted.choice, wanted.is_light)
    said = alone(scene.config, survey_apart(path, path.name, FIRST_LAYER), scene.working_space)
    signs = [sign for sign in said.signs if sign.confidence >= CERTAIN]
    codes = [{"code": sign.code} for sign in signs]
    sentences = [said.why, *(sign.why for sign in said.signs)]
    confidence = max((sign.confidence for sign in signs), default=0.0)
    if said.holds == (CODES if wanted.is_light else LIGHT) and said.confidence >= CERTAIN:
        codes.insert(0, {"code": "view-other", "view": "not known"} if wanted.is_light else {"code": "view-missing"})
        sentences.insert(
            0, "It holds a picture, not light." if wanted.is_light else "It holds light, without the view."
        )
        confidence = max(confidence, said.confidence)
    return {
        "picture": str(path),
        "verdict": EXPLAINED if codes else UNDECIDED,
        "deviations": codes,
        "sentence": " ".join(sentences),
        "confidence": round(confidence, 3),
        "holds": {"what": said.holds, "confidence": said.confidence},
        "signs": [vars(sign) for sign in said.signs],
        "residual": {"de_mean": None, "de_p99": None},
        "alternatives": [],
        "undo": {"possible": False, "lost": []},
    }


def alone_with_swatches(
    project: Project, path: Path, wanted: Wanted, pointed_at: Sequence[tuple[str, int, int]]
) -> dict[str, Any]:
    """The same, with what swatches of the project look like at places of the picture: names and pixels from the upper
    left. Raises BadInput for a swatch or a pixel that there is not."""
    told = alone_file(project, path, wanted)
    pixels, depth = read_picture(path, 1)
    known = {colour.name: colour.working for colour in colours_of(project.current)}
    height, width = pixels.shape[:2]
    swatches, seen = [], []
    for name, x, y in pointed_at:
        if name not in known:
            raise BadInput(f"There is no swatch “{name}”. Swatches: {', '.join(known) or 'none yet'}.")
        if not (0 <= x < width and 0 <= y < height):
            raise BadInput(f"The picture has {width} × {height} pixels, so none at {x}, {y}.")
        around = pixels[max(0, y - AROUND) : y + AROUND + 1, max(0, x - AROUND) : x + AROUND + 1, :3]
        swatches.append(known[name])
        seen.append(np.median(around.reshape(-1, around.shape[-1]), axis=0))
    scene = Scene(config_of(project.current), wanted.choice, wanted.is_light)
    ways = by_swatches(
        scene,
        np.asarray(swatches, np.float32),
        np.asarray(seen, np.float32),
        STEP[depth],
        is_clipped=depth in CLIPPED_DEPTHS,
    )
    told["swatches"] = [
        {
            "deviations": [{"code": way.deviation.code, **way.deviation.way.parameters}] if way.deviation else [],
            "sentence": way.deviation.happened if way.deviation else "They are as expected.",
            "stops": [round(stops, 2) for stops in way.stops],
            "off": round(way.off, 2),
        }
        for way in ways
    ]
    return told
