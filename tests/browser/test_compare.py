"""The Compare step: live pictures against the engine, two over each other, marks, scopes, and what may go wrong."""

import re
from dataclasses import replace
from urllib.parse import parse_qs

import numpy as np
from playwright.sync_api import Locator, expect

from saltwort.core.configs.look_files import looks_from_file
from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.scene.renders import follow
from saltwort.core.views.grade import AFTER, BEFORE, Grade, graded
from saltwort.server.images.operations import store_file
from saltwort.server.scene.operations import add_render
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, SRGB_DISPLAY, UNTONED, light, project_config, write

RAW = ViewChoice(SRGB_DISPLAY, "Raw")
NO_WEBGL = "OffscreenCanvas.prototype.getContext = () => null"


class CompareTestCase(BrowserTestCase):
    def picture(self, figure: str) -> Locator:
        return self.page.get_by_role("figure", name=figure).locator("canvas").first

    def pixels(self, picture: Locator, screen: str = "srgb") -> np.ndarray:
        """What a live picture shows of each pixel of the render, 8-bit steps of a screen, (height, width, 3)."""
        height, width = read_pixels(self.dusk).shape[:2]
        values = picture.evaluate(
            """(shown, [width, height, colorSpace]) => {
                const canvas = new OffscreenCanvas(shown.width, shown.height);
                const context = canvas.getContext('2d', { willReadFrequently: true, colorSpace });
                context.drawImage(shown, 0, 0);
                const { data } = context.getImageData(0, 0, canvas.width, canvas.height, { colorSpace });
                const found = [];
                for (let y = 0; y < height; y++)
                    for (let x = 0; x < width; x++) {
                        const column = Math.floor(((x + 0.5) / width) * canvas.width);
                        const row = Math.floor(((y + 0.5) / height) * canvas.height);
                        const start = (row * canvas.width + column) * 4;
                        found.push(...data.slice(start, start + 3));
                    }
                return found;
            }""",
            [width, height, screen],
        )
        return np.array(values, int).reshape(height, width, 3)

    def expected(self, choice: ViewChoice, exposure: float) -> np.ndarray:
        shown = apply(view_processor(project_config(), "ACEScg", choice, exposure), read_pixels(self.dusk))
        return np.round(np.clip(shown, 0, 1) * 255).astype(int)

    def drawn(self, figure: str, *words: str) -> Locator:
        """A live picture, once it shows what these words say."""
        picture = self.picture(figure)
        expect(picture).to_have_attribute("data-drawn", re.compile(".*".join(map(re.escape, words))))
        return picture

    def probes(self, x: str | re.Pattern[str], y: str | re.Pattern[str]) -> None:
        """The probe stands at a pixel."""
        expect(self.page.get_by_label("Probe x, pixels")).to_have_value(x)
        expect(self.page.get_by_label("Probe y, pixels")).to_have_value(y)

    def point_at(self, picture: Locator, x: int, y: int) -> None:
        box = picture.bounding_box()
        assert box
        self.page.mouse.move(box["x"] + (x + 0.5) / 96 * box["width"], box["y"] + (y + 0.5) / 54 * box["height"])


