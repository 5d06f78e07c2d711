"""The frame of every step: strip, tracer, tray, keys, undo, and what happens when things go wrong."""

import re
from dataclasses import replace

from playwright.sync_api import Locator, Route, expect

from saltwort.server.projects.models import Revision
from saltwort.server.projects.operations import change_setup
from saltwort.server.textures.operations import pin_texture
from tests.browser.base import BrowserTestCase
from tests.samples import SRGB, SRGB_DISPLAY

STEPS = ("config", "textures", "scene", "compare", "handoffs", "outputs")


class PathStrip(BrowserTestCase):
    def test_it_opens_on_the_project_and_tells_each_steps_fact(self) -> None:
        self.page.goto(f"{self.live_server_url}/p/quay")
        expect(self.page).to_have_url(re.compile("/p/quay$"))
        expect(self.page).to_have_title("Quay · Saltwort")
        facts = {"Config": "25 spaces", "Textures": "4 files", "Scene": "ACEScg", "Compare": "ACES 2.0 on sRGB"}
        for step, fact in {**facts, "Hand-offs": "2 applications", "Outputs": "0 files"}.items():
            expect(self.segment(step)).to_contain_text(fact)

    def test_shipped_fonts_are_used(self) -> None:
        page = self.open("config")
        for family in ("Atkinson Hyperlegible Next Variable", "Atkinson Hyperlegible Mono Variable"):
            page.wait_for_function(f"document.fonts.check('14px \"{family}\"')")

    def test_every_surface_and_text_of_the_chrome_is_neutral(self) -> None:
        for step in STEPS:
            page = self.open(step)
            tinted = page.evaluate(
                """() => [...document.querySelectorAll('body, body *:not(svg):not(path)')].flatMap((element) => {
                    const style = getComputedStyle(element);
                    if (element.closest('[class*=disc], [class*=paint], svg') || element.style.background) return [];
                    return ['color', 'backgroundColor'].map((name) => style[name]).filter((value) => {
                        const [r, g, b, a] = value.match(/[\\d.]+/g).map(Number);
                        return a !== 0 && !(r === g && g === b);
                    });
                })"""
            )
            with self.subTest(step):
                self.assertEqual(set(tinted), set())

    def test_nothing_is_cut_off_at_1280_by_800(self) -> None:
        for step in STEPS:
            page = self.open(step)
            wide = page.evaluate(
                """() => [...document.querySelectorAll('.column, header, main, .list')]
                    .filter((element) => element.scrollWidth > element.clientWidth + 1)
                    .map((element) => `${element.className}: ${element.scrollWidth} > ${element.clientWidth}`)"""
            )
            with self.subTest(step):
                self.assertEqual(wide, [])

    def test_digits_go_to_the_steps_and_question_mark_tells_the_keys(self) -> None:
        page = self.open("config")
        for number, step in enumerate(STEPS, start=1):
            page.keyboard.press(str(number))
            expect(page).to_have_url(re.compile(f"/{step}$"))
        page.keyboard.press("?")
        expect(page.get_by_role("dialog", name="Keys")).to_contain_text("change the test colour")


class Tracer(BrowserTestCase):
    def test_a_typed_colour_is_carried_along(self) -> None:
        page = self.open("config")
        page.keyboard.press("t")
        page.get_by_label("Colour", exact=True).fill("#ff8000")
        self.choose("Notation", "hex")
        page.get_by_role("button", name="Use this colour").click()
        expect(page.get_by_role("button", name=re.compile("test colour #ff8000"))).to_be_visible()
        expect(self.joint("as typed")).to_have_css("background-color", "rgb(255, 128, 0)")
        self.joint("in the working space").hover()
        tip = page.get_by_role("tooltip").filter(has_text="in the working space")
        expect(tip).to_contain_text("ACEScg")
        expect(tip).to_contain_text(re.compile(r"0\.\d{4} 0\.\d{4} 0\.\d{4}"))

    def test_a_clipped_channel_is_told_at_its_joint(self) -> None:
        page = self.open("config")
        self.joint("in a 8-bit file").hover()
        page.keyboard.press("t")
        page.get_by_label("Colour", exact=True).fill("0 1.2 0")
        self.choose("Notation", "0–1")
        self.choose("Typed in", "Linear Rec.2020")
        page.get_by_role("button", name="Use this colour").click()
        joint = self.joint("through")
        expect(joint).to_have_accessible_name(re.compile("red is clipped at 0"))
        joint.hover()
        expect(page.get_by_role("tooltip").filter(has_text="through")).to_contain_text("outside the gamut of sRGB")

    def test_what_does_not_parse_is_said_at_the_field(self) -> None:
        page = self.open("config")
        page.keyboard.press("t")
        page.get_by_label("Colour", exact=True).fill("300 0 0")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog").get_by_text("8-bit values lie from 0 to 255")).to_be_visible()
        self.assertEqual(self.current().tracer_text, "47 106 104")


