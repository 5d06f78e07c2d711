"""What a project has decided, read from the database of Saltwort on this machine. Only this needs Django."""

import asyncio
import os
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from saltwort.core.deliverables.recipe import Recipe
from saltwort.core.engine.loading import archive_of
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup
from saltwort.core.spaces.typed import Triple
from saltwort.core.textures.rules import Assignment, Rule
from saltwort.library.configs import Config

if TYPE_CHECKING:
    from saltwort.server.projects.models import Project as Row

Result = TypeVar("Result")


class Project:
    """A project as it was at a revision, when `open_project` read it; nothing of it is changed."""

    def __init__(self, row: "Row") -> None:
        self.row = row
        """The project’s row in the database, for functions of the server."""
        self.slug, self.name, self.revision = str(row.slug), str(row.name), int(row.current.number)

    def __repr__(self) -> str:
        return f"<Project {self.slug!r}, revision {self.revision}>"

    @cached_property
    def config(self) -> Config:
        """The composed config, with the project’s view, working space and grade as its defaults."""

        def composed() -> Config:
            from saltwort.server.outputs.sources import chosen_in
            from saltwort.server.projects.setups import config_of

            archive = archive_of(config_of(self.row.current))
            return Config(archive, f"the config of {self.name}", chosen_in(self.row))

        return in_server(composed)

    @cached_property
    def _setup(self) -> Setup:
        from saltwort.server.projects.setups import current_setup

        return current_setup(self.row)

    @property
    def rules(self) -> tuple[Rule, ...]:
        """The file rules, in their order; what none of them matches is read in `default_space`."""
        return tuple(self._setup.rules)

    @property
    def default_space(self) -> str:
        return self._setup.default_space

    @property
    def swatches(self) -> Mapping[str, Triple]:
        """Scene-linear values in the working space by the name of the swatch, or of the light."""

        def listed() -> dict[str, Triple]:
            from saltwort.server.handoffs.operations import colours_of

            return {colour.name: colour.working for colour in colours_of(self.row.current)}

        return in_server(listed)

    @property
    def recipes(self) -> tuple[Recipe, ...]:
        from saltwort.core.project.parts.recipes import Recipes

        return Recipes.of(self._setup)

    @property
    def applications(self) -> tuple[str, ...]:
        """The names of the applications in the chain."""
        return in_server(lambda: tuple(self.row.stations.values_list("name", flat=True)))


def open_project(slug: str) -> Project:
    """What a project of Saltwort on this machine has decided. Later changes of the project are not seen.

    The data are those below `SALTWORT_VAR`, as for the commands. Raises BadInput, listing the projects there are, for
    an unknown one, and where Saltwort has not been started yet.

    >>> open_project("quay").config.defaults.working_space
    'ACEScg'
    """
    return in_server(_opened, slug)


def assign_in_project(project: Project, paths: list[str]) -> list[Assignment]:
    """The space of each path, by manual assignment or file rule."""

    def assigned() -> list[Assignment]:
        from saltwort.server.textures.operations import assign_paths

        return assign_paths(project.row, paths)

    return in_server(assigned)


def in_server(work: Callable[..., Result], *arguments: object) -> Result:
    """Do work that reads the database, with Django set up. Raises BadInput where there is no database.

    In a notebook a loop runs in this thread, in which Django refuses to wait for the database: another thread does it.
    """
    import django
    from django.conf import settings
    from django.db import OperationalError, connections

    if not settings.configured:
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "saltwort.server.settings")
        django.setup()

    def in_thread() -> Result:
        try:
            return work(*arguments)
        finally:
            connections.close_all()

    try:
        if not _is_in_loop():
            return work(*arguments)
        with ThreadPoolExecutor(1) as thread:
            return thread.submit(in_thread).result()
    except OperationalError as error:
        raise BadInput(f"The database cannot be read ({error}). Start Saltwort once.") from error


def _is_in_loop() -> bool:
    try:
        asyncio.get_running_loop()
    except RuntimeError:
        return False
    return True


def _opened(slug: str) -> Project:
    from saltwort.server.projects.operations import project_named

    return Project(project_named(slug))
