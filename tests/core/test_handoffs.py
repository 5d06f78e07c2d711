"""Settings sheets follow from the project."""

import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.findings import Subjects, run_checks
from saltwort.core.images import read_header
from saltwort.core.stations import (
    COMPOSITOR,
    RENDERER,
    Chain,
    Section,
    Station,
    TextureLine,
    settings_sheet,
    sheet_text,
)
from saltwort.core.stations.abilities.ocio_version import config_is_too_new
from saltwort.core.stations.station import abilities
from tests.samples import ACES_SDR, SRGB, light, project_config, sample_setup, write

TEXTURES = [TextureLine("wall_rough.png", "Raw", True), TextureLine("wall_col.png", SRGB, False)]


def sheet(
    station: Station, textures: list[TextureLine] = TEXTURES, following: Station | None = None
) -> dict[str, Section]:
    chain = Chain(station, following, project_config(), ACES_SDR, textures, "quay-r3.ocioz")
    sections = settings_sheet(chain)
    return {section.title: section for section in sections}


def settings_and_findings(station: Station) -> object:
    subjects = Subjects(project_config(), sample_setup(), stations=[station])
    return [sheet(station), [(found.code, found.why) for found in run_checks(subjects, "handoff.")]]


def values(section: Section) -> dict[str, str]:
    return {line.label: line.value for line in section.settings}


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
        lines = sheet(RENDERER)["Reading"].settings
        self.assertEqual(lines[0].value, "from file rules (auto)")
        self.assertIn("1 of 2", lines[0].why)
        self.assertEqual((lines[1].label, lines[1].why), ("wall_col.png", "set this in the application"))
        self.assertEqual((lines[2].label, lines[2].value), ("wall_rough.png", "Raw"))

    def test_textures_of_one_that_does_not(self) -> None:
        lines = sheet(RENDERER.with_abilities({"follows_file_rules": False}))["Reading"].settings
        self.assertEqual(
            [(line.label, line.value) for line in lines], [("wall_rough.png", "Raw"), ("wall_col.png", SRGB)]
        )
        self.assertTrue(all("in the application" in line.why for line in lines))

    def test_no_textures_yet(self) -> None:
        self.assertEqual(sheet(RENDERER, [])["Reading"].settings[0].value, "none in the project yet")

    def test_a_compositor_reads_renders(self) -> None:
        self.assertEqual(values(sheet(COMPOSITOR)["Reading"])["Read EXR renders as"], "ACEScg")

    def test_a_station_that_loads_older_configs_gets_its_own_and_one_that_loads_none_is_warned(self) -> None:
        old = values(sheet(RENDERER.with_abilities({"ocio_version": "2.3"}))["Config"])
        self.assertEqual((old["Config version"], old["Written for it alone"]), ("OCIO 2.3", "OCIO 2.3"))
        self.assertNotIn("Attention", old)
        self.assertIn("Attention", values(sheet(RENDERER.with_abilities({"ocio_version": "1.0"}))["Config"]))
        self.assertEqual({"Attention", "Written for it alone"} & values(sheet(RENDERER)["Config"]).keys(), set())

    def test_one_that_takes_folders_alone_is_told_to_unpack(self) -> None:
        told = sheet(RENDERER.with_abilities({"config_form": "folder"}))["Config"].settings[0]
        self.assertIn("unpack it", told.why)
        self.assertNotIn("unpack it", sheet(RENDERER)["Config"].settings[0].why)

    def test_versions_are_compared_as_numbers(self) -> None:
        self.assertTrue(config_is_too_new("2.10", RENDERER))
        self.assertFalse(config_is_too_new("2.4", RENDERER.with_abilities({"ocio_version": "2.4"})))

    def test_each_value_of_each_ability_changes_the_sheet_or_the_findings(self) -> None:
        for ability in abilities():
            for reads in ability.reads:
                said = [
                    (settings_and_findings(replace(RENDERER, reads=reads).with_abilities({ability.key: value})), value)
                    for value in (ability.choices or (True, False))
                ]
                for index, (told, value) in enumerate(said):
                    with self.subTest(ability.key, reads=reads, value=value):
                        self.assertNotIn(told, [other for other, _ in said[:index]])

    def test_what_is_stored_of_an_ability_that_there_is_not_is_left_alone(self) -> None:
        """As where an older Saltwort reads what a newer one stored."""
        station = replace(RENDERER, abilities={"flies": True, "ocio_version": "9.9"})
        self.assertEqual(settings_and_findings(station), settings_and_findings(RENDERER))

    def test_as_text(self) -> None:
        text = sheet_text(RENDERER, "Lantern Quay", 3, list(sheet(RENDERER).values()))
        self.assertTrue(text.startswith("Lantern Quay, revision 3: settings for the renderer\n===="))
        self.assertIn("Working or rendering space: ACEScg", text)
        self.assertIn("wall_col.png: " + SRGB, text)

    def test_keys_are_unique_and_values_are_what_their_kind_says(self) -> None:
        config = project_config()
        spaces = set(config.getColorSpaceNames())
        for station in (
            RENDERER,
            COMPOSITOR,
            RENDERER.with_abilities({"ocio_version": "2.3", "follows_file_rules": False}),
        ):
            sections = list(sheet(station, following=COMPOSITOR).values())
            self.assertEqual(len({section.key for section in sections}), len(sections))
            for section in sections:
                keys = [setting.key for setting in section.settings]
                self.assertEqual(len(set(keys)), len(keys), section.title)
                for setting in section.settings:
                    if setting.kind == "space":
                        self.assertIn(setting.value, spaces)
                    if setting.kind == "display":
                        self.assertIn(setting.value, config.getDisplays())
                    if setting.kind == "version":
                        self.assertRegex(setting.value, r"^OCIO \d\.\d$")

    def test_what_is_to_be_written_is_what_outputs_write(self) -> None:
        told = {setting.key: setting.value for setting in sheet(RENDERER)["Writing"].settings}
        with tempfile.TemporaryDirectory() as folder:
            source = write(Path(folder) / "light.exr", light(), "half")
            made, target = deliverables()["light"], Path(folder) / "out.exr"
            settings = made.settings_from({}, Defaults(ACES_SDR, "ACEScg"))
            made.write(project_config(), [Source(source, "ACEScg")], settings, target, lambda share, doing: None)
            header = read_header(target)
        self.assertEqual(told["interop-id"], header.tags["colorInteropID"])
        written = header.tags["chromaticities"]
        self.assertEqual([float(number) for number in told["chromaticities"].split()], [round(n, 6) for n in written])
        self.assertEqual(told["format"], f"OpenEXR, {header.bit_depth} float, {header.compression}")
