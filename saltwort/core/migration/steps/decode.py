"""Colours that were typed as display numbers into inputs that take light."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.migration.graph import SetInput
from saltwort.core.migration.habits.typed import display_likelihood
from saltwort.core.migration.plan import Change, Draft, step, told
from saltwort.core.migration.readings import linear_rec709, to_xyz
from saltwort.core.migration.uses import SURFACE
from saltwort.core.spaces.curves import SRGB, Curve
from saltwort.core.spaces.gamuts import solve

KEY = "decode-colours"


@dataclass(frozen=True)
class DecodeColours:
    """`colours` names the inputs, as `node.input`; without any, those are decoded that are display numbers by `least`
    probability and more."""

    colours: tuple[str, ...] = ()
    least: float = 0.9


@step(
    KEY,
    "Decode typed display numbers",
    "Makes light of colours that were typed as a display shows them into inputs that take light.",
    DecodeColours,
    30,
)
def take(draft: Draft, settings: DecodeColours) -> Iterator[Change]:
    """Colours decoded by the sRGB curve, in Rec.709, to light of the working space. Raises BadInput for an input that
    is not there."""
    known = {colour.use.key for colour in draft.colours}
    if missing := [key for key in settings.colours if key not in known]:
        raise BadInput(f"There is no typed colour {missing[0]}.")
    for colour in draft.colours:
        use = colour.use
        likely = display_likelihood(use.values) if use.role == SURFACE and not use.gammas else 0.0
        is_asked = use.key in settings.colours if settings.colours else likely >= settings.least
        if not is_asked:
            continue
        working = colour.reading.working
        numbers = np.array(colour.values).reshape(-1, use.width)
        light = Curve(SRGB).decode(numbers[:, :3])
        from_rec709 = solve(to_xyz(draft.config, working), to_xyz(draft.config, linear_rec709(draft.config)))
        decoded = np.concatenate([light @ from_rec709.T, numbers[:, 3:]], axis=1)
        colour.values = tuple(decoded.ravel().tolist())
        colour.altered = "It was typed as display numbers, and is light now."
        draft.edit(use.document, SetInput(use.node.path, use.input, colour.values))
        why = f"Display numbers, {likely:.0%} likely." if likely else "Named in the plan."
        yield Change(KEY, use.document, use.key, told(use.values), told(colour.values), why)