class LivePictures(CompareTestCase):
    def test_both_panes_hold_the_engines_numbers_at_any_exposure(self) -> None:
        page = self.open("compare")
        for number, choice in ((1, ACES_SDR), (2, UNTONED)):
            shown = self.pixels(self.drawn(f"Pane {number}", choice.view, " 0.00 "))
            np.testing.assert_allclose(shown, self.expected(choice, 0.0), atol=1)
        self.quiet()
        asked = len(self.asked)
        for _ in range(3):
            page.keyboard.press("]")
        expect(page.get_by_text("+1.5 stops")).to_be_visible()
        for number, choice in ((1, ACES_SDR), (2, UNTONED)):
            shown = self.pixels(self.drawn(f"Pane {number}", choice.view, " 1.50 "))
            np.testing.assert_allclose(shown, self.expected(choice, 1.5), atol=1)
        pictures = [url for url in self.asked[asked:] if re.search("/(picture|light|program)\\b", url)]
        self.assertEqual(pictures, [], "exposure asks the server for no picture")

    def test_every_view_is_drawn_within_a_step_of_the_exact_path(self) -> None:
        page = self.open("compare")
        for view in ("ACES 2.0 - SDR 100 nits (Rec.709)", "Un-tone-mapped", "Video (colorimetric)", "Raw"):
            self.choose("View, pane 1", view)
            self.drawn("Pane 1", view)
            status = page.get_by_role("status").filter(has_text="largest difference")
            expect(status).to_be_visible()
            self.quiet()
            difference = float(re.search(r"is ([0-9.]+) of 255", status.inner_text())[1])
            self.assertLess(difference, 1.0, view)

    def test_raw_shows_the_numbers_of_a_file_that_is_encoded(self) -> None:
        codes = np.random.default_rng(20261202).integers(0, 256, (54, 96, 3))
        file = write(self.folder / "codes.png", (codes / 255).astype(np.float32), "uint8")
        self.project.renders.all().delete()
        add_render(self.project, "codes.png", store_file(file, "codes.png"))
        self.open("compare")
        self.choose("View, pane 1", "Raw")
        shown = self.pixels(self.drawn("Pane 1", "Raw"))
        # Half floats of light keep 11 bits, which the curve of sRGB leaves within one step of 8 bits.
        np.testing.assert_allclose(shown, codes, atol=1)

    def test_magnified_around_the_pointer_moved_and_whole_again(self) -> None:
        page = self.open("compare")
        picture = self.drawn("Pane 1", " 0.00 ")
        before = self.pixels(picture)
        self.point_at(picture, 70, 30)
        for _ in range(8):
            page.mouse.wheel(0, -100)
        self.probes(re.compile("^(69|70)$"), re.compile("^(29|30)$"))
        expect(page.get_by_text(re.compile(r"^[0-9]+ %$"))).not_to_have_text("100 %")
        self.assertGreater(float(np.abs(self.pixels(picture) - before).mean()), 1)
        page.keyboard.press("w")
        np.testing.assert_array_equal(self.pixels(picture), before)

    def test_marks_stand_on_the_picture(self) -> None:
        self.open("compare")
        picture = self.drawn("Pane 1", "picture")
        plain = self.pixels(picture)
        self.choose("Show", "False colour in stops")
        marked = self.pixels(self.drawn("Pane 1", "stops"))
        self.assertLessEqual(len(np.unique(marked.reshape(-1, 3), axis=0)), 13)
        expect(self.page.get_by_role("img", name="Stops from middle grey")).to_be_visible()
        self.choose("Show", "Stripes where the display is at its limit")
        striped = self.pixels(self.drawn("Pane 1", "clipped"))
        light = read_pixels(self.dusk)
        exact = apply(view_processor(project_config(), "ACEScg", ACES_SDR), light)
        at_limit = (exact >= 0.9999).any(axis=2)
        # On the very edge of the limit the browser may decide otherwise than the engine.
        self.assertGreater(float((striped[at_limit] % 255 == 0).all(axis=1).mean()), 0.95)
        calm = (self.expected(ACES_SDR, 0.0) < 254).all(axis=2)
        np.testing.assert_array_equal(striped[calm], plain[calm])


