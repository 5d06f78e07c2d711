"""A key means one thing: what works everywhere is no key of a step, where both would be done at once."""

import re
from pathlib import Path
from unittest import TestCase

WEB = Path(__file__).parents[2] / "web" / "src"
EVERYWHERE = WEB / "app" / "ProjectFrame.tsx"


def keys(file: Path) -> set[str]:
    """The keys that a file of the screens listens to."""
    blocks = re.findall(r"useHotkeys\((.*?)\n?\s*\](?:, \[\])?\);", file.read_text(encoding="utf-8"), re.DOTALL)
    return {key for block in blocks for key in re.findall(r"\[\s*'([^']+)',", block)}


class Keys(TestCase):
    def test_what_works_everywhere_is_no_key_of_a_step(self) -> None:
        common = {*keys(EVERYWHERE), *"123456"}
        steps = {file.name: keys(file) for file in WEB.rglob("*.ts*") if file != EVERYWHERE}
        self.assertIn("n", common)
        self.assertIn("0", steps["Table.tsx"])
        self.assertEqual({name: found & common for name, found in steps.items() if found & common}, {})
