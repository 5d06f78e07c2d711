"""What tests of the server share: a project, a media folder of its own, and short ways to ask."""

import json
import tempfile
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings

from saltwort.server import kept
from saltwort.server.images.operations import store_file
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import run
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import create_project
from saltwort.server.scene.models import Render
from saltwort.server.scene.operations import add_render
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import add_texture
from tests.samples import light, write
from tests.schema import broken_promises


class ServerTestCase(TestCase):
    """A test with a project named Quay, asked through HTTP."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        # Files of the screens are looked up when they are asked for: each test has a client of its own.
        media = override_settings(MEDIA_ROOT=self.folder / "media", WHITENOISE_AUTOREFRESH=True)
        media.enable()
        self.addCleanup(media.disable)
        kept.forget()  # each test begins with a database that counts from the same number
        self.project = create_project("Quay")

    def url(self, path: str) -> str:
        return f"/api/v1/projects/quay{path}"

    def ask(self, path: str = "", status: int = 200, /, **query: Any) -> Any:
        """GET, as JSON where the answer is JSON, else its bytes."""
        answer = self.client.get(self.url(path), query)
        return self._content(answer, status)

    def listed(self, **wanted: Any) -> list[dict[str, Any]]:
        """The textures of the project, or those that are wanted."""
        page: list[dict[str, Any]] = self.ask("/textures", limit=500, **wanted)["textures"]
        return page

    def findings(self, **wanted: Any) -> list[dict[str, Any]]:
        """The findings of the project, or those that are wanted."""
        page: list[dict[str, Any]] = self.ask("/findings", limit=200, **wanted)["findings"]
        return page

    def tell(self, method: str, path: str, status: int = 200, /, **data: Any) -> Any:
        """POST, PUT or DELETE of JSON."""
        answer = getattr(self.client, method)(self.url(path), data, content_type="application/json")
        return self._content(answer, status)

    def undo(self) -> Any:
        """Take back the last thing done, as the screen offers it."""
        return self.tell("post", "/undo", based_on=self.ask()["undo"]["id"])

    def redo(self) -> Any:
        return self.tell("post", "/redo", based_on=self.ask()["redo"]["id"])

    def send(self, path: str, file: Path, status: int = 201, /, **fields: Any) -> Any:
        """POST of a file."""
        upload = SimpleUploadedFile(file.name, file.read_bytes())
        answer = self.client.post(self.url(path), {"file": upload, **fields})
        return self._content(answer, status)

    def start_from(self, file: Path, status: int = 200) -> Any:
        """Import a config and have the setup start from it."""
        brought = self.send("/base", file)
        message = f"Start from {brought['name']}"
        return self.tell("post", "/setup", status, based_on=self.revision(), message=message, base=brought["base"])

    def _content(self, answer: Any, status: int) -> Any:
        is_json = answer.headers.get("Content-Type") == "application/json"
        content = answer.getvalue()
        if is_json:
            content = json.loads(content)
            asked = answer.wsgi_request
            if "Content-Disposition" not in answer.headers:  # a file is for other programs
                self.assertEqual(broken_promises(asked.method, asked.path, answer, content), [])
        self.assertEqual(answer.status_code, status, content)
        return content

    def refused(self, method: str, path: str, words: str, /, status: int = 400, **data: Any) -> None:
        """A write that is refused with a sentence that holds `words`."""
        answer = self.tell(method, path, status, **data)
        self.assertRegex(answer["detail"], words)

    def texture(self, path: str, sample_type: str = "uint8", seed: int = 1) -> Texture:
        file = write(self.folder / "files" / Path(path).name, light(peak=1.0, seed=seed), sample_type)
        return add_texture(self.project, path, store_file(file, path))

    def render(self, name: str = "dusk.exr", **tags: Any) -> Render:
        file = write(self.folder / "files" / name, light(60, 80), "half", **tags)
        return add_render(self.project, name, store_file(file, name))

    def revision(self) -> int:
        return Project.objects.get(pk=self.project.pk).current.number

    def do_jobs(self) -> list[Job]:
        """Do what is queued, as the worker would, and give all jobs back, newest first."""
        for job in Job.objects.filter(state="queued").order_by("pk"):
            run.func(job.pk)
        return list(Job.objects.all())
