"""The Config step, worked through the way an artist would."""

import re

import PyOpenColorIO as ocio
from django.test import override_settings
from playwright.sync_api import Route, expect

from saltwort.core.configs import packed
from saltwort.core.engine import load_config
from saltwort.server.projects.setups import archive_of
from tests.browser.base import BrowserTestCase
from tests.core.test_edits import CORRECTION
from tests.core.test_findings_configs import cube
from tests.samples import ACES_SDR, LINEAR_REC709, SRGB, base_text


class Config(BrowserTestCase):
    def test_lists_and_facts(self) -> None:
        page = self.open("config")
        page.get_by_label("Find a space").fill("lin_rec2020")
        held = self.section("What the config holds")
        expect(held.get_by_role("row")).to_have_count(2)
        held.get_by_role("button", name="Linear Rec.2020").click()
        expect(self.section("Selected space and export")).to_contain_text("lin_rec2020_scene")
        page.get_by_text("Roles, rules, looks", exact=True).click()
        expect(page.get_by_role("row").filter(has_text="scene_linear")).to_contain_text("ACEScg")
        expect(page.get_by_role("combobox", name="Space of the role data")).to_have_value("Raw")

    def test_choosing_the_projects_view(self) -> None:
        page = self.open("config")
        page.get_by_text("Displays and views", exact=True).click()
        page.get_by_role("button", name="Un-tone-mapped on sRGB - Display").click()
        self.save_change()
        expect(self.segment("Compare")).to_contain_text("Un-tone-mapped on sRGB")
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getDefaultView("sRGB - Display"), "Un-tone-mapped")

    def test_the_export_loads_in_the_engine(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        with page.expect_download() as download:
            page.get_by_role("link", name="quay-r2.ocioz").click()
        download.value.save_as(self.folder / "got.ocioz")
        config = ocio.Config.CreateFromFile(str(self.folder / "got.ocioz"))
        self.assertEqual(config.getColorSpace("scene_linear").getName(), "Linear Rec.2020")
        export = self.section("Selected space and export")
        export.get_by_text("Make applications use it").click()
        for line in ('export OCIO="/path/to/quay-r2.ocioz"', '$env:OCIO = "/path/to/quay-r2.ocioz"'):
            expect(export.get_by_text(line).first).to_be_visible()

    def test_adding_a_view_of_the_projects_own(self) -> None:
        page = self.open("config")
        page.get_by_text("Displays and views", exact=True).click()
        page.get_by_role("button", name="Add a view").click()
        page.get_by_role("form", name="New view").get_by_role("button", name="Add the view").click()
        self.save_change()
        page.get_by_role("button", name="AgX on sRGB - Display").click()
        self.save_change()
        expect(self.segment("Compare")).to_contain_text("AgX on sRGB")
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getDefaultView("sRGB - Display"), "AgX")
        page.get_by_role("button", name="Remove", exact=True).click()
        expect(self.proposed().get_by_role("alert")).to_contain_text("has no view “AgX”")  # it is in use
        expect(self.proposed().get_by_role("button", name="Save as a revision")).to_be_disabled()
        page.keyboard.press("Escape")
        expect(self.proposed()).to_have_count(0)

    def test_a_space_explained_and_drawn(self) -> None:
        page = self.open("config")
        page.get_by_role("button", name=SRGB, exact=True).click()
        side = self.section("Selected space and export")
        expect(side).to_contain_text("power 2.4, straight near black")
        expect(side).to_contain_text("those of Rec.709")
        expect(side.get_by_role("img", name=re.compile("Gamut of"))).to_be_visible()
        expect(side.get_by_role("img", name=re.compile("Transfer curve"))).to_be_visible()
        side.get_by_text("1931 xy").click()
        expect(side).to_contain_text("0.6400 0.3300")

    def test_is_an_applications_config_the_projects_own(self) -> None:
        page = self.open("config")
        page.get_by_text("Compare and clean up", exact=True).click()
        told = self.section("What the config holds")
        expect(told).to_contain_text("quay-r1, from cg-config")
        expect(told).to_contain_text("ACES 2.0 - SDR 100 nits (Rec.709) on sRGB - Display")
        file = self.folder / "theirs.ocio"
        file.write_text(base_text())
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose a file …").click()
        chooser.value.set_files(file)
        found = page.get_by_role("status", name="Comparison")
        expect(found).to_contain_text("They are different", timeout=30_000)
        expect(found).to_contain_text("file rule removed")
        file.write_bytes(packed(archive_of(self.current().current)))
        with override_settings(READABLE_FOLDERS=[self.folder]):
            page.get_by_label("Path of the application’s config").fill(f'export OCIO="{file}"')
            page.get_by_role("button", name="Check").click()
            expect(found).to_contain_text("They are identical", timeout=30_000)

    def test_following_a_colour(self) -> None:
        page = self.open("config")
        page.get_by_text("Trace a colour", exact=True).click()
        rows = page.get_by_role("table", name="Steps of the colour").get_by_role("row")
        expect(rows.nth(1)).to_contain_text("0.1843 0.4157 0.4078")
        expect(rows.last).to_contain_text("ACES 2.0 - SDR 100 nits (Rec.709) on sRGB - Display")
        page.get_by_text("to a space", exact=True).click()
        expect(rows.last).to_contain_text("ACEScg")
        page.get_by_label("Colour", exact=True).fill("nothing")
        expect(page.get_by_text("Type three numbers").first).to_be_visible()

    def test_adding_a_space_and_a_look_and_setting_a_role(self) -> None:
        page = self.open("config")
        page.get_by_role("button", name="Add a space").click()
        form = page.get_by_role("form", name="New space")
        form.get_by_label("Name").fill("Quay Linear")
        self.choose("Primaries of", "Rec.2020")
        expect(form.get_by_label("green y")).to_have_value("0.797")
        form.get_by_role("button", name="Add the space").click()
        self.save_change()
        expect(page.get_by_role("radio", name="Quay Linear")).to_be_visible()
        page.get_by_text("Roles, rules, looks", exact=True).click()
        page.get_by_role("button", name="Add a look").click()
        form = page.get_by_role("form", name="New look")
        self.choose("Begin with", "Lamplight")
        expect(form.get_by_label("Saturation")).to_have_value("1.05")
        form.get_by_role("button", name="Add the look").click()
        self.save_change()
        expect(page.get_by_role("button", name="Remove Lamplight")).to_be_visible()
        self.choose("Space of the role texture_paint", "Quay Linear")
        self.save_change()
        expect(page.get_by_text("revision 4")).to_be_visible()
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getColorSpace("texture_paint").getName(), "Quay Linear")
        self.assertIn("Lamplight", config.getLookNames())

    def test_trimming_with_proof(self) -> None:
        page = self.open("config")
        page.get_by_text("Compare and clean up", exact=True).click()
        page.get_by_role("button", name="Keep only what this project uses").click()
        page.get_by_role("checkbox", name="ACEScc", exact=True).check()
        page.get_by_role("button", name="Preview").click()
        left = page.get_by_role("status", name="What is left")
        expect(left).to_contain_text("give the same numbers as the whole config, bit for bit")
        expect(left).to_contain_text("Kept because something needs it")
        left.get_by_role("button", name="Remove the rest").click()
        self.save_change()
        expect(page.get_by_role("button", name="Keep everything")).to_be_visible()
        config = load_config(archive_of(self.current().current))
        self.assertIn("ACEScc", config.getColorSpaceNames())
        self.assertNotIn("Gamma 1.8 Encoded Rec.709", config.getColorSpaceNames())
        page.get_by_role("button", name="Keep everything").click()
        self.save_change()
        expect(self.segment("Config")).to_contain_text("25 spaces")

    def test_starting_from_another_built_in_config(self) -> None:
        page = self.open("config")
        page.get_by_role("button", name="Built-in …").click()
        page.get_by_role("option", name=re.compile("Studio, ACES 2.1")).click()
        expect(self.proposed()).to_contain_text("space ADX10")
        self.save_change()
        expect(self.segment("Config")).to_contain_text("57 spaces")

    def test_going_to_another_revision(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name=LINEAR_REC709).click()
        self.save_change()
        page.get_by_role("button", name="Make 1 current").click()
        expect(self.segment("Scene")).to_contain_text("ACEScg")
        expect(page.get_by_role("button", name="Make 2 current")).to_be_visible()

    def test_no_revision_is_pressed_while_the_list_is_about_to_move(self) -> None:
        page = self.open("config")
        held: list[Route] = []
        page.route(
            "**/revisions", lambda route: held.append(route) if route.request.method == "GET" else route.continue_()
        )
        page.get_by_role("radio", name=LINEAR_REC709).click()
        self.proposed().get_by_role("button", name="Save as a revision").click()
        earlier = page.get_by_role("button", name="Make 1 current")
        expect(earlier).to_be_disabled()
        for route in held:
            route.continue_()
        page.unroute_all()
        expect(page.get_by_text("current", exact=True)).to_be_visible()
        earlier.click()
        expect(page.get_by_role("button", name="Make 2 current")).to_be_visible()

    def test_a_change_is_looked_at_named_and_signed_before_it_is_saved(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        expect(self.proposed().get_by_role("table", name="Changes of the config")).to_contain_text("role scene_linear")
        self.assertEqual(self.current().current.number, 1)
        page.get_by_text("Displays and views", exact=True).click()
        page.get_by_role("button", name="Raw on sRGB - Display").click()  # joins it
        expect(self.proposed()).to_contain_text("default view")
        expect(self.proposed()).to_contain_text("role scene_linear")
        self.proposed().get_by_label("Message").fill("For the night shots")
        self.proposed().get_by_label("Your name").fill("Ingrid")
        self.save_change()
        revision = self.current().current
        self.assertEqual((revision.number, revision.message, revision.author), (2, "For the night shots", "Ingrid"))
        self.assertEqual(revision.setup["working_space"], "Linear Rec.2020")
        expect(self.section("Decisions")).to_contain_text("Ingrid")

    def test_a_change_that_reads_a_texture_otherwise_says_so(self) -> None:
        page = self.open("config")
        page.get_by_role("button", name="Built-in …").click()
        page.get_by_role("option", name=re.compile("CG, ACES 1.3, OCIO 2.1")).click()
        expect(self.proposed()).to_contain_text("OCIO version")
        self.proposed().get_by_role("button", name="Drop").click()
        expect(self.proposed()).to_have_count(0)
        self.assertEqual(self.current().current.number, 1)

    def test_a_target_version_says_what_it_cannot_hold(self) -> None:
        page = self.open("config")
        self.choose("OCIO version", "OCIO 2.3")
        cannot = page.get_by_role("group", name="What OCIO 2.3 cannot hold")
        expect(cannot).to_contain_text("ACES 2.0 - SDR 100 nits (Rec.709)", timeout=30_000)
        cannot.get_by_role("button", name="How far are the baked colours?").click()
        expect(cannot.get_by_role("table", name="Differences")).to_contain_text("ΔE 2000", timeout=60_000)
        self.save_change()
        self.assertIn("ocio_profile_version: 2.3", self.current().current.text)

    def test_naming_a_space_otherwise_and_back(self) -> None:
        page = self.open("config")
        side = self.section("Selected space and export")
        side.get_by_role("button", name="Rename and describe").click()
        form = side.get_by_role("form", name="Space described")
        form.get_by_label("Name", exact=True).fill("Quay Light")
        form.get_by_label("More aliases").fill("quay, dock")
        form.get_by_role("button", name="See what this changes").click()
        expect(self.proposed()).to_contain_text("space ACEScg")
        self.save_change()
        expect(page.get_by_role("radio", name="Quay Light")).to_be_checked()
        config = load_config(archive_of(self.current().current))
        self.assertEqual({config.getCanonicalName(name) for name in ("dock", "ACEScg")}, {"Quay Light"})
        side.get_by_role("button", name="As it was: ACEScg").click()
        self.save_change()
        expect(page.get_by_role("radio", name="ACEScg")).to_be_checked()

    def test_a_space_from_an_interop_id(self) -> None:
        page = self.open("config")
        page.get_by_role("button", name="Add a space").click()
        page.get_by_text("from an interop ID").click()
        self.choose("Interop ID", "ocio:arrilogc4_awg4_scene: ARRI LogC4")
        page.get_by_role("button", name="Add the space").click()
        self.save_change()
        config = load_config(archive_of(self.current().current))
        self.assertEqual(config.getColorSpace("ARRI LogC4").getEncoding(), "log")

    def test_looks_of_files(self) -> None:
        page = self.open("config")
        page.get_by_text("Roles, rules, looks", exact=True).click()
        for name, content in (("dusk.cc", CORRECTION.format(id="dusk").encode()), ("print.cube", cube(33))):
            (self.folder / name).write_bytes(content)
            with page.expect_file_chooser() as chooser:
                page.get_by_role("button", name="Import a look file").click()
            chooser.value.set_files(self.folder / name)
            if name.endswith(".cube"):
                self.choose("Applied in", "ACEScct")
                page.get_by_role("button", name="Add the look").click()
            self.save_change()
        revision = self.current().current
        config = load_config(archive_of(revision))
        self.assertLessEqual({"dusk", "print"}, set(config.getLookNames()))
        self.assertEqual(config.getLook("print").getProcessSpace(), "ACEScct")
        self.assertEqual(len(revision.files), 1)

    def test_choosing_and_ordering_what_is_offered(self) -> None:
        page = self.open("config")
        page.get_by_text("Displays and views", exact=True).click()
        page.get_by_text("Choose and order what applications offer").click()
        views = page.get_by_role("group", name="Views", exact=True)
        views.get_by_role("checkbox", name="Raw").uncheck()
        views.get_by_role("button", name="Un-tone-mapped down").click()
        expect(views.get_by_role("checkbox", name=ACES_SDR.view)).to_be_disabled()  # the project's own
        views.get_by_role("button", name="See what this changes").click()
        self.save_change()
        offered = list(load_config(archive_of(self.current().current)).getViews("sRGB - Display"))
        self.assertEqual(offered, [ACES_SDR.view, "Video (colorimetric)", "Un-tone-mapped"])

    def test_filters_and_what_else_the_config_holds(self) -> None:
        self.open("config")
        held = self.section("What the config holds")
        self.choose("Curve", "log")
        expect(held.get_by_role("row")).to_have_count(3)
        self.choose("Use", "in use")
        expect(held).to_contain_text("No space matches")
        held.get_by_text("Roles, rules, looks", exact=True).click()
        rules = held.get_by_role("table", name="File rules")
        expect(rules.get_by_role("row").filter(has_text="Data maps")).to_contain_text("every data map")
        expect(held.get_by_role("table", name="Named transforms")).to_contain_text("sRGB - Curve")
        expect(held.get_by_role("table", name="Viewing rules")).to_contain_text("scene-linear")
        expect(held).to_contain_text("No context variables")

    def test_comparing_two_revisions(self) -> None:
        page = self.open("config")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        page.get_by_text("Compare and clean up", exact=True).click()
        self.choose("First", "revision 1, Project made")
        page.get_by_role("button", name="Compare", exact=True).click()
        found = page.get_by_role("status", name="Comparison")
        expect(found.get_by_role("row").filter(has_text="role changed")).to_contain_text("scene_linear", timeout=30_000)

    def test_small_edits_are_folded(self) -> None:
        page = self.open("config")
        for space in ("Linear Rec.2020", LINEAR_REC709, "ACES2065-1"):
            page.get_by_role("radio", name=space).click()
            self.save_change()
        decisions = self.section("Decisions")
        expect(decisions).to_contain_text("4 Working space ACES2065-1")
        expect(decisions.get_by_text("3 Working space")).to_have_count(0)
        decisions.get_by_role("button", name="and 2 small edits before it").click()
        decisions.get_by_role("button", name="Make 3 current").click()
        expect(self.segment("Scene")).to_contain_text(LINEAR_REC709)
