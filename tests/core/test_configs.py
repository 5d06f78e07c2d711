"""Composing, describing and exporting configs."""

import tempfile
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import (
    describe,
    environment_lines,
    packed,
    screen_view,
    working_spaces,
    write_config,
)
from saltwort.core.configs.additions import OWN_LOOKS
from saltwort.core.configs.export import archive_suffix
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import carried, compose, first_setup
from saltwort.core.textures.rules import Rule
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    base_config,
    light,
    project_config,
    sample_setup,
)

OLD_CONFIG = """ocio_profile_version: 1
search_path: luts
roles:
  default: raw
  scene_linear: lin
displays:
  screen:
    - !<View> {name: Plain, colorspace: raw}
colorspaces:
  - !<ColorSpace>
    name: raw
    isdata: true
  - !<ColorSpace>
    name: lin
"""


class FirstSetup(TestCase):
    def test_of_the_newest_built_in_config(self) -> None:
        setup = sample_setup()
        self.assertEqual((setup.working_space, setup.view, setup.default_space), ("ACEScg", ACES_SDR, SRGB))
        self.assertEqual([rule.kind for rule in setup.rules], ["map_kind", "space_in_path", "glob", "glob"])

    def test_of_a_config_with_little_in_it(self) -> None:
        config = load_config(OLD_CONFIG)
        setup = first_setup("sha256:0", config)
        self.assertEqual((setup.working_space, setup.default_space), ("lin", "lin"))
        self.assertEqual(
            load_config(compose(ConfigArchive(OLD_CONFIG), setup, "old")).getColorSpaceFromFilepath("a_rough.png")[0],
            "raw",
        )

    def test_of_a_config_without_scene_linear_space(self) -> None:
        with self.assertRaisesRegex(BadInput, "no scene-linear colour space"):
            first_setup("sha256:0", ocio.Config.CreateRaw())


class Composing(TestCase):
    def composed(self, **changes: object) -> ocio.Config:
        return load_config(compose(base_archive(), replace(sample_setup(), **changes), "sample"))

    def test_working_space_becomes_the_rendering_role(self) -> None:
        for space in ("ACEScg", LINEAR_REC709, "Linear Rec.2020"):
            self.assertEqual(self.composed(working_space=space).getColorSpace("scene_linear").getName(), space)

    def test_rules_are_real_file_rules_in_their_order(self) -> None:
        rules = (
            Rule("plates first", "glob", LINEAR_REC709, pattern="*plate*", extension="exr"),
            Rule("all EXR", "glob", "ACES2065-1", pattern="*", extension="exr"),
        )
        config = self.composed(rules=rules, default_space="Raw")
        self.assertEqual(config.getColorSpaceFromFilepath("a_plate.exr"), (LINEAR_REC709, 0))
        self.assertEqual(config.getColorSpaceFromFilepath("b.exr"), ("ACES2065-1", 1))
        self.assertEqual(config.getColorSpaceFromFilepath("c.png"), ("Raw", 2))

    def test_the_chosen_view_is_the_default_and_nothing_is_lost(self) -> None:
        for view in base_config().getViews(SRGB_DISPLAY):
            config = self.composed(view=ViewChoice(SRGB_DISPLAY, view))
            self.assertEqual(config.getDefaultDisplay(), SRGB_DISPLAY)
            self.assertEqual(config.getDefaultView(SRGB_DISPLAY), view)
            for display in base_config().getDisplays():
                self.assertEqual(set(config.getViews(display)), set(base_config().getViews(display)))

    def test_an_hdr_display_keeps_its_hdr_default(self) -> None:
        config = self.composed(view=UNTONED)
        self.assertEqual(
            config.getDefaultView("Rec.2100-PQ - Display"), base_config().getDefaultView("Rec.2100-PQ - Display")
        )

    def test_another_display_comes_first(self) -> None:
        config = self.composed(view=ViewChoice("Rec.2100-PQ - Display", "Raw"))
        self.assertEqual(config.getDefaultDisplay(), "Rec.2100-PQ - Display")
        self.assertEqual(config.getDefaultView("Rec.2100-PQ - Display"), "Raw")

    def test_colours_are_those_of_the_base_config(self) -> None:
        pixels = light(8, 8)
        for source in ("ACEScg", SRGB, "Linear Rec.2020"):
            for view in (ACES_SDR, UNTONED):
                expected, found = pixels.copy(), pixels.copy()
                transform = ocio.DisplayViewTransform(src=source, display=view.display, view=view.view)
                base_config().getProcessor(transform).getDefaultCPUProcessor().applyRGB(expected)
                project_config().getProcessor(transform).getDefaultCPUProcessor().applyRGB(found)
                np.testing.assert_array_equal(found, expected)

    def test_what_the_base_config_lacks_is_refused_by_name(self) -> None:
        rule = Rule("lost", "glob", "Nowhere", pattern="*", extension="exr")
        cases = {
            "no colour space “Nowhere”": {"working_space": "Nowhere"},
            "not scene-linear": {"working_space": SRGB},
            "no view": {"view": ViewChoice(SRGB_DISPLAY, "Nowhere")},
            "no display": {"view": ViewChoice("Nowhere", "Raw")},
            "no look": {"view": ViewChoice(SRGB_DISPLAY, "Raw", "Nowhere")},
            "Rule 1, “lost”": {"rules": (rule,)},
            "no colour space “Elsewhere”": {"default_space": "Elsewhere"},
        }
        for words, changes in cases.items():
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                self.composed(**changes)


