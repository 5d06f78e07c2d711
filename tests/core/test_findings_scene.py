"""Findings about swatches, lights and renders."""

from dataclasses import replace
from unittest import TestCase

from saltwort.core.findings import (
    CheckedRender,
)
from saltwort.core.images import Facts, Header
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import FIRST_LIGHTS, Scene, Swatch
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.stations import RENDERER
from tests.core.test_findings import HEADER, STATS, found, subjects_found, with_swatches
from tests.samples import (
    SRGB,
    UNTONED,
    sample_setup,
)


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
        setup = ScenePart.with_value(sample_setup(), Scene(lights=(lost, violet, *others[1:])))
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
