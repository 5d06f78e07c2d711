"""A config written for an older OCIO version: what stays exact, what is baked, what is left out, and how far off."""

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import compare, prove_equal, write_config
from saltwort.core.configs.additions import AddedSpace
from saltwort.core.configs.target import BAKED, EXACT, LEFT_OUT, VERSIONS, Lowered, lowered
from saltwort.core.engine import ConfigArchive, ViewChoice, apply, load_config, space_processor
from saltwort.core.errors import BadInput
from saltwort.core.project import compose, compose_in_steps
from saltwort.core.views import AddedView
from tests.core.test_explain import STUDIO
from tests.core.test_trim import STUDIO_ARCHIVE
from tests.samples import ACES_SDR, GAMUT_COMPRESSION, SRGB_DISPLAY, base_archive, fresh_config, sample_setup

DOCS = Path(__file__).parents[2] / "docs"
PQ = "Rec.2100-PQ - Display"


def version_of(archive: ConfigArchive) -> str:
    config = load_config(archive)
    return f"{config.getMajorVersion()}.{config.getMinorVersion()}"


def guide() -> str:
    """What the guide says of configs, in one line."""
    return " ".join((DOCS / "guide" / "config.md").read_text().split())


def fates(made: Lowered) -> dict[str, str]:
    return {replacement.name: replacement.fate for replacement in made.replacements}


class TargetVersions(TestCase):
    def test_every_version_loads_and_says_so(self) -> None:
        for version in VERSIONS:
            with self.subTest(version):
                made = lowered(base_archive(), version)
                self.assertEqual(version_of(made.archive), version)

    def test_what_needs_no_more_stays_to_the_byte(self) -> None:
        made = lowered(base_archive(), "2.6")
        self.assertEqual((made.archive, made.replacements), (base_archive(), ()))

    def test_plain_operations_give_the_same_colours(self) -> None:
        made = lowered(base_archive(), "2.4")  # the displays' mirrored curves came with 2.5, the renderings with 2.4
        self.assertEqual(fates(made)["sRGB - Display"], EXACT)
        self.assertEqual(dict(made.archive.files), {})
        self.assertNotIn(BAKED, fates(made).values())
        self.assertEqual(compare(base_archive(), made.archive).differences, ())

    def test_renderings_are_baked_within_a_known_distance(self) -> None:
        made = lowered(base_archive(), "2.1")
        self.assertEqual(fates(made)[ACES_SDR.view], BAKED)
        differences = {row.name: row for row in compare(base_archive(), made.archive).differences}
        sdr = differences[f"{ACES_SDR.view} on {SRGB_DISPLAY}"]
        # The proof colours are harder than pictures: 20 stops, negatives, the spectral locus. As the guide states it.
        self.assertEqual(sdr.metric, "ΔE 2000")
        self.assertLess(sdr.mean, 0.2)
        self.assertLess(sdr.largest, 3.0)
        hdr = differences[f"ACES 2.0 - HDR 1000 nits (Rec.2020) on {PQ}"]
        self.assertLess(hdr.mean, 1.0)
        self.assertEqual({row.what for row in differences.values()}, {"view"})
        figures = []
        for metric in ("ΔE 2000", "ΔE ITP"):
            rows = [row for row in differences.values() if row.metric == metric]
            figures += [
                f"{max(row.mean for row in rows):.1f} {metric} on average and {max(row.largest for row in rows):.1f}"
            ]
        for figure in figures:
            self.assertIn(f"by {figure} at most", guide())

    def test_a_look_with_nothing_to_hold_it_is_left_out_and_told(self) -> None:
        made = lowered(base_archive(), "2.0")
        self.assertEqual(fates(made)[GAMUT_COMPRESSION], LEFT_OUT)
        self.assertEqual(list(load_config(made.archive).getLookNames()), [])

    def test_a_view_goes_with_its_look(self) -> None:
        config = fresh_config()
        config.addDisplayView(SRGB_DISPLAY, "Compressed", SRGB_DISPLAY, GAMUT_COMPRESSION)
        config.setActiveViews("")
        made = lowered(ConfigArchive(config.serialize()), "2.0")
        self.assertEqual(fates(made)[f"Compressed on {SRGB_DISPLAY}"], LEFT_OUT)
        self.assertNotIn("Compressed", load_config(made.archive).getViews(SRGB_DISPLAY))

    def test_interop_ids_go_before_25_and_are_counted(self) -> None:
        made = lowered(base_archive(), "2.4")
        self.assertEqual(fates(made)["of 27 spaces"], LEFT_OUT)
        self.assertNotIn("interop_id", made.archive.text)
        self.assertNotIn("of 27 spaces", fates(lowered(base_archive(), "2.5")))

    def test_every_space_of_the_studio_config_keeps_its_numbers(self) -> None:
        self.assertIn("studio", STUDIO)
        made = lowered(STUDIO_ARCHIVE, "2.0")
        left_out = {name for name, fate in fates(made).items() if fate == LEFT_OUT}
        self.assertEqual(left_out - {GAMUT_COMPRESSION}, {name for name in left_out if name.startswith("of ")})
        differences = compare(STUDIO_ARCHIVE, made.archive).differences
        for row in differences:
            if row.what == "space":
                # A curve baked with a value for every half float: half floats have steps of 1/1024.
                self.assertLess(row.largest, 2e-3, row)
        largest = max(row.largest for row in differences if row.metric == "ΔE ITP")
        self.assertIn(f"({largest:.1f} in the studio config)", guide())

    def test_a_space_that_goes_and_is_a_role_is_refused(self) -> None:
        config = fresh_config()
        hue = ocio.GradingHueCurveTransform(ocio.GRADING_LOG)
        config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "hued", toReference=hue))
        archive = ConfigArchive(config.serialize())
        self.assertEqual(fates(lowered(archive, "2.3"))["hued"], LEFT_OUT)
        config.setRole("texture_paint", "hued")
        with self.assertRaisesRegex(BadInput, "role texture_paint"):
            lowered(ConfigArchive(config.serialize()), "2.3")

    def test_a_version_there_is_not(self) -> None:
        for version in ("1.0", "2.7", "two", ""):
            with self.assertRaisesRegex(BadInput, "Choose one of 2.0"):
                lowered(base_archive(), version)

    def test_a_setup_is_written_for_its_target_after_trimming(self) -> None:
        views = (AddedView(SRGB_DISPLAY, "AgX", "agx"),)
        setup = replace(sample_setup(), added_views=views, view=ViewChoice(SRGB_DISPLAY, "AgX"), target_version="2.2")
        made = compose_in_steps(base_archive(), setup, "sample")
        self.assertEqual((version_of(made.whole), version_of(made.written)), ("2.6", "2.2"))
        agx = [row for row in compare(made.whole, made.written).differences if row.name.startswith("AgX")]
        self.assertEqual(agx, [])  # it is made of plain operations and a 1D LUT


