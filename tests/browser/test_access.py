"""Everybody can work with it: axe-core finds no serious violation on the main views."""

from pathlib import Path

from django.conf import settings

from tests.browser.base import BrowserTestCase

AXE = Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js"
VIEWS = (
    "config",
    "textures/{texture}",
    "scene?part=rig",
    "textures",
    "textures/convert",
    "scene?part=space",
    "scene?part=colours",
    "scene?part=renders",
    "compare",
    "handoffs",
    "outputs",
)


class Access(BrowserTestCase):
    def violations(self) -> list[str]:
        """Serious and critical ones, with the first place of each."""
        # What the script gives, and all that axe found right, would be sent here too: that takes longer than to look.
        self.page.evaluate(f"{AXE.read_text(encoding='utf-8')}; undefined")
        found = self.page.evaluate("async () => (await axe.run(document, {resultTypes: ['violations']})).violations")
        return [
            f"{one['id']} ({len(one['nodes'])}): {one['nodes'][0]['html'][:200]}"
            for one in found
            if one["impact"] in ("serious", "critical")
        ]

    def test_every_main_view(self) -> None:
        for view in VIEWS:
            self.open(view.format(texture=self.project.textures.first().pk))
            with self.subTest(view):
                self.assertEqual(self.violations(), [])
        for place in ("?all", "new", "screen", "p/quay", "findings", "glossary"):
            self.visit(f"/{place}")
            with self.subTest(place):
                self.assertEqual(self.violations(), [])

    def test_the_guide_beside_the_work(self) -> None:
        page = self.open("config")
        page.keyboard.press("g")
        page.get_by_role("complementary", name="Guide").get_by_role("heading", name="Config").wait_for()
        self.assertEqual(self.violations(), [])

    def test_the_tray_and_dialogs(self) -> None:
        page = self.open("textures")
        for key, name in (("f", "Findings and jobs"), ("?", "Keys")):
            page.keyboard.press(key)
            page.get_by_role("dialog", name=name).wait_for()
            self.still()
            with self.subTest(name):
                self.assertEqual(self.violations(), [])
            page.keyboard.press("Escape")
            page.get_by_role("dialog", name=name).wait_for(state="hidden")

    def test_the_dialogs_of_the_projects_page(self) -> None:
        page = self.page
        self.visit("/?all")
        for item in ("Rename", "Duplicate", "Delete"):
            page.get_by_role("button", name="More for Quay").click()
            page.get_by_role("menuitem", name=item).click()
            page.get_by_role("dialog").wait_for()
            self.still()
            with self.subTest(item):
                self.assertEqual(self.violations(), [])
            page.keyboard.press("Escape")
            page.get_by_role("dialog").wait_for(state="hidden")

    def test_find_anything_forms_and_what_is_proposed(self) -> None:
        page = self.open("config")
        page.keyboard.press("Control+k")
        page.get_by_label("What to find").fill("aces")
        self.still()
        self.assertEqual(self.violations(), [])
        page.keyboard.press("Escape")
        page.get_by_role("radio", name="Linear Rec.2020").click()
        self.proposed().get_by_role("button", name="Save as a revision").wait_for()
        page.get_by_role("button", name="Add a space").click()
        self.assertEqual(self.violations(), [])
        page = self.open("textures")
        page.get_by_role("button", name="Add rule").click()
        self.assertEqual(self.violations(), [])

    def test_a_design_and_what_is_kept_in_compare(self) -> None:
        page = self.open("compare")
        page.get_by_text("Design", exact=True).click()
        page.get_by_role("region", name="Checks of the design").wait_for()
        self.assertEqual(self.violations(), [])


class Zoomed(BrowserTestCase):
    """At 200 % a window of 1280 × 800 has 640 × 400 pixels."""

    def test_each_step_can_be_read_and_used_without_scrolling_sideways(self) -> None:
        self.page.set_viewport_size({"width": 640, "height": 400})
        for step in ("config", "textures", "scene?part=colours", "compare", "handoffs", "outputs"):
            page = self.open(step)
            with self.subTest(step):
                wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
                self.assertLessEqual(wide, 0)
                for column in page.locator(".column:not(.folded)").all():
                    box = column.bounding_box()
                    assert box
                    self.assertGreater(box["width"], 250)
        self.open("config").get_by_role("radio", name="Linear Rec.2020").click()
        self.save_change()
        self.assertEqual(self.current().current.number, 2)


class LessMotion(BrowserTestCase):
    def test_nothing_slides_where_less_motion_is_asked_for(self) -> None:
        self.page.emulate_media(reduced_motion="reduce")
        page = self.open("config")
        page.keyboard.press("f")
        tray = page.get_by_role("dialog", name="Findings and jobs")
        tray.wait_for()
        moving = tray.evaluate(
            """element => element.getAnimations({subtree: true})
                .filter(({effect}) => effect.getTiming().duration > 0).length"""
        )
        self.assertEqual(moving, 0)
