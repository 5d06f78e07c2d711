"""Textures by the thousand: from a browser, out of zips, from folders; cancelled, after a crash, and hostile."""

import warnings
import zipfile
from io import BytesIO
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings

from saltwort.core.textures.folders import MAX_IN_ZIP
from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import WORKER, settle_interrupted
from saltwort.server.textures import intake
from saltwort.server.textures.models import Intake, LeftOut, Texture
from tests.samples import light, write, write_damaged
from tests.server import ServerTestCase


class IntakeTestCase(ServerTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.share = self.folder / "share"
        self.quay = self.share / "quay"
        allowed = override_settings(READABLE_FOLDERS=[self.share])
        allowed.enable()
        self.addCleanup(allowed.disable)

    def picture(self, path: str, seed: int = 1) -> Path:
        return write(self.quay / path, light(peak=1.0, seed=seed), "uint8")

    def begin(self, *files: tuple[str, bytes]) -> int:
        """An intake that holds these files and is not started."""
        pk = self.tell("post", "/intakes", 201)["id"]
        uploads = [SimpleUploadedFile("file", content) for _, content in files]
        answer = self.client.post(
            self.url(f"/intakes/{pk}/files"), {"file": uploads, "path": [path for path, _ in files]}
        )
        self.assertEqual(answer.status_code, 204, answer.content)
        return int(pk)

    def bring(self, *files: tuple[str, bytes], taken: str = "replace") -> Job:
        """Send files and read them, as the screen does."""
        pk = self.begin(*files)
        self.tell("post", f"/intakes/{pk}/start", taken=taken)
        return self.do_jobs()[0]

    def open_folder(self, place: Path | None = None) -> Job:
        self.tell("post", "/texture-folders", 201, place=str(place or self.quay))
        return self.do_jobs()[0]

    def paths(self) -> list[str]:
        return [row["path"] for row in self.listed()]

    def unreadable(self) -> dict[str, str]:
        found = self.findings()
        return {finding["subject"]: finding["why"] for finding in found if finding["code"] == "texture.unreadable"}


class FromABrowser(IntakeTestCase):
    def test_files_are_read_by_a_job_which_says_how_many(self) -> None:
        files = [(f"quay/wall_{number}_col.png", self.picture("a.png", number).read_bytes()) for number in range(5)]
        job = self.bring(*files)
        self.assertEqual((job.state, job.message), ("done", "5 files are in."))
        self.assertEqual(self.paths(), [path for path, _ in files])
        self.assertEqual(list((Path(settings.MEDIA_ROOT) / "incoming").iterdir()), [])
        self.assertEqual(Intake.objects.count(), 0)

    def test_what_cannot_be_read_is_listed_and_the_rest_comes_in(self) -> None:
        cut = write_damaged(self.folder / "cut.exr", light(200, 200), "half")
        good = self.picture("a.png").read_bytes()
        job = self.bring(
            ("a_col.png", good),
            ("cut.exr", cut.read_bytes()),
            ("empty.png", b""),
            ("notes.txt", b"hi"),
            ("../b.png", good),
        )
        self.assertEqual(job.message, "1 file is in, 3 left out: see the findings.")
        self.assertEqual(self.paths(), ["a_col.png"])
        unreadable = self.unreadable()
        self.assertEqual(set(unreadable), {"cut.exr", "empty.png", "notes.txt", "../b.png"})
        self.assertIn("cut.exr is damaged or ends too early", unreadable["cut.exr"])
        self.assertIn("leads out of the project", unreadable["../b.png"])

    def test_a_file_that_breaks_the_reader_does_not_stop_the_rest(self) -> None:
        read = intake.take_in

        def stumble(path: Path, called: str, **more: Any) -> dict[str, Any]:
            if called == "b.png":
                raise ValueError("something that nobody thought of")
            return read(path, called, **more)

        files = [
            (name, self.picture("a.png", seed).read_bytes()) for seed, name in enumerate(("a.png", "b.png", "c.png"))
        ]
        with patch.object(intake, "take_in", stumble), self.assertLogs("saltwort.server.jobs.spread", "ERROR"):
            self.bring(*files)
        self.assertEqual(self.paths(), ["a.png", "c.png"])
        self.assertIn("more than Saltwort can take", self.unreadable()["b.png"])

    def test_a_file_leaves_the_list_by_its_fix_or_by_a_better_one(self) -> None:
        self.bring(("a.png", b"no"), ("b.png", b"no"))
        self.tell("post", "/fix", 204, based_on=self.revision(), operation="forget-file", arguments={"path": "a.png"})
        self.assertEqual(set(self.unreadable()), {"b.png"})
        self.bring(("b.png", self.picture("a.png").read_bytes()))
        self.assertEqual(self.unreadable(), {})

    def test_the_same_content_twice_is_one_file(self) -> None:
        content = self.picture("a.png").read_bytes()
        self.bring(("one/a.png", content), ("two/b.png", content))
        self.assertEqual((Texture.objects.count(), StoredImage.objects.count()), (2, 1))

    def test_a_started_intake_takes_no_second_start_and_no_more_files(self) -> None:
        pk = self.begin(("a.png", self.picture("a.png").read_bytes()))
        self.tell("post", f"/intakes/{pk}/start")
        self.refused("post", f"/intakes/{pk}/start", "being read already")
        late = {"file": [SimpleUploadedFile("b.png", b"x")], "path": ["b.png"]}
        self.assertEqual(self.client.post(self.url(f"/intakes/{pk}/files"), late).status_code, 400)

    def test_a_path_that_comes_twice_is_the_second_file(self) -> None:
        first, second, other = (self.picture("a.png", seed).read_bytes() for seed in range(3))
        self.bring(("a.png", first), ("a.png", second), ("b.png", other))
        found = {texture.path: texture.image.file.read_bytes() for texture in Texture.objects.all()}
        self.assertEqual(found, {"a.png": second, "b.png": other})

    def test_an_intake_cancelled_before_it_began_leaves_nothing(self) -> None:
        pk = self.begin(("a.png", self.picture("a.png").read_bytes()))
        room = Intake.objects.get(pk=pk).waiting_room
        job = self.tell("post", f"/intakes/{pk}/start")
        self.tell("post", f"/jobs/{job['id']}/cancel")
        self.begin(("b.png", b"x"))
        self.assertFalse(Intake.objects.filter(pk=pk).exists() or room.exists())

    def test_an_upload_that_nobody_ended_is_thrown_away(self) -> None:
        old = Intake.objects.get(pk=self.begin(("a.png", b"x")))
        Intake.objects.update(created=old.created - 2 * intake.UPLOADS_KEPT)
        self.begin(("b.png", b"x"))
        self.assertFalse(Intake.objects.filter(pk=old.pk).exists() or old.waiting_room.exists())


class CancelledAndInterrupted(IntakeTestCase):
    def test_cancelling_keeps_what_is_in(self) -> None:
        pk = self.begin(*((f"{number}.png", self.picture("a.png", number).read_bytes()) for number in range(12)))
        self.tell("post", f"/intakes/{pk}/start")
        settle = intake._settle

        def settle_and_cancel(*asked: Any) -> None:
            settle(*asked)
            Job.objects.update(cancel_requested=True)

        with (
            patch.object(intake, "_settle", settle_and_cancel),
            patch("saltwort.server.jobs.operations.REPORT_EVERY", 0),
            patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1),
        ):
            job = self.do_jobs()[0]
        self.assertEqual(job.state, "cancelled")
        count = Texture.objects.count()
        self.assertTrue(1 <= count < 12, count)
        self.assertTrue(job.message.startswith(f"Cancelled. {count} file"), job.message)

    def crash_while_reading(self, name: str) -> None:
        """Run the queued job until it begins to read a file of this name, and stop as a killed worker would."""
        read = intake.take_in

        def die(path: Path, called: str, **more: Any) -> dict[str, Any]:
            if called == name:
                raise KeyboardInterrupt
            return read(path, called, **more)

        with patch.object(intake, "take_in", die), self.assertRaises(KeyboardInterrupt):
            self.do_jobs()

    def test_after_a_crash_it_goes_on_by_itself(self) -> None:
        pk = self.begin(*((f"{number}.png", self.picture("a.png", number).read_bytes()) for number in range(6)))
        self.tell("post", f"/intakes/{pk}/start")
        self.crash_while_reading("3.png")
        self.assertLess(Texture.objects.count(), 6)
        settle_interrupted(WORKER)
        job = self.do_jobs()[0]
        self.assertEqual((job.state, Texture.objects.count()), ("done", 6))

    def test_a_file_that_crashes_twice_is_left_out(self) -> None:
        pk = self.begin(*((f"{number}.png", self.picture("a.png", number).read_bytes()) for number in range(6)))
        self.tell("post", f"/intakes/{pk}/start")
        for _ in range(2):
            self.crash_while_reading("3.png")
            settle_interrupted(WORKER)
        job = self.do_jobs()[0]
        self.assertEqual(job.message, "5 files are in, 1 left out: see the findings.")
        self.assertIn("stopped twice", self.unreadable()["3.png"])


