"""Packages: all that an application needs, in a folder that works where it is unpacked."""

import csv
import json
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import asdict, dataclass, field
from hashlib import file_digest
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from saltwort.core.configs.export import write_config
from saltwort.core.deliverables import Defaults, deliverables
from saltwort.core.errors import BadInput
from saltwort.core.images import read_pixels, write_image
from saltwort.core.names import free_name, slug
from saltwort.core.stations.abilities.colour_by import COLOUR_BY, ICC, LUT, loads_config
from saltwort.core.stations.abilities.config_form import CONFIG_FORM
from saltwort.core.stations.abilities.lut_format import LUT_FORMAT
from saltwort.core.stations.abilities.lut_size import LUT_SIZE
from saltwort.core.stations.abilities.scene_documents import MATERIALX, NONE, SCENE_DOCUMENTS, USD
from saltwort.core.stations.lat_long import flux_kept, is_turned, turn_between, turned
from saltwort.core.stations.launching import how_to_see, launchers
from saltwort.core.stations.playing import Played
from saltwort.core.stations.sections.config import log_space, lut_input
from saltwort.core.stations.sheet import Chain
from saltwort.core.stations.sheet_files import json_schema
from saltwort.core.stations.station import READS_TEXTURES
from saltwort.core.stations.texture_table import must_be_converted, texture_row
from saltwort.core.textures.converting import convert
from saltwort.server.across.exports import config_for
from saltwort.server.across.proofs import MANIFEST, proof_in, prove, texture_rows, told_first, write_json
from saltwort.server.handoffs.models import Station
from saltwort.server.handoffs.operations import chain_of, versions_of
from saltwort.server.handoffs.proving import card_files
from saltwort.server.handoffs.sheets import ENDINGS, sheet_as
from saltwort.server.projects.models import Project
from saltwort.server.textures.materials import material_documents
from saltwort.server.textures.models import Texture

Progress = Callable[[float, str], None]
FORMAT = 1
"""Of the manifest: raised when a reader of this one could not read it."""
README = "README.txt"
ENVIRONMENT_KIND = "environment"
LAT_LONG_RATIO = 2.0


@dataclass
class _Package:
    """A package that is being made: its folder, what has to be known of it, and the steps for people."""

    folder: Path
    facts: dict[str, Any] = field(default_factory=dict)
    steps: list[str] = field(default_factory=list)
    played: Played = field(default_factory=Played)

    def place(self, *parts: str) -> Path:
        path = self.folder.joinpath(*parts)
        path.parent.mkdir(parents=True, exist_ok=True)
        return path


@contextmanager
def package(station: Station, progress: Progress = lambda share, doing: None) -> Iterator[Path]:
    """A folder with the package of a station, which goes when the block ends. Raises BadInput where the config cannot
    be written for it."""
    with TemporaryDirectory() as folder:
        made = _Package(Path(folder) / package_name(station))
        made.folder.mkdir()
        _fill(made, station, progress)
        yield made.folder


@contextmanager
def chain_package(project: Project, progress: Progress = lambda share, doing: None) -> Iterator[Path]:
    """A folder with the packages of all stations of a project, each in a folder of its own."""
    stations = list(project.stations.select_related("project__current"))
    if not stations:
        raise BadInput("The chain has no applications. Add one first.")
    with TemporaryDirectory() as place:
        folder = Path(place) / f"{project.slug}-r{project.current.number}"
        folders: dict[str, str] = {}
        for number, station in enumerate(stations):
            name = free_name(slug(station.name) or f"application-{number + 1}", folders.values(), "-")
            folders[station.name] = name
            made = _Package(folder / name)
            made.folder.mkdir(parents=True)
            share = number / len(stations)
            _fill(made, station, _part_of(progress, share, len(stations)))
        manifest = {
            "format": FORMAT,
            "project": project.name,
            "revision": project.current.number,
            "stations": folders,
            "files": _hashes(folder),
        }
        write_json(folder / MANIFEST, manifest)
        yield folder