class Layouts(CompareTestCase):
    def mode(self, name: str) -> None:
        self.page.get_by_role("radiogroup", name="How panes stand").get_by_text(name, exact=True).click()

    def test_wipe_flip_and_difference(self) -> None:
        page = self.open("compare")
        self.mode("Flip")
        flip = page.get_by_role("figure", name="Both panes")
        expect(flip.get_by_role("status").last).to_contain_text("1 ACES 2.0")
        page.keyboard.press("v")
        expect(flip.get_by_role("status").last).to_contain_text("2 Un-tone-mapped")
        self.mode("Wipe")
        upper = flip.locator("[class*=layer]").nth(1)
        expect(upper).to_have_css("clip-path", re.compile("polygon"))
        slider = flip.get_by_role("slider", name="Angle of the wipe")
        straight = upper.evaluate("(layer) => getComputedStyle(layer).clipPath")
        slider.focus()
        page.keyboard.press("End")
        self.assertNotEqual(upper.evaluate("(layer) => getComputedStyle(layer).clipPath"), straight)
        self.mode("Difference")
        expect(flip.locator("[class*=layer]").nth(1)).to_have_css("mix-blend-mode", "difference")
        flip.get_by_role("slider", name="Gain of the difference").focus()
        page.keyboard.press("End")
        expect(flip).to_contain_text("× 64")

    def test_where_the_light_goes(self) -> None:
        page = self.open("compare")
        self.mode("Tone and hue response")
        table = page.get_by_role("table", name="Tone and hue response")
        expect(table.get_by_role("row")).to_have_count(3)
        expect(table.get_by_role("row").nth(2)).to_contain_text("0.180", timeout=60_000)
        expect(page.get_by_role("img", name=re.compile("^Tone curves"))).to_be_visible()
        expect(page.get_by_role("img", name=re.compile("^Hues on their way to white"))).to_have_count(2)
        self.assertNotRegex(page.get_by_role("main").inner_text(), r"[-−]0(\.0*)?(?![.\d])")
        self.mode("Panes")
        self.choose("View, pane 2", "Raw")
        self.drawn("Pane 2", "Raw")
        self.mode("Tone and hue response")
        expect(table).to_contain_text("does not output the colours of a display", timeout=60_000)

    def test_panes_are_added_and_taken_away(self) -> None:
        page = self.open("compare")
        for count in (3, 4):
            page.get_by_role("button", name="Add a pane").click()
            expect(page.get_by_role("figure", name=f"Pane {count}")).to_be_visible()
        page.get_by_role("button", name="Remove pane 1").click()
        expect(page.get_by_role("figure", name="Pane 4")).to_have_count(0)
        self.reload()
        expect(page.get_by_role("figure", name=re.compile("^Pane"))).to_have_count(3)

    def test_every_view_of_the_config_at_once(self) -> None:
        page = self.open("compare")
        self.mode("All views")
        config = project_config()
        views = sum(len(config.getViews(display)) for display in config.getDisplays())
        expect(page.locator("canvas")).to_have_count(views)

    def test_panes_take_views_of_their_own_and_one_becomes_the_projects(self) -> None:
        page = self.open("compare")
        self.choose("View, pane 1", "Raw")
        self.choose("Look, pane 2", "ACES 1.3 Reference Gamut Compression")
        self.drawn("Pane 1", "Raw")
        self.reload()
        self.drawn("Pane 1", "Raw")
        page.get_by_role("figure", name="Pane 1").get_by_role("button", name="Make project view").click()
        expect(self.segment("Compare")).to_contain_text("Raw on sRGB")
        page.keyboard.press("x")
        self.drawn("Pane 2", "Raw")


class Grading(CompareTestCase):
    GRADE = Grade(slope=(1.5, 1.0, 0.8), offset=(0.0, 0.02, 0.0), power=(1.0, 1.2, 1.0), saturation=0.7)

    def set_grade(self, place: str) -> None:
        self.page.get_by_role("radiogroup", name="Where the grade stands").get_by_text(place).click()
        for row in ("slope", "offset", "power"):
            for channel, value in zip(("red", "green", "blue"), getattr(self.GRADE, row), strict=True):
                self.page.get_by_label(f"{row}, {channel}").fill(str(value))
        self.page.get_by_label("saturation", exact=True).fill(str(self.GRADE.saturation))

    def expected_graded(self, place: str) -> np.ndarray:
        grade = replace(self.GRADE, place=place)
        light = graded(project_config(), read_pixels(self.dusk), grade, BEFORE)
        shown = graded(
            project_config(), apply(view_processor(project_config(), "ACEScg", ACES_SDR), light), grade, AFTER
        )
        return np.round(np.clip(shown, 0, 1) * 255).astype(int)

    def test_before_and_after_the_view_are_two_pictures_both_as_core_has_them(self) -> None:
        self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        self.set_grade("Before the view")
        before = self.pixels(self.drawn("Pane 1", "before 1.5,1,0.8"))
        np.testing.assert_allclose(before, self.expected_graded(BEFORE), atol=1)
        self.page.get_by_role("radiogroup", name="Where the grade stands").get_by_text("After").click()
        after = self.pixels(self.drawn("Pane 1", "after 1.5,1,0.8"))
        np.testing.assert_allclose(after, self.expected_graded(AFTER), atol=1)
        self.assertGreater(float(np.abs(before - after).mean()), 2)
        expect(self.page.get_by_text("What the view has cut")).to_be_visible()
        self.page.get_by_role("button", name="Reset").click()
        plain = self.pixels(self.drawn("Pane 1", "after 1,1,1"))
        np.testing.assert_allclose(plain, self.expected(ACES_SDR, 0.0), atol=1)

    def test_saved_as_a_look_it_gives_the_same_picture(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        self.set_grade("Before the view")
        graded_picture = self.pixels(self.drawn("Pane 1", "before 1.5,1,0.8"))
        page.get_by_label("As a look of the config").fill("Warm dusk")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_text("revision 2")).to_be_visible()
        page.get_by_role("radiogroup", name="Where the grade stands").get_by_text("Off").click()
        self.choose("Look, pane 1", "Warm dusk")
        looked = self.pixels(self.drawn("Pane 1", "Warm dusk", "none"))
        np.testing.assert_allclose(looked, graded_picture, atol=1)

    def test_it_goes_out_as_a_cdl_that_comes_in_as_a_look(self) -> None:
        page = self.open("compare")
        self.set_grade("Before the view")
        with page.expect_download() as download:
            page.get_by_role("link", name="CDL").click()
        (look,) = looks_from_file("grade.cc", download.value.path().read_bytes())
        self.assertEqual((look.slope, look.offset, look.power), (self.GRADE.slope, self.GRADE.offset, self.GRADE.power))
        self.assertEqual(look.saturation, self.GRADE.saturation)


