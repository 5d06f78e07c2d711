"""Plans: colours against colour-science, spaces by meaning, textures and names, and what stays the same."""

import random

import colour
import numpy as np

from saltwort.core.engine import load_config
from saltwort.core.errors import BadInput
from saltwort.core.images.measuring import survey
from saltwort.core.migration.documents import Documents
from saltwort.core.migration.formats import usd
from saltwort.core.migration.habits.registry import habits_of
from saltwort.core.migration.habits.typed import corrected_likelihood, display_likelihood
from saltwort.core.migration.naming import named, token_of
from saltwort.core.migration.plan import Asked, Draft, drafted, taken
from saltwort.core.migration.proof import COLOUR_TOLERANCE, proved
from saltwort.core.migration.scene import read_scene
from saltwort.core.migration.spaces import meant_by
from saltwort.core.migration.suggested import suggested_space
from saltwort.core.migration.uses import Uses
from saltwort.core.migration.writing import staged
from tests.core.made_scenes import gltf_scene, materialx_scene, picture, usd_scene
from tests.core.test_scene_documents import SEED, SceneTestCase
from tests.samples import LINEAR_REC709, SRGB, base_config, base_text

TO_ACESCG = Asked("convert-colours", {"to": "ACEScg"})


class MigrationTestCase(SceneTestCase):
    def draft(self, *paths, **more) -> Draft:
        return drafted(read_scene(paths, [self.folder]), base_config(), "ACEScg", **more)

    def usd(self, text: str, name: str = "scene.usda"):
        path = self.folder / name
        path.write_text(f"#usda 1.0\n{text}")
        return path


class ByTheProject(MigrationTestCase):
    def test_textures_are_read_as_the_project_sets_those_of_the_name(self) -> None:
        """Where two of the name are set otherwise, their files tell."""
        made = usd_scene(self.folder / "scene", SEED, 3)
        assigned = {"a/M0_diff.PNG": "ACEScg", "a/m1_diff.png": "ACEScg", "b/m1_diff.png": SRGB, "m2.png": "ACEScg"}
        draft = self.draft(made.path, assigned=assigned)
        found = [suggested_space(draft, picture) for picture in draft.pictures]
        self.assertEqual(found[0], ("ACEScg", "The project reads this texture so."))
        self.assertNotIn("project", " ".join(why for _, why in filter(None, found[1:])))


