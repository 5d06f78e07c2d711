"""Frames of a sequence as they land: what each says by itself, beside one that is known to be good, and beside the
brightness of those around it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.explain.alignment import Placement
from saltwort.core.explain.alone import CODES, FLOATS, LIGHT, alone, colour_of, cut_level, known
from saltwort.core.explain.chains import FITTING, Chain, Deviation
from saltwort.core.explain.explained import ANOTHER, AS_EXPECTED, IN_PLACES, Explained, explain
from saltwort.core.explain.made import Made
from saltwort.core.explain.operation import Scene
from saltwort.core.explain.places import places
from saltwort.core.explain.question import Question
from saltwort.core.explain.samples import Samples, sampled
from saltwort.core.explain.search import Search
from saltwort.core.explain.steps import Step
from saltwort.core.images import Survey
from saltwort.core.images.reading import Pixels

FrameCode = Literal[
    "frame.view-baked",
    "frame.without-view",
    "frame.clipped",
    "frame.wrong-primaries",
    "frame.non-finite",
    "frame.changed",
    "frame.differs-in-places",
    "frame.another-image",
    "frame.other-revision",
    "frame.exposure-jump",
    "frame.missing",
    "frame.unreadable",
]
LIGHT_STEP, CODE_STEP = 0.03, 5 / 255
"""How far frames beside each other may differ in places where both are flat: things move, and samples are noisy."""
LEAST_ALIKE = 0.5
"""Share of the places that are alike in two frames of one shot."""
LEAST_EXPLAINED, CLEARLY = 0.6, 0.6
"""Share of the places that what was done must explain, and how much less it must leave."""
CERTAIN = 0.9
"""Likelihood from which a frame by itself is called wrong."""
LEAST_POWER = 1.25
"""Or as far below 1: less may be what moves."""
PLACES = 8_000
"""That are looked at in two small pictures."""
WHOLE = Placement((1.0, 1.0), (0.0, 0.0), "", 1.0)
ENCODED = ("view-other", "display-other", "curve-twice", "power", "log-left-in", "pq-as-sdr", "tone-mapped")
OF_PRIMARIES = ("primaries", "white-point")


@dataclass(frozen=True)
class Earlier:
    """How an earlier revision of the project would have written a frame: `written` makes its numbers of light in the
    working space of today."""

    revision: int
    written: Step


@dataclass(frozen=True)
class Expectation:
    """What frames should be: the scene says which view, or light; `earlier` are revisions that would give others."""

    scene: Scene
    earlier: tuple[Earlier, ...] = ()


@dataclass(frozen=True)
class Note:
    """What is wrong with a frame: a code, and a sentence."""

    code: FrameCode
    why: str


@dataclass(frozen=True)
class Figures:
    """Of a frame's colours: the largest, the mean, the 99th percentile, and the share that is cut off, 0–1."""

    peak: float
    mean: float
    high: float
    clipped: float


def figures_of(found: Survey) -> Figures:
    """The figures of a frame, in the numbers as stored."""
    stats = found.facts.stats
    colour = colour_of(found)
    level = 1.0 if found.facts.header.bit_depth not in FLOATS else cut_level(colour)
    clipped = float((colour >= level * (1 - 1 / 512)).any(axis=1).mean()) if level is not None else 0.0
    high = known(stats.high)
    return Figures(max(known(stats.max), default=0.0), _mean(known(stats.mean)), max(high, default=0.0), clipped)


def _mean(values: Sequence[float]) -> float:
    return float(np.mean(values)) if values else 0.0


def judged(found: Survey, wanted: Expectation, beside: Pixels | None) -> tuple[Note, ...]:
    """What is wrong with a frame, the worst first. `beside` is the light of a good frame near it, or of a render that
    it should show, small, (height, width, 3), as `light_of` gives it; None where there is none."""
    search = _search(found, wanted, beside) if beside is not None else None
    notes = _alone(found, wanted)
    if search is not None and _share(search.expected()) >= LEAST_ALIKE:
        # A good frame beside it weighs more than what is only likely.
        notes = [note for note in notes if note.code in ("frame.clipped", "frame.wrong-primaries")]
    elif search is not None and (told := _beside(search, wanted)):
        notes = [told, *(note for note in notes if note.code != told.code)]
    return (*notes, *_not_finite(found))


