"""What nobody may do to the server, and what it does when something goes wrong underneath."""

import errno
import os
import shutil
import subprocess
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connection, transaction
from django.test import override_settings
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from saltwort.core.errors import DiskFull
from saltwort.core.files import shrink
from saltwort.core.images import read_pixels
from saltwort.server.conversions import operations as conversions
from saltwort.server.conversions.models import Conversion
from saltwort.server.history.models import Action, ChangedRows
from saltwort.server.history.operations import forget_all
from saltwort.server.housekeeping import tidy
from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import QUEUED, RUNNING, Job
from saltwort.server.jobs.operations import LEASE, MOST_BEGUN, _works, run, settle_interrupted, start
from saltwort.server.outputs import operations as outputs
from saltwort.server.projects import operations
from saltwort.server.projects.models import BaseConfig, ConfigFile, Project, Revision
from saltwort.server.textures import intake, views
from saltwort.server.textures.models import Texture, TextureFolder
from tests.core.test_archives import LUT, config_with_luts, zipped
from tests.samples import SRGB, base_text, fresh_config, light, write
from tests.server import ServerTestCase

DISK_IS_FULL = str(DiskFull())
LEADS_OUT = "search_path: /etc"


class UnloadableRevisions(ServerTestCase):
    """A revision whose config does not load is not saved; and one that was once does not take the project away."""

    def broken(self) -> Project:
        """The project at a second revision whose config does not load any more."""
        project = Project.objects.get(pk=self.project.pk)
        text = project.current.text.replace('search_path: ""', LEADS_OUT)
        self.assertIn(LEADS_OUT, text)
        first = project.current
        project.current = Revision.objects.create(
            project=project, number=2, parent=first, setup=first.setup, text=text, config_hash="0" * 64, message="odd"
        )
        project.save()
        return project

    def test_it_opens_says_why_and_offers_the_way_back(self) -> None:
        self.broken()
        answer = self.ask()
        self.assertIn("looks for LUTs in “/etc”", answer["problem"])
        self.assertEqual([revision["number"] for revision in self.ask("/revisions")], [2, 1])
        self.assertIn("/etc", self.ask("/config", 400)["detail"])
        back = self.tell("post", "/revisions", based_on=2, number=1)
        self.assertEqual((back["problem"], back["revision"]["number"]), ("", 1))
        self.ask("/config")

    def test_nobody_goes_to_it(self) -> None:
        project = self.broken()
        action = Action.objects.create(project=project, what="Something odd")
        moved = [project.pk, {"current_id": project.revisions.get(number=1).pk}, {"current_id": project.current.pk}]
        ChangedRows.objects.create(action=action, model="projects.Project", rows=[moved])
        self.undo()
        self.refused("post", "/redo", "looks for LUTs", based_on=action.pk)
        self.refused("post", "/revisions", "looks for LUTs", based_on=1, number=2)
        self.assertEqual(self.revision(), 1)

    def test_what_is_saved_was_loaded_first(self) -> None:
        made = operations.compose_in_steps

        def spoilt(*arguments: object) -> object:
            composed = made(*arguments)
            text = composed.written.text.replace('search_path: ""', LEADS_OUT)
            return replace(composed, written=replace(composed.written, text=text))

        with patch.object(operations, "compose_in_steps", spoilt):
            self.refused("post", "/setup", "looks for LUTs", based_on=1, message="worse", default_space="ACEScg")
        self.assertEqual((self.revision(), Revision.objects.count()), (1, 1))
        self.assertEqual(self.ask()["problem"], "")

    def test_a_config_with_a_variable_of_the_machine(self) -> None:
        config = fresh_config()
        config.setSearchPath("$HOME:luts")
        file = self.folder / "home.ocio"
        file.write_text(config.serialize())
        self.start_from(file)
        self.assertEqual(self.ask()["problem"], "")
        self.ask("/config")