class Zips(IntakeTestCase):
    def packed(self, **more: bytes) -> bytes:
        content = BytesIO()
        with zipfile.ZipFile(content, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("lamp/lamp_col.png", self.picture("a.png").read_bytes())
            packed.writestr("lamp/notes.txt", "not a picture")
            packed.writestr("__MACOSX/lamp/._lamp_col.png", "shadow")
            for name, file in more.items():
                packed.writestr(name, file)
        return content.getvalue()

    def test_its_pictures_come_in_below_where_it_was_dropped(self) -> None:
        job = self.bring(
            ("props/lamp.zip", self.packed(**{"lamp/燈 '1' rough.png": self.picture("b.png", 2).read_bytes()}))
        )
        self.assertEqual(job.message, "2 files are in.")
        self.assertEqual(self.paths(), ["props/lamp/lamp_col.png", "props/lamp/燈 '1' rough.png"])

    def test_files_of_taken_paths_are_asked_about_and_replaced_numbered_or_left_out(self) -> None:
        self.bring(("lamp.zip", self.packed()))
        before = self.project.textures.get().image_id
        other = BytesIO()
        with zipfile.ZipFile(other, "w") as packed:
            for name in ("lamp/lamp_col.png", "lamp/lamp_col-2.png", "lamp/new_col.png"):
                packed.writestr(name, self.picture("b.png", 2).read_bytes())
        sent = ("other.zip", other.getvalue())
        self.assertEqual(self.tell("get", f"/intakes/{self.begin(sent)}/taken"), ["lamp/lamp_col.png"])
        plain = ("lamp/lamp_col.png", self.picture("b.png", 2).read_bytes())
        self.assertEqual(self.tell("get", f"/intakes/{self.begin(plain)}/taken"), ["lamp/lamp_col.png"])
        self.assertEqual(self.bring(plain, taken="leave out").message, "0 files are in.")
        self.bring(sent, taken="leave out")
        self.assertEqual(sorted(self.paths()), ["lamp/lamp_col-2.png", "lamp/lamp_col.png", "lamp/new_col.png"])
        self.assertEqual(self.project.textures.get(path="lamp/lamp_col.png").image_id, before)
        self.bring(sent, taken="keep both")
        numbered = ["lamp/lamp_col-2-2.png", "lamp/lamp_col-3.png", "lamp/new_col-2.png"]
        self.assertLess(set(numbered), set(self.paths()))
        self.assertEqual(self.project.textures.get(path="lamp/lamp_col.png").image_id, before)
        self.bring(sent)
        self.assertNotEqual(self.project.textures.get(path="lamp/lamp_col.png").image_id, before)
        self.assertEqual(len(self.paths()), 6)

    def test_names_that_lead_out_are_left_out_alone(self) -> None:
        good = self.picture("a.png").read_bytes()
        self.bring(("pack.zip", self.packed(**{"../../out.png": good, "/etc/x.png": good})))
        self.assertEqual(self.paths(), ["lamp/lamp_col.png"])
        self.assertTrue(all("leads out" in why for why in self.unreadable().values()))
        self.assertFalse(list(self.folder.rglob("out.png")))

    def test_bombs_and_damage_are_refused_in_a_sentence(self) -> None:
        bomb = BytesIO()
        with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("a.png", bytes(300_000_000))
        cases = {
            "bomb.zip": (bomb.getvalue(), "more than a zip of its size can hold"),
            "cut.zip": (self.packed()[:-40], "damaged"),
        }
        self.bring(*((name, content) for name, (content, _) in cases.items()))
        unreadable = self.unreadable()
        for name, (_, words) in cases.items():
            self.assertIn(words, unreadable[name])
        self.assertEqual(self.paths(), [])

    def test_ten_thousand_entries_of_which_some_are_pictures(self) -> None:
        content, picture = BytesIO(), self.picture("a.png").read_bytes()
        with zipfile.ZipFile(content, "w") as packed:
            for number in range(10_000):
                packed.writestr(f"notes/{number:05}.txt", "")
            for number in range(3):
                packed.writestr(f"wall/wall_{number}_col.png", picture)
        job = self.bring(("pack.zip", content.getvalue()))
        self.assertEqual(job.message, "3 files are in.")
        self.assertEqual(self.paths(), [f"wall/wall_{number}_col.png" for number in range(3)])

    def test_more_pictures_than_anybody_packs(self) -> None:
        content = BytesIO()
        with zipfile.ZipFile(content, "w") as packed:
            for number in range(MAX_IN_ZIP + 1):
                packed.writestr(f"{number:05}.png", "")
        self.bring(("pack.zip", content.getvalue()))
        self.assertRegex(self.unreadable()["pack.zip"], f"{MAX_IN_ZIP:,}|{MAX_IN_ZIP}")
        self.assertFalse(list(Path(settings.MEDIA_ROOT).glob("incoming/*/*")))

    def test_entries_that_lie_about_themselves(self) -> None:
        """A size that is not true, two of one name, a folder that is a file, and names that no disk takes."""
        good = self.picture("a.png").read_bytes()
        content = BytesIO()
        with warnings.catch_warnings(), zipfile.ZipFile(content, "w") as packed:
            warnings.simplefilter("ignore", UserWarning)  # of the name that comes twice
            for name in ("wall.png", "wall.png", "wall.png/inside.png", "a" * 300 + ".png", "con\\..\\..\\x.png"):
                packed.writestr(name, good)
        lying = content.getvalue().replace(len(good).to_bytes(4, "little") * 2, (7).to_bytes(4, "little") * 2)
        self.bring(("pack.zip", content.getvalue()), ("lying.zip", lying))
        for path in self.paths():
            self.assertNotIn("..", path)
        self.assertIn("wall.png", self.paths())
        self.assertTrue(self.unreadable()["lying.zip"])


class Folders(IntakeTestCase):
    def test_files_are_read_where_they_lie(self) -> None:
        self.picture("wall/wall_col.png")
        self.picture("wall/wall_rough.png", 2)
        (self.quay / "scene.blob").write_bytes(b"not a picture")
        job = self.open_folder()
        self.assertEqual(job.message, "2 files are in.")
        self.assertEqual(self.paths(), ["quay/wall/wall_col.png", "quay/wall/wall_rough.png"])
        self.assertEqual(self.ask("/texture-folders")[0]["files"], 2)
        copies = [file for file in Path(settings.MEDIA_ROOT).rglob("*") if file.suffix == ".png"]
        self.assertEqual(copies, [])
        texture = Texture.objects.first()
        assert texture
        self.assertTrue(self.ask(f"/textures/{texture.pk}/picture", size=512).startswith(b"\x89PNG"))

    def test_looking_again_finds_new_changed_and_gone(self) -> None:
        for number, name in enumerate(("a.png", "b.png", "c.png")):
            self.picture(name, number)
        self.open_folder()
        before = {texture.path: texture.image_id for texture in Texture.objects.all()}
        self.picture("b.png", 7)
        self.picture("d.png", 8)
        (self.quay / "c.png").unlink()
        folder = self.ask("/texture-folders")[0]["id"]
        self.tell("post", f"/texture-folders/{folder}/look-again")
        with patch.object(intake, "take_in", wraps=intake.take_in) as taken:
            job = self.do_jobs()[0]
        self.assertEqual(sorted(call.args[1] for call in taken.call_args_list), ["quay/b.png", "quay/d.png"])
        self.assertEqual(job.message, "2 files are in.")
        after = {texture.path: texture.image_id for texture in Texture.objects.all()}
        self.assertEqual(after["quay/a.png"], before["quay/a.png"])
        self.assertNotEqual(after["quay/b.png"], before["quay/b.png"])
        self.assertIn("no longer in", self.unreadable()["quay/c.png"])
        self.picture("c.png", 2)
        self.tell("post", f"/texture-folders/{folder}/look-again")
        self.do_jobs()
        self.assertEqual(self.unreadable(), {})

    def test_a_file_that_changed_meanwhile_is_said_to_have(self) -> None:
        self.picture("a.png")
        self.open_folder()
        texture = Texture.objects.get()
        self.picture("a.png", 9)
        answer = self.ask(f"/textures/{texture.pk}/picture", 400, size=512)
        self.assertIn("changed since it was read", answer["detail"])
        (self.quay / "a.png").unlink()
        self.assertIn("no longer where it was", self.ask(f"/textures/{texture.pk}/picture", 400, size=512)["detail"])
        self.assertTrue(self.ask(f"/textures/{texture.pk}/picture", size=96).startswith(b"\x89PNG"))  # kept

    def test_links_that_lead_out_are_left_out(self) -> None:
        outside = write(self.folder / "secret" / "s.png", light(peak=1.0), "uint8")
        self.picture("a.png")
        (self.quay / "linked.png").symlink_to(outside)
        (self.quay / "nowhere.png").symlink_to(self.folder / "none.png")
        (self.quay / "folder").symlink_to(outside.parent)
        (self.quay / "round").symlink_to(self.quay)
        (self.quay / "same.png").symlink_to(self.quay / "a.png")
        self.open_folder()
        self.assertEqual(self.paths(), ["quay/a.png", "quay/same.png"])
        unreadable = self.unreadable()
        self.assertIn("leads out of the folder", unreadable["quay/linked.png"])
        self.assertIn("leads nowhere", unreadable["quay/nowhere.png"])

    def test_folders_elsewhere_are_refused(self) -> None:
        (self.folder / "elsewhere").mkdir()
        self.quay.mkdir(parents=True)
        (self.quay / "out").symlink_to(self.folder / "elsewhere")
        for place in ("/etc", str(self.folder / "elsewhere"), f"{self.quay}/../../elsewhere", str(self.quay / "out")):
            with self.subTest(place):
                self.refused("post", "/texture-folders", "outside the folders", place=place)
        self.refused("post", "/texture-folders", "no folder at", place=str(self.share / "none"))
        self.assertEqual(LeftOut.objects.count(), 0)

    def test_two_folders_of_one_name_stay_apart_and_one_is_not_read_twice(self) -> None:
        self.picture("a.png")
        other = write(self.share / "old" / "quay" / "a.png", light(peak=1.0, seed=3), "uint8").parent
        for place in (self.quay, other, self.quay):
            self.open_folder(place)
        self.assertEqual(self.paths(), ["quay-2/a.png", "quay/a.png"])
        self.assertEqual([folder["name"] for folder in self.ask("/texture-folders")], ["quay", "quay-2"])

    def test_a_folder_is_let_go_and_its_textures_stay(self) -> None:
        self.picture("a.png")
        self.open_folder()
        folder = self.ask("/texture-folders")[0]["id"]
        self.tell("delete", f"/texture-folders/{folder}", 204)
        self.assertEqual((self.ask("/texture-folders"), self.paths()), ([], ["quay/a.png"]))
