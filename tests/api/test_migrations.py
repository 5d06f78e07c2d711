"""What an older database holds is still there after an upgrade."""

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from saltwort.core.project import read_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import FIRST_LIGHTS
from saltwort.server.handoffs.models import Station
from saltwort.server.projects.models import Revision

BEFORE = [("scene", "0001_initial"), ("projects", "0001_initial")]
SETUP = {
    "base": "builtin:x",
    "working_space": "ACEScg",
    "view": {"display": "d", "view": "v", "look": ""},
    "default_space": "sRGB",
    "rules": [],
    "kind_words": [],
}


class SwatchesIntoRevisions(TransactionTestCase):
    def tearDown(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())

    def test_swatches_stand_in_every_revision_under_names_of_their_own(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(BEFORE)
        old = executor.loader.project_state(BEFORE).apps
        project = old.get_model("projects", "Project").objects.create(slug="quay", name="Quay")
        for number in (1, 2):
            old.get_model("projects", "Revision").objects.create(
                project=project, number=number, setup=SETUP, text="", config_hash="", message=""
            )
        for text in ("47 106 104", "1 2 3"):
            old.get_model("scene", "Swatch").objects.create(
                project=project, name="enamel", space="sRGB", unit="8-bit", text=text
            )
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
        for revision in Revision.objects.all():
            scene = ScenePart.of(read_setup(revision.setup))
            self.assertEqual(
                [(swatch.name, swatch.colour.text) for swatch in scene.swatches],
                [("enamel", "47 106 104"), ("enamel (2)", "1 2 3")],
            )
            self.assertEqual(scene.lights, FIRST_LIGHTS)


class AbilitiesOfStations(TransactionTestCase):
    def tearDown(self) -> None:
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())

    def test_what_was_said_of_applications_stays_said(self) -> None:
        executor = MigrationExecutor(connection)
        others = [leaf for leaf in executor.loader.graph.leaf_nodes() if leaf[0] not in ("handoffs", "watching")]
        before = [("watching", None), ("handoffs", "0001_initial"), *others]
        executor.migrate(before)
        old = executor.loader.project_state(before[1:]).apps
        project = old.get_model("projects", "Project").objects.create(slug="quay", name="Quay")
        stations = old.get_model("handoffs", "Station").objects
        for position, reads in enumerate(("textures", "renders")):
            stations.create(
                project=project,
                position=position,
                name=reads,
                reads=reads,
                ocio_version="2.3",
                follows_file_rules=False,
            )
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
        renderer, compositor = Station.objects.all()
        self.assertEqual(renderer.abilities, {"ocio_version": "2.3", "follows_file_rules": False})
        self.assertEqual(compositor.abilities, {"ocio_version": "2.3"})
        self.assertEqual([arrow.taker for arrow in renderer.hands_on_to.all()], [compositor])
