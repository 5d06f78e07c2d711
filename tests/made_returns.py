"""Pictures that come back, made without the product's operations: by the standards' own figures, by NumPy, an image
library and a video codec. Each says which answers are right, so that it judges what shares no code with it."""

import io
import warnings
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import av
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from saltwort.core.engine import ViewChoice
from saltwort.core.explain.explained import ANOTHER, AS_EXPECTED, EXPLAINED, IN_PLACES, UNDECIDED, UNKNOWN, Explained
from saltwort.core.explain.places import COMPRESSED, SCATTERED
from saltwort.core.explain.question import Depth
from tests.made_frames import CHOICES, frames_config
from tests.samples import PQ_ACES

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

Array = NDArray[np.float32]
Random = np.random.Generator
Rating = str
RIGHT, OPEN, WRONG = "right", "open", "wrong"
SEEN = 6 / 255
"""Of white, how far at least 1 % of the pixels are off by what was done; less is not asked for."""


@dataclass(frozen=True)
class Returned:
    """A picture that came back, (height, width, 3 or 4), of light, (height, width, 4) in the working space; `codes`
    are the codes of deviations that were made, none for one that is right, and `numbers` what they should say."""

    what: str
    picture: Array
    depth: Depth
    light: Array
    choice: ViewChoice
    codes: frozenset[str] = frozenset()
    numbers: tuple[tuple[str, float], ...] = ()
    in_places: bool = False
    is_known: bool = True
    expects_light: bool = False

    def rated(self, said: Explained) -> Rating:
        """Whether an answer is right, open (it claims nothing, or names the right one among others), or wrong."""
        told = frozenset(each.code for each in said.deviations if each.code != "geometry")
        others = [frozenset(each.code for each in other) for other in said.alternatives]
        if said.verdict == ANOTHER or self.codes == {"another"}:
            return RIGHT if said.verdict == ANOTHER and self.codes == {"another"} else WRONG
        if said.verdict == UNKNOWN:
            return OPEN if self.is_known else RIGHT
        if not self.is_known:
            return RIGHT if said.verdict == IN_PLACES and not told else WRONG
        if self.in_places and said.verdict == IN_PLACES and not told:
            return RIGHT
        if said.verdict == IN_PLACES and not told and said.places and said.places.looks == SCATTERED:
            return OPEN  # it says only where it differs
        if self.codes == {"highlights"} and said.places and said.places.looks == COMPRESSED and not told:
            return RIGHT
        if "display-curve" in self.codes and any(
            str(each.parameters.get("display", "")).startswith(("Gamma 2.2", "Rec.1886")) for each in said.deviations
        ):
            return RIGHT
        if self.codes:
            if said.verdict in (EXPLAINED, UNDECIDED, IN_PLACES) and told == self.codes and self._says(said):
                return RIGHT
            return OPEN if self.codes in others else WRONG
        return RIGHT if said.verdict == AS_EXPECTED or (said.verdict == EXPLAINED and not told) else WRONG

    def _says(self, said: Explained) -> bool:
        parameters = {name: value for each in said.deviations for name, value in each.parameters.items()}
        for name, wanted in self.numbers:
            value = parameters.get(name)
            if not isinstance(value, float) or abs(value - wanted) > 0.06 * max(1.0, abs(wanted)):
                return False
        return True


