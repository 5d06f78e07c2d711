"""Packages as they are unpacked somewhere else: loaded by the libraries that applications have."""

import io
import json
import os
import subprocess
import sys
import zipfile
from hashlib import sha256
from pathlib import Path
from tempfile import mkdtemp

import numpy as np
import PyOpenColorIO as ocio
from PIL import ImageCms
from pxr import Sdf, Usd, UsdShade, UsdValidation

from saltwort.core.configs.target import VERSIONS
from saltwort.core.deliverables.lut_errors import MIXED_COLOURS, OTHER_COLOURS
from saltwort.core.engine import ViewChoice
from saltwort.core.images import read_pixels, write_image
from saltwort.server.compare.operations import keep_comparison
from saltwort.server.compare.panes import Pane, pane_to_json
from saltwort.server.handoffs.explaining import Wanted
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.operations import add_texture
from saltwort.server.watching.operations import watched_for
from tests.api.test_commands import CommandTestCase

LOADED = """
import json, PyOpenColorIO as ocio
config = ocio.Config.CreateFromEnv()
config.validate()
view = config.getProcessor(ocio.ROLE_SCENE_LINEAR, *{choice!r}, ocio.TRANSFORM_DIR_FORWARD).getDefaultCPUProcessor()
print(json.dumps({{"version": f"{{config.getMajorVersion()}}.{{config.getMinorVersion()}}",
                  "shown": view.applyRGB([0.18, 0.2, 0.3])}}))
"""


def numbers(version: str) -> tuple[int, ...]:
    return tuple(map(int, version.split(".")))


class PackageTestCase(CommandTestCase):
    def unpacked(self, pk: int) -> Path:
        folder = Path(mkdtemp(dir=self.folder, suffix=f" {pk}"))  # a blank, as in many paths
        zipfile.ZipFile(io.BytesIO(self.ask(f"/stations/{pk}/package"))).extractall(folder)
        return next(folder.iterdir())

    def added(self, kind: str, **abilities: object) -> int:
        name = f"My {kind} {len(self.ask('/stations'))}"
        pk: int = self.tell("post", "/stations", 201, name=name, kind=kind, abilities=abilities)["id"]
        return pk


class Configs(PackageTestCase):
    def test_loaded_through_the_environment_in_every_version_and_form(self) -> None:
        setup = self.ask()["setup"]
        choice = (setup["view"]["display"], setup["view"]["view"])
        program = LOADED.format(choice=choice)
        shown = []
        for version in VERSIONS:
            for form in ("archive", "folder"):
                with self.subTest(version, form=form):
                    folder = self.unpacked(self.added("renderer", ocio_version=version, config_form=form))
                    told = self.started(folder, program)
                    self.assertLessEqual(numbers(told["version"]), numbers(version))
                    shown.append(told["shown"])
        np.testing.assert_allclose(
            shown, [shown[-1]] * len(shown), atol=1e-2
        )  # older versions have the view baked, with an error that Hand-offs tells

    def started(self, folder: Path, program: str) -> dict:
        """What a program tells that is started by the package's script, with nothing else in its environment."""
        script = folder / "environment" / "start.sh"
        clean = {"PATH": os.environ["PATH"], "HOME": str(self.folder)}
        ran = subprocess.run(
            ["sh", str(script), sys.executable, "-c", program], env=clean, cwd="/", capture_output=True, check=True
        )
        line = subprocess.run(["sh", str(script)], env=clean, cwd="/", capture_output=True, check=True, text=True)
        self.assertTrue(line.stdout.startswith(f'export OCIO="{folder}/config/'), line.stdout)
        told: dict = json.loads(ran.stdout)
        return told

    def test_hashes_and_steps(self) -> None:
        folder = self.unpacked(self.added("compositor-nodes"))
        manifest = json.loads((folder / "manifest.json").read_text())
        files = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()}
        self.assertEqual(set(manifest["files"]), files - {"manifest.json"})
        for name, told in manifest["files"].items():
            self.assertEqual(told["sha256"], sha256((folder / name).read_bytes()).hexdigest())
        self.assertIn("start.sh", (folder / "README.txt").read_text())
        self.assertTrue(os.access(folder / "environment" / "start.sh", os.R_OK))
        self.assertRegex(manifest["config"]["trimmed"], r"\d+ of \d+ spaces and \d+ of \d+ views, with proof")
        self.assertIn(manifest["config"]["trimmed"], (folder / "README.txt").read_text())
        old = self.unpacked(self.added("renderer", ocio_version="1.0"))
        page = (old / "README.txt").read_text().splitlines()
        self.assertIn("THIS PACKAGE IS NOT READY", page[3])
        self.assertIn("loads configs up to OCIO 1.0", page[4])