class Undone(TestCase):
    """Spaces that undo a view, written for versions in which that view is a LUT."""

    def test_they_decode_by_the_exact_inverse_and_say_how_far_off_it_is(self) -> None:
        colours = np.random.default_rng(20261126).random((1, 8000, 3), dtype=np.float32)
        space = AddedSpace("undone", display=SRGB_DISPLAY, view=ACES_SDR.view)
        setup = replace(sample_setup(), added_spaces=(space,))
        whole = load_config(compose(base_archive(), setup, "x"))
        exact = apply(space_processor(whole, "undone", "ACEScg"), colours)[0]
        for version in ("2.1", "2.2", "2.3"):
            made = compose_in_steps(base_archive(), replace(setup, target_version=version), "x", {})
            (told,) = [part for part in made.replacements if part.name == "undone"]
            self.assertEqual((told.what, told.fate), ("space", "baked"))
            self.assertRegex(told.why, r"Half of its colours come within 0\.\d\d%, nine of ten within \d\.\d%")
            lowered = load_config(made.written)
            found = apply(space_processor(lowered, "undone", "ACEScg"), colours)[0]
            off = np.abs(found - exact).max(axis=1) / np.abs(exact).max(axis=1)
            with self.subTest(version):
                self.assertLess(np.median(off), 0.002)  # it was 0.008 with the LUT of the view undone
                self.assertLess(np.quantile(off, 0.9), 0.02)  # and 0.24
                # There and back through the view, which is a LUT of its own.
                back = apply(space_processor(lowered, "ACEScg", "undone"), found[None])[0]
                self.assertLess(np.median(np.abs(back - colours[0])), 0.01)


class Exported(TestCase):
    """What is written loads from disk in silence, and gives every colour that it gives here."""

    def test_every_space_and_view_from_disk(self) -> None:
        views = (AddedView(SRGB_DISPLAY, "AgX", "agx"), AddedView(PQ, "Filmic", "filmic"))
        for version in ("", "2.2"):
            setup = replace(sample_setup(), added_views=views, target_version=version)
            archive = compose(base_archive(), setup, "sample")
            inside = load_config(archive)
            for name in ("sample.ocioz", "sample"):
                with self.subTest(version=version, name=name), tempfile.TemporaryDirectory() as folder:
                    said: list[str] = []
                    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_INFO)
                    ocio.SetLoggingFunction(said.append)
                    self.addCleanup(ocio.ResetToDefaultLoggingFunction)
                    outside = ocio.Config.CreateFromFile(str(write_config(archive, Path(folder) / name)))
                    outside.validate()
                    self.assertEqual(said, [])
                    spaces = outside.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
                    shown = [
                        ViewChoice(display, view)
                        for display in outside.getDisplays()
                        for view in outside.getViews(display)
                    ]
                    proof = prove_equal(inside, outside, spaces, shown)
                    self.assertEqual((proof.largest, proof.unproved), (0.0, ()))
                    self.assertGreater(proof.compared, 40)