class Undo(BrowserTestCase):
    def test_a_pin_is_undone_by_keys_and_the_message_redoes_it(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        expect(page.get_by_text("revision 2")).to_be_visible()
        page = self.open("textures")
        page.get_by_role("grid", name="Textures").get_by_text("wall_basecolor.png").click()
        side = self.section("Selected file")
        side.get_by_role("textbox", name=re.compile("Read as")).or_(
            side.get_by_role("combobox", name=re.compile("Read as"))
        ).first.click()
        page.get_by_role("option", name="ACEScg", exact=True).click()
        expect(side).to_contain_text("Back to the rules")
        side.get_by_role("heading", level=2).click()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("Undone: wall_basecolor.png: set by hand to ACEScg.")).to_be_visible()
        expect(page.get_by_text("revision 2")).to_be_visible()
        self.assertEqual(self.project.textures.get(path="wall/wall_basecolor.png").pin_space, "")
        page.get_by_role("button", name="Redo").click()
        expect(page.get_by_text("Done again: wall_basecolor.png: set by hand to ACEScg.")).to_be_visible()
        self.assertEqual(self.project.textures.get(path="wall/wall_basecolor.png").pin_space, "ACEScg")

    def test_what_takes_longer_than_a_moment_is_told_while_it_goes_on(self) -> None:
        pin_texture(self.project.textures.all()[0], 1, SRGB, "")
        page = self.open("textures")
        held: list[Route] = []
        page.route("**/undo", lambda route: held.append(route))
        page.keyboard.press("Control+z")
        under_way = page.get_by_role("alert").filter(has_text="Undoing: ")
        expect(under_way).to_be_visible()
        held[0].continue_()
        expect(page.get_by_text(re.compile("^Undone: "))).to_be_visible()
        expect(under_way).to_have_count(0)

    def test_keys_go_back_and_forth(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        expect(self.segment("Scene")).to_contain_text("Linear Rec.2020")
        expect(page.get_by_text("revision 2")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(self.segment("Scene")).to_contain_text("ACEScg")
        page.keyboard.press("Control+y")
        expect(self.segment("Scene")).to_contain_text("Linear Rec.2020")


class Kept(BrowserTestCase):
    """What is proposed, typed or selected survives a reload, the back button and a walk to another step."""

    def test_a_proposal_with_its_message(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.proposed().get_by_label("Message").fill("For the night shots")
        page.reload()
        expect(self.proposed().get_by_label("Message")).to_have_value("For the night shots")
        page.keyboard.press("2")
        expect(self.proposed()).to_contain_text("For the night shots")  # it follows to the step
        page.wait_for_url("**/textures")
        page.go_back()
        page.wait_for_url("**/config")
        expect(self.proposed()).to_contain_text("For the night shots")
        self.proposed().get_by_role("button", name="Drop").click()
        expect(self.proposed()).to_have_count(0)
        page.get_by_role("button", name="Propose again").click()
        page.keyboard.press("2")
        self.save_change()
        expect(page.get_by_text("revision 2")).to_be_visible()
        self.assertEqual(self.current().current.message, "For the night shots")

    def test_a_proposal_from_before_another_revision_says_so(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        expect(self.proposed()).to_be_visible()
        change_setup(self.current(), 1, "Elsewhere", lambda setup: replace(setup, default_space="ACEScg"))
        page.reload()
        expect(self.proposed()).to_contain_text("It was proposed at revision 1; the project is at 2.")

    def test_what_is_typed_and_selected(self) -> None:
        page = self.open("textures")
        page.get_by_role("grid", name="Textures").get_by_text("lamp_lin_rec709_emission.exr").click()
        page.get_by_role("button", name="Add rule").click()
        page.get_by_label("Name pattern").fill("*plate*")
        page.reload()
        expect(page.get_by_label("Name pattern")).to_have_value("*plate*")
        expect(self.section("Selected file").get_by_role("heading", level=2)).to_contain_text("lamp_lin_rec709")
        page.get_by_role("button", name="Cancel").click()
        page.get_by_role("button", name="Add rule").click()
        expect(page.get_by_label("Name pattern")).to_have_value("*")
        page.keyboard.press("1")
        page = self.open("scene?part=colours")
        self.section("Colours").get_by_role("button", name="Add colour").click()
        self.section("Selected").get_by_label("Name").fill("buoy red")
        page.keyboard.press("Tab")
        page = self.open("textures")
        page.go_back()
        expect(self.section("Selected").get_by_label("Name")).to_have_value("buoy red")

    def test_the_file_stays_selected_once_it_is_mended(self) -> None:
        page = self.open("textures")
        side = self.section("Selected file")
        expect(side.get_by_role("heading", level=2)).to_have_text("rope_albedo.jpg")  # nobody has selected it
        side.get_by_role("button", name=f"Set to {SRGB}").click()
        expect(side).to_contain_text("Set by hand")
        expect(side.get_by_role("article").filter(has_text="Colour read as data")).to_have_count(0)
        page.reload()
        expect(side.get_by_role("heading", level=2)).to_have_text("rope_albedo.jpg")

    def test_a_reason_never_outlives_what_it_was_given_for(self) -> None:
        self.open("textures").get_by_role("grid", name="Textures").get_by_text("wall_roughness.png").click()
        side = self.section("Selected file")
        expect(side.get_by_label("Reason")).to_have_value("too dark")
        side.get_by_role("button", name="Back to the rules").click()
        side.get_by_role("button", name="Set by hand as it is").click()
        expect(side.get_by_label("Reason")).to_have_value("")
        self.assertEqual(self.project.textures.get(path="wall/wall_roughness.png").pin_note, "")


class Tray(BrowserTestCase):
    def open_tray(self) -> Locator:
        self.open("config").keyboard.press("f")
        return self.page.get_by_role("dialog", name="Findings and jobs")

    def test_all_of_a_kind_are_fixed_after_seeing_what_changes(self) -> None:
        lamp = self.project.textures.get(path="lamp/lamp_lin_rec709_emission.exr")
        for texture in (lamp, self.project.textures.get(path="wall/wall_basecolor.png")):
            texture.path = texture.path.replace("basecolor", "metalness").replace("emission", "mask")
            texture.save()
            pin_texture(texture, texture.version, SRGB)
        tray = self.open_tray()
        group = tray.get_by_role("region", name="Data read as colour")
        group.get_by_role("button", name=re.compile("Data read as colour 3")).click()
        changes = group.get_by_role("table", name="What fixing all changes")
        expect(changes.get_by_role("row")).to_have_count(3)
        expect(changes).to_contain_text("→ Raw")
        group.get_by_role("button", name="Fix 3 of 3").click()
        expect(group).to_have_count(0)
        self.assertEqual(self.project.textures.filter(pin_space="Raw").count(), 3)
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_text("Undone: Data read as colour: 3 fixed together.")).to_be_visible()
        self.assertEqual(self.project.textures.filter(pin_space="Raw").count(), 0)

    def test_one_is_dismissed_with_a_reason_and_restored(self) -> None:
        tray = self.open_tray()
        finding = tray.get_by_role("article").filter(has_text="Data read as colour")
        finding.get_by_role("button", name="Dismiss").click()
        finding.get_by_label("Why it can stay").fill("painted over in the comp")
        self.page.keyboard.press("Enter")
        expect(finding).to_have_count(0)
        dismissed = tray.get_by_role("region", name="Dismissed findings")
        expect(dismissed).to_contain_text("wall/wall_roughness.png")
        expect(dismissed).to_contain_text("painted over in the comp")
        dismissed.get_by_role("button", name="Restore").click()
        expect(finding).to_be_visible()

    def test_findings_with_their_fixes(self) -> None:
        page = self.open("config")
        expect(page.get_by_role("button", name="Findings and jobs")).to_contain_text("2 blockers")
        page.keyboard.press("f")
        tray = page.get_by_role("dialog", name="Findings and jobs")
        finding = tray.get_by_role("article").filter(has_text="Data read as colour")
        expect(finding).to_contain_text("wall/wall_roughness.png")
        expect(finding).to_contain_text(f"{SRGB} → Raw")
        finding.get_by_role("button", name="Set to Raw").click()
        expect(finding).to_have_count(0)
        self.assertEqual(self.project.textures.get(path="wall/wall_roughness.png").pin_space, "Raw")

    def test_the_page_of_codes(self) -> None:
        page = self.open("config")
        page.get_by_text("Quay", exact=True).click()
        page.get_by_role("menuitem", name="What each finding means").click()
        expect(page.get_by_text("texture.data-read-as-colour")).to_be_visible()


class Projects(BrowserTestCase):
    def test_a_new_project(self) -> None:
        self.page.goto(f"{self.live_server_url}/?all")
        self.page.get_by_label("New project").fill("Quay")
        self.page.get_by_role("button", name="Create project").click()
        expect(self.page.get_by_text("There is a project named like “Quay” already").first).to_be_visible()
        self.page.get_by_label("New project").fill("Night Ferry")
        self.page.get_by_role("button", name="Create project").click()
        expect(self.page).to_have_url(re.compile("/p/night-ferry$"))
        for step, words in {
            "textures": "No textures yet",
            "scene": "No colours yet",
            "scene?part=renders": "Renders stand here",
            "compare": "Compare shows renders",
            "outputs": "Outputs are made from a render",
        }.items():
            self.page.goto(f"{self.live_server_url}/p/night-ferry/{step}")
            expect(self.page.get_by_text(words)).to_be_visible()


class Trouble(BrowserTestCase):
    def test_a_stale_window_is_told_and_shows_the_newer_state(self) -> None:
        page = self.open("config")
        before = page.request.get(f"{self.live_server_url}/api/v1/projects/quay").json()
        other = page.context.new_page()
        other.goto(page.url)
        other.get_by_role("radio", name="Linear Rec.2020").click()
        other.get_by_role("button", name="Save as a revision").click()
        expect(other.get_by_text("revision 2")).to_be_visible()
        # The first window must not learn of it by looking again before it writes.
        address = re.compile("/api/v1/projects/quay$")
        page.route(address, lambda route: route.fulfill(json=before))
        page.get_by_role("radio", name="ACES2065-1").click()
        expect(self.proposed().get_by_role("button", name="Save as a revision")).to_be_enabled()
        page.unroute(address)
        page.get_by_role("button", name="Save as a revision").click()
        expect(page.get_by_text("This was changed meanwhile")).to_be_visible()
        expect(self.segment("Scene")).to_contain_text("Linear Rec.2020")
        self.assertEqual(self.current().current.number, 2)

    def test_a_project_that_is_not_there(self) -> None:
        self.page.goto(f"{self.live_server_url}/p/nowhere/config")
        expect(self.page.get_by_role("alert")).to_contain_text("This is gone, or never was")

    def test_a_server_that_does_not_answer(self) -> None:
        page = self.open("config")
        page.route("**/api/**", lambda route: route.abort())
        page.get_by_role("radio", name="ACES2065-1").click()
        expect(page.get_by_text("Saltwort does not answer").first).to_be_visible()

    def test_a_page_that_stops(self) -> None:
        page = self.open("config")
        page.route("**/assets/Scene-*.js", lambda route: route.abort())
        self.segment("Scene").click()
        expect(page.get_by_role("alert")).to_contain_text("Nothing that was saved is lost")
        page.unroute("**/assets/Scene-*.js")
        page.get_by_role("button", name="Reload").click()
        expect(page.get_by_role("button", name=re.compile("^enamel"))).to_be_visible()

    def test_a_config_that_does_not_parse(self) -> None:
        page = self.open("config")
        (self.folder / "broken.ocio").write_text("a: [")
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Import a config").click()
        chooser.value.set_files(self.folder / "broken.ocio")
        expect(page.get_by_text("This config does not load")).to_be_visible()
        self.assertEqual(self.current().current.number, 1)
        self.assertEqual(self.current().current.setup["view"]["display"], SRGB_DISPLAY)

    def test_a_revision_whose_config_does_not_load_any_more(self) -> None:
        project = self.current()
        first = project.current
        text = re.sub(r"(?m)^search_path:.*$", "search_path: /show/luts", first.text)
        project.current = Revision.objects.create(
            project=project, number=2, parent=first, setup=first.setup, text=text, config_hash="0" * 64, message="old"
        )
        project.save()
        page = self.open("textures")
        expect(page.get_by_role("heading", name="The config of revision 2 does not load")).to_be_visible()
        expect(page.get_by_role("alert")).to_contain_text("looks for LUTs in “/show/luts”")
        page.get_by_role("button", name="Go back to revision 1").click()
        expect(page.get_by_role("grid", name="Textures")).to_be_visible()
        self.assertEqual(self.current().current.number, 1)
