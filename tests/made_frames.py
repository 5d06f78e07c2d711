"""Pictures that came back, made of known light by known operations, in the ways in which people save them."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from io import BytesIO

import numpy as np
from PIL import Image

from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.explain.alignment import Placement
from saltwort.core.explain.explained import AS_EXPECTED, UNDECIDED, Explained, explain
from saltwort.core.explain.operation import Fit, Operation, Scene, Way, operations
from saltwort.core.explain.question import STEP, Question
from saltwort.core.explain.samples import sampled
from saltwort.core.explain.search import Search
from saltwort.core.explain.steps import in_turn
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.project import compose
from saltwort.core.spaces.difference import delta_e_2000
from saltwort.core.views import AddedView
from saltwort.core.views.tone import display_xyz
from saltwort.demo.render import render as quay
from tests.samples import ACES_SDR, SRGB_DISPLAY, base_archive, sample_setup

SAME = 0.7
"""ΔE 2000 in the mean that 8 bits and JPEG hide."""
VISIBLE = 2.0
"""ΔE 2000 in the mean from which on a picture is wrong; less is not made here."""
CHOICES = (ACES_SDR, ViewChoice(SRGB_DISPLAY, "AgX"), ViewChoice(SRGB_DISPLAY, "Filmic"))


@lru_cache(maxsize=1)
def frames_config() -> object:
    """A project's config with three families of views."""
    views = (AddedView(SRGB_DISPLAY, "AgX", "agx"), AddedView(SRGB_DISPLAY, "Filmic", "filmic"))
    return load_config(compose(base_archive(), replace(sample_setup(), added_views=views), "frames"))


@lru_cache(maxsize=8)
def light_of(seed: int) -> np.ndarray:
    """The quay, or surfaces and lamps made up by a seed, as light in ACEScg."""
    if seed % 3 == 0:
        return np.ascontiguousarray(quay()[..., :3], np.float32)
    rng = np.random.default_rng(seed)
    picture = np.full((360, 640, 3), 0.1, np.float32)
    for _ in range(140):
        top, left = rng.integers(0, 340), rng.integers(0, 620)
        height, width = rng.integers(14, 120, 2)
        grey = 0.18 * 2.0 ** rng.normal(0, 2)
        colour = grey * 2.0 ** rng.normal(0, 0.8, 3)
        patch = picture[top : top + height, left : left + width]
        patch[:] = colour * np.linspace(0.7, 1.3, patch.shape[1])[:, np.newaxis]
    return picture


@dataclass(frozen=True)
class Frame:
    question: Question
    made: tuple[tuple[Operation, Way], ...]
    damage: str

    def __str__(self) -> str:
        told = [f"{operation.code} {dict(way.parameters)}" for operation, way in self.made]
        return f"{self.question.choice.view}: {', '.join(told) or 'as expected'} ({self.damage})"


def frames(count: int, seed: int, deviations: int, *, of_light: bool = False) -> Iterator[Frame]:
    """Pictures with so many deviations, at random: through a view, or as light in half floats."""
    rng = np.random.default_rng(seed)
    made = 0
    while made < count:
        frame = _frame(rng, deviations, of_light)
        if frame is not None:
            made += 1
            yield frame


def _frame(rng: np.random.Generator, deviations: int, of_light: bool) -> Frame | None:
    light = light_of(int(rng.integers(1, 7)))
    choice = CHOICES[int(rng.integers(len(CHOICES)))]
    scene = Scene(frames_config(), choice, of_light)  # type: ignore[arg-type]
    made = _picked(scene, rng, deviations)
    if made is None:
        return None
    codes, meant = _numbers(scene, light, made), _numbers(scene, light, ())
    parts = [_numbers(scene, light, (*made[:at], *made[at + 1 :])) for at in range(len(made))]
    if any(_apart(scene, codes, other) < VISIBLE for other in (*parts, *([meant] if made else []))):
        return None  # one of them changes nothing that could be seen
    if deviations > 1 and _is_shorter(scene, light, codes, deviations):
        return None
    picture, depth, damage = _as_half(codes, rng) if of_light else _saved(codes, rng)
    return Frame(Question(picture, depth, light, scene.config, choice, of_light), made, damage)  # type: ignore[arg-type]


