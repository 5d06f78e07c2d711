"""A project from answers, what is next in one, the check of a screen, and the walk through the demo."""

import json
from itertools import cycle, product
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from saltwort.core.deliverables import FRAMES, Defaults, Source, deliverables, read_options
from saltwort.core.deliverables.verify import against, verify
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.start import DELIVERIES, PICTURES, SPACES, Answers
from saltwort.core.stations.kinds import KINDS
from saltwort.core.views.screen_check import EXPONENTS, Seen, half_tone_code, screen_verdict
from saltwort.demo.build import build_demo
from saltwort.server.across.starting import config_from, started_from
from saltwort.server.compare.operations import change_comparison, comparison_of
from saltwort.server.compare.panes import pane_from_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.operations import pin_texture
from tests.samples import base_text, light, write
from tests.server import ServerTestCase


class StartTestCase(ServerTestCase):
    def asked(self, path: str, status: int = 200, **data: Any) -> Any:
        answer = self.client.post(f"/api/v1/start{path}", data, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def started(self, name: str = "Harbour", **answers: Any) -> Project:
        slug = self.asked("/project", 201, name=name, answers=answers)["slug"]
        return Project.objects.select_related("current").get(slug=slug)


class Start(StartTestCase):
    def test_an_untouched_page_is_a_complete_project(self) -> None:
        project = self.started()
        setup = current_setup(project)
        self.assertEqual((project.current.number, setup.working_space), (1, "ACEScg"))
        self.assertEqual((setup.view.display, setup.view.view), ("sRGB - Display", "AgX"))
        self.assertEqual(project.revisions.count(), 1)
        self.assertEqual([recipe.name for recipe in Recipes.of(setup)], ["Web still"])
        self.assertEqual(project.stations.count(), 3)
        self.assertEqual(project.hand_offs.count(), 2)
        self.assertIsNone(self.client.get(f"/api/v1/projects/{project.slug}").json()["undo"])
        config = config_of(project.current)
        self.assertEqual(list(config.getDisplays()), ["sRGB - Display"])
        self.assertIn("AgX", list(config.getViews("sRGB - Display")))

    def test_every_answer_to_every_question(self) -> None:
        """Each picture in each space for all that can be delivered makes a config that loads, and says the truth."""
        every = [each.key for each in DELIVERIES]
        for picture, space in product(PICTURES, SPACES):
            with self.subTest(picture=picture.key, space=space.key):
                facts = self.asked("/facts", picture=picture.key, space=space.key, deliveries=every)
                self.assertEqual(facts["told"], [])
                self.assertEqual(len(facts["displays"]), 4)
                recipes = [recipe.name for each in DELIVERIES for recipe in each.recipes]
                self.assertEqual(facts["outputs"], recipes)
                first = next(one for one in facts["displays"] if one["display"] == "sRGB - Display")
                self.assertTrue(first["view"].lower().startswith(picture.label.lower()), first)
        for delivery in DELIVERIES:
            project = self.started(f"Show {delivery.key}", deliveries=[delivery.key], picture="aces-2")
            recipe = Recipes.of(current_setup(project))[0]
            settings = dict(recipe.settings)
            if delivery.display:
                self.assertEqual(next(iter(config_of(project.current).getDisplays())), settings["display"])
        project = self.started("All", applications=[kind.key for kind in KINDS])
        self.assertEqual(project.stations.count(), len(KINDS))

    def test_every_recipe_of_every_start_is_made_and_verified(self) -> None:
        """All of them can be made; those of each picture are made in one of the working spaces, and verified."""
        files = [write(self.folder / f"dusk.{number}.exr", light(54, 96, 12.0, number), "half") for number in range(3)]
        every = tuple(each.key for each in DELIVERIES)
        made_in = dict(zip((each.key for each in PICTURES), cycle(each.key for each in SPACES)))
        for picture, space in product(made_in, (each.key for each in SPACES)):
            answers = Answers(deliveries=every, picture=picture, space=space)
            made, config = started_from(answers), config_from(answers)
            chosen = Defaults(made.setup.view, made.setup.working_space)
            for recipe in Recipes.of(made.setup):
                with self.subTest(picture=picture, space=space, recipe=recipe.name):
                    kind = deliverables()[recipe.kind]
                    settings = kind.settings_from(read_options(kind.settings, dict(recipe.settings)), chosen)
                    kind.check(config, settings)
                    if made_in[picture] != space:
                        continue
                    sources = [Source(file, made.setup.working_space, number=at) for at, file in enumerate(files)]
                    sources = sources if kind.takes == FRAMES else sources[:1]
                    target = self.folder / kind.named("dusk", 1, settings)
                    kind.write(config, sources, settings, target, lambda share, doing: None)
                    of = () if kind.kind == "light" else sources
                    self.assertEqual(against(verify(target), target, config, kind, settings, of).doubts, ())

    def test_without_a_render_lamps_or_the_rig_stand_in(self) -> None:
        shown = {
            self.client.get("/api/v1/start/picture", {"picture": picture, "space": space, "stand_in": stand_in}).content
            for picture in ("agx", "un-tone-mapped")
            for space in ("acescg", "rec709")
            for stand_in in ("lamps", "rig")
        }
        self.assertGreaterEqual(len(shown), 4, "views and pictures differ")
        for content in shown:
            self.assertTrue(content.startswith(b"\x89PNG"))
        refused = self.client.get("/api/v1/start/picture", {"picture": "agx", "space": "acescg", "stand_in": "cat"})
        self.assertEqual(refused.status_code, 400)

    def test_what_each_working_space_holds(self) -> None:
        """ACEScg holds P3 and nearly Rec.2020; a gamut holds itself; Rec.709 holds 0.7 of P3 on the xy diagram, as the
        areas of the two triangles, of which one lies within the other, say (0.1120 and 0.1520)."""
        told = {row["name"]: row for row in self.asked("/facts")["spaces"]}
        self.assertEqual([row["chosen"] for row in told.values()], [True, False, False])
        self.assertAlmostEqual(told["ACEScg"]["p3"], 1, delta=1e-3)
        self.assertAlmostEqual(told["Linear Rec.2020"]["rec2020"], 1, delta=1e-3)
        self.assertAlmostEqual(told["Linear Rec.709 (sRGB)"]["p3"], 0.1120 / 0.1520, delta=0.01)

    def test_a_render_is_seen_through_each_picture_and_comes_along(self) -> None:
        file = write(self.folder / "dusk.exr", light(60, 80), "half", colorInteropID="lin_ap1_scene")
        sent = self.client.post(
            "/api/v1/start/render", {"file": SimpleUploadedFile("dusk.exr", file.read_bytes())}
        ).json()
        shown = set()
        for picture in PICTURES:
            answer = self.client.get(
                "/api/v1/start/picture",
                {"picture": picture.key, "space": "acescg", "image": sent["image"], "deliveries": "web"},
            )
            self.assertTrue(answer.content.startswith(b"\x89PNG"))
            shown.add(answer.content)
        self.assertEqual(len(shown), len(PICTURES), "each looks otherwise")
        slug = self.asked("/project", 201, name="Dusk", answers={}, image=sent["image"], image_name="dusk.exr")["slug"]
        self.assertEqual(Project.objects.get(slug=slug).renders.get().name, "dusk.exr")

    def test_a_config_of_the_show(self) -> None:
        upload = SimpleUploadedFile("show.ocio", base_text().encode())
        base = self.client.post("/api/v1/start/config", {"file": upload}).json()["base"]
        self.assertTrue(base.startswith("sha256:"))
        project = self.started(base=base, picture="aces-1")
        self.assertEqual(current_setup(project).base, base)
        told = self.asked("/facts", base=base, picture="aces-1")["told"]
        self.assertIn("no ACES 1", told[0])
        broken = SimpleUploadedFile("broken.ocio", b"no config")
        self.assertEqual(self.client.post("/api/v1/start/config", {"file": broken}).status_code, 400)

    def test_names_tell_or_leave_open(self) -> None:
        names = ["quay_wall_basecolor.png", "quay_wall_rgh.exr", "photo 12.tif", "a/lin_rec709/x.exr"]
        told = {row["name"]: row for row in self.asked("/names", answers={}, names=names)}
        self.assertEqual(
            (told[names[0]]["kind"], told[names[0]]["space"]), ("base colour", "sRGB Encoded Rec.709 (sRGB)")
        )
        self.assertEqual((told[names[1]]["kind"], told[names[1]]["space"]), ("roughness", "Raw"))
        self.assertEqual(told[names[2]]["kind"], "")
        self.assertEqual(told[names[3]]["space"], "Linear Rec.709 (sRGB)")

    def test_what_is_refused(self) -> None:
        for wrong in (
            {"picture": "x"},
            {"space": "x"},
            {"deliveries": ["x"]},
            {"applications": ["x"]},
            {"base": "builtin:x"},
        ):
            with self.subTest(wrong):
                self.assertEqual(self.asked("/project", 400, name="X", answers=wrong)["detail"][-1], ".")
        self.started("Twice")
        self.assertIn("already", self.asked("/project", 400, name="Twice", answers={})["detail"])
        self.assertEqual(Project.objects.filter(name="X").count(), 0)


class WhatIsNext(StartTestCase):
    def states(self) -> dict[str, str]:
        return {step["step"]: step["state"] for step in self.ask("/next")["steps"]}

    def test_each_state_follows_from_what_is_there(self) -> None:
        states = self.states()
        self.assertEqual(
            states,
            {
                "config": "ready",
                "textures": "to do",
                "scene": "to do",
                "compare": "to do",
                "handoffs": "to do",
                "outputs": "to do",
            },
        )
        self.assertEqual(self.ask("/next")["next"]["path"], "textures")
        texture = self.texture("wall/wall_rough.png")
        self.assertEqual(self.states()["textures"], "ready")
        pin_texture(texture, texture.version, "sRGB Encoded Rec.709 (sRGB)")
        self.assertEqual(self.states()["textures"], "attention")
        told = self.ask("/next")
        self.assertEqual((told["next"]["path"], told["next"]["label"]), ("textures", "Data read as colour"))
        self.undo()
        self.render(colorInteropID="lin_ap1_scene")
        states = self.states()
        self.assertEqual((states["textures"], states["scene"], states["compare"]), ("ready", "ready", "ready"))
        self.tell("post", "/outputs", 201, kind="light", render=self.project.renders.get().pk)
        self.do_jobs()
        self.assertEqual(self.states()["outputs"], "ready")

    def test_all_ready(self) -> None:
        self.project.stations.all().delete()
        self.texture("wall/wall_rough.png")
        self.render(colorInteropID="lin_ap1_scene")
        self.tell("post", "/outputs", 201, kind="light", render=self.project.renders.get().pk)
        self.do_jobs()
        self.assertEqual(self.ask("/next")["next"]["label"], "Add the applications of your chain")


class Walk(ServerTestCase):
    def test_a_mistake_is_done_once_it_is_mended(self) -> None:
        self.assertEqual(self.ask("/walk"), [])
        self.project = build_demo()
        url = "/api/v1/projects/lantern-quay/walk"
        self.assertEqual([step["done"] for step in self.client.get(url).json()], [False] * 6)
        texture = self.project.textures.get(path="harbour_lamp/harbour_lamp_brass_roughness.png")
        pin_texture(texture, texture.version, "")
        self.assertEqual([step["done"] for step in self.client.get(url).json()], [False, True, *[False] * 4])

    def test_a_value_is_read_where_the_lamp_is(self) -> None:
        self.project = build_demo()
        comparison = comparison_of(self.project)
        panes = [pane_from_json(pane) for pane in comparison.panes]
        render = self.project.renders.get(name="lantern_quay_dusk.exr")
        for probes, is_read in (([[0.1, 0.1]], False), ([[0.1, 0.1], [0.595, 0.455]], True)):
            comparison = change_comparison(comparison, comparison.version, panes, 0.0, render, probes, None)
            step = self.client.get("/api/v1/projects/lantern-quay/walk").json()[0]
            self.assertEqual((step["key"], step["done"]), ("read", is_read))


class ScreenCheck(ServerTestCase):
    def test_half_tones_have_half_the_light(self) -> None:
        for exponent in EXPONENTS:
            code = half_tone_code(exponent) / 255
            decoded = ((code + 0.055) / 1.055) ** 2.4 if exponent == "srgb" else code ** float(exponent)
            self.assertAlmostEqual(decoded, 0.5, delta=0.004)  # half a step of 8 bits
        told = self.client.get("/api/v1/screen").json()
        self.assertEqual([row["exponent"] for row in told], list(EXPONENTS))

    def test_every_answer_has_a_sentence(self) -> None:
        for exponent, p3, surround in product(
            (*EXPONENTS, "unknown"), (None, True, False), ("dark", "dim", "bright", "unknown")
        ):
            found = screen_verdict(Seen(exponent, 2, 253, p3, surround=surround))
            self.assertRegex(found.sentence, r"^(This screen shows|Nothing is known).*\.")
            self.assertNotIn("None", found.sentence)
        dark = screen_verdict(Seen("2.4", 2, 253, False))
        self.assertEqual(
            dark.sentence,
            "This screen shows sRGB with an exponent near 2.4: shadows look darker here than on screens for the web.",
        )
        self.assertTrue(dark.is_fit)
        self.assertFalse(screen_verdict(Seen("2.2", 12, 253, False)).is_fit)
        self.assertFalse(screen_verdict(Seen("2.2", 2, 253, False, is_managed=False)).is_fit)
        self.assertIsNone(screen_verdict(Seen()).is_fit)

    def test_what_the_page_asks(self) -> None:
        for path in ("tagged.png", "pq.png"):
            self.assertTrue(self.client.get(f"/api/v1/screen/{path}").content.startswith(b"\x89PNG"))
        answer = self.client.post(
            "/api/v1/screen/verdict", json.dumps({"exponent": "2.2", "darkest": 3}), content_type="application/json"
        )
        self.assertIn("2.2", answer.json()["sentence"])
        wrong = self.client.post(
            "/api/v1/screen/verdict", json.dumps({"exponent": "9"}), content_type="application/json"
        )
        self.assertEqual(wrong.status_code, 400)
