"""What files say of themselves: header facts by precedence, pixels that testify, and the verdict."""

import struct
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from saltwort.core.findings import CheckedTexture, Finding, Subjects, run_checks
from saltwort.core.images import Facts, Header, measure
from saltwort.core.spaces.gamuts import AP1, P3_D65, REC709
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.core.textures.kinds import COLOUR, DATA, DEFAULT_KIND_WORDS, MAP_KINDS, map_kind_of
from saltwort.core.textures.rules import Assignment, Reason
from saltwort.demo.textures import decoded, eight_bit, noise, normals
from tests.core.test_findings import HEADER, STATS
from tests.core.test_images import ImageTestCase
from tests.samples import (
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    base_config,
    light,
    png_chunk,
    project_config,
    sample_setup,
    write,
)

P3_TEXTURE = "sRGB Encoded P3-D65"


def png_with(path: Path, **chunks: bytes) -> Path:
    """A small PNG with these chunks before its pixels."""

    pixels = zlib.compress(b"".join(b"\0" + bytes(range(24)) for _ in range(8)))
    head = png_chunk(b"IHDR", struct.pack(">IIBBBBB", 8, 8, 8, 2, 0, 0, 0))
    extra = b"".join(png_chunk(name.encode(), content) for name, content in chunks.items())
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + head + extra + png_chunk(b"IDAT", pixels) + png_chunk(b"IEND", b""))
    return path


def profile(name: str) -> bytes:
    """An ICC profile that holds nothing but its name (ICC.1:2022, 7.2 and 10.15)."""
    text = name.encode("utf-16-be")
    described = b"mluc\0\0\0\0" + struct.pack(">II", 1, 12) + b"enUS" + struct.pack(">II", len(text), 28) + text
    body = struct.pack(">I4sII", 1, b"desc", 144, len(described)) + described
    kinds = struct.pack(">I4sI4s4s4s", 128 + len(body), b"none", 0x04300000, b"mntr", b"RGB ", b"XYZ ")
    return kinds + struct.pack(">6H", 2026, 11, 25, 0, 0, 0) + b"acsp" + b"\0" * 88 + body


def write_tagged(path: Path, plugin: str, icc: bytes = b"", **tags: object) -> Path:
    """A picture with header facts that only some formats have."""
    spec = oiio.ImageSpec(8, 8, 3, "uint8")
    if icc:
        spec.attribute("ICCProfile", oiio.TypeDesc(f"uint8[{len(icc)}]"), np.frombuffer(icc, np.uint8))
    for name, value in tags.items():
        spec.attribute(name, value)
    output = oiio.ImageOutput.create(plugin)
    output.open(str(path), spec)
    output.write_image(np.random.default_rng(1).integers(0, 255, (8, 8, 3)).astype(np.uint8))
    output.close()
    return path


class EvidenceTestCase(ImageTestCase):
    def verdict(self, path: Path, name: str | None = None) -> str | None:
        name = name or path.name
        return verdict_of(evidence_for(base_config(), name, map_kind_of(name), measure(path))).space

    def codes(self, path: Path) -> list[str]:
        return [piece.code for piece in evidence_for(base_config(), path.name, map_kind_of(path.name), measure(path))]


