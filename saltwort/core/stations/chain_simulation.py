"""A whole chain simulated: a picture goes from application to application, some of which are set wrong, and is seen and
measured in each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from saltwort.core.explain.steps import Step
from saltwort.core.images.reading import Pixels
from saltwort.core.stations.abilities.colour_by import loads_config
from saltwort.core.stations.mistake import Made
from saltwort.core.stations.simulation import Bench, Form, Run

SAME_LIGHT = 0.01
"""Of light, as a part of it: what is off by more is not the same for whoever works on."""
LEAST_LIGHT = 0.01
MOST_LOST = 0.5
"""Share of the pixels from which on nobody would repair a file."""


@dataclass(frozen=True)
class Member:
    """A station of a chain on its bench, the keys of those that feed it, and what is set wrong in it, if anything."""

    bench: Bench
    fed_by: Sequence[int]
    wrong: Made | None = None

    @property
    def run(self) -> Run:
        return self.wrong.slip.run if self.wrong else self.bench.agreed()


@dataclass(frozen=True)
class Repair:
    """Whether what came into a station wrong can be put right there: `possible` where it has the means and some of the
    picture comes back; `lost` is the share of the pixels that do not."""

    possible: bool
    lost: float
    why: str


@dataclass(frozen=True)
class Outcome:
    """What one station of a chain shows and hands on, in numbers of its own, as it is and as it would be were all as
    agreed; None where it shows or hands on nothing. `shown_wrong` and `handed_wrong` say whether these differ; `repair`
    tells of a file that came in wrong, None where it is right."""

    shown: Pixels | None
    shown_agreed: Pixels | None
    written: Pixels | None
    written_agreed: Pixels | None
    repair: Repair | None

    @property
    def shown_wrong(self) -> bool:
        return _differ(self.shown, self.shown_agreed)

    @property
    def handed_wrong(self) -> bool:
        return _differ(self.written, self.written_agreed)


def simulate(members: Mapping[int, Member], order: Sequence[int], light: Pixels) -> dict[int, Outcome]:
    """Every station's outcome for a picture of light in the working space, float32 (height, width, 3). `order` has
    each station after those that feed it. Of several that feed one, that whose file is wrong counts, else the first."""
    outcomes: dict[int, Outcome] = {}
    undone: dict[int, Sequence[Made]] = {}
    for key in order:
        member = members[key]
        giver = _giver(member, outcomes)
        fed, agreed = _fed(member, members, outcomes, giver, light)
        before = undone.get(giver, ()) if giver is not None else ()
        outcomes[key] = _outcome(member, fed, agreed, before)
        own = [member.wrong] if member.wrong and member.wrong.mistake.stage != "show" else []
        undone[key] = (*before, *own)
    return outcomes


def _giver(member: Member, outcomes: Mapping[int, Outcome]) -> int | None:
    giving = [key for key in member.fed_by if outcomes[key].written is not None]
    return next((key for key in giving if outcomes[key].handed_wrong), giving[0] if giving else None)


def _fed(
    member: Member,
    members: Mapping[int, Member],
    outcomes: Mapping[int, Outcome],
    giver: int | None,
    light: Pixels,
) -> tuple[Pixels, Pixels]:
    """The file that a station is fed, and the one it would be fed were all as agreed."""
    form = member.bench.fed
    if giver is None:
        first = _in_form(member.bench, form, light)
        return first, first
    handed = members[giver].bench.hands_on
    outcome = outcomes[giver]
    assert outcome.written is not None and outcome.written_agreed is not None
    if handed == "light" and form == "picture":  # Outputs makes pictures of its light
        view = member.bench.view()
        return np.clip(view(outcome.written), 0, 1), np.clip(view(outcome.written_agreed), 0, 1)
    if handed == "texture" and form == "light" and member.bench.texture_space:
        decode = member.bench.between(member.bench.texture_space, member.bench.working_space)
        return decode(outcome.written), decode(outcome.written_agreed)
    return outcome.written, outcome.written_agreed


def _in_form(bench: Bench, form: Form, light: Pixels) -> Pixels:
    """Light as the first file of a chain holds it. Of textures, what is above 1 stays, as in a float file."""
    if form == "texture" and bench.texture_space:
        return bench.between(bench.working_space, bench.texture_space)(light)
    return np.clip(bench.view()(light), 0, 1) if form == "picture" else light


def _outcome(member: Member, fed: Pixels, agreed: Pixels, before: Sequence[Made]) -> Outcome:
    bench, run, right = member.bench, member.run, member.bench.agreed()
    return Outcome(
        _codes(run.shown(fed)) if bench.shows else None,
        _codes(right.shown(agreed)) if bench.shows else None,
        run.written(fed) if bench.hands_on else None,
        right.written(agreed) if bench.hands_on else None,
        _repair(bench, fed, agreed, before) if _differ(fed, agreed) else None,
    )


def _repair(bench: Bench, fed: Pixels, agreed: Pixels, before: Sequence[Made]) -> Repair:
    """Undo in turn what was done, the last first, as far as it can be, and look what is left."""
    if not loads_config(bench.station):
        return Repair(False, 1.0, "it converts nothing: the file must be written again before it")
    if bench.fed == "picture":
        return Repair(False, 1.0, "it shows finished pictures: they must be made again")
    mended = fed
    for made in reversed(before):
        undo = _on_file(bench, made)
        if undo is None:
            return Repair(False, _lost(mended, agreed), "what was cut off or rounded is gone: write the file again")
        mended = undo(mended)
    lost = _lost(mended, agreed)
    if lost > MOST_LOST:
        return Repair(False, lost, "most of the picture is lost: write the file again")
    undone = ", then ".join(made.mistake.label[0].lower() + made.mistake.label[1:] for made in reversed(before))
    return Repair(True, lost, f"undo on reading: {undone}")


def _on_file(bench: Bench, made: Made) -> Step | None:
    """What takes a mistake back, of the numbers of the file that a station is fed."""
    undo = made.slip.undo
    if undo is None or bench.fed != "texture" or made.mistake.stage != "read" or bench.texture_space is None:
        return undo
    decode = bench.between(bench.texture_space, bench.working_space)
    encode = bench.between(bench.working_space, bench.texture_space)
    return lambda codes: encode(undo(decode(codes)))


def _lost(one: Pixels, other: Pixels) -> float:
    """The share of pixels that differ by more than SAME_LIGHT."""
    off = np.abs(np.nan_to_num(one[..., :3]) - other[..., :3]).max(axis=-1)
    size = np.maximum(np.abs(other[..., :3]).max(axis=-1), LEAST_LIGHT)
    return float((off > SAME_LIGHT * size).mean())


def _differ(one: Pixels | None, other: Pixels | None) -> bool:
    return one is not None and other is not None and _lost(one, other) > 0


def _codes(shown: Pixels) -> Pixels:
    return np.clip(np.nan_to_num(shown), 0, 1)
