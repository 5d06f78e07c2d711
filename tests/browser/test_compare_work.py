"""Work at the viewing table: panes of their own, designing a view, matching, screens, and keeping what is seen."""

import base64
import re
from dataclasses import replace

import numpy as np
from playwright.sync_api import Locator, expect

from saltwort.core.engine import ViewChoice, apply, load_config, view_processor
from saltwort.core.engine.gpu import LIGHT
from saltwort.core.images import read_pixels
from saltwort.core.project import compose
from saltwort.core.scene.renders import follow
from saltwort.core.views import AddedView
from saltwort.core.views.families import agx
from saltwort.core.views.grade import BEFORE, NO_GRADE, Grade, graded
from saltwort.core.views.pairs import Shown, difference_between
from saltwort.server.images.operations import store_file
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.operations import add_render
from tests.browser.test_compare import CompareTestCase
from tests.samples import ACES_SDR, SRGB_DISPLAY, UNTONED, base_archive, light, project_config, sample_setup, write


class WorkTestCase(CompareTestCase):
    def mode(self, name: str) -> None:
        self.page.get_by_role("radiogroup", name="How panes stand").get_by_text(name, exact=True).click()

    def own(self, pane: int) -> Locator:
        """The form of what a pane has of its own."""
        self.page.get_by_role("button", name=f"Pane settings, pane {pane}").click()
        return self.page.get_by_role("dialog")

    def through(self, config: object, choice: ViewChoice, exposure: float = 0.0) -> np.ndarray:
        shown = apply(view_processor(config, "ACEScg", choice, exposure), read_pixels(self.dusk))
        return np.round(np.clip(shown, 0, 1) * 255).astype(int)


