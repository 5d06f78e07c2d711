"""What each application of a project is given: its settings sheet, and its package."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from saltwort.core.deliverables.registry import Progress
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing
from saltwort.core.stations.sheet import Section
from saltwort.library.projects import Project, in_server

if TYPE_CHECKING:
    from saltwort.server.handoffs.models import Station

SheetFormat = Literal["json", "txt", "md", "html"]


@dataclass(frozen=True)
class Sheet:
    """What to set in an application: settings by section, each with key, exact value and why."""

    application: str
    project: str
    revision: int
    sections: tuple[Section, ...]
    _station: "Station" = field(repr=False, compare=False)

    def formatted(self, format: SheetFormat = "json") -> str:
        """The sheet as the text of a file; as HTML with pictures of what incorrect settings do."""
        from saltwort.server.handoffs.sheets import sheet_as

        return in_server(sheet_as, self._station, format)[0]


def sheet(project: Project, application: str) -> Sheet:
    """The settings sheet of an application of a project’s chain, from the project as it is now.

    Raises BadInput, listing the applications there are, for an unknown one.

    >>> renderer = sheet(open_project("quay"), "Renderer")
    >>> renderer.sections[0].settings[0].key
    'file'
    """
    from saltwort.server.handoffs.operations import sheet_of, station_named

    station = in_server(station_named, project.row, application)
    sections = in_server(sheet_of, station)
    return Sheet(station.name, project.name, project.revision, tuple(sections), station)


@dataclass(frozen=True)
class Package:
    """A written package, and the names of the files in it."""

    path: Path
    files: tuple[str, ...]


def package(
    project: Project, target: str | Path, application: str = "", progress: Progress = lambda share, doing: None
) -> Package:
    """Write what an application needs as a zip: sheet, config or LUTs, documents and test card. Without an application
    the zip holds the packages of the whole chain.

    `progress` is told the share done, 0–1, and what is being done; it may raise to stop. Raises BadInput for an unknown
    application, for a target that is not named `.zip`, and when the config cannot be written for it.

    >>> made = package(open_project("quay"), "renderer.zip", "Renderer")
    >>> [name for name in made.files if name.endswith("README.txt")]
    ['quay-renderer-r1/README.txt']
    """
    output = Path(target)
    if output.suffix.lower() != ".zip":
        raise BadInput("A package is a zip. Give it a name that ends with .zip.")
    return Package(output, in_server(_write, project, application, output, progress))


def _write(project: Project, application: str, output: Path, progress: Progress) -> tuple[str, ...]:
    from saltwort.server.across.packages import chain_package, files_in
    from saltwort.server.across.packages import package as package_of
    from saltwort.server.handoffs.operations import station_named
    from saltwort.server.http import zipped

    row = project.row
    made = package_of(station_named(row, application), progress) if application else chain_package(row, progress)
    with made as folder:
        files = files_in(folder)
        with zipped(files) as content, replacing(output) as temporary, temporary.open("wb") as target:
            while piece := content.read(1 << 20):
                target.write(piece)
    return tuple(files)
