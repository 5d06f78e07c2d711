"""Swatches, lights and what a scene shows live, through HTTP."""

import warnings

import numpy as np
import PyOpenColorIO as ocio

from saltwort.core.engine import ViewChoice, apply, view_processor
from saltwort.core.images import read_pixels
from saltwort.core.spaces.gamuts import AP1, D65, adaptation, rgb_to_xyz
from saltwort.core.spaces.observer import black_body_xy
from tests.core.test_configs import OLD_CONFIG
from tests.samples import (
    ACES_SDR,
    LINEAR_REC709,
    SRGB,
    SRGB_DISPLAY,
    project_config,
)
from tests.server import ServerTestCase

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

PQ = {"display": "Rec.2100-PQ - Display", "view": "ACES 2.0 - HDR 1000 nits (Rec.2020)", "look": ""}


ENAMEL = {"name": "enamel", "space": SRGB, "unit": "8-bit", "text": "47 106 104"}


class Swatches(ServerTestCase):
    def add(self, based_on: int = 1, **change: object) -> list[dict]:
        return self.tell("put", "/swatches", based_on=based_on, **{**ENAMEL, **change})

    def test_a_swatch_is_kept_as_typed_and_converted(self) -> None:
        (made,) = self.add()
        self.assertEqual((made["text"], made["unit"], made["space"]), ("47 106 104", "8-bit", SRGB))
        transform = project_config().getProcessor(ocio.ColorSpaceTransform(SRGB, "ACEScg")).getDefaultCPUProcessor()
        np.testing.assert_allclose(made["working"], transform.applyRGB([47 / 255, 106 / 255, 104 / 255]), atol=1e-7)
        shown = view_processor(project_config(), SRGB, ACES_SDR).applyRGB([47 / 255, 106 / 255, 104 / 255])
        np.testing.assert_allclose(made["shown"], shown, atol=1e-5)

    def test_what_it_is_whatever_its_numbers(self) -> None:
        encoded = np.array([47, 106, 104]) / 255
        expected = colour.sRGB_to_XYZ(encoded)
        facts = self.add()[0]["facts"]
        np.testing.assert_allclose(facts["xy"], colour.XYZ_to_xy(expected), atol=1e-4)
        np.testing.assert_allclose(facts["uv"], colour.xy_to_Luv_uv(colour.XYZ_to_xy(expected)), atol=1e-4)
        self.assertAlmostEqual(facts["luminance"], expected[1], places=4)
        self.assertAlmostEqual(facts["stops"], np.log2(expected[1] / 0.18), places=3)
        self.assertTrue(all(display["holds"] for display in facts["displays"]))

    def test_displays_are_judged_by_what_appears(self) -> None:
        """Green light beyond sRGB: its view on an sRGB display makes sRGB of it, one on an HDR display does not."""

        def held() -> set[str]:
            return {display["display"] for display in self.ask("/swatches")[0]["facts"]["displays"] if display["holds"]}

        self.add(1, name="marker", use="light", space="Linear Rec.2020", unit="unit", text="0.02 1.4 0.16")
        self.assertIn(SRGB_DISPLAY, held())
        self.tell("post", "/setup", based_on=2, message="HDR", view=PQ)
        self.assertIn("Rec.2100-PQ - Display", held())
        self.assertNotIn(SRGB_DISPLAY, held())

    def test_a_colour_as_it_must_appear_is_solved_and_reaches_the_sheet(self) -> None:
        view = {"display": ACES_SDR.display, "view": ACES_SDR.view}
        query = {"unit": "hex", "text": "#2f6a68", "use": "surface", **view}
        solved = self.ask("/appearance", **query)
        self.assertTrue(solved["is_held"])
        shown = view_processor(project_config(), "ACEScg", ACES_SDR).applyRGB(solved["working"])
        np.testing.assert_allclose(np.array(shown) * 255, (47, 106, 104), atol=0.5)
        made = self.add(name="brand", unit="hex", text="#2f6a68", appears=view)[0]
        self.assertEqual((made["space"], made["appears"]["view"]), ("", ACES_SDR.view))
        np.testing.assert_allclose(made["working"], solved["working"], rtol=1e-5)
        station = self.tell("post", "/stations", 201, name="Painter", kind="renderer")["id"]
        sheet = self.ask(f"/stations/{station}/sheet")
        (line,) = [each for part in sheet for each in part["settings"] if each["key"] == "colour:brand"]
        np.testing.assert_allclose([float(part) for part in line["value"].split()], solved["working"], atol=6e-5)
        self.assertIn("appears as #2f6a68 through", line["why"])

    def test_a_colour_that_cannot_appear_so_says_what_would_allow_it(self) -> None:
        query = {"unit": "hex", "text": "#ffd100", "display": ACES_SDR.display, "view": ACES_SDR.view}
        solved = self.ask("/appearance", **query, use="surface")
        self.assertFalse(solved["is_held"])
        self.assertGreater(solved["difference"], 1)
        more = {remedy["kind"]: remedy for remedy in solved["remedies"]}["more light"]
        self.assertTrue(self.ask("/appearance", **query, use="surface", stops=more["stops"])["is_held"])
        self.assertTrue(self.ask("/appearance", **query, use="light")["is_held"])
        for change, words in (
            ({"text": "wet"}, "hex colour has"),
            ({"unit": "kelvin", "text": "3200"}, "code values"),
            ({"view": "Raw"}, "does not output the colours of a display"),
            ({"display": "Nowhere"}, "Nowhere"),
            ({"stops": "nan"}, "stops"),
        ):
            answer = self.client.get(self.url("/appearance"), {**query, "use": "surface", **change})
            self.assertEqual((answer.status_code, words in str(answer.json())), (400, True), (change, answer.json()))

    def test_a_palette_comes_in_as_it_must_appear(self) -> None:
        palette = self.folder / "quay.css"
        palette.write_text(":root { --lamp-red: #c8102e; --harbour-teal: rgb(47 106 104); }")
        listed = self.send("/swatches/file", palette, based_on=1)
        self.assertEqual(
            [(each["name"], each["text"], each["appears"]["view"]) for each in listed],
            [("lamp red", "#c8102e", ACES_SDR.view), ("harbour teal", "#2f6a68", ACES_SDR.view)],
        )
        self.assertEqual(self.tell("post", "/swatches/remove", based_on=2, names=["lamp red", "harbour teal"]), [])

    def test_another_view_is_found_and_its_fix_fits_the_colour(self) -> None:
        view = {"display": ACES_SDR.display, "view": ACES_SDR.view}
        self.add(name="brand", unit="hex", text="#2f6a68", appears=view)
        self.tell("post", "/setup", based_on=2, message="view", view={**view, "view": "Un-tone-mapped"})
        (moved,) = [each for each in self.findings() if each["code"] == "swatch.moved-by-view"]
        fix = moved["fix"]
        self.tell("post", "/fix", 204, based_on=3, operation=fix["operation"], arguments=fix["arguments"])
        self.assertEqual(self.ask("/swatches")[0]["appears"]["view"], "Un-tone-mapped")
        self.assertNotIn("swatch.moved-by-view", [each["code"] for each in self.findings()])

    def test_every_unit_says_the_same_colour(self) -> None:
        units = {
            "unit": "0.184313725 0.415686275 0.407843137",
            "hex": "#2f6a68",
            "hsv": "177.9661016949 0.5566037736 0.4156862745",
            "hsl": "177.9661016949 38.562091503% 30%",
            "10-bit": "188.5529412 425.2470588 417.2235294",
        }
        working = np.array(self.add()[0]["working"])
        for number, (unit, text) in enumerate(units.items(), start=2):
            (changed,) = self.add(number, was="enamel", unit=unit, text=text)
            np.testing.assert_allclose(changed["working"], working, atol=2e-6, err_msg=unit)
        x, y, luminance = (*changed["facts"]["xy"], changed["facts"]["luminance"])
        (changed,) = self.add(number + 1, was="enamel", space="", unit="xyY", text=f"{x} {y} {luminance}")
        np.testing.assert_allclose(changed["working"], working, atol=2e-6)

    def test_conversions_follow_the_working_space_and_going_back_is_exact(self) -> None:
        (before,) = self.add()
        self.tell("post", "/setup", based_on=2, message="w", working_space=LINEAR_REC709)
        (after,) = self.ask("/swatches")
        self.assertEqual(after["text"], before["text"])
        self.assertNotEqual(after["working"], before["working"])
        self.add(3, was="enamel", text="1 2 3")
        self.undo()
        self.undo()
        self.assertEqual(self.ask("/swatches"), [before])

    def test_change_delete_and_undo(self) -> None:
        self.add()
        changed = self.add(2, was="enamel", unit="hex", text="#fff", name="white")
        self.assertEqual([(swatch["name"], swatch["text"]) for swatch in changed], [("white", "#fff")])
        self.refused("put", "/swatches", "changed meanwhile", status=409, based_on=1, **ENAMEL)
        self.refused("put", "/swatches", "no swatch “enamel”", based_on=3, was="enamel", **ENAMEL)
        self.assertEqual(self.tell("post", "/swatches/remove", based_on=3, names=["white"]), [])
        self.undo()
        self.assertEqual(len(self.ask("/swatches")), 1)

    def test_a_change_of_the_scene_leaves_the_config_as_it_is(self) -> None:
        before = self.project.current
        self.add()
        self.project.refresh_from_db()
        self.assertEqual(self.project.current.config_hash, before.config_hash)
        self.assertEqual(self.project.current.parts, ["scene"])

    def test_refusals(self) -> None:
        for change, words in (
            ({"text": "300 0 0"}, "0 to 255"),
            ({"text": "nan", "unit": "unit"}, "finite"),
            ({"text": "0.5 0.5 0.5 0.5", "unit": "unit"}, "here are 4"),
            ({"text": "900", "unit": "kelvin"}, "1,000 to 40,000"),
            ({"text": "#12345", "unit": "hex"}, "3 or 6 digits"),
            ({"name": ""}, "empty"),
            ({"name": "a\u0007b"}, "printed"),
            ({"space": "Nowhere"}, "no colour space"),
            ({"text": "x" * 101}, "100"),
            ({"use": "paint"}, "valid choice"),
        ):
            self.refused("put", "/swatches", words, based_on=1, **{**ENAMEL, **change})
        self.add()
        self.refused("put", "/swatches", "“enamel” already", based_on=2, **ENAMEL)
        self.assertEqual(len(self.ask("/swatches")), 1)

    def test_a_swatch_outlives_its_space_and_is_reported(self) -> None:
        self.add()
        self.tell("post", "/setup", based_on=2, message="none", rules=[])
        (self.folder / "old.ocio").write_text(OLD_CONFIG)
        self.start_from(self.folder / "old.ocio")
        (swatch,) = self.ask("/swatches")
        self.assertEqual(swatch["working"], [None, None, None])
        self.assertIn("swatch.unknown-space", [finding["code"] for finding in self.findings()])
        self.assertEqual(len(self.ask("/path")), 5)  # the tracer goes on, in the default space

    def test_out_and_in_again_as_csv_and_json(self) -> None:
        self.add()
        listed = self.add(2, name="key, warm", use="light", space="", unit="kelvin", text="3200 0.004")
        for kind in ("csv", "json"):
            file = self.folder / f"swatches.{kind}"
            file.write_bytes(self.client.get(self.url(f"/swatches.{kind}")).getvalue())
            self.tell("post", "/swatches/remove", based_on=self.revision(), names=["enamel", "key, warm"])
            self.assertEqual(self.send("/swatches/file", file, based_on=self.revision()), listed)

    def test_a_charts_values_become_swatches_and_bad_files_change_nothing(self) -> None:
        chart = self.folder / "chart.csv"
        chart.write_bytes(self.client.get("/api/v1/chart.csv").getvalue())
        patches = self.send("/swatches/file", chart, based_on=self.revision())
        self.assertEqual((len(patches), patches[-1]["name"]), (24, "grey 20"))
        lab = self.folder / "lab.csv"
        lab.write_text("name,L,a,b\nskin,65,18,17\n")
        skin = self.send("/swatches/file", lab, based_on=self.revision())[-1]
        np.testing.assert_allclose(
            [*skin["facts"]["xy"], skin["facts"]["luminance"]],
            colour.XYZ_to_xyY(colour.Lab_to_XYZ([65, 18, 17], D65)),
            atol=1e-4,
        )
        stands = self.revision()
        for content, words in (
            (b"\xff\xfe\x00", "UTF-8"),
            (b"name,shade\nred,#f00\n", "names its columns"),
            (b"name,L,a,b\nred,50,x,1\n", "Line 2"),
            (b"name,L,a,b\n", "no patches"),
            (b"{}", "has no colours"),
            (b'["x"]', "a list of swatches"),
            (b"[" * 5000, "no valid JSON"),
            (b'[{"name": "x", "space": "", "unit": "kelvin", "text": 3}]', "Swatch 1"),
            (b'[{"name": "x", "space": "", "unit": "kelvin", "text": "3"}]', "x: A temperature"),
            (b'[{"name": "x", "space": "Nowhere", "unit": "hex", "text": "fff"}]', "no colour space"),
            (b"name,use,space,unit,text\n", "no swatches"),
        ):
            bad = self.folder / "bad.csv"
            bad.write_bytes(content)
            self.assertIn(words, self.send("/swatches/file", bad, 400, based_on=self.revision())["detail"])
        self.assertEqual(self.revision(), stands)

    def test_measured_reflectances_in_the_working_space(self) -> None:
        found = {row["name"]: row for row in self.ask("/reflectances")}
        self.assertAlmostEqual(found["charcoal"]["luminance"], 0.035)
        np.testing.assert_allclose(found["charcoal"]["working"], [0.035] * 3, atol=1e-4)
        # Silver is nearly white, gold reflects red and holds blue back.
        self.assertGreater(found["silver"]["luminance"], 0.95)
        self.assertLess(found["gold"]["working"][2], 0.5)
        self.assertIn("Johnson", found["gold"]["source"])

    def test_what_picked_numbers_mean(self) -> None:
        encoded, light, back = self.ask("/meaning", unit="unit", text="0.5")
        self.assertAlmostEqual(encoded["light"][0], 0.2140, places=3)
        self.assertEqual(light["light"], [0.5, 0.5, 0.5])
        setup = self.ask("")["setup"]["view"]
        choice = ViewChoice(setup["display"], setup["view"])
        shown = view_processor(project_config(), "ACEScg", choice).applyRGB(back["light"])
        np.testing.assert_allclose(shown, [0.5] * 3, atol=2e-3)
        self.assertIn("0 to 255", self.ask("/meaning", 400, unit="8-bit", text="256 0 0")["detail"])
        self.ask("/meaning", 400, unit="kelvin", text="3200")


