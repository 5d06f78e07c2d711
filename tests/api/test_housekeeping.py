"""Disks that fill, and what is tidied up."""

import errno
import os
import shutil
import subprocess
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.test import override_settings
from django.utils import timezone

from saltwort.core.files import shrink
from saltwort.core.images import read_pixels
from saltwort.server.history.operations import forget_all
from saltwort.server.housekeeping import tidy
from saltwort.server.images.models import StoredImage
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import start
from saltwort.server.outputs import operations as outputs
from saltwort.server.projects import operations
from saltwort.server.projects.models import BaseConfig, ConfigFile
from saltwort.server.textures.models import Texture
from tests.api.test_trust import DISK_IS_FULL
from tests.core.test_archives import LUT, config_with_luts, zipped
from tests.samples import light, write
from tests.server import ServerTestCase


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