class ComputedBeforeTheLock(ServerTestCase):
    """What takes long is computed while others can still write."""

    def test_a_config_is_composed_outside_the_transaction(self) -> None:
        made, within = operations.compose_in_steps, []

        def watched(*arguments: object) -> object:
            within.append(len(connection.savepoint_ids))
            return made(*arguments)

        with patch.object(operations, "compose_in_steps", watched):
            self.tell("post", "/setup", based_on=1, message="data", default_space="ACEScg")
        self.assertEqual(within, [len(connection.savepoint_ids)], "it is done within a transaction of its own")

    def test_a_change_meanwhile_is_not_lost(self) -> None:
        made = operations.compose_in_steps

        def slow(*arguments: object) -> object:
            composed = made(*arguments)
            with patch.object(operations, "compose_in_steps", made):
                operations.change_setup(
                    self.project, 1, "quicker", lambda setup: replace(setup, default_space="ACEScg")
                )
            return composed

        with patch.object(operations, "compose_in_steps", slow):
            answer = self.tell("post", "/setup", 409, based_on=1, message="slower", default_space="ACEScct")
        self.assertEqual(answer["version"], 2)
        self.assertEqual(Revision.objects.count(), 2)
        self.assertEqual(self.ask()["setup"]["default_space"], "ACEScg")

    def test_a_number_taken_meanwhile_by_what_was_undone(self) -> None:
        made = operations.compose_in_steps

        def slow(*arguments: object) -> object:
            composed = made(*arguments)
            with patch.object(operations, "compose_in_steps", made):
                changed = operations.change_setup(
                    self.project, 1, "quicker", lambda setup: replace(setup, default_space="ACEScg")
                )
                operations.undo(changed, Action.objects.get().pk)
            return composed

        with patch.object(operations, "compose_in_steps", slow):
            self.tell("post", "/setup", 409, based_on=1, message="slower", default_space="ACEScct")
        self.assertEqual(self.revision(), 1)


class Authors(ServerTestCase):
    """Who did it stands beside all that changes a project."""

    def tell_as(self, who: str, method: str, path: str, **data: object) -> None:
        answer = getattr(self.client, method)(
            self.url(path), data, content_type="application/json", headers={"X-Saltwort-Author": who}
        )
        self.assertLess(answer.status_code, 300, answer.content)

    def test_undo_redo_and_going_to_a_revision(self) -> None:
        self.tell_as("Ida", "post", "/setup", based_on=1, message="data", default_space="ACEScg")
        self.assertEqual(self.ask()["moved_by"], "")
        action = Action.objects.get().pk
        self.tell_as("Bo", "post", "/undo", based_on=action)
        self.assertEqual(self.ask()["moved_by"], "Bo")
        self.tell_as("Cy", "post", "/redo", based_on=action)
        self.assertEqual(self.ask()["moved_by"], "Cy")
        self.tell_as("Di", "post", "/revisions", based_on=2, number=1)
        self.assertEqual(self.ask()["moved_by"], "Di")
        self.tell_as("Ed", "post", "/setup", based_on=1, message="again", default_space="ACEScct")
        self.assertEqual((self.ask()["moved_by"], self.ask()["revision"]["author"]), ("", "Ed"))

    def test_pins_and_fixes(self) -> None:
        one, other = self.texture("wall_rough.png"), self.texture("wall_basecolor.png")
        self.tell_as("Ida", "put", f"/textures/{one.pk}/pin", based_on=1, space=SRGB)
        self.assertEqual(self.ask(f"/textures/{one.pk}")["pin_author"], "Ida")
        pins = [{"texture": other.pk, "based_on": 1, "space": "ACEScg"}]
        self.tell_as("Bo", "put", "/textures/pins", pins=pins)
        self.assertEqual(self.ask(f"/textures/{other.pk}")["pin_author"], "Bo")
        (fix,) = [f["fix"] for f in self.findings() if f["subject"] == "wall_rough.png" and f["fix"]]
        self.tell_as("Cy", "post", "/fix", based_on=1, operation=fix["operation"], arguments=fix["arguments"])
        self.assertEqual(self.ask(f"/textures/{one.pk}")["pin_author"], "Cy")

    def test_fixes_and_swatches_of_an_older_state_are_refused(self) -> None:
        self.texture("wall_rough.png")
        self.tell_as("Ida", "post", "/setup", based_on=1, message="data", default_space="ACEScg")
        self.tell("post", "/fix", 409, based_on=1, operation="pin-texture", arguments={})
        file = self.folder / "swatches.csv"
        file.write_text("name,L,a,b\nbrass,50,10,30\n")
        self.send("/swatches/file", file, 409, based_on=1)
        self.send("/swatches/file", file, 201, based_on=2)


class UntriedConfigs(ServerTestCase):
    def test_a_config_by_path_is_loaded_apart(self) -> None:
        (self.folder / "config.ocio").write_text(base_text())
        with (
            self.settings(READABLE_FOLDERS=[self.folder]),
            patch("saltwort.core.configs.compare.load_config", side_effect=AssertionError("loaded here")),
            patch("saltwort.core.engine.loading.ocio.Config.CreateFromConfigIOProxy", side_effect=AssertionError),
        ):
            answer = self.tell("post", "/compare-path", path=str(self.folder))
        self.assertEqual(answer["verdict"], "different")


