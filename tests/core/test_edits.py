"""Spaces named and described otherwise, looks from files, the order of displays and views, and what changes say."""

from dataclasses import replace
from hashlib import sha256
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.changes import Change
from saltwort.core.configs import compare
from saltwort.core.configs.additions import AddedLook, AddedSpace, known_interop_ids
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.configs.look_files import MAX_CDL_BYTES, looks_from_file
from saltwort.core.configs.trim import Trim
from saltwort.core.configs.written_changes import config_changes
from saltwort.core.engine import ViewChoice, load_config, space_processor, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup, compose, with_space_edits
from saltwort.core.textures.rules import RuleBook
from tests.core.test_findings_configs import cube
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    project_config,
    sample_setup,
)

CORRECTION = """<ColorCorrection id="{id}">
<SOPNode><Description>dusk</Description>
<Slope>1.1 1 0.9</Slope><Offset>0.01 0 0</Offset><Power>1 1 1.2</Power></SOPNode>
<SatNode><Saturation>0.8</Saturation></SatNode></ColorCorrection>"""
COLLECTION = '<ColorCorrectionCollection xmlns="urn:ASC:CDL:v1.01">{}</ColorCorrectionCollection>'


def composed(setup: Setup, luts: dict[str, bytes] | None = None) -> ocio.Config:
    return load_config(compose(base_archive(), setup, "sample", luts))


class SpaceEdits(TestCase):
    def test_a_renamed_space_is_found_by_both_names_wherever_it_is_used(self) -> None:
        edit = SpaceEdit("ACEScg", "Quay Light", aliases=("quay",), family="Quay", description="Ours")
        setup = with_space_edits(sample_setup(), (edit,))
        self.assertEqual(setup.working_space, "Quay Light")
        config = composed(setup)
        space = config.getColorSpace("scene_linear")
        self.assertEqual((space.getName(), space.getFamily(), space.getDescription()), ("Quay Light", "Quay", "Ours"))
        for alias in ("ACEScg", "quay", "lin_ap1"):
            self.assertEqual(config.getColorSpace(alias).getName(), "Quay Light")
        book = RuleBook(config, setup.rules, setup.default_space, setup.kind_words)
        self.assertEqual(book.assign("lamp.exr").space, "Quay Light")
        self.assertEqual(
            list(config.getColorSpaceNames()).index("Quay Light"),
            list(project_config().getColorSpaceNames()).index("ACEScg"),
        )

    def test_nothing_changes_its_colours(self) -> None:
        edits = (SpaceEdit("ACEScg", "Quay Light"), SpaceEdit(SRGB, family="Paint"))
        edited = compose(base_archive(), with_space_edits(sample_setup(), edits), "sample")
        found = compare(compose(base_archive(), sample_setup(), "sample"), edited)
        changed = {row.what for row in found.differences if row.kind != "renamed"}
        self.assertLessEqual(changed, {"file rule"})  # rules say the new name

    def test_a_display_space_can_be_renamed(self) -> None:
        config = composed(replace(sample_setup(), space_edits=(SpaceEdit(SRGB_DISPLAY, "Desk Monitor"),)))
        processor = view_processor(config, "ACEScg", ACES_SDR)
        expected = view_processor(project_config(), "ACEScg", ACES_SDR)
        self.assertEqual(processor.applyRGB([0.4, 0.2, 0.1]), expected.applyRGB([0.4, 0.2, 0.1]))

    def test_taking_an_edit_out_names_everything_as_before(self) -> None:
        setup = replace(sample_setup(), roles=(("texture_paint", "ACEScg"),), trim=Trim(("ACEScg",), (UNTONED,)))
        there = with_space_edits(setup, (SpaceEdit("ACEScg", "Quay Light"),))
        self.assertEqual((there.roles[0][1], there.trim.spaces), ("Quay Light", ("Quay Light",)))
        self.assertEqual(with_space_edits(there, (SpaceEdit("ACEScg", "Dock Light"),)).working_space, "Dock Light")
        self.assertEqual(with_space_edits(there, ()), setup)

    def test_data_is_marked(self) -> None:
        config = composed(replace(sample_setup(), space_edits=(SpaceEdit("Linear P3-D65", is_data=True),)))
        self.assertTrue(config.getColorSpace("Linear P3-D65").isData())

    def test_refusals(self) -> None:
        cases = (
            (SpaceEdit("Nowhere", "a"), "no colour space “Nowhere”"),
            (SpaceEdit("lin_ap1", "a"), "no colour space “lin_ap1”"),  # edits go by names alone
            (SpaceEdit("ACEScg", SRGB), "something named"),
            (SpaceEdit("ACEScg", aliases=("scene_linear",)), "something named|already"),
            (SpaceEdit("ACEScg", "a,b"), "needs a name"),
            (SpaceEdit("ACEScg", encoding="wet"), "an encoding is one of"),
        )
        for edit, words in cases:
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(replace(sample_setup(), space_edits=(edit,)))