class Delivered(PackageTestCase):
    """What a project delivers is in the config of every application, under a name of its own."""

    def views_of(self, folder: Path) -> dict[str, list[str]]:
        config = ocio.Config.CreateFromFile(str(next(folder.glob("**/*.ocioz"))))
        return {display: list(config.getViews(display)) for display in config.getDisplays()}

    def test_views_of_recipes_displays_kept_comparisons_and_watched_folders(self) -> None:
        pk = self.added("compositor-nodes")
        before = self.unpacked(pk)
        config = config_of(self.project.current)
        hdr, p3, video = (
            next(each for each in config.getDisplays() if word in each)
            for word in ("Rec.2100-PQ", "P3 - Display", "1886")
        )
        views = {display: list(config.getViews(display)) for display in (hdr, p3, video)}
        settings = {"display": hdr, "view": views[hdr][-1], "codec": "hevc-hdr10"}
        self.tell("put", "/recipes", 204, based_on=self.revision(), name="HDR", kind="movie", settings=settings)
        pane = pane_to_json(Pane(ViewChoice(p3, views[p3][-1])))
        keep_comparison(Project.objects.get(pk=self.project.pk), "P3", "", {"panes": [pane]})
        (self.folder / "night").mkdir()
        watched_for(self.project, self.folder / "night", Wanted(ViewChoice(video, views[video][-1]), False), None, None)
        after = self.unpacked(pk)
        found = self.views_of(after)
        for display in (hdr, p3, video):
            self.assertNotIn(display, self.views_of(before))
            self.assertIn(views[display][-1], found[display])
        one, other = (next(each.glob("**/*.ocioz")).name for each in (before, after))
        self.assertNotEqual(one, other, "another content has another name")

    def test_the_sheet_names_the_file_that_lies_in_the_package(self) -> None:
        names: dict[str, str] = {}
        for version in ("2.4", "2.1"):
            for kind in ("renderer", "compositor-nodes"):
                folder = self.unpacked(self.added(kind, ocio_version=version))
                sheet = json.loads((folder / "sheet.json").read_text())
                told = {each["key"]: each["value"] for part in sheet["sections"] for each in part["settings"]}
                file = next((folder / "config").glob("*.ocio*"))
                if file.suffix == ".ocioz":
                    self.assertEqual(file.name, told["file"])
                config = ocio.Config.CreateFromFile(str(file))
                self.assertEqual(config.getName(), told["name"])
                content = sha256(file.read_bytes()).hexdigest()
                self.assertEqual(names.setdefault(told["file"], content), content)
        self.assertEqual(len(set(names.values())), 2)


class InsteadOfAConfig(PackageTestCase):
    def test_a_lut_with_its_error(self) -> None:
        for shaper in (True, False):
            folder = self.unpacked(self.added("editor-lut", lut_shaper=shaper, lut_size="33"))
            manifest = json.loads((folder / "manifest.json").read_text())
            lut = manifest["lut"]
            self.assertEqual(lut["input"], "ACEScg" if shaper else "ACEScct")
            self.assertIn("LUT_3D_SIZE 33", (folder / lut["file"]).read_text())
            self.assertEqual(lut["error"]["colours"], MIXED_COLOURS + 3 * OTHER_COLOURS)
            self.assertLess(lut["error"]["mean"], 1.0)
            self.assertIn(f"mean {lut['error']['mean']:.3f}", (folder / "README.txt").read_text())
            self.assertFalse((folder / "config").exists())

    def test_profiles_are_read_by_another_library(self) -> None:
        folder = self.unpacked(self.added("editor-icc"))
        manifest = json.loads((folder / "manifest.json").read_text())
        self.assertEqual([one["for"] for one in manifest["profiles"]], ["ACEScg", "ACEScct"])
        for one in manifest["profiles"]:
            profile = ImageCms.getOpenProfile(str(folder / one["file"]))
            self.assertTrue(ImageCms.getProfileDescription(profile).strip())
            self.assertLess(one["mean"], 1.5)


