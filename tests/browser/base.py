"""The built application in headless Chromium, on a small project of its own."""

import re
import tempfile
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.test import TransactionTestCase, override_settings
from playwright.sync_api import BrowserContext, Locator, Page, ViewportSize, expect
from playwright.sync_api import TimeoutError as PlaywrightTimeout

from saltwort.core.project import write_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.decisions import Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.images.operations import store_file
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.operations import create_project
from saltwort.server.projects.setups import current_setup
from saltwort.server.scene.operations import add_render
from saltwort.server.textures.operations import add_texture, pin_texture
from tests.browser.chromium import COUNT_FETCHES, QUIET, STILL, browser
from tests.browser.served import address, empty, with_project
from tests.samples import SRGB, light, write

expect.set_options(timeout=30_000)

IMMEDIATE = {name: {"BACKEND": "django_tasks.backends.immediate.ImmediateBackend"} for name in ("default", "files")}
NEVER = {name: {"BACKEND": "django_tasks.backends.dummy.DummyBackend"} for name in ("default", "files")}
"""Jobs stay queued."""
TEXTURES = {
    "wall/wall_basecolor.png": "uint8",
    "wall/wall_roughness.png": "uint16",
    "lamp/lamp_lin_rec709_emission.exr": "half",
    "rope/scans_raw/rope_albedo.jpg": "uint8",
}


SIZE: ViewportSize = {"width": 1280, "height": 800}