class Scene:
    """A light and a view, by the engine alone."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.config: ocio.Config = frames_config()  # type: ignore[assignment]
        choices = (*CHOICES, *CHOICES, PQ_ACES)
        self.choice = choices[int(random.integers(len(choices)))]
        self.light = made_light(random)

    @property
    def is_sdr(self) -> bool:
        return self.choice.display != PQ_ACES.display

    def through(self, light: Array, choice: ViewChoice | None = None, space: str = "ACEScg") -> Array:
        """Codes, 0–1, (height, width, 3)."""
        choice = choice or self.choice
        view = ocio.DisplayViewTransform(space, choice.display, choice.view)
        return np.clip(self._applied(view, light[..., :3]), 0, 1)

    def converted(self, light: Array, source: str, target: str) -> Array:
        return self._applied(ocio.ColorSpaceTransform(source, target), light[..., :3])

    def _applied(self, transform: ocio.Transform, pixels: Array) -> Array:
        made = np.array(pixels, np.float32, order="C")
        self.config.getProcessor(transform).getDefaultCPUProcessor().applyRGB(made)
        return made


def made_light(random: Random) -> Array:
    """A scene of surfaces, shades and lamps with some grain, (360, 640, 4) in ACEScg, other than the suites of the
    product's own operations have."""
    height, width = 360, 640
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    sky = np.linspace(1.2, 0.2, height, dtype=np.float32)[:, None] * 2.0 ** random.uniform(-1, 1)
    picture = np.stack([sky * tint for tint in random.uniform(0.6, 1.2, 3)], axis=2)
    picture = np.repeat(picture, width, axis=1)
    for _ in range(70):
        centre = random.uniform(0, width), random.uniform(0, height)
        size = random.uniform(12, 90)
        colour_of = random.uniform(0.03, 0.9, 3) * 2.0 ** random.normal(-0.5, 1.4)
        narrow = random.uniform(0.5, 2)
        around = _window(centre[1], size / narrow, height), _window(centre[0], size, width)
        away = np.hypot(x[around] - centre[0], (y[around] - centre[1]) * narrow)
        shade = 0.4 + 0.6 * np.clip(1 - ((x[around] - centre[0] + size / 3) / (2 * size)), 0, 1)
        inside = away < size
        picture[around][inside] = (shade[..., None] * colour_of)[inside]
    for _ in range(int(random.integers(2, 6))):
        centre = random.uniform(20, width - 20), random.uniform(20, height - 20)
        radius = random.uniform(3, 10)
        around = _window(centre[1], 11 * radius, height), _window(centre[0], 11 * radius, width)
        away = np.hypot(x[around] - centre[0], y[around] - centre[1])
        glow = np.exp(-((away / radius) ** 2))[..., None] * random.uniform(4, 40)
        picture[around] += glow * random.uniform(0.4, 1, 3)
    picture *= 1 + 0.02 * random.normal(size=picture.shape)
    return np.concatenate([picture, np.ones((height, width, 1))], axis=2).astype(np.float32)


def _window(centre: float, reach: float, end: int) -> slice:
    """The pixels of a row or column that are nearer to the centre than `reach`."""
    return slice(max(0, int(centre - reach)), max(0, min(end, int(centre + reach) + 2)))


def saved(codes: Array, random: Random, how: str = "") -> tuple[Array, Depth, str]:
    """Codes as a file holds them that people save, with how."""
    codes = np.clip(np.nan_to_num(codes[..., :3]), 0, 1)
    how = how or str(random.choice(["8 bits", "8 bits", "16 bits", "JPEG", "JPEG", "smaller", "cropped"]))
    if how == "16 bits":
        return (np.round(codes * 65535) / 65535).astype(np.float32), "16 bits", how
    page = Image.fromarray(np.round(codes * 255).astype(np.uint8))
    if how == "smaller":
        scale = random.uniform(0.4, 0.9)
        page = page.resize((round(page.width * scale), round(page.height * scale)), Image.Resampling.LANCZOS)
    if how == "cropped":
        left, top, right, low = random.integers(0, 50, 4).tolist()
        page = page.crop((left, top, page.width - right, page.height - low))
    if how == "JPEG":
        content, quality = io.BytesIO(), int(random.integers(72, 97))
        page.save(content, "JPEG", quality=quality)
        return np.asarray(Image.open(content).convert("RGB"), np.float32) / 255, "JPEG", f"JPEG {quality}"
    return np.asarray(page, np.float32) / 255, "8 bits", how