class InteropIds(TestCase):
    def test_the_engines_definition_in_any_config(self) -> None:
        self.assertIn("ocio:arrilogc4_awg4_scene", known_interop_ids())
        spaces = (
            AddedSpace("Camera", interop_id="ocio:arrilogc4_awg4_scene"),
            AddedSpace("Twin", interop_id="lin_rec709_scene"),
            AddedSpace("Maps", interop_id="data"),
        )
        config = composed(replace(sample_setup(), added_spaces=spaces))
        self.assertEqual(config.getColorSpace("Camera").getInteropID(), "ocio:arrilogc4_awg4_scene")
        self.assertEqual(config.getColorSpace("Camera").getEncoding(), "log")
        self.assertTrue(config.getColorSpace("Maps").isData())
        twin = space_processor(config, "Twin", "ACES2065-1").applyRGB([0.2, 0.5, 1.3])
        like = space_processor(config, LINEAR_REC709, "ACES2065-1").applyRGB([0.2, 0.5, 1.3])
        np.testing.assert_allclose(twin, like, rtol=1e-6)

    def test_one_that_nobody_knows(self) -> None:
        with self.assertRaisesRegex(BadInput, "does not know the interop ID"):
            composed(replace(sample_setup(), added_spaces=(AddedSpace("x", interop_id="nonsense"),)))


class Curves(TestCase):
    def test_standard_curves(self) -> None:
        """Middle grey and white by each standard's own formula."""
        rec709 = sample_setup()
        cases = (
            ("rec709", 0.409008, 0.18),  # BT.709: 1.099 · 0.18^0.45 − 0.099
            ("acescct", 0.413588, 0.18),  # S-2016-001: (log2 0.18 + 9.72) / 17.52
            ("pq", 0.508078, 1.0),  # ST 2084: 100 cd/m²
        )
        for curve, code, light in cases:
            space = AddedSpace("x", (0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329), curve)
            config = composed(replace(rec709, added_spaces=(space,)))
            found = space_processor(config, "x", LINEAR_REC709).applyRGB([code] * 3)
            np.testing.assert_allclose(found, [light] * 3, rtol=2e-4)


class LookFiles(TestCase):
    def test_a_single_correction(self) -> None:
        (look,) = looks_from_file("dusk-03.cc", CORRECTION.format(id="shot:12").encode())
        self.assertEqual((look.name, look.saturation, look.description), ("shot 12", 0.8, "dusk"))
        np.testing.assert_allclose((look.slope, look.power), ((1.1, 1, 0.9), (1, 1, 1.2)), rtol=1e-6)
        config = composed(replace(sample_setup(), added_looks=(look,)))
        lit = view_processor(config, "ACEScg", replace(UNTONED, look="shot 12")).applyRGB([0.18] * 3)
        self.assertNotEqual(lit, view_processor(config, "ACEScg", UNTONED).applyRGB([0.18] * 3))

    def test_a_collection_and_a_decision_list(self) -> None:
        two = COLLECTION.format(CORRECTION.format(id="a") + CORRECTION.format(id="b"))
        self.assertEqual([look.name for look in looks_from_file("all.ccc", two.encode())], ["a", "b"])
        decision = f"<ColorDecisionList><ColorDecision>{CORRECTION.format(id='c')}</ColorDecision></ColorDecisionList>"
        self.assertEqual([look.name for look in looks_from_file("all.cdl", decision.encode())], ["c"])

    def test_a_lut_is_packed_with_the_config_and_works(self) -> None:
        content = cube(33)
        (look,) = looks_from_file("Film Print.cube", content)
        self.assertEqual(look, AddedLook("Film Print", lut="Film Print.cube", lut_sha256=sha256(content).hexdigest()))
        setup = replace(sample_setup(), added_looks=(replace(look, process_space="ACEScct"),))
        archive = compose(base_archive(), setup, "sample", {look.lut_sha256: content})
        (path,) = archive.files
        self.assertRegex(path, r"^luts/Film_Print_[0-9a-f]{8}\.cube$")
        config = load_config(archive)
        shown = view_processor(config, "ACEScg", replace(UNTONED, look=look.name)).applyRGB([0.18] * 3)
        plain = view_processor(config, "ACEScg", UNTONED).applyRGB([0.18] * 3)
        np.testing.assert_allclose(shown, plain, atol=1e-4)  # the cube changes nothing

    def test_refusals(self) -> None:
        bomb = b'<!DOCTYPE x [<!ENTITY a "' + b"ha" * 500 + b'">]><ColorCorrection>&a;</ColorCorrection>'
        cases = (
            ("x.exr", b"", "no look file"),
            ("x.cc", b"hello", "no ASC CDL"),
            ("x.cc", bomb, "no ASC CDL|holds 0|corrections"),
            ("x.ccc", COLLECTION.format("").encode(), "holds 0|no ASC CDL"),
            ("x.ccc", b" " * (MAX_CDL_BYTES + 1), "too large"),
            ("x.cube", b"LUT_3D_SIZE 33\n0 0 0\n", "does not load as a LUT"),
            ("x.clf", b"<ProcessList/>", "does not load as a LUT"),
        )
        for name, content, words in cases:
            with self.subTest(name=name, words=words), self.assertRaisesRegex(BadInput, words):
                looks_from_file(name, content)


