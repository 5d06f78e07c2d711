"""Data among the layers of a render passes as it is, and colour is converted: judged by OpenEXR and the engine."""

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import TestCase

import numpy as np
import OpenEXR
import OpenImageIO as oiio
from numpy.typing import NDArray

from saltwort.core.deliverables.registry import Defaults, deliverable_of
from saltwort.core.deliverables.shown import Source
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.images.layer_kinds import ByHand, data_by_values, judged_layers, meaning_of
from saltwort.core.textures.converting import convert
from tests.samples import base_config

SEED = 20261201
CHOSEN = Defaults(ViewChoice("", ""), "ACEScg")
HEIGHT, WIDTH = 24, 40
DATA_NAMES = (
    "N", "P", "normal", "worldNormal", "shading_normals", "position", "Pref", "velocity", "motion", "motion_vectors",
    "MotionVector2D", "depth", "zDepth", "uv", "UV0", "objectID", "object_id", "materialid", "ID", "CryptoObject00",
    "crypto_material01", "uCryptoAsset", "matte_fg", "lamp_mask", "tangent", "N_cam", "aov.normal", "coverage",
)  # fmt: skip
COLOUR_NAMES = (
    "diffuse", "specular_indirect", "key", "lamp_fill", "emission", "beauty", "depth_of_field_beauty", "motionBlur_rgb",
    "matte_painting", "normal_light", "lights.rim", "solid", "grid", "liquid", "abc", "custom1", "AOV_17",
)  # fmt: skip


def engine(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """ACEScg as Linear Rec.709, by the engine alone."""
    processor = base_config().getProcessor("ACEScg", "Linear Rec.709 (sRGB)").getDefaultCPUProcessor()
    shown = np.ascontiguousarray(pixels.astype(np.float32))
    processor.applyRGB(shown)
    return shown


def planes_of(path: Path) -> dict[str, NDArray[Any]]:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: channel.pixels for part in file.parts for name, channel in part.channels.items()}


def same_bits(one: NDArray[Any], other: NDArray[Any]) -> bool:
    return one.dtype == other.dtype and one.tobytes() == other.tobytes()


class Names(TestCase):
    def test_what_names_stand_for(self) -> None:
        for name in DATA_NAMES:
            with self.subTest(name):
                self.assertTrue(meaning_of(name))
        for name in COLOUR_NAMES:
            with self.subTest(name):
                self.assertFalse(meaning_of(name))


class Values(TestCase):
    def setUp(self) -> None:
        self.random = np.random.default_rng(SEED)

    def test_vectors_identifiers_and_places_are_no_light(self) -> None:
        vectors = self.random.normal(size=(5000, 3))
        units = vectors / np.linalg.norm(vectors, axis=1, keepdims=True)
        up = units * np.where(units[:, 2:] < 0, -1, 1)
        bits = self.random.integers(0, 1 << 32, (5000, 3), np.uint32).view(np.float32)
        for name, pixels in {
            "unit vectors": units, "packed": up * 0.5 + 0.5, "places": vectors * 20, "identifiers": bits,
            "whole numbers": self.random.integers(0, 400, (5000, 3)),
        }.items():  # fmt: skip
            with self.subTest(name), np.errstate(invalid="ignore"):
                self.assertTrue(data_by_values(pixels.astype(np.float32)))

    def test_light_is_not_taken_for_data(self) -> None:
        for number in range(200):
            shape = (4000, 3)
            hue = self.random.random(3) + 0.05
            light = self.random.gamma(self.random.uniform(0.2, 3), size=shape) * hue * 10 ** self.random.uniform(-3, 3)
            light[self.random.random(shape[0]) < self.random.uniform(0, 0.9)] = 0
            light -= light.max() * 1e-3 * (self.random.random(shape) < 0.05)  # a few colours outside the gamut
            self.assertEqual(data_by_values(light.astype(np.float32)), "", f"seed {SEED}, {number}")

    def test_too_little_tells_nothing(self) -> None:
        for pixels in (np.zeros((500, 3)), np.ones((500, 3)), np.full((10, 3), -5.0)):
            self.assertEqual(data_by_values(pixels.astype(np.float32)), "")