class PanesOfTheirOwn(WorkTestCase):
    def test_an_exposure_of_ones_own_stays_and_the_other_pane_follows_all(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 2", " 0.00 ")
        self.own(2).get_by_label("Exposure, stops").fill("-1.5")
        page.keyboard.press("Escape")
        shown = self.pixels(self.drawn("Pane 2", " -1.50 "))
        np.testing.assert_allclose(shown, self.expected(UNTONED, -1.5), atol=1)
        expect(page.get_by_role("figure", name="Pane 2")).to_contain_text("Pane settings: −1.5 stops")
        page.keyboard.press("]")
        self.drawn("Pane 1", " 0.50 ")
        self.drawn("Pane 2", " -1.50 ")
        self.reload()
        self.drawn("Pane 2", " -1.50 ")

    def test_another_picture_in_its_own_shape_and_another_working_space(self) -> None:
        tall = write(self.folder / "files" / "tall.exr", light(90, 60, 4.0, seed=9), "half")
        add_render(self.project, "tall.exr", store_file(tall, "tall.exr"))
        view = AddedView(SRGB_DISPLAY, "Film", "filmic")
        change_setup(self.project, 1, "filmic", lambda setup: replace(setup, added_views=(view,)))
        page = self.open("compare")
        self.drawn("Pane 2", " 0.00 ")
        self.own(2)
        self.choose("Picture", "tall.exr")
        page.keyboard.press("Escape")
        label = re.compile("tall.exr through")
        picture = page.get_by_role("figure", name="Pane 2").get_by_role("img", name=label)
        box = picture.bounding_box()
        assert box
        self.assertAlmostEqual(box["width"] / box["height"], 60 / 90, delta=0.02)
        self.choose("View, pane 1", "Film")
        plain = self.pixels(self.drawn("Pane 1", "Film"))
        self.own(1)
        self.choose("Working space", "Linear Rec.709 (sRGB)")
        page.keyboard.press("Escape")
        other = self.pixels(self.drawn("Pane 1", "Film", "Linear Rec.709"))
        setup = replace(sample_setup(), added_views=(view,), working_space="Linear Rec.709 (sRGB)")
        config = load_config(compose(base_archive(), setup, "x"))
        np.testing.assert_allclose(other, self.through(config, ViewChoice(SRGB_DISPLAY, "Film")), atol=1)
        self.assertGreater(int(np.abs(other - plain).max()), 3)

    def test_a_view_that_is_deleted_meanwhile_is_told(self) -> None:
        view = AddedView(SRGB_DISPLAY, "Short lived", "agx")
        change_setup(self.project, 1, "added", lambda setup: replace(setup, added_views=(view,)))
        page = self.open("compare")
        self.choose("View, pane 2", "Short lived")
        self.drawn("Pane 2", "Short lived")
        self.quiet()
        change_setup(self.current(), 2, "gone", lambda setup: replace(setup, added_views=()))
        self.reload()
        pane = page.get_by_role("figure", name="Pane 2")
        expect(pane.get_by_role("status")).to_contain_text("no longer has the view Short lived on sRGB - Display")
        self.drawn("Pane 2", ACES_SDR.view)


class Designing(WorkTestCase):
    def test_what_is_designed_is_what_is_saved_and_seen_everywhere(self) -> None:
        page = self.open("compare")
        self.mode("Design")
        self.drawn("The design", "View being designed")
        page.get_by_label("Contrast at grey, stops per stop").fill("1.1")
        page.get_by_label("Inset, green", exact=True).fill("0.2")
        figure = self.drawn("The design", '"contrast":1.1', "0.2")
        red, _, blue = agx.DESIGN.inset
        view = AddedView(
            SRGB_DISPLAY, "Lamp night", "agx", design=replace(agx.DESIGN, contrast=1.1, inset=(red, 0.2, blue))
        )
        config = load_config(compose(base_archive(), replace(sample_setup(), added_views=(view,)), "x"))
        choice = ViewChoice(SRGB_DISPLAY, "Lamp night")
        seen = self.pixels(figure)
        np.testing.assert_allclose(seen, self.through(config, choice), atol=1)
        expect(page.get_by_text("It rises throughout")).to_be_visible()
        page.get_by_label("As a view of sRGB").fill("Lamp night")
        self.section("Design").get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_text("revision 2")).to_be_visible()
        self.assertEqual(current_setup(self.current()).added_views[0].name, "Lamp night")
        self.mode("Panes")
        np.testing.assert_allclose(self.pixels(self.drawn("Pane 1", "Lamp night")), seen, atol=0)
        written = config_of(self.current().current)
        np.testing.assert_allclose(self.through(written, choice), seen, atol=1)

    def test_presets_steps_back_test_pictures_and_refusals(self) -> None:
        page = self.open("compare")
        self.mode("Design")
        self.drawn("The design", '"contrast":0.76')
        self.choose("Start from", "Filmic: Night ferry")
        expect(page.get_by_text("Two stops more above grey")).to_be_visible()
        self.drawn("The design", '"family":"filmic"', '"brightest":8.5')
        page.get_by_role("button", name="Step back").click()
        self.drawn("The design", '"family":"agx"', '"contrast":0.76')
        for picture in ("Grey ramp", "Saturated lights", "Skin-like surfaces", "Foliage-like surfaces", "The rig"):
            self.choose("Preview on", picture)
            drawn = page.get_by_role("figure", name="The design").get_by_role("img", name=re.compile(f"^{picture}"))
            expect(drawn).to_have_attribute("data-pixels", re.compile("×"), timeout=60_000)
        page.get_by_label("Range above grey, stops").fill("14")
        page.get_by_label("Contrast at grey, stops per stop").fill("0.4")
        page.get_by_label("Range below grey, stops").fill("-4")
        expect(page.get_by_role("alert").first).to_contain_text("lie outside the range")

    def test_a_design_that_breaks_hues_is_told_so(self) -> None:
        page = self.open("compare")
        self.mode("Design")
        self.drawn("The design", "View being designed")
        for row, turns in (("Turn of the inset", (20, -20, 20)), ("Turn of the outset", (-20, 20, -20))):
            for channel, turn in zip(("red", "green", "blue"), turns, strict=True):
                page.get_by_label(f"{row}, {channel}").fill(str(turn))
        checks = page.get_by_role("region", name="Checks of the design")
        expect(checks).to_contain_text("Hues change places")


