"""Applications played from their packages: whole projects made at random, and packages in which something is wrong."""

import io
import json
import os
import zipfile
from pathlib import Path
from tempfile import mkdtemp
from typing import Any
from urllib.parse import unquote

from django.core.management import call_command

from saltwort.core.errors import BadInput
from saltwort.core.stations.playing import Played, PlayedTexture, Truth, play
from saltwort.server.across.packages import package
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import chain_of
from saltwort.server.images.operations import store_file
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import add_texture
from tests.api.test_commands import CommandTestCase
from tests.made_chains import made_chain
from tests.samples import ACES_SDR, light, write

SEED = int(os.environ.get("SALTWORT_SEED", "20261202"))
CHAINS = int(os.environ.get("SALTWORT_CHAINS", "4"))


class RandomChains(CommandTestCase):
    def test_packages_play_right_or_are_refused_with_a_reason(self) -> None:
        print(f"chains from seed {SEED}")
        ready = 0
        for seed in range(SEED, SEED + CHAINS):
            project = made_chain(seed, self.folder)
            for station in project.stations.select_related("project__current"):
                with self.subTest(seed=seed, application=station.name, abilities=station.abilities):
                    try:
                        with package(station) as folder:
                            proof = json.loads((folder / "proof.json").read_text())
                            page = (folder / "README.txt").read_text()
                    except BadInput as error:
                        self.assertGreater(len(str(error)), 20)
                        continue
                    if station.abilities.get("ocio_version") == "1.0" and not proof["ready"]:
                        self.assertIn("loads configs up to OCIO 1.0", proof["failures"][0])
                        continue
                    self.assertEqual((proof["ready"], proof["failures"]), (True, []))
                    self.assertIn(proof["sentence"], page)
                    ready += 1
        print(f"{ready} packages of {CHAINS} chains played right")
        self.assertGreater(ready, 2 * CHAINS)