def judged_beside_its_render(found: Survey, wanted: Expectation, question: Question) -> tuple[Note, ...]:
    """What is wrong with a frame whose own render is known, the worst first: the answer of Explain, in every pixel.
    `question` holds the frame and the light of that render."""
    said = explain(question)
    notes = [note for note in _alone(found, wanted) if note.code == "frame.wrong-primaries"]
    if said.verdict != AS_EXPECTED:
        told = _earlier(wanted, question, said) or Note(_code_of_answer(said, wanted.scene), said.sentence)
        notes = [told, *(note for note in notes if note.code != told.code)]
    return (*notes, *_not_finite(found))


def _earlier(wanted: Expectation, question: Question, said: Explained) -> Note | None:
    """Whether a frame is in every pixel as an earlier revision would have it."""
    if said.verdict == ANOTHER:
        return None
    question = question.with_alpha_alike()
    for one in wanted.earlier:
        if places(question.picture, question.light, said.placement, Made(one.written), question.coding) is None:
            return _of_earlier(one)
    return None


def _of_earlier(one: Earlier) -> Note:
    return Note("frame.other-revision", f"It is as revision {one.revision} of the project would have it.")


def _code_of_answer(said: Explained, scene: Scene) -> FrameCode:
    if said.verdict == ANOTHER:
        return "frame.another-image"
    if said.verdict == IN_PLACES:
        return "frame.differs-in-places"
    return _code_of(said.deviations[0].code, scene) if said.deviations else "frame.changed"


def _not_finite(found: Survey) -> tuple[Note, ...]:
    count = found.facts.stats.non_finite
    return (Note("frame.non-finite", f"{count:,} samples are NaN or infinite."),) if count else ()


def light_of(found: Survey, scene: Scene) -> Pixels | None:
    """The light of a frame that is as expected, small, (height, width, 3) in the working space; None where the view
    cannot be undone."""
    small = np.ascontiguousarray(np.nan_to_num(found.thumbnail), np.float32)
    if scene.expects_light:
        return small
    try:
        return scene.view_undone()(np.clip(small, 0, 1))
    except BadInput:
        return None


def _alone(found: Survey, wanted: Expectation) -> list[Note]:
    scene = wanted.scene
    said = alone(scene.config, found, scene.working_space)
    notes = []
    if scene.expects_light and said.holds == CODES and said.confidence >= CERTAIN:
        notes.append(Note("frame.view-baked", f"It holds a picture for a display, not light. {said.why}"))
    if not scene.expects_light and said.holds == LIGHT and said.confidence >= CERTAIN:
        notes.append(Note("frame.without-view", f"It holds light, without the view. {said.why}"))
    for sign in said.signs:
        if scene.expects_light and sign.code == "clipped":
            notes.append(Note("frame.clipped", sign.why))
        if sign.code == "primaries" and sign.confidence >= CERTAIN:
            notes.append(Note("frame.wrong-primaries", sign.why))
    return notes


def _search(found: Survey, wanted: Expectation, beside: Pixels) -> Search | None:
    """The frame held beside a good one; None where they are not of one shape."""
    small = np.ascontiguousarray(np.nan_to_num(found.thumbnail), np.float32)
    height, width = small.shape[:2]
    if min(height, width) < 5 or abs(width / height - beside.shape[1] / beside.shape[0]) > 0.05:
        return None
    rows = np.round(np.linspace(0, beside.shape[0] - 1, height)).astype(int)
    columns = np.round(np.linspace(0, beside.shape[1] - 1, width)).astype(int)
    samples: Samples = sampled(beside[rows][:, columns], small, WHOLE, PLACES)
    step = LIGHT_STEP if wanted.scene.expects_light else CODE_STEP
    is_clipped = found.facts.header.bit_depth not in FLOATS
    return Search(wanted.scene, samples, step, is_clipped=is_clipped) if len(samples.light) else None


def _share(chain: Chain) -> float:
    """Of the places that a chain explains."""
    return float((chain.off <= FITTING).mean())


