"""The Scene step: colours, the rig and its lights, the working space, renders."""

import json
import re
from io import BytesIO
from unittest.mock import patch

import numpy as np
import PyOpenColorIO as ocio
from playwright.sync_api import Locator, expect

from saltwort.core.engine import view_processor
from saltwort.core.images import read_pixels
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import solved_swatch
from saltwort.server.projects.setups import current_setup
from tests.browser.base import BrowserTestCase
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, light, project_config, write


class Colours(BrowserTestCase):
    def saved(self) -> list[str]:
        return [
            f"{swatch.name} {swatch.colour.text}" for swatch in ScenePart.of(current_setup(self.current())).swatches
        ]

    def test_a_colour_is_typed_converted_and_seen(self) -> None:
        page = self.open("scene")
        page.get_by_role("button", name="Add colour").first.click()
        side = self.section("Selected")
        side.get_by_label("Name").fill("brass")
        side.get_by_label("Colour", exact=True).fill("#b58c4a")
        self.choose("Notation", "hex")
        side.get_by_role("radiogroup", name="What it is for").get_by_text("light").click()
        side.get_by_role("button", name="Add colour").click()
        card = page.get_by_role("button", name=re.compile("^brass"))
        typed = [0xB5 / 255, 0x8C / 255, 0x4A / 255]
        working = project_config().getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg")).getDefaultCPUProcessor()
        expect(card).to_contain_text(" ".join(f"{value:.4f}" for value in working.applyRGB(typed)))
        shown = view_processor(project_config(), SRGB, ACES_SDR).applyRGB(typed)
        expect(side).to_contain_text(" ".join(str(round(value * 255)) for value in shown))
        expect(side).to_contain_text("What appears is in the gamut of all")
        paint = card.locator("[class*=paint]")
        expect(paint).to_have_css(
            "background-color", "rgb({}, {}, {})".format(*(round(value * 255) for value in shown))
        )

    def test_bad_numbers_are_said_at_the_field(self) -> None:
        self.open("scene")
        side = self.section("Selected")
        cases = {
            ("0–255", "300 0 0"): "0 to 255",
            ("0–255", "1 2"): "here are 2",
            ("0–1", "nan"): "finite",
            ("0–1", "teal"): "three numbers",
            ("hex", "#12345"): "3 or 6 digits",
            ("Black body, K", "500"): "1,000 to 40,000 K",
            ("Daylight, K", "2000"): "Daylight goes from",
            ("xyY", "0.3 0.3 -1"): "no light",
        }
        for (unit, text), words in cases.items():
            side.get_by_label("Colour", exact=True).fill(text)
            self.choose("Notation", unit)
            side.get_by_role("button", name="Save").click()
            expect(side.get_by_text(words)).to_be_visible()
        self.assertEqual(self.saved(), ["enamel 47 106 104"])

    def test_deleted_and_brought_back(self) -> None:
        page = self.open("scene")
        self.section("Selected").get_by_role("button", name="Delete").click()
        expect(page.get_by_text("No colours yet")).to_be_visible()
        expect(page.get_by_text("revision 2")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name=re.compile("^enamel"))).to_be_visible()
        self.assertEqual(self.saved(), ["enamel 47 106 104"])

    def test_out_as_json_and_in_with_more(self) -> None:
        page = self.open("scene")
        with page.expect_download() as download:
            page.get_by_role("link", name="JSON").click()
        rows = json.loads(download.value.path().read_text())
        file = self.folder / "more.json"
        file.write_text(json.dumps([*rows, {**rows[0], "name": "shadow", "text": "12 20 20"}]))
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a file").click()
        chooser.value.set_files(file)
        expect(page.get_by_role("button", name=re.compile("^shadow"))).to_be_visible()
        self.assertEqual(self.saved(), ["enamel 47 106 104", "shadow 12 20 20"])

    def test_picked_from_a_render_with_what_the_numbers_mean(self) -> None:
        page = self.open("scene")
        side = self.section("Selected")
        picture = side.get_by_role("button", name="Pick from dusk.exr").locator("img")
        side.get_by_label("Sample size").fill("1")
        box = picture.bounding_box()
        assert box
        x, y = 70, 30
        picture.click(position={"x": (x + 0.5) / 96 * box["width"], "y": (y + 0.5) / 54 * box["height"]})
        expect(side.get_by_label("Probe x, pixels")).to_have_value(str(x))
        expect(side.get_by_label("Probe y, pixels")).to_have_value(str(y))
        expect(side.get_by_text(re.compile("these numbers, back through")).last).to_be_visible()
        side.get_by_role("button", name="Use", exact=True).first.click()
        taken = [float(word) for word in side.get_by_label("Colour", exact=True).input_value().split()]
        np.testing.assert_allclose(taken, read_pixels(self.dusk)[y, x], atol=1e-4)
        expect(page.get_by_role("combobox", name="Typed in")).to_have_value("ACEScg")

    def test_a_brand_colour_as_it_must_appear_reaches_the_sheet(self) -> None:
        page = self.open("scene")
        page.get_by_role("button", name="Add colour").first.click()
        side = self.section("Selected")
        side.get_by_label("Name").fill("ferry yellow")
        side.get_by_role("radiogroup", name="What the numbers are").get_by_text("as it appears").click()
        side.get_by_label("Colour", exact=True).fill("#ffd100")
        solved = side.get_by_label("As it appears", exact=True)
        expect(solved).to_contain_text("nearest possible")
        expect(solved).to_contain_text("a surface reflects 1 at most")
        lit = solved.get_by_role("listitem").filter(has_text="Lit 1.5 stops brighter")
        lit.get_by_role("button", name="Use").click()
        expect(solved).to_contain_text("Appears as asked for.")
        asked, appears = (
            paint.evaluate("each => getComputedStyle(each).backgroundColor")
            for paint in solved.locator("[class*=paint]").all()
        )
        self.assertEqual((asked, appears), ("rgb(255, 209, 0)",) * 2)
        side.get_by_role("button", name="Add colour").click()
        expect(page.get_by_role("button", name=re.compile("^ferry yellow"))).to_contain_text("as it appears")
        (swatch,) = [each for each in ScenePart.of(current_setup(self.current())).swatches if each.appears]
        own = solved_swatch(project_config(), swatch).own
        self.open("handoffs")
        expect(self.section("Settings of the renderer")).to_contain_text("  ".join(f"{value:.4f}" for value in own))

    def test_a_palette_is_imported(self) -> None:
        palette = self.folder / "quay.css"
        palette.write_text(":root { --lamp-red: #c8102e; --harbour-teal: rgb(47 106 104); }")
        page = self.open("scene")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a file").click()
        chooser.value.set_files(palette)
        expect(page.get_by_role("button", name=re.compile("^harbour teal"))).to_contain_text("as it appears")
        self.assertEqual(self.saved()[1:], ["lamp red #c8102e", "harbour teal #2f6a68"])

    def test_a_measured_reflectance_becomes_a_swatch(self) -> None:
        page = self.open("scene")
        page.get_by_text("Measured reflectances").click()
        row = page.get_by_role("table", name="Measured reflectances").get_by_role("row").filter(has_text="copper")
        row.get_by_role("button", name="Use").click()
        side = self.section("Selected")
        side.get_by_label("Name").fill("copper")
        side.get_by_role("button", name="Add colour").click()
        expect(page.get_by_role("button", name=re.compile("^copper"))).to_contain_text("metal")


