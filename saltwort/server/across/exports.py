"""A project's config as other applications are given it."""

from dataclasses import dataclass, replace

from saltwort.core.configs import extent
from saltwort.core.configs.export import without_suffix
from saltwort.core.errors import BadInput
from saltwort.core.project import Composed, compose_in_steps
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import config_file_of, versions_of
from saltwort.server.handoffs.used import export_name, used_by
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import proved
from saltwort.server.projects.setups import base_archive, current_setup, luts_of


@dataclass(frozen=True)
class StationConfig:
    """The config that a station gets, the name of its file, and what was left out of it, in words."""

    composed: Composed
    file: str
    trimmed: str


def exported(project: Project, ocio_version: str = "", trim: bool = False, name: str = "") -> Composed:
    """The current revision's config; for another OCIO version than its own, or cut down to what the project uses, when
    asked; called by what it holds, or by a `name`. Nothing is saved.

    Raises BadInput when the version cannot hold it, or when trimming would change a colour.
    """
    setup, used = current_setup(project), used_by(project) if trim else None
    if ocio_version:
        setup = replace(setup, target_version=ocio_version)
    if used:
        setup = replace(setup, trim=used)
    name = name or export_name(project, ocio_version, used)
    made = compose_in_steps(base_archive(setup.base), setup, name, luts_of(setup))
    if trim:
        proved(made)
    return made


def config_for(station: Station) -> StationConfig:
    """The config of a station, cut down to what the project uses where this is proved to change no colour. Raises
    BadInput when its OCIO version cannot hold it."""
    project, file = station.project, config_file_of(station)
    _, own = versions_of(station)
    try:
        composed = exported(project, own, trim=True)
        whole, part = extent(composed.whole), extent(composed.part)
        kept = f"{part.spaces} of {whole.spaces} spaces and {part.views} of {whole.views} views"
        return StationConfig(composed, file, f"trimmed to what the project uses, {kept}, with proof")
    except BadInput as error:
        return StationConfig(exported(project, own, name=without_suffix(file)), file, f"not trimmed: {error}")