class Lights(ServerTestCase):
    def lights(self) -> list[dict]:
        return self.ask("/lights")

    def save(self, based_on: int, name: str, status: int = 200, **change: object) -> dict:
        own = ("name", "colour", "swatch", "intensity", "stops", "muted")
        told = [{field: light[field] for field in own} for light in self.lights()]
        told = [{**light, **change} if light["name"] == name else light for light in told]
        return self.tell("put", "/lights", status, based_on=based_on, lights=told)

    def test_a_light_takes_its_colour_from_kelvin_or_a_swatch(self) -> None:
        flame = {light["name"]: light for light in self.lights()}["flame"]
        np.testing.assert_allclose(flame["facts"]["xy"], black_body_xy(1900), atol=1e-4)
        self.assertAlmostEqual(flame["facts"]["luminance"], 1.0, places=4)
        self.tell("put", "/swatches", based_on=1, **{**ENAMEL, "use": "light"})
        (enamel,) = self.ask("/swatches")
        changed = {light["name"]: light for light in self.save(2, "flame", swatch="enamel", stops=2.5)}["flame"]
        self.assertEqual((changed["working"], changed["stops"]), (enamel["working"], 2.5))
        self.tell("post", "/swatches/remove", based_on=3, names=["enamel"])
        left = {light["name"]: light for light in self.lights()}["flame"]
        self.assertEqual((left["swatch"], left["working"]), ("", enamel["working"]))

    def test_refusals(self) -> None:
        for change, words in (
            ({"stops": 99}, "−20 to +20"),
            ({"intensity": -1}, "0 to 1,000,000"),
            ({"intensity": 1e30}, "0 to 1,000,000"),
            ({"intensity": "much"}, "valid number"),
            ({"swatch": "nobody"}, "no swatch"),
            ({"colour": {"space": "", "unit": "kelvin", "text": "500"}}, "key: A temperature"),
            ({"colour": {"space": "Nowhere", "unit": "hex", "text": "fff"}}, "no colour space"),
        ):
            self.assertIn(words, self.save(1, "key", 400, **change)["detail"])
        self.refused("put", "/lights", "has the lights", based_on=1, lights=[])