class Workers(ServerTestCase):
    """Jobs belong to the worker that does them, as long as it shows a sign of life."""

    def running(self, kind: str = "bring-textures", **fields: Any) -> Job:
        fields = {"owner": "other", "beat": timezone.now(), "begun": 1, **fields}
        return Job.objects.create(
            project=self.project, kind=kind, title="x", state=RUNNING, arguments={"intake": 0}, **fields
        )

    def test_a_job_of_a_living_worker_is_left_alone(self) -> None:
        job = self.running()
        settle_interrupted()
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner), (RUNNING, "other"))

    def test_a_job_without_a_sign_of_life_is_given_on(self) -> None:
        job = self.running(beat=timezone.now() - LEASE * 2)
        settle_interrupted()
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner), (QUEUED, ""))
        self.assertEqual(DBTaskResult.objects.filter(args_kwargs__args=[job.pk]).count(), 1)

    def test_one_that_stops_every_worker_ends_in_words(self) -> None:
        job = self.running(begun=MOST_BEGUN)
        settle_interrupted("other")
        job.refresh_from_db()
        self.assertEqual(job.state, "failed")
        self.assertIn("stopped 3 times at the same place", job.message)

    def test_a_worker_that_lost_its_job_writes_nothing_more(self) -> None:
        def slow(job: Job, report: Any) -> str:
            Job.objects.filter(pk=job.pk).update(owner="other")
            report(0.5, "half of it")
            return "done by the one that lost it"

        with patch.dict(_works, {"slow": slow}), self.assertLogs("saltwort.server.jobs", "ERROR"):
            job = start(self.project, "slow", "slow", {})
            run.func(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.owner, job.message), (RUNNING, "other", ""))

    def test_a_task_is_queued_with_its_job_or_not_at_all(self) -> None:
        class Crash(Exception):
            pass

        with self.assertRaises(Crash), transaction.atomic():
            start(self.project, "slow", "slow", {})
            raise Crash
        self.assertEqual((Job.objects.count(), DBTaskResult.objects.count()), (0, 0))

    def test_a_rig_render_uses_the_revision_it_was_ordered_in(self) -> None:
        self.tell("post", "/rig/renders", 201, width=16, height=16, samples=1)
        self.tell("post", "/setup", based_on=1, message="other", working_space="Linear Rec.709 (sRGB)")
        self.do_jobs()
        (render,) = self.project.renders.all()
        self.assertEqual(render.rig["working_space"], "ACEScg")


class RemovedMeanwhile(ServerTestCase):
    """What a running job works on is removed."""

    def test_an_output(self) -> None:
        render = self.render()
        made = self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        write = outputs._write

        def remove_then_write(*arguments: Any) -> Any:
            self.tell("delete", f"/outputs/{made['id']}", 204)
            return write(*arguments)

        with patch.object(outputs, "_write", remove_then_write):
            (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")
        self.assertEqual(list((self.folder / "media").rglob("*linear*")), [])

    def test_an_output_before_it_is_made(self) -> None:
        made = self.tell("post", "/outputs", 201, kind="light", render=self.render().pk)
        self.tell("delete", f"/outputs/{made['id']}", 204)
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")

    def test_the_render_of_an_output(self) -> None:
        render = self.render()
        self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        self.tell("delete", f"/renders/{render.pk}", 204)
        (job,) = self.do_jobs()
        self.assertEqual(job.state, "failed")
        self.assertIn("was removed. Make the output of another", job.message)

    def test_a_conversion(self) -> None:
        for number in range(6):
            self.texture(f"wall_{number}_col.png", seed=number)
        made = self.tell("post", "/conversions", 201, space="ACEScg", format="exr-half")
        settle = conversions._settle

        def settle_and_remove(*arguments: Any) -> None:
            settle(*arguments)
            if Conversion.objects.exists():
                self.tell("delete", f"/conversions/{made['id']}", 204)

        one_by_one = patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1)
        with one_by_one, patch.object(conversions, "_settle", settle_and_remove):
            (job,) = self.do_jobs()
        self.assertEqual((job.state, job.message), ("cancelled", conversions.REMOVED))
        self.assertEqual(list((self.folder / "media" / "converted").rglob("*.exr")), [])

    def test_layer_and_space_of_a_render_change_together_or_not_at_all(self) -> None:
        render = self.render()
        self.refused("put", f"/renders/{render.pk}", "no layer", based_on=1, space="ACEScg", layer="moon")
        self.refused("put", f"/renders/{render.pk}", "no colour space", based_on=1, space="moon", layer="")
        render.refresh_from_db()
        self.assertEqual((render.space, render.layer, render.version), ("", "", 1))
        both = self.tell("put", f"/renders/{render.pk}", based_on=1, space="ACEScg", layer="")
        self.assertEqual(both["version"], 2)

    def test_a_folder(self) -> None:
        place = self.folder / "show"
        for number in range(6):
            write(place / f"wall_{number}_col.png", light(peak=1.0, seed=number), "uint8")
        settle = intake._settle

        def settle_and_remove(*arguments: Any) -> None:
            settle(*arguments)
            for folder in TextureFolder.objects.all():
                self.tell("delete", f"/texture-folders/{folder.pk}", 204)

        one_by_one = patch("saltwort.server.jobs.spread.SETTLED_TOGETHER", 1)
        readable = self.settings(READABLE_FOLDERS=[self.folder])
        with one_by_one, readable, patch.object(intake, "_settle", settle_and_remove):
            self.tell("post", "/texture-folders", 201, place=str(place))
            (job,) = self.do_jobs()
        self.assertEqual(job.state, "cancelled")
        self.assertIn("folder was removed from the project", job.message)


