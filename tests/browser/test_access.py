"""Everybody can work with it: axe-core finds no serious violation on the main views."""

from pathlib import Path

from django.conf import settings

from tests.browser.base import BrowserTestCase

AXE = Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js"
VIEWS = (
    "config",
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
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate("() => axe.run(document, {resultTypes: ['violations']})")["violations"]
        return [
            f"{one['id']} ({len(one['nodes'])}): {one['nodes'][0]['html'][:200]}"
            for one in found
            if one["impact"] in ("serious", "critical")
        ]

    def test_every_main_view(self) -> None:
        for view in VIEWS:
            self.open(view)
            with self.subTest(view):
                self.assertEqual(self.violations(), [])
        for place in ("?all", "findings", "glossary"):
            self.page.goto(f"{self.live_server_url}/{place}", wait_until="networkidle")
            with self.subTest(place):
                self.assertEqual(self.violations(), [])

    def test_the_tray_and_dialogs(self) -> None:
        page = self.open("textures")
        for key, name in (("f", "Findings and jobs"), ("?", "Keys")):
            page.keyboard.press(key)
            page.get_by_role("dialog", name=name).wait_for()
            page.wait_for_timeout(400)  # it slides in, and half seen its contrast is low
            with self.subTest(name):
                self.assertEqual(self.violations(), [])
            page.keyboard.press("Escape")
            page.get_by_role("dialog", name=name).wait_for(state="hidden")
