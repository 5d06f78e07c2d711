"""Settings sheets follow from the project."""

import json
import re
import tempfile
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from unittest import TestCase

import colour
import jsonschema
import numpy as np

from saltwort.core.deliverables import Defaults, Source, deliverables
from saltwort.core.findings import Subjects, run_checks
from saltwort.core.findings.registry import Census, CheckedProof
from saltwort.core.images import read_header
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.stations import (
    COMPOSITOR,
    RENDERER,
    Chain,
    ColourLine,
    Section,
    Station,
    TextureLine,
    settings_sheet,
)
from saltwort.core.stations.abilities.ocio_version import config_is_too_new
from saltwort.core.stations.kinds import BY_KEY, KINDS, kind_named
from saltwort.core.stations.sheet import LEVELS
from saltwort.core.stations.sheet_files import SheetOf, as_html, as_json, as_markdown, as_text, json_schema
from saltwort.core.stations.station import READS_TEXTURES, abilities
from tests.samples import ACES_SDR, SRGB, light, project_config, sample_setup, write

OF = SheetOf("Renderer", "Lantern Quay", 3)
COLOURS = [
    ColourLine("enamel", (0.05, 0.12, 0.11)),
    ColourLine("marker (light)", (0.02, 1.4, 0.16)),
]
PAINTER = Station("Painter", READS_TEXTURES)
TEXTURES = [TextureLine("wall_rough.png", "Raw", True), TextureLine("wall_col.png", SRGB, False)]


def sheet(
    station: Station, textures: list[TextureLine] = TEXTURES, following: Station | None = None
) -> dict[str, Section]:
    takers = [following] if following else []
    chain = Chain(station, takers, project_config(), ACES_SDR, textures, "quay-r3.ocioz", COLOURS, PAINTER)
    sections = settings_sheet(chain)
    return {section.title: section for section in sections}


def settings_and_findings(station: Station) -> object:
    subjects = Subjects(
        project_config(), sample_setup(), stations=[station, COMPOSITOR], hand_offs=[(station, COMPOSITOR)]
    )
    return [sheet(station), [(found.code, found.why) for found in run_checks(subjects, "handoff.")]]


def values(section: Section) -> dict[str, str]:
    return {line.label: line.value for line in section.settings}


