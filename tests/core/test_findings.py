"""Every check of textures, rules and views: one case that it finds, and one like it that it leaves alone."""

from collections.abc import Callable
from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.engine.measured import AP0_TO_XYZ_D65
from saltwort.core.engine.transforms import matrix_transform
from saltwort.core.findings import (
    CheckedRender,
    CheckedTexture,
    DrawnOff,
    Finding,
    Subjects,
    codes,
    run_checks,
)
from saltwort.core.findings.registry import check
from saltwort.core.images import Facts, Header, Stats
from saltwort.core.project import Setup, compose
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.kinds import DATA, MAP_KINDS, map_kind_of
from saltwort.core.textures.rules import Assignment, Reason, Rule
from saltwort.core.views import AddedView
from saltwort.core.views.families import agx, filmic
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    base_archive,
    fresh_config,
    project_config,
    sample_setup,
)
from tools.findings_page import PAGE, page

ACES_P3 = "ACES 2.0 - SDR 100 nits (P3 D65)"
HEADER = Header("PNG", 64, 64, ("R", "G", "B"), "8-bit", "none", {})
STATS = Stats(
    (0.0,) * 3,
    (0.9,) * 3,
    (0.5,) * 3,
    below_zero=0.0,
    above_one=0.0,
    non_finite=0,
    unit_vectors=0.0,
    low=(0.1,) * 3,
    median=(0.5,) * 3,
    high=(0.8,) * 3,
    levels=200,
    linear_steps=0,
    encoded_steps=0,
    equal_channels=False,
    vector_length=0.0,
    direction=(0.0, 0.0, 0.0),
    green=0.0,
)


def found(code: str, **subjects: object) -> list[Finding]:
    given = Subjects(project_config(), sample_setup())
    return [finding for finding in run_checks(replace(given, **subjects)) if finding.code == code]


def subjects_found(code: str, **subjects: object) -> list[str]:
    return sorted(finding.subject for finding in found(code, **subjects))


def with_swatches(*swatches: Swatch) -> Setup:
    return ScenePart.with_value(sample_setup(), Scene(swatches=swatches))


def texture(path: str, space: str, stats: Stats = STATS, header: Header = HEADER) -> CheckedTexture:
    kind, facts = map_kind_of(path), Facts(header, stats)
    evidence = tuple(evidence_for(project_config(), path, kind, facts))
    return CheckedTexture(
        path, kind, Assignment(space, Reason("rule", 0, sample_setup().rules[0].name)), facts, evidence
    )


class Extensions(TestCase):
    def test_a_file_of_another_format_than_its_name_says(self) -> None:
        for path, format_name, is_wrong in (
            ("a/wall_col.exr", "JPEG", True),
            ("a/wall_col.PNG", "PNG", False),
            ("a/wall_col.jpeg", "JPEG", False),
            ("a/wall_col.tif", "TIFF", False),
            ("a/wall_col.tx", "EXR", False),
            ("a/wall_col.tx", "TIFF", False),
            ("a/wall_col.tx", "PNG", True),
            ("a/wall_col", "PNG", False),
            ("a/wall_col.v2", "PNG", False),
            ("a/wall_col.hdr", "EXR", True),
        ):
            with self.subTest(path, format=format_name):
                wrong = texture(path, SRGB, header=replace(HEADER, format=format_name))
                self.assertEqual(
                    subjects_found("texture.wrong-extension", textures=[wrong]), [path] if is_wrong else []
                )


class Registry(TestCase):
    def test_a_clean_project_has_no_findings(self) -> None:
        self.assertEqual(run_checks(Subjects(project_config(), sample_setup())), [])

    def test_codes_are_complete_and_in_order(self) -> None:
        listed = [code.code for code in codes()]
        self.assertEqual(listed, sorted(listed))
        for code in codes():
            self.assertRegex(code.code, r"^[a-z]+\.[a-z-]+$")
            self.assertTrue(code.meaning.endswith("."))

    def test_the_page_of_findings_is_that_of_the_registry(self) -> None:
        self.assertEqual(PAGE.read_text(), page())

    def test_a_code_is_taken_once(self) -> None:
        with self.assertRaises(ValueError):
            check("texture.data-read-as-colour", "note")(lambda subjects: iter(()))

    def test_worst_come_first(self) -> None:
        findings = run_checks(
            Subjects(
                project_config(),
                sample_setup(),
                textures=[texture("b_rough.png", SRGB), texture("a_rough.png", SRGB)],
            )
        )
        self.assertEqual([finding.level for finding in findings], ["blocker", "blocker", "note", "note", "note"])
        self.assertEqual([finding.subject for finding in findings[:2]], ["a_rough.png", "b_rough.png"])