class FullDisk(ServerTestCase):
    """A disk without room is told at once, in a sentence without a path."""

    def full(self) -> Any:
        usage = shutil.disk_usage(self.folder)
        return patch("saltwort.core.files.shutil.disk_usage", lambda _: usage._replace(free=0))

    def test_uploads_jobs_and_saving(self) -> None:
        render, file = self.render(), write(self.folder / "a.png", light(peak=1.0), "uint8")
        self.enterContext(self.assertLogs("django.request", "ERROR"))
        with self.full():
            self.assertEqual(self.send("/textures", file, 507, path="a.png")["detail"], DISK_IS_FULL)
            self.refused("post", "/outputs", "and the disk has .* left. Make room", 507, kind="light", render=render.pk)
        full = OSError(errno.ENOSPC, "No space left on device", str(self.folder / "media"))
        with patch("saltwort.server.images.operations.TemporaryDirectory", side_effect=full):
            self.assertEqual(self.send("/textures", file, 507, path="a.png")["detail"], DISK_IS_FULL)
        with patch.object(operations, "store_files", side_effect=OperationalError("database or disk is full")):
            self.refused("post", "/setup", DISK_IS_FULL, 507, based_on=1, message="x", default_space="ACEScg")
        with patch.object(operations, "store_files", side_effect=full):
            self.refused("post", "/setup", DISK_IS_FULL, 507, based_on=1, message="x", default_space="ACEScg")
        self.assertEqual(self.revision(), 1)

    def test_jobs_that_wait_say_so(self) -> None:
        self.tell("post", "/outputs", 201, kind="light", render=self.render().pk)
        with self.full():
            self.assertEqual(self.ask("/jobs")[0]["message"], DISK_IS_FULL)
        self.assertEqual(self.ask("/jobs")[0]["message"], "")

    def test_a_job_that_finds_it_full(self) -> None:
        self.tell("post", "/outputs", 201, kind="light", render=self.render().pk)
        full = OSError(errno.ENOSPC, "No space left on device", str(self.folder / "media"))
        with patch.object(outputs, "_write", side_effect=full), self.assertLogs("saltwort.server.jobs", "ERROR"):
            (job,) = self.do_jobs()
        self.assertEqual((job.state, job.message), ("failed", DISK_IS_FULL))


