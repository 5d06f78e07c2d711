"""Which view of a config comes nearest to a scene's own tone mapping."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.engine.displays import display_kind
from saltwort.core.errors import BadInput
from saltwort.core.migration.plan import Draft
from saltwort.core.migration.readings import light_of, to_xyz
from saltwort.core.scene.rig.mixing import DISPLAY_GAMMA, TONE_MAPPINGS
from saltwort.core.spaces.curves import SRGB, Curve
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.spaces.gamuts import REC709, rgb_to_xyz, solve

WHITE_POINT = 4.0
"""Light that becomes white in curves that have such a point and do not say it."""
STOPS = (-4, -2, -1, 0, 1, 2, 4)
MOST_COLOURS = 200
SHOWN = 4


@dataclass(frozen=True)
class NearView:
    """A view with the difference left to the picture before: mean ΔE 2000 and that of the worst hundredth, over the
    scene's colours in stops of light. `exposure` in stops brings it nearest."""

    display: str
    view: str
    exposure: float
    mean: float
    worst: float


def nearest_views(draft: Draft, curve: str, gamma: float) -> list[NearView]:
    """The views of the config, the nearest first, to a scene's own output: `curve`, a key of TONE_MAPPINGS, and an
    exponent after it."""
    light = _probes(draft)
    rgb = np.clip(solve(rgb_to_xyz(REC709), light.T).T, 0, None)
    mapped = TONE_MAPPINGS[curve].curve(rgb.astype(np.float32), WHITE_POINT).astype(np.float64)
    if curve != "linear":  # these encode by DISPLAY_GAMMA
        mapped = mapped**DISPLAY_GAMMA
    shown = np.clip(mapped, 0, 1) ** (1 / gamma)
    before = _seen(shown)
    found = []
    working = draft.working
    from_xyz = to_xyz(draft.config, working)
    in_working = solve(from_xyz, light.T).T
    for display in draft.config.getDisplays():
        for view in draft.config.getViews(display):
            choice = ViewChoice(display, view)
            try:
                if display_kind(draft.config, choice) != "srgb":
                    continue
                found.append(_near(draft, working, choice, in_working, before))
            except BadInput:
                continue
    return sorted(found, key=lambda near: near.mean)[:SHOWN]


def _near(
    draft: Draft, working: str, choice: ViewChoice, light: NDArray[np.float64], before: NDArray[np.float64]
) -> NearView:
    best: NearView | None = None
    for exposure in np.arange(-1.5, 1.51, 0.25):
        processor = view_processor(draft.config, working, choice, float(exposure))
        codes = apply(processor, light.astype(np.float32)[np.newaxis])[0].astype(np.float64)
        off = delta_e_2000(before, _seen(np.clip(codes, 0, 1)))
        near = NearView(choice.display, choice.view, float(exposure), float(off.mean()), float(np.percentile(off, 99)))
        if best is None or near.mean < best.mean:
            best = near
    assert best is not None
    return best


def _seen(codes: NDArray[np.float64]) -> NDArray[np.float64]:
    """CIE XYZ of code values on a screen of sRGB."""
    return np.asarray(Curve(SRGB).decode(codes) @ rgb_to_xyz(REC709).T)


def _probes(draft: Draft) -> NDArray[np.float64]:
    """The scene's colours and greys, in stops around themselves, as CIE XYZ."""
    colours = [np.full(3, 0.18) @ rgb_to_xyz(REC709).T]
    for colour in draft.colours[:MOST_COLOURS]:
        numbers = np.array(colour.use.values[: colour.use.width])[None, :3]
        light = light_of(draft.config, colour.before, numbers)[0]
        if 1e-3 < light[1] < 10:
            colours.append(light / max(light[1], 0.18) * 0.18 if light[1] > 1 else light)
    return np.concatenate([np.array(colours) * 2.0**stop for stop in STOPS])
