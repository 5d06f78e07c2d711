"""What nobody may do to the server, and what it does when something goes wrong underneath."""

from dataclasses import replace
from typing import Any
from unittest.mock import patch

from django.conf import settings
from django.db import connection

from saltwort.core.errors import DiskFull
from saltwort.server import kept
from saltwort.server.history.models import Action, ChangedRows
from saltwort.server.projects import operations
from saltwort.server.projects.models import Project, Revision
from saltwort.server.textures import views
from saltwort.server.textures.models import Texture
from tests.samples import SRGB, base_text, fresh_config
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

    def test_another_database_that_counts_to_the_same_number_is_seen(self) -> None:
        tag = self.client.get(self.url("/textures")).headers["ETag"]
        kept.forget()
        answer = self.client.get(self.url("/textures"), headers={"If-None-Match": tag})
        self.assertEqual((answer.status_code, answer.json()["textures"]), (200, []))

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
