"""The setup: every part through JSON, renaming and carrying; and what was stored before loads for ever."""

import json
from dataclasses import fields, replace
from pathlib import Path
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import PyOpenColorIO as ocio

from saltwort.core.configs import Trim
from saltwort.core.configs.additions import OWN_LOOKS, AddedLook, AddedSpace
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.deliverables.recipe import Recipe
from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import (
    Dismissal,
    Setup,
    carried,
    compose,
    first_setup,
    read_setup,
    same_config,
    value_parts,
    with_fields,
    with_space_edits,
    write_setup,
)
from saltwort.core.project.part import parts
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.project.setup import field_of, renamed
from saltwort.core.project.stored import FORMATS, read_field
from saltwort.core.scene.decisions import Appearance, Light, Scene, Swatch
from saltwort.core.spaces.gamuts import REC709
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.rules import Rule
from saltwort.core.views import AddedView
from tests.newcomer import Slate, SlatePart, slate_added
from tests.samples import (
    BASE,
    LINEAR_REC709,
    OWN_DESIGNS,
    SRGB,
    SRGB_DISPLAY,
    base_archive,
    base_config,
    project_config,
    sample_setup,
)

FROZEN = Path(__file__).parent / "setups"


def full_setup() -> Setup:
    """A setup that says something in every field."""
    own_view = AddedView(SRGB_DISPLAY, "Quay", "agx", design=OWN_DESIGNS["agx"])
    typed = replace(
        sample_setup(),
        working_space=LINEAR_REC709,
        view=ViewChoice(SRGB_DISPLAY, "Quay", "Lamplight"),
        default_space="ACEScg",
        rules=(Rule("Walls", "glob", SRGB, pattern="*wall*", extension="png"), *sample_setup().rules),
        kind_words=(*sample_setup().kind_words, ("patina", "mask")),
        added_views=(own_view,),
        added_spaces=(AddedSpace("Quay Camera", REC709.chromaticities, "power", power=2.4, aliases=("quay_cam",)),),
        added_looks=(OWN_LOOKS[0], AddedLook("In log", process_space="ACEScct")),
        roles=(("texture_paint", SRGB), ("color_picking", "ACEScct")),
        space_edits=(SpaceEdit("ACES2065-1", aliases=("ap0 light",), description="For archives."),),
        displays=(SRGB_DISPLAY,),
        views=("Quay", "Un-tone-mapped"),
        trim=Trim(
            (LINEAR_REC709, SRGB, "ACEScct", "ACEScg"), (ViewChoice(SRGB_DISPLAY, "Un-tone-mapped"),), ("In log",)
        ),
        target_version="2.4",
    )
    scene = Scene(
        swatches=(
            Swatch("brass", TypedColour(SRGB, "8-bit", "180 140 60")),
            Swatch(
                "ferry", TypedColour("", "hex", "#b3262e"), "light", Appearance(SRGB_DISPLAY, "Quay", "In log", 0.5)
            ),
        ),
        lights=tuple(
            Light(light.name, TypedColour("ACEScg", "unit", "1 0.5 0.2"), stops=1.0) for light in Scene().lights
        ),
        swatch_on_rig="brass",
        inputs=(("lamp", "swatch:brass"),),
    )
    recipe = Recipe("Archive", "light", (("space", LINEAR_REC709), ("sample", "float")), "{picture}_{revision}")
    mask = Dismissal("texture.data-read-as-colour", "wall_rough.png", "Data read as colour", "a mask", "Ida")
    return with_fields(typed, {"scene": scene, "recipes": (recipe,), "dismissed": (mask,)})