class Passing(TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.random = np.random.default_rng(SEED)

    def light(self, kind: type = np.float16) -> NDArray[Any]:
        return self.random.gamma(0.7, size=(HEIGHT, WIDTH)).astype(kind)

    def numbers(self, kind: str) -> NDArray[Any]:
        """Data: whole numbers, any bits of 32 that are floats, floats or halves."""
        if kind in ("uint", "bits"):
            found = self.random.integers(0, 1 << 32, (HEIGHT, WIDTH), np.uint32)
            return found if kind == "uint" else found.view(np.float32)
        return (self.random.normal(size=(HEIGHT, WIDTH)) * 40).astype(np.float32 if kind == "float" else np.float16)

    def layers(self, *, data: int, colour: int) -> tuple[dict[str, NDArray[Any]], list[str]]:
        """Channels of a render, and the beginnings of those that are data."""
        planes: dict[str, NDArray[Any]] = {name: self.light() for name in "RGBA"}
        planes["Z"] = self.numbers("float")
        named = [str(name) for name in self.random.choice(DATA_NAMES, data, replace=False)]
        for name in named:
            kind = str(self.random.choice(["uint", "bits", "float", "half"]))
            for last in str(self.random.choice(["RGB", "RGBA", "XYZ", "rgb"])):
                planes[f"{name}.{last}"] = self.numbers(kind)
        for name in self.random.choice(COLOUR_NAMES, colour, replace=False):
            planes |= {f"{name}.{last}": self.light(self.random.choice([np.float16, np.float32])) for last in "RGB"}
        return planes, named

    def written(self, planes: dict[str, NDArray[Any]]) -> Path:
        file = self.folder / f"{len(list(self.folder.iterdir()))}.exr"
        with OpenEXR.File({"cryptomatte/0abc/name": "hidden", "comments": "from the farm"}, dict(planes)) as made:
            made.write(str(file))
        return file

    def deliver(self, file: Path, **settings: Any) -> tuple[Path, Any]:
        made, target = deliverable_of("light"), file.with_suffix(".out.exr")
        chosen = made.settings_from({"space": "Linear Rec.709 (sRGB)", "layers": "all", **settings}, CHOSEN)
        return target, made.write(base_config(), [Source(file, "ACEScg")], chosen, target, lambda share, doing: None)

    def assert_passed(self, source: Path, target: Path, data: list[str], half: bool) -> None:
        was, found = planes_of(source), planes_of(target)
        self.assertEqual(set(was), set(found))
        beginnings = {name.rpartition(".")[0] for name in was}
        for beginning in beginnings:
            names = [f"{beginning}.{last}".lstrip(".") for last in "RGB"]
            own = [name for name in was if name.rpartition(".")[0] == beginning]
            is_colour = beginning not in data and all(name in was for name in names)
            for name in own:
                if not is_colour or name not in (*names, "A"):
                    self.assertTrue(same_bits(was[name], found[name]), f"{name} was changed")
            if is_colour:
                meant = engine(np.stack([was[name] for name in names], -1))
                stored = np.stack([found[name] for name in names], -1)
                self.assertEqual(stored.dtype, np.float16 if half else np.float32)
                np.testing.assert_allclose(stored, meant, rtol=2**-10, atol=1e-5)

    def test_random_renders(self) -> None:
        for number in range(25):
            planes, data = self.layers(data=int(self.random.integers(1, 5)), colour=int(self.random.integers(0, 4)))
            source, half = self.written(planes), bool(self.random.random() < 0.5)
            with self.subTest(f"seed {SEED}, {number}", layers=list(planes)):
                target, written = self.deliver(source, sample="half" if half else "float")
                self.assert_passed(source, target, data, half)
                self.assertLessEqual(set(data), set(written.data))
                self.assertTrue(all(written.data.values()))
                with OpenEXR.File(str(target), separate_channels=True) as file:
                    self.assertEqual(file.header()["cryptomatte/0abc/name"], "hidden")
                done = self.folder / f"{number}.converted.exr"
                told = convert(
                    base_config(), source, "ACEScg", "Linear Rec.709 (sRGB)", "exr-half" if half else "exr-float", done
                )
                self.assert_passed(source, done, data, half)
                self.assertLessEqual(set(data), set(told.data))

    def test_the_header_and_the_values_tell_where_the_name_does_not(self) -> None:
        vectors = self.random.normal(size=(HEIGHT, WIDTH, 3))
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        planes = {name: self.light() for name in "RGB"}
        planes |= {f"aov7.{last}": vectors[..., at].astype(np.float16) for at, last in enumerate("RGB")}
        planes |= {f"hidden01.{last}": self.light(np.float32) for last in "RGB"}
        source = self.written(planes)
        judged = {each.name: each for each in judged_layers(source)}
        self.assertIn("vectors of length 1", judged["aov7"].reason)
        self.assertIn("cryptomatte by the header", judged["hidden01"].reason)
        self.assertFalse(judged[""].is_data)
        target, _ = self.deliver(source)
        self.assert_passed(source, target, ["aov7", "hidden01"], half=True)

    def test_a_layer_that_is_data_in_one_frame_is_data_in_all(self) -> None:
        vectors = self.random.normal(size=(HEIGHT, WIDTH, 3))
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        light = {name: self.light() for name in "RGB"}
        frames = {}
        for name, values in (("black", np.zeros_like(vectors)), ("seen", vectors)):
            planes = light | {f"aov7.{last}": values[..., at].astype(np.float16) for at, last in enumerate("RGB")}
            frames[name] = self.written(planes).rename(self.folder / f"{name}.exr")
        self.assertFalse(judged_layers(frames["black"])[1].is_data)
        (_, layer) = judged_layers(frames["black"], beside=list(frames.values()))
        self.assertTrue(layer.is_data)
        self.assertIn("in another frame", layer.reason)
        (_, layer) = judged_layers(frames["black"], ByHand.read("", "aov7"), list(frames.values()))
        self.assertFalse(layer.is_data)

    def test_a_hand_is_right(self) -> None:
        planes = {name: self.light() for name in "RGB"}
        planes |= {f"{name}.{last}": self.light() for name in ("N", "warm") for last in "RGB"}
        source = self.written(planes)
        target, written = self.deliver(source, data_layers="warm", colour_layers="N")
        self.assert_passed(source, target, ["warm"], half=True)
        self.assertEqual(written.data, {"warm": "set manually"})
        for asked, words in ((("fog", ""), "no layer “fog”"), (("N", "N"), "is in both lists")):
            with self.assertRaisesRegex(BadInput, words):
                judged_layers(source, ByHand.read(*asked))

    def test_parts_keep_their_own_headers_and_say_that_they_are_data(self) -> None:
        light = {name: self.light() for name in ("R", "G", "B", "key.R", "key.G", "key.B")}
        ids = {name: self.light(np.float32) for name in "RGBA"}
        parts = [
            OpenEXR.Part({"view": "left"}, dict(light), "beauty"),
            OpenEXR.Part({"view": "left", "cryptomatte/77/name": "crypto", "comments": "ids"}, dict(ids), "crypto00"),
        ]
        source = self.folder / "parts.exr"
        with OpenEXR.File(parts) as file:
            file.write(str(source))
        target, _ = self.deliver(source)
        with OpenEXR.File(str(target), separate_channels=True) as file:
            first, second = (dict(part.header) for part in file.parts)
            names = [sorted(part.channels) for part in file.parts]
            kept = {name: channel.pixels for name, channel in file.parts[1].channels.items()}
        self.assertEqual((first["name"], second["name"]), ("beauty", "crypto00"))
        self.assertEqual(names, [sorted(light), sorted(ids)])
        self.assertEqual((first["view"], second["view"]), ("left", "left"))
        self.assertEqual((second["cryptomatte/77/name"], second["comments"]), ("crypto", "ids"))
        self.assertEqual(second["colorInteropID"], "data")
        self.assertNotIn("chromaticities", second)
        self.assertIn("chromaticities", first)
        for name, plane in kept.items():
            self.assertTrue(same_bits(plane, ids[name]), name)

    def test_dwa_is_refused_for_data_that_it_would_change_and_parts_are_exact(self) -> None:
        planes = {name: self.light() for name in "RGB"} | {f"N.{last}": self.light(np.float32) for last in "RGB"}
        source = self.written(planes)
        with self.assertRaisesRegex(BadInput, "DWA would change the numbers of N"):
            self.deliver(source, compression="dwaa")
        target, _ = self.deliver(source, compression="dwaa", parts=True)
        with OpenEXR.File(str(target), separate_channels=True) as file:
            (part,) = (part for part in file.parts if part.name() == "N")
            found = {name: channel.pixels for name, channel in part.channels.items()}
        for last in "RGB":
            self.assertTrue(same_bits(found[last], planes[f"N.{last}"]))

    def test_light_that_half_floats_do_not_hold_is_cut_and_told(self) -> None:
        planes = {name: self.light(np.float32) for name in "RGB"}
        planes["R"][3, 5] = 1e5
        source = self.written(planes)
        target, written = self.deliver(source)
        found = planes_of(target)
        self.assertTrue(all(np.isfinite(plane).all() for plane in found.values()))
        self.assertEqual(float(found["R"].max()), 65504)
        self.assertAlmostEqual(written.clipped, 1 / (3 * HEIGHT * WIDTH))
        self.assertEqual((written.not_finite, written.peak), (0, 65504))

    def test_the_display_window_keeps_its_place(self) -> None:
        spec = oiio.ImageSpec(WIDTH, HEIGHT, 3, "half")
        spec.x, spec.y, spec.full_x, spec.full_y, spec.full_width, spec.full_height = 90, 75, 100, 70, 60, 50
        spec.attribute("PixelAspectRatio", 2.0)
        source = self.folder / "window.exr"
        output = oiio.ImageOutput.create("openexr")
        assert output and output.open(str(source), spec)
        output.write_image(self.random.random((HEIGHT, WIDTH, 3)).astype(np.float32))
        output.close()
        converted = self.folder / "converted.exr"
        convert(base_config(), source, "ACEScg", "Linear Rec.709 (sRGB)", "exr-half", converted)
        was = OpenEXR.File(str(source)).header()
        for target in (self.deliver(source)[0], converted):
            header = OpenEXR.File(str(target)).header()
            for name in ("dataWindow", "displayWindow", "pixelAspectRatio"):
                np.testing.assert_array_equal(header[name], was[name], f"{target.name} {name}")