class Textures(TestCase):
    def test_data_read_as_colour(self) -> None:
        data_words = [word for word, kind in sample_setup().kind_words if MAP_KINDS[kind].group == DATA]
        for word in data_words:
            path = f"wall_{word}.png"
            (finding,) = found("texture.data-read-as-colour", textures=[texture(path, SRGB)])
            self.assertEqual((finding.level, finding.subject), ("blocker", path))
            self.assertIn(f"“{word}”", finding.why)
            self.assertEqual(found("texture.data-read-as-colour", textures=[texture(path, "Raw")]), [])

    def test_colour_read_as_data(self) -> None:
        for name in ("wall_basecolor.png", "dusk_sky.hdr", "quay_backplate.exr"):
            (finding,) = found("texture.colour-read-as-data", textures=[texture(name, "Raw")])
            self.assertEqual(finding.subject, name)
            self.assertEqual(found("texture.colour-read-as-data", textures=[texture(name, SRGB)]), [])
        # A folder that names the data space does not keep the fix from naming a colour space.
        (finding,) = found("texture.colour-read-as-data", textures=[texture("scans_raw/rope_albedo.png", "Raw")])
        self.assertEqual(finding.fix.arguments["space"], SRGB)

    def test_no_word_no_verdict(self) -> None:
        for space in (SRGB, "Raw"):
            for code in (code.code for code in codes() if code.code.startswith("texture.")):
                self.assertEqual(found(code, textures=[texture("wall_03.png", space)]), [])

    def test_the_fix_pins_a_space_that_ends_the_finding(self) -> None:
        (finding,) = found("texture.data-read-as-colour", textures=[texture("wall_rough.png", SRGB)])
        assert finding.fix
        self.assertEqual(finding.fix.operation, "pin-texture")
        self.assertEqual(finding.fix.arguments, {"path": "wall_rough.png", "space": "Raw"})
        self.assertEqual([(c.what, c.before, c.after) for c in finding.fix.changes], [("wall_rough.png", SRGB, "Raw")])
        mended = [texture("wall_rough.png", finding.fix.arguments["space"])]
        self.assertEqual(found("texture.data-read-as-colour", textures=mended), [])

    def test_a_pin_on_a_space_that_is_gone(self) -> None:
        lost = [texture("wall_rough.png", "Nowhere"), texture("wall_col.png", "Nowhere"), texture("x.png", "Nowhere")]
        findings = run_checks(replace(Subjects(project_config(), sample_setup()), textures=lost))
        about = [finding for finding in findings if finding.code.startswith("texture.")]
        self.assertEqual({finding.code for finding in about}, {"texture.unknown-space"})
        self.assertEqual(
            {finding.subject: finding.fix and finding.fix.arguments["space"] for finding in about}["wall_rough.png"],
            "Raw",
        )

    def test_pixels_of_a_normal_map_under_another_name(self) -> None:
        vectors = replace(STATS, unit_vectors=0.99)
        self.assertTrue(found("texture.looks-like-normals", textures=[texture("wall_03.png", SRGB, vectors)]))
        for stats, space, name in (
            (replace(vectors, unit_vectors=0.9), SRGB, "wall_03.png"),
            (replace(vectors, min=(0.5, 0.5, 1.0), max=(0.5, 0.5, 1.0)), SRGB, "flat_03.png"),
            (vectors, "Raw", "wall_03.png"),
            (vectors, SRGB, "wall_albedo.png"),
        ):
            self.assertEqual(found("texture.looks-like-normals", textures=[texture(name, space, stats)]), [])


