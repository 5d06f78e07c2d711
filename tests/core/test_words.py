"""The words that people read: one for each thing, in plain trade English, and explained in the glossary."""

import ast
import re
from collections.abc import Iterator
from pathlib import Path
from unittest import TestCase

from saltwort.core.glossary import GLOSSARY
from tools import kind_pages
from tools.glossary_page import PAGE, page

ROOT = Path(__file__).parents[2]
GONE = (
    r"[Bb]ring (a|an|one|it|the) ",
    r"Starts from",
    r"Written for$",
    r"^Rest$",
    r"^Added$",
    r"^Follow$",
    r"In use\?",
    r"describe it otherwise",
    r"Light is computed in it",
    r"it speaks for",
    r"[Tt]old by",
    r"[Tt]ake (it )?(out|off)\b",
    r"[Ll]et go",
    r"[Ll]ook again",
    r"files is like that",
    r"Is the light still there",
    r"Flat light",
    r"Nearest to spectra",
    r"Where (the )?light goes",
    r"Largest turn of hue",
    r"^Own$",
    r"Take it along",
    r"Finished still",
    r"\b[Uu]npin",
    r"\b[Pp]inned\b",
    r"^Pin ",
    r"\bown look\b",
    r"(^|(?<=[a-z] ))tracer\b|\b[Tt]racer (?=[a-z])",
    r"^Unit$",
    r"^Trim$",
    r"^Look at$",
    r"^Run again$",
    r"^Lacking:",
    r"only about the same",
    r"^Go to ",
    r"Back one revision",
    r"^Not done$",
    r"[Rr]ead otherwise",
    r"may not be blank",
)
"""Words that were here once and had to be guessed."""
NOT_READ = ("schema.d.ts",)


def _on_screen() -> Iterator[tuple[str, str]]:
    """Texts of the screens: between tags, in quotes, and in backticks, with the file that they stand in."""
    for path in sorted((ROOT / "web" / "src").rglob("*.ts*")):
        if path.name in NOT_READ:
            continue
        text = re.sub(r"/\*.*?\*/|(?<!:)//[^\n]*|^import .*?;$", "", path.read_text(), flags=re.S | re.M)
        for found in re.findall(r">([^<>{}]*[A-Za-z]{2}[^<>{}]*)<|'([^'\n]+)'|\"([^\"\n]+)\"|`([^`\n]+)`", text):
            yield path.name, " ".join("".join(found).split())


def _in_messages() -> Iterator[tuple[str, str]]:
    """Texts in Python that are sentences, without docstrings."""
    for path in sorted((ROOT / "saltwort").rglob("*.py")):
        if "migrations" in path.parts:
            continue
        tree = ast.parse(path.read_text())
        docs = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
        texts = (node for node in ast.walk(tree) if isinstance(node, ast.Constant) and id(node) not in docs)
        for text in (node.value for node in texts if isinstance(node.value, str)):
            if re.search(r"[a-z] [a-z]", text) and "UPDATE " not in text:
                yield path.name, text.strip()


class Words(TestCase):
    def test_what_had_to_be_guessed_is_gone(self) -> None:
        texts = [*_on_screen(), *_in_messages()]
        self.assertGreater(len(texts), 3000, "the search finds what people read")
        found = [(file, text) for file, text in texts for gone in GONE if re.search(gone, text)]
        self.assertEqual(found, [])

    def test_the_guide_says_the_same(self) -> None:
        for path in sorted((ROOT / "docs" / "guide").glob("*.md")):
            for gone in (
                r"\b[Tt]racer\b",
                r"(?<![\"`])\b[Pp]in(s|ned)?\b(?!\")",
                r"Starts from",
                r"[Ll]et go",
                r"\*Follow\*",
            ):
                with self.subTest(path.name, gone=gone):
                    self.assertIsNone(re.search(gone, path.read_text()))

    def test_every_word_of_the_glossary_is_explained_once(self) -> None:
        words = [term.term.lower() for term in GLOSSARY]
        self.assertEqual(words, sorted(set(words)))
        self.assertTrue(all(term.meaning.endswith(".") for term in GLOSSARY))

    def test_words_that_the_screen_explains_stand_in_the_glossary(self) -> None:
        known = {term.term for term in GLOSSARY}
        shown = {
            of
            for path in (ROOT / "web" / "src").rglob("*.tsx")
            for of in re.findall(r'<Term of="([^"]+)"', path.read_text())
        }
        self.assertGreater(len(shown), 4)
        self.assertLessEqual(shown, known)

    def test_the_page_is_that_of_core(self) -> None:
        self.assertEqual(PAGE.read_text(), page())

    def test_the_pages_of_kinds_are_those_of_core(self) -> None:
        """`.venv/bin/python -m tools.kind_pages` writes them."""
        pages = kind_pages.pages()
        self.assertEqual({file.name for file in kind_pages.FOLDER.glob("*.md")}, set(pages))
        for name, text in pages.items():
            self.assertEqual((kind_pages.FOLDER / name).read_text(), text)