def checked(project: Project) -> Iterator[dict[str, Any]]:
    """How each application of a project does with nothing but its package: its name, and what `proof.json` holds. One
    whose package cannot be made is not ready, with the reason."""
    for station in project.stations.select_related("project__current"):
        try:
            with package(station) as folder:
                proof = proof_in(folder)
        except BadInput as error:
            proof = {"ready": False, "sentence": "The package cannot be made.", "failures": [str(error)], "cannot": []}
        yield {"application": station.name, **proof}


def package_name(station: Station) -> str:
    """What a station's package is called, without an ending."""
    project = station.project
    return f"{project.slug}-{slug(station.name) or station.pk}-r{project.current.number}"


def files_in(folder: Path) -> dict[str, Path]:
    """The files of a package by their names in the zip, below the folder's own name."""
    return {path.relative_to(folder.parent).as_posix(): path for path in sorted(folder.rglob("*")) if path.is_file()}


def _part_of(progress: Progress, done: float, parts: int) -> Progress:
    return lambda share, doing: progress(done + share / parts, doing)


def _fill(made: _Package, station: Station, progress: Progress) -> None:
    described, chain = station.described(), chain_of(station)
    if loads_config(described):
        progress(0.0, "Writing the config")
        _config(made, station)
    if described.able(COLOUR_BY) == LUT:
        progress(0.2, "Making the LUT and measuring it")
        _lut(made, station, chain)
    if described.able(COLOUR_BY) == ICC:
        progress(0.2, "Making profiles and measuring them")
        _profiles(made, station, chain)
    if described.reads == READS_TEXTURES and described.able(SCENE_DOCUMENTS) != NONE:
        progress(0.6, "Writing documents")
        _documents(made, station, chain)
    progress(0.7, "Turning environments")
    _environments(made, station, chain)
    progress(0.75, "Converting what the application cannot decode")
    copies = _converted(made, station, chain)
    progress(0.8, "Writing sheet and test card")
    _sheet(made, station)
    _textures(made, chain, copies)
    _card(made, station)
    manifest = {
        "format": FORMAT,
        "project": station.project.name,
        "revision": station.project.current.number,
        "station": station.name,
        **made.facts,
    }
    write_json(made.place(MANIFEST), manifest)
    progress(0.9, "Playing it from this package")
    made.played = prove(made.folder, station, chain, made.facts.get("config", {}).get("trimmed", ""))
    _write_readme(made, station)
    write_json(made.place(MANIFEST), {**manifest, "files": _hashes(made.folder)})
    progress(1.0, "Ready")


def _config(made: _Package, station: Station) -> None:
    """The config in the form and version that this station loads, trimmed where that changes no colour."""
    version, _ = versions_of(station)
    config = config_for(station)
    as_archive = config.file.endswith(".ocioz") and station.described().able(CONFIG_FORM) == "archive"
    path = made.place("config", config.file) if as_archive else made.place("config", "config.ocio").parent
    file = write_config(config.composed.written, path)
    shown = file.relative_to(made.folder).as_posix()
    for script, text in launchers(shown).items():
        target = made.place("environment", script)
        target.write_bytes(text.encode())
        if script.endswith((".sh", ".desktop")):
            target.chmod(0o755)
    made.place("environment", "how-to-see.txt").write_text(how_to_see() + "\n", encoding="utf-8")
    made.facts["config"] = {"file": shown, "version": version, "trimmed": config.trimmed}
    made.steps.append(
        f"Config: {shown}, OCIO {version}, {config.trimmed}. Start the application with environment/start.sh, "
        "start.ps1 or start.cmd, or set it as the sheet says."
    )


def _made_with(
    made: _Package, station: Station, chain: Chain, kind: str, asked: Mapping[str, Any], folder: str
) -> tuple[str, dict[str, Any]]:
    """A deliverable that is made of the config alone, in a folder of the package: its name, and what was found."""
    deliverable = deliverables()[kind]
    settings = deliverable.settings_from(asked, Defaults(chain.choice, chain.working_space))
    deliverable.check(chain.config, settings)
    name = deliverable.named("", station.project.current.number, settings)
    written = deliverable.write(chain.config, [], settings, made.place(folder, name), lambda share, doing: None)
    return f"{folder}/{name}", asdict(written)


