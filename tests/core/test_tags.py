"""What files say of their colour: every display and view written and read back as itself, and what others declare."""

import io
import struct
import unittest
from dataclasses import replace

import numpy as np
import PyOpenColorIO as ocio
from PIL import ImageCms

from saltwort.core.configs.matching import encoding_of, spaces_with
from saltwort.core.engine import ViewChoice, builtin_text, load_config
from saltwort.core.engine.measured import space_of_view
from saltwort.core.findings import CheckedRender, CheckedTexture, Subjects, run_checks
from saltwort.core.images import Facts, encode_png, read_header
from saltwort.core.images.png import png_tags
from saltwort.core.scene.renders import render_space
from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import DISPLAY_ENCODINGS, SCENE_ENCODINGS, by_code_points
from saltwort.core.spaces.gamuts import AP0, AP1, P3_D65, REC709, Gamut, rgb_to_rgb, rgb_to_xyz
from saltwort.core.spaces.icc import D50, read_profile, write_profile
from saltwort.core.textures.converting import convert
from saltwort.core.textures.declared import declared
from saltwort.core.textures.evidence import evidence_for, verdict_of
from saltwort.core.textures.kinds import map_kind_of
from saltwort.core.textures.rules import Assignment, Reason, RuleBook
from tests.core.test_evidence import png_with, write_tagged
from tests.core.test_findings import HEADER, STATS
from tests.core.test_images import ImageTestCase
from tests.samples import LINEAR_REC709, SRGB, base_config, light, project_config, sample_setup, write, write_still

STILLS = ((".png", "uint8"), (".tif", "uint16"), (".jpg", "uint8"), (".exr", "half"))
COLOUR_TAGS = ("png:", "icc:", "CICP", "color", "chrom")
STUDIO = "studio-config-v4.0.0_aces-v2.0_ocio-v2.5"
GREYS = np.linspace(0, 1, 11)


def studio() -> ocio.Config:
    return load_config(builtin_text(STUDIO))


class TheTable(unittest.TestCase):
    """Core's table of encodings against the engine's own spaces of the same interop ID."""

    def test_curves_and_primaries_are_the_engines(self) -> None:
        config = studio()
        for encodings, interchange, to_interchange in (
            (DISPLAY_ENCODINGS, "cie_xyz_d65_interchange", rgb_to_xyz),
            (SCENE_ENCODINGS, "aces_interchange", lambda gamut: rgb_to_rgb(gamut, AP0)),
        ):
            for encoding in encodings:
                processor = config.getProcessor(encoding.interop_id, interchange).getDefaultCPUProcessor()
                colours = np.repeat(GREYS[:, None], 3, axis=1)
                if encoding.curve.kind != curves.HLG:  # whose light depends on all three
                    colours = np.vstack([colours, np.random.default_rng(1).random((20, 3))])
                for colour in colours:
                    found = np.array(processor.applyRGB(colour.tolist()))
                    meant = to_interchange(encoding.gamut) @ encoding.curve.decode(colour)
                    with self.subTest(encoding.interop_id):
                        # The engine's powers are fast ones, good to some 3e-5.
                        np.testing.assert_allclose(found, meant, atol=5e-5 * max(1.0, meant.max()))

    def test_every_known_space_is_found_by_its_colours_alone(self) -> None:
        config = studio()
        for encoding in (*DISPLAY_ENCODINGS, *SCENE_ENCODINGS):
            space = config.getColorSpace(encoding.interop_id).getName()
            with self.subTest(encoding.interop_id):
                self.assertIn(space, spaces_with(config, encoding.gamut, encoding.curve))
                self.assertEqual(encoding_of(config, space), encoding)

    def test_camera_gamuts_are_found_and_near_ones_are_not_taken_for_each_other(self) -> None:
        config, linear = studio(), Curve(curves.LINEAR)
        for space, numbers in (
            ("Linear ARRI Wide Gamut 3", (0.684, 0.313, 0.221, 0.848, 0.0861, -0.102, 0.3127, 0.329)),
            ("Linear S-Gamut3", (0.73, 0.28, 0.14, 0.855, 0.1, -0.05, 0.3127, 0.329)),
            ("ACEScg", (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.322, 0.338)),  # three decimals
        ):
            pairs = [(numbers[at], numbers[at + 1]) for at in (0, 2, 4, 6)]
            self.assertEqual(spaces_with(config, Gamut("", *pairs), linear), [space])
        for name, numbers in FOREIGN.items():
            pairs = [(numbers[at], numbers[at + 1]) for at in (0, 2, 4, 6)]
            with self.subTest(name):
                self.assertEqual(spaces_with(config, Gamut("", *pairs), linear), [])

    def test_code_points(self) -> None:
        self.assertEqual(by_code_points(9, 16), ((DISPLAY_ENCODINGS[6].gamut, Curve(curves.PQ)),))
        self.assertEqual([curve.label for _, curve in by_code_points(1, 1)], ["power 2.4", "BT.709 camera curve"])
        self.assertEqual(by_code_points(3, 13), ())


