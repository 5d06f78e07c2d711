"""Findings about configs, their sources and LUTs."""

from dataclasses import replace
from unittest import TestCase

import PyOpenColorIO as ocio

from saltwort.core.configs import lowered
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config
from saltwort.core.findings import (
    Subjects,
    run_checks,
)
from tests.core.test_archives import LUT, config_with_luts
from tests.core.test_configs import OLD_CONFIG
from tests.core.test_explain import STUDIO
from tests.core.test_findings import found
from tests.samples import (
    ACES_SDR,
    GAMUT_COMPRESSION,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    base_text,
    fresh_config,
    project_config,
    sample_setup,
)


class Configs(TestCase):
    """Each check of configs: on a config made wrong in that one way, and on those that ship with the engine."""

    def codes_of(self, config: ocio.Config, **setup: object) -> dict[str, list[str]]:
        found: dict[str, list[str]] = {}
        for finding in run_checks(Subjects(config, replace(sample_setup(), **setup))):
            if finding.code.startswith("config."):
                found.setdefault(finding.code, []).append(finding.subject)
        return found

    def reloaded(self, config: ocio.Config, files: dict[str, bytes] | None = None) -> ocio.Config:
        return load_config(ConfigArchive(config.serialize(), files or {}))

    def test_the_engines_configs_are_clean(self) -> None:
        for name in (STUDIO, "cg-config-v1.0.0_aces-v1.3_ocio-v2.1"):
            config = load_config(builtin_text(name))
            view = ViewChoice(SRGB_DISPLAY, config.getDefaultView(SRGB_DISPLAY))
            self.assertEqual(self.codes_of(config, view=view), {})

    def test_missing_interchange_roles(self) -> None:
        config = load_config(OLD_CONFIG)
        view = ViewChoice("screen", "Plain")
        subjects = self.codes_of(config, view=view)["config.no-interchange-role"]
        self.assertEqual(set(subjects), {"aces_interchange", "cie_xyz_d65_interchange"})
        config = load_config(lowered(base_archive(), "2.0").archive)
        config.setRole("aces_interchange", None)
        (finding,) = found("config.no-interchange-role", config=load_config(config.serialize()))
        self.assertEqual(finding.fix.arguments, {"role": "aces_interchange", "space": "ACES2065-1"})

    def test_data_that_is_not_marked(self) -> None:
        config = fresh_config()
        power = ocio.ExponentTransform([2.0] * 3 + [1.0])
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "masks", toReference=power)
        space.setEncoding("data")
        config.addColorSpace(space)
        self.assertEqual(self.codes_of(config)["config.data-not-marked"], ["masks"])
        (finding,) = found("config.data-not-marked", config=config)
        self.assertEqual(finding.fix.arguments, {"space": "masks"})

    def test_a_display_wider_than_the_working_space(self) -> None:
        config = fresh_config()
        config.setRole("scene_linear", LINEAR_REC709)
        narrow = {"working_space": LINEAR_REC709, "view": ViewChoice("Display P3 - Display", "Raw")}
        self.assertEqual(self.codes_of(config, **narrow)["config.gamut-narrower-than-display"], [LINEAR_REC709])
        self.assertNotIn("config.gamut-narrower-than-display", self.codes_of(config, view=UNTONED))
        setup = replace(sample_setup(), **narrow)
        (finding,) = found("config.gamut-narrower-than-display", config=config, setup=setup)
        self.assertEqual(finding.fix.arguments, {"space": "ACEScg"})

    def test_doubles(self) -> None:
        config = fresh_config()
        like = ocio.ColorSpaceTransform("ACES2065-1", SRGB)
        twin = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "twin", fromReference=like)
        twin.setEncoding("sdr-video")
        config.addColorSpace(twin)
        config.addDisplayView(SRGB_DISPLAY, "Numbers", "Raw", "")
        config.setActiveViews("")
        found = self.codes_of(self.reloaded(config))
        self.assertEqual(len(found["config.same-space-twice"]), 1)
        self.assertEqual(len(found["config.same-view-twice"]), 1)

    def test_missing_luts_and_circles_are_told_apart(self) -> None:
        config = load_config(ConfigArchive(config_with_luts(), {"luts/curve.spi1d": LUT}))
        self.assertEqual(self.codes_of(config), {"config.lut-missing": ["broken"]})
        config = fresh_config()
        for name, other in (("egg", "hen"), ("hen", "egg")):
            transform = ocio.ColorSpaceTransform(other, "ACES2065-1")
            config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, toReference=transform))
        self.assertEqual(self.codes_of(self.reloaded(config)), {"config.cannot-be-computed": ["egg", "hen"]})

    def test_paths_that_cannot_be_packed(self) -> None:
        config = fresh_config()
        config.setSearchPath("$SHOW/luts:luts")
        lut = ocio.FileTransform("../film.cube")
        config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "film", fromReference=lut))
        self.assertFalse(self.reloaded(config).isArchivable())
        self.assertEqual(self.codes_of(self.reloaded(config))["config.not-archivable"], ["$SHOW/luts", "../film.cube"])

    def test_what_a_target_version_cannot_hold(self) -> None:
        made = lowered(base_archive(), "2.0")
        subjects = {"config": load_config(made.archive), "replacements": made.replacements}
        setup = replace(sample_setup(), target_version="2.0")
        findings = found("config.replaced-for-target", setup=setup, **subjects)
        told = [finding.subject for finding in findings]
        self.assertIn(f"view transform {ACES_SDR.view}", told)
        self.assertIn(f"look {GAMUT_COMPRESSION}", told)
        self.assertNotIn(f"space {SRGB_DISPLAY}", told)  # exact