class Headers(EvidenceTestCase):
    def test_chunks_of_png_in_their_order_of_precedence(self) -> None:
        srgb, gamma = {"sRGB": b"\0"}, {"gAMA": struct.pack(">I", 45455)}
        linear = {"gAMA": struct.pack(">I", 100_000)}
        p3 = {"cICP": bytes([12, 13, 0, 1])}
        profile = {"iCCP": b"Display P3\0\0" + zlib.compress(b"x")}
        for chunks, code, space in (
            (srgb, "header.srgb", SRGB),
            (gamma, "header.gamma", SRGB),
            (linear, "header.gamma", LINEAR_REC709),
            ({**srgb, **gamma}, "header.srgb", SRGB),
            ({**p3, **srgb}, "header.cicp", P3_TEXTURE),
            ({**profile, **gamma}, "header.icc", P3_TEXTURE),
        ):
            with self.subTest(list(chunks)):
                facts = measure(png_with(self.folder / "x.png", **chunks))
                (said,) = [
                    piece
                    for piece in evidence_for(base_config(), "x.png", None, facts)
                    if piece.code.startswith("header.")
                ]
                self.assertEqual((said.code, said.favours), (code, space))

    def header_says(self, file: Path) -> tuple[str, str] | None:
        pieces = evidence_for(base_config(), "x", None, measure(file))
        return next(((piece.code, piece.favours) for piece in pieces if piece.code.startswith("header.")), None)

    def test_profiles_of_tiff_and_jpeg_exif_and_dpx(self) -> None:
        for plugin, suffix in (("tiff", "tif"), ("jpeg", "jpg")):
            file = write_tagged(self.folder / f"p3.{suffix}", plugin, profile("Display P3"), **{"Exif:ColorSpace": 1})
            self.assertEqual(self.header_says(file), ("header.icc", P3_TEXTURE))
            file = write_tagged(self.folder / f"exif.{suffix}", plugin, **{"Exif:ColorSpace": 1})
            self.assertEqual(self.header_says(file), ("header.exif", SRGB))
        for transfer, favours in (("Linear", LINEAR_REC709), ("Printing density", None)):
            file = write_tagged(self.folder / "a.dpx", "dpx", **{"dpx:Transfer": transfer})
            self.assertEqual(self.header_says(file), favours and ("header.dpx", favours))

    def test_a_picture_shaped_like_surroundings(self) -> None:
        sky = light(50, 100, peak=40.0)
        pieces = evidence_for(base_config(), "x.exr", None, measure(write(self.folder / "x.exr", sky, "half")))
        (said,) = [piece for piece in pieces if piece.code == "pixels.surroundings"]
        self.assertRegex(said.says, r"peaks \d+\.\d stops over its median")
        square = evidence_for(base_config(), "y.exr", None, measure(write(self.folder / "y.exr", sky[:, :50], "half")))
        self.assertNotIn("pixels.surroundings", [piece.code for piece in square])

    def test_damaged_chunks_say_nothing(self) -> None:
        facts = measure(png_with(self.folder / "x.png", sRGB=b"", gAMA=b"\0\0\0\0", cHRM=b"short"))
        self.assertEqual([tag for tag in facts.header.tags if tag.startswith("png:")], [])

    def test_interop_ids_and_chromaticities_of_exr(self) -> None:
        pixels = light(64, 64, 2.0)
        for tags, space in (
            ({"colorInteropID": "lin_rec2020_scene"}, "Linear Rec.2020"),
            ({"chromaticities": REC709.chromaticities}, LINEAR_REC709),
            ({"chromaticities": AP1.chromaticities}, "ACEScg"),
            ({"chromaticities": P3_D65.chromaticities}, "Linear P3-D65"),
            (
                {"chromaticities": (0.1, 0.2, 0.3, 0.4, 0.5, 0.1, 0.3, 0.3)},
                None,
            ),  # of no space: none is put in its place
        ):
            with self.subTest(space):
                self.assertEqual(self.verdict(write(self.folder / "a.exr", pixels, "half", **tags)), space)