def through_video(codes: Array, written: str, read: str, levels: tuple[str, str] = ("tv", "tv")) -> Array:
    """A frame through H.264, written with one matrix and range, and read with another."""
    names = {"BT.601": 5, "BT.709": 1, "BT.2020": 9}
    spans = {"tv": 1, "pc": 2}
    content = io.BytesIO()
    frame = av.VideoFrame.from_ndarray(np.round(np.clip(codes, 0, 1) * 255).astype(np.uint8), "rgb24")
    with av.open(content, "w", format="mp4") as out:
        stream = out.add_stream("libx264", rate=24, options={"crf": "14"})
        stream.width, stream.height, stream.pix_fmt = frame.width, frame.height, "yuv420p"
        coded = frame.reformat(format="yuv420p", dst_colorspace=names[written], dst_color_range=spans[levels[0]])
        coded.pts = 0
        for packet in (*stream.encode(coded), *stream.encode(None)):
            out.mux(packet)
    content.seek(0)
    with av.open(content) as found:
        got = next(found.decode(video=0))
        made = got.reformat(format="rgb24", src_colorspace=names[read], src_color_range=spans[levels[1]])
        return np.asarray(made.to_ndarray(), np.float32) / 255


Case = Callable[[Scene], Returned | None]
CASES: list[Case] = []


def case(make: Case) -> Case:
    CASES.append(make)
    return make


def _returned(
    scene: Scene,
    what: str,
    codes: Array,
    *,
    told: str = "",
    numbers: dict[str, float] | None = None,
    how: str = "",
    in_places: bool = False,
    is_known: bool = True,
) -> Returned | None:
    """A picture of codes; None where what was done to it is hardly to be seen."""
    right = scene.through(scene.light)
    if (told or in_places or not is_known) and codes.shape == right.shape:
        off = np.abs(np.clip(codes, 0, 1) - right).max(axis=2)
        if (off > SEEN).mean() < (0.003 if in_places else 0.05):
            return None
    picture, depth, saved_as = saved(codes, scene.random, how)
    return Returned(
        f"{what}, {scene.choice.view}, {saved_as}",
        picture,
        depth,
        scene.light,
        scene.choice,
        frozenset(told.split()),
        tuple((numbers or {}).items()),
        in_places,
        is_known,
    )


@case
def right(scene: Scene) -> Returned | None:
    return _returned(scene, "right", scene.through(scene.light))


@case
def right_again(scene: Scene) -> Returned | None:
    return _returned(scene, "right", scene.through(scene.light))


@case
def right_video(scene: Scene) -> Returned | None:
    codes = through_video(scene.through(scene.light), "BT.709", "BT.709")
    picture = codes.astype(np.float32)
    return Returned(f"right, H.264, {scene.choice.view}", picture, "JPEG", scene.light, scene.choice)


@case
def exposed(scene: Scene) -> Returned | None:
    stops = float(scene.random.choice([-1, 1]) * scene.random.uniform(0.3, 2.5))
    codes = scene.through(scene.light * np.float32(2.0**stops))
    return _returned(scene, f"exposure {stops:+.2f}", codes, told="exposure", numbers={"stops": stops})


@case
def powered(scene: Scene) -> Returned | None:
    exponent = float(scene.random.choice([1 / 2.2, 2.2, 0.8, 1.25, 1.6]))
    codes = scene.through(scene.light) ** np.float32(exponent)
    return _returned(scene, f"power {exponent:.2f}", codes, told="power", numbers={"exponent": exponent})


@case
def other_curve(scene: Scene) -> Returned | None:
    """The display's light in a curve beside the right one."""
    if not scene.is_sdr:
        return None
    light = colour.models.eotf_sRGB(scene.through(scene.light).astype(np.float64))
    power = float(scene.random.choice([2.2, 2.4]))
    codes = (light ** (1 / power)).astype(np.float32)
    made = _returned(scene, f"pure {power}", codes, how=str(scene.random.choice(["8 bits", "16 bits"])))
    assert made is not None
    return replace(made, codes=frozenset({"display-curve"}), numbers=(("power", power),))


@case
def other_primaries(scene: Scene) -> Returned | None:
    names = ("ACES2065-1", "Linear Rec.709 (sRGB)", "Linear Rec.2020", "Linear P3-D65")
    name = str(scene.random.choice(names))
    if scene.random.random() < 0.5:
        light = scene.converted(scene.light, name, "ACEScg")
        what = f"light of ACEScg read as {name}"
    else:
        light = scene.converted(scene.light, "ACEScg", name)
        what = f"light converted to {name}, read as ACEScg"
    return _returned(scene, what, scene.through(light), told="primaries")