@override_settings(TASKS=IMMEDIATE)
class BrowserTestCase(TransactionTestCase):
    """A page of the running application, with the project Quay as it was built."""

    arguments: ClassVar[tuple[str, ...]] = ()
    own_pages: ClassVar[bool] = False
    """Whether each test has a page of its own, since one leaves something in it that cannot be taken back."""
    context: ClassVar[BrowserContext]
    live_server_url: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        assert (settings.WEB_DIR / "index.html").exists(), "the screens are not built: run “make web”"
        empty()
        cls.live_server_url = address()
        cls.context = browser(*cls.arguments).new_context(viewport=SIZE, accept_downloads=True, reduced_motion="reduce")
        cls.addClassCleanup(cls.context.close)
        cls.context.set_default_timeout(30_000)
        cls.context.add_init_script(COUNT_FETCHES)

    def __getstate__(self) -> dict[str, object]:
        """What is told of a failed part of a test that ran in another process: pages cannot be sent."""
        left_here = {"page": None, "_outcome": None, "_cleanups": [], "_listeners": []}
        return {name: left_here.get(name, value) for name, value in vars(self).items()}

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        media = override_settings(MEDIA_ROOT=self.folder / "media")
        media.enable()
        self.addCleanup(media.disable)
        self.project = with_project(self._make_project, type(self)._make_project, self.folder)
        # Tests of a class share a page: it keeps scripts compiled. What a test left in it is gone with the address.
        self.page = self.context.pages[0] if self.context.pages else self.context.new_page()
        self.page.set_viewport_size(SIZE)
        self.addCleanup(self._leave)
        self.asked: list[str] = []
        self.errors: list[str] = []
        self._listeners: list[tuple[Any, Any]] = [
            ("request", lambda request: self.asked.append(request.url)),
            ("pageerror", lambda error: self.errors.append(str(error))),
        ]
        for event, listener in self._listeners:
            self.page.on(event, listener)

    def _leave(self) -> None:
        for event, listener in self._listeners:
            self.page.remove_listener(event, listener)
        self.context.clear_permissions()
        first, *others = self.context.pages
        for page in others:
            page.close()
        first.unroute_all()
        if first.url.startswith(self.live_server_url):
            first.evaluate("localStorage.clear(), sessionStorage.clear()")
        if self.own_pages:
            first.close()
        else:
            first.goto("about:blank")

    def _fixture_teardown(self) -> None:
        empty().put_back(self.folder)

    def tearDown(self) -> None:
        self.assertEqual(self.errors, [], "the page raised errors")
        outside = [url for url in self.asked if not url.startswith((self.live_server_url, "data:", "blob:"))]
        self.assertEqual(outside, [], "the page asked another host")

    def _make_project(self) -> Project:
        project = create_project("Quay")
        for seed, (path, sample_type) in enumerate(TEXTURES.items()):
            file = write(self.folder / "files" / Path(path).name, light(32, 32, 1.0, seed), sample_type)
            add_texture(project, path, store_file(file, path))
        rough = project.textures.get(path="wall/wall_roughness.png")
        pin_texture(rough, rough.version, SRGB, "too dark")
        # Written into the first revision, so that tests count theirs from 1.
        scene = Scene(swatches=(Swatch("enamel", TypedColour(SRGB, "8-bit", "47 106 104")),), swatch_on_rig="enamel")
        setup = write_setup(ScenePart.with_value(current_setup(project), scene))
        Revision.objects.filter(pk=project.current_id).update(setup=setup)
        project.current.setup = setup
        write(self.dusk, light(54, 96, 12.0), "half")
        add_render(project, "dusk.exr", store_file(self.dusk, "dusk.exr"))
        return project

    @property
    def dusk(self) -> Path:
        """The file of the render."""
        return self.folder / "files" / "dusk.exr"

    def open(self, step: str) -> Page:
        self.visit(f"/p/quay/{step}")
        self.page.get_by_role("navigation", name="Colour path").wait_for()
        return self.page

    def visit(self, address: str) -> Page:
        """Go to an address of the application, and wait until it has what it shows."""
        self.page.goto(f"{self.live_server_url}{address}")
        self.quiet()
        return self.page

    def reload(self) -> None:
        self.page.reload()
        self.quiet()

    def quiet(self) -> None:
        """Wait until the page asks for nothing more."""
        self.page.wait_for_function(QUIET, polling=50)

    def still(self) -> None:
        """Wait until what comes is there whole."""
        self.quiet()
        self.page.wait_for_function(STILL, polling=50)

    def segment(self, step: str) -> Locator:
        """A segment of the path strip."""
        return self.page.get_by_role("navigation", name="Colour path").get_by_role("link", name=re.compile(step))

    def joint(self, title: str) -> Locator:
        """A joint of the path strip, by what it shows the tracer as."""
        return self.page.get_by_role("button", name=re.compile(f"^Test colour {title}"))

    def drop_on_page(self, *files: tuple[str, bytes]) -> None:
        """Drop files, by their names and contents, on the page as it stands."""
        transfer = self.page.evaluate_handle(
            """files => {
                const transfer = new DataTransfer();
                for (const [name, bytes] of files) transfer.items.add(new File([new Uint8Array(bytes)], name));
                return transfer;
            }""",
            [[name, list(content)] for name, content in files],
        )
        self.page.dispatch_event("body", "dragenter", {"dataTransfer": transfer})
        self.page.get_by_text("Drop it here").dispatch_event("drop", {"dataTransfer": transfer})

    def choose(self, label: str, option: str) -> None:
        """Choose an option of a drop-down list."""
        wanted = self.page.get_by_role("option", name=option, exact=True)
        for _ in range(5):
            self.page.get_by_role("combobox", name=label, exact=True).or_(
                self.page.get_by_role("textbox", name=label, exact=True)
            ).first.click()
            try:
                wanted.click(timeout=3_000)
            except PlaywrightTimeout:
                continue  # news from the server closed the list: one opens it again
            return
        self.fail(f"{label} does not offer {option}")

    def proposed(self) -> Locator:
        """The change of the config that is looked at before it is saved."""
        return self.page.get_by_role("form", name="Proposed change")

    def save_change(self) -> None:
        self.proposed().get_by_role("button", name="Save as a revision").click()
        expect(self.proposed()).to_have_count(0)
        self.quiet()  # what comes in with the revision moves buttons, which a click would miss

    def section(self, name: str) -> Locator:
        """One of the columns below the strip."""
        return self.page.get_by_role("region", name=name, exact=True)

    def current(self) -> Project:
        return Project.objects.select_related("current").get(pk=self.project.pk)