class Rules(TestCase):
    def never(self, *rules: Rule) -> list[str]:
        return [f.subject for f in found("rule.never-matches", setup=replace(sample_setup(), rules=rules))]

    def test_rules_behind_one_that_takes_all(self) -> None:
        exr = Rule("exr", "glob", "ACEScg", pattern="*", extension="exr")
        self.assertEqual(self.never(exr, Rule("plates", "glob", "Raw", pattern="*plate*", extension="EXR")), ["plates"])
        self.assertEqual(self.never(Rule("all", "glob", "ACEScg", pattern="*", extension="*"), exr), ["exr"])
        same = Rule("again", "regex", "Raw", pattern="a.*")
        self.assertEqual(self.never(replace(same, name="first"), same), ["again"])
        kinds = Rule("data", "map_kind", "Raw", map_kinds=("normal", "mask"))
        self.assertEqual(self.never(kinds, Rule("masks", "map_kind", "Raw", map_kinds=("mask",))), ["masks"])

    def test_rules_on_which_applications_hang(self) -> None:
        rules = (
            Rule("hangs", "regex", "Raw", pattern="(a|a)*b"),
            Rule("plain", "regex", "Raw", pattern=".*_raw.*"),
            Rule("stars", "glob", "Raw", pattern="*lamp*", extension="exr"),
        )
        setup = replace(sample_setup(), rules=rules)
        hung = subjects_found("rule.hangs", setup=setup, textures=[texture(f"{'a' * 40}.exr", "Raw")])
        self.assertEqual(hung, ["hangs"])
        self.assertEqual(subjects_found("rule.hangs", setup=setup, textures=[texture("lamp.exr", "Raw")]), [])

    def test_rules_of_a_config_that_were_not_imported(self) -> None:
        config, own = fresh_config(), ocio.FileRules()
        own.insertRule(0, "odd", "Raw", r"\u0061.*")
        own.insertRule(1, "usable", "Raw", ".*_raw.*")
        own.setDefaultRuleColorSpace(SRGB)
        config.setFileRules(own)
        (left,) = found("rule.not-imported", base_text=config.serialize())
        self.assertEqual(left.subject, "odd")
        self.assertIn("“\\u” is not read alike", left.why)
        written_anew = replace(sample_setup(), rules=(Rule("odd", "regex", "Raw", pattern="a.*"),))
        self.assertEqual(found("rule.not-imported", base_text=config.serialize(), setup=written_anew), [])

    def test_rules_that_still_take_something(self) -> None:
        exr = Rule("exr", "glob", "ACEScg", pattern="*", extension="exr")
        plates = Rule("plates", "glob", "Raw", pattern="*plate*", extension="exr")
        self.assertEqual(self.never(plates, exr), [])
        self.assertEqual(self.never(exr, replace(plates, extension="png")), [])
        self.assertEqual(self.never(exr, Rule("data", "map_kind", "Raw", map_kinds=("mask",))), [])
        every = Rule("all", "glob", "Raw", pattern="*", extension="*")
        self.assertEqual(self.never(every, Rule("data", "map_kind", "Raw", map_kinds=("mask",))), ["data"])
        mask = Rule("masks", "map_kind", "Raw", map_kinds=("mask",))
        self.assertEqual(self.never(mask, Rule("data", "map_kind", "Raw", map_kinds=("normal", "mask"))), [])

    def test_rules_that_take_no_file(self) -> None:
        third = Assignment("ACEScg", Reason("rule", 3, sample_setup().rules[3].name))
        textures = [texture("wall_rough.png", "Raw"), replace(texture("wall_col.exr", "ACEScg"), assignment=third)]
        findings = found("rule.takes-nothing", textures=textures)
        self.assertEqual({f.subject for f in findings}, {rule.name for rule in sample_setup().rules[1:3]})
        self.assertEqual(found("rule.takes-nothing"), [])