def _lut(made: _Package, station: Station, chain: Chain) -> None:
    described = station.described()
    asked = {
        "format": described.able(LUT_FORMAT),
        "source": lut_input(chain.station, chain.config),
        "size": int(described.able(LUT_SIZE)),
    }
    name, written = _made_with(made, station, chain, "lut", asked, "luts")
    error, held = written["error"], written["held"]
    made.facts["lut"] = {"file": name, **written}
    made.steps.append(
        f"LUT: {name}. Feed it {written['input']} from {held[0]:g} to {held[1]:.4g}; what is above is clipped. Error "
        f"over {error['colours']:,} colours: {_error_told(error['measure'], error)}."
    )


def _profiles(made: _Package, station: Station, chain: Chain) -> None:
    asked: list[dict[str, Any]] = [{"of": "space", "space": chain.working_space}]
    log = log_space(chain.config)
    if log:
        view = chain.choice
        asked.append({"of": "view", "space": log, "display": view.display, "view": view.view, "look": view.look})
    made.facts["profiles"] = []
    for one in asked:
        try:
            name, written = _made_with(made, station, chain, "icc", one, "profiles")
        except BadInput as error:
            made.steps.append(f"No profile of {one['space']}: {error}")
            continue
        made.facts["profiles"].append({"file": name, "for": one["space"], **written})
        held = "any light" if one["of"] == "space" else f"{log}, 0 to 1"
        made.steps.append(
            f"Profile: {name}, for pictures in {one['space']}. It holds {held}. Error over {written['colours']:,} "
            f"colours: {_error_told('ΔE 2000', written)}."
        )


def _error_told(measure: str | None, error: Mapping[str, Any]) -> str:
    if measure is None:
        return f"largest difference {error['largest_number']:.2g}"
    return f"{measure} mean {error['mean']:.3f}, 99 % below {error['p99']:.2f}, largest {error['largest']:.2f}"


def _documents(made: _Package, station: Station, chain: Chain) -> None:
    wanted = station.described().able(SCENE_DOCUMENTS)
    if wanted != MATERIALX:
        # USD takes a while to import, and few requests need it.
        from saltwort.core.stations.usd_layer import layer_textures, override_layer

        rows = (texture_row(chain, texture) for texture in chain.textures)
        told = f"{station.project.name}, revision {station.project.current.number}: colour spaces of textures"
        made.place("documents", "colour.usda").write_text(
            override_layer(chain, layer_textures(chain, rows), told), encoding="utf-8"
        )
        made.steps.append(
            "USD: put documents/colour.usda before the layers of the scene (as its first sublayer). It says the space "
            "of each texture under /Materials, and typed colours."
        )
    if wanted != USD:
        for name, document in material_documents(station.project):
            made.place("documents", "materials", *name.split("/")).write_text(document, encoding="utf-8")
        made.steps.append(
            "MaterialX: documents/materials has a document for each texture set, with the space of each file."
        )


def _environments(made: _Package, station: Station, chain: Chain) -> None:
    """Turned copies of lat-long environments, where the station looks at them from another side."""
    like, described = chain.lit_like, station.described()
    if like is None or described.reads != READS_TEXTURES or not is_turned(described, like):
        return
    turn = turn_between(like, described)
    kept = []
    textures = Texture.objects.filter(project=station.project, reading__kind=ENVIRONMENT_KIND).select_related("image")
    for texture in textures:
        facts = texture.image.measured()
        width, height = facts.header.picture_size
        if width != LAT_LONG_RATIO * height:
            continue
        pixels = read_pixels(texture.image.file)
        copy = turned(pixels, turn)
        name = f"environments/{slug(Path(texture.path).stem)}_turned.exr"
        write_image(made.place(*name.split("/")), copy, "float")
        kept.append({"file": name, "of": texture.path, "flux kept": flux_kept(pixels, copy)})
    if kept:
        made.facts["environments"] = {"turned by": turn.degrees, "mirrored": turn.mirrored, "copies": kept}
        made.steps.append("Environments: use the turned copies in environments/, in the space of the originals.")