class SmallDisk(ServerTestCase):
    """A real file system of 2 MB, where this machine lets us mount one."""

    def setUp(self) -> None:
        super().setUp()
        disk = self.folder / "disk"
        disk.mkdir()
        mount = ["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", str(disk)]
        if subprocess.run(mount, capture_output=True).returncode:
            self.skipTest("a file system cannot be mounted here")
        self.addCleanup(subprocess.run, ["umount", str(disk)], check=True)
        small = override_settings(MEDIA_ROOT=disk / "media")
        small.enable()
        self.addCleanup(small.disable)

    def test_what_fits_stays_whole_and_the_rest_is_refused(self) -> None:
        refused = 0
        # It is the write itself that finds no room.
        with patch("saltwort.core.files.LEAST_FREE", 0), self.assertLogs("django.request", "ERROR"):
            for seed in range(6):
                file = write(self.folder / f"{seed}.exr", light(200, 300, seed=seed), "float")
                answer = self.client.post(
                    self.url("/textures"), {"file": SimpleUploadedFile(file.name, file.read_bytes()), "path": file.name}
                )
                self.assertIn(answer.status_code, (201, 507), answer.content)
                refused += answer.status_code == 507
        self.assertTrue(0 < refused < 6)
        self.assertEqual(Texture.objects.count(), 6 - refused)
        for texture in Texture.objects.all():
            read_pixels(texture.image.file)
        kept = {texture.image.file for texture in Texture.objects.all()}
        left = {path for path in (Path(settings.MEDIA_ROOT) / "images").rglob("*") if path.suffix == ".exr"}
        self.assertEqual(left, kept)


class Housekeeping(ServerTestCase):
    def age(self, *files: Path) -> None:
        for file in files:
            os.utime(file, (1, 1))

    def test_pictures_that_nothing_has_any_more_go_and_the_others_stay(self) -> None:
        used, unused = self.texture("a_col.png", seed=1), self.texture("b_col.png", seed=2)
        kept, young = used.image.file, unused.image.file
        self.tell("post", "/textures/remove", 204, textures=[unused.pk])
        tidy()
        self.assertTrue(young.exists(), "it may have been taken in a moment ago")
        self.age(*(self.folder / "media").rglob("*.*"))
        forget_all(self.project)
        tidy()
        self.assertFalse(young.exists() or young.with_suffix(".npz").exists())
        self.assertTrue(kept.exists() and kept.with_suffix(".npz").exists())
        self.assertEqual(StoredImage.objects.get(), used.image)

    def test_a_file_that_comes_again_is_young_again(self) -> None:
        texture = self.texture("a_col.png", seed=1)
        self.age(texture.image.file)
        self.texture("b_col.png", seed=1)
        self.assertGreater(texture.image.file.stat().st_mtime, 1)

    def test_what_a_killed_process_left_unfinished(self) -> None:
        folder = self.folder / "media" / "images" / "ab"
        folder.mkdir(parents=True)
        old, new = folder / ".writing-old.exr", folder / ".writing-new.exr"
        for file in (old, new):
            file.write_bytes(b"x")
        self.age(old)
        tidy()
        self.assertEqual((old.exists(), new.exists()), (False, True))

    def config_with_lut(self, name: str) -> Path:
        """A config with a LUT of its own."""
        file = self.folder / f"{name}.ocioz"
        lut = LUT.replace(b"0.25", b"0.%d" % len(name))
        file.write_bytes(zipped({"config.ocio": config_with_luts(), "luts/curve.spi1d": lut}))
        return file

    def test_configs_and_luts_that_no_revision_has(self) -> None:
        used, unused = (self.config_with_lut(name) for name in ("used", "unused"))
        self.start_from(used)
        self.send("/base", unused)
        self.assertEqual((BaseConfig.objects.count(), ConfigFile.objects.count()), (2, 2))
        tidy()
        self.assertEqual(BaseConfig.objects.count(), 2, "it may be proposed just now")
        for model in (BaseConfig, ConfigFile):
            model.objects.update(brought=timezone.now() - timedelta(days=2))
        self.send("/base", unused)
        tidy()
        self.assertEqual(BaseConfig.objects.count(), 2, "what comes again is new again")
        for model in (BaseConfig, ConfigFile):
            model.objects.update(brought=timezone.now() - timedelta(days=2))
        tidy()
        self.assertEqual((BaseConfig.objects.get().name, ConfigFile.objects.count()), ("used.ocioz", 1))
        self.ask("/config")

    def test_caches_have_a_size(self) -> None:
        for number in range(5):
            file = self.folder / f"{number}.npz"
            file.write_bytes(b"x" * 100)
            os.utime(file, (number, number))
        shrink(self.folder, 250)
        self.assertEqual(sorted(file.name for file in self.folder.glob("*.npz")), ["3.npz", "4.npz"])

    def test_old_jobs(self) -> None:
        for days in (1, 100):
            job = start(self.project, "slow", "slow", {})
            Job.objects.filter(pk=job.pk).update(state="done", ended=timezone.now() - timedelta(days=days))
        tidy()
        self.assertEqual(Job.objects.count(), 1)