class Describing(TestCase):
    def test_lists(self) -> None:
        described = describe(project_config())
        self.assertEqual(described.name, "sample")
        self.assertEqual(len(described.spaces), len(project_config().getColorSpaceNames()))
        self.assertEqual(described.spaces[0].reference, "scene")
        self.assertEqual(described.spaces[-1].reference, "display")
        roles = {role.name: role for role in described.roles}
        self.assertEqual(roles["scene_linear"].space, "ACEScg")
        self.assertTrue(all(role.use for role in described.roles))
        raw = next(space for space in described.spaces if space.name == "Raw")
        self.assertTrue(raw.is_data)
        self.assertEqual(raw.interop_id, "data")
        self.assertEqual(described.displays[0].name, SRGB_DISPLAY)

    def test_working_spaces_are_linear_and_the_usual_ones_come_first(self) -> None:
        spaces = working_spaces(base_config())
        self.assertEqual(spaces[:3], ["ACEScg", LINEAR_REC709, "Linear Rec.2020"])
        self.assertEqual(len(spaces), len(set(spaces)))
        for encoded in (SRGB, "ACEScct", "Raw"):
            self.assertNotIn(encoded, spaces)

    def test_thumbnails_are_drawn_on_an_srgb_screen(self) -> None:
        hdr = "ACES 2.0 - HDR 1000 nits (Rec.2020)"
        self.assertEqual(screen_view(base_config(), ViewChoice("Rec.2100-PQ - Display", hdr)), ACES_SDR)
        self.assertEqual(screen_view(base_config(), UNTONED), UNTONED)
        plain = ViewChoice("screen", "Plain")
        self.assertEqual(screen_view(load_config(OLD_CONFIG), plain), plain)


class Exporting(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.archive = compose(base_archive(), sample_setup(), "sample")

    def test_every_form_loads_in_the_engine_from_disk_with_the_same_numbers(self) -> None:
        written = [
            write_config(self.archive, self.folder / "a.ocioz"),
            write_config(self.archive, self.folder / "folder"),
        ]
        self.assertEqual(written[1], self.folder / "folder" / "config.ocio")
        transform = ocio.DisplayViewTransform(src=SRGB, display=ACES_SDR.display, view=ACES_SDR.view)
        expected = project_config().getProcessor(transform).getDefaultCPUProcessor().applyRGB([0.2, 0.5, 0.9])
        for file in written:
            config = ocio.Config.CreateFromFile(str(file))
            config.validate()
            self.assertEqual(
                config.getProcessor(transform).getDefaultCPUProcessor().applyRGB([0.2, 0.5, 0.9]), expected
            )
            self.assertEqual(config.getColorSpaceFromFilepath("wall_rough.exr")[0], "Raw")

    def test_the_zip_holds_the_config_alone_and_is_always_the_same(self) -> None:
        file = write_config(self.archive, self.folder / "a.zip")
        with zipfile.ZipFile(file) as archive:
            self.assertEqual(archive.namelist(), ["config.ocio"])
            self.assertEqual(archive.read("config.ocio").decode(), self.archive.text)
        self.assertEqual(packed(self.archive), file.read_bytes())

    def test_a_path_that_cannot_be_written(self) -> None:
        (self.folder / "taken").touch()
        with self.assertRaisesRegex(BadInput, "cannot be written"):
            write_config(self.archive, self.folder / "taken" / "a.ocioz")

    def test_environment_lines_for_each_shell(self) -> None:
        lines = environment_lines("/show/quay.ocioz")
        self.assertEqual(lines["Linux (bash)"], 'export OCIO="/show/quay.ocioz"')
        self.assertEqual(lines["Windows (PowerShell)"], '$env:OCIO = "/show/quay.ocioz"')
        self.assertTrue(any(name.startswith("macOS") for name in lines))

    def test_old_configs_load_and_export(self) -> None:
        archive = compose(ConfigArchive(OLD_CONFIG), first_setup("sha256:0", load_config(OLD_CONFIG)), "old")
        file = write_config(archive, self.folder / "old")
        self.assertEqual(ocio.Config.CreateFromFile(str(file)).getName(), "old")

    def test_no_archive_is_written_for_those_that_read_none(self) -> None:
        for version in ("2.0", "2.1", "2.2", "2.3"):
            archive = compose(base_archive(), replace(sample_setup(), target_version=version), "x")
            with self.subTest(version):
                self.assertEqual(archive_suffix(version), ".zip" if version < "2.2" else ".ocioz")
                if version < "2.2":
                    with self.assertRaisesRegex(BadInput, f"OCIO {version} reads no .ocioz"):
                        write_config(archive, self.folder / "a.ocioz")
                    self.assertFalse((self.folder / "a.ocioz").exists())
                    write_config(archive, self.folder / "a.zip")
                else:
                    write_config(archive, self.folder / "b.ocioz")

    def test_a_look_goes_along_to_another_config(self) -> None:
        """Its process space is carried by meaning; where the config has none like it, the look is named, or acts in the
        config's own space for grading."""
        other = load_config(builtin_text("cg-config-v1.0.0_aces-v1.3_ocio-v2.1"))
        base = "builtin:cg-config-v1.0.0_aces-v1.3_ocio-v2.1"
        for space, there in ((SRGB, "sRGB - Texture"), ("ACEScct", "ACEScct"), ("sRGB Encoded P3-D65", "")):
            setup = replace(sample_setup(), added_looks=(replace(OWN_LOOKS[0], process_space=space),))
            moved = carried(setup, base_config(), other, first_setup(base, other))
            with self.subTest(space):
                self.assertEqual(moved.added_looks[0].process_space, there)
                compose(ConfigArchive(builtin_text("cg-config-v1.0.0_aces-v1.3_ocio-v2.1")), moved, "x")
        with self.assertRaisesRegex(BadInput, "look “Lamplight” acts in “nowhere”"):
            compose(
                base_archive(),
                replace(sample_setup(), added_looks=(replace(OWN_LOOKS[0], process_space="nowhere"),)),
                "x",
            )