class Documents(PackageTestCase):
    def setUp(self) -> None:
        super().setUp()
        for name in ("wall/wall_basecolor.png", "wall/wall_rough.png", "1 rope/rope-basecolor.png"):
            self.texture(name)
        self.unpacked_documents = self.unpacked(self.added("renderer")) / "documents"

    def test_a_usd_layer_over_a_scene_that_it_did_not_see(self) -> None:
        scene = self.folder / "scene.usda"
        stage = Usd.Stage.CreateNew(str(scene))
        shader = UsdShade.Shader.Define(stage, "/Materials/wall/wall_basecolor")
        shader.CreateIdAttr("UsdUVTexture")
        shader.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set("auto")
        shader.CreateInput("wrapS", Sdf.ValueTypeNames.Token).Set("repeat")
        stage.DefinePrim("/World", "Xform")
        stage.GetRootLayer().Save()
        top = Sdf.Layer.CreateNew(str(self.folder / "shot.usda"))
        top.subLayerPaths = [str(self.unpacked_documents / "colour.usda"), str(scene)]
        top.Save()
        composed = Usd.Stage.Open(top)
        self.assertTrue(composed.GetPrimAtPath("/World"))
        read = UsdShade.Shader(composed.GetPrimAtPath("/Materials/wall/wall_basecolor"))
        self.assertEqual(read.GetInput("sourceColorSpace").Get(), "sRGB")
        self.assertEqual(read.GetInput("wrapS").Get(), "repeat")
        self.assertEqual(read.GetInput("file").GetAttr().GetColorSpace(), "srgb_rec709_scene")
        rough = UsdShade.Shader(composed.GetPrimAtPath("/Materials/wall/wall_rough"))
        self.assertEqual(rough.GetInput("sourceColorSpace").Get(), "raw")
        self.assertEqual(rough.GetInput("file").GetAttr().GetColorSpace(), "raw")
        materials = composed.GetPrimAtPath("/Materials")
        self.assertEqual(str(Usd.ColorSpaceAPI.ComputeColorSpaceName(materials, None)), "lin_ap1_scene")
        registry = UsdValidation.ValidationRegistry()
        context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
        errors = [error for error in context.Validate(composed) if "colour.usda" in str(error.GetSites())]
        self.assertEqual([error.GetMessage() for error in errors], [])

    def test_the_table_of_textures(self) -> None:
        folder = self.unpacked(self.added("renderer-gamma"))
        rows = json.loads((folder / "textures.json").read_text())
        self.assertEqual({row["value"] for row in rows}, {"sRGB", "linear, or raw"})
        self.assertIn("wall/wall_rough.png", (folder / "textures.csv").read_text())
        self.assertIn("set 3 of 3 files by hand", (folder / "README.txt").read_text())

    def test_material_documents(self) -> None:
        import MaterialX as mx

        documents = list((self.unpacked_documents / "materials").rglob("*.mtlx"))
        self.assertEqual(len(documents), 2)
        for path in documents:
            document = mx.createDocument()
            mx.readFromXmlFile(document, str(path))
            self.assertTrue(document.validate()[0], document.validate()[1])
        self.assertIn('colorspace="srgb_texture"', documents[0].read_text() + documents[1].read_text())


class Environments(PackageTestCase):
    def test_a_turned_copy_keeps_the_light(self) -> None:
        light = np.random.default_rng(3).random((40, 80, 3)).astype(np.float32) ** 6 * 90
        path = self.folder / "dusk_env.exr"
        write_image(path, light, "float")
        add_texture(self.project, "sky/dusk_env.exr", store_file(path, "dusk_env.exr"))
        self.added("texturing")
        renderer = self.added("renderer", lat_long_centre="90", lat_long_mirrored=True)
        folder = self.unpacked(renderer)
        told = json.loads((folder / "manifest.json").read_text())["environments"]
        self.assertEqual((told["turned by"], told["mirrored"]), (270.0, True))
        self.assertAlmostEqual(told["copies"][0]["flux kept"], 1.0, delta=1e-3)
        copy = read_pixels(folder / told["copies"][0]["file"])
        np.testing.assert_allclose(copy, np.roll(light[:, ::-1], 60, axis=1), rtol=1e-5)
        sheet = {
            line["key"]: line["value"] for part in self.ask(f"/stations/{renderer}/sheet") for line in part["settings"]
        }
        self.assertEqual((sheet["rotation"], sheet["flip"]), ("270°", "left to right"))
        codes = [(one["code"], one["subject"]) for one in self.findings()]
        self.assertIn("handoff.environment-turned", [code for code, _ in codes])


class Commands(PackageTestCase):
    def test_one_and_all(self) -> None:
        one, every = self.folder / "one.zip", self.folder / "all.zip"
        told = self.call("package", "--project", "quay", "--station", "renderer", "--output", one)
        self.assertIn("quay-renderer-r1/README.txt", told["files"])
        self.call("package", "--project", "quay", "--output", every)
        names = zipfile.ZipFile(every).namelist()
        self.assertIn("quay-r1/manifest.json", names)
        self.assertLessEqual(
            {"quay-r1/renderer/README.txt", "quay-r1/compositor/test-card/test_card_light.exr"}, set(names)
        )
        manifest = json.loads(zipfile.ZipFile(every).read("quay-r1/manifest.json"))
        self.assertEqual(manifest["stations"], {"Renderer": "renderer", "Compositor": "compositor"})
        self.refused_command("no application", "package", "--project", "quay", "--station", "Oven", "--output", one)
        self.refused_command("ends with .zip", "package", "--project", "quay", "--output", self.folder / "x.tar")