class Measuring(CompareTestCase):
    def test_the_probe_tells_light_view_and_code_values(self) -> None:
        page = self.open("compare")
        picture = self.drawn("Pane 1", " 0.00 ")
        x, y = 70, 30
        self.point_at(picture, x, y)
        probe = page.get_by_role("table", name="Probe")
        self.probes(str(x), str(y))
        expect(probe.get_by_role("row")).to_have_count(8)
        np.testing.assert_allclose(self.numbers(probe, 0), read_pixels(self.dusk)[y, x], rtol=1e-3)  # four figures
        for row, choice in ((4, ACES_SDR), (5, UNTONED)):
            self.assertEqual(self.numbers(probe, row), self.expected(choice, 0.0)[y, x].tolist())
        self.choose("Bits of code values", "12-bit")
        exact = view_processor(project_config(), "ACEScg", ACES_SDR).applyRGB(read_pixels(self.dusk)[y, x].tolist())
        self.assertEqual(self.numbers(probe, 4), np.round(np.clip(exact, 0, 1) * 4095).tolist())

    def numbers(self, table: Locator, row: int) -> list[float]:
        return [float(text) for text in table.get_by_role("row").nth(row).get_by_role("cell").all_inner_texts()]

    def test_probes_are_held_and_followed_through_every_step(self) -> None:
        page = self.open("compare")
        picture = self.drawn("Pane 1", " 0.00 ")
        for x, y in ((70, 30), (20, 10)):
            self.point_at(picture, x, y)
            page.mouse.down()
            page.mouse.up()
            self.probes(str(x), str(y))
        self.reload()
        page.get_by_role("radiogroup", name="How panes stand").get_by_text("Probes", exact=True).click()
        table = page.get_by_role("table", name="Probes held")
        expect(table.get_by_role("row")).to_have_count(5)
        cells = table.get_by_role("row").nth(2).get_by_role("cell").all_inner_texts()
        followed = follow(project_config(), tuple(read_pixels(self.dusk)[30, 70].tolist()), "ACEScg", UNTONED, 0.0)
        self.assertEqual([int(code) for code in cells[9].split()], list(followed.code_values[3]))
        self.assertAlmostEqual(float(cells[10]), followed.nits or 0, delta=(followed.nits or 0) * 1e-3)
        page.get_by_role("button", name="Remove probe 1").click()
        expect(table.get_by_role("row")).to_have_count(3)
        page.get_by_role("button", name="Remove the probe").click()
        expect(page.get_by_text("Click on a picture to hold a probe")).to_be_visible()

    def test_scopes_of_a_part_that_is_marked(self) -> None:
        page = self.open("compare")
        picture = self.drawn("Pane 1", " 0.00 ")
        expect(page.get_by_role("img", name="Waveform, code values")).to_be_visible()
        self.point_at(picture, 10, 10)
        page.keyboard.down("Shift")
        page.mouse.down()
        self.point_at(picture, 30, 10)
        self.point_at(picture, 58, 34)
        with page.expect_request(lambda request: "/scope?" in request.url and "width=1&" not in request.url) as asked:
            page.mouse.up()
        page.keyboard.up("Shift")
        expect(page.get_by_text("Of the part that is marked")).to_be_visible()
        query = parse_qs(asked.value.url.partition("?")[2])
        part = [float(query[name][0]) for name in ("x", "y", "width", "height")]
        np.testing.assert_allclose(part, (10.5 / 96, 10.5 / 54, 48 / 96, 24 / 54), atol=0.012)
        page.get_by_role("button", name="All that is looked at").click()
        expect(page.get_by_text("Shift and drag marks a part")).to_be_visible()

    def test_scopes_before_and_after_the_view(self) -> None:
        page = self.open("compare")
        expect(page.get_by_role("img", name="Waveform, code values")).to_be_visible()
        page.get_by_role("radiogroup", name="Before or after the view").get_by_text("Light").click()
        expect(page.get_by_role("img", name="Waveform, light in stops")).to_be_visible()
        for scope in ("Parade", "Vectorscope"):
            self.choose("Scope", scope)
            expect(page.get_by_role("img", name=f"{scope}, light in stops")).to_be_visible()
        self.choose("Scope", "Histogram in stops")
        expect(page.get_by_role("img", name="Histogram")).to_be_visible()
        self.choose("Scope", "Chromaticities, u′v′")
        expect(page.get_by_role("img", name=re.compile("Gamut of ACEScg"))).to_be_visible()


