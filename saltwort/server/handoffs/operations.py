"""Changes to a project's stations, and the sheets made for them."""

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict

from django.db.models import Max
from django.dispatch import receiver

from saltwort.core.configs.export import archive_suffix
from saltwort.core.errors import BadInput
from saltwort.core.scene.swatches import convert, picked
from saltwort.core.stations import COMPOSITOR, RENDERER, Chain, ColourLine, Section, TextureLine, settings_sheet
from saltwort.core.stations.abilities.ocio_version import own_version
from saltwort.core.stations.sheet_files import SheetOf, as_html, as_json, as_markdown, as_text
from saltwort.core.stations.station import Station as CoreStation
from saltwort.server.handoffs.models import Station
from saltwort.server.history.operations import recording, remove
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import config_name, project_made
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.readings import spaces_by_path

MOST_STATIONS = 20


@receiver(project_made)
def add_first_stations(sender: type[Project], project: Project, **more: object) -> None:
    """The shortest chain: a renderer that hands to a compositor."""
    for position, station in enumerate((RENDERER, COMPOSITOR)):
        Station.objects.create(project=project, position=position, **asdict(station))


def add_station(project: Project, station: CoreStation, author: str = "", kind: str = "") -> Station:
    """Put a station at the end of the chain. Raises BadInput for one too many, or a name that is taken."""
    if project.stations.count() >= MOST_STATIONS:
        raise BadInput(f"A chain has up to {MOST_STATIONS} applications. Remove one first.")
    name = station.name.strip()
    if project.stations.filter(name__iexact=name).exists():
        raise BadInput(f"There is an application “{name}” already. Choose another name.")
    last = project.stations.aggregate(last=Max("position"))["last"]
    position = 0 if last is None else last + 1
    with recording(project, f"Application {name} added", author, project.stations.all()):
        return Station.objects.create(
            project=project, position=position, kind=kind, **{**asdict(station), "name": name}
        )


def remove_station(station: Station, author: str = "") -> None:
    """Take a station out of the chain."""
    row = Station.objects.filter(pk=station.pk)
    remove(station.project, f"Application {station.name} removed", author, row)


def order_stations(project: Project, order: Sequence[int], author: str = "") -> None:
    """Put the stations in an order, by their ids. Raises BadInput when these are not all of them, each once."""
    with recording(project, "Applications ordered", author, project.stations.all()):
        if sorted(order) != sorted(project.stations.values_list("pk", flat=True)):
            raise BadInput("The applications have changed meanwhile. Reload the page and order them again.")
        for position, pk in enumerate(order):
            project.stations.filter(pk=pk).update(position=position)


def change_station(station: Station, based_on: int, abilities: Mapping[str, object], author: str = "") -> Station:
    """Say what a station can do. Raises Stale when it was changed meanwhile, BadInput for what cannot be said of it."""
    changed = station.described().with_abilities(abilities).abilities
    with recording(
        station.project, f"Application {station.name} changed", author, Station.objects.filter(pk=station.pk)
    ):
        return station.change(based_on, abilities=changed)


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
    name = config_name(station.project)
    return name + (f"-ocio{own}" if own else "") + archive_suffix(version)


def sheet_of(station: Station) -> list[Section]:
    """The settings sheet of a station, from the project as it stands."""
    project = station.project
    later = next((other for other in project.stations.all() if other.position > station.position), None)
    return settings_sheet(
        Chain(
            station.described(),
            later.described() if later else None,
            config_of(project.current),
            current_setup(project).view,
            [TextureLine(path, space, reason != "pin") for path, space, reason in spaces_by_path(project)],
            config_file_of(station),
            _colours(project),
        )
    )


def _colours(project: Project) -> list[ColourLine]:
    """Swatches and lights; those that the config can no longer tell have their own finding."""
    config, setup = config_of(project.current), current_setup(project)
    typed = {swatch.name: swatch.colour for swatch in setup.scene.swatches}
    typed |= {f"{light.name} (light)": setup.scene.colour_of(light) for light in setup.scene.lights}
    lines = []
    for name, colour in typed.items():
        with suppress(BadInput):
            light = convert(config, colour, setup.view).working
            lines.append(ColourLine(name, light, picked(config, light)))
    return lines


ENDINGS = {"txt": "text/plain", "md": "text/markdown", "html": "text/html", "json": "application/json"}


def sheet_as(station: Station, ending: str) -> tuple[str, str]:
    """The settings sheet of a station as a file that ends so, and its content type."""
    sections = sheet_of(station)
    of = SheetOf(station.name, station.project.name, station.project.current.number)
    content = {
        "txt": as_text,
        "md": as_markdown,
        "html": as_html,
        "json": lambda of, sections: json.dumps(as_json(of, sections), ensure_ascii=False, indent=1) + "\n",
    }[ending](of, sections)
    return content, f"{ENDINGS[ending]}; charset=utf-8"