class Colours(MigrationTestCase):
    def test_numbers_are_those_of_colour_science(self) -> None:
        matrix = colour.matrix_RGB_to_RGB(
            colour.RGB_COLOURSPACES["sRGB"],
            colour.RGB_COLOURSPACES["ACEScg"],
            chromatic_adaptation_transform="Bradford",
        )
        for seed in range(SEED, SEED + 3):
            draft = self.draft(usd_scene(self.folder / str(seed), seed, 12, with_pictures=False).path)
            taken(draft, [TO_ACESCG])
            for one in draft.colours:
                expected = matrix @ np.array(one.use.values)
                # Both take Bradford; the white points are written with four decimals in one and five in the other.
                np.testing.assert_allclose(one.values, expected, atol=2e-4, err_msg=f"seed {seed}")

    def test_every_colour_gives_the_same_light_in_every_format(self) -> None:
        for make in (usd_scene, materialx_scene):
            draft = self.draft(make(self.folder / make.__name__, SEED, 10).path)
            taken(draft, [Asked("gamma-out"), Asked("declare-textures"), TO_ACESCG])
            rows = [row for row in proved(draft, None) if row.kind == "colour"]
            self.assertGreaterEqual(len(rows), 10)
            for row in rows:
                self.assertTrue(row.same, row)
                self.assertLess(row.largest, COLOUR_TOLERANCE)

    def test_colours_that_change_over_time(self) -> None:
        """Every sample is converted and proved; an exponent that changes is driven, and its node stays."""
        chance = random.Random(SEED)
        samples = {time: [round(chance.uniform(0, 3), 4) for _ in range(3)] for time in (1, 12.5, 24)}
        told = ", ".join(f"{time}: ({', '.join(map(str, values))})" for time, values in samples.items())
        path = self.usd(
            f'def SphereLight "L"\n{{\n    color3f inputs:color = (1, 1, 1)\n'
            f"    color3f inputs:color.timeSamples = {{ {told} }}\n}}\n"
            'def Material "M"\n{\n    def Shader "glow"\n    {\n        token info:id = "ND_power_color3"\n'
            "        color3f inputs:in1 = (1, 0.5, 0.2)\n        float inputs:in2.timeSamples = { 1: 2.2, 24: 1 }\n"
            "        color3f outputs:out\n    }\n}\n"
        )
        draft = self.draft(path)
        taken(draft, [Asked("gamma-out"), TO_ACESCG])
        gamma = Uses(usd.read(path.read_bytes(), "x")).gammas["/M/glow"]
        self.assertIsNone(gamma.exponent)
        rows = {row.of: row for row in proved(draft, None)}
        self.assertTrue({f"/L.inputs:color@{time:g}" for time in samples} < set(rows))
        self.assertTrue(all(row.same for row in rows.values()))
        (content,) = Documents(draft).contents.values()
        written = usd.read(content, "x").nodes["/L"].inputs
        matrix = colour.matrix_RGB_to_RGB(
            colour.RGB_COLOURSPACES["sRGB"],
            colour.RGB_COLOURSPACES["ACEScg"],
            chromatic_adaptation_transform="Bradford",
        )
        for time, values in samples.items():
            np.testing.assert_allclose(written[f"inputs:color@{time:g}"].value, matrix @ values, atol=6e-4)
        self.assertIn(b'def Shader "glow"', content)

    def test_the_proof_sees_a_colour_that_is_off(self) -> None:
        draft = self.draft(usd_scene(self.folder, SEED, 3, with_pictures=False).path)
        taken(draft, [TO_ACESCG])
        draft.colours[1].values = tuple(value * 1.001 for value in draft.colours[1].values)
        differing = [row for row in proved(draft, None) if not row.same]
        self.assertEqual([row.of for row in differing], [draft.colours[1].use.key])

    def test_what_the_new_space_does_not_hold(self) -> None:
        path = self.usd(
            'def SphereLight "L" (\n    prepend apiSchemas = ["ColorSpaceAPI"]\n)\n{\n'
            '    uniform token colorSpace:name = "lin_ap1_scene"\n    color3f inputs:color = (0, 1, 0.02)\n}\n'
        )
        to = {"to": LINEAR_REC709}
        found = {}
        for outside in ("keep", "clip", "compress"):
            draft = self.draft(path)
            changes = taken(draft, [Asked("convert-colours", {**to, "outside": outside})])
            found[outside] = (np.array(draft.colours[0].values), proved(draft, None)[0], changes[0])
        kept, clipped, compressed = (found[name][0] for name in ("keep", "clip", "compress"))
        self.assertLess(kept.min(), 0)
        self.assertTrue(found["keep"][1].same)
        np.testing.assert_allclose(clipped, np.clip(kept, 0, None), rtol=1e-5)
        self.assertAlmostEqual(float(compressed.min()), 0, places=5)
        luminance = [0.2126, 0.7152, 0.0722]
        self.assertAlmostEqual(float(compressed @ luminance), float(kept @ luminance), delta=3e-4)
        for name in ("clip", "compress"):
            self.assertFalse(found[name][1].same)
            self.assertTrue(found[name][1].why and found[name][2].lost)

    def test_coefficients_of_fog_keep_the_colour_that_is_left(self) -> None:
        text = (
            '<materialx version="1.39"><anisotropic_vdf name="fog" type="VDF">'
            '<input name="absorption" type="vector3" value="0.1, 0.2, 0.6"/></anisotropic_vdf></materialx>'
        )
        path = self.folder / "fog.mtlx"
        path.write_text(text)
        draft = self.draft(path)
        taken(draft, [TO_ACESCG])
        before, after = (np.array(values) for values in (draft.colours[0].use.values, draft.colours[0].values))
        length = 1 / before.mean()
        matrix = colour.matrix_RGB_to_RGB(
            colour.RGB_COLOURSPACES["sRGB"],
            colour.RGB_COLOURSPACES["ACEScg"],
            chromatic_adaptation_transform="Bradford",
        )
        np.testing.assert_allclose(np.exp(-after * length), matrix @ np.exp(-before * length), atol=2e-4)

    def test_opacity_is_no_colour(self) -> None:
        path = self.usd(
            'def Mesh "M"\n{\n    color4f[] primvars:displayColor = [(0.5, 0.2, 0.1, 0.25), (0.1, 0.2, 0.3, 0.75),'
            " (0.4, 0.4, 0.4, 1)]\n}\n"
        )
        draft = self.draft(path)
        taken(draft, [TO_ACESCG])
        there = np.array(draft.colours[0].values).reshape(3, 4)
        np.testing.assert_allclose(there[:, 3], (0.25, 0.75, 1))
        np.testing.assert_allclose(there[2, :3], 0.4, atol=1e-4)
        self.assertTrue(all(row.same for row in proved(draft, None)))

    def test_gltf_stays_in_its_own_space(self) -> None:
        draft = self.draft(gltf_scene(self.folder, SEED, 3).path)
        self.assertEqual(list(taken(draft, [TO_ACESCG])), [])
        self.assertIn("standard", draft.left[0].why)

    def test_a_colour_that_says_its_own_space_is_left(self) -> None:
        path = self.usd(
            'def Sphere "S"\n{\n    color3f inputs:a = (0.5, 0.2, 0.1) (\n'
            '        colorSpace = "srgb_rec709_scene"\n    )\n}\n'
        )
        draft = self.draft(path)
        taken(draft, [TO_ACESCG])
        self.assertEqual(draft.colours[0].values, draft.colours[0].use.values)
        self.assertTrue(proved(draft, None)[0].same)


