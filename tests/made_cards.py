"""Test cards that came back from simulated applications, right and wrong, in the ways in which people save them."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from io import BytesIO

import numpy as np
from PIL import Image

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.displays import HDR, NO_LIGHT, display_kind
from saltwort.core.errors import BadInput
from saltwort.core.stations.handshake.answer import AGREED, UNDECIDED, Answer, CameBack, answer
from saltwort.core.stations.handshake.card import Card
from saltwort.core.stations.handshake.found import find_card
from saltwort.core.stations.handshake.marks import CardMark
from saltwort.core.stations.kinds import KINDS
from saltwort.core.stations.mistake import Made, Range, possible
from saltwort.core.stations.simulation import Bench, form_fed
from tests.samples import project_config

CLEARLY_WRONG = 0.035
"""Of code values, or of light as a part of it: a mistake that changes no patch by more than the coding of a JPEG of
half the size does is not made here."""


@dataclass(frozen=True)
class Case:
    card: Card
    came: str
    made: Made | None
    damage: str
    pixels: np.ndarray
    depth: str

    def __str__(self) -> str:
        wrong = self.made.key if self.made else "as agreed"
        choice = self.card.bench.choice
        return f"{self.card.bench.station.name}, {choice.display}, {choice.view}, {self.came}: {wrong}, {self.damage}"


def cases(count: int, seed: int) -> Iterator[Case]:
    """Half of them as agreed or with a mistake that is made in reading or showing, half of what was written."""
    rng = np.random.default_rng(seed)
    config = project_config()
    choices = [
        ViewChoice(display, view)
        for display in config.getDisplays()
        for view in config.getViews(display)
        if display_kind(config, ViewChoice(display, view)) not in (NO_LIGHT, HDR)
    ]
    made = 0
    while made < count:
        kind = KINDS[int(rng.integers(len(KINDS)))]
        station = kind.station(kind.key)
        bench = Bench(station, config, choices[int(rng.integers(len(choices)))], form_fed(station, config))
        ways = [*(["shown"] if bench.shows else []), *(["written"] if bench.hands_on else [])]
        came = ways[int(rng.integers(len(ways)))]
        card = Card(bench, CardMark.of(int(rng.integers(1, 9999)), int(rng.integers(1, 999)), bench.fed), kind.label)
        case = _case(card, came, rng)
        if case is not None:
            made += 1
            yield case


def _case(card: Card, came: str, rng: np.random.Generator) -> Case | None:
    stages = ("read", "show" if came == "shown" else "write")
    wrong = [made for made in possible(card.bench) if made.mistake.stage in stages]
    made = None if rng.random() < 0.2 else wrong[int(rng.integers(len(wrong)))]
    if made and made.slip.fits:
        made = _at_any_number(made, made.slip.fits, rng)
    run, agreed = (made.slip.run if made else card.bench.agreed()), card.bench.agreed()
    picture = card.picture()
    as_is, meant = ((each.shown if came == "shown" else each.written)(picture) for each in (run, agreed))
    is_light = came == "written" and card.bench.hands_on == "light"
    if made and _largest(as_is, meant, is_light) < CLEARLY_WRONG:
        return None
    pixels, depth, damage = _saved_light(as_is, rng) if is_light else _saved_picture(as_is, rng)
    return Case(card, came, made, damage, pixels, depth)


def _at_any_number(made: Made, fits: Range, rng: np.random.Generator) -> Made:
    """The mistake with a number that stands in no list."""
    value = float(rng.uniform(-4, 4) if fits.name == "stops" else 2.0 ** rng.uniform(-1.3, 1.3))
    slip = replace(made.slip, run=fits.run(value), parameters={**made.slip.parameters, fits.name: value})
    return replace(made, slip=slip)


def _largest(one: np.ndarray, other: np.ndarray, is_light: bool) -> float:
    one, other = (np.nan_to_num(each[..., :3].astype(np.float64)) for each in (one, other))
    if is_light:
        return float((np.abs(one - other) / np.maximum(np.abs(other), 0.02)).max())
    return float(np.abs(np.clip(one, 0, 1) - np.clip(other, 0, 1)).max())


def _saved_light(light: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, str, str]:
    saved = np.nan_to_num(light.clip(-65504, 65504)).astype(np.float16).astype(np.float32)
    if rng.random() < 0.5:
        return saved, "half", "half float"
    top, left = rng.integers(0, 24, 2)
    return saved[top:, left:], "half", f"half float, cut by {top} and {left}"


def _saved_picture(codes: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, str, str]:
    page = Image.fromarray((np.clip(np.nan_to_num(codes[..., :3]), 0, 1) * 255 + 0.5).astype(np.uint8))
    told = ["8 bits"]
    if rng.random() < 0.4:
        left, top, right, low = rng.integers(0, 24, 4).tolist()
        page = page.crop((left, top, page.width - right, page.height - low))
        told.append(f"cut by {left}, {top}, {right}, {low}")
    if rng.random() < 0.4:
        scale = float(rng.uniform(0.5, 1.5))
        page = page.resize((round(page.width * scale), round(page.height * scale)), Image.Resampling.BICUBIC)
        told.append(f"scaled by {scale:.2f}")
    if rng.random() < 0.2:
        around = Image.new("RGB", (page.width + 90, page.height + 60), (60, 60, 60))
        around.paste(page, tuple(rng.integers(0, 60, 2).tolist()))
        page = around
        told.append("on a window")
    if rng.random() < 0.4:
        content, quality = BytesIO(), int(rng.integers(80, 96))
        page.save(content, "JPEG", quality=quality)
        page = Image.open(content).convert("RGB")
        told.append(f"JPEG {quality}")
    pixels = np.asarray(page, np.float32) / 255
    return pixels, "JPEG" if "JPEG" in told[-1] else "8 bits", ", ".join(told)


def answered(case: Case) -> Answer | None:
    """What is said of a case; None where the card was not found."""
    try:
        found = find_card(case.pixels)
    except BadInput:
        return None
    assert found.mark == case.card.mark
    return answer(case.card, CameBack(found, case.came, case.depth))


def is_right(case: Case, said: Answer | None) -> bool:
    """Whether what is said is true: as agreed, or the mistake that was made, alone or among those that the numbers do
    not tell apart."""
    if said is None:
        return False
    if case.made is None:
        return said.verdict == AGREED
    if said.verdict == AGREED:
        return False
    told = [said.made, *(said.others if said.verdict == UNDECIDED or said.others else ())]
    return any(len(each) == 1 and each[0].mistake is case.made.mistake and _near(each[0], case.made) for each in told)


def _near(one: Made, other: Made) -> bool:
    """The same parameters; numbers within what people would call the same."""
    for name, value in other.slip.parameters.items():
        said = one.slip.parameters[name]
        if isinstance(value, float) and isinstance(said, float):
            if abs(said - value) > 0.06 * max(1.0, abs(value)):
                return False
        elif said != value:
            return False
    return True