def _beside(search: Search, wanted: Expectation) -> Note | None:
    """What was done to a frame that is not as the good one beside it; None where it is nothing known."""
    expected = search.expected()

    def explains(chain: Chain) -> bool:
        return _share(chain) >= LEAST_EXPLAINED and chain.cost < CLEARLY * expected.cost

    best = search.best_singles[0]
    for one in wanted.earlier:
        chain = search.written(one.written)
        if explains(chain) and chain.cost <= 1.05 * best.cost:
            return _of_earlier(one)
    if not explains(best):
        return None
    deviation = best.deviations[0]
    if deviation.code == "exposure" or _is_slight(deviation):
        return None  # brightness is told of all frames together
    return Note(_code_of(deviation.code, wanted.scene), deviation.happened)


def _is_slight(deviation: Deviation) -> bool:
    """Whether it is a power so near to 1 that frames in which much moves may look like it."""
    exponent = deviation.way.parameters.get("exponent", LEAST_POWER)
    return isinstance(exponent, float) and abs(np.log2(exponent)) < np.log2(LEAST_POWER)


def _code_of(code: str, scene: Scene) -> FrameCode:
    if scene.expects_light and code in ENCODED:
        return "frame.view-baked"
    if code == "view-missing":
        return "frame.without-view"
    if code == "clipped":
        return "frame.clipped"
    return "frame.wrong-primaries" if code in OF_PRIMARIES else "frame.changed"


AROUND = 12
"""Frames on either side by which is told what is usual in a shot."""
LEAST_JUMP = {"mean": (0.2, 10), "high": (0.5, 2)}
"""In stops: what changes less from frame to frame is no jump, however still the shot. And the frames after which a
change has gone back, or is for good: lamps that come into the frame stay in it longer than one that pops."""
USUAL, MOSTLY = 3.0, 80
"""How many times a jump is what most changes around it stay below, and the percentile that is most of them."""


def jumps(frames: Mapping[int, Figures]) -> dict[int, str]:
    """The frames whose brightness jumps out of those around them, with a sentence each: all that are lit otherwise for
    a while, or the first of a change for good. `frames` are the good ones of a sequence, by number."""
    numbers = sorted(frames)
    if len(numbers) < 3:
        return {}
    told: dict[int, str] = {}
    for name, (least, longest) in LEAST_JUMP.items():
        logs = np.log2(np.maximum([getattr(frames[number], name) for number in numbers], 1e-6))
        for place, why in _jumps(logs, least, longest, tells_for_good=name == "mean").items():
            told.setdefault(numbers[place], why)
    return told


def _jumps(logs: np.ndarray, least: float, longest: int, *, tells_for_good: bool) -> dict[int, str]:
    changes = np.diff(logs)
    limits = [_limit(changes, at, least) for at in range(len(changes))]
    told: dict[int, str] = {}
    skip = -1
    for at, (change, limit) in enumerate(zip(changes, limits, strict=True)):
        if abs(change) <= limit or at <= skip:
            continue
        first = at + 1
        back = next(
            (
                later
                for later in range(first + 1, min(first + 1 + longest, len(logs)))
                if abs(logs[later] - logs[at]) <= max(limit, abs(change) / 2)
            ),
            None,
        )
        way = f"{abs(change):.2g} stops {'brighter' if change > 0 else 'darker'}"
        if back is not None:
            told |= dict.fromkeys(range(first, back), f"It is {way} than the frames around it.")
            skip = back - 1
        elif not tells_for_good:
            continue
        elif first == 1 and len(logs) > 2:
            told[0] = f"It is {abs(change):.2g} stops {'darker' if change > 0 else 'brighter'} than those after it."
        else:
            told[first] = f"From here on it is {way} than before: a cut, or a light that was switched."
    return told


def _limit(changes: np.ndarray, at: int, least: float) -> float:
    """The largest change that is usual around one."""
    around = np.concatenate([changes[max(0, at - AROUND) : at], changes[at + 1 : at + 1 + AROUND]])
    usual = float(np.percentile(np.abs(around), MOSTLY)) if len(around) else 0.0
    return max(least, USUAL * usual)
