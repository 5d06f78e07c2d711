"""Every kind of deliverable keeps the contract: settings through JSON, a plan, a file, and what is read back."""

import json
import tempfile
from dataclasses import asdict
from pathlib import Path
from unittest import TestCase

from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.errors import BadInput
from saltwort.core.structured import structured
from tests.samples import ACES_SDR, light, project_config, write

CHOSEN = Defaults(ACES_SDR, "ACEScg")


class EveryKind(TestCase):
    def test_says_what_it_is(self) -> None:
        for kind, made in deliverables().items():
            with self.subTest(kind):
                self.assertEqual(made.kind, kind)
                self.assertTrue(made.label and made.use.endswith("."))

    def test_settings_through_json(self) -> None:
        for kind, made in deliverables().items():
            settings = made.settings_from({}, CHOSEN)
            with self.subTest(kind):
                stored = json.loads(json.dumps(asdict(settings)))
                self.assertEqual(structured(made.settings, stored), settings)
                for junk in ({"weather": "fog"}, {name: {"no": 1} for name in stored} or {"no": 1}):
                    with self.assertRaises(BadInput):
                        made.settings_from(junk, CHOSEN)

    def test_planned_written_and_read_back(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            source = Source(write(Path(folder) / "light.exr", light(), "half"), "ACEScg")
            for kind, made in deliverables().items():
                settings = made.settings_from({}, CHOSEN)
                told: list[float] = []
                with self.subTest(kind):
                    made.plan(project_config(), settings)
                    target = Path(folder) / made.named("dusk", 3, settings)
                    self.assertRegex(target.name, r"^dusk_.+_r3\.[a-z]+$")
                    written = made.write(
                        project_config(), source, settings, target, lambda share, doing, told=told: told.append(share)
                    )
                    self.assertEqual((written.width, written.height), (40, 24))
                    self.assertEqual(told, sorted(told))
                    self.assertTrue(made.facts(project_config(), settings))

    def test_what_cannot_be_is_refused_before_it_is_begun(self) -> None:
        still, handoff = deliverables()["still"], deliverables()["handoff"]
        for made, asked, words in (
            (still, {"bits": 12}, "8 or 16 bits"),
            (still, {"exposure": 1e9}, "Exposure lies"),
            (still, {"exposure": float("nan")}, "Exposure lies"),
            (still, {"view": {"display": ACES_SDR.display, "view": "Lost", "look": ""}}, "no view"),
            (handoff, {"space": "Nowhere"}, "no colour space"),
        ):
            with self.subTest(asked), self.assertRaisesRegex(BadInput, words):
                made.plan(project_config(), made.settings_from(asked, CHOSEN))
