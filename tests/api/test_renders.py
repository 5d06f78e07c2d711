"""Renders over HTTP, and what goes from the scene to other applications."""

import zipfile
from unittest.mock import patch

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from saltwort.core.engine import apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.images.writing import write_layers
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.stations.station import abilities
from saltwort.server.scene.models import Render
from tests.api.test_scene import ENAMEL
from tests.samples import (
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    UNTONED,
    light,
    project_config,
    write,
    write_damaged,
    write_parts,
)
from tests.server import ServerTestCase


class Renders(ServerTestCase):
    def test_a_render_is_listed_with_its_space_and_peak(self) -> None:
        file = write(self.folder / "dusk.exr", light(60, 80, 40), "half", colorInteropID="lin_rec709_scene")
        made = self.send("/renders", file)
        self.assertEqual((made["space"], made["told_by"], made["bit_depth"]), (LINEAR_REC709, "header", "half"))
        self.assertGreater(made["peak"], 10)
        self.assertGreater(made["above_one"], 0)

    def test_by_chromaticities_by_hand_and_by_nothing(self) -> None:
        render = self.render(chromaticities=REC709.chromaticities)
        (listed,) = self.ask("/renders")
        self.assertEqual((listed["space"], listed["told_by"]), (LINEAR_REC709, "chromaticities"))
        changed = self.tell("put", f"/renders/{render.pk}", based_on=1, space="Linear Rec.2020")
        self.assertEqual((changed["space"], changed["told_by"]), ("Linear Rec.2020", "you"))
        again = self.tell("put", f"/renders/{render.pk}", based_on=2, space="")
        self.assertEqual(again["told_by"], "chromaticities")
        self.refused("put", f"/renders/{render.pk}", "no colour space", based_on=3, space="Nowhere")

    def test_layers_parts_and_windows(self) -> None:
        beauty, key = light(20, 30), light(20, 30) * 0.5
        file = self.folder / "layers.exr"
        channels = {name: beauty[..., number] for number, name in enumerate("RGB")}
        channels |= {f"key.{name}": key[..., number] for number, name in enumerate("RGB")}
        write_layers(file, {**channels, "Z": np.full((20, 30), 5000.0, np.float32)})
        made = self.send("/renders", file)
        self.assertEqual(made["layers"], ["", "Z", "key"])
        self.assertLess(made["peak"], 5000)  # depth is no light
        changed = self.tell("put", f"/renders/{made['id']}", based_on=1, layer="key")
        self.assertAlmostEqual(changed["peak"], made["peak"] / 2, places=2)
        (self.folder / "seen.png").write_bytes(self.ask(f"/renders/{made['id']}/picture", size=64))
        self.assertEqual(read_pixels(self.folder / "seen.png").shape, (20, 30, 3))

    def test_the_parts_of_a_file_are_layers(self) -> None:
        file = self.folder / "parts.exr"
        write_parts(file, {"beauty": light(8, 12), "key": light(8, 12) * np.float32(0.25)})
        made = self.send("/renders", file)
        self.assertEqual(made["layers"], ["beauty", "key"])
        changed = self.tell("put", f"/renders/{made['id']}", based_on=1, layer="key")
        self.assertAlmostEqual(changed["peak"], made["peak"] / 4, places=1)

    def test_a_data_window_is_put_into_its_picture(self) -> None:
        for window, shown in (((4, 3, 10, 6), (20, 12)), ((-4, -3, 30, 20), (20, 12))):
            x, y, width, height = window
            spec = oiio.ImageSpec(width, height, 3, "half")
            spec.x, spec.y, spec.full_width, spec.full_height = x, y, *shown
            file = self.folder / f"window{x}.exr"
            output = oiio.ImageOutput.create("openexr")
            output.open(str(file), spec)
            output.write_image(np.full((height, width, 3), 0.5, np.float32))
            output.close()
            made = self.send("/renders", file)
            self.assertEqual((made["width"], made["height"]), shown)
            self.assertEqual(made["window"], f"{width} × {height} from {x}, {y}")
            lit = read_pixels(file)[..., 0] > 0
            self.assertEqual(lit.shape, shown[::-1])
            self.assertEqual(int(lit.sum()), 60 if x > 0 else 240)

    def test_where_light_is_flat_negative_or_no_number(self) -> None:
        pixels = light(40, 60)
        pixels[:10, :20] = 1.5
        pixels[20:22, 30:33, 0] = -0.5
        pixels[30, 40] = np.nan
        render = self.send("/renders", write(self.folder / "marks.exr", pixels, "half"))
        flat, negative, broken = self.ask(f"/renders/{render['id']}/marks")
        self.assertAlmostEqual(flat["channels"][0], 9 * 19 / 2400, places=3)  # its inner edge has other neighbours
        self.assertAlmostEqual(negative["channels"][0], 6 / 2400, places=6)
        self.assertEqual(negative["all_channels"], 0)
        self.assertAlmostEqual(broken["all_channels"], 1 / 2400, places=6)
        self.assertLess(flat["bright_with_detail"], 1)
        plain, marked = (
            self.ask(f"/renders/{render['id']}/picture", size=64, exposure=-2, **query)
            for query in ({}, {"mark": "negative"})
        )
        self.assertNotEqual(plain, marked)
        self.ask(f"/renders/{render['id']}/picture", 400, mark="ugly")
        codes = {finding["code"] for finding in self.findings()}
        self.assertLessEqual({"render.negative", "render.non-finite"}, codes)

    def test_a_reference_picture_is_read_as_a_picture(self) -> None:
        png = write(self.folder / "still.png", light(peak=1.0), "uint8")
        brought = self.send("/renders", png)
        self.assertEqual((brought["space"], brought["told_by"][:17]), (SRGB, "the rules’ default"[:17]))
        self.assertIn("view.double", {finding["code"] for finding in self.findings()})

    def test_what_cannot_be_a_render(self) -> None:
        photo = write(self.folder / "still.jpg", light(peak=1.0), "uint8")
        self.assertIn("cut light off at 1", self.send("/renders", photo, 400)["detail"])
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        self.assertIn("cut.exr is damaged", self.send("/renders", cut, 400)["detail"])
        self.assertEqual(Render.objects.count(), 0)

    def test_pictures_are_the_engines_numbers_in_eight_bits(self) -> None:
        render = self.render()
        query = {"display": SRGB_DISPLAY, "view": UNTONED.view, "exposure": "-1", "size": 80}
        (self.folder / "seen.png").write_bytes(self.ask(f"/renders/{render.pk}/picture", **query))
        processor = view_processor(project_config(), "ACEScg", UNTONED, exposure=-1.0)
        expected = np.clip(apply(processor, read_pixels(render.image.file)), 0, 1)
        self.assertLessEqual(np.abs(read_pixels(self.folder / "seen.png") - expected).max(), 0.5 / 255 + 1e-6)

    def test_views_that_are_not_there(self) -> None:
        render = self.render()
        answer = self.ask(f"/renders/{render.pk}/picture", 400, display=SRGB_DISPLAY, view="Nowhere")
        self.assertIn("no view", answer["detail"])
        self.ask(f"/renders/{render.pk}/picture", 400, exposure="nan", view="Raw")


