"""Settings sheets follow from the project."""

from dataclasses import replace
from unittest import TestCase

from saltwort.core.handoffs import (
    COMPOSITOR,
    RENDERER,
    Section,
    Station,
    TextureLine,
    config_is_too_new,
    settings_sheet,
    sheet_text,
)
from tests.samples import ACES_SDR, SRGB, project_config

TEXTURES = [TextureLine("wall_rough.png", "Raw", True), TextureLine("wall_col.png", SRGB, False)]


def sheet(
    station: Station, textures: list[TextureLine] = TEXTURES, following: Station | None = None
) -> dict[str, Section]:
    sections = settings_sheet(station, project_config(), ACES_SDR, textures, "quay-r3.ocioz", following)
    return {section.title: section for section in sections}


def values(section: Section) -> dict[str, str]:
    return {line.setting: line.value for line in section.lines}


class Sheets(TestCase):
    def test_a_renderer_is_told_everything_in_order(self) -> None:
        sections = sheet(RENDERER, following=COMPOSITOR)
        self.assertEqual(
            list(sections), ["Config", "Working space", "Reading", "Viewing", "Writing", "Then, in the compositor"]
        )
        self.assertEqual(values(sections["Config"])["OCIO config"], "quay-r3.ocioz")
        self.assertEqual(values(sections["Working space"])["Working or rendering space"], "ACEScg")
        self.assertEqual(values(sections["Viewing"])["View"], ACES_SDR.view)
        self.assertEqual(values(sections["Writing"])["Header colorInteropID"], "lin_ap1_scene")
        self.assertIn("0.713", values(sections["Writing"])["Header chromaticities"])
        self.assertEqual(values(sections["Then, in the compositor"])["Read EXR renders as"], "ACEScg")

    def test_textures_of_a_station_that_follows_file_rules(self) -> None:
        lines = sheet(RENDERER)["Reading"].lines
        self.assertEqual(lines[0].value, "from file rules (auto)")
        self.assertIn("1 of 2", lines[0].why)
        self.assertEqual((lines[1].setting, lines[1].why), ("wall_col.png", "pinned: set by hand on this file"))
        self.assertEqual((lines[2].setting, lines[2].value), ("wall_rough.png", "Raw"))

    def test_textures_of_one_that_does_not(self) -> None:
        lines = sheet(replace(RENDERER, follows_file_rules=False))["Reading"].lines
        self.assertEqual(
            [(line.setting, line.value) for line in lines], [("wall_rough.png", "Raw"), ("wall_col.png", SRGB)]
        )
        self.assertTrue(all("by hand" in line.why for line in lines))

    def test_no_textures_yet(self) -> None:
        self.assertEqual(sheet(RENDERER, [])["Reading"].lines[0].value, "none in the project yet")

    def test_a_compositor_reads_renders(self) -> None:
        self.assertEqual(values(sheet(COMPOSITOR)["Reading"])["Read EXR renders as"], "ACEScg")

    def test_a_station_that_loads_older_configs_gets_its_own_and_one_that_loads_none_is_warned(self) -> None:
        old = values(sheet(replace(RENDERER, ocio_version="2.3"))["Config"])
        self.assertEqual((old["Config version"], old["Written for it alone"]), ("OCIO 2.3", "OCIO 2.3"))
        self.assertNotIn("Attention", old)
        self.assertIn("Attention", values(sheet(replace(RENDERER, ocio_version="1.0"))["Config"]))
        self.assertEqual({"Attention", "Written for it alone"} & values(sheet(RENDERER)["Config"]).keys(), set())

    def test_versions_are_compared_as_numbers(self) -> None:
        self.assertTrue(config_is_too_new("2.10", replace(RENDERER, ocio_version="2.9")))
        self.assertFalse(config_is_too_new("2.4", replace(RENDERER, ocio_version="2.4")))

    def test_as_text(self) -> None:
        text = sheet_text(RENDERER, "Lantern Quay", 3, list(sheet(RENDERER).values()))
        self.assertTrue(text.startswith("Lantern Quay, revision 3: settings for the renderer\n===="))
        self.assertIn("Working or rendering space: ACEScg", text)
        self.assertIn("wall_col.png: " + SRGB, text)