class Pixels(EvidenceTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.picture = np.stack([noise(seed, (64, 64), 3) * 0.8 + 0.1 for seed in (1, 2, 3)], axis=-1)

    def test_eight_bits_in_a_float_file_in_both_spacings(self) -> None:
        encoded = write(self.folder / "a_albedo.exr", eight_bit(self.picture), "half")
        self.assertEqual(measure(encoded).stats.linear_steps, 8)
        self.assertIn("pixels.steps", self.codes(encoded))
        self.assertEqual(self.verdict(encoded), SRGB)
        linear = write(self.folder / "b_albedo.exr", decoded(eight_bit(self.picture)), "half")
        stats = measure(linear).stats
        self.assertEqual((stats.linear_steps, stats.encoded_steps), (0, 8))
        self.assertEqual(self.verdict(linear), "ACEScg")

    def test_ten_bits_in_full_floats(self) -> None:
        ten = (np.round(self.picture * 1023) / 1023).astype(np.float32)
        self.assertEqual(measure(write(self.folder / "a.exr", ten, "float")).stats.linear_steps, 10)

    def test_real_floats_and_flat_colours_are_on_no_steps(self) -> None:
        for pixels in (self.picture, np.full((64, 64, 3), 0.5, np.float32)):
            stats = measure(write(self.folder / "a.exr", pixels, "float")).stats
            self.assertEqual((stats.linear_steps, stats.encoded_steps), (0, 0))

    def test_percentiles_levels_and_equal_channels(self) -> None:
        ramp = np.tile(np.linspace(0, 1, 256, dtype=np.float32)[None, :, None], (4, 1, 3))
        stats = measure(write(self.folder / "a.png", ramp, "uint8")).stats
        self.assertEqual((stats.levels, stats.equal_channels), (256, True))
        for found, expected in ((stats.low, 0.01), (stats.median, 0.5), (stats.high, 0.99)):
            np.testing.assert_allclose(found, expected, atol=0.005)
        self.assertFalse(measure(write(self.folder / "b.png", self.picture, "uint8")).stats.equal_channels)

    def test_which_way_green_points(self) -> None:
        height = noise(7, (128, 128), 6)
        up = normals(height)  # as in most renderers: green is up the picture
        down = up.copy()
        down[..., 1] = 1 - down[..., 1]
        for pixels, sign in ((up, -1), (down, 1)):
            stats = measure(write(self.folder / "n_normal.png", pixels, "uint16")).stats
            self.assertGreater(stats.green * sign, 0.5)
            self.assertAlmostEqual(stats.vector_length, 1, places=3)
            self.assertGreater(stats.direction[2], 0.5)

    def test_the_verdict_by_kind_and_samples(self) -> None:
        for kind in MAP_KINDS.values():
            word = next(word for word, key in DEFAULT_KIND_WORDS if key == kind.key)
            space = verdict_of(
                evidence_for(base_config(), f"x_{word}.png", map_kind_of(f"x_{word}.png"), Facts(HEADER, STATS))
            ).space
            self.assertEqual(space == "Raw", kind.group == DATA, kind)
        hdr = Facts(Header("HDR", 4, 2, ("R", "G", "B"), "float", "none", {}), STATS)
        self.assertEqual(verdict_of(evidence_for(base_config(), "x.hdr", None, hdr)).space, LINEAR_REC709)

    def test_a_config_with_nothing_that_fits_gives_no_opinion(self) -> None:
        raw = ocio.Config.CreateRaw()
        evidence = evidence_for(raw, "x.png", None, Facts(HEADER, STATS))
        self.assertEqual((verdict_of(evidence).space, verdict_of(evidence).is_sure), (None, False))

    def test_a_header_written_by_habit_does_not_make_colour_of_data(self) -> None:
        path = write(self.folder / "a_roughness.exr", self.picture, "half", colorInteropID="lin_ap1_scene")
        self.assertEqual(self.verdict(path), "Raw")


UNDECLARED = "primaries-not-declared"


class Findings(EvidenceTestCase):
    """Each finding on a case made for it, and on one like it that is right."""

    def found(self, path: str, space: str, facts: Facts) -> dict[str, Finding]:
        kind = map_kind_of(path)
        evidence = tuple(evidence_for(project_config(), path, kind, facts))
        texture = CheckedTexture(path, kind, Assignment(space, Reason("rule", 0, "r")), facts, evidence)
        subjects = Subjects(project_config(), sample_setup(), textures=[texture])
        findings = run_checks(subjects)
        return {row.code.removeprefix("texture."): row for row in findings if row.code.startswith("texture.")}

    def exr(self, **tags: object) -> Header:
        return replace(HEADER, format="EXR", bit_depth="half", tags=dict(tags))

    def test_encoded_and_linear(self) -> None:
        steps = Facts(self.exr(), replace(STATS, linear_steps=8))
        found = self.found("wall_albedo.exr", "ACEScg", steps)
        self.assertEqual(set(found), {"encoded-read-as-linear", "eight-bit-in-float"})
        self.assertEqual(found["encoded-read-as-linear"].fix.arguments["space"], SRGB)
        self.assertEqual(set(self.found("wall_albedo.exr", SRGB, steps)), {"eight-bit-in-float"})
        bright = Facts(self.exr(), replace(STATS, above_one=0.1, median=(0.6,) * 3))
        self.assertEqual(set(self.found("flame_emission.exr", SRGB, bright)), {"linear-read-as-encoded"})
        self.assertEqual(set(self.found("flame_emission.exr", "Linear Rec.2020", bright)), {UNDECLARED})

    def test_primaries_headers_and_names(self) -> None:
        rec709 = Facts(self.exr(chromaticities=REC709.chromaticities), STATS)
        found = self.found("lamp_emission.exr", "ACEScg", rec709)
        self.assertEqual(found["wrong-primaries"].fix.arguments["space"], LINEAR_REC709)
        self.assertEqual(self.found("lamp_emission.exr", LINEAR_REC709, rec709), {})
        p3 = Facts(replace(HEADER, tags={"CICP": (12.0, 13.0, 0.0, 1.0)}), STATS)
        self.assertEqual(set(self.found("rope_albedo.png", SRGB, p3)), {"header-disagrees"})
        self.assertEqual(self.found("rope_albedo.png", P3_TEXTURE, p3), {})
        named = Facts(self.exr(), STATS)
        self.assertEqual(set(self.found("glass_lin_rec709_emission.exr", "ACEScg", named)), {"name-space-mismatch"})
        self.assertEqual(self.found("glass_lin_rec709_emission.exr", LINEAR_REC709, named), {})

    def test_environments_and_reflectance(self) -> None:
        clipped = Facts(self.exr(), replace(STATS, max=(1.0, 1.0, 0.9)))
        self.assertEqual(set(self.found("dusk_sky.exr", "ACEScg", clipped)), {"clipped-light", UNDECLARED})
        sunny = Facts(self.exr(), replace(STATS, max=(900.0, 380.0, 120.0), above_one=0.01))
        self.assertEqual(set(self.found("dusk_sky.exr", "ACEScg", sunny)), {UNDECLARED})
        for stats in (replace(STATS, high=(0.99,) * 3, max=(1.0,) * 3), replace(STATS, median=(0.05,) * 3)):
            found = self.found("wall_albedo.png", SRGB, Facts(HEADER, stats))
            self.assertEqual(set(found), {"reflectance-out-of-range"})
        self.assertEqual(self.found("wall_albedo.png", SRGB, Facts(HEADER, STATS)), {})

    def test_a_base_colour_decoded_from_a_display(self) -> None:
        facts = Facts(HEADER, STATS)
        self.assertEqual(set(self.found("wall_albedo.png", SRGB_DISPLAY, facts)), {"inverted-view"})
        self.assertEqual(self.found("harbour_plate.png", SRGB_DISPLAY, facts), {})  # right for a plate

    def test_values(self) -> None:
        cases = (
            ("wall_rough.exr", "Raw", replace(STATS, non_finite=3), "non-finite"),
            ("sky_plate.exr", "ACEScg", replace(STATS, below_zero=0.01, min=(-0.2, 0.0, 0.0)), "negative"),
            ("wall_normal.png", "Raw", replace(STATS, unit_vectors=0.4), "normals-not-unit"),
        )
        for path, space, stats, code in cases:
            with self.subTest(code):
                header = self.exr() if path.endswith("exr") else HEADER
                self.assertEqual(set(self.found(path, space, Facts(header, stats))) - {UNDECLARED}, {code})
        below = replace(STATS, below_zero=0.4, min=(-0.5,) * 3)
        self.assertEqual(self.found("wall_disp.exr", "Raw", Facts(self.exr(), below)), {})
        deep = replace(HEADER, bit_depth="16-bit")
        self.assertEqual(self.found("wall_normal.png", "Raw", Facts(deep, replace(STATS, unit_vectors=0.99))), {})

    def test_notes_on_data(self) -> None:
        in_8_bits = Facts(HEADER, replace(STATS, unit_vectors=0.99))
        self.assertEqual(set(self.found("wall_normal.png", "Raw", in_8_bits)), {"eight-bit-normals"})
        deep = Facts(replace(HEADER, bit_depth="16-bit"), replace(STATS, unit_vectors=0.99))
        self.assertEqual(self.found("wall_normal.png", "Raw", deep), {})
        tagged = Facts(replace(HEADER, tags={"png:sRGB": 0}), STATS)
        found = self.found("wall_rough.png", "Raw", tagged)
        self.assertEqual(set(found), {"data-tagged-as-colour"})
        self.assertIn("Its sRGB chunk says sRGB.", found["data-tagged-as-colour"].why)
        self.assertEqual(self.found("wall_albedo.png", SRGB, tagged), {})

    def test_a_letter_at_the_end_of_a_name(self) -> None:
        for path, kinds in (
            ("wall_N.png", ["normal"]),
            ("wall_D_1001.png", ["base_colour", "displacement"]),
            ("wall_r_4k.png", ["roughness"]),
            ("set/wall.M.1002.png", ["metalness", "mask"]),
            ("wall_H.png", ["displacement"]),
            ("wall_S.png", ["specular_colour", "roughness"]),
            ("wall_X.png", None),
            ("wallN.png", None),
            ("wall_N_albedo.png", None),
        ):
            with self.subTest(path):
                found = self.found(path, SRGB, Facts(HEADER, STATS)).get("letter-in-name")
                fixes = [found.fix, *found.also] if found else []
                offered = [fix.arguments["kind"] for fix in fixes] if found else None
                self.assertEqual(offered and sorted(offered), kinds and sorted(kinds))
        # The word that is clear is no letter.
        self.assertEqual(map_kind_of("wall_AO.png").kind.key, "occlusion")

    def test_colour_kinds_are_no_data(self) -> None:
        self.assertEqual({kind.group for kind in MAP_KINDS.values()}, {COLOUR, DATA, "light"})
