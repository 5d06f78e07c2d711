"""Palettes: what comes in, and what is refused."""

import json
from unittest import TestCase

from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.scene.appearance import appearing_in_srgb
from saltwort.core.scene.decisions import Appearance, Swatch
from saltwort.core.scene.palettes import is_palette, read_palette
from saltwort.core.scene.swatch_files import read_swatches, swatch_rows
from saltwort.core.spaces.typed import TypedColour
from tests.samples import ACES_SDR, SRGB, project_config

CSS = """/* Lantern Quay */
:root {
  --lamp-red: #c8102e; --harbour-teal: rgb(47 106 104);
  --fog: hsl(0 0% 50%); --gap: 4px; --font: "Noto Sans"; --same: var(--fog);
}
@media (prefers-color-scheme: dark) { :root { --lamp-red: black; } }
"""
COLOURS = {"lamp red": "#c8102e", "harbour teal": "#2f6a68"}


def read(file: str, content: str) -> dict[str, str]:
    assert is_palette(file, content)
    return {each.name: each.colour.text for each in read_palette(file, content)}


def as_asked(swatch: Swatch) -> Swatch:
    return appearing_in_srgb(project_config(), swatch, ACES_SDR)


class Palettes(TestCase):
    def test_every_form_gives_the_same_colours(self) -> None:
        forms = {
            "quay.json": json.dumps({"lamp-red": "#C8102E", "harbour-teal": "rgb(47, 106, 104)"}),
            "list.json": '[{"name": "lamp red", "hex": "#c8102e"}, {"name": "harbour teal", "value": "#2f6a68"}]',
            "tokens.json": json.dumps(
                {
                    "lamp": {"red": {"$type": "color", "$value": "#c8102e"}},
                    "harbour": {"$description": "At night", "teal": {"$value": "#2f6a68"}},
                }
            ),
            "quay.csv": "Name,Hex\nlamp red,#c8102e\nharbour teal,#2f6a68\n",
            "colour.csv": "name,colour\nlamp red,rgb(200 16 46)\nharbour teal,hsl(178 38.56% 30%)\n",
        }
        for file, content in forms.items():
            with self.subTest(file):
                found = read(file, content)
                self.assertEqual(list(found), list(COLOURS))
                self.assertEqual(found["lamp red"], COLOURS["lamp red"])
        self.assertEqual(read("quay.css", CSS), {**COLOURS, "fog": "0.5 0.5 0.5"})

    def test_names_that_stand_twice_are_told_apart(self) -> None:
        self.assertEqual(list(read("a.css", "a{--red:#f00} b{--red:#e00}")), ["red", "red 2"])

    def test_what_is_no_colour_is_refused_by_name(self) -> None:
        deep: object = "#fff"
        for _ in range(40):
            deep = {"a": deep}
        for file, content, says in (
            ("a.json", '{"sea": "wet"}', "“wet” of sea is not an sRGB colour"),
            ("a.json", '{"sea": "color(display-p3 0 1 0)"}', "not an sRGB colour"),
            ("a.json", '{"sea": "#11223380"}', "sea is transparent"),
            ("a.json", '{"sea": 4}', "sea is not a colour"),
            ("a.json", "{}", "has no colours"),
            ("a.json", json.dumps(deep), "nested too deeply"),
            ("a.css", "a { color: red }", "has no colours"),
            ("a.css", "{" * 20_000, "has no colours"),
            ("a.csv", "name,hex\nsea,\n", "of sea is not an sRGB colour"),
        ):
            with self.subTest(content[:40]), self.assertRaisesRegex(BadInput, says):
                read_palette(file, content)

    def test_other_files_of_swatches_are_no_palettes(self) -> None:
        for file, content in (
            ("a.csv", "name,use,space,unit,text\nteal,surface,sRGB,hex,#2f6a68\n"),
            ("a.csv", "name,L,a,b\nA1,50,0,0\n"),
            ("a.json", '[{"name": "teal", "space": "sRGB", "unit": "hex", "text": "#2f6a68"}]'),
            ("a.json", "[]"),
        ):
            self.assertFalse(is_palette(file, content), content)

    def test_they_must_appear_so_on_the_projects_display(self) -> None:
        teal = read_swatches("quay.css", CSS.encode(), as_asked)[1]
        self.assertEqual(teal.appears, Appearance(ACES_SDR.display, ACES_SDR.view))
        self.assertEqual(teal.colour, TypedColour("", "hex", "#2f6a68"))
        config = project_config()
        p3 = ViewChoice("Display P3 - Display", config.getDefaultView("Display P3 - Display"))
        wide = appearing_in_srgb(config, Swatch("teal", teal.colour), p3)
        self.assertEqual(wide.appears, Appearance(p3.display, p3.view))
        self.assertNotEqual(wide.colour, teal.colour)
        pq = ViewChoice("Rec.2100-PQ - Display", config.getDefaultView("Rec.2100-PQ - Display"))
        kept = appearing_in_srgb(config, Swatch("teal", teal.colour), pq)
        assert kept.appears is not None
        self.assertEqual((kept.appears.display, kept.colour), (ACES_SDR.display, teal.colour))

    def test_swatches_with_an_appearance_go_out_and_come_in(self) -> None:
        swatches = [
            Swatch("plain", TypedColour(SRGB, "hex", "#2f6a68")),
            Swatch("brand", TypedColour("", "hex", "#c8102e"), "light", Appearance("sRGB - Display", "ACES", "", 1.5)),
        ]
        again = read_swatches("s.json", json.dumps(swatch_rows(swatches)).encode(), as_asked)
        self.assertEqual(again, swatches)
        rows = swatch_rows(swatches)
        table = "\n".join([",".join(rows[0]), *(",".join(row.values()) for row in rows)])
        self.assertEqual(read_swatches("s.csv", table.encode(), as_asked), swatches)
        with self.assertRaisesRegex(BadInput, "stops of swatch 2"):
            read_swatches("s.csv", table.replace("1.5", "bright").encode(), as_asked)
