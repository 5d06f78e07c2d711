"""Changes to a project's stations, and the sheets made for them."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass, replace

import PyOpenColorIO as ocio
from django.db.models import Max

from saltwort.core.configs.export import archive_suffix
from saltwort.core.engine.typed import typed_in
from saltwort.core.errors import BadInput
from saltwort.core.project import read_setup
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import in_words, resolved
from saltwort.core.scene.decisions import FIRST_LIGHTS
from saltwort.core.stations import Chain, ColourLine, Section, TextureLine, settings_sheet
from saltwort.core.stations.abilities.hands_on import HANDS_ON, NOTHING, TEXTURES
from saltwort.core.stations.abilities.ocio_version import own_version
from saltwort.core.stations.chain import check_arrows
from saltwort.core.stations.station import READS_RENDERS, READS_TEXTURES
from saltwort.core.stations.station import Station as CoreStation
from saltwort.core.stations.texture_table import TextureRow, needs_hand, texture_row
from saltwort.core.textures.kinds import MAP_KINDS
from saltwort.server.handoffs.models import HandOff, Station
from saltwort.server.handoffs.used import export_name, used_by
from saltwort.server.history.operations import recording, remove
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.textures.readings import readings_by_path

MOST_STATIONS = 20


def add_station(project: Project, station: CoreStation, author: str = "", kind: str = "") -> Station:
    """Put a station at the end of the chain: one that reads renders is fed by the last that hands on any, and one that
    makes textures feeds the first that reads them. Raises BadInput for one too many, or a name that is taken."""
    name = _free_name(project, station.name)
    if project.stations.count() >= MOST_STATIONS:
        raise BadInput(f"A chain has up to {MOST_STATIONS} applications. Remove one first.")
    last = project.stations.aggregate(last=Max("position"))["last"]
    position = 0 if last is None else last + 1
    watched = project.stations.all(), project.hand_offs.all()
    with recording(project, f"Application {name} added", author, *watched):
        giver, taker = _neighbours(project, station)
        added = Station.objects.create(
            project=project, position=position, kind=kind, **{**asdict(station), "name": name}
        )
        if giver:
            HandOff.objects.create(project=project, giver=giver, taker=added)
        if taker:
            HandOff.objects.create(project=project, giver=added, taker=taker)
        return added


def _neighbours(project: Project, station: CoreStation) -> tuple[Station | None, Station | None]:
    """Who feeds a new station, and whom it feeds, as chains mostly are."""
    listed = [(row, row.described()) for row in project.stations.all()]
    if station.reads == READS_RENDERS:
        feeding = [row for row, one in listed if one.able(HANDS_ON) not in (NOTHING, TEXTURES)]
        return (feeding[-1] if feeding else None), None
    if station.able(HANDS_ON) == TEXTURES:
        reading = [row for row, one in listed if one.reads == READS_TEXTURES and one.able(HANDS_ON) != TEXTURES]
        return None, (reading[0] if reading else None)
    return None, None


def copy_station(station: Station, name: str, author: str = "") -> Station:
    """Another station that can do the same, fed by the same, at the end of the chain. Raises as `add_station` does."""
    project = station.project
    watched = project.stations.all(), project.hand_offs.all()
    with recording(project, f"Application {station.name} copied", author, *watched):
        made = add_station(project, replace(station.described(), name=name), author, station.kind)
        HandOff.objects.filter(taker=made).delete()
        HandOff.objects.filter(giver=made).delete()
        for arrow in station.fed_by.all():
            HandOff.objects.create(project=project, giver=arrow.giver, taker=made)
        return made


def hand_on_to(station: Station, takers: Sequence[int], author: str = "") -> None:
    """Say by their ids which stations read what this one writes. Raises BadInput for one that there is not, for itself,
    and for a circle."""
    project = station.project
    with recording(project, f"What {station.name} hands on", author, project.hand_offs.all()):
        others = project.hand_offs.exclude(giver=station).values_list("giver_id", "taker_id")
        keys = project.stations.values_list("pk", flat=True)
        check_arrows(keys, [*others, *((station.pk, taker) for taker in takers)])
        station.hands_on_to.exclude(taker__in=takers).delete()
        there = set(station.hands_on_to.values_list("taker_id", flat=True))
        for taker in dict.fromkeys(takers):
            if taker not in there:
                HandOff.objects.create(project=project, giver=station, taker_id=taker)


def _free_name(project: Project, asked: str, but: int | None = None) -> str:
    name = asked.strip()
    if not name:
        raise BadInput("An application needs a name. Type one.", "name")
    if project.stations.filter(name__iexact=name).exclude(pk=but).exists():
        raise BadInput(f"There is an application “{name}” already. Choose another name.")
    return name


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


def change_station(
    station: Station, based_on: int, abilities: Mapping[str, object], name: str = "", author: str = ""
) -> Station:
    """Say what a station can do, and what it is called. Raises Stale when it was changed meanwhile, BadInput for what
    cannot be said of it, and for a name that is taken."""
    changed = station.described().with_abilities(abilities).abilities
    named = _free_name(station.project, name, station.pk) if name else station.name
    with recording(
        station.project, f"Application {station.name} changed", author, Station.objects.filter(pk=station.pk)
    ):
        return station.change(based_on, abilities=changed, name=named)


def versions_of(station: Station) -> tuple[str, str]:
    """The OCIO version of the config that a station gets; and the same where it is written for this station alone, else
    nothing."""
    config = config_of(station.project.current)
    version = f"{config.getMajorVersion()}.{config.getMinorVersion()}"
    own = own_version(version, station.described())
    return own or version, own


def config_file_of(station: Station) -> str:
    """Name of the file with the config that a station gets: trimmed to what the project uses, with its OCIO version
    where it is not the project's."""
    version, own = versions_of(station)
    return export_name(station.project, own, used_by(station.project)) + archive_suffix(version)


