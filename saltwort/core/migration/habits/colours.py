"""How colours were typed, and how bright lights were made."""

from collections.abc import Iterator
from math import log2

from saltwort.core.migration.habits.registry import Seen, habit
from saltwort.core.migration.habits.typed import corrected_likelihood, display_likelihood
from saltwort.core.migration.plan import Draft, told
from saltwort.core.migration.uses import SURFACE
from saltwort.core.numbers import MIDDLE_GREY

LIKELY = 0.6
RAISED = 0.8
"""Stops of the middle above middle grey that may come from raised lights."""
WHITE = (0.6, 1.5)
"""Where highlights end that were kept below the white of a display."""


@habit(
    "display-numbers",
    "Colours typed as display numbers",
    "The numbers are steps of 8 bits, as colour pickers give them, in an input that takes light: too bright and pale.",
    "decode-colours",
    is_hint=True,
)
def display_numbers(draft: Draft) -> Iterator[Seen]:
    """Colours of surfaces that are likely display numbers, with how likely."""
    for colour in draft.colours:
        use = colour.use
        likely = display_likelihood(use.values) if use.role == SURFACE and not use.gammas else 0.0
        if likely >= LIKELY:
            steps = " ".join(str(round(value * 255)) for value in use.values[:3])
            yield Seen(use.document, use.key, f"{told(use.values[:3])} is {steps} in 8 bits, {likely:.0%} likely.")


@habit(
    "pre-corrected",
    "Colours corrected by hand",
    "Somebody raised display numbers to 2.2 before typing them. They are light already, and need no decoding.",
    is_hint=True,
)
def pre_corrected(draft: Draft) -> Iterator[Seen]:
    """Colours that become steps of 8 bits when they are encoded."""
    for colour in draft.colours:
        use = colour.use
        if use.role != SURFACE or use.gammas or display_likelihood(use.values) >= LIKELY:
            continue
        likely = corrected_likelihood(use.values)
        if likely >= LIKELY:
            steps = " ".join(str(round(value ** (1 / 2.2) * 255)) for value in use.values[:3])
            yield Seen(
                use.document, use.key, f"{told(use.values[:3])} is {steps} in 8 bits by 1/2.2, {likely:.0%} likely."
            )


@habit(
    "raised-lights",
    "Lights may be raised for a missing view",
    "Shown without a view, a scene looks dark, and lights are made brighter until it does not. With a view it is then "
    "too bright. Only a render can tell: this is judged from its middle tones and its brightest areas.",
    is_hint=True,
)
def raised_lights(draft: Draft) -> Iterator[Seen]:
    """The middle tones of a render that belongs to the scene, beside middle grey, and where its highlights end."""
    middle, bright = draft.choices.get("render-middle"), draft.choices.get("render-bright")
    if not isinstance(middle, float) or middle <= 0:
        return
    stops = log2(middle / MIDDLE_GREY)
    ends_at_white = isinstance(bright, float) and WHITE[0] <= bright <= WHITE[1]
    # Shown raw, middle grey is wanted where a display shows it: at 0.46, 1.35 stops up.
    if stops < (RAISED if not ends_at_white else RAISED / 2):
        return
    named = ", ".join(light.node.name for light in draft.scene.lights[:4]) or "lights"
    path = next(iter(draft.scene.documents))
    yield Seen(
        path,
        named,
        f"The middle of the render lies {stops:.1f} stops above 18 %. Lit for a picture without a view, it would "
        "lie about 1.3 above. A scene may also be meant to be that bright.",
    )
    if ends_at_white:
        yield Seen(
            path,
            named,
            f"Its brightest areas end at {bright:.2g}, where a display without a view cuts off. Lit through a view, "
            "lamps and glints go far beyond.",
        )
