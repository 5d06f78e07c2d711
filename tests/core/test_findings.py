"""Every check: one case that it finds, and one like it that it leaves alone."""

from collections.abc import Callable
from dataclasses import replace
from unittest import TestCase

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.configs import lowered
from saltwort.core.engine import ConfigArchive, ViewChoice, builtin_text, load_config
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
from saltwort.core.scene.decisions import FIRST_LIGHTS, Scene, Swatch
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.stations import RENDERER
from saltwort.core.textures.evidence import evidence_for
from saltwort.core.textures.kinds import DATA, MAP_KINDS, map_kind_of
from saltwort.core.textures.rules import Assignment, Reason, Rule
from saltwort.core.views import AddedView
from saltwort.core.views.families import agx, filmic
from tests.core.test_archives import LUT, config_with_luts
from tests.core.test_configs import OLD_CONFIG
from tests.core.test_explain import STUDIO
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
from tools.findings_page import PAGE, page

ACES_P3 = "ACES 2.0 - SDR 100 nits (P3 D65)"
HEADER = Header("PNG", 4, 4, ("R", "G", "B"), "8-bit", "none", {})
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
    return replace(sample_setup(), scene=Scene(swatches=swatches))


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


class SceneThings(TestCase):
    def test_a_picture_seen_through_a_second_view_and_light_read_as_a_picture(self) -> None:
        facts = Facts(HEADER, STATS)
        renders = [CheckedRender("plate.tif", SRGB, facts), CheckedRender("light.exr", "ACEScg", facts)]
        self.assertEqual(subjects_found("view.double", renders=renders), ["plate.tif"])
        plain = replace(sample_setup(), view=UNTONED)
        self.assertEqual(subjects_found("view.double", renders=renders, setup=plain), [])
        bright = Facts(HEADER, replace(STATS, above_one=0.02))
        renders = [CheckedRender("light.exr", SRGB, bright), CheckedRender("good.exr", "ACEScg", bright)]
        self.assertEqual(subjects_found("render.without-view", renders=renders), ["light.exr"])

    def test_swatches(self) -> None:
        setup = with_swatches(
            Swatch("green", TypedColour("ACES2065-1", "unit", "0 1 0"), "light"),
            Swatch("lost", TypedColour("Nowhere", "unit", "0 1 0")),
            Swatch("teal", TypedColour(SRGB, "8-bit", "47 106 104")),
            Swatch("violet", TypedColour("", "xyY", "0.17 0.005 0.01"), "light"),
        )
        self.assertEqual(subjects_found("swatch.outside-working-gamut", setup=setup), ["green", "violet"])
        self.assertEqual(subjects_found("swatch.unknown-space", setup=setup), ["lost"])

    def test_numbers_of_a_screen_said_to_be_light(self) -> None:
        setup = with_swatches(
            Swatch("picked", TypedColour("ACEScg", "8-bit", "168 42 30")),
            Swatch("hex", TypedColour("ACEScg", "hex", "#a82a1e")),
            Swatch("light", TypedColour("ACEScg", "unit", "0.4 0.1 0.1")),
            Swatch("right", TypedColour(SRGB, "8-bit", "168 42 30")),
        )
        self.assertEqual(subjects_found("swatch.steps-in-linear", setup=setup), ["hex", "picked"])

    def test_what_no_surface_reflects(self) -> None:
        setup = with_swatches(
            Swatch("tar", TypedColour("", "xyY", "0.33 0.34 0.012")),
            Swatch("paint", TypedColour("", "xyY", "0.3127 0.329 0.95")),
            Swatch("over", TypedColour("ACEScg", "unit", "1.2 0.3 0.3")),
            Swatch("dark metal", TypedColour("", "xyY", "0.3127 0.329 0.2"), "metal"),
            Swatch("silver", TypedColour("", "xyY", "0.3127 0.329 0.95"), "metal"),
            Swatch("lamp", TypedColour("ACEScg", "unit", "40 20 5"), "light"),
            Swatch("stone", TypedColour("", "xyY", "0.3127 0.329 0.3")),
        )
        expected = ["dark metal", "over", "paint", "tar"]
        self.assertEqual(subjects_found("swatch.reflectance-out-of-range", setup=setup), expected)

    def test_lights(self) -> None:
        first, *others = FIRST_LIGHTS
        lost = replace(first, colour=TypedColour("Nowhere", "unit", "1"))
        violet = replace(others[0], colour=TypedColour("", "xyY", "0.17 0.005 1"))
        setup = replace(sample_setup(), scene=Scene(lights=(lost, violet, *others[1:])))
        self.assertEqual(subjects_found("light.unknown-space", setup=setup), ["environment"])
        self.assertEqual(subjects_found("light.outside-working-gamut", setup=setup), ["key"])
        self.assertEqual(subjects_found("light.outside-working-gamut"), [])

    def test_renders_for_a_display_clipped_or_in_other_primaries(self) -> None:
        def rendered(name: str, header: Header = HEADER, **stats: object) -> CheckedRender:
            return CheckedRender(name, "ACEScg", Facts(header, replace(STATS, **stats)))

        tagged = replace(HEADER, tags={"colorInteropID": "srgb_rec709_display"})
        in_rec709 = replace(HEADER, bit_depth="half", tags={"chromaticities": REC709.chromaticities})
        renders = [
            rendered("good", max=(9.0, 5.0, 2.0), median=(0.1, 0.1, 0.1)),
            rendered("dark", max=(0.6, 0.5, 0.4), median=(0.1, 0.1, 0.1)),
            rendered("encoded", max=(1.0, 0.9, 0.8), median=(0.5, 0.5, 0.4)),
            rendered("steps", max=(0.9, 0.9, 0.8), median=(0.1, 0.1, 0.1), linear_steps=8),
            rendered("said so", tagged, max=(0.9, 0.9, 0.8), median=(0.1, 0.1, 0.1)),
            rendered("clipped", max=(1.0, 1.0, 0.8), median=(0.1, 0.1, 0.1)),
            rendered("other", in_rec709, max=(9.0, 5.0, 2.0)),
        ]
        self.assertEqual(subjects_found("render.view-baked", renders=renders), ["encoded", "said so", "steps"])
        self.assertEqual(subjects_found("render.clipped-at-one", renders=renders), ["clipped"])
        self.assertEqual(subjects_found("render.wrong-primaries", renders=renders), ["other"])

    def test_renders(self) -> None:
        renders = [
            CheckedRender("good", "ACEScg", Facts(HEADER, STATS)),
            CheckedRender("nan", "ACEScg", Facts(HEADER, replace(STATS, non_finite=3))),
            CheckedRender("negative", "ACEScg", Facts(HEADER, replace(STATS, below_zero=0.01))),
        ]
        self.assertEqual([f.subject for f in found("render.non-finite", renders=renders)], ["nan"])
        self.assertEqual([f.subject for f in found("render.negative", renders=renders)], ["negative"])

    def test_stations(self) -> None:
        old, older = (
            replace(RENDERER, name="Old").with_abilities({"ocio_version": "2.2"}),
            replace(RENDERER, name="Older").with_abilities({"ocio_version": "1.0"}),
        )
        stations = [RENDERER, old, older]
        self.assertEqual([f.subject for f in found("handoff.config-of-its-own", stations=stations)], ["Old"])
        self.assertEqual([f.subject for f in found("handoff.config-too-new", stations=stations)], ["Older"])


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
