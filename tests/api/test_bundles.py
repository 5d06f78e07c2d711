"""Bundles: a project in one file, made anew from it with the same numbers, pictures and findings."""

import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import asdict
from datetime import timedelta
from hashlib import sha256
from typing import Any
from unittest.mock import patch

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.core.management.base import CommandError
from django.utils import timezone

from saltwort.core.bundle import FORMAT, Bundle
from saltwort.core.errors import BadInput
from saltwort.core.images import write_image
from saltwort.core.views import AddedView
from saltwort.server.findings.operations import findings_of
from saltwort.server.handoffs.models import Proof, Station
from saltwort.server.handoffs.proving import card_of, hand_in
from saltwort.server.images.models import StoredImage, image_store
from saltwort.server.kept import forget
from saltwort.server.outputs.models import Output
from saltwort.server.projects.models import BaseConfig, ConfigFile, Project
from saltwort.server.projects.operations import create_project
from saltwort.server.scene.models import Render
from saltwort.server.textures.models import Texture
from saltwort.server.watching.models import WatchedFolder, WatchedFrame
from saltwort.server.whole_projects import bundles
from saltwort.server.whole_projects.bundles import duplicate, read_bundle
from saltwort.server.whole_projects.manifests import manifest_of, write_bundle
from saltwort.server.whole_projects.operations import forget_deleted
from tests.samples import ACES_SDR, SRGB, SRGB_DISPLAY, base_text
from tests.server import ServerTestCase


class BundlesTestCase(ServerTestCase):
    def whole_project(self) -> Project:
        """One with something of everything."""
        self.texture("wall/wall_rough.png")
        rough = self.texture("wall/wall_col.png", seed=4)
        self.tell("put", f"/textures/{rough.pk}/pin", based_on=1, space="ACEScg", note="scanned")
        render = self.render(colorInteropID="lin_rec709_scene")
        self.send("/base", self.written("own.ocio", base_text().encode()), 201)
        base = "sha256:" + BaseConfig.objects.get().sha256
        self.tell("post", "/setup", based_on=1, message="base", base=base)
        view = asdict(AddedView(SRGB_DISPLAY, "Quay", "agx"))
        self.tell("post", "/setup", based_on=2, message="a view", added_views=[view])
        self.undo()
        self.tell("post", "/setup", based_on=2, message="other", default_space="ACEScg")
        pane = {**asdict(ACES_SDR), "exposure": 1.0, "render": render.pk, "layer": None, "working": ""}
        plain = {**asdict(ACES_SDR), "exposure": None, "render": None, "layer": None, "working": ""}
        version = self.ask("/comparison")["version"]
        self.tell(
            "put",
            "/comparison",
            based_on=version,
            render=render.pk,
            exposure=0.5,
            panes=[plain, pane],
            probes=[[0.5, 0.5]],
        )
        self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        self._card_came_back()
        folder = WatchedFolder.objects.create(project=self.project, place="/mnt/farm/night", render=render, is_on=True)
        for number, notes in ((1, []), (2, [["frame.view-baked", "It holds a view."]]), (4, [])):
            name = f"night.{number:04}.exr"
            figures = {"peak": 1.0, "mean": 0.2, "high": 0.8, "clipped": 0.0}
            WatchedFrame.objects.create(
                folder=folder,
                name=name,
                stem="night",
                number=number,
                size=9,
                modified=1,
                revision=1,
                notes=notes,
                **figures,
            )
        return Project.objects.select_related("current").get(pk=self.project.pk)

    def _card_came_back(self) -> None:
        """The test card of the compositor, seen on a screen with another gamma."""
        station = Station.objects.select_related("project__current").get(project=self.project, name="Compositor")
        card = card_of(station)
        seen = np.clip(card.bench.agreed().shown(card.picture())[..., :3], 0, 1) ** np.float32(1.1)
        file = self.folder / "card.png"
        write_image(file, seen, "uint8")
        hand_in(station, SimpleUploadedFile(file.name, file.read_bytes()))

    def written(self, name: str, content: bytes) -> Any:
        path = self.folder / name
        path.write_bytes(content)
        return path

    def bundled(self, project: Project, *, with_images: bool = True) -> bytes:
        file = io.BytesIO()
        write_bundle(project, file, with_images=with_images)
        return file.getvalue()

    def told(self, project: Project) -> dict[str, Any]:
        """What there is to compare of a project: its manifest, findings, config and a picture, the last two by hash."""
        project = Project.objects.select_related("current").get(pk=project.pk)
        render = project.renders.get()
        address = f"/api/v1/projects/{project.slug}"
        picture = self.client.get(
            f"{address}/renders/{render.pk}/picture", {"display": ACES_SDR.display, "view": ACES_SDR.view}
        )
        self.assertEqual(picture.status_code, 200)
        manifest = json.loads(json.dumps(asdict(manifest_of(project, with_images=True))))
        return {
            "manifest": {**manifest, "slug": "", "name": ""},
            "findings": sorted((one.code, one.subject, one.why) for one in findings_of(project)),
            "config": project.current.config_hash,
            "picture": sha256(picture.content).hexdigest(),
        }

    def clear_machine(self, project: Project) -> None:
        """As if nothing had ever been here."""
        Project.objects.filter(pk=project.pk).update(current=None)
        project.outputs.all().delete()
        Proof.objects.all().delete()
        project.kept_comparisons.all().delete()
        project.revisions.all().delete()
        Project.objects.all().delete()
        for model in (StoredImage, BaseConfig, ConfigFile):
            model.objects.all().delete()
        for file in (self.folder / "media").rglob("*"):
            if file.is_file():
                file.unlink()
        forget()


