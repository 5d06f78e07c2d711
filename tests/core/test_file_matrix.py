"""What goes into a file comes out of it: every format and layout of channels, as data, as colour and as light."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenEXR
import OpenImageIO as oiio

from saltwort.core.errors import BadInput
from saltwort.core.images import read_header, survey
from saltwort.core.images.channels import ASSOCIATED, STRAIGHT
from saltwort.core.images.reading import read_strips, read_whole_strips
from saltwort.core.images.writing import Part, check_holds, writing_parts
from saltwort.core.textures.conversion_plans import FORMATS, read_headers, read_parts
from saltwort.core.textures.converting import convert
from saltwort.core.textures.foreseeing import foresee
from tests.core.test_images import ImageTestCase
from tests.samples import LINEAR_REC709, SRGB, base_config, write_parts

HEIGHT, WIDTH = 12, 20
HALF_STEP = {"uint16": 0.5 / 65535, "half": 2**-11, "float": 2e-6}
"""What each type rounds, of a number below 1; floats go through a curve in single precision."""


@dataclass(frozen=True)
class Layout:
    """A sort of file: channels by name, where alpha stands, and sample types that the format has."""

    suffix: str
    names: tuple[str, ...]
    sample_type: str
    alpha: str = ""


LAYOUTS = (
    *(Layout(".png", names, kind, STRAIGHT * ("A" in names)) for kind in ("uint8", "uint16")
      for names in (("Y",), ("Y", "A"), ("R", "G", "B"), ("R", "G", "B", "A"))),
    *(Layout(".tif", names, kind, alpha) for kind in ("uint8", "uint16", "half", "float")
      for names, alpha in (
          (("Y",), ""), (("Y", "A"), STRAIGHT), (("Y", "A"), ASSOCIATED), (("Y", "channel1"), ""),
          (("R", "G", "B"), ""), (("R", "G", "B", "A"), STRAIGHT), (("R", "G", "B", "A"), ASSOCIATED),
          (("R", "G", "B", "channel3"), ""), (("R", "G", "B", "A", "channel4"), STRAIGHT),
          (("R", "G", "B", "A", "channel4"), ASSOCIATED))),
    *(Layout(suffix, names, kind, ASSOCIATED * ("A" in names))
      for suffix in (".exr", ".tx") for kind in ("half", "float") for names in (
          ("Y",), ("Y", "A"), ("R", "G", "B"), ("R", "G", "B", "A"), ("R", "G", "B", "Z"), ("R", "G", "B", "A", "Z"),
          ("R", "G", "B", "A", "id", "key.R", "key.G", "key.B"))),
    Layout(".jpg", ("Y",), "uint8"), Layout(".jpg", ("R", "G", "B"), "uint8"),
    Layout(".hdr", ("R", "G", "B"), "float"),
    *(Layout(".dpx", names, "uint16", ASSOCIATED * ("A" in names))
      for names in (("Y",), ("R", "G", "B"), ("R", "G", "B", "A"))),
)  # fmt: skip


def samples_for(layout: Layout, seed: int = 7) -> np.ndarray:
    """Random samples, with places where alpha is 0 and colour is not, and where it is 1."""
    pixels = np.random.default_rng(seed).random((HEIGHT, WIDTH, len(layout.names)), dtype=np.float32)
    if layout.sample_type in ("half", "float"):
        pixels[..., : min(3, pixels.shape[2])] *= 6
    if layout.alpha:
        alpha = pixels[..., layout.names.index("A")]
        alpha[:3], alpha[3:6] = 0, 1
    return pixels


def write_raw(path: Path, layout: Layout, pixels: np.ndarray) -> Path:
    """A file by the image library alone."""
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], pixels.shape[2], layout.sample_type)
    spec.channelnames = layout.names
    spec.alpha_channel = layout.names.index("A") if layout.alpha else -1
    if layout.alpha == STRAIGHT:
        spec.attribute("oiio:UnassociatedAlpha", 1)
    if layout.suffix == ".tx":
        spec.tile_width = spec.tile_height = 16
    output = oiio.ImageOutput.create("openexr" if layout.suffix == ".tx" else str(path))
    assert output.open(str(path), spec), output.geterror()
    assert output.write_image(np.ascontiguousarray(pixels)), output.geterror()
    output.close()
    return path


def stored(path: Path, part: int = 0) -> tuple[np.ndarray, tuple[str, ...], str]:
    header = read_header(path, part=part)
    return np.concatenate([strip for _, strip in read_strips(path, part=part)]), header.channel_names, header.alpha


def through_engine(pixels: np.ndarray, names: tuple[str, ...], alpha: str, spaces: tuple[str, str]) -> np.ndarray:
    """What a conversion should make of pixels, alpha kept as it is, one colour after the other and in the plainest
    way: light that is associated is divided, converted, and multiplied; at an alpha of 0 it is converted as it is."""
    processor = base_config().getProcessor(*spaces).getDefaultCPUProcessor()
    made = pixels.astype(np.float64).copy()
    for beginning in ("", "key."):
        colour = [names.index(beginning + name) for name in "RGB" if beginning + name in names]
        colour = colour or ([names.index(beginning + "Y")] if beginning + "Y" in names else [])
        if not colour:
            continue
        own = names.index(beginning + "A") if beginning + "A" in names and alpha == ASSOCIATED else None
        for y, x in np.ndindex(made.shape[:2]):
            share = float(pixels[y, x, own]) if own is not None and pixels[y, x, own] > 0 else 1.0
            three = (list(pixels[y, x, colour] / share) * 3)[:3]
            made[y, x, colour] = np.array(processor.applyRGB([float(value) for value in three]))[: len(colour)] * share
    return made


def with_alpha(pixels: np.ndarray, names: tuple[str, ...], had: str, wanted: str) -> np.ndarray:
    """Pixels with alpha in another way."""
    if had == wanted or "A" not in names:
        return pixels
    colour = [number for number, name in enumerate(names) if name in ("R", "G", "B", "Y")]
    alpha, made = pixels[..., [names.index("A")]], pixels.copy()
    shares = 1 / np.where(alpha > 0, alpha, 1.0) if wanted == STRAIGHT else alpha
    made[..., colour] = pixels[..., colour] * shares
    return made


class EveryFormat(ImageTestCase):
    def test_each_format_reads_as_it_was_written_by_others(self) -> None:
        for layout in LAYOUTS:
            with self.subTest(layout):
                pixels = samples_for(layout)
                found, names, alpha = stored(write_raw(self.folder / f"a{layout.suffix}", layout, pixels))
                self.assertEqual((names, alpha), (layout.names, layout.alpha))
                steps = {"uint8": 255, "uint16": 65535}.get(layout.sample_type)
                if layout.suffix in (".jpg", ".hdr"):
                    continue  # what these round is their own
                tolerance = 0.5001 / steps if steps else 0 if layout.sample_type == "float" else 2**-9
                self.assertLessEqual(np.abs(found - pixels).max(), tolerance)

    def test_each_format_reads_as_we_write_it_or_is_refused(self) -> None:
        refused = 0
        for layout in LAYOUTS:
            for suffix in (".png", ".tif", ".exr", ".jpg", ".hdr", ".dpx"):
                path = self.folder / f"b{suffix}"
                kind = "half" if suffix == ".exr" else "float" if suffix == ".hdr" else "uint8"
                part = Part(WIDTH, HEIGHT, layout.names, (kind,), layout.alpha)
                try:
                    check_holds(path, [part])
                except BadInput as error:
                    self.assertRegex(str(error), r"Choose EXR")
                    refused += 1
                    continue
                with self.subTest(layout, suffix=suffix), writing_parts(path, [part]) as write:
                    write(samples_for(layout))
                found, names, alpha = stored(path)
                with self.subTest(layout, suffix=suffix):
                    self.assertEqual((len(names), alpha), (len(layout.names), layout.alpha))
                    if suffix not in (".jpg", ".hdr"):
                        meant = samples_for(layout)
                        meant = meant if suffix == ".exr" else meant.clip(0, 1)
                        self.assertLessEqual(np.abs(found - meant).max(), 0.0021)
        self.assertGreater(refused, 50)


class EveryConversion(ImageTestCase):
    """Each layout as data, as encoded colour and as light, to each format that can be written."""

    def check(self, layout: Layout, spaces: tuple[str, str], format_name: str) -> str:
        source = write_raw(self.folder / f"source{layout.suffix}", layout, samples_for(layout))
        wanted = FORMATS[format_name]
        target = self.folder / f"target{wanted.suffix}"
        target.unlink(missing_ok=True)
        pixels, names, alpha = stored(source)
        try:
            done = convert(base_config(), source, *spaces, format_name, target)
        except BadInput as error:
            self.assertRegex(str(error), "Choose EXR|Read it as data|32-bit")
            with self.assertRaises(BadInput):
                foresee(base_config(), read_parts(source), pixels.reshape(-1, len(names)), *spaces, format_name)
            self.assertFalse(target.exists())
            return "refused"
        found, names_there, alpha_there = stored(target)
        is_data = "Raw" in spaces
        meant = pixels.astype(np.float64) if is_data else through_engine(pixels, names, alpha, spaces)
        if not is_data:
            meant = with_alpha(meant, names, alpha, alpha_there)
        limits = {"uint16": (0, 1), "half": (-65504, 65504)}.get(wanted.sample_type, (-np.inf, np.inf))
        if read_header(target).bit_depth == "float":  # also a texture with numbers beside its colour
            limits = (-np.inf, np.inf)
        clipped = int(((meant < limits[0] - 1e-7) | (meant > limits[1] + 1e-7)).sum())
        meant = meant.clip(*limits)
        order = [names_there.index(name) for name in names] if wanted.suffix in (".exr", ".tx") else range(len(names))
        error = np.abs(found[..., list(order)] - meant) / np.maximum(np.abs(meant), 1)
        self.assertLessEqual(error.max(), HALF_STEP[wanted.sample_type] + 1e-6)
        self.assertLessEqual(abs(done.largest_error - error.max()), 2e-6)
        self.assertAlmostEqual(done.clipped, clipped, delta=max(2, clipped * 0.01))
        tags = read_header(target).tags
        if is_data:
            says = {"CICP", "png:sRGB", "png:gAMA", "png:cHRM", "png:iCCP", "chromaticities", "colorInteropID"}
            self.assertFalse(says & tags.keys())
            if wanted.sample_type == "float":
                np.testing.assert_array_equal(found[..., list(order)], pixels)
        if wanted.suffix in (".exr", ".tx"):
            self.assertEqual(set(names_there), set(names))
        else:
            self.assertEqual(read_header(target).channels, len(names))
        return alpha_there

    def test_data(self) -> None:
        for layout in LAYOUTS:
            for format_name in FORMATS:
                with self.subTest(layout, format=format_name):
                    self.check(layout, ("Raw", "Raw"), format_name)

    def test_encoded_colour(self) -> None:
        for layout in LAYOUTS:
            for format_name in FORMATS:
                with self.subTest(layout, format=format_name):
                    there = self.check(layout, (SRGB, LINEAR_REC709), format_name)
                    if there != "refused" and layout.alpha:
                        kept = layout.alpha if format_name == "tif-16" else ""
                        self.assertEqual(there, kept or (STRAIGHT if format_name == "png-16" else ASSOCIATED))

    def test_light(self) -> None:
        for layout in LAYOUTS:
            for into in (LINEAR_REC709, "ACEScg", "ACEScct"):
                for format_name in ("exr-half", "tif-16", "tx-float"):
                    with self.subTest(layout, into=into, format=format_name):
                        self.check(layout, ("ACEScg", into), format_name)


class WhatAFormatCannotHold(ImageTestCase):
    def test_light_at_alpha_0_keeps_its_colour(self) -> None:
        layout = Layout(".exr", ("R", "G", "B", "A"), "float", ASSOCIATED)
        flame = np.zeros((HEIGHT, WIDTH, 4), np.float32)
        flame[..., :3] = (9.0, 3.0, 0.5)
        source = write_raw(self.folder / "flame.exr", layout, flame)
        for into in ("ACEScg", "ACES2065-1", SRGB):
            convert(base_config(), source, "ACEScg", into, "exr-float", self.folder / f"{into}.exr")
            meant = np.array(base_config().getProcessor("ACEScg", into).getDefaultCPUProcessor().applyRGB([9, 3, 0.5]))
            found, _, _ = stored(self.folder / f"{into}.exr")
            np.testing.assert_allclose(found[0, 0, :3], meant, rtol=1e-5)

    def test_colour_hidden_by_a_change_of_alpha_is_told_before_and_after(self) -> None:
        for layout, format_name in (
            (Layout(".exr", ("R", "G", "B", "A"), "half", ASSOCIATED), "png-16"),
            (Layout(".png", ("R", "G", "B", "A"), "uint16", STRAIGHT), "exr-half"),
        ):
            source = write_raw(self.folder / f"a{layout.suffix}", layout, samples_for(layout))
            pixels, _, _ = stored(source)
            told = foresee(base_config(), read_parts(source), pixels.reshape(-1, 4), "ACEScg", "ACEScg", format_name)
            target = self.folder / f"b{FORMATS[format_name].suffix}"
            done = convert(base_config(), source, "ACEScg", "ACEScg", format_name, target)
            self.assertEqual(done.hidden, 3 * WIDTH * 3)
            self.assertAlmostEqual(told.hidden, done.hidden / done.samples)
            self.assertIn("Its alpha is", " ".join(told.notes))

    def test_values_that_are_no_numbers_are_counted_where_integers_take_them(self) -> None:
        pixels = np.full((HEIGHT, WIDTH, 3), 0.5, np.float32)
        pixels[2, 3], pixels[4, 5, 0] = np.nan, np.inf
        source = write_raw(self.folder / "a.exr", Layout(".exr", ("R", "G", "B"), "half"), pixels)
        told = foresee(base_config(), read_parts(source), pixels.reshape(-1, 3), "ACEScg", "ACEScg", "tif-16")
        done = convert(base_config(), source, "ACEScg", "ACEScg", "tif-16", self.folder / "b.tif")
        self.assertEqual(done.not_finite, 4)
        self.assertAlmostEqual(told.not_finite, 4 / pixels.size)

    def test_all_parts_go_into_exr_and_are_refused_elsewhere(self) -> None:
        parts = {
            "beauty": np.random.default_rng(3).random((HEIGHT, WIDTH, 3)).astype(np.float32),
            "depth": np.random.default_rng(4).random((HEIGHT, WIDTH, 1)).astype(np.float32),
        }
        source = write_parts(self.folder / "parts.exr", parts)
        done = convert(base_config(), source, "ACEScg", "ACES2065-1", "exr-float", self.folder / "out.exr")
        ours, theirs = read_headers(self.folder / "out.exr"), read_headers(source)
        self.assertEqual([header.part_name for header in ours], [header.part_name for header in theirs])
        for number, name in enumerate(parts):
            was, names, _ = stored(source, number)
            meant = through_engine(was, names, "", ("ACEScg", "ACES2065-1"))
            np.testing.assert_allclose(stored(self.folder / "out.exr", number)[0], meant, rtol=1e-5, err_msg=name)
        self.assertEqual(done.samples, HEIGHT * WIDTH * 4)
        for format_name in ("png-16", "tif-16", "tx-half"):
            with self.assertRaisesRegex(BadInput, "2 parts .* holds one. Convert it to EXR"):
                convert(base_config(), source, "ACEScg", "ACES2065-1", format_name, self.folder / "no")

    def test_a_data_window_is_kept_in_exr_and_said_to_be_filled_elsewhere(self) -> None:
        for frame in ((3, 2, 30, 20), (-4, -2, 14, 9), (5, -3, 22, 12), (40, 40, 10, 10)):
            pixels = np.random.default_rng(5).random((HEIGHT, WIDTH, 3)).astype(np.float32)
            source = self.folder / "window.exr"
            with writing_parts(source, [Part(WIDTH, HEIGHT, ("R", "G", "B"), ("float",), "", frame)]) as write:
                write(pixels)
            self.assertEqual(read_header(source).frame, frame)
            for format_name in FORMATS:
                target = self.folder / f"out{FORMATS[format_name].suffix}"
                target.unlink(missing_ok=True)
                convert(base_config(), source, "ACEScg", "ACEScg", format_name, target)
                told = foresee(
                    base_config(), read_parts(source), survey(source).sample, "ACEScg", "ACEScg", format_name
                )
                with self.subTest(frame, format=format_name):
                    if format_name.startswith("exr"):
                        self.assertEqual(read_header(target).frame, frame)
                        self.assertEqual(told.notes, ())
                    else:
                        shown = np.zeros((frame[3], frame[2], 3), np.float32)
                        for y, x in np.ndindex(HEIGHT, WIDTH):
                            if 0 <= y + frame[1] < frame[3] and 0 <= x + frame[0] < frame[2]:
                                shown[y + frame[1], x + frame[0]] = pixels[y, x]
                        found, _, _ = stored(target)
                        np.testing.assert_allclose(found, shown, atol=HALF_STEP[FORMATS[format_name].sample_type])
                        self.assertRegex(" ".join(told.notes), "data window is not kept")
                        whole = np.concatenate([strip for _, strip in read_whole_strips(source)])
                        np.testing.assert_array_equal(whole, shown)

    def test_numbers_beside_colour_stay_exact_and_are_not_clipped(self) -> None:
        layout = Layout(".exr", ("R", "G", "B", "Z"), "float")
        pixels = samples_for(layout)
        pixels[..., 3] = np.float32(123456.789)
        source = write_raw(self.folder / "deep.exr", layout, pixels)
        for number, format_name in enumerate(("exr-half", "exr-float", "tx-half")):
            target = self.folder / f"{number}{FORMATS[format_name].suffix}"
            done = convert(base_config(), source, "ACEScg", LINEAR_REC709, format_name, target)
            found, names, _ = stored(target)
            self.assertTrue((found[..., names.index("Z")] == np.float32(123456.789)).all())
            self.assertEqual(done.clipped, 0)

    def test_whole_numbers_of_32_bits_pass_into_exr_alone(self) -> None:
        numbers = np.random.default_rng(11).integers(0, 1 << 32, (4, 4), np.uint32)
        source, target = self.folder / "ids.exr", self.folder / "out.exr"
        colour = {name: np.full((4, 4), 0.25, np.float16) for name in "RGB"}
        with OpenEXR.File({}, {**colour, "id": numbers}) as file:
            file.write(str(source))
        for space in (SRGB, "Raw"):
            with self.subTest(space):
                convert(base_config(), source, "ACEScg" if space == SRGB else "Raw", space, "exr-half", target)
                with OpenEXR.File(str(target), separate_channels=True) as file:
                    found = file.channels()["id"].pixels
                self.assertEqual(found.dtype, np.uint32)
                np.testing.assert_array_equal(found, numbers)
                target.unlink()
        for format_name in ("tx-half", "tif-16"):
            with (
                self.subTest(format_name),
                self.assertRaisesRegex(BadInput, "id in 32-bit.*Convert it to EXR"),
            ):
                convert(base_config(), source, "ACEScg", SRGB, format_name, self.folder / "out")

    def test_channels_that_are_no_colour_are_not_converted_as_one(self) -> None:
        source = write_raw(
            self.folder / "flow.exr", Layout(".exr", ("X", "Q"), "half"), np.zeros((HEIGHT, WIDTH, 2), np.float32)
        )
        with self.assertRaisesRegex(BadInput, "which are no colour. Read it as data"):
            convert(base_config(), source, "ACEScg", SRGB, "exr-half", self.folder / "out.exr")
        convert(base_config(), source, "Raw", "Raw", "exr-half", self.folder / "out.exr")

    def test_a_part_of_depth_passes_beside_one_of_colour(self) -> None:
        depth = np.full((HEIGHT, WIDTH, 1), np.float32(0.4321))
        beauty = np.random.default_rng(3).random((HEIGHT, WIDTH, 3)).astype(np.float32)
        source = self.folder / "parts.exr"
        parts = [
            Part(WIDTH, HEIGHT, ("R", "G", "B"), ("half",), name="beauty"),
            Part(WIDTH, HEIGHT, ("Z",), ("float",), name="depth"),
        ]
        with writing_parts(source, parts) as write:
            write(beauty)
            write(depth)
        for format_name in ("exr-half", "exr-float"):
            target = self.folder / f"{format_name}.exr"
            convert(base_config(), source, "ACEScg", SRGB, format_name, target)
            np.testing.assert_array_equal(stored(target, 1)[0], depth)
        alone = write_raw(self.folder / "z.exr", Layout(".exr", ("Z",), "float"), depth)
        with self.assertRaisesRegex(BadInput, "holds Z, which are no colour. Read it as data"):
            convert(base_config(), alone, "ACEScg", SRGB, "exr-half", self.folder / "no.exr")

    def test_an_alpha_alone_is_a_grey(self) -> None:
        mask = np.random.default_rng(6).random((HEIGHT, WIDTH, 1), dtype=np.float32)
        source = write_raw(self.folder / "mask.exr", Layout(".exr", ("A",), "float"), mask)
        for format_name in FORMATS:
            target = self.folder / f"{format_name}{FORMATS[format_name].suffix}"
            convert(base_config(), source, "Raw", "Raw", format_name, target)
            with self.subTest(format_name):
                np.testing.assert_allclose(stored(target)[0], mask, atol=HALF_STEP[FORMATS[format_name].sample_type])

    def test_the_config_is_asked_once_more_for_what_is_read_back(self) -> None:
        """A file of another space, with the same header, is not taken for the conversion."""
        layout = Layout(".png", ("R", "G", "B"), "uint16")
        source = write_raw(self.folder / "a.png", layout, samples_for(layout))
        target = self.folder / "b.exr"
        convert(base_config(), source, SRGB, "ACEScg", "exr-float", target)
        with self.assertRaisesRegex(BadInput, "nothing is overwritten"):
            convert(base_config(), source, LINEAR_REC709, "ACEScg", "exr-float", target, again=True)