class Sheets(TestCase):
    def test_a_renderer_is_told_everything_in_order(self) -> None:
        sections = sheet(RENDERER, following=COMPOSITOR)
        self.assertEqual(
            list(sections),
            ["Config", "Working space", "Reading", "Colours to type", "Viewing", "Writing", "Then, in the compositor"],
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
        self.assertEqual([line.label for line in lines if line.key.startswith("texture:")], ["wall_col.png"])

    def test_textures_of_one_that_does_not(self) -> None:
        lines = sheet(RENDERER.with_abilities({"follows_file_rules": False}))["Reading"].settings[1:]
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
                base = replace(RENDERER, reads=reads).with_abilities(ability.where)
                said = [
                    (settings_and_findings(base.with_abilities({ability.key: value})), value)
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
        text = as_text(OF, list(sheet(RENDERER).values()))
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


class Kinds(TestCase):
    def test_every_kind_has_a_sheet_of_its_own(self) -> None:
        seen: dict[str, str] = {}
        for kind in KINDS:
            with self.subTest(kind.key):
                told = repr(sheet(kind.station("It"), following=COMPOSITOR))
                self.assertNotIn(told, seen)
                seen[told] = kind.key
                self.assertIn("Config", told)

    def test_what_a_kind_is_given_instead_of_a_config(self) -> None:
        lut = values(sheet(kind_named("editor-lut").station("It"))["Config"])
        self.assertEqual(lut["Feed the LUT with"], "ACEScg")
        self.assertEqual(values(sheet(kind_named("editor-icc").station("It"))["Config"])["Profile to assign"], "ACEScg")
        words = values(sheet(kind_named("texturing-srgb").station("It"))["Reading"])
        self.assertEqual((words["wall_rough.png"], words["wall_col.png"]), ("linear, or raw", "sRGB"))
        nodes = sheet(kind_named("compositor-transform").station("It"))["Config"].settings[0]
        self.assertEqual((nodes.level, nodes.overridden_at), ("node", ()))

    def test_colours_in_the_numbers_that_are_typed(self) -> None:
        typed = {line.label: line for line in sheet(kind_named("texturing").station("It"))["Colours to type"].settings}
        spaces = (colour.RGB_COLOURSPACES[name] for name in ("ACEScg", "sRGB"))
        meant = colour.RGB_to_RGB(COLOURS[0].working, *spaces, "Bradford", apply_cctf_encoding=True)
        np.testing.assert_allclose([float(part) for part in typed["enamel"].value.split()], meant, atol=1e-3)
        self.assertEqual(typed["marker (light)"].value, "")
        self.assertIn("sRGB does not hold it", typed["marker (light)"].why)
        light = values(sheet(RENDERER)["Colours to type"])
        self.assertEqual(light["marker (light)"], "0.0200  1.4000  0.1600")

    def test_two_that_would_both_act_are_told_which_is_off(self) -> None:
        viewing = {
            line.key: line.value
            for line in sheet(kind_named("renderer-tone-mapping").station("It"))["Viewing"].settings
        }
        self.assertEqual((viewing["own-tone-mapping"], viewing["own-gamma"]), ("off", "1.0, or off"))
        writing = {line.key: line for line in sheet(kind_named("grading").station("It"))["Writing"].settings}
        self.assertEqual(writing["bake"].value, f"{ACES_SDR.view} on {ACES_SDR.display}")
        self.assertIn("where both would act, the node is off", writing["bake"].why)
        writing = {line.key: line for line in sheet(kind_named("compositor-layers").station("It"))["Writing"].settings}
        self.assertEqual(writing["bake"].value, "off")
        self.assertTrue(writing["bake"].symptom)

    def test_levels_are_known_and_none_overrides_itself(self) -> None:
        for kind in KINDS:
            for section in sheet(kind.station("It"), following=COMPOSITOR).values():
                for line in section.settings:
                    self.assertIn(line.level, LEVELS)
                    self.assertNotIn(line.level, line.overridden_at)
                    self.assertLessEqual(set(line.overridden_at), set(LEVELS))

    def test_findings_of_a_chain(self) -> None:
        def found(*kinds: str, **abilities: object) -> set[tuple[str, str]]:
            stations = [BY_KEY[key].station(key) for key in kinds]
            stations[0] = stations[0].with_abilities(abilities)
            subjects = Subjects(project_config(), sample_setup(), stations=stations, hand_offs=list(pairwise(stations)))
            return {(each.code.removeprefix("handoff."), each.subject) for each in run_checks(subjects, "handoff.")}

        self.assertEqual(found("renderer", "compositor-nodes"), set())
        self.assertLessEqual(
            {
                ("rules-ignored", "texturing"),
                ("own-tone-mapping", "renderer-tone-mapping"),
                ("view-baked-for-compositing", "renderer-tone-mapping"),
            },
            found("texturing", "renderer-tone-mapping", "compositor-nodes"),
        )
        self.assertEqual(found("renderer-tone-mapping", "web-page"), {("own-tone-mapping", "renderer-tone-mapping")})
        self.assertEqual(
            found("editor-lut", "compositor-nodes", writes="integers"), {("bit-depth-clips", "editor-lut")}
        )
        self.assertEqual(found("editor-lut", "web-page", writes="integers"), set())
        self.assertEqual(found("grading", "compositor-nodes"), {("viewed-twice", "compositor-nodes")})
        self.assertEqual(found("grading", "web-page"), set())
        self.assertEqual(found("renderer", "renderer", lat_long_centre="90"), {("environment-turned", "renderer")})

    def test_findings_of_what_an_application_is_told_and_cannot_do(self) -> None:
        tar, neon = (
            Swatch(name, TypedColour("ACEScg", "unit", text))
            for name, text in (("tar", "0.02 0.02 0.02"), ("neon", "0.02 1.4 0.16"))
        )
        setup = ScenePart.with_value(sample_setup(), Scene(swatches=(tar, neon)))

        def found(*stations: Station, textures: int = 0) -> dict[str, str]:
            subjects = Subjects(
                project_config(),
                setup,
                stations=stations,
                hand_offs=list(pairwise(stations)),
                counted=Census(3, frozenset(), (), textures),
            )
            return {each.code.removeprefix("handoff."): each.why for each in run_checks(subjects, "handoff.")}

        lut = kind_named("editor-lut").station("Editor")
        self.assertNotIn("lut-input-differs", found(RENDERER, lut))
        told = found(RENDERER, lut.with_abilities({"lut_shaper": False}))["lut-input-differs"]
        self.assertIn("takes ACEScct, and the light is in ACEScg", told)
        told = found(RENDERER.with_abilities({"working_space": "rec709"}), lut)["lut-input-differs"]
        self.assertIn("the light is in Linear Rec.709", told)

        self.assertIn("neon.", found(lut)["colour-not-typable"])
        self.assertNotIn("tar", found(lut)["colour-not-typable"])
        self.assertNotIn("colour-not-typable", found(RENDERER))

        self.assertIn("shows-no-view", found(kind_named("engine").station("It")))
        self.assertIn("shows-no-view", found(RENDERER.with_abilities({"viewers": "none"})))
        for shows in (RENDERER, COMPOSITOR, lut, kind_named("web-page").station("It")):
            self.assertNotIn("shows-no-view", found(shows))

        alone = RENDERER.with_abilities({"per_file_override": False})
        self.assertNotIn("space-not-settable", found(alone))
        self.assertNotIn("space-not-settable", found(RENDERER, textures=2))
        self.assertIn("2 textures", found(alone, textures=2)["space-not-settable"])
        self.assertIn("3 textures", found(alone.with_abilities({"follows_file_rules": False}))["space-not-settable"])

    def test_findings_of_test_cards(self) -> None:
        def found(state: str) -> list[str]:
            proofs = [CheckedProof("It", state, "The view was applied twice.")]
            subjects = Subjects(project_config(), sample_setup(), proofs=proofs)
            return [each.code for each in run_checks(subjects, "handoff.")]

        self.assertEqual(found("proved"), [])
        self.assertEqual(found("undecided"), [])
        self.assertEqual(found("failed"), ["handoff.failed"])
        self.assertEqual(found("out-of-date"), ["handoff.out-of-date"])
        self.assertEqual(found("not-tried"), ["handoff.never-proved"])


class Files(TestCase):
    def test_html_has_no_scripts_and_what_people_typed_stays_text(self) -> None:
        textures = [TextureLine("<script>alert(1)</script>|x.png", "Raw", False)]
        page = as_html(OF, list(sheet(RENDERER, textures).values()))
        self.assertNotIn("<script", page)
        self.assertIn("&lt;script&gt;", page)
        self.assertIn("size: A4", page)
        table = as_markdown(OF, list(sheet(RENDERER, textures).values()))
        rows = [line for line in table.splitlines() if line.startswith("| ") and "alert" in line]
        self.assertEqual([len(re.split(r"(?<!\\)\|", row)) for row in rows], [6])

    def test_json_tells_all_of_each_setting(self) -> None:
        for kind in KINDS:
            shown = as_json(OF, list(sheet(kind.station("It"), following=COMPOSITOR).values()))
            jsonschema.validate(json.loads(json.dumps(shown)), json_schema())
        told = as_json(OF, list(sheet(RENDERER).values()))
        self.assertEqual((told["format"], told["project"], told["revision"]), (1, "Lantern Quay", 3))
        first = told["sections"][0]["settings"][0]
        self.assertEqual(first["level"], "environment")
        self.assertEqual(set(first["overridden_at"]), {"preference", "project"})
