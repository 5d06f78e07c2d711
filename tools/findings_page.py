"""Write docs/findings.md, the page of all findings, from the registry.

.venv/bin/python -m tools.findings_page
"""

from pathlib import Path

from saltwort.core.findings import codes

PAGE = Path(__file__).parents[1] / "docs" / "findings.md"

HEAD = """# What each finding means

A **blocker** makes the result wrong, a **caution** probably, a **note** is worth knowing. Codes stay the same between
versions. The application shows this page under the project's name.

| level | code | meaning | more |
|---|---|---|---|
"""


def page() -> str:
    """The page's text, in Markdown."""
    return HEAD + "".join(
        f"| {code.level} | `{code.code}` | {code.meaning} | [Guide]({_link(code.guide)}) |\n" for code in codes()
    )


def _link(place: str) -> str:
    """A place of the guide as a link from the page."""
    name, mark, heading = place.partition("#")
    return f"{name}.md{mark}{heading}"


if __name__ == "__main__":
    PAGE.write_text(page())