class TypedNumbers(MigrationTestCase):
    def test_display_numbers_are_told_from_typed_light(self) -> None:
        chance = random.Random(SEED)
        right = wrong = 0
        for _ in range(300):
            steps_ = [chance.randrange(3, 250) for _ in range(3)]
            display = tuple(round(step / 255, 6) for step in steps_)
            corrected = tuple(round((step / 255) ** 2.2, 6) for step in steps_)
            light = tuple(round(chance.random(), 6) for _ in range(3))
            right += (display_likelihood(display) > 0.6) + (corrected_likelihood(corrected) > 0.6)
            wrong += display_likelihood(light) > 0.6 or corrected_likelihood(light) > 0.6
        self.assertGreaterEqual(right / 600, 0.98, f"seed {SEED}")
        self.assertLessEqual(wrong / 300, 0.02, f"seed {SEED}")

    def test_numbers_typed_by_hand_tell_nothing(self) -> None:
        for values in ((0.5, 0.2, 0.1), (0.8, 0.8, 0.8), (1.0, 0.0, 0.0), (0.25, 0.5, 0.75)):
            self.assertEqual(display_likelihood(values), 0.0, values)

    def test_all_of_several_are_decoded_and_opacity_stays(self) -> None:
        chance = random.Random(SEED)
        numbers = np.array([[round(chance.random(), 3) for _ in range(4)] for _ in range(5)])
        told = ", ".join(f"({', '.join(map(str, row))})" for row in numbers)
        path = self.usd(f'def Mesh "Hull"\n{{\n    color4f[] primvars:displayColor = [{told}]\n}}\n')
        draft = self.draft(path)
        taken(draft, [Asked("decode-colours", {"colours": ["/Hull.primvars:displayColor"]})])
        decoded = np.array(draft.colours[0].values).reshape(-1, 4)
        # A scene that says no space holds light in Rec.709's primaries.
        np.testing.assert_allclose(decoded[:, :3], colour.eotf(numbers[:, :3], "sRGB"), atol=1e-5)
        np.testing.assert_allclose(decoded[:, 3], numbers[:, 3], rtol=1e-6)  # floats of 32 bits


class Spaces(MigrationTestCase):
    def test_names_are_told_by_colour(self) -> None:
        config = base_config()
        for said, expected in (
            ("srgb_texture", SRGB),
            ("lin_rec709", LINEAR_REC709),
            ("srgb_rec709_scene", SRGB),
            ("ACEScg", "ACEScg"),
            ("acescg", "ACEScg"),
            ("Raw", "Raw"),
            ("none", "Raw"),
        ):
            self.assertEqual((meant_by(config, said).space, meant_by(config, said).is_same), (expected, True), said)
        unknown = meant_by(config, "quay_paint_v2")
        self.assertEqual((unknown.space, unknown.difference), (None, None))

    def test_names_of_an_old_config_by_what_they_mean_there(self) -> None:
        text = base_text()
        old = load_config(text)
        space = old.getColorSpace(SRGB)
        space.setName("quay_paint_v2")
        space.setAliases([]) if hasattr(space, "setAliases") else [
            space.removeAlias(one) for one in list(space.getAliases())
        ]
        old.addColorSpace(space)
        # A name that means another thing there than here.
        swapped = old.getColorSpace("ACEScg")
        linear = old.getColorSpace(LINEAR_REC709)
        linear.setName("our linear")
        for alias in list(linear.getAliases()):
            linear.removeAlias(alias)
        old.addColorSpace(linear)
        self.assertIsNotNone(swapped)
        self.assertEqual(meant_by(base_config(), "quay_paint_v2", old).space, SRGB)
        self.assertEqual(meant_by(base_config(), "our linear", old).space, LINEAR_REC709)
        path = self.usd(
            'def Shader "S"\n{\n    uniform token info:id = "UsdUVTexture"\n    asset inputs:file = @a.png@ (\n'
            '        colorSpace = "quay_paint_v2"\n    )\n    float3 outputs:rgb\n}\n'
        )
        picture(self.folder / "a.png", 1)
        draft = self.draft(path, old=old)
        self.assertIn("unknown-space", [habit.code for habit in habits_of(draft)])
        changes = taken(draft, [Asked("to-config")])
        self.assertEqual(
            [(change.before, change.after) for change in changes], [("quay_paint_v2", "srgb_rec709_scene")]
        )
        self.assertTrue(all(row.same for row in proved(draft, None)))