class Views(TestCase):
    def test_raw_left_on(self) -> None:
        raw = replace(sample_setup(), view=ViewChoice(SRGB_DISPLAY, "Raw"))
        self.assertEqual(subjects_found("view.raw-left-on", setup=raw), ["Raw"])
        self.assertEqual(subjects_found("view.raw-left-on"), [])

    def test_a_view_for_another_display(self) -> None:
        config = fresh_config()
        config.addDisplayView(SRGB_DISPLAY, "For the cinema", "Gamma 2.6 P3-D65 - Display", "")
        config.setActiveViews("")
        wrong = replace(sample_setup(), view=ViewChoice(SRGB_DISPLAY, "For the cinema"))
        self.assertEqual(subjects_found("view.for-another-display", config=config, setup=wrong), ["For the cinema"])
        self.assertEqual(subjects_found("view.for-another-display", config=config), [])

    def test_an_exposure_left_on(self) -> None:
        exposures = [("all panes", 0.0), ("pane 2", -1.5)]
        self.assertEqual(subjects_found("view.exposure-left-on", exposures=exposures), ["Compare, pane 2"])
        self.assertEqual(subjects_found("view.exposure-left-on"), [])

    def test_drawn_otherwise_by_a_browser(self) -> None:
        self.assertEqual(subjects_found("view.drawn-off", drawn_off=[DrawnOff(ACES_SDR, 0.02)]), [ACES_SDR.view])
        self.assertEqual(subjects_found("view.drawn-off"), [])

    def test_a_display_wider_than_the_working_space(self) -> None:
        narrow = replace(sample_setup(), working_space=LINEAR_REC709)
        self.assertEqual(subjects_found("view.wider-than-working", setup=narrow), [])
        wide = replace(narrow, view=ViewChoice("Display P3 - Display", ACES_P3))
        self.assertEqual(subjects_found("view.wider-than-working", setup=wide), ["Display P3 - Display"])
        self.assertEqual(subjects_found("view.wider-than-working", setup=replace(wide, working_space="ACEScg")), [])

    def test_what_a_view_does_to_greys_and_hues(self) -> None:
        def broken(name: str, transforms: list[ocio.Transform]) -> list[str]:
            config = fresh_config()
            group = ocio.GroupTransform(transforms)
            config.addViewTransform(ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, "broken", fromReference=group))
            config.addDisplayView(SRGB_DISPLAY, "Broken", "broken", SRGB_DISPLAY, "", "", "")
            config.addActiveView("Broken")
            setup = replace(sample_setup(), view=ViewChoice(SRGB_DISPLAY, "Broken"))
            return subjects_found(name, config=config, setup=setup)

        to_xyz = matrix_transform(AP0_TO_XYZ_D65)
        tint = ocio.CDLTransform(slope=[1.1, 1.0, 1.0])
        fold = ocio.GroupTransform([ocio.RangeTransform(0.0, 1.0, 0.0, 1.0), lut_of(lambda x: 2 * x * (1 - x))])
        self.assertEqual(broken("view.greys-tinted", [to_xyz, tint]), ["Broken"])
        self.assertEqual(broken("view.light-falls", [fold, to_xyz]), ["Broken"])
        self.assertEqual(broken("view.light-falls", [to_xyz]), [])
        self.assertEqual(broken("view.greys-tinted", [to_xyz]), [])
        turned = replace(agx.DESIGN, inset_turn=(20, -20, 20), outset_turn=(-20, 20, -20))
        for code, family, design, expected in (
            ("view.hues-reversed", "agx", turned, ["Mine"]),
            ("view.hues-reversed", "agx", agx.DESIGN, []),
            ("view.hue-turn", "filmic", replace(filmic.DESIGN, path_to_white=0.2), ["Mine"]),
            ("view.hue-turn", "agx", replace(agx.DESIGN, contrast=0.8), []),
        ):
            setup = replace(sample_setup(), added_views=(AddedView(SRGB_DISPLAY, "Mine", family, design=design),))
            config = load_config(compose(base_archive(), setup, "x"))
            with self.subTest(code, design=design):
                self.assertEqual(subjects_found(code, config=config, setup=setup), expected)

    def test_highlights_on_one_value(self) -> None:
        light = np.geomspace(0.01, 60, 4000, dtype=np.float32)[:, np.newaxis].repeat(3, axis=1)
        facts = Facts(replace(HEADER, format="EXR", bit_depth="half"), STATS)
        window = [CheckedRender("window.exr", "ACEScg", facts, lambda: light)]
        cut = replace(sample_setup(), view=UNTONED)
        self.assertEqual(subjects_found("view.highlights-on-one-value", renders=window, setup=cut), ["window.exr"])
        self.assertEqual(subjects_found("view.highlights-on-one-value", renders=window), [])
        nothing = [CheckedRender("nan.exr", "ACEScg", facts, lambda: np.full((9, 3), np.nan, np.float32))]
        self.assertEqual(subjects_found("view.highlights-on-one-value", renders=nothing, setup=cut), [])
        dim = [CheckedRender("dim.exr", "ACEScg", facts, lambda: light[:2000])]
        self.assertEqual(subjects_found("view.highlights-on-one-value", renders=dim, setup=cut), [])


def lut_of(curve: Callable[[float], float], size: int = 1024) -> ocio.Lut1DTransform:
    lut = ocio.Lut1DTransform(size, False)
    for index in range(size):
        lut.setValue(index, *[curve(index / (size - 1))] * 3)
    return lut