class Order(TestCase):
    def test_active_displays_and_views_in_the_order_given(self) -> None:
        displays = ("Display P3 - Display", SRGB_DISPLAY)
        views = ("Raw", "Un-tone-mapped", ACES_SDR.view)
        config = composed(replace(sample_setup(), displays=displays, views=views, view=UNTONED))
        self.assertEqual(list(config.getDisplays()), [SRGB_DISPLAY, "Display P3 - Display"])
        self.assertEqual(list(config.getViews(SRGB_DISPLAY)), ["Un-tone-mapped", "Raw", ACES_SDR.view])

    def test_what_cannot_be(self) -> None:
        for changes, words in (
            ({"displays": ("Nowhere",)}, "no display “Nowhere”"),
            ({"views": ("Nowhere",)}, "no view “Nowhere”"),
            ({"displays": ("Display P3 - Display",)}, "no display “sRGB - Display”"),
            ({"views": ("Raw",)}, "has no view"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                composed(replace(sample_setup(), **changes))


class Changes(TestCase):
    def changes(self, setup: Setup) -> list[Change]:
        return config_changes(project_config(), composed(setup))

    def test_no_change_says_nothing(self) -> None:
        self.assertEqual(self.changes(sample_setup()), [])

    def test_each_thing_in_words(self) -> None:
        setup = sample_setup()
        (rename,) = (SpaceEdit("ACES2065-1", "Archive", family="Ours"),)
        cases = (
            (replace(setup, working_space="Linear Rec.2020"), Change("role scene_linear", "ACEScg", "Linear Rec.2020")),
            (replace(setup, added_spaces=(AddedSpace("Maps", interop_id="data"),)), Change("space Maps", "", "new")),
            (replace(setup, space_edits=(rename,)), Change("space ACES2065-1", "ACES2065-1", "Archive")),
            (replace(setup, space_edits=(rename,)), Change("family of Archive", "ACES", "Ours")),
            (replace(setup, target_version="2.5"), Change("OCIO version", "2.6", "2.5")),
            (replace(setup, added_looks=(AddedLook("Warm"),)), Change("look Warm", "", "new")),
            (replace(setup, rules=setup.rules[:-1]), Change("rule HDR files", "* hdr Linear Rec.709 (sRGB)", "")),
            (replace(setup, rules=setup.rules[::-1]), Change("rule Data maps", "place 1", "place 4")),
            (
                replace(setup, view=UNTONED),
                Change("default view", f"{ACES_SDR.view} on {SRGB_DISPLAY}", f"{UNTONED.view} on {SRGB_DISPLAY}"),
            ),
            (
                replace(setup, views=("Raw", ACES_SDR.view)),
                Change(f"view Un-tone-mapped on {SRGB_DISPLAY}", "Un-tone-mapped", ""),
            ),
        )
        for changed, expected in cases:
            with self.subTest(expected.what):
                self.assertIn(expected, self.changes(changed))

    def test_a_redefined_space_and_an_order(self) -> None:
        other = composed(replace(sample_setup(), view=ViewChoice("Display P3 - Display", "Raw")))
        whats = [change.what for change in config_changes(project_config(), other)]
        self.assertIn("order of displays", whats)
        config = load_config(base_archive())
        space = config.getColorSpace("Linear P3-D65")
        space.setTransform(ocio.MatrixTransform(), ocio.COLORSPACE_DIR_TO_REFERENCE)
        config.addColorSpace(space)
        told = config_changes(load_config(base_archive()), config)
        self.assertEqual(told, [Change("definition of Linear P3-D65", "as it was", "defined differently")])
