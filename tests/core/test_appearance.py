"""Colours that must appear as given: what lies in the scene, judged by the OCIO library and by colour-science."""

import re
from dataclasses import replace
from unittest import TestCase

import colour
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray
from scipy.optimize import differential_evolution

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.project import read_setup, write_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import (
    GRAPHIC,
    LAMP,
    MORE_LIGHT,
    OTHER_VIEW,
    WIDER_DISPLAY,
    fitted,
    remedies,
    resolved,
    solved_swatch,
    why_not,
)
from saltwort.core.scene.decisions import Appearance, Scene, Swatch, check_scene
from saltwort.core.spaces.typed import TypedColour
from tests.core.test_findings import found, subjects_found, with_swatches
from tests.samples import ACES_SDR, SRGB, SRGB_DISPLAY, UNTONED, project_config, sample_setup

SEED = 34
P3 = "Display P3 - Display"
HALF_STEP = 0.5 / 255


def swatch(text: str, choice: ViewChoice = ACES_SDR, use: str = "surface", stops: float = 0.0) -> Swatch:
    appears = Appearance(choice.display, choice.view, choice.look, stops)
    return Swatch("brand", TypedColour("", "hex" if text.startswith("#") else "unit", text), use, appears)


def through(config: ocio.Config, choice: ViewChoice, scene_linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Code values 0–1 of scene-linear values in the working space, (n, 3) or three, by a processor of the library
    itself."""
    working = config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName()
    view = ocio.DisplayViewTransform(src=working, display=choice.display, view=choice.view)
    steps: list[ocio.Transform] = [view]
    if choice.look:
        view.setLooksBypass(True)
        steps.insert(0, ocio.LookTransform(working, working, choice.look))
    processor = config.getProcessor(ocio.GroupTransform(steps)).getDefaultCPUProcessor()
    codes = np.array(scene_linear, np.float32)
    processor.applyRGB(codes)
    return np.clip(codes.astype(np.float64), 0, 1)


def off(codes: NDArray[np.float64], wish: NDArray[np.float64]) -> NDArray[np.float64]:
    """ΔE 2000 between code values of an sRGB display, by colour-science."""
    white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
    one, other = (colour.XYZ_to_Lab(colour.sRGB_to_XYZ(each), white) for each in (codes, wish))
    return np.asarray(colour.delta_E(one, np.broadcast_to(other, one.shape), method="CIE 2000"))


def views_with_light(config: ocio.Config) -> list[ViewChoice]:
    return [
        ViewChoice(display, view)
        for display in config.getDisplays()
        for view in config.getViews(display)
        if view != "Raw"
    ]


def numbers(text: str) -> list[float]:
    return [float(part) for part in re.findall(r"-?\d+\.?\d*(?:e-?\d+)?", text)]


class Solving(TestCase):
    def test_what_a_surface_looks_like_is_found_again_through_every_view(self) -> None:
        config, random = project_config(), np.random.default_rng(SEED)
        for choice in views_with_light(config):
            for stops in (0.0, 1.5):
                with self.subTest(choice.view, display=choice.display, stops=stops, seed=SEED):
                    wish = through(config, choice, random.uniform(0.03, 0.6, 3) * 2**stops)
                    text = " ".join(f"{value:.6f}" for value in wish)
                    solved = solved_swatch(config, swatch(text, choice, stops=stops))
                    self.assertTrue(solved.is_held, solved)
                    shown = through(config, choice, np.array(solved.own) * 2**stops)
                    np.testing.assert_allclose(shown, wish, atol=HALF_STEP)

    def test_random_colours_are_held_or_are_as_near_as_a_surface_comes(self) -> None:
        """The judge searches by itself, by differential evolution and ΔE 2000 of colour-science."""
        config, random = project_config(), np.random.default_rng(SEED)
        held = searched = 0
        for _ in range(24):
            wish = random.uniform(0, 1, 3)
            text = " ".join(f"{value:.6f}" for value in wish)
            solved = solved_swatch(config, swatch(text))
            with self.subTest(text, seed=SEED):
                self.assertTrue(min(solved.own) >= 0 and max(solved.own) <= 1)
                shown = through(config, ACES_SDR, np.array(solved.own))
                np.testing.assert_allclose(shown, solved.shown, atol=1e-5)
                np.testing.assert_allclose(off(shown, wish), solved.difference, atol=0.05)
                self.assertEqual(solved.is_held, bool(np.abs(shown - wish).max() <= HALF_STEP))
                if solved.is_held:
                    held += 1
                elif searched < 2:
                    searched += 1
                    best = differential_evolution(
                        lambda own, wish=wish: off(through(config, ACES_SDR, own.T), wish),
                        [(0, 1)] * 3,
                        seed=SEED,
                        maxiter=40,
                        vectorized=True,
                        updating="deferred",
                    )
                    self.assertLess(solved.difference, best.fun + 0.1)
        self.assertGreater(held, 5)
        self.assertEqual(searched, 2)

    def test_a_lamp_may_be_brighter_than_any_surface(self) -> None:
        config = project_config()
        surface, lamp = (solved_swatch(config, swatch("#ffd100", use=use)) for use in ("surface", "light"))
        self.assertFalse(surface.is_held)
        self.assertTrue(lamp.is_held)
        self.assertGreater(max(lamp.own), 1)
        self.assertIn("a surface reflects 1 at most", why_not(swatch("#ffd100"), surface))
        self.assertEqual(why_not(swatch("#ffd100", use="light"), lamp), "")

    def test_a_view_with_a_look_is_undone_with_it(self) -> None:
        config = project_config()
        looks = [look.getName() for look in config.getLooks()]
        choice = replace(ACES_SDR, look=looks[0]) if looks else ACES_SDR
        wish = through(config, choice, np.array([0.2, 0.1, 0.3]))
        solved = solved_swatch(config, swatch(" ".join(f"{value:.6f}" for value in wish), choice))
        np.testing.assert_allclose(through(config, choice, np.array(solved.own)), wish, atol=HALF_STEP)

    def test_what_is_said_to_allow_it_allows_it(self) -> None:
        config = project_config()
        seen = set()
        for text in ("#ff0000", "#ffffff", "#00ff00", "#ffd100", "#e0e0ff"):
            for choice in (ACES_SDR, ViewChoice(P3, config.getDefaultView(P3))):
                asked = swatch(text, choice)
                solved = solved_swatch(config, asked)
                if solved.is_held:
                    continue
                wish = np.array(solved.wish)
                for remedy in remedies(config, asked, solved):
                    seen.add(remedy.kind)
                    with self.subTest(text, display=choice.display, says=remedy.says):
                        if remedy.kind == LAMP:
                            shown = through(config, choice, np.array(numbers(remedy.says)))
                            np.testing.assert_allclose(shown, wish, atol=2 * HALF_STEP)  # told with four figures
                        elif remedy.kind == MORE_LIGHT:
                            stops = numbers(remedy.says)[1]
                            self.assertTrue(solved_swatch(config, swatch(text, choice, stops=stops)).is_held)
                        elif remedy.kind == OTHER_VIEW:
                            for view in re.findall("“(.*?)”", remedy.says):
                                other = solved_swatch(config, swatch(text, ViewChoice(choice.display, view)))
                                shown = through(config, ViewChoice(choice.display, view), np.array(other.own))
                                np.testing.assert_allclose(shown, wish, atol=HALF_STEP)
                        elif remedy.kind == WIDER_DISPLAY:
                            for display in re.split(
                                ", | or ", remedy.says.removeprefix("The same colour on ").rstrip(".")
                            ):
                                views = list(config.getViews(display))
                                other = ViewChoice(display, choice.view if choice.view in views else views[0])
                                self.assertTrue(solved_swatch(config, fitted(config, asked, other)).is_held)
                        elif remedy.kind == GRAPHIC:
                            np.testing.assert_allclose(np.array(numbers(remedy.says)[:3]) / 255, wish, atol=HALF_STEP)
        self.assertLessEqual({LAMP, MORE_LIGHT, OTHER_VIEW, GRAPHIC}, seen)


class InTheProject(TestCase):
    def test_in_the_scene_it_is_the_numbers_that_give_it(self) -> None:
        config = project_config()
        scene = Scene(swatches=(swatch("#2f6a68"),), swatch_on_rig="brand")
        own = resolved(config, scene).swatches[0].colour
        self.assertEqual((own.space, own.unit), ("ACEScg", "unit"))
        shown = through(config, ACES_SDR, np.array(own.values))
        np.testing.assert_allclose(shown * 255, [0x2F, 0x6A, 0x68], atol=0.5)

    def test_what_cannot_be_an_appearance_is_refused(self) -> None:
        for asked, says in (
            (replace(swatch("#fff"), colour=TypedColour("", "kelvin", "3200")), "code values that the display shows"),
            (swatch("1.2 0 0"), "from 0 to 1"),
            (swatch("#fff", stops=float("nan")), "stops"),
        ):
            with self.subTest(says), self.assertRaisesRegex(BadInput, says):
                check_scene(Scene(swatches=(asked,)))
        with self.assertRaisesRegex(BadInput, "does not output the colours of a display"):
            solved_swatch(project_config(), swatch("#fff", ViewChoice(SRGB_DISPLAY, "Raw")))

    def test_another_view_moves_it_and_its_fix_brings_it_back(self) -> None:
        setup = with_swatches(swatch("#2f6a68"))
        self.assertEqual(subjects_found("swatch.moved-by-view", setup=setup), [])
        setup = replace(setup, view=UNTONED)
        (moved,) = found("swatch.moved-by-view", setup=setup)
        config = project_config()
        own = np.array(solved_swatch(config, swatch("#2f6a68")).own)
        moved_by = off(through(config, UNTONED, own), np.array([0x2F, 0x6A, 0x68]) / 255)
        self.assertAlmostEqual(numbers(moved.why.split("where")[1])[1], moved_by, delta=0.06)
        assert moved.fix is not None
        after = np.array(numbers(moved.fix.changes[0].after))
        np.testing.assert_allclose(through(config, UNTONED, after) * 255, [0x2F, 0x6A, 0x68], atol=1)
        self.assertEqual(
            subjects_found(
                "swatch.moved-by-view",
                setup=replace(with_swatches(fitted(config, swatch("#2f6a68"), UNTONED)), view=UNTONED),
            ),
            [],
        )

    def test_on_another_display_its_code_values_are_those_of_that_display(self) -> None:
        config = project_config()
        other = ViewChoice(P3, config.getDefaultView(P3))
        codes = np.array(fitted(config, swatch("#c8102e"), other).colour.values)
        meant = colour.XYZ_to_RGB(
            colour.sRGB_to_XYZ(np.array([0xC8, 0x10, 0x2E]) / 255),
            colour.RGB_COLOURSPACES["Display P3"],
            apply_cctf_encoding=True,
        )
        np.testing.assert_allclose(codes, meant, atol=2e-3)
        with self.assertRaisesRegex(BadInput, "does not hold this colour"):
            fitted(config, swatch("0 1 0", other), ACES_SDR)

    def test_what_cannot_appear_so_and_a_view_that_is_gone_are_found(self) -> None:
        setup = with_swatches(
            swatch("#2f6a68"),
            replace(swatch("#ffffff"), name="paper"),
            replace(swatch("#fff", ViewChoice(SRGB_DISPLAY, "gone")), name="lost"),
            Swatch("plain", TypedColour(SRGB, "hex", "#fff")),
        )
        self.assertEqual(subjects_found("swatch.appears-otherwise", setup=setup), ["paper"])
        self.assertEqual(subjects_found("swatch.unknown-view", setup=setup), ["lost"])
        (lost,) = found("swatch.unknown-view", setup=setup)
        assert lost.fix is not None
        self.assertEqual(lost.fix.arguments["view"], sample_setup().view.view)
        self.assertEqual(subjects_found("swatch.unknown-space", setup=setup), [])

    def test_it_comes_back_from_what_is_stored(self) -> None:
        setup = with_swatches(swatch("#2f6a68", stops=0.5))
        self.assertEqual(ScenePart.of(read_setup(write_setup(setup))), ScenePart.of(setup))