def _sheet(made: _Package, station: Station) -> None:
    for ending in ENDINGS:
        content, _ = sheet_as(station, ending)
        made.place(f"sheet.{ending}").write_text(content, encoding="utf-8")
    write_json(made.place("sheet.schema.json"), json_schema())
    made.steps.append("Settings: set what sheet.html says, in its order.")


def _converted(made: _Package, station: Station, chain: Chain) -> dict[str, str]:
    """Copies of the textures that the station cannot decode, by the paths of these: the paths of the copies in the
    package."""
    copies: dict[str, str] = {}
    if chain.station.reads != READS_TEXTURES:
        return copies
    files = {texture.path: texture for texture in texture_rows(station.project)}
    names: list[str] = []
    for line in chain.textures:
        target = must_be_converted(chain, line.space)
        if target is None or line.path not in files:
            continue
        parts = [slug(part) or "file" for part in Path(line.path).with_suffix("").parts]
        names.append(free_name("/".join(["textures", *parts]), names, "-"))
        copy = f"{names[-1]}.exr"
        with suppress(BadInput):  # one that is gone has its own finding, and the proof says that its copy is missing
            source = files[line.path].image.file
            convert(chain.config, source, line.space, target, "exr-float", made.place(*copy.split("/")))
            copies[line.path] = copy
    if names:
        made.steps.append(
            f"Textures: this application cannot decode {len(names)} of {len(chain.textures)} files. Use the copies in "
            f"textures/, which are scene-linear in {chain.own_space}, as they are."
        )
    return copies


def _textures(made: _Package, chain: Chain, copies: Mapping[str, str]) -> None:
    """Every texture as this station must be told of it, with the copy in the package where it needs one."""
    rows = [
        {**asdict(texture_row(chain, texture)), "converted": copies.get(texture.path, "")} for texture in chain.textures
    ]
    if chain.station.reads != READS_TEXTURES or not rows:
        return
    made.place("textures.json").write_text(json.dumps(rows, ensure_ascii=False, indent=1) + "\n", encoding="utf-8")
    with made.place("textures.csv").open("w", encoding="utf-8", newline="") as file:
        table = csv.DictWriter(file, list(rows[0]))
        table.writeheader()
        table.writerows({key: str(value) for key, value in row.items()} for row in rows)
    by_hand = sum(row["by_hand"] for row in rows)
    if by_hand:
        made.steps.append(f"Textures: set {by_hand} of {len(rows)} files by hand, as textures.csv says.")


def _card(made: _Package, station: Station) -> None:
    try:
        card_files(station, made.place("test-card", "x").parent)
    except BadInput as error:
        made.steps.append(f"No test card: {error}")
        return
    made.steps.append(
        "Test card: open the file in test-card/ as the sheet says, save what the application shows or writes, and drop "
        "that on Hand-offs."
    )


def _write_readme(made: _Package, station: Station) -> None:
    project = station.project
    title = f"{project.name}, revision {project.current.number}: package for {station.name}"
    steps = [f"{number}. {step}" for number, step in enumerate(made.steps, start=1)]
    lines = [title, "=" * len(title), "", *told_first(made.played), "", *steps]
    made.place(README).write_text("\n".join(lines) + "\n", encoding="utf-8")


def _hashes(folder: Path) -> dict[str, dict[str, Any]]:
    """Of all files below a folder but its own manifest, which holds them."""
    found = {}
    for path in sorted(folder.rglob("*")):
        if path.is_file() and path != folder / MANIFEST:
            with path.open("rb") as file:
                name = path.relative_to(folder).as_posix()
                found[name] = {"sha256": file_digest(file, "sha256").hexdigest(), "bytes": path.stat().st_size}
    return found
