"""Changes to a project's stations, and the sheets made for them."""

from dataclasses import asdict

from saltwort.core.configs.export import archive_suffix
from saltwort.core.handoffs import COMPOSITOR, RENDERER, Section, TextureLine, settings_sheet
from saltwort.core.handoffs.stations import own_version
from saltwort.server.handoffs.models import Station
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.readings import spaces_by_path


def add_first_stations(project: Project) -> None:
    """The shortest chain: a renderer that hands to a compositor."""
    for position, station in enumerate((RENDERER, COMPOSITOR)):
        Station.objects.create(project=project, position=position, **asdict(station))


def change_station(station: Station, based_on: int, **fields: object) -> Station:
    """Say what a station can do. Raises Stale when it was changed meanwhile."""
    return station.change(based_on, **fields)


def versions_of(station: Station) -> tuple[str, str]:
    """The OCIO version of the config that a station gets; and the same where it is written for this station alone, else
    nothing."""
    config = config_of(station.project.current)
    version = f"{config.getMajorVersion()}.{config.getMinorVersion()}"
    own = own_version(version, station.described())
    return own or version, own


def config_file_of(station: Station) -> str:
    """Name of the file with the config that a station gets, with its OCIO version where it is not the project's."""
    version, own = versions_of(station)
    name = f"{station.project.slug}-r{station.project.current.number}"
    return name + (f"-ocio{own}" if own else "") + archive_suffix(version)


def sheet_of(station: Station) -> list[Section]:
    """The settings sheet of a station, from the project as it stands."""
    project = station.project
    return settings_sheet(
        station.described(),
        config_of(project.current),
        current_setup(project).view,
        [TextureLine(path, space, reason != "pin") for path, space, reason in spaces_by_path(project)],
        config_file_of(station),
        next((later.described() for later in project.stations.all() if later.position > station.position), None),
    )