FOREIGN = {
    "ROMM": (0.7347, 0.2653, 0.1596, 0.8404, 0.0366, 0.0001, 0.3457, 0.3585),
    "P3-DCI": (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.314, 0.351),
    "P3-D60": (0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.32168, 0.33767),
    "Rec.709 with D50": (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3457, 0.3585),
    "AP1 with D65": (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.3127, 0.329),
    "CIE XYZ": (1.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.33333, 0.33333),
}
"""Primaries that no space of the configs has."""


class Profiles(unittest.TestCase):
    def test_a_profile_is_read_as_it_was_written(self) -> None:
        for encoding in (*DISPLAY_ENCODINGS, *SCENE_ENCODINGS):
            profile = read_profile(write_profile(encoding))
            with self.subTest(encoding.interop_id):
                self.assertEqual(
                    (profile.description, profile.code_points), (encoding.interop_id, encoding.code_points)
                )
                if encoding.curve.kind in (curves.PQ, curves.HLG):
                    continue
                self.assertEqual(profile.curve.kind, encoding.curve.kind)
                codes = np.linspace(0, 1, 50)
                np.testing.assert_allclose(profile.curve.decode(codes), encoding.curve.decode(codes), atol=1e-3)

    def test_profiles_are_those_of_an_independent_library(self) -> None:
        """Little CMS reads the same primaries; its own sRGB profile is understood."""
        for encoding in DISPLAY_ENCODINGS:
            read = ImageCms.ImageCmsProfile(io.BytesIO(write_profile(encoding))).profile
            self.assertEqual(read.profile_description, encoding.interop_id)
            ours = read_profile(write_profile(encoding)).gamut
            for column, primary in zip(
                (read.red_colorant, read.green_colorant, read.blue_colorant), range(3), strict=True
            ):
                x, y = column[1][:2]
                np.testing.assert_allclose((x, y), ours.chromaticities[2 * primary : 2 * primary + 2], atol=1e-4)
            np.testing.assert_allclose(read.media_white_point[1][:2], D50, atol=1e-3)
        made = read_profile(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
        self.assertEqual(spaces_with(studio(), made.gamut, made.curve)[0], SRGB)

    def test_profiles_made_at_random_do_no_harm(self) -> None:
        whole = bytearray(write_profile(DISPLAY_ENCODINGS[0]))
        rng = np.random.default_rng(20261126)
        for _ in range(2000):
            damaged = bytearray(whole[: int(rng.integers(1, len(whole) + 1))])
            for place in rng.integers(0, len(damaged), int(rng.integers(1, 12))):
                damaged[place] = int(rng.integers(0, 256))
            found = read_profile(bytes(damaged))
            if found and found.gamut:
                self.assertTrue(np.isfinite(found.gamut.chromaticities).all())


class EveryDisplayAndView(ImageTestCase):
    def test_written_and_read_as_itself_or_untagged(self) -> None:
        source = write(self.folder / "render.exr", light(6, 8, 1.0), "half")
        for config in (studio(), project_config()):
            for display in config.getDisplays():
                for view in config.getViews(display):
                    choice = ViewChoice(display, view)
                    for suffix, sample_type in (
                        (".png", "uint8"),
                        (".tif", "uint16"),
                        (".jpg", "uint8"),
                        (".exr", "half"),
                    ):
                        with self.subTest(display, view=view, suffix=suffix):
                            self.check(config, source, choice, suffix, sample_type)

    def check(self, config: ocio.Config, source, choice: ViewChoice, suffix: str, sample_type: str) -> None:
        target = self.folder / f"still{suffix}"
        written = write_still(config, source, "ACEScg", choice, target, sample_type=sample_type)
        said = declared(config, read_header(target))
        space = space_of_view(config, choice)
        if space is None:
            self.assertIsNone(said)
            self.assertFalse(
                [tag for tag in written.tags if tag.startswith(("png:", "icc:", "CICP", "color", "chrom"))]
            )
            return
        # A texture space of the same primaries and curve is the same encoding.
        self.assertEqual(said.meaning, (encoding_of(config, space).gamut, encoding_of(config, space).curve))
        self.assertIn(said.space, [space, *spaces_with(config, *said.meaning)])
        if suffix != ".png":
            self.assertEqual(said.space, space)
            return
        chunks = png_tags(target)
        if "png:sRGB" in chunks:
            self.assertEqual(encoding_of(config, space).interop_id, "srgb_rec709_display")
            self.assertAlmostEqual(chunks["png:gAMA"], 2.2, places=2)
            np.testing.assert_allclose(chunks["png:cHRM"], REC709.chromaticities, atol=1e-4)
            self.assertNotIn("png:iCCP", chunks)
        else:
            self.assertNotIn("png:gAMA", chunks)
            self.assertNotIn("png:cHRM", chunks)

    def test_pictures_for_the_screen_say_nothing(self) -> None:
        (self.folder / "a.png").write_bytes(encode_png(light(4, 4, 1.0)))
        self.assertEqual(png_tags(self.folder / "a.png"), {})
        self.assertNotIn("CICP", read_header(self.folder / "a.png").tags)

    def test_converted_textures_say_what_they_hold(self) -> None:
        source = write(self.folder / "a.png", light(8, 8, 1.0), "uint16")
        for number, (into, format_name) in enumerate(
            (space, name)
            for space in ("ACEScg", LINEAR_REC709, SRGB, "sRGB Encoded P3-D65", "Raw")
            for name in ("png-16", "tif-16", "exr-half")
        ):
            suffix = {"png-16": ".png", "tif-16": ".tif", "exr-half": ".exr"}[format_name]
            target = self.folder / f"{number}{suffix}"
            convert(base_config(), source, "Raw" if into == "Raw" else SRGB, into, format_name, target)
            said = declared(base_config(), read_header(target))
            with self.subTest(into, format=format_name):
                self.assertEqual(said and said.space, None if into == "Raw" else into)


class Declarations(ImageTestCase):
    def verdict(self, path):
        facts = Facts(read_header(path), STATS)
        return verdict_of(evidence_for(base_config(), "harbour.exr", None, facts))

    def test_primaries_of_no_space_are_told_and_never_replaced(self) -> None:
        for name, numbers in FOREIGN.items():
            path = write(self.folder / "a.exr", light(64, 64, 4.0), "half", chromaticities=numbers)
            said = declared(base_config(), read_header(path))
            with self.subTest(name):
                self.assertIsNone(said.space)
                self.assertIn("this config does not have", said.says)
                self.assertIsNone(self.verdict(path).space)
                facts = Facts(read_header(path), STATS)
                texture = CheckedTexture(
                    "harbour.exr",
                    None,
                    Assignment("ACEScg", Reason("default", None, "")),
                    facts,
                    tuple(evidence_for(base_config(), "harbour.exr", None, facts)),
                )
                renders = [CheckedRender("dusk.exr", "ACEScg", facts)]
                subjects = Subjects(base_config(), sample_setup(), textures=[texture], renders=renders)
                for code in ("texture.space-not-in-config", "render.space-not-in-config"):
                    (finding,) = run_checks(subjects, code)
                    self.assertEqual(finding.fix.operation, "add-space")
                    asked = tuple(map(float, finding.fix.arguments["chromaticities"].split()))
                    np.testing.assert_allclose(asked, numbers, atol=1e-5)

    def test_primaries_that_the_config_has_are_found(self) -> None:
        for numbers, space in ((AP1.chromaticities, "ACEScg"), (P3_D65.chromaticities, "Linear P3-D65")):
            path = write(self.folder / "a.exr", light(64, 64, 4.0), "half", chromaticities=numbers)
            self.assertEqual(declared(base_config(), read_header(path)).space, space)
            self.assertEqual(self.verdict(path).space, space)

    def test_renders_and_textures_ask_the_same(self) -> None:
        book = RuleBook(base_config(), (), "ACEScg")
        for tags in (
            {"chromaticities": P3_D65.chromaticities},
            {"colorInteropID": "lin_rec2020_scene"},
            {"colorInteropID": "srgb_p3d65_scene"},
        ):
            header = read_header(write(self.folder / "a.exr", light(8, 8), "half", **tags))
            self.assertEqual(
                render_space(base_config(), book, "dusk.exr", header).space, declared(base_config(), header).space
            )

    def test_png_chunks_are_weighed(self) -> None:
        def chroma(gamut: Gamut) -> bytes:
            red, green, blue, white = (gamut.chromaticities[at : at + 2] for at in (0, 2, 4, 6))
            return struct.pack(">8I", *(round(value * 100_000) for pair in (white, red, green, blue) for value in pair))

        gamma = {power: struct.pack(">I", round(100_000 / power)) for power in (1.0, 2.2, 2.4)}
        config = studio()
        for chunks, space in (
            ({"cHRM": chroma(P3_D65), "gAMA": gamma[2.2]}, "sRGB Encoded P3-D65"),
            ({"cHRM": chroma(AP1), "gAMA": gamma[1.0]}, "ACEScg"),
            ({"cHRM": chroma(P3_D65)}, "sRGB Encoded P3-D65"),
            ({"gAMA": gamma[1.0]}, LINEAR_REC709),
            ({"gAMA": gamma[2.4]}, "Gamma 2.4 Encoded Rec.709"),
            ({"cICP": bytes((12, 16, 0, 1))}, "ST2084-P3-D65 - Display"),
            ({"cICP": bytes((9, 18, 0, 1))}, "Rec.2100-HLG - Display"),
            ({"cICP": bytes((1, 1, 0, 1))}, "Gamma 2.4 Encoded Rec.709"),
            ({"cICP": bytes((11, 13, 0, 1))}, None),
            ({"cICP": bytes((9, 16, 0, 0))}, None),  # narrow range
            ({"cICP": bytes((2, 2, 0, 1)), "sRGB": b"\0"}, SRGB),  # unspecified: what else is said counts
        ):
            with self.subTest(list(chunks)):
                self.assertEqual(declared(config, read_header(png_with(self.folder / "x.png", **chunks))).space, space)

    def test_profiles_in_tiff_and_jpeg(self) -> None:
        for plugin, suffix in (("tiff", "tif"), ("jpeg", "jpg"), ("png", "png")):
            for encoding in SCENE_ENCODINGS:
                path = write_tagged(self.folder / f"a.{suffix}", plugin, write_profile(encoding))
                said = declared(studio(), read_header(path))
                with self.subTest(encoding.interop_id, plugin=plugin):
                    self.assertEqual(said.space, studio().getColorSpace(encoding.interop_id).getName())

    def test_an_unknown_interop_id_is_told(self) -> None:
        path = write(self.folder / "a.exr", light(8, 8), "half", colorInteropID="lin_harbour_scene")
        said = declared(base_config(), read_header(path))
        self.assertEqual((said.space, said.meaning), (None, None))
        header = Facts(read_header(path), STATS)
        texture = CheckedTexture("a.exr", None, Assignment("ACEScg", Reason("default", None, "")), header)
        (finding,) = run_checks(
            Subjects(base_config(), sample_setup(), textures=[texture]), "texture.space-not-in-config"
        )
        self.assertIsNone(finding.fix)

    def test_a_word_that_means_something_else_too(self) -> None:
        """`robot_arm` is no packed map when its channels are those of a surface."""
        surface = replace(
            STATS,
            correlation=(0.9,) * 3,
            at_ends=(0.0,) * 3,
            colours=900,
            low=(0.1,) * 3,
            max=(0.8,) * 3,
            median=(0.5,) * 3,
        )
        facts, kind = Facts(HEADER, surface), map_kind_of("robot_arm.png")
        self.assertEqual((kind.kind.key, kind.channels), ("packed", ("occlusion", "roughness", "metalness")))
        evidence = tuple(evidence_for(base_config(), "robot_arm.png", kind, facts))
        texture = CheckedTexture("robot_arm.png", kind, Assignment("Raw", Reason("rule", 0, "data")), facts, evidence)
        subjects = Subjects(base_config(), sample_setup(), textures=[texture])
        (finding,) = run_checks(subjects, "texture.looks-like-colour")
        self.assertEqual(finding.fix.arguments["space"], SRGB)
