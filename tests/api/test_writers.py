"""Two who write at once, each with a connection of their own: nothing is lost, nothing is merged in silence."""

import os
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from threading import Event, Thread

from django.db import connections
from django.test import TransactionTestCase, override_settings

from saltwort.core.project import Setup
from saltwort.core.textures.rules import Rule
from saltwort.server import kept
from saltwort.server.conversions.models import ConvertedFile
from saltwort.server.conversions.operations import Order, order_conversion
from saltwort.server.images.operations import store_file
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import start
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.operations import change_setup, create_project
from saltwort.server.projects.setups import current_setup
from saltwort.server.textures.models import Reading, Texture
from saltwort.server.textures.operations import Pinning, add_texture, pin_textures
from saltwort.server.textures.readings import refresh
from saltwort.server.versions import Stale
from tests.samples import light, write

EACH = 6
MANY = int(os.environ.get("SALTWORT_ORDER", "2000"))
"""Files of a large order; 20,000 take half a minute."""


class TwoWriters(TransactionTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        media = override_settings(MEDIA_ROOT=f"{folder.name}/media")
        media.enable()
        self.addCleanup(media.disable)
        self.folder = Path(folder.name)
        kept.forget()
        create_project("Quay")

    def at_once(self, *works: Callable[[], None]) -> None:
        failed: list[BaseException] = []

        def done(work: Callable[[], None]) -> None:
            try:
                work()
            except BaseException as error:
                failed.append(error)
            finally:
                connections.close_all()

        threads = [Thread(target=done, args=(work,)) for work in works]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(failed, [])

    def add_rules(self, who: str) -> None:
        """Add rules one after the other, and again where somebody was quicker."""
        for number in range(EACH):
            rule = Rule(f"{who} {number}", "glob", "ACEScg", pattern=f"*{who}{number}*", extension="exr")

            def changed(setup: Setup, rule: Rule = rule) -> Setup:
                return replace(setup, rules=(rule, *setup.rules))

            while True:
                project = Project.objects.select_related("current").get()
                try:
                    change_setup(project, project.current.number, rule.name, changed, who)
                    break
                except Stale:
                    continue

    def test_every_change_of_the_setup_is_kept_once(self) -> None:
        first = len(current_setup(Project.objects.get()).rules)
        self.at_once(lambda: self.add_rules("ida"), lambda: self.add_rules("bo"))
        project = Project.objects.get()
        names = [rule.name for rule in current_setup(project).rules[:-first]]
        self.assertEqual(sorted(names), sorted(f"{who} {number}" for who in ("ida", "bo") for number in range(EACH)))
        numbers = list(Revision.objects.order_by("number").values_list("number", flat=True))
        self.assertEqual(numbers, list(range(1, 2 + 2 * EACH)))

    def test_of_two_who_pin_the_same_file_one_is_refused(self) -> None:
        project = Project.objects.get()
        file = write(self.folder / "a_rough.png", light(peak=1.0), "uint8")
        texture = add_texture(project, "a_rough.png", store_file(file, "a_rough.png"))
        refused: list[str] = []

        def pin(space: str) -> None:
            try:
                pin_textures(Project.objects.get(), [Pinning(texture.pk, 1, space)], space)
            except Stale:
                refused.append(space)

        self.at_once(lambda: pin("ACEScg"), lambda: pin("ACEScct"))
        texture.refresh_from_db()
        self.assertEqual(len(refused), 1)
        self.assertEqual((texture.version, texture.pin_space == refused[0]), (2, False))

    def test_readings_are_right_while_files_and_rules_change(self) -> None:
        project = Project.objects.get()
        file = write(self.folder / "a.png", light(peak=1.0), "uint8")
        image = store_file(file, "a.png")

        def add_files() -> None:
            for number in range(4 * EACH):
                add_texture(project, f"ida{number % EACH}_{number}.exr", image)

        def look() -> None:
            for _ in range(2 * EACH):
                refresh(Project.objects.select_related("current").get())

        self.at_once(add_files, lambda: self.add_rules("ida"), look, look)
        project = Project.objects.select_related("current").get()
        refresh(project, 60)
        self.assertEqual(Texture.objects.count(), 4 * EACH)
        self.assertEqual(set(Reading.objects.values_list("space", "reason")), {("ACEScg", "rule")})
        for reading in Reading.objects.all():
            self.assertEqual(reading.reason_name, f"ida {reading.path[3]}")

    def test_a_large_order_lets_others_write(self) -> None:
        project, image = Project.objects.get(), store_file(write(self.folder / "a.png", light(peak=1.0), "uint8"), "a")
        Texture.objects.bulk_create(
            Texture(project=project, image=image, path=f"set_{number}/wall_col.png") for number in range(MANY)
        )
        job = start(project, "convert-textures", "Another job", {"conversion": 0})
        ordered, written = Event(), [0]

        def order() -> None:
            try:
                order_conversion(Project.objects.get(), Order("ACEScg", "exr-half"))
            finally:
                ordered.set()

        def report() -> None:
            """Progress of a job that runs, and a pin now and then."""
            textures = Texture.objects.in_bulk()
            while textures and not ordered.is_set():
                texture = textures.popitem()[1]
                pin_textures(Project.objects.get(), [Pinning(texture.pk, texture.version, "ACEScg")])
                Job.objects.filter(pk=job.pk).update(share=written[0] % 100 / 100)
                written[0] += 1

        self.at_once(order, report)
        self.assertEqual(ConvertedFile.objects.count(), MANY)
        self.assertGreater(written[0], 20, "others waited while the order was computed")