@case
def display_primaries(scene: Scene) -> Returned | None:
    if not scene.is_sdr:
        return None
    pairs = (("sRGB", "Display P3"), ("Display P3", "sRGB"), ("sRGB", "ITU-R BT.2020"), ("ITU-R BT.2020", "sRGB"))
    source, target = pairs[int(scene.random.integers(4))]
    light = colour.models.eotf_sRGB(scene.through(scene.light).astype(np.float64))
    spaces = colour.RGB_COLOURSPACES
    matrix = colour.matrix_RGB_to_RGB(spaces[source], spaces[target], chromatic_adaptation_transform=None)
    moved = np.clip(light @ matrix.T, 0, 1)
    codes = colour.models.eotf_inverse_sRGB(moved).astype(np.float32)
    return _returned(scene, f"{source} to {target}", codes, told="display-gamut")


@case
def video_matrix(scene: Scene) -> Returned | None:
    written, read = scene.random.choice(["BT.601", "BT.709", "BT.2020"], 2, replace=False).tolist()
    codes = through_video(scene.through(scene.light), written, read)
    right = scene.through(scene.light)
    if (np.abs(codes - right).max(axis=2) > SEEN).mean() < 0.1:
        return None
    what = f"video {written} read as {read}, {scene.choice.view}"
    return Returned(what, codes.astype(np.float32), "JPEG", scene.light, scene.choice, frozenset({"matrix"}))


@case
def chroma_siting(scene: Scene) -> Returned | None:
    """Colour half a pixel off its brightness."""
    if not scene.is_sdr:
        return None
    across, down = ((0.5, 0.0), (-0.5, 0.0), (0.5, 0.5))[int(scene.random.integers(3))]
    weights = colour.WEIGHTS_YCBCR["ITU-R BT.709"]
    coded = colour.RGB_to_YCbCr(scene.through(scene.light), weights, in_legal=False, out_legal=False)
    planes = [Image.fromarray(plane.astype(np.float32)) for plane in np.moveaxis(coded, 2, 0)]
    moved = [
        plane.transform(plane.size, Image.Transform.AFFINE, (1, 0, -across, 0, 1, -down), Image.Resampling.BILINEAR)
        for plane in planes[1:]
    ]
    for plane, of in zip(moved, planes[1:], strict=True):  # beyond the edge lies nothing: it stays as it is
        for left in (0, plane.width - 1):
            plane.paste(of.crop((left, 0, left + 1, of.height)), (left, 0))
        plane.paste(of.crop((0, of.height - 1, of.width, of.height)), (0, of.height - 1))
    off = np.stack([np.asarray(plane) for plane in (planes[0], *moved)], axis=2)
    codes = colour.YCbCr_to_RGB(off, weights, in_legal=False, out_legal=False).astype(np.float32)
    how = str(scene.random.choice(["8 bits", "JPEG"]))
    made = _returned(scene, f"colour {across}, {down} off", codes, how=how)
    assert made is not None
    return replace(made, codes=frozenset({"chroma-siting"}))


@case
def video_range(scene: Scene) -> Returned | None:
    levels = (("tv", "pc"), ("pc", "tv"))[int(scene.random.integers(2))]
    codes = through_video(scene.through(scene.light), "BT.709", "BT.709", levels)
    what = f"video {levels[0]} read as {levels[1]}, {scene.choice.view}"
    return Returned(what, codes.astype(np.float32), "JPEG", scene.light, scene.choice, frozenset({"levels"}))


