"""Requests made from the API's own schema, from a printed seed: whatever is sent, the answer keeps what the schema
promises, and a refusal is a sentence. SALTWORT_REQUESTS asks for more of each than a usual run."""

import json
import os
import warnings
from collections import Counter
from collections.abc import Iterator
from dataclasses import asdict
from typing import Any
from urllib.parse import quote

import schemathesis
import yaml
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

from saltwort.core.images import write_image
from saltwort.core.migration.plan import plan_of
from saltwort.core.views.grade import BEFORE, Grade
from saltwort.server import kept
from saltwort.server.conversions.operations import Order, order_conversion
from saltwort.server.handoffs.proving import card_of
from saltwort.server.jobs.models import Job
from saltwort.server.migrating.drafts import draft_of
from saltwort.server.migrating.models import OldScene
from saltwort.server.migrating.operations import found_in, read_here, run
from saltwort.server.textures.models import TextureFolder
from saltwort.server.watching.models import WatchedFolder
from saltwort.server.watching.watch import Watch
from tests.core.made_scenes import usd_scene
from tests.samples import SRGB, SRGB_DISPLAY, light, write
from tests.schema import SCHEMA, broken_promises
from tests.server import ServerTestCase

SEED = int(os.environ.get("SALTWORT_SEED", "13"))
REQUESTS = int(os.environ.get("SALTWORT_REQUESTS", "3"))
SLOW = ("/rig/picture", "/compare-path", "/explanations", "/rescue", "/lut", "/package", "/target-differences")
"""Operations that read from the disk, render or explain; asked once with any values and once with good ones."""
GOOD: dict[str, list[Any]] = {
    "based_on": [1, 0],
    "space": ["ACEScg", SRGB],
    "working": ["ACEScg"],
    "working_space": ["ACEScg"],
    "default_space": [SRGB],
    "display": [SRGB_DISPLAY],
    "view": ["Un-tone-mapped"],
    "look": [""],
    "base": ["builtin:studio-config-v4.0.0_aces-v2.0_ocio-v2.5"],
    "text": ["#c8102e", "0.18 0.18 0.18"],
    "unit": ["hex", "linear"],
    "pattern": ["{name}_{space}"],
    "place": [""],
    "draft": [""],
    "layer": [""],
    "revision": [1],
    "name": ["ACEScg"],
    "path": ["wall/wall_col.png"],
    "to": ["ACEScg"],
    "target": [""],
    "version": ["2.3"],
    "message": ["as asked"],
    "muted": [""],
    "solo": [""],
    "mapping": ["none"],
    "exposure": [0.0],
    "panes": [[{"display": SRGB_DISPLAY, "view": "Un-tone-mapped", "look": ""}]],
    "probes": [[]],
    "grade": [asdict(Grade(BEFORE, slope=(1.1, 1.0, 1.0)))],
    "naming": [""],
    "was": [""],
    "names": [[]],
    "settings": [{}],
    "mistake": ["show:curve-twice"],
    "wrong": [[]],
    "steps": [[{"step": "gamma-out"}]],
    "in_place": [False],
}
"""Values that make sense where a property or parameter has the name; half of the requests have no others."""
UPLOADS = ("card.exr", "light.exr", "swatches.csv", "nothing.bin")