class Requests(ServerTestCase):
    """What no browser of ours would send."""

    def test_deeply_nested_json(self) -> None:
        deep = "[" * 100_000 + "]" * 100_000
        answer = self.client.post(self.url("/setup"), deep, content_type="application/json")
        self.assertEqual((answer.status_code, list(answer.json())), (400, ["detail"]))

    def test_an_origin_that_is_no_address(self) -> None:
        for origin in ("http://[", "null", "//", "http://localhost@evil", "\x00"):
            answer = self.client.post(self.url("/undo"), "{}", "application/json", headers={"Origin": origin})
            self.assertEqual(answer.status_code, 403, origin)
            self.assertIn("only from its own pages", answer.json()["detail"])

    def test_refusals_of_the_framework_are_told_in_the_same_form(self) -> None:
        foreign = self.client.get("/api/v1/projects", headers={"Host": "evil.example"})
        self.assertEqual((foreign.status_code, list(foreign.json())), (400, ["detail"]))
        method = self.client.patch("/api/v1/projects", "{}", content_type="application/json")
        self.assertEqual((method.status_code, list(method.json())), (405, ["detail"]))
        with self.settings(DATA_UPLOAD_MAX_MEMORY_SIZE=10):
            large = self.client.post(self.url("/undo"), '{"based_on": 11111111111}', "application/json")
        self.assertEqual((large.status_code, list(large.json())), (400, ["detail"]))

    def test_static_files_are_for_our_pages_alone(self) -> None:
        name = next((settings.WEB_DIR / "assets").glob("index-*.js")).name
        answer = self.client.get(f"/assets/{name}")
        self.assertEqual(answer.status_code, 200)
        self.assertNotIn("Access-Control-Allow-Origin", answer.headers)
        self.assertIn("default-src 'self'", answer.headers["Content-Security-Policy"])
        self.assertEqual(self.client.get(f"/assets/{name}", headers={"Host": "evil.example"}).status_code, 400)

    def test_more_rules_and_words_than_anybody_has(self) -> None:
        rule = {"name": "r", "kind": "glob", "space": "Raw", "pattern": "*", "extension": "exr"}
        rules = [{**rule, "name": f"r{number}"} for number in range(10_000)]
        self.refused("post", "/setup", "200", based_on=1, message="many", rules=rules)
        words = [{"word": "a", "kind": "mask"}] * 10_000
        self.refused("post", "/setup", "300", based_on=1, message="many", kind_words=words)


class KeptAnswers(ServerTestCase):
    def test_what_did_not_change_is_not_sent_again(self) -> None:
        self.texture("wall_rough.png")
        self.listed()
        first = self.client.get(self.url("/textures"))
        tag = first.headers["ETag"]
        again = self.client.get(self.url("/textures"), headers={"If-None-Match": tag})
        self.assertEqual((again.status_code, again.content), (304, b""))
        self.assertEqual(self.client.get(self.url("/textures")).content, first.content)

    def test_every_change_is_seen(self) -> None:
        texture = self.texture("wall_rough.png")
        for change in (
            lambda: self.tell("put", f"/textures/{texture.pk}/pin", based_on=1, space=SRGB),
            lambda: Texture.objects.filter(pk=texture.pk).update(pin_space="", version=5),
            lambda: self.tell("post", "/setup", based_on=1, message="data", default_space="ACEScg"),
            lambda: self.tell("post", "/textures/remove", 204, textures=[texture.pk]),
        ):
            self.listed()
            before = self.client.get(self.url("/textures")).headers["ETag"]
            change()
            after = self.client.get(self.url("/textures"))
            self.assertNotEqual(after.headers["ETag"], before)
        self.assertEqual(after.json()["textures"], [])

    def test_a_change_while_an_answer_is_made_is_not_hidden(self) -> None:
        self.texture("wall_rough.png")
        made = views.choices

        def slow(readings: Any) -> Any:
            found = made(readings)
            with patch.object(views, "choices", made):
                self.texture("late_nrm.png", seed=2)
            return found

        with patch.object(views, "choices", slow):
            self.assertEqual([kind["value"] for kind in self.ask("/textures/choices")["kinds"]], ["roughness"])
        self.assertEqual(len(self.ask("/textures/choices")["kinds"]), 2)

    def test_refusals_are_not_kept(self) -> None:
        self.assertEqual(self.client.get("/api/v1/projects/later").status_code, 404)
        operations.create_project("Later")
        self.assertEqual(self.client.get("/api/v1/projects/later").status_code, 200)