@case
def swapped_and_more(scene: Scene) -> Returned | None:
    order = [[1, 0, 2], [2, 1, 0], [0, 2, 1], [1, 2, 0]][int(scene.random.integers(4))]
    kind = int(scene.random.integers(3))
    if kind == 0:
        codes = scene.through(scene.light)[..., order]
        return _returned(scene, f"order {order}", codes, told="channels")
    if kind == 1:
        stops = float(scene.random.choice([-1.5, -0.8, 0.8, 1.5]))
        codes = scene.through(scene.light * np.float32(2.0**stops))[..., order]
        return _returned(scene, f"order {order}, exposure {stops}", codes, told="channels exposure")
    exponent = float(scene.random.choice([1 / 2.2, 0.7, 1.5, 2.2]))
    codes = scene.through(scene.light)[..., order] ** np.float32(exponent)
    return _returned(scene, f"order {order}, power {exponent:.2f}", codes, told="channels power")


@case
def mixed_channels(scene: Scene) -> Returned | None:
    mix = np.eye(3) * scene.random.uniform(0.4, 0.8)
    mix += scene.random.dirichlet([1, 1, 1], 3) * (1 - mix.sum(axis=1, keepdims=True))
    kind = int(scene.random.integers(3))
    if kind == 0:
        codes = scene.through(scene.light) @ mix.T.astype(np.float32)
        return _returned(scene, "channels mixed", codes, told="channel-mix")
    if kind == 1:
        stops = float(scene.random.choice([-1.5, -0.8, 0.8, 1.5]))
        codes = scene.through(scene.light * np.float32(2.0**stops)) @ mix.T.astype(np.float32)
        return _returned(scene, f"channels mixed, exposure {stops}", codes, told="channel-mix exposure")
    codes = np.repeat(scene.through(scene.light)[..., 1:2], 3, axis=2)
    return _returned(scene, "green alone", codes, told="channel-mix")


@case
def highlights(scene: Scene) -> Returned | None:
    """Light above a knee rolled off by one of several curves."""
    light = scene.light[..., :3]
    knee = float(scene.random.uniform(0.25, 0.9))
    over = np.maximum(light - knee, 0)
    kind = int(scene.random.integers(3))
    span = np.float32(scene.random.uniform(0.3, 1))
    soft = (over / (1 + over / span), span * np.log1p(over / span), span * (1 - np.exp(-over / span)))[kind]
    codes = scene.through(np.where(light > knee, knee + soft, light))
    return _returned(scene, f"highlights compressed from {knee:.2f}, kind {kind}", codes, told="highlights")


@case
def views(scene: Scene) -> Returned | None:
    kind = int(scene.random.integers(3))
    if kind == 0:
        return _returned(scene, "no view", np.clip(scene.light[..., :3], 0, 1), told="view-missing")
    if kind == 1:
        codes = scene.through(scene.through(scene.light))
        return _returned(scene, "view twice", codes, told="view-twice")
    others = [*CHOICES, ViewChoice(CHOICES[0].display, "Un-tone-mapped")]
    other = others[int(scene.random.integers(len(others)))]
    if other.view == scene.choice.view:
        return None
    told = "view-other" if other.display == scene.choice.display else "display-other"
    return _returned(scene, f"view {other.view}", scene.through(scene.light, other), told=told)


@case
def log_left_in(scene: Scene) -> Returned | None:
    light = scene.converted(scene.light, "ACEScg", "ACEScct")
    return _returned(scene, "ACEScct left in", scene.through(light), told="log-left-in")


@case
def negative(scene: Scene) -> Returned | None:
    return _returned(scene, "negative", 1 - scene.through(scene.light), told="inverted")


@case
def graded(scene: Scene) -> Returned | None:
    slope, power = scene.random.uniform(0.8, 1.2, 3), scene.random.uniform(0.8, 1.25, 3)
    codes = np.clip(scene.through(scene.light) * slope + scene.random.uniform(-0.04, 0.04, 3), 0, 1) ** power
    return _returned(scene, "graded", codes.astype(np.float32), told="grade")


@case
def pq_as_sdr(scene: Scene) -> Returned | None:
    if not scene.is_sdr:
        return None
    light = colour.models.eotf_sRGB(scene.through(scene.light).astype(np.float64)) * 100
    return _returned(scene, "in PQ", colour.models.eotf_inverse_ST2084(light).astype(np.float32), told="pq-as-sdr")