class Sources(TestCase):
    """The text that a project starts from."""

    def findings(self, text: str) -> dict[str, str]:
        given = Subjects(project_config(), sample_setup(), base_text=text)
        return {f.code: f.subject for f in run_checks(given) if f.code.startswith("source.")}

    def test_the_engines_own_are_clean(self) -> None:
        self.assertEqual(self.findings(base_text()), {})
        self.assertEqual(self.findings(""), {})

    def test_a_working_space_that_is_missing_or_not_linear(self) -> None:
        role = "  scene_linear: ACEScg\n"
        self.assertEqual(self.findings(base_text().replace(role, "")), {"source.no-working-space": "scene_linear"})
        gamma = base_text().replace(role, f"  scene_linear: {SRGB}\n")
        self.assertEqual(self.findings(gamma), {"source.no-working-space": SRGB})
        by_alias = base_text().replace(role, "  scene_linear: lin_rec709\n")
        self.assertEqual(self.findings(by_alias), {})

    def test_names_that_differ_by_case(self) -> None:
        text = base_text().replace("name: Linear P3-D65\n", "name: ACESCG\n")
        self.assertEqual(self.findings(text), {"source.names-differ-by-case": "ACEScg"})

    def test_a_default_rule_that_leads_nowhere(self) -> None:
        rule = "{name: Default, colorspace: sRGB - Display}"
        self.assertIn(rule, base_text())
        text = base_text().replace(rule, "{name: Default, colorspace: default}")
        self.assertEqual(self.findings(text), {"source.default-rule-leads-nowhere": "default"})
        self.assertEqual(self.findings(base_text().replace(rule, "{name: Default, colorspace: data}")), {})


def spi1d(points: int, top: float = 1.0) -> bytes:
    values = "\n".join(f"{index / (points - 1)}" for index in range(points))
    return f"Version 1\nFrom 0 {top}\nLength {points}\nComponents 1\n{{\n{values}\n}}\n".encode()


def cube(edge: int) -> bytes:
    steps = [index / (edge - 1) for index in range(edge)]
    rows = (f"{red} {green} {blue}" for blue in steps for green in steps for red in steps)
    return f"LUT_3D_SIZE {edge}\n".encode() + "\n".join(rows).encode() + b"\n"


class Luts(TestCase):
    def findings(self, code: str, files: dict[str, bytes], *spaces: ocio.ColorSpace, look: ocio.Look = None) -> list:
        config = fresh_config()
        config.setSearchPath(".")
        for space in spaces:
            config.addColorSpace(space)
        if look:
            config.addLook(look)
        loaded = load_config(ConfigArchive(config.serialize(), files))
        return [finding.subject for finding in found(code, config=loaded)]

    def log_space(self, file: str) -> ocio.ColorSpace:
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "film log", toReference=ocio.FileTransform(file))
        space.setEncoding("log")
        return space

    def test_a_curve_on_a_logarithm_needs_points(self) -> None:
        for points, expected in ((256, ["film log"]), (1024, [])):
            files = {"log.spi1d": spi1d(points)}
            self.assertEqual(self.findings("lut.too-few-points", files, self.log_space("log.spi1d")), expected)

    def test_so_does_a_cube_behind_a_log_curve(self) -> None:
        log = ocio.LogTransform(2.0, ocio.TRANSFORM_DIR_FORWARD)
        chain = ocio.GroupTransform([log, ocio.FileTransform("film.cube")])
        for edge, expected in ((9, ["film"]), (33, [])):
            space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "film", fromReference=chain)
            self.assertEqual(self.findings("lut.too-few-points", {"film.cube": cube(edge)}, space), expected)

    def test_a_look_on_light_is_cut_off(self) -> None:
        lut = ocio.FileTransform("look.cube")
        for process, expected in (("ACEScg", ["Film"]), ("ACEScct", [])):
            look = ocio.Look(name="Film", processSpace=process, transform=lut)
            self.assertEqual(self.findings("lut.out-of-range", {"look.cube": cube(33)}, look=look), expected)

    def test_a_curve_that_reaches_far_enough_is_not(self) -> None:
        for top, expected in ((1.0, ["film"]), (64.0, [])):
            lut = ocio.FileTransform("film.spi1d")
            space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "film", fromReference=lut)
            space.setEncoding("log")
            self.assertEqual(self.findings("lut.out-of-range", {"film.spi1d": spi1d(2048, top)}, space), expected)

    def test_a_missing_one_is_another_checks(self) -> None:
        self.assertEqual(self.findings("lut.too-few-points", {}, self.log_space("lost.spi1d")), [])