def _as_half(numbers: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, str, str]:
    told = []
    if rng.random() < 0.3:
        left, top = rng.integers(0, 40, 2).tolist()
        numbers = numbers[top:, left:]
        told.append(f"cut by {left}, {top}")
    if rng.random() < 0.3:
        height, width = (side // 2 * 2 for side in numbers.shape[:2])
        numbers = numbers[:height, :width].reshape(height // 2, 2, width // 2, 2, -1).mean(axis=(1, 3))
        told.append("scaled by 0.5")
    return numbers.astype(np.float16).astype(np.float32), "half", ", ".join([*told, "half"])


def _is_shorter(scene: Scene, light: np.ndarray, codes: np.ndarray, deviations: int) -> bool:
    """Whether fewer deviations give the same picture as several do: the shortest chain is the one to be told."""
    placement = Placement((1.0, 1.0), (0.0, 0.0), "", 1.0)
    samples = sampled(light, codes.astype(np.float32), placement)
    search = Search(scene, samples, STEP["16 bits"], is_clipped=not scene.expects_light)
    chains = search.best_singles[:1] if deviations == 2 else search.best()
    for chain in chains:
        fewer = tuple((each.operation, each.way) for each in chain.deviations)
        if len(fewer) < deviations and _apart(scene, codes, _numbers(scene, light, fewer)) < SAME:
            return True
    return False


def _picked(scene: Scene, rng: np.random.Generator, deviations: int) -> tuple[tuple[Operation, Way], ...] | None:
    known = [(operation, way) for operation in operations() for way in operation.ways(scene)]
    known = [each for each in known if not each[0].code.startswith("alpha") and each[1].many is None]
    codes = sorted({operation.code for operation, _ in known})
    picked = []
    if deviations == 3:  # one of them is exposure
        others = [code for code in codes if code != "exposure"]
        chosen = ["exposure", *rng.choice(others, 2, replace=False)]
    else:
        chosen = list(rng.choice(codes, deviations, replace=False))
    for code in chosen:
        ways = [each for each in known if each[0].code == code]
        operation, way = ways[int(rng.integers(len(ways)))]
        picked.append((operation, _with_any_number(way, way.fit, rng) if way.fit else way))
    stages = ("light", "view", "codes")
    picked.sort(key=lambda each: stages.index(each[0].stage))
    return None if [each[0].stage for each in picked].count("view") > 1 else tuple(picked)


def _with_any_number(way: Way, fit: Fit, rng: np.random.Generator) -> Way:
    value = {
        "stops": rng.uniform(-3, 3),
        "exponent": 2.0 ** rng.uniform(-1.3, 1.3),
        "level": 2.0 ** rng.uniform(-2, 1),
    }[fit.name]
    return replace(way, step=fit.step(float(value)), parameters={**way.parameters, fit.name: float(value)})


def _numbers(scene: Scene, light: np.ndarray, made: tuple[tuple[Operation, Way], ...]) -> np.ndarray:
    view = scene.expected()
    for operation, way in made:
        if operation.stage == "view":
            view = way.step
    before = [way.step for operation, way in made if operation.stage == "light" and way.step]
    after = [way.step for operation, way in made if operation.stage == "codes" and way.step]
    made_of = np.nan_to_num(in_turn(*before, *([view] if view else []), *after)(light))
    most = (-LARGEST_HALF, LARGEST_HALF) if scene.expects_light else (0, 1)
    return np.clip(made_of, *most)


def _apart(scene: Scene, one: np.ndarray, other: np.ndarray) -> float:
    few = [each[::9, ::9, :3].reshape(1, -1, 3) for each in (one, other)]
    if scene.expects_light:
        few = [np.clip(scene.view()(np.ascontiguousarray(each, np.float32)), 0, 1) for each in few]
    few = [each[0].astype(np.float64) for each in few]
    return float(delta_e_2000(*(display_xyz(scene.config, scene.choice, each) for each in few)).mean())


def _saved(codes: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, str, str]:
    told = []
    if rng.random() < 0.3:
        return (np.round(codes * 65535) / 65535).astype(np.float32), "16 bits", "16 bits"
    page = Image.fromarray((codes * 255 + 0.5).astype(np.uint8))
    if rng.random() < 0.3:
        left, top, right, low = rng.integers(0, 40, 4).tolist()
        page = page.crop((left, top, page.width - right, page.height - low))
        told.append(f"cut by {left}, {top}, {right}, {low}")
    if rng.random() < 0.4:
        scale = 2.0 ** rng.uniform(-2, 1)
        page = page.resize((round(page.width * scale), round(page.height * scale)), Image.Resampling.BICUBIC)
        told.append(f"scaled by {scale:.2f}")
    if rng.random() < 0.5:
        content, quality = BytesIO(), int(rng.integers(75, 96))
        page.save(content, "JPEG", quality=quality)
        page = Image.open(content).convert("RGB")
        return np.asarray(page, np.float32) / 255, "JPEG", ", ".join([*told, f"JPEG {quality}"])
    return np.asarray(page, np.float32) / 255, "8 bits", ", ".join([*told, "8 bits"])


def is_right(frame: Frame, said: Explained) -> bool:
    """Whether the answer is what was done, with parameters that people would call the same; or names it among those
    that the picture does not tell apart."""
    if not frame.made:
        return said.verdict == AS_EXPECTED
    told = [(each.code, each.parameters) for each in said.deviations]
    meant = [(operation.code, way.parameters) for operation, way in frame.made]
    others = [[(each.code, each.parameters) for each in other] for other in said.alternatives]
    return _same(told, meant) or (said.verdict == UNDECIDED and any(_same(other, meant) for other in others))


def _one_name(code: str, parameters: dict) -> tuple[str, dict]:
    """A view that leaves light as it is, is no view; and two of the config do the same."""
    if parameters.get("view") == "Raw":
        return "view-missing", {}
    same = {"Video (colorimetric)": "Un-tone-mapped"}
    return code, {name: same.get(str(value), value) for name, value in parameters.items()}


def _same(told: list, meant: list) -> bool:
    told, meant = ([_one_name(*each) for each in chain] for chain in (told, meant))
    if sorted(code for code, _ in told) != sorted(code for code, _ in meant):
        return False
    said = dict(told)
    for code, parameters in meant:
        for name, value in parameters.items():
            other = said[code].get(name)
            if isinstance(value, float) and isinstance(other, float):
                if abs(value - other) > 0.08 * max(1.0, abs(value)):
                    return False
            elif value != other and name not in ("between", "curve"):
                return False
    return True


def answered(frame: Frame) -> Explained:
    return explain(frame.question)