@case
def cut(scene: Scene) -> Returned | None:
    level = float(scene.random.choice([0.5, 1, 2, 4, 8]))
    codes = scene.through(np.minimum(scene.light, np.float32(level)))
    made = _returned(scene, f"cut at {level}", codes, in_places=True)
    if made is None:
        return None
    return replace(made, codes=frozenset({"clipped"}), numbers=(("level", level),))


@case
def one_side(scene: Scene) -> Returned | None:
    light = scene.light.copy()
    stops = float(scene.random.choice([-1.5, -0.7, 0.7, 1, 2]))
    light[:, : int(scene.random.uniform(0.1, 0.4) * light.shape[1])] *= np.float32(2.0**stops)
    return _returned(scene, f"one side {stops:+.1f} stops", scene.through(light), in_places=True)


@case
def overlaid(scene: Scene) -> Returned | None:
    codes = np.round(scene.through(scene.light) * 255).astype(np.uint8)
    page = Image.fromarray(codes)
    draw = ImageDraw.Draw(page)
    left, top = int(scene.random.integers(10, 300)), int(scene.random.integers(10, 250))
    if scene.random.random() < 0.5:
        draw.text((left, top), "KELP 0040  rev 3", fill=(255, 230, 0), font_size=28)
        what = "a burn-in"
    else:
        draw.rounded_rectangle((left, top, left + 140, top + 60), 8, fill=tuple(scene.random.integers(0, 255, 3)))
        what = "an overlay"
    return _returned(scene, what, np.asarray(page, np.float32) / 255, in_places=True, how="8 bits")