def station_named(project: Project, name: str) -> Station:
    """An application of the chain, in any case of letters. Raises BadInput with the names there are."""
    stations = project.stations.select_related("project__current")
    found = stations.filter(name__iexact=name).first()
    if found is None:
        listed = ", ".join(stations.values_list("name", flat=True)) or "none yet"
        raise BadInput(f"There is no application “{name}”. Applications: {listed}.")
    return found


def sheet_of(station: Station) -> list[Section]:
    """The settings sheet of a station, from the project as it stands."""
    return settings_sheet(chain_of(station))


def chain_of(station: Station) -> Chain:
    """All that the sheet of a station follows from."""
    project = station.project
    readers = project.stations.filter(reads=READS_TEXTURES)
    first = readers.first()
    return Chain(
        station.described(),
        [arrow.taker.described() for arrow in station.hands_on_to.select_related("taker")],
        config_of(project.current),
        current_setup(project).view,
        [_line(*reading) for reading in readings_by_path(project)],
        config_file_of(station),
        colours_of(project.current),
        first.described() if first else None,
        [arrow.giver.described() for arrow in station.fed_by.select_related("giver")],
    )


@dataclass(frozen=True)
class TextureTable:
    """The textures of a sheet, narrowed."""

    chain: Chain
    lines: Sequence[TextureLine]
    kinds: Sequence[str]

    @property
    def count(self) -> int:
        return len(self.lines)

    def rows(self) -> Iterator[TextureRow]:
        return (texture_row(self.chain, line) for line in self.lines)

    def part(self, start: int, count: int) -> list[TextureRow]:
        return [texture_row(self.chain, line) for line in self.lines[start : start + count]]


def texture_table(station: Station, search: str = "", kind: str = "", *, by_hand: bool = False) -> TextureTable:
    """The textures as one station must be told of them: those whose path holds all words of a search, of a map kind,
    or that it must be told of by hand."""
    chain = chain_of(station)
    words = search.lower().split()
    kept = [
        line
        for line in chain.textures
        if (not kind or line.kind == kind)
        and all(word in line.path.lower() for word in words)
        and (not by_hand or needs_hand(chain.station, line))
    ]
    return TextureTable(chain, kept, sorted({line.kind for line in chain.textures if line.kind}))


def _line(path: str, space: str, reason: str, kind: str, set_name: str) -> TextureLine:
    label = MAP_KINDS[kind].label if kind in MAP_KINDS else ""
    return TextureLine(path, space, reason != "pin", label, set_name)


def colours_of(revision: Revision) -> list[ColourLine]:
    """Swatches, and the lights of the rig that were changed; those that the config can no longer tell have their own
    finding."""
    config, setup = config_of(revision), read_setup(revision.setup)
    given = ScenePart.of(setup)
    scene = resolved(config, given)
    typed = {swatch.name: swatch.colour for swatch in scene.swatches}
    changed = (light for light in scene.lights if light not in FIRST_LIGHTS)
    typed |= {f"{light.name} (light)": scene.colour_of(light) for light in changed}
    lines = []
    for name, colour in typed.items():
        with suppress(BadInput):
            light = typed_in(config, colour, ocio.ROLE_SCENE_LINEAR)
            swatch = given.swatch(name)
            lines.append(ColourLine(name, light, in_words(config, swatch) if swatch else ""))
    return lines
