"""Tone mapping of cameras and outputs off, and the view that comes nearest to it."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from saltwort.core.migration.graph import SetSetting, Setting
from saltwort.core.migration.habits.output import is_gamma, output_mappings
from saltwort.core.migration.nearest_view import nearest_views
from saltwort.core.migration.plan import Change, Draft, step, told
from saltwort.core.scene.rig.mixing import TONE_MAPPINGS

KEY, UNDECIDED = "tone-mapping-off", "undecided"


@dataclass(frozen=True)
class ToneMappingOff:
    """`curve` says which curve of tones the output has, a key of TONE_MAPPINGS, where its document does not."""

    curve: Literal["undecided", "linear", "gamma", "exponential", "reinhard"] = "undecided"


@step(
    KEY,
    "Turn tone mapping off",
    "Sets the tone mapping and gamma of cameras and outputs to none, and names the view that comes nearest.",
    ToneMappingOff,
    50,
)
def take(draft: Draft, settings: ToneMappingOff) -> Iterator[Change]:
    """Every setting that maps tones, off."""
    documents = draft.scene.documents.items()
    found = [(path, setting) for path, document in documents for setting in output_mappings(document)]
    if not found:
        return
    nearest = _nearest(draft, [setting for _, setting in found], settings.curve)
    for path, setting in found:
        value = setting.value
        off: tuple[float, ...] | str | bool
        if isinstance(value, bool):
            off = False
        elif isinstance(value, str):
            off = "none"
        else:
            off = (1.0,) if is_gamma(setting) else (0.0,)
        draft.edit(path, SetSetting(setting.path, off))
        shown = told(value) if isinstance(value, tuple) else str(value)
        after = told(off) if isinstance(off, tuple) else str(off)
        yield Change(KEY, path, setting.path, shown, after, f"The view makes the picture now. {nearest}")


def _nearest(draft: Draft, settings: list[Setting], curve: str) -> str:
    """The view that comes nearest to what the settings made, as a sentence; its figures are kept with the draft."""
    exponents = [each.value[0] for each in settings if is_gamma(each) and isinstance(each.value, tuple)]
    curves = [each for each in settings if not is_gamma(each)]
    named = [str(each.value).lower() for each in curves]
    known = (
        curve
        if curve != UNDECIDED
        else next((name for name in TONE_MAPPINGS if any(name in each for each in named)), "")
    )
    if curves and not known:
        return (
            f"Which curve {curves[0].name} is cannot be read from the document. Drop a finished picture on Hand-offs, "
            "and Explain tells the view."
        )
    views = nearest_views(draft, known or "linear", exponents[0] if exponents else 2.2)
    draft.choices[KEY] = views
    if not views:
        return "The config has no view for an sRGB screen to compare with."
    best = views[0]
    exposure = f" at {best.exposure:+.2g} stops" if best.exposure else ""
    return f"Nearest: {best.view} on {best.display}{exposure}, mean ΔE {best.mean:.2g}."