class HandOffs(ServerTestCase):
    def test_two_stations_with_sheets_that_follow_the_project(self) -> None:
        self.texture("wall_rough.png")
        renderer, compositor = self.ask("/stations")
        self.assertEqual((renderer["name"], compositor["name"]), ("Renderer", "Compositor"))
        before = self.ask(f"/stations/{renderer['id']}/sheet")
        self.assertIn("ACEScg", [line["value"] for section in before for line in section["settings"]])
        self.tell("post", "/setup", based_on=1, message="w", working_space="Linear Rec.2020")
        after = self.ask(f"/stations/{renderer['id']}/sheet")
        values = [line["value"] for section in after for line in section["settings"]]
        self.assertIn("Linear Rec.2020", values)
        self.assertIn("lin_rec2020_scene", values)
        file = next(value for value in values if value.endswith(".ocioz"))
        self.assertNotIn(file, [line["value"] for section in before for line in section["settings"]])
        text = self.ask(f"/stations/{compositor['id']}/sheet.txt").decode()
        self.assertIn("Read EXR renders as: Linear Rec.2020", text)

    def test_the_config_is_called_as_its_file(self) -> None:
        """A revision that changes a colour alone keeps the config of the one before."""
        self.tell("put", "/swatches", based_on=1, **ENAMEL)
        self.assertEqual(self.revision(), 2)
        renderer = self.ask("/stations")[0]
        values = {line["key"]: line["value"] for line in self.ask(f"/stations/{renderer['id']}/sheet")[0]["settings"]}
        self.assertEqual(values["file"], f"{values['name']}.ocioz")
        (self.folder / "given.ocioz").write_bytes(self.ask(f"/stations/{renderer['id']}/config/file"))
        given = ocio.Config.CreateFromFile(str(self.folder / "given.ocioz"))
        self.assertEqual(given.getName(), values["name"])
        self.assertEqual(self.ask("/config")["export_name"], "quay-r1")

    def test_each_station_gets_a_config_of_its_own_version_and_others_lose_nothing(self) -> None:
        renderer, compositor = self.ask("/stations")
        before = self.ask(f"/stations/{compositor['id']}/config/file")
        for version, suffix in (("2.1", "zip"), ("2.2", "ocioz"), ("2.4", "ocioz")):
            station = self.ask("/stations")[0]
            said = {"ocio_version": version}
            self.tell("put", f"/stations/{renderer['id']}", based_on=station["version"], abilities=said)
            told = self.ask(f"/stations/{renderer['id']}/config")
            self.assertRegex(told["file"], rf"^quay-ocio{version}-[0-9a-f]{{6}}\.{suffix}$")
            self.assertTrue(told["own"])
            self.assertIn("left out", [part["fate"] for part in told["replacements"]])
            (self.folder / "own.zip").write_bytes(self.ask(f"/stations/{renderer['id']}/config/file"))
            with zipfile.ZipFile(self.folder / "own.zip") as packed:
                text = packed.read("config.ocio").decode()
                self.assertIn(f"ocio_profile_version: {version}", text)
                packed.extractall(self.folder / f"own-{version}")
            ocio.Config.CreateFromFile(str(self.folder / f"own-{version}" / "config.ocio")).validate()
            self.assertEqual(self.ask(f"/stations/{compositor['id']}/config/file"), before)
            told = self.ask(f"/stations/{compositor['id']}/config")
            self.assertEqual((told["own"], told["replacements"]), (False, []))

    def test_applications_are_added_ordered_and_removed(self) -> None:
        said = {"ocio_version": "2.4"}
        added = self.tell("post", "/stations", 201, name=" Paint ", kind="texturing", abilities=said)
        self.assertEqual((added["name"], added["abilities"] | said), ("Paint", added["abilities"]))
        self.refused("post", "/stations", "already", name="paint", reads="renders")
        self.refused("post", "/stations", "not a valid choice", name="x", reads="minds")
        renderer, compositor, paint = (row["id"] for row in self.ask("/stations"))
        ordered = self.tell("put", "/station-order", stations=[paint, renderer, compositor])
        self.assertEqual([row["name"] for row in ordered], ["Paint", "Renderer", "Compositor"])
        titles = [section["title"] for section in self.ask(f"/stations/{paint}/sheet")]
        self.assertEqual(titles[-1], "Then, in the renderer")
        for wrong in ([paint, renderer], [paint, paint, renderer], [paint, renderer, 999]):
            self.refused("put", "/station-order", "changed meanwhile", stations=wrong)
        self.tell("delete", f"/stations/{renderer}", 204)
        self.assertEqual([row["name"] for row in self.ask("/stations")], ["Paint", "Compositor"])
        with patch("saltwort.server.handoffs.operations.MOST_STATIONS", 2):
            self.refused("post", "/stations", "up to 2", name="x", reads="renders")

    def test_what_a_station_can_do_changes_its_sheet_and_the_findings(self) -> None:
        renderer = self.ask("/stations")[0]
        self.texture("wall_rough.png")
        change = {"ocio_version": "2.3", "follows_file_rules": False}
        self.tell("put", f"/stations/{renderer['id']}", based_on=1, abilities=change)
        sheet = self.ask(f"/stations/{renderer['id']}/sheet")
        lines = {line["label"]: line for section in sheet for line in section["settings"]}
        self.assertEqual(lines["Config version"]["value"], "OCIO 2.3")
        self.assertRegex(lines["OCIO config"]["value"], r"^quay-ocio2\.3-[0-9a-f]{6}\.ocioz$")
        self.assertEqual(lines["wall_rough.png"]["why"], "set this in the application")
        self.assertIn("handoff.config-of-its-own", [finding["code"] for finding in self.findings()])
        self.refused("put", f"/stations/{renderer['id']}", "changed meanwhile", status=409, based_on=1,
                     abilities=change)  # fmt: skip
        for bad, said in (
            ({"ocio_version": "newest"}, "has no value 'newest'. Choose one of 1.0"),
            ({"follows_file_rules": "yes"}, "Choose one of true, false"),
            ({"flies": True}, "has no “flies”"),
            ({"ocio_version": True}, "has no value True"),
            ({"ocio_version": ["2.4"]}, "has no value"),
        ):
            self.refused("put", f"/stations/{renderer['id']}", said, based_on=2, abilities=bad)

    def test_abilities_are_offered_to_the_applications_that_have_them(self) -> None:
        offered = self.client.get("/api/v1/station-abilities").json()
        self.assertEqual({ability["key"] for ability in offered}, {ability.key for ability in abilities()})
        for row in self.ask("/stations"):
            self.assertEqual(
                row["abilities"],
                {ability["key"]: ability["default"] for ability in offered if row["reads"] in ability["reads"]},
            )