class Packages(CommandTestCase):
    """What is wrong in a package is found by playing it."""

    def setUp(self) -> None:
        super().setUp()
        for path, sample in (("wall_col.png", "uint8"), ("wall_rough.png", "uint8"), ("sky_acescg.exr", "half")):
            add_texture(self.project, path, store_file(write(self.folder / path, light(8, 12, 1.0), sample), path))

    def unpacked(self, kind: str, **abilities: Any) -> tuple[Station, Path]:
        name = f"My {kind} {len(self.ask('/stations'))}"
        made = self.tell("post", "/stations", 201, name=name, kind=kind, abilities=abilities)
        folder = Path(mkdtemp(dir=self.folder))
        zipfile.ZipFile(io.BytesIO(self.ask(f"/stations/{made['id']}/package"))).extractall(folder)
        return Station.objects.select_related("project__current").get(pk=made["id"]), next(folder.iterdir())

    def played(self, station: Station, folder: Path) -> Played:
        chain = chain_of(station)
        files = {texture.path: texture.image.file for texture in Texture.objects.filter(project=self.project)}
        textures = [PlayedTexture(line.path, files[line.path], line.space) for line in chain.textures]
        colours = {each.name: each.working for each in chain.colours}
        return play(
            folder, chain.station, Truth(chain.config, ACES_SDR, chain.own_space, textures, colours, [ACES_SDR])
        )

    def test_an_application_without_a_config_gets_copies_that_it_can_read(self) -> None:
        for kind, abilities in (
            ("renderer", {"colour_by": "lut", "lut_size": "17"}),
            ("renderer", {"colour_by": "lut", "working_space": "rec709", "lut_size": "17"}),
            ("renderer-gamma", {}),
        ):
            with self.subTest(kind, **abilities):
                station, folder = self.unpacked(kind, **abilities)
                rows = {row["path"]: row for row in json.loads((folder / "textures.json").read_text())}
                self.assertEqual(rows["wall_rough.png"]["converted"], "", "data passes")
                self.assertTrue((folder / rows["sky_acescg.exr"]["converted"]).exists() or kind == "renderer")
                played = self.played(station, folder)
                self.assertEqual((played.failures, played.textures), ([], (3, 3)))
                sheet = (folder / "sheet.txt").read_text()
                self.assertNotIn("file rules", sheet)
                self.assertNotIn("(light)", sheet, "the project has no lights of its own")

    def test_copies_of_files_that_differ_in_their_endings_alone(self) -> None:
        file = write(self.folder / "wall_col.tif", light(8, 12, 1.0, seed=9), "uint16")
        add_texture(self.project, "wall_col.tif", store_file(file, "wall_col.tif"))
        station, folder = self.unpacked("renderer", colour_by="lut", lut_size="17")
        rows = {row["path"]: row["converted"] for row in json.loads((folder / "textures.json").read_text())}
        self.assertNotEqual(rows["wall_col.png"], rows["wall_col.tif"])
        self.assertEqual((self.played(station, folder).failures, len({*rows.values()})), ([], 3))

    def test_what_is_not_possible_is_no_success(self) -> None:
        station, folder = self.unpacked("renderer", follows_file_rules=False, per_file_override=False)
        played = self.played(station, folder)
        self.assertEqual((played.failures, played.textures), ([], (0, 3)))
        self.assertIn("3 textures cannot be set file by file", played.cannot[0])
        self.assertIn("0 of 3 textures", played.sentence)
        station, folder = self.unpacked("editor-lut", lut_format="3dl", lut_size="17")
        played = self.played(station, folder)
        self.assertTrue(played.is_ready)
        self.assertIn("takes ACEScct", " ".join(played.cannot))

    def test_what_is_wrong_is_told(self) -> None:
        station, folder = self.unpacked("renderer", colour_by="lut", lut_size="17")
        table = json.loads((folder / "textures.json").read_text())
        for row in table:
            row["converted"] = ""
        (folder / "textures.json").write_text(json.dumps(table))
        self.assertIn("the package has no copy", " ".join(self.played(station, folder).failures))
        station, folder = self.unpacked("renderer", follows_file_rules=False)
        table = json.loads((folder / "textures.json").read_text())
        for row in table:
            row["value"] = {"wall_rough.png": "sRGB Encoded Rec.709 (sRGB)", "wall_col.png": "nowhere"}.get(
                row["path"], row["value"]
            )
        (folder / "textures.json").write_text(json.dumps(table))
        failures = " ".join(self.played(station, folder).failures)
        self.assertIn("wall_rough.png, read as “sRGB Encoded Rec.709 (sRGB)”, is other light", failures)
        self.assertIn("no space “nowhere”", failures)
        station, folder = self.unpacked("editor-lut", lut_size="17")
        lut = folder / json.loads((folder / "manifest.json").read_text())["lut"]["file"]
        lines = lut.read_text().splitlines()
        lut.write_text("\n".join(line if line[:1].isalpha() else "0.5 0.5 0.5" for line in lines))
        self.assertIn("cannot be read", self.played(station, folder).failures[0])
        first = next(number for number, line in enumerate(lines) if line[:1] in "-0123456789")
        lut.write_text("\n".join([*lines[:first], *reversed(lines[first:])]))
        self.assertIn("is off by ΔE 2000", self.played(station, folder).failures[0])
        station, folder = self.unpacked("compositor-nodes")
        for file in (folder / "config").iterdir():
            file.unlink()
        self.assertIn("cannot be opened", self.played(station, folder).failures[0])

    def test_the_screen_is_told(self) -> None:
        station, _ = self.unpacked("renderer", colour_by="lut", lut_size="17")
        for address, words in (
            (f"/stations/{station.pk}/package", "3 of 3 textures"),
            ("/package", "applications are ready"),
        ):
            proof = json.loads(unquote(self.client.get(self.url(address)).headers["X-Proof"]))
            self.assertTrue(proof["ready"])
            self.assertIn(words, proof["sentence"])

    def test_the_check_ends_with_1_on_a_failure(self) -> None:
        told = self.call("package", "--project", "quay", "--check")
        self.assertTrue(all(each["ready"] for each in told["applications"]))
        Texture.objects.get(path="wall_col.png").image.file.unlink()
        with self.assertRaises(SystemExit):
            call_command("package", "--project", "quay", "--check", stdout=io.StringIO())
