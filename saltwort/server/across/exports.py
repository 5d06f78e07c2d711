"""A project's config as other applications are given it."""

from dataclasses import replace

from saltwort.core.project import Composed, compose_in_steps
from saltwort.server.across.trimming import used_by
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import config_name, proved
from saltwort.server.projects.setups import base_archive, current_setup, luts_of


def exported(project: Project, ocio_version: str = "", trim: bool = False) -> Composed:
    """The current revision's config; for another OCIO version than its own, or cut down to what the project uses, when
    asked. Nothing is saved.

    Raises BadInput when the version cannot hold it, or when trimming would change a colour.
    """
    setup = current_setup(project)
    if ocio_version:
        setup = replace(setup, target_version=ocio_version)
    if trim:
        setup = replace(setup, trim=used_by(project))
    name = config_name(project)
    made = compose_in_steps(base_archive(setup.base), setup, name, luts_of(setup))
    if trim:
        proved(made)
    return made
