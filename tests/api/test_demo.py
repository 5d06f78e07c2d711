"""The demo project holds what its README promises, trap by trap."""

import tempfile
from collections import Counter
from pathlib import Path

from django.db import transaction
from django.test import TestCase, override_settings

from saltwort.core.engine.typed import typed_in
from saltwort.core.images import measure
from saltwort.core.project import read_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.spaces.typed import TypedColour
from saltwort.demo.build import RENDER, SCENE, build_demo
from saltwort.demo.textures import CUT_OFF, write_textures
from saltwort.server import kept
from saltwort.server.findings.fixes import apply_fix
from saltwort.server.findings.operations import findings_of
from saltwort.server.handoffs.models import Proof
from saltwort.server.handoffs.operations import colours_of
from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import Job
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.operations import space_of
from saltwort.server.textures.operations import assigned_textures

NIGHT = ("view-baked", "wrong-primaries", "exposure-jump", "missing")
UNTRIED = ("Painting tool", "Renderer", "Render viewer", "Web page")


class Demo(TestCase):
    project: Project

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        media = override_settings(MEDIA_ROOT=folder.name)
        media.enable()
        cls.addClassCleanup(media.disable)
        super().setUpClass()

    @classmethod
    def setUpTestData(cls) -> None:
        cls.project = build_demo()

    def test_the_guides_example_of_a_brand_colour_is_the_demos(self) -> None:
        guide = (Path(__file__).parents[2] / "docs" / "guide" / "scene.md").read_text("utf-8")
        config = config_of(self.project.current)
        (ferry,) = [line for line in colours_of(self.project.current) if line.name == "ferry red"]
        plain = typed_in(config, TypedColour("srgb_texture", "hex", "#b3262e"), "ACEScg")
        for numbers in (ferry.working, plain):
            self.assertIn(" ".join(f"{value:.4f}" for value in numbers), guide)

    def test_every_trap_is_found_once(self) -> None:
        found = {(finding.code, finding.subject) for finding in findings_of(self.project)}
        self.assertEqual(
            found,
            {
                ("handoff.failed", "Grading suite"),
                ("handoff.rules-ignored", "Painting tool"),
                ("handoff.colour-not-typable", "Painting tool"),  # the flame and the channel marker
                *(("handoff.never-proved", name) for name in UNTRIED),
                *((f"frame.{what}", "lantern_quay_night") for what in NIGHT),
                ("render.frames-missing", "lamp_flicker.####.exr"),  # the one that is cut off waits for the worker
                ("texture.data-read-as-colour", "harbour_lamp/harbour_lamp_brass_roughness.png"),
                ("texture.colour-read-as-data", "mooring_rope/scans_raw/mooring_rope_albedo.jpg"),
                ("texture.looks-like-normals", "quay_wall/quay_wall_03.png"),
                ("texture.encoded-read-as-linear", "harbour_lamp/harbour_lamp_enamel_basecolor.exr"),
                ("texture.eight-bit-in-float", "harbour_lamp/harbour_lamp_enamel_basecolor.exr"),
                ("texture.linear-read-as-encoded", "quay_wall/quay_wall_moss_basecolor.exr"),
                ("texture.wrong-primaries", "harbour_lamp/harbour_lamp_flame_emission.exr"),
                ("texture.header-disagrees", "mooring_rope/mooring_rope_dyed_basecolor.png"),
                ("texture.name-space-mismatch", "harbour_lamp/harbour_lamp_glass_lin_rec2020_transmission.exr"),
                ("texture.clipped-light", "light/overcast_quay_env.exr"),
                ("texture.primaries-not-declared", "light/dusk_harbour_sky.hdr"),
                ("texture.primaries-not-declared", "light/overcast_quay_env.exr"),
                ("texture.reflectance-out-of-range", "quay_wall/quay_wall_salt_basecolor.png"),
                ("texture.inverted-view", "harbour_lamp/harbour_lamp_paint_basecolor.png"),
                ("texture.non-finite", "mooring_rope/mooring_rope_wet_rgh.exr"),
                ("texture.negative", "light/harbour_reflection_plate.exr"),
                ("texture.normals-not-unit", "mooring_rope/mooring_rope_nrm.png"),
                ("texture.space-not-in-config", "harbour_lamp/harbour_lamp_patina_basecolor.exr"),
                ("texture.unreadable", "mooring_rope/mooring_rope_tarred_basecolor.png"),
                ("rule.takes-nothing", "HDR files"),
                ("swatch.reflectance-out-of-range", "fresh tar"),
                ("swatch.steps-in-linear", "buoy red"),
            },
        )

    def test_the_views_of_a_screen_and_of_an_hdr_display(self) -> None:
        config = config_of(self.project.current)
        self.assertEqual(config.getDefaultView("sRGB - Display"), "AgX")
        wanted = {"AgX", "Filmic", "Un-tone-mapped", "Raw", "ACES 2.0 - SDR 100 nits (Rec.709)"}
        self.assertLessEqual(wanted, set(config.getViews("sRGB - Display")))
        self.assertIn("ACES 2.0 - HDR 1000 nits (Rec.2020)", config.getViews("Rec.2100-PQ - Display"))

    def test_all_sorts_of_files_are_there(self) -> None:
        headers = [row.texture.image.measured().header for row in assigned_textures(self.project)]
        kinds = {(header.format, header.bit_depth) for header in headers}
        wanted = {("PNG", "8-bit"), ("PNG", "16-bit"), ("JPEG", "8-bit"), ("EXR", "half"), ("EXR", "float")}
        self.assertLessEqual(wanted | {("HDR", "float"), ("TIFF", "16-bit")}, kinds)
        reasons = {row.assignment.reason.kind for row in assigned_textures(self.project)}
        self.assertEqual(reasons, {"rule", "pin", "default"})

    def test_the_render_holds_light_far_above_one(self) -> None:
        render = self.project.renders.get(name=RENDER)
        stats = render.image.measured().stats
        self.assertGreater(max(value or 0 for value in stats.max), 10)
        self.assertEqual((stats.non_finite, stats.below_zero), (0, 0.0))
        self.assertEqual((space_of(render).space, space_of(render).told_by), ("ACEScg", "header"))

    def test_swatches_and_waiting_outputs(self) -> None:
        self.assertEqual(
            ScenePart.of(read_setup(self.project.current.setup)),
            SCENE,
        )
        self.assertEqual(Job.objects.filter(state="queued").count(), 5)

    def test_it_is_the_same_every_time(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            write_textures(Path(folder))
            for file in Path(folder).rglob("*.png"):
                path = file.relative_to(folder).as_posix()
                if path == CUT_OFF:
                    continue
                stored = self.project.textures.get(path=path).image
                self.assertEqual(stored.measured(), measure(file))
        cards = Proof.objects.count()
        self.assertEqual(StoredImage.objects.count(), self.project.textures.count() + 2 + cards)

    def test_every_fix_ends_its_finding(self) -> None:
        tried = Counter()
        for found in findings_of(self.project):
            for fix in (found.fix, *found.also):
                if fix is None:
                    continue
                with self.subTest(found.code, subject=found.subject, fix=fix.operation), transaction.atomic():
                    kept.forget()
                    project = Project.objects.get(pk=self.project.pk)
                    apply_fix(project, project.current.number, fix.operation, dict(fix.arguments))
                    project = Project.objects.get(pk=self.project.pk)
                    left = {(other.code, other.subject) for other in findings_of(project)}
                    self.assertNotIn((found.code, found.subject), left)
                    tried[fix.operation] += 1
                    transaction.set_rollback(True)
        kept.forget()
        self.assertGreaterEqual(set(tried), {"pin-texture", "add-rule", "forget-file"})