class EveryPart(TestCase):
    setup = full_setup()

    def test_each_field_is_of_one_part_and_says_something_here(self) -> None:
        owned = [name for part in parts() for name in part.fields]
        typed = [field.name for field in fields(Setup) if field.name != "values"]
        self.assertEqual(sorted(owned), sorted([*typed, *value_parts()]))
        for name in set(owned) - {"base"}:
            self.assertNotEqual(field_of(self.setup, name), field_of(sample_setup(), name), name)

    def test_json_and_back(self) -> None:
        for setup in (self.setup, sample_setup(), replace(self.setup, trim=None)):
            self.assertEqual(read_setup(json.loads(json.dumps(write_setup(setup)))), setup)

    def test_a_newer_format_is_refused_by_its_part(self) -> None:
        stored = write_setup(self.setup)
        for part in parts():
            newer = {**stored, FORMATS: {**stored[FORMATS], part.name: part.version + 1}}
            with self.subTest(part.name), self.assertRaisesRegex(BadInput, "newer Saltwort"):
                read_setup(newer)
        with self.assertRaisesRegex(BadInput, "newer Saltwort"):
            read_setup({**stored, "weather": "fog"})
        with self.assertRaisesRegex(BadInput, "newer Saltwort"):
            read_setup({**stored, FORMATS: {**stored[FORMATS], "weather": 1}})

    def test_what_is_damaged_is_refused(self) -> None:
        stored = json.loads(json.dumps(write_setup(self.setup)))
        for name in stored.keys() - {FORMATS}:
            for junk in ({"unknown": 1}, [{"unknown": 1}], 3.5, True):
                with self.subTest(name, junk=junk), self.assertRaisesRegex(BadInput, "damaged"):
                    read_setup({**stored, name: junk})
        with self.assertRaisesRegex(BadInput, "no working_space"):
            read_setup({name: value for name, value in stored.items() if name != "working_space"})

    def test_an_older_format_is_brought_up(self) -> None:
        base = next(part for part in parts() if part.name == "base")

        def older(stored: dict[str, Any]) -> dict[str, Any]:
            return {"base": f"builtin:{stored['base']}"}

        with patch.multiple(type(base), version=2, upgrades={1: older}):
            stored = {**write_setup(self.setup), "base": "x", FORMATS: {"base": 1}}
            self.assertEqual(read_setup(stored).base, "builtin:x")
            self.assertEqual(read_setup({**stored, FORMATS: {"base": 2}}).base, "x")

    def test_renaming_a_space_renames_it_everywhere(self) -> None:
        for part in parts():
            for name in set(part.spaces(self.setup)) - {""}:
                after = renamed(self.setup, lambda space, name=name: f"{space} anew" if space == name else space)
                with self.subTest(part.name, space=name):
                    told = [f"{space} anew" if space == name else space for space in part.spaces(self.setup)]
                    self.assertEqual(list(part.spaces(after)), told)

    def test_two_spaces_may_swap_names(self) -> None:
        edits = (SpaceEdit(SRGB, name="ACEScg"), SpaceEdit("ACEScg", name=SRGB))
        setup = with_space_edits(sample_setup(), edits)
        self.assertEqual(setup.default_space, "ACEScg")
        self.assertEqual(with_space_edits(setup, ()), sample_setup())

    def test_carried_to_the_same_config_it_is_the_same(self) -> None:
        config = load_config(compose(base_archive(), self.setup, "full"))
        kept = carried(self.setup, config, base_config(), sample_setup())
        left_behind = {"displays": (), "views": (), "trim": None}
        self.assertEqual(kept, replace(self.setup, **left_behind))

    def test_carried_to_another_config_no_part_names_what_is_not_there(self) -> None:
        config = ocio.Config.CreateRaw()
        config.setVersion(2, 4)
        fresh_space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "light", encoding="scene-linear")
        config.addColorSpace(fresh_space)
        config.setRole("scene_linear", "light")
        other = load_config(config.serialize())
        there = carried(self.setup, project_config(), other, first_setup("sha256:other", other))
        own = {space.name for space in self.setup.added_spaces} | {"", *ScenePart.of(there).spaces}
        for part in parts():
            for space in set(part.spaces(there)) - own:
                self.assertIsNotNone(other.getColorSpace(space), (part.name, space))

    def test_it_composes(self) -> None:
        whole = load_config(compose(base_archive(), replace(self.setup, trim=None), "full"))
        self.assertEqual(whole.getDefaultView(SRGB_DISPLAY), "Quay")
        self.assertEqual(whole.getColorSpace("texture_paint").getName(), SRGB)
        self.assertEqual(whole.getColorSpace("quay_cam").getName(), "Quay Camera")
        self.assertEqual(whole.getLook("In log").getProcessSpace(), "ACEScct")
        self.assertEqual(whole.getFileRules().getName(0), "Walls")
        part = load_config(compose(base_archive(), self.setup, "full"))
        self.assertLess(len(part.getColorSpaceNames()), len(whole.getColorSpaceNames()))
        self.assertEqual((part.getMajorVersion(), part.getMinorVersion()), (2, 4))

    def test_a_new_part_is_one_module(self) -> None:
        """It is stored, checked, renamed and carried without being named anywhere else."""
        with slate_added():
            setup = SlatePart.with_value(self.setup, Slate(25.0, SRGB))
            self.assertEqual(read_setup(json.loads(json.dumps(write_setup(setup)))), setup)
            self.assertEqual(SlatePart.of(read_setup({**write_setup(self.setup), "slate": {}})), Slate())
            self.assertEqual(SlatePart.of(renamed(setup, lambda space: f"{space} anew")).space, f"{SRGB} anew")
            kept = carried(setup, project_config(), base_config(), sample_setup())
            self.assertEqual(SlatePart.of(kept), Slate(25.0, SRGB))
            self.assertTrue(same_config(setup, self.setup))
            self.assertNotEqual(setup, self.setup)
            for damaged in ({"rate": "25"}, {"fps": 25.0}, 25.0):
                with self.assertRaisesRegex(BadInput, "damaged"):
                    read_setup({**write_setup(setup), "slate": damaged})
            with self.assertRaisesRegex(BadInput, "1 to 240"):
                compose(base_archive(), SlatePart.with_value(setup, Slate(0.0)), "full")
        with self.assertRaisesRegex(BadInput, "newer Saltwort"):
            read_setup({**write_setup(self.setup), "slate": {}})

    def test_what_is_as_in_a_new_project_is_not_held(self) -> None:
        self.assertEqual(
            Recipes.with_value(Recipes.with_value(sample_setup(), Recipes.of(self.setup)), ()), sample_setup()
        )


class Frozen(TestCase):
    """Setups as earlier versions stored them. These files are never changed; a new format adds one."""

    def test_each_loads_as_it_was_meant(self) -> None:
        for file in sorted(FROZEN.glob("*.json")):
            with self.subTest(file.name):
                frozen = json.loads(file.read_text())
                setup = read_setup(frozen["stored"])
                for name, value in frozen["means"].items():
                    self.assertEqual(field_of(setup, name), read_field(name, value), name)
                config = load_config(compose(base_archive(), replace(setup, base=BASE), "frozen"))
                self.assertEqual(config.getColorSpace("scene_linear").getName(), setup.working_space)

    def test_there_are_some(self) -> None:
        self.assertGreaterEqual(len(list(FROZEN.glob("*.json"))), 3)