class Textures(MigrationTestCase):
    def test_names_by_a_pattern(self) -> None:
        config = base_config()
        tokens = [token_of(config, space) for space in (SRGB, LINEAR_REC709, "ACEScg", "Raw", "")]
        self.assertEqual(tokens, ["srgb", "lin_rec709", "acescg", "raw", ""])
        for stem, expected in (
            ("wall_diff", "wall_diff_srgb"),
            ("wall_diff_srgb", "wall_diff_srgb"),
            ("wall_diff.1001", "wall_diff_srgb.1001"),
            ("wall_diff_<UDIM>", "wall_diff_srgb_<UDIM>"),
        ):
            self.assertEqual(named("{name}_{space}", stem, "srgb", "diffuseColor"), expected)
        for pattern in ("{space}", "../{name}", "{name}/{space}", "{name}_{colour}", "{name}\n", "{name"):
            with self.subTest(pattern), self.assertRaises(BadInput):
                named(pattern, "wall", "srgb", "")

    def test_two_files_never_get_one_name(self) -> None:
        (self.folder / "b").mkdir()
        text = ""
        for number, name in enumerate(("Wall.png", "wall.png")):
            picture(self.folder / name, number)
            text += (
                f'def Shader "S{number}"\n{{\n    uniform token info:id = "UsdUVTexture"\n'
                f"    asset inputs:file = @{name}@\n"
                '    token inputs:sourceColorSpace = "sRGB"\n}\n'
            )
        with self.assertRaisesRegex(BadInput, "one name, where capitals are not told apart"):
            taken(self.draft(self.usd(text)), [Asked("rename-textures", {"pattern": "{name}_{space}"})])

    def test_a_file_by_an_absolute_path_keeps_its_name(self) -> None:
        file = picture(self.folder / "wall.png", 1)
        path = self.usd(
            f'def Shader "S"\n{{\n    uniform token info:id = "UsdUVTexture"\n    asset inputs:file = @{file}@\n'
            '    token inputs:sourceColorSpace = "sRGB"\n    float3 outputs:rgb\n}\n'
        )
        draft = self.draft(path)
        convert = Asked("convert-textures", {"to": "ACEScg"})
        self.assertEqual(taken(draft, [Asked("rename-textures"), convert]), [])
        self.assertEqual({left.step for left in draft.left}, {"rename-textures", "convert-textures"})
        self.assertIn("absolute", draft.left[0].why)

    def test_tiles_are_renamed_together(self) -> None:
        for tile in (1001, 1002):
            picture(self.folder / f"wall_diff.{tile}.png", tile)
        path = self.usd(
            'def Shader "S"\n{\n    uniform token info:id = "UsdUVTexture"\n'
            "    asset inputs:file = @./wall_diff.<UDIM>.png@\n"
            '    token inputs:sourceColorSpace = "sRGB"\n    float3 outputs:rgb\n}\n'
        )
        draft = self.draft(path)
        taken(draft, [Asked("rename-textures")])
        out = self.folder.parent / f"{self.folder.name}-out"
        with staged(draft, out) as outcome:
            names = sorted(file.name for file in outcome.place.iterdir())
            self.assertEqual(names, ["scene.usda", "wall_diff_srgb.1001.png", "wall_diff_srgb.1002.png"])
            self.assertIn("@./wall_diff_srgb.<UDIM>.png@", (outcome.place / "scene.usda").read_text())
        self.assertFalse(out.exists(), "what is not put is removed")

    def test_converted_textures_give_the_same_light(self) -> None:
        made = usd_scene(self.folder / "in", SEED, 4)
        text = made.path.read_text().replace('sourceColorSpace = "raw"', 'sourceColorSpace = "sRGB"')
        made.path.write_text(text)
        draft = self.draft(made.path)
        for exponent_free in (Asked("gamma-out", {"every": True}),):
            taken(draft, [exponent_free])
        # Only those that had no gamma node were read rightly before.
        taken(draft, [Asked("convert-textures", {"to": "ACEScg", "format": "exr-half"}), TO_ACESCG])
        with staged(draft, self.folder / "out") as outcome:
            rows = {row.of.split("_")[0]: row for row in proved(draft, outcome.place) if row.kind == "picture"}
            for name, row in rows.items():
                self.assertEqual(row.same, name not in made.gammas, row)
            self.assertTrue(all(file.suffix == ".exr" for file in (outcome.place / "maps").iterdir()))
            self.assertEqual(
                survey(next((outcome.place / "maps").iterdir())).facts.header.tags["colorInteropID"], "lin_ap1_scene"
            )
