"""The artist's guide: whatever leads into it leads to a heading that is there."""

import re
import unittest
from collections.abc import Iterator
from pathlib import Path

from saltwort.core.findings import codes
from saltwort.core.findings.guide import guide_place

ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"
PAGES = (
    *DOCS.glob("guide/**/*.md"),
    *(DOCS / f"{name}.md" for name in ("findings", "glossary", "bundle", "scene-lists")),
)
LINK = re.compile(r"!?\[[^\]]*\]\(([^)\s]+)\)")
PLACE = re.compile(r"""['"`](guide/[a-z/-]+(?:#[a-z-]+)?|guide/README)['"`]""")


def headings(page: Path) -> set[str]:
    """The anchors of a page's headings, as Markdown readers make them."""
    text = re.sub(r"```.*?```", "", page.read_text(encoding="utf-8"), flags=re.DOTALL)
    titles = re.findall(r"^#+ (.*)$", text, flags=re.MULTILINE)
    return {re.sub(r"[^\w\- ]", "", title.lower()).replace(" ", "-") for title in titles}


def is_there(place: str) -> bool:
    name, _, heading = place.partition("#")
    page = DOCS / f"{name}.md"
    return page in PAGES and (not heading or heading in headings(page))


def marks() -> Iterator[str]:
    """Places that the screens lead to."""
    for source in (ROOT / "web" / "src").rglob("*.tsx"):
        yield from PLACE.findall(source.read_text())


class Guide(unittest.TestCase):
    def test_every_finding_has_a_place(self) -> None:
        for code in codes():
            self.assertTrue(is_there(code.guide), f"{code.code} leads to {code.guide}")
        self.assertEqual(guide_place("handoff.failed"), "guide/handoffs#the-test-card")
        with self.assertRaises(KeyError):
            guide_place("weather.rain")

    def test_every_mark_on_the_screens_has_a_place(self) -> None:
        places = set(marks())
        self.assertGreater(len(places), 20)
        for place in places:
            self.assertTrue(is_there(place), place)

    def test_every_link_leads_somewhere(self) -> None:
        for page in PAGES:
            for link in LINK.findall(page.read_text()):
                if link.startswith("http"):
                    continue
                name, _, heading = link.partition("#")
                target = (page.parent / name).resolve() if name else page
                self.assertTrue(target.exists(), f"{page.name}: {link}")
                if heading:
                    self.assertIn(heading, headings(target), f"{page.name}: {link}")