class RoundTrip(BundlesTestCase):
    def test_on_another_machine_all_is_the_same(self) -> None:
        project = self.whole_project()
        before, content = self.told(project), self.bundled(project)
        self.assertGreater(len(before["manifest"]["revisions"]), 3)
        found = {code for code, _, _ in before["findings"]}
        self.assertLessEqual({"handoff.failed", "frame.view-baked", "frame.missing"}, found)
        self.clear_machine(project)
        made = read_bundle(io.BytesIO(content), "quay.zip")
        self.assertEqual((made.slug, made.name), ("quay", project.name))
        self.assertEqual(self.told(made), before)
        self.assertFalse(made.watched.get().is_on)
        made.refresh_from_db()
        self.assertEqual(self.bundled(made), content, "to the byte")

    def test_beside_the_project_it_gets_a_name_of_its_own(self) -> None:
        project = self.whole_project()
        made = read_bundle(io.BytesIO(self.bundled(project)), "quay.zip")
        self.assertEqual((made.slug, made.name), ("quay-2", f"{project.name} (2)"))
        self.assertEqual(self.told(made), self.told(project))

    def test_without_images_facts_and_findings_are_still_there(self) -> None:
        project = self.whole_project()
        textures = [one for one in self.told(project)["findings"] if one[0].startswith("texture.")]
        content = self.bundled(project, with_images=False)
        self.clear_machine(project)
        made = read_bundle(io.BytesIO(content), "quay.zip")
        found = [one for one in self.told(made)["findings"] if one[0].startswith("texture.")]
        self.assertEqual(found, textures)
        texture = made.textures.first()
        thumbnail = self.client.get(f"/api/v1/projects/quay/textures/{texture.pk}/picture", {"space": SRGB})
        self.assertEqual(thumbnail.status_code, 200)

    def test_a_duplicate_has_all_and_is_apart(self) -> None:
        project = self.whole_project()
        made = duplicate(project, "Quay by night")
        self.assertEqual((made.slug, made.name), ("quay-by-night", "Quay by night"))
        self.assertEqual(self.told(made), self.told(project))
        made.textures.all().delete()
        self.assertEqual(project.textures.count(), 2)

    def test_headless(self) -> None:
        self.whole_project()
        file, out = self.folder / "q.zip", io.StringIO()
        call_command("bundle", project="quay", output=file, with_images=True, stdout=out)
        self.assertEqual(json.loads(out.getvalue())["bytes"], file.stat().st_size)
        out = io.StringIO()
        call_command("unbundle", str(file), stdout=out)
        self.assertEqual(json.loads(out.getvalue())["project"], "quay-2")
        for wrong in (self.folder / "none.zip", self.written("bad.zip", b"PK")):
            with self.assertRaises(CommandError):
                call_command("unbundle", str(wrong))