@case
def on_a_screen(scene: Scene) -> Returned | None:
    """A window of an application: title bar, palettes on both sides, the picture in it at some size."""
    codes = scene.through(scene.light)
    exponent = 1.0 if scene.random.random() < 0.5 else float(scene.random.choice([0.6, 1.6]))
    scale = float(scene.random.choice([1.0, 1.0, 0.75, 1.5]))
    page = Image.fromarray(np.round(codes ** np.float32(exponent) * 255).astype(np.uint8))
    page = page.resize((round(page.width * scale), round(page.height * scale)), Image.Resampling.BILINEAR)
    left, right, top, low = (int(scene.random.integers(*ends)) for ends in ((40, 220), (120, 320), (50, 110), (20, 60)))
    screen = Image.new("RGB", (page.width + left + right, page.height + top + low), (43, 43, 46))
    draw = ImageDraw.Draw(screen)
    draw.rectangle((0, 0, screen.width, 26), fill=(70, 72, 80))
    draw.text((screen.width // 2 - 60, 4), "night_quay_0040.exr", fill=(220, 220, 220), font_size=14)
    for row in range(60, screen.height - 30, 22):
        draw.rectangle((8, row, left - 14, row + 12), fill=(90, 90, 95))
        draw.text((page.width + left + 12, row), f"Layer {row} roughness {row % 7 / 7:.2f}", fill=(200, 200, 200))
        if row % 4 == 0:
            colour_of = tuple(scene.random.integers(0, 255, 3).tolist())
            draw.rectangle((page.width + left + 60, row, page.width + left + 110, row + 16), fill=colour_of)
    screen.paste(page, (left, top))
    picture = np.asarray(screen, np.float32) / 255
    codes_of = frozenset({"power"}) if exponent != 1 else frozenset()
    numbers = (("exponent", exponent),) if exponent != 1 else ()
    what = f"in a window at {scale}, power {exponent}, {scene.choice.view}"
    return Returned(what, picture, "8 bits", scene.light, scene.choice, codes_of, numbers)


@case
def something_else(scene: Scene) -> Returned | None:
    """What no operation is: hues turned by brightness, local contrast, a vignette."""
    codes = scene.through(scene.light)
    kind = int(scene.random.integers(3))
    if kind == 0:
        hsv = np.asarray(Image.fromarray(np.round(codes * 255).astype(np.uint8)).convert("HSV")).copy()
        hsv[..., 0] = hsv[..., 0] + hsv[..., 2] // 3
        codes = np.asarray(Image.fromarray(hsv, "HSV").convert("RGB"), np.float32) / 255
        what = "hues turned by brightness"
    elif kind == 1:
        height, width = codes.shape[:2]
        y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
        codes = codes * (1 - 0.55 * (x**2 + y**2) / 2)[..., None].astype(np.float32)
        what = "a vignette"
    else:
        bright = codes.max(axis=2, keepdims=True)
        codes = np.where(bright > 0.45, codes[..., [2, 0, 1]], codes * 0.8)
        what = "bright and dark otherwise"
    return _returned(scene, what, codes, is_known=False)


@case
def with_alpha(scene: Scene) -> Returned | None:
    """A layer with soft edges: straight in PNG as it should be, laid over black, or over a colour."""
    height, width = scene.light.shape[:2]
    y, x = np.mgrid[0:height, 0:width]
    alpha = np.clip(1.25 - np.hypot((x - width / 2) / width, (y - height / 2) / height) * 1.6, 0, 1)[..., None]
    alpha = alpha.astype(np.float32)
    layer = np.concatenate([scene.light[..., :3] * alpha, alpha], axis=2)
    straight = scene.through(scene.light)
    kind = int(scene.random.integers(3))
    if kind == 0:
        picture = np.concatenate([np.where(alpha > 0, straight, 0), alpha], axis=2)
        picture = np.round(picture * 255).astype(np.float32) / 255
        return Returned(f"straight alpha, {scene.choice.view}", picture, "8 bits", layer, scene.choice)
    ground = np.zeros(3) if kind == 1 else scene.random.uniform(0.1, 0.9, 3)
    told = frozenset({"laid-over"})
    picture = np.round((straight * alpha + (1 - alpha) * ground) * 255).astype(np.float32) / 255
    what = f"laid over {np.round(ground, 2)}, {scene.choice.view}"
    return Returned(what, picture, "8 bits", layer, scene.choice, told)


@case
def another_render(scene: Scene) -> Returned | None:
    codes = scene.through(made_light(scene.random))
    picture, depth, how = saved(codes, scene.random)
    what = f"another render, {scene.choice.view}, {how}"
    return Returned(what, picture, depth, scene.light, scene.choice, frozenset({"another"}))


@case
def light_file(scene: Scene) -> Returned | None:
    """A scene-linear EXR in half floats: right, or with one thing done to it."""
    random, light = scene.random, scene.light[..., :3]
    kind = str(random.choice(["right", "exposure", "primaries", "baked", "clipped", "channels", "highlights", "log"]))
    told, numbers, made = {kind}, {}, light
    if kind == "right":
        told = set()
    elif kind == "exposure":
        stops = float(random.choice([-1.5, -0.4, 0.5, 2]))
        made, numbers = light * np.float32(2.0**stops), {"stops": stops}
    elif kind == "primaries":
        made = scene.converted(light, "ACEScg", str(random.choice(["ACES2065-1", "Linear Rec.709 (sRGB)"])))
    elif kind == "baked":
        made = scene.through(light, CHOICES[int(random.integers(3))])
        told = {"view-other"} if scene.is_sdr else {"display-other"}
    elif kind == "clipped":
        level = float(random.choice([0.5, 1.0]))
        made, numbers = np.minimum(light, np.float32(level)), {"level": level}
    elif kind == "channels":
        made = light[..., [2, 1, 0]]
    elif kind == "highlights":
        made = np.where(light > 0.4, 0.4 + 0.5 * np.log1p((light - 0.4) / 0.5), light)
    else:
        made, told = scene.converted(light, "ACEScg", "ACEScct"), {"log-left-in"}
    picture = np.asarray(made, np.float16).astype(np.float32)
    what = f"light: {kind} {numbers or ''}"
    return Returned(
        what, picture, "half", scene.light, scene.choice, frozenset(told), tuple(numbers.items()), expects_light=True
    )


def returned(count: int, seed: int) -> Iterator[tuple[Returned, Scene]]:
    """So many pictures, each case in turn."""
    random, made, at = np.random.default_rng(seed), 0, 0
    while made < count:
        scene = Scene(random)
        found = CASES[at % len(CASES)](scene)
        at += 1
        if found is not None:
            made += 1
            yield found, scene
