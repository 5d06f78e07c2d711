"""The chain as a graph, its simulation, test cards that come back, and tables of textures."""

from pathlib import Path

import numpy as np
from PIL import Image

from saltwort.core.images import read_pixels, write_image
from saltwort.core.stations.kinds import KINDS
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.proving import bench_of, card_of
from tests.server import ServerTestCase


class ChainTestCase(ServerTestCase):
    def station(self, name: str) -> Station:
        return Station.objects.select_related("project__current").get(project=self.project, name=name)

    def added(self, name: str, kind: str) -> int:
        pk: int = self.tell("post", "/stations", 201, name=name, kind=kind)["id"]
        return pk

    def arrows(self) -> set[tuple[str, str]]:
        names = {station["id"]: station["name"] for station in self.ask("/stations")}
        return {(names[one["giver"]], names[one["taker"]]) for one in self.ask("/chain")["arrows"]}

    def codes(self) -> set[tuple[str, str]]:
        found = self.findings()
        return {(one["code"], one["subject"]) for one in found if one["code"].startswith("handoff.")}


class Graph(ChainTestCase):
    def test_new_ones_stand_where_they_mostly_do(self) -> None:
        self.added("Painter", "texturing")
        self.added("Viewer", "render-viewer")
        self.added("Suite", "grading")
        self.added("Page", "web-page")
        self.assertEqual(
            self.arrows(),
            {
                ("Renderer", "Compositor"),
                ("Painter", "Renderer"),
                ("Compositor", "Viewer"),
                ("Compositor", "Suite"),
                ("Suite", "Page"),
            },
        )
        names = {station["id"]: station["name"] for station in self.ask("/stations")}
        columns = [[names[key] for key in column] for column in self.ask("/chain")["columns"]]
        self.assertEqual(columns, [["Painter"], ["Renderer"], ["Compositor"], ["Viewer", "Suite"], ["Page"]])
        what = {names[one["giver"]]: one["what"] for one in self.ask("/chain")["arrows"]}
        self.assertEqual(what["Painter"], "textures, each in its own space")
        self.assertIn("scene-linear EXR", what["Renderer"])
        self.assertIn("finished pictures", what["Suite"])

    def test_one_hands_on_to_several_and_one_is_fed_by_several(self) -> None:
        renderer, compositor = self.station("Renderer").pk, self.station("Compositor").pk
        other, page = self.added("Other renderer", "renderer"), self.added("Page", "web-page")
        self.tell("put", f"/stations/{renderer}/takers", takers=[compositor, page])
        self.tell("put", f"/stations/{other}/takers", takers=[compositor])
        self.assertEqual(
            self.arrows() - {("Compositor", "Page")},
            {("Renderer", "Compositor"), ("Renderer", "Page"), ("Other renderer", "Compositor")},
        )
        sections = [section["title"] for section in self.ask(f"/stations/{renderer}/sheet")]
        self.assertEqual(sections[-2:], ["Then, in the compositor", "Then, in the page"])
        self.tell("put", f"/stations/{renderer}/takers", takers=[])
        self.assertNotIn(("Renderer", "Compositor"), self.arrows())
        self.undo()
        self.assertIn(("Renderer", "Compositor"), self.arrows())

    def test_no_circles_and_no_strangers(self) -> None:
        renderer, compositor = self.station("Renderer").pk, self.station("Compositor").pk
        self.refused("put", f"/stations/{compositor}/takers", "circle", takers=[renderer])
        self.refused("put", f"/stations/{renderer}/takers", "itself", takers=[renderer])
        self.refused("put", f"/stations/{renderer}/takers", "gone", takers=[99_999])
        self.assertEqual(self.arrows(), {("Renderer", "Compositor")})

    def test_rename_copy_and_remove(self) -> None:
        renderer, compositor = self.station("Renderer"), self.station("Compositor")
        self.tell("put", f"/stations/{compositor.pk}", based_on=compositor.version, name="Comp")
        self.refused("put", f"/stations/{renderer.pk}", "already", based_on=renderer.version, name="comp")
        self.tell("put", f"/stations/{compositor.pk}", based_on=compositor.version + 1, abilities={"own_clamp": True})
        copied = self.tell("post", f"/stations/{compositor.pk}/copy", 201, name="Comp of the other shot")
        self.assertTrue(copied["abilities"]["own_clamp"])
        self.assertEqual(self.arrows(), {("Renderer", "Comp"), ("Renderer", "Comp of the other shot")})
        self.refused("post", f"/stations/{compositor.pk}/copy", "already", name="COMP")
        self.client.delete(self.url(f"/stations/{compositor.pk}"))
        self.assertEqual(self.arrows(), {("Renderer", "Comp of the other shot")})
        self.undo()
        self.assertIn(("Renderer", "Comp"), self.arrows())

    def test_findings_of_the_arrows(self) -> None:
        renderer = self.station("Renderer").pk
        suite, comp = self.added("Suite", "grading"), self.added("Late comp", "compositor-nodes")
        self.assertIn(("handoff.viewed-twice", "Late comp"), self.codes())
        self.tell("put", f"/stations/{suite}/takers", takers=[])
        self.tell("put", f"/stations/{renderer}/takers", takers=[suite, comp])
        self.assertNotIn("handoff.viewed-twice", {code for code, _ in self.codes()})