class LiveData(ServerTestCase):
    def test_light_in_the_working_space_as_half_floats(self) -> None:
        render = self.render(colorInteropID="lin_rec709_scene")
        content = self.ask(f"/renders/{render.pk}/light", size=4096)
        width, height = np.frombuffer(content[:8], "<u4")
        rgba = np.frombuffer(content[8:], np.float16).reshape(height, width, 4)
        processor = project_config().getProcessor(ocio.ColorSpaceTransform(LINEAR_REC709, "ACEScg"))
        expected = apply(processor.getDefaultCPUProcessor(), read_pixels(render.image.file))
        np.testing.assert_allclose(rgba[..., :3], expected, rtol=1e-3, atol=1e-4)
        self.assertTrue((rgba[..., 3] == 1).all())
        self.ask(f"/renders/{render.pk}/light", 400, size=100_000)

    def test_a_program_with_its_proof(self) -> None:
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view, "look": ""}
        program = self.ask("/program", **choice)
        self.assertIn(program["function"], program["glsl"])
        weights = (adaptation(AP1.white, D65) @ rgb_to_xyz(AP1))[1]
        np.testing.assert_allclose(program["luminance"], weights, atol=1e-4)
        light, shown = np.frombuffer(self.ask("/program/proof", **choice), np.float32).reshape(2, -1, 3)
        expected = view_processor(project_config(), "ACEScg", ACES_SDR).applyRGB(light[100].tolist())
        np.testing.assert_allclose(shown[100], expected, atol=1e-6)
        self.ask("/program", 400, **{**choice, "view": "Nowhere"})

    def test_scopes_of_a_part(self) -> None:
        render = self.render()
        choice = {"display": SRGB_DISPLAY, "view": ACES_SDR.view, "look": ""}
        whole = self.ask(f"/renders/{render.pk}/scope", kind="parade", **choice)
        part = self.ask(f"/renders/{render.pk}/scope", kind="parade", x=0.5, width=0.25, **choice)
        before = self.ask(f"/renders/{render.pk}/scope", kind="parade", light=True, **choice)
        self.assertEqual(len({whole, part, before}), 3)
        found = self.ask(f"/renders/{render.pk}/light-scope", exposure=1)
        self.assertTrue(found["histogram"]["in_stops"])
        self.assertGreater(len(found["chromaticities"]), 10)
        self.ask(f"/renders/{render.pk}/scope", 400, kind="radar", **choice)
        self.ask(f"/renders/{render.pk}/scope", 400, kind="parade", x=2, **choice)

    def test_a_file_that_is_gone_is_told_and_the_list_stays(self) -> None:
        render = self.render()
        render.image.file.unlink()
        self.assertEqual(len(self.ask("/renders")), 1)
        self.assertIn("detail", self.ask(f"/renders/{render.pk}/light", 400))