class WhatMayGoWrong(CompareTestCase):
    own_pages = True

    def test_without_webgl_the_server_draws_and_says_so(self) -> None:
        self.page.add_init_script(NO_WEBGL)
        page = self.open("compare")
        pane = page.get_by_role("figure", name="Pane 1")
        expect(pane.get_by_role("status")).to_contain_text("drawn by the server: This browser has no WebGL2.")
        shown = self.page.request.get(f"{self.live_server_url}{pane.locator('img').get_attribute('src')}").body()
        path = self.folder / "seen.png"
        path.write_bytes(shown)
        expected = self.expected(ACES_SDR, 0.0) / 255
        self.assertLessEqual(float(np.abs(read_pixels(path) - expected).max()), 1.01 / 255)
        expect(page.get_by_text("Pictures are drawn by the server, exactly")).to_be_visible()

    def test_a_lost_context_goes_over_to_the_server(self) -> None:
        self.page.add_init_script(
            """const get = OffscreenCanvas.prototype.getContext;
            OffscreenCanvas.prototype.getContext = function (kind, ...rest) {
                const context = get.call(this, kind, ...rest);
                if (kind === 'webgl2') window.drawing = { canvas: this, context };
                return context;
            };"""
        )
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        page.evaluate(
            """() => {
                window.drawing.loss = window.drawing.context.getExtension('WEBGL_lose_context');
                window.drawing.loss.loseContext();
            }"""
        )
        pane = page.get_by_role("figure", name="Pane 1")
        expect(pane.get_by_role("status")).to_contain_text("The graphics context was lost.")
        page.evaluate("() => window.drawing.loss.restoreContext()")
        shown = self.pixels(self.drawn("Pane 1", " 0.00 "))
        np.testing.assert_allclose(shown, self.expected(ACES_SDR, 0.0), atol=1)

    def test_a_view_that_cannot_be_had_is_told_and_the_other_goes_on(self) -> None:
        page = self.open("compare")
        self.drawn("Pane 1", " 0.00 ")
        page.route("**/program?*view=Raw*", lambda route: route.abort())
        self.choose("View, pane 2", "Raw")
        expect(page.get_by_role("figure", name="Pane 2").get_by_role("alert")).to_be_visible()
        expect(page.get_by_role("figure", name="Pane 1").get_by_role("alert")).to_have_count(0)

    def test_a_picture_that_vanished_is_told(self) -> None:
        render = self.project.renders.get()
        # One that no test before has shown: what the server has in memory needs no file.
        file = write(self.folder / "files" / "gone.exr", light(54, 96, 12.0, 7), "half")
        render.image = store_file(file, "gone.exr")
        render.save()
        render.image.file.unlink()
        page = self.open("compare")
        expect(page.get_by_role("figure", name="Pane 1").get_by_role("alert")).to_contain_text("is gone")