class GeneratedTestCase(ServerTestCase):
    """A project in which there is one of everything, and requests of all operations."""

    def setUp(self) -> None:
        super().setUp()
        texture, render = self.texture("wall/wall_col.png"), self.render()
        conversion = order_conversion(self.project, Order("ACEScg", "exr-half"))
        output = self.tell("post", "/outputs", 201, kind="light", render=render.pk)
        state = {"render": render.pk, "panes": [{"display": SRGB_DISPLAY, "view": "Un-tone-mapped"}], "probes": []}
        state |= {"mode": "side", "surround": "grey", "marks": "picture", "window": [0, 0, 1, 1], "exposure": 0}
        note = self.tell("post", "/kept-comparisons", 201, name="dusk", state=state)
        self.things = {
            "renders": render.pk,
            "textures": texture.pk,
            "conversions": conversion.pk,
            "outputs": output["id"],
            "kept-comparisons": note["id"],
            "stations": self.ask("/stations")[0]["id"],
            "jobs": Job.objects.first().pk,
            "intakes": self.tell("post", "/intakes", 201)["id"],
            "texture-folders": TextureFolder.objects.create(project=self.project, place="/nowhere", name="x").pk,
        }
        watched = WatchedFolder.objects.create(project=self.project, place=str(self.folder / "files"))
        for _ in Watch(watched, quiet=-1.0).look():
            pass
        dusk = self.folder / "files" / "came.exr"
        write(dusk, light(54, 96, 12.0), "half")
        explained = self.send("/explanations", dusk, render=render.pk, expects_light=True)
        self.things |= {"watched": watched.pk, "explanations": explained["id"], "old-scenes": self.old_scene().pk}
        compositor = self.project.stations.select_related("project__current").get(name="Compositor")
        card = self.folder / "files" / "card.exr"
        write_image(card, card_of(compositor).picture(), "half")
        self.proof = self.send(f"/stations/{compositor.pk}/proofs", card)["id"]
        self.things["stations"] = compositor.pk
        self.files = {
            "card.exr": card.read_bytes(),
            "light.exr": write(self.folder / "files" / "more.exr", light(16, 24), "half").read_bytes(),
            "swatches.csv": b"name,space,r,g,b\nbrass,ACEScg,0.6,0.4,0.1\n",
            "nothing.bin": b"\0\1\2",
        }

    def old_scene(self) -> OldScene:
        """A scene that was read, migrated and has pictures."""
        path = usd_scene(self.folder / "scene", SEED, 1).path
        made = read_here(self.project, "scene.usda", [path], [path.parent])
        draft = draft_of(self.project, [path], [path.parent])
        made.found, made.plan = found_in(draft), [{"step": "gamma-out"}]
        report = run(draft, plan_of(made.plan), self.folder / "out", lambda *_: None, lambda _: None, made.folder)
        made.report = made.preview = report.as_terms()
        made.job = None
        made.save()
        return made

    def answers(self, schema: dict[str, Any]) -> dict[str, Counter[int]]:
        """How often each status was answered by each operation, none of them a failure."""
        print(f"requests from the schema, seed {SEED}")
        seen = {operation.label: self.ask_at_random(operation) for operation in _operations(schema)}
        self.assertEqual([label for label, codes in seen.items() if any(code >= 500 for code in codes)], [])
        return seen

    def ask_at_random(self, operation: Any) -> Counter[int]:
        """How often each status was answered to requests of one operation. What they change is taken back."""
        seen: Counter[int] = Counter()

        @seed(SEED)
        @settings(
            max_examples=1 if any(operation.path.endswith(slow) for slow in SLOW) else REQUESTS,
            database=None,
            deadline=None,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy(), upload=st.sampled_from(UPLOADS))
        def ask(case: Any, upload: str) -> None:
            kept.forget()
            with transaction.atomic():
                seen[self.send_case(case, upload)] += 1
                transaction.set_rollback(True)

        ask()
        return seen

    def send_case(self, case: Any, upload: str) -> int:
        named = [number for kind, number in self.things.items() if f"/{kind}/{{id}}" in case.path]
        path = case.path.replace("{slug}", "quay").replace("{id}", str(*named))
        path = path.replace("{name}", "ramps").replace("{proof}", str(self.proof))
        query = "&".join(f"{name}={_told(value)}" for name, value in (case.query or {}).items())
        body: Any = case.body if isinstance(case.body, dict | list) else {}
        more: dict[str, Any] = {"content_type": "application/json"}
        if case.media_type == "multipart/form-data":
            file = SimpleUploadedFile(upload, self.files[upload])
            holds = {name: json.dumps(value) for name, value in body.items()}
            body, more = {**holds, "file": file, "files": file, "paths": upload}, {}
        elif case.method != "GET":
            body = json.dumps(body)
        else:
            body, more = None, {}
        self.client.raise_request_exception = False
        send = getattr(self.client, case.method.lower())
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            answer = send(f"{path}?{query}", body, **more)
        content = answer.getvalue()
        if answer.headers.get("Content-Type") == "application/json" and "Content-Disposition" not in answer.headers:
            broken = broken_promises(case.method, path, answer, json.loads(content))
            self.assertEqual(broken, [], (path, query, body))
        return int(answer.status_code)


class AnyValues(GeneratedTestCase):
    def test_whatever_is_sent(self) -> None:
        self.answers(yaml.safe_load(SCHEMA.read_text()))


class GoodValues(GeneratedTestCase):
    def test_what_makes_sense_is_done(self) -> None:
        good = {**GOOD, "render": [self.things["renders"]], "station": [self.things["stations"]]}
        answers = self.answers(_with_good_values(yaml.safe_load(SCHEMA.read_text()), good))
        never = sorted(label for label, seen in answers.items() if not any(code < 300 for code in seen))
        self.assertLess(len(never), len(answers) / 4, f"never answered but with a refusal: {never}")


def _told(value: Any) -> str:
    return quote(value if isinstance(value, str) else json.dumps(value))


def _operations(schema: dict[str, Any]) -> Iterator[Any]:
    return (found.ok() for found in schemathesis.openapi.from_dict(schema).get_all_operations())


def _with_good_values(node: Any, good: dict[str, list[Any]]) -> Any:
    """The schema with values that make sense in place of any others."""
    if isinstance(node, list):
        return [_with_good_values(item, good) for item in node]
    if not isinstance(node, dict):
        return node
    made = {name: _with_good_values(value, good) for name, value in node.items()}
    if isinstance(made.get("properties"), dict):
        made["properties"] = {
            name: {"enum": good[name]} if name in good else value for name, value in made["properties"].items()
        }
    if made.get("in") == "query" and (values := good.get(made.get("name", ""))) and not isinstance(values[0], dict):
        made["schema"] = {"enum": values}
    return made