class Simulated(ChainTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.renderer, self.compositor = self.station("Renderer"), self.station("Compositor")
        self.page = self.added("Page", "web-page")

    def outcome(self, **wrong: str) -> dict[int, dict]:
        keys = {station.name: station.pk for station in self.project.stations.all()}
        asked = [f"{keys[name]}~{key}" for name, key in wrong.items()]
        return {one["id"]: one for one in self.ask("/simulation", wrong=asked)}

    def key(self, station: Station, code: str, stage: str) -> str:
        listed = self.ask(f"/stations/{station.pk}/mistakes")
        return next(one["key"] for one in listed if one["code"] == code and one["key"].startswith(stage))

    def test_as_agreed_nothing_is_wrong(self) -> None:
        for one in self.outcome().values():
            self.assertFalse(one["shown_wrong"] or one["handed_wrong"] or one["repair"])
            self.assertEqual(one["tracer"]["shown"], one["tracer"]["shown_agreed"])

    def test_a_view_that_is_missing_concerns_one_screen_alone(self) -> None:
        found = self.outcome(Compositor=self.key(self.compositor, "view-missing", "show"))
        self.assertTrue(found[self.compositor.pk]["shown_wrong"])
        self.assertFalse(found[self.compositor.pk]["handed_wrong"])
        self.assertFalse(found[self.page]["shown_wrong"])

    def test_primaries_taken_for_others_are_repaired_later_and_a_cut_is_not(self) -> None:
        found = self.outcome(Renderer=self.key(self.renderer, "primaries", "write"))
        self.assertTrue(found[self.compositor.pk]["shown_wrong"])
        self.assertEqual(found[self.compositor.pk]["repair"]["possible"], True)
        self.assertLess(found[self.compositor.pk]["repair"]["lost"], 0.01)
        self.assertEqual(found[self.page]["repair"]["possible"], False)
        cut = self.outcome(Renderer=self.key(self.renderer, "clipped", "write"))
        self.assertEqual(cut[self.compositor.pk]["repair"]["possible"], False)

    def test_pictures_and_pairs(self) -> None:
        key = self.key(self.compositor, "view-missing", "show")
        pk = self.compositor.pk
        as_is = self.ask("/simulation/picture", station=pk, wrong=[f"{pk}~{key}"])
        agreed = self.ask("/simulation/picture", station=pk, wrong=[f"{pk}~{key}"], agreed=True)
        self.assertNotEqual(as_is, agreed)
        pair = [self.ask(f"/stations/{pk}/mistake-picture", mistake=key, agreed=each) for each in (True, False)]
        self.assertNotEqual(*pair)
        self.ask(f"/stations/{pk}/mistake-picture", 400, mistake="show:nothing")
        self.ask("/simulation", 400, wrong=["nonsense"])

    def test_every_kind_of_application_goes_through(self) -> None:
        for kind in KINDS:
            if self.project.stations.count() < 19:
                self.added(kind.label[:60], kind.key)
        self.assertEqual(len(self.outcome()), self.project.stations.count())


class Handshake(ChainTestCase):
    def came_back(self, name: str, file: str, change: float = 1.0, **fields: str) -> dict:
        station = self.station(name)
        card = card_of(station)
        run = bench_of(station).agreed()
        shown = run.shown(card.picture())[..., :3]
        path = self.folder / file
        write_image(path, np.clip(shown, 0, 1) ** np.float32(change), "uint8")
        answer: dict = self.send(f"/stations/{station.pk}/proofs", path, **fields)
        return answer

    def test_as_agreed_and_then_out_of_date(self) -> None:
        pk = self.station("Compositor").pk
        self.assertIn(("handoff.never-proved", "Compositor"), self.codes())
        proof = self.came_back("Compositor", "seen.png")
        self.assertEqual((proof["verdict"], proof["made"]), ("as agreed", []))
        self.assertEqual(self.ask(f"/stations/{pk}/proofs")["state"], "proved")
        self.assertEqual({one["name"]: one["proof"] for one in self.ask("/stations")}["Compositor"], "proved")
        self.assertNotIn(("handoff.never-proved", "Compositor"), self.codes())
        view = {"display": "sRGB - Display", "view": "Un-tone-mapped", "look": ""}
        self.tell("post", "/setup", based_on=self.revision(), message="Another view", view=view)
        standing = self.ask(f"/stations/{pk}/proofs")
        self.assertEqual(standing["state"], "out-of-date")
        self.assertIn("the view was", standing["changed"][0])
        self.assertIn(("handoff.out-of-date", "Compositor"), self.codes())

    def test_a_change_that_does_not_touch_it_leaves_it_proved(self) -> None:
        pk = self.station("Compositor").pk
        self.came_back("Compositor", "seen.png")
        self.tell("post", "/setup", based_on=self.revision(), message="Words", default_space="Raw")
        self.assertEqual(self.ask(f"/stations/{pk}/proofs")["state"], "proved")
        station = self.station("Compositor")
        self.tell("put", f"/stations/{pk}", based_on=station.version, abilities={"own_clamp": True})
        self.assertEqual(self.ask(f"/stations/{pk}/proofs")["state"], "out-of-date")

    def test_the_wrong_setting_is_named(self) -> None:
        proof = self.came_back("Compositor", "seen.png", 1 / 2.2)
        self.assertEqual(proof["verdict"], "wrong")
        self.assertEqual(proof["made"][0]["code"], "power")
        self.assertAlmostEqual(proof["made"][0]["parameters"]["exponent"], 1 / 2.2, delta=0.01)
        self.assertIn("gamma", proof["made"][0]["repair"])
        self.assertIn(("handoff.failed", "Compositor"), self.codes())
        station = self.station("Compositor")
        for which in ("came", "agreed"):
            png = self.ask(f"/stations/{station.pk}/proofs/{proof['id']}/{which}")
            self.assertTrue(png.startswith(b"\x89PNG"))

    def test_a_jpeg_of_half_the_size_is_read(self) -> None:
        station = self.station("Compositor")
        shown = bench_of(station).agreed().shown(card_of(station).picture())[..., :3]
        picture = Image.fromarray((np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8))
        path = self.folder / "seen.jpg"
        picture.resize((picture.width // 2, picture.height // 2), Image.Resampling.BILINEAR).save(path, quality=80)
        self.assertEqual(self.send(f"/stations/{station.pk}/proofs", path)["verdict"], "as agreed")

    def test_what_a_renderer_wrote(self) -> None:
        station = self.station("Renderer")
        card = card_of(station)
        light = card.bench.agreed().written(card.picture())
        path = self.folder / "beauty.exr"
        write_image(path, light[..., :3], "half")
        proof = self.send(f"/stations/{station.pk}/proofs", path)
        self.assertEqual((proof["came"], proof["verdict"]), ("written", "as agreed"))

    def test_a_card_names_its_application(self) -> None:
        station = self.station("Compositor")
        shown = bench_of(station).agreed().shown(card_of(station).picture())[..., :3]
        path = self.folder / "any.png"
        write_image(path, np.clip(shown, 0, 1), "uint8")
        self.assertEqual(self.send("/proofs", path)["station"], station.pk)
        self.client.delete(self.url(f"/stations/{station.pk}"))
        self.assertIn("another project", self.send("/proofs", path, 400)["detail"])

    def test_other_files_are_refused(self) -> None:
        compositor, renderer = self.station("Compositor"), self.station("Renderer")
        nothing = self.folder / "nothing.png"
        write_image(nothing, np.full((200, 300, 3), 0.4, np.float32), "uint8")
        told = self.send(f"/stations/{compositor.pk}/proofs", nothing, 400)
        self.assertIn("no test card", told["detail"])
        other = self.folder / "other.exr"
        write_image(other, card_of(compositor).picture(), "half")
        told = self.send(f"/stations/{renderer.pk}/proofs", other, 400)
        self.assertIn("“Compositor”", told["detail"])
        broken = self.folder / "broken.png"
        broken.write_bytes(nothing.read_bytes()[:60])
        self.send(f"/stations/{compositor.pk}/proofs", broken, 400)
        viewer = self.added("Viewer", "render-viewer")
        card = self.folder / "viewer.exr"
        write_image(card, card_of(self.station("Viewer")).picture(), "half")
        told = self.send(f"/stations/{viewer}/proofs", card, 400, came="written")
        self.assertIn("hands on nothing", told["detail"])

    def test_the_card_holds_what_it_says(self) -> None:
        station = self.station("Compositor")
        content = self.ask(f"/stations/{station.pk}/card")
        folder = self.unzipped(content)
        exr = next(folder.rglob("test_card_light.exr"))
        pixels = read_pixels(exr, alpha=True)
        self.assertEqual(pixels.shape[2], 4)
        np.testing.assert_allclose(pixels, card_of(station).picture(), rtol=1e-3, atol=1e-6)
        self.assertTrue(next(folder.rglob("expected.json")).read_text())

    def unzipped(self, content: bytes) -> Path:
        import io
        import zipfile

        folder = self.folder / "unzipped"
        zipfile.ZipFile(io.BytesIO(content)).extractall(folder)
        return folder


class Textures(ChainTestCase):
    def test_a_table_is_narrowed_and_saved(self) -> None:
        for name in ("wall/wall_basecolor.png", "wall/wall_rough.png", "rope/rope_basecolor.png"):
            self.texture(name)
        pk = self.added("Old", "renderer-gamma")
        table = self.ask(f"/stations/{pk}/textures")
        self.assertEqual(table["count"], 3)
        words = {row["path"]: row["value"] for row in table["rows"]}
        self.assertEqual(words["wall/wall_rough.png"], "linear, or raw")
        self.assertEqual(words["wall/wall_basecolor.png"], "sRGB")
        self.assertEqual(self.ask(f"/stations/{pk}/textures", kind="roughness")["count"], 1)
        self.assertEqual(self.ask(f"/stations/{pk}/textures", search="ROPE base")["count"], 1)
        self.assertEqual(self.ask(f"/stations/{pk}/textures", start=2)["rows"][0]["path"], "wall/wall_rough.png")
        renderer = self.station("Renderer").pk
        self.assertEqual(self.ask(f"/stations/{renderer}/textures", by_hand=True)["count"], 0)
        self.assertIn(b"wall/wall_rough.png", self.ask(f"/stations/{pk}/textures.csv"))

    def test_names_with_tokens(self) -> None:
        self.texture("wall/wall_basecolor.1001.png")
        self.texture("wall/wall_rough_raw.png")
        renderer = self.station("Renderer")
        self.tell("put", f"/stations/{renderer.pk}", based_on=renderer.version, abilities={"name_tokens": True})
        rows = self.ask(f"/stations/{renderer.pk}/textures")["rows"]
        self.assertEqual([row["rename"] for row in rows], ["wall/wall_basecolor_srgb.1001.png", ""])