class LogAndMatch(WorkTestCase):
    def test_a_grade_on_acescct_with_a_curve_is_what_core_has(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        page.get_by_role("radiogroup", name="Where the grade stands").get_by_text("Before the view").click()
        page.get_by_role("radiogroup", name="What the grade acts on").get_by_text("On ACEScct").click()
        page.get_by_label("exposure of the grade").fill("0.6")
        page.get_by_label("slope, red").fill("1.1")
        knot = page.get_by_role("slider", name="Curve, middle")
        knot.focus()
        for _ in range(5):
            page.keyboard.press("ArrowUp")
        grade = Grade(BEFORE, (1.1, 1, 1), exposure=0.6, log=True, curve=(0, 0.25, 0.55, 0.75, 1))
        shown = self.pixels(self.drawn("Pane 1", "before 1.1,1,1 0.6 true 0,0.25,0.55,0.75,1"))
        config = project_config()
        lit = graded(config, read_pixels(self.dusk), grade, BEFORE)
        expected = np.clip(apply(view_processor(config, "ACEScg", ACES_SDR), lit), 0, 1) * 255
        np.testing.assert_allclose(shown, np.round(expected), atol=1)
        expect(page.get_by_text("A CDL holds neither curve nor exposure")).to_be_visible()

    def test_the_difference_is_that_of_core_and_a_match_takes_it_away(self) -> None:
        page = self.open("compare")
        self.choose("View, pane 2", ACES_SDR.view)
        self.drawn("Pane 2", ACES_SDR.view)
        self.own(2).get_by_label("Exposure, stops").fill("1")
        page.keyboard.press("Escape")
        self.drawn("Pane 2", " 1.00 ")
        self.mode("Difference")
        page.get_by_role("radiogroup", name="Difference of what").get_by_text("ΔE", exact=True).click()
        lit = read_pixels(self.dusk)
        pair = [Shown(project_config(), ACES_SDR, lit * np.float32(gain)) for gain in (1, 2)]
        mean = difference_between(*pair, NO_GRADE).mean
        expect(page.get_by_text(f"ΔE 2000: mean {mean:.2f}")).to_be_visible()
        page.get_by_role("radiogroup", name="Where the grade stands").get_by_text("Before the view").click()
        self.choose("Match pane 1 to pane 2 by", "exposure")
        page.get_by_role("button", name="Match", exact=True).click()
        expect(page.get_by_text(f"mean {mean:.2f} before")).to_be_visible(timeout=60_000)
        exposure = float(page.get_by_label("exposure of the grade").input_value())
        self.assertAlmostEqual(exposure, 1.0, delta=0.02)

    def test_a_look_is_taken_up_changed_and_saved_under_its_name(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        page.get_by_role("radiogroup", name="Where the grade stands").get_by_text("Before the view").click()
        self.choose("Start from a look", "Salt Air")
        expect(page.get_by_label("saturation", exact=True)).to_have_value("0.82")
        self.drawn("Pane 1", "before 0.97,1,1.03 0 true")
        page.get_by_label("saturation", exact=True).fill("0.5")
        save = page.get_by_role("button", name="Save", exact=True)
        for revision in (2, 3):
            save.click()
            expect(page.get_by_text(f"revision {revision}")).to_be_visible()
            page.get_by_label("saturation", exact=True).fill("0.6")
        (look,) = current_setup(self.current()).added_looks
        self.assertEqual((look.name, look.saturation, look.process_space), ("Salt Air", 0.6, "ACEScct"))


class Screens(WorkTestCase):
    def test_other_displays_are_brought_to_this_screen_and_it_says_how(self) -> None:
        page = self.open("compare")
        pane = page.get_by_role("figure", name="Pane 1")
        for display, words in (
            ("Rec.1886 Rec.709", "the light of Rec.1886 Rec.709 in sRGB"),
            ("Display P3", "the light of Display P3 in sRGB"),
            ("Rec.2100-PQ", "203 nits are white here"),
        ):
            self.choose("Display, pane 1", display)
            expect(pane).to_contain_text(words)
        self.choose("On this screen", "As plain code values")
        expect(pane).to_contain_text("code values for Rec.2100-PQ, shown on this screen as they stand")

    def test_a_heat_map_in_nits_has_the_colours_of_its_legend(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        self.choose("On this screen", "As a heat map in nits")
        shown = self.pixels(self.drawn("Pane 1", LIGHT))
        legend = page.get_by_role("img", name="Nits, by colour")
        expect(legend).to_be_visible()
        bands = legend.locator(":scope > span")
        colour_of = "band => getComputedStyle(band.firstElementChild).backgroundColor"
        colours = [[int(number) for number in re.findall(r"\d+", band.evaluate(colour_of))] for band in bands.all()]
        edges = [float(band.inner_text()) for band in bands.all()]
        pixels = read_pixels(self.dusk)
        for y, x in ((5, 5), (30, 70), (50, 20), (10, 90)):
            nits = follow(project_config(), tuple(pixels[y, x].tolist()), "ACEScg", ACES_SDR, 0.0).nits or 0
            band = max(index for index, edge in enumerate(edges) if nits >= edge)
            np.testing.assert_allclose(shown[y, x], colours[band], atol=1)


class WideScreen(WorkTestCase):
    arguments = ("--force-color-profile=display-p3-d65",)

    def test_display_p3_is_drawn_as_such_where_the_screen_has_it(self) -> None:
        page = self.open("compare")
        self.choose("Display, pane 1", "Display P3")
        self.choose("View, pane 1", "Un-tone-mapped")
        picture = self.drawn("Pane 1", "Un-tone-mapped", "display-p3")
        expect(page.get_by_role("figure", name="Pane 1")).to_contain_text("in Display P3, which this screen has")
        expect(page.get_by_text("The browser has a Display P3 canvas here")).to_be_visible()
        expected = self.through(project_config(), ViewChoice("Display P3 - Display", "Un-tone-mapped"))
        np.testing.assert_allclose(self.pixels(picture, "display-p3"), expected, atol=1)


class Keeping(WorkTestCase):
    def save(self) -> Locator:
        self.page.get_by_role("button", name="Save and keep").click()
        return self.page.get_by_role("group", name="Save and keep")

    def test_a_png_holds_the_pictures_and_a_page_all_it_needs(self) -> None:
        page = self.open("compare")
        shown = self.pixels(self.drawn("Pane 1", " 0.00 "))
        form = self.save()
        form.get_by_label("Title").fill("Dusk <review>")
        form.get_by_label("Notes").fill("The lamp is too hot.")
        with page.expect_download() as download:
            form.get_by_role("button", name="As a PNG").click()
        path = self.folder / "seen.png"
        download.value.save_as(path)
        saved = np.round(read_pixels(path) * 255).astype(int)
        box = self.picture("Pane 1").bounding_box()
        assert box
        width, height = round(box["width"]), round(box["height"])
        left = top = 16
        picture = saved[top + 20 : top + 20 + height, left : left + width]
        rows = ((np.arange(54) + 0.5) / 54 * height).astype(int)
        columns = ((np.arange(96) + 0.5) / 96 * width).astype(int)
        np.testing.assert_allclose(picture[rows][:, columns], shown, atol=2)
        with page.expect_download() as download:
            form.get_by_role("button", name="As a page").click()
        text = download.value.path().read_text()
        for words in (
            "Dusk &#60;review&#62;",
            "The lamp is too hot.",
            "0.0 stops",
            "in ACEScg",
            ACES_SDR.view,
            "revision 1",
        ):
            self.assertIn(words, text)
        self.assertEqual(len(re.findall("data:image/png;base64,", text)), 2)
        self.assertNotRegex(text, "https?://|<script|<link")
        (first, *_) = re.findall(r"data:image/png;base64,([^\"]+)", text)
        self.assertEqual(base64.b64decode(first)[:4], b"\x89PNG")

    def test_plots_and_all_views_are_saved_too(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        for mode, pictures in (("Tone and hue response", 4), ("Wipe", 1), ("Difference", 1)):
            self.mode(mode)
            self.quiet()
            expect(page.get_by_role("main").get_by_role("img").first).to_be_visible()
            if mode == "Tone and hue response":
                expect(page.get_by_role("img", name=re.compile("^Hues on their way"))).to_have_count(2, timeout=60_000)
                self.quiet()
            with page.expect_download() as download:
                self.save().get_by_role("button", name="As a page").click()
            page.keyboard.press("Escape")
            text = download.value.path().read_text()
            self.assertEqual(len(re.findall("data:image/png;base64,", text)), pictures, mode)

    def test_a_kept_comparison_stays_as_it_was(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        for _ in range(2):
            page.keyboard.press("]")
        self.drawn("Pane 1", " 1.00 ")
        self.mode("Flip")
        form = self.save()
        form.get_by_label("Title").fill("Window at dusk")
        form.get_by_label("Notes").fill("Too hot.")
        form.get_by_role("button", name="Keep here").click()
        link = form.get_by_role("link", name="Window at dusk")
        expect(link).to_be_visible()
        address = link.get_attribute("href")
        page.keyboard.press("Escape")
        self.mode("Panes")
        page.keyboard.press("0")
        self.quiet()
        self.drawn("Pane 1", " 0.00 ")
        raw = ViewChoice(SRGB_DISPLAY, "Raw")
        change_setup(self.current(), 1, "raw", lambda setup: replace(setup, view=raw))
        self.visit(address)
        kept = page.get_by_role("region", name="Kept comparison")
        expect(kept).to_contain_text("revision 1; the project is at 2")
        expect(kept.get_by_label("Notes")).to_have_value("Too hot.")
        shown = self.pixels(self.drawn("Both panes", ACES_SDR.view, " 1.00 "))
        np.testing.assert_allclose(shown, self.expected(ACES_SDR, 1.0), atol=1)
        kept.get_by_label("Notes").fill("Fine now.")
        kept.get_by_role("button", name="Save the notes").click()
        expect(kept.get_by_role("button", name="Save the notes")).to_be_disabled()
        kept.get_by_role("button", name="Show these panes now").click()
        expect(kept).to_have_count(0)
        self.drawn("Pane 1", ACES_SDR.view, " 1.00 ")
        self.save().get_by_role("button", name="Delete Window at dusk").click()
        expect(page.get_by_role("link", name="Window at dusk")).to_have_count(0)

    def test_a_kept_comparison_whose_picture_is_gone_says_so(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        form = self.save()
        form.get_by_role("button", name="Keep here").click()
        link = form.get_by_role("link", name="Quay: Panes")
        expect(link).to_be_visible()
        other = write(self.folder / "files" / "other.exr", light(30, 50), "half")
        add_render(self.project, "other.exr", store_file(other, "other.exr"))
        self.project.renders.get(name="dusk.exr").delete()
        self.visit(link.get_attribute("href") or "")
        kept = page.get_by_role("region", name="Kept comparison")
        expect(kept.get_by_role("alert")).to_contain_text("was deleted; another is shown")
        expect(page.get_by_role("img", name=re.compile("^other.exr through")).first).to_be_visible()
        self.visit("/p/quay/compare?kept=999")
        expect(page.get_by_text("This comparison was deleted.")).to_be_visible()


class OddPictures(WorkTestCase):
    def test_a_wide_picture_is_seen_in_full_resolution_where_it_is_looked_at(self) -> None:
        wide = light(40, 9000, 3.0, seed=3)
        file = write(self.folder / "files" / "wide.exr", wide, "half")
        add_render(self.project, "wide.exr", store_file(file, "wide.exr"))
        page = self.open("compare")
        self.choose("Render", "wide.exr")
        picture = page.get_by_role("figure", name="Pane 1").get_by_role("img", name=re.compile("^wide.exr"))
        expect(picture).to_have_attribute("data-pixels", "3000 × 13")
        page.get_by_role("button", name="1 : 1").click()
        expect(picture).to_have_attribute("data-pixels", re.compile(r"× 40$"))

    def test_one_channel_and_no_numbers_at_all(self) -> None:
        grey = write(self.folder / "files" / "grey.exr", light(30, 50)[..., :1], "half")
        nothing = write(self.folder / "files" / "nan.exr", np.full((30, 50, 3), np.nan, np.float32), "half")
        for file in (grey, nothing):
            add_render(self.project, file.name, store_file(file, file.name))
        page = self.open("compare")
        self.choose("Render", "grey.exr")
        picture = page.get_by_role("figure", name="Pane 1").get_by_role("img", name=re.compile("^grey.exr"))
        expect(picture).to_have_attribute("data-pixels", "50 × 30")
        self.choose("Render", "nan.exr")
        pane = page.get_by_role("figure", name="Pane 1")
        expect(pane).to_contain_text("Every pixel of this picture is NaN or infinite")
        self.choose("Scope", "Histogram in stops")
        expect(page.get_by_role("alert")).to_have_count(0)