def array_file(values: np.ndarray) -> bytes:
    file = io.BytesIO()
    np.save(file, values)
    return file.getvalue()


class Hostile(BundlesTestCase):
    def changed(self, content: bytes, change: Callable[[dict[str, Any]], object] | None, **members: bytes) -> bytes:
        """A bundle with another manifest, or other members."""
        made = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(content)) as old, zipfile.ZipFile(made, "w") as new:
            for name in old.namelist():
                data = members.pop(name, None) or old.read(name)
                if name == "manifest.json" and change:
                    manifest = json.loads(data)
                    change(manifest)
                    data = json.dumps(manifest).encode()
                new.writestr(name, data)
            for name, data in members.items():
                new.writestr(name, data)
        return made.getvalue()

    def test_each_gets_a_sentence_and_leaves_nothing_behind(self) -> None:
        project = self.whole_project()
        content = self.bundled(project)
        bomb = io.BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("manifest.json", b" " * 400_000_000)
        cases: dict[str, tuple[bytes, str]] = {
            "no zip": (b"Hello", "damaged"),
            "empty": (b"", "damaged"),
            "cut off": (content[: len(content) // 2], "damaged"),
            "another zip": (self.changed(content, None, **{"notes.txt": b"x"}), "not a Saltwort bundle"),
            "a way out": (self.changed(content, None, **{"../../evil": b"x"}), "not a Saltwort bundle"),
            "a newer one": (self.changed(content, lambda m: m.update(format=FORMAT + 1)), "newer Saltwort"),
            "a bomb": (bomb.getvalue(), "more than a bundle"),
            "a field more": (self.changed(content, lambda m: m.update(weather="fog")), "damaged"),
            "a list for a name": (self.changed(content, lambda m: m.update(name=[])), "damaged"),
            "no revision": (self.changed(content, lambda m: m.update(revisions=[])), "damaged"),
            "a circle": (self.changed(content, lambda m: m["revisions"][0].update(parent=3)), "damaged"),
            "a revision twice": (
                self.changed(content, lambda m: m["revisions"].append(m["revisions"][0])),
                "damaged",
            ),
            "a config of one's own": (
                self.changed(content, lambda m: m["revisions"][0].update(text="no config")),
                "config",
            ),
            "a setup of the future": (
                self.changed(content, lambda m: m["revisions"][0]["setup"].update(weather="fog")),
                "newer Saltwort",
            ),
            "a path out": (self.changed(content, lambda m: m["textures"][0].update(path="../../x.png")), "leads out"),
            "a name too long": (
                self.changed(content, lambda m: m["textures"][0].update(pin_note="x" * 900)),
                "too long",
            ),
            "a picture that is not there": (
                self.changed(content, lambda m: m["textures"][0].update(image="0" * 64)),
                "damaged",
            ),
            "facts that cannot be": (
                self.changed(content, lambda m: m["images"][0].update(has_file=False, sha256="1" * 64, facts={})),
                "damaged",
            ),
            "a pane that shows nothing": (
                self.changed(content, lambda m: m["comparison"].update(panes=[{}])),
                "cannot be shown",
            ),
            "an output elsewhere": (
                self.changed(content, lambda m: m["outputs"][0].update(name="../../saltwort.sqlite3")),
                "no name of an output",
            ),
            "an output of another kind": (
                self.changed(content, lambda m: m["outputs"][0].update(kind="poster")),
                "Nothing of the kind",
            ),
            "an output with other settings": (
                self.changed(content, lambda m: m["outputs"][0].update(settings={"space": ["ACEScg"]})),
                "damaged",
            ),
            "an ability that there is not": (
                self.changed(content, lambda m: m["stations"][0]["abilities"].update(flies=True)),
                "no “flies”",
            ),
            "a chain in a circle": (
                self.changed(content, lambda m: m["stations"][1].update(hands_on_to=[0])),
                "circle",
            ),
            "an arrow to nobody": (self.changed(content, lambda m: m["stations"][1].update(hands_on_to=[7])), "gone"),
            "a card of nobody": (self.changed(content, lambda m: m["proofs"][0].update(station=9)), "damaged"),
            "a card with another verdict": (
                self.changed(content, lambda m: m["proofs"][0]["told"].update(verdict="splendid")),
                "impossible",
            ),
            "a card with words for numbers": (
                self.changed(content, lambda m: m["proofs"][0]["depends"].update(numbers=["a"])),
                "damaged",
            ),
            "a card that differs by no number": (
                self.changed(content, lambda m: m["proofs"][0]["told"].update(left=float("nan"))),
                "impossible",
            ),
            "a frame beyond all numbers": (
                self.changed(content, lambda m: m["watched"][0]["frames"][0].update(number=1 << 70)),
                "impossible",
            ),
            "a frame twice": (
                self.changed(content, lambda m: m["watched"][0]["frames"].append(m["watched"][0]["frames"][0])),
                "twice",
            ),
            "a folder twice": (
                self.changed(content, lambda m: m["watched"].append(m["watched"][0])),
                "twice",
            ),
            "a note of nothing": (
                self.changed(content, lambda m: m["watched"][0]["frames"][0].update(notes=[["frame.fog", "Fog."]])),
                "impossible",
            ),
            "a note that is none": (
                self.changed(content, lambda m: m["watched"][0]["frames"][0].update(notes=[["a"]])),
                "damaged",
            ),
            "deep": (self.changed(content, None, **{"manifest.json": b"[" * 100_000}), "damaged"),
        }
        before = (Project.objects.count(), StoredImage.objects.count(), ConfigFile.objects.count())
        files = sorted(path for path in (self.folder / "media").rglob("*") if path.is_file())
        for name, (hostile, words) in cases.items():
            with self.subTest(name):
                with self.assertRaisesRegex(BadInput, words):
                    read_bundle(io.BytesIO(hostile), "quay.zip")
                after = (Project.objects.count(), StoredImage.objects.count(), ConfigFile.objects.count())
                self.assertEqual(after, before)
                left = sorted(path for path in (self.folder / "media").rglob("*") if path.is_file())
                self.assertEqual(left, files)

    def test_pictures_and_luts_must_be_what_their_names_say(self) -> None:
        project = self.whole_project()
        content = self.bundled(project)
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            names = [name for name in packed.namelist() if name != "manifest.json"]
        self.assertTrue(any(name.startswith("images/") for name in names))
        self.clear_machine(project)
        for name in names:
            with self.subTest(name), self.assertRaisesRegex(BadInput, "damaged"):
                read_bundle(io.BytesIO(self.changed(content, None, **{name: b"x" * 50})), "quay.zip")
            self.assertEqual((Project.objects.count(), StoredImage.objects.count()), (0, 0))
            self.assertEqual([one for one in (self.folder / "media" / "images").rglob("*") if one.is_file()], [])

    def test_a_picture_that_somebody_took_up_meanwhile_stays(self) -> None:
        project = self.whole_project()
        content = self.bundled(project)
        self.clear_machine(project)
        other = create_project("Pier")

        def taken_up(*given: object) -> None:
            for number, image in enumerate(StoredImage.objects.order_by("pk")[:1]):
                Texture.objects.create(project=other, path=f"a{number}.png", image=image)
            raise BadInput("It fails here.")

        with patch.object(bundles, "_renders", taken_up), self.assertRaisesRegex(BadInput, "fails here"):
            read_bundle(io.BytesIO(content), "quay.zip")
        image = StoredImage.objects.get()
        self.assertTrue(image.file.exists())
        self.assertEqual({path.stem for path in image_store().rglob("*") if path.is_file()}, {image.sha256})

    def test_previews_must_be_two_arrays_of_numbers(self) -> None:
        project = self.whole_project()
        content = self.bundled(project, with_images=False)
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            preview = next(name for name in packed.namelist() if name.startswith("previews/"))
        self.clear_machine(project)
        huge = b"\x93NUMPY\x01\x00v\x00{'descr': '<f2', 'fortran_order': False, 'shape': (10000000000000, 4, 3), }"
        thumbnail, sample = np.zeros((4, 4, 3), np.float16), np.zeros((16, 3), np.float32)
        for name, arrays in {
            "no array": {"thumbnail.npy": b"", "sample.npy": b""},
            "one of them": {"thumbnail.npy": array_file(thumbnail)},
            "flat": {"thumbnail.npy": array_file(thumbnail[0]), "sample.npy": array_file(sample)},
            "of another kind": {"thumbnail.npy": array_file(thumbnail), "sample.npy": array_file(sample.astype("U3"))},
            "larger than memory": {"thumbnail.npy": huge.ljust(127) + b"\n", "sample.npy": array_file(sample)},
        }.items():
            made = io.BytesIO()
            with zipfile.ZipFile(made, "w") as packed:
                for member, data in arrays.items():
                    packed.writestr(member, data)
            with self.subTest(name), self.assertRaisesRegex(BadInput, "damaged"):
                read_bundle(io.BytesIO(self.changed(content, None, **{preview: made.getvalue()})), "quay.zip")
            self.assertEqual((Project.objects.count(), StoredImage.objects.count()), (0, 0))

    def test_applications_of_an_older_bundle_hand_on_to_the_next(self) -> None:
        content = self.bundled(self.whole_project())

        def before_format_5(manifest: dict[str, Any]) -> None:
            for station in manifest["stations"]:
                del station["hands_on_to"]

        made = read_bundle(io.BytesIO(self.changed(content, before_format_5)), "quay.zip")
        handed = made.hand_offs.values_list("giver__name", "taker__name")
        self.assertEqual(list(handed), [("Renderer", "Compositor")])

    def test_the_manifest_is_what_is_described(self) -> None:
        bundle = Bundle(io.BytesIO(self.bundled(self.whole_project())), "quay.zip")
        self.assertEqual(bundle.manifest.format, FORMAT)


class Lifecycle(BundlesTestCase):
    def card(self) -> dict[str, Any]:
        (found,) = self.client.get("/api/v1/projects").json()
        return dict(found)

    def test_a_card_tells_what_a_project_is(self) -> None:
        render = self.render()
        card = self.card()
        self.assertEqual((card["slug"], card["working_space"], card["render"]), ("quay", "ACEScg", render.pk))
        self.assertEqual((card["view"], card["archived"], card["deleted"]), (ACES_SDR.view, False, None))

    def test_renamed_and_archived(self) -> None:
        self.tell("put", "/name", 204, name="Quay by night")
        self.tell("put", "/archived", 204, archived=True)
        card = self.card()
        self.assertEqual((card["slug"], card["name"], card["archived"]), ("quay", "Quay by night", True))
        self.assertEqual(self.ask()["name"], "Quay by night")
        for name, words in (
            (" ", "Name is empty. Fill it in."),
            ("x" * 81, "Name is too long: 80 at most. Shorten it."),
        ):
            self.refused("put", "/name", words, name=name)
        self.refused("put", "/name", "Name is missing. Fill it in.")

    def test_duplicated_over_http(self) -> None:
        self.texture("wall/wall_rough.png")
        made = self.tell("post", "/duplicate", 201, name="Night")
        self.assertEqual((made["slug"], made["strip"]["textures"]), ("night", 1))

    def test_exported_and_imported_over_http(self) -> None:
        self.whole_project()
        for images in ("true", "false"):
            content = b"".join(self.client.get(f"/api/v1/projects/quay/bundle.zip?images={images}").streaming_content)
            with self.written("q.zip", content).open("rb") as file:
                answer = self.client.post("/api/v1/bundles", {"file": file})
            self.assertEqual(answer.status_code, 201, answer.content)
        self.assertEqual(Project.objects.count(), 3)

    def test_deleted_by_name_restored_and_gone_after_a_day(self) -> None:
        render = self.render()
        self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        self.refused("post", "/delete", "not its name", name="Quai")
        self.tell("post", "/delete", 204, name=self.project.name)
        self.assertEqual(self.project.jobs.get().state, "cancelled")
        self.ask("", 404)
        self.assertIsNotNone(self.card()["deleted"])
        again = self.client.post("/api/v1/projects", {"name": self.project.name}, content_type="application/json")
        self.assertEqual(again.json()["slug"], "quay-2")
        forget_deleted(timezone.now() - timedelta(days=1))
        self.tell("post", "/restore", 204)
        self.assertEqual(self.ask()["slug"], "quay")
        self.tell("post", "/delete", 204, name=self.project.name)
        forget_deleted(timezone.now() + timedelta(seconds=1))
        self.assertEqual(list(Project.objects.values_list("slug", flat=True)), ["quay-2"])
        self.assertEqual((Output.objects.count(), Render.objects.count()), (0, 0))
