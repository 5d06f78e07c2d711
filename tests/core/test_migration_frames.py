"""Frames rendered from an old scene: light again, through every view, and proved by the view once more."""

from unittest.mock import patch

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.errors import BadInput
from saltwort.core.explain.explained import undone
from saltwort.core.images import read_header, read_pixels
from saltwort.core.migration.habits.registry import habits_of
from saltwort.core.migration.plan import Asked, taken
from saltwort.core.migration.proof import proved
from saltwort.core.migration.rendered import frame_beside
from saltwort.core.migration.report import report_of
from saltwort.core.migration.writing import gone_back, staged
from tests.core.made_scenes import usd_scene
from tests.core.test_migration import MigrationTestCase
from tests.core.test_scene_documents import SEED
from tests.samples import base_config, write, write_damaged

PLAIN = ViewChoice("sRGB - Display", "Un-tone-mapped")


class RescuedFrames(MigrationTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.home = self.folder / "show"
        self.scene = usd_scene(self.home, SEED, 2, with_pictures=False).path
        chance = np.random.default_rng(SEED)
        # Pale surfaces under soft light: within what every view of the config keeps apart.
        grey = chance.uniform(0.08, 0.5, (20, 30, 1))
        self.light = (grey * chance.uniform(0.85, 1.15, (20, 30, 3))).astype(np.float32)

    def frames(self, choice: ViewChoice = PLAIN, sample: str = "uint16", suffix: str = "png", count: int = 2) -> None:
        codes = apply(view_processor(base_config(), ocio.ROLE_SCENE_LINEAR, choice), self.light.copy())
        for number in range(1, count + 1):
            write(self.home / "frames" / f"dusk.{number:04}.{suffix}", np.clip(codes, 0, 1), sample)

    def test_light_comes_back_through_every_view(self) -> None:
        """Half floats round to 2⁻¹¹ of the light, and 16 bits to less; where a view is flat, a step is more light."""
        config = base_config()
        for display, view in (
            ("sRGB - Display", "Un-tone-mapped"),
            ("sRGB - Display", "ACES 2.0 - SDR 100 nits (Rec.709)"),
            ("Display P3 - Display", "Un-tone-mapped"),
            ("Rec.1886 Rec.709 - Display", "Un-tone-mapped"),
            ("Rec.2100-PQ - Display", "ACES 2.0 - HDR 1000 nits (P3 D65)"),
        ):
            with self.subTest(display=display, view=view):
                self.assertIn(view, config.getViews(display))
                self.frames(ViewChoice(display, view), count=1)
                self.frames(ViewChoice(display, view))
                draft = self.draft(self.scene)
                plan = (Asked("rescue-frames", {"through": f"{display}/{view}"}),)
                changes = taken(draft, plan)
                self.assertEqual(len(changes), 2)
                output = self.folder / f"out {display}{view}".replace("/", "")
                with staged(draft, output) as outcome:
                    rows = [row for row in proved(draft, outcome.place) if row.kind == "frame"]
                    report = report_of(draft, plan, changes, rows, outcome.documents, outcome.written)
                    outcome.put()
                self.assertTrue(all(row.same for row in rows) and len(rows) == 2, rows)
                written = output / "frames" / "dusk_rescued.0001.exr"
                np.testing.assert_allclose(read_pixels(written)[..., :3], self.light, rtol=0.01, atol=0.001)
                self.assertEqual(read_header(written).tags.get("colorInteropID"), "lin_ap1_scene")
                self.assertIn(str(self.home / "frames" / "dusk.0002.png"), report.read)
                gone_back(outcome.written)
                self.assertFalse(output.exists())
        self.assertTrue((self.home / "frames" / "dusk.0001.png").exists())

    def test_a_frame_beside_its_own_light(self) -> None:
        """Its own light gives the frame back; light that is a tenth too bright is seen."""
        self.frames()
        draft = self.draft(self.scene)
        taken(draft, (Asked("rescue-frames"),))
        beside = frame_beside(draft.config, draft.frames[0])
        self.assertEqual(beside.before.shape, (20, 30, 3))
        self.assertLess(beside.difference.max(), 0.2)
        source = draft.frames[0].source
        wide = np.repeat(np.repeat(read_pixels(source)[..., :3], 40, axis=0), 40, axis=1)
        write(source, wide, "uint16")
        beside = frame_beside(draft.config, draft.frames[0])
        self.assertEqual(beside.before.shape, (267, 400, 3))
        self.assertLess(beside.difference.max(), 0.2)

        def brighter(*given):
            return undone(*given) * np.float32(1.1)

        with patch("saltwort.core.migration.rendered.undone", brighter):
            beside = frame_beside(draft.config, draft.frames[0])
        self.assertGreater(beside.difference.mean(), 1)

    def test_what_is_lost_is_told(self) -> None:
        self.light[:10] *= 100
        self.frames(sample="uint8")
        (first, _) = taken(self.draft(self.scene), (Asked("rescue-frames"),))
        self.assertRegex(first.lost, r"^5\d\.\d% of its pixels are cut off at black or white.* 8-bit steps")
        self.assertIn("Un-tone-mapped on sRGB - Display", first.before)

    def test_a_proof_that_sees_another_view(self) -> None:
        self.frames()
        draft = self.draft(self.scene)
        taken(draft, (Asked("rescue-frames"),))
        with staged(draft, self.folder / "out") as outcome:
            wrong = outcome.place / "frames" / "dusk_rescued.0001.exr"
            write(wrong, self.light * 1.02, "half")
            rows = {row.of: row.same for row in proved(draft, outcome.place) if row.kind == "frame"}
        self.assertEqual(rows, {"frames/dusk.0001.png": False, "frames/dusk.0002.png": True})

    def test_in_place_the_frames_stay(self) -> None:
        self.frames()
        draft = self.draft(self.scene)
        taken(draft, (Asked("rescue-frames"),))
        with staged(draft, None) as outcome:
            outcome.put()
        names = sorted(file.name for file in (self.home / "frames").iterdir())
        self.assertEqual(names, ["dusk.0001.png", "dusk.0002.png", "dusk_rescued.0001.exr", "dusk_rescued.0002.exr"])

    def test_what_is_left(self) -> None:
        self.frames(sample="half", suffix="exr")
        write_damaged(self.home / "cut" / "dusk.0001.png", self.light, "uint8", 0.2)
        write_damaged(self.home / "cut" / "dusk.0002.png", self.light, "uint8", 0.2)
        for tile in (1001, 1002):  # a texture that nothing reads any more
            write(self.home / "maps" / f"wall_basecolor.{tile}.png", np.clip(self.light, 0, 1), "uint8")
        draft = self.draft(self.scene)
        self.assertNotIn("frames-with-view", [habit.code for habit in habits_of(draft)])
        self.assertEqual(taken(draft, (Asked("rescue-frames"),)), [])
        told = {left.of: left.why for left in draft.left}
        self.assertIn("It holds floats", told["frames/dusk.0001.exr"])
        self.assertEqual(told["cut/dusk.0001.png"], "It cannot be read.")
        self.assertEqual(len(told), 4)

    def test_nothing_is_overwritten(self) -> None:
        """Neither what was rescued before nor one of two frames that would have one name."""
        self.frames()
        self.frames(sample="uint8", suffix="jpg")
        before = write(self.home / "frames" / "dusk_rescued.0002.exr", self.light, "half").read_bytes()
        draft = self.draft(self.scene)
        self.assertEqual(len(taken(draft, (Asked("rescue-frames"),))), 1)
        self.assertEqual(len([left for left in draft.left if "is there already" in left.why]), 3)
        with staged(draft, None) as outcome:
            outcome.put()
        self.assertEqual((self.home / "frames" / "dusk_rescued.0002.exr").read_bytes(), before)

    def test_a_view_that_is_none(self) -> None:
        self.frames()
        for typed in ("sRGB - Display/Nothing", "Nothing/Un-tone-mapped", "AgX"):
            with self.assertRaises(BadInput):
                taken(self.draft(self.scene), (Asked("rescue-frames", {"through": typed}),))