class Rig(BrowserTestCase):
    def tearDown(self) -> None:
        self.quiet()  # pictures that are still rendered
        super().tearDown()

    def pixels(self, picture: Locator) -> np.ndarray:
        """What an image of the page holds, float on 0–1."""
        expect(picture).to_be_visible(timeout=60_000)
        content = self.page.request.get(f"{self.live_server_url}{picture.get_attribute('src')}").body()
        path = self.folder / "seen.png"
        path.write_bytes(BytesIO(content).getvalue())
        return read_pixels(path)

    def test_lights_are_set_in_stops_alone_and_silent(self) -> None:
        page = self.open("scene?part=rig")
        figure = page.get_by_role("figure").filter(has_text="a quick look").locator("img")
        before = self.pixels(figure)
        source = figure.get_attribute("src") or ""
        key = page.get_by_role("group", name="Light key")
        slider = key.get_by_role("slider")
        slider.focus()
        for _ in range(8):
            page.keyboard.press("ArrowRight")
        expect(key).to_contain_text("+2.00 stops")
        expect(figure).not_to_have_attribute("src", source)
        page.wait_for_function(
            "() => fetch('/api/v1/projects/quay/lights').then((r) => r.json()).then((l) => l[1].stops === 2)"
        )
        self.quiet()
        self.assertGreater(self.pixels(figure).mean(), before.mean())
        flame = page.get_by_role("group", name="Light flame")
        flame.get_by_role("button", name="Solo").click()
        expect(figure).to_have_attribute("src", re.compile("solo=flame"))
        alone = self.pixels(figure)
        self.assertLess(alone.mean(), before.mean())
        flame.get_by_role("button", name="Mute").click()
        flame.get_by_role("button", name="Solo").click()
        expect(figure).to_have_attribute("src", re.compile("solo=&muted=flame"))
        self.assertEqual([light.stops for light in ScenePart.of(current_setup(self.current())).lights][1], 2.0)

    def test_undone_stops_stay_undone(self) -> None:
        page = self.open("scene?part=rig")
        key = page.get_by_role("group", name="Light key")
        slider = key.get_by_role("slider")
        slider.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text("revision 2")).to_be_visible()
        expect(key).to_contain_text("+0.50 stops")
        slider.blur()
        page.keyboard.press("Control+z")
        expect(key).to_contain_text("+0.00 stops")
        self.assertEqual(self.current().current.number, 1)
        # What was still to be saved of them would be saved before what is changed now.
        flame = page.get_by_role("group", name="Light flame").get_by_role("slider")
        flame.focus()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text("revision 3")).to_be_visible()
        expect(key).to_contain_text("+0.00 stops")
        stops = {light.name: light.stops for light in ScenePart.of(current_setup(self.current())).lights}
        self.assertEqual((stops["key"], stops["flame"]), (0.0, -2.75))

    def test_a_mistake_stands_beside_the_right_picture_with_its_finding(self) -> None:
        page = self.open("scene?part=rig")
        self.choose("Wrong on purpose", "Texture read as data")
        wrong = page.get_by_role("img", name="Wrong: Texture read as data")
        right = page.get_by_role("img", name="Right, through the view")
        self.assertGreater(float(np.abs(self.pixels(wrong) - self.pixels(right)).max()), 0.05)
        expect(page.get_by_role("note")).to_contain_text("texture.colour-read-as-data")
        self.choose("Wrong on purpose", "Reinhard with white point")
        expect(page.get_by_role("note")).to_contain_text("render.view-baked")
        self.choose("White point", "16")
        expect(page.get_by_role("img", name="Baked: Reinhard with white point")).to_have_attribute(
            "src", re.compile("white=16")
        )

    def test_same_colour_says_which_was_decoded(self) -> None:
        page = self.open("scene?part=rig")
        table = page.get_by_role("table", name="Same colour?")
        expect(table).to_be_visible(timeout=60_000)
        expect(self.section("Rig set-up")).to_contain_text("Swatch and texture give the same surface.")
        page.get_by_text("Materials and lights of the rig").click()
        self.choose("Texture ball", "rope/scans_raw/rope_albedo.jpg")
        expect(self.section("Rig set-up")).to_contain_text("read as Raw", timeout=60_000)
        expect(table).to_contain_text("not decoded")

    def test_a_material_is_given_a_swatch(self) -> None:
        page = self.open("scene?part=rig")
        page.get_by_text("Materials and lights of the rig").click()
        self.choose("Quay stone", "swatch enamel")
        expect(page.get_by_text("Materials and lights of the rig")).to_contain_text("1 chosen")
        self.choose("Amber glass, glow", "lamp/lamp_lin_rec709_emission.exr")
        expect(self.section("Rig set-up")).to_contain_text("read as Linear Rec.709", timeout=60_000)
        scene = ScenePart.of(current_setup(self.current()))
        self.assertEqual(dict(scene.inputs)["stone"], "swatch:enamel")
        expect(page.get_by_text("revision 3")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Materials and lights of the rig")).to_contain_text("1 chosen")

    def test_working_spaces_beside_spectra(self) -> None:
        with patch("saltwort.server.scene.rig.SPECTRAL", (64, 36, 1)):
            page = self.open("scene?part=rig")
            page.get_by_role("button", name="Compare with spectra").click()
            table = page.get_by_role("table", name="Working spaces beside spectra")
            expect(table).to_be_visible(timeout=60_000)
            expect(table.get_by_role("row").nth(1)).to_contain_text(re.compile(r"[0-9.]+"))
            self.assertGreater(table.get_by_role("row").count(), 3)
            page.get_by_text(re.compile("By light and surface")).click()
            expect(page.get_by_role("img", name="Rendered with spectra")).to_be_visible(timeout=60_000)
            self.quiet()

    def test_a_light_is_given_a_temperature(self) -> None:
        page = self.open("scene?part=rig")
        page.get_by_role("button", name="Colour of key").click()
        form = page.get_by_role("dialog")
        self.choose("Notation", "Black body, K")
        form.get_by_label("Colour", exact=True).fill("500")
        form.get_by_role("button", name="Save").click()
        expect(form).to_contain_text("1,000 to 40,000 K")
        form.get_by_label("Colour", exact=True).fill("2700")
        form.get_by_role("button", name="Save").click()
        expect(page.get_by_role("button", name="Colour of key: 2700 K")).to_be_visible()

    def test_a_better_picture_is_rendered_and_listed(self) -> None:
        page = self.open("scene?part=rig")
        self.choose("Size", "320x180")
        page.get_by_label("Samples").fill("5")
        page.get_by_role("button", name="Render", exact=True).click()
        expect(page.get_by_role("figure")).to_contain_text("320 × 180, 5 samples", timeout=60_000)
        page.get_by_text("Renders", exact=True).click()
        card = page.get_by_role("button", name=re.compile("rig_acescg.exr"))
        expect(card).to_contain_text("by the bench renderer")
        card.click()
        self.choose("Layer", "flame")
        expect(page.get_by_role("img", name=re.compile("rig_acescg.exr"))).to_be_visible()


class WorkingSpaces(BrowserTestCase):
    def tearDown(self) -> None:
        self.quiet()
        super().tearDown()

    def test_what_changes_is_seen_before_it_is_switched_and_undone(self) -> None:
        page = self.open("scene?part=space")
        expect(self.section("Its gamut")).to_contain_text("of Pointer’s surface colours")
        self.choose("Try another space", LINEAR_REC709)
        table = page.get_by_role("table", name="Colours before and after")
        expect(table).to_be_visible(timeout=60_000)
        expect(table.get_by_role("row").filter(has_text="enamel")).to_contain_text("0.1359")
        expect(table.get_by_role("row").filter(has_text="marker")).to_contain_text("below zero")
        expect(page.get_by_text("Worst spots")).to_be_visible()
        page.get_by_role("button", name=re.compile("^Switch to")).click()
        self.save_change()
        self.assertEqual(current_setup(self.current()).working_space, LINEAR_REC709)
        expect(page.get_by_text("Choose another space to see what it would change")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(self.segment("Scene")).to_contain_text("ACEScg")
        self.assertEqual(self.current().current.number, 1)


class Renders(BrowserTestCase):
    def test_bringing_a_render_and_saying_its_space(self) -> None:
        page = self.open("scene?part=renders")
        brought = write(self.folder / "wide.exr", light(20, 30, 9.0), "half", colorInteropID="lin_rec2020_scene")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a render").click()
        chooser.value.set_files(brought)
        card = page.get_by_role("button", name=re.compile("wide.exr"))
        expect(card).to_contain_text("read as Linear Rec.2020, detected from header")
        expect(self.section("Selected").get_by_role("heading", name="wide.exr")).to_be_visible()
        expect(self.section("Selected")).to_contain_text("peak")
        self.quiet()
        self.choose("Read as", "ACEScg")
        expect(card).to_contain_text("read as ACEScg, detected from you")

    def test_light_that_was_cut_off_is_marked(self) -> None:
        pixels = np.clip(light(40, 60, 9.0) * np.float32(0.15), 0, 1)
        clipped = write(self.folder / "clipped.exr", pixels, "half")
        page = self.open("scene?part=renders")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a render").click()
        chooser.value.set_files(clipped)
        picture = page.get_by_role("img", name=re.compile("clipped.exr"))
        expect(picture).to_be_visible()
        slider = page.get_by_role("slider", name="Stops down")
        slider.focus()
        for _ in range(6):
            page.keyboard.press("ArrowRight")
        expect(page.get_by_text("−3.0 stops")).to_be_visible()
        expect(page.get_by_role("img", name="clipped.exr, 3 stops down")).to_have_attribute(
            "src", re.compile("exposure=-3&.*mark=flat")
        )
        expect(page.get_by_text(re.compile("Of what is bright"))).to_be_visible()
        expect(self.section("Selected")).to_contain_text("Clipped at 1")
