"""Write docs/glossary.md from the glossary of core.

.venv/bin/python -m tools.glossary_page
"""

from pathlib import Path

from saltwort.core.glossary import GLOSSARY

PAGE = Path(__file__).parents[1] / "docs" / "glossary.md"

HEAD = """# Glossary

One word for one thing, the same on the screen, in messages and in the guide. The application shows this page under the
project's name, and a word's meaning where you point at a dotted heading.

| word | what it means |
|---|---|
"""


def page() -> str:
    """The page's text, in Markdown."""
    return HEAD + "".join(f"| **{term.term}** | {term.meaning} |\n" for term in GLOSSARY)


if __name__ == "__main__":
    PAGE.write_text(page())
