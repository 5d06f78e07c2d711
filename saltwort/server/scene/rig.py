"""The rig of a project: rendered for a quick look or as a job, and kept under all that it depends on."""

import json
from collections.abc import Callable, Mapping, Sequence
from copy import copy
from dataclasses import asdict, dataclass, replace
from hashlib import sha256
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Lock
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from cachetools import LRUCache, cached
from django.conf import settings
from django.utils.text import slugify

from saltwort.core.arrays import read_arrays
from saltwort.core.configs import working_spaces
from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.files import replacing, shrink
from saltwort.core.images.reading import Pixels
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import resolved
from saltwort.core.scene.decisions import LIGHTS, MOST_STOPS, Light
from saltwort.core.scene.rig.bands import RgbBands
from saltwort.core.scene.rig.bodies import Array
from saltwort.core.scene.rig.files import write_rig
from saltwort.core.scene.rig.judging import Difference, difference_of, spectral_reference
from saltwort.core.scene.rig.mistakes import MISTAKES, picture_of_mapping
from saltwort.core.scene.rig.mixing import mixed
from saltwort.core.scene.rig.stage import (
    DATA,
    LARGEST_ENVIRONMENT,
    LARGEST_MAP,
    LIGHT,
    MIDDLE_GREY,
    SLOTS,
    Input,
    Rig,
    ball_texture,
    build_stage,
    light_colours,
)
from saltwort.core.scene.rig.tracing import SEED, Traced, trace
from saltwort.core.textures.close_up import read_as
from saltwort.server.images.operations import store_file
from saltwort.server.images.pictures import stored
from saltwort.server.jobs.models import Job
from saltwort.server.jobs.operations import Report, start, work
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import draft_revision
from saltwort.server.projects.setups import config_of, current_setup, keep_config
from saltwort.server.scene.operations import add_render
from saltwort.server.textures.operations import AssignedTexture, assign_paths, assigned

PREVIEW = (320, 180, 4)
"""Width, height and samples of a quick look."""
SPECTRAL = (320, 180, 16)
MOST_PIXELS = 1920 * 1080
MOST_SAMPLES = 1024
FORMAT = 1
"""Raised when the renderer gives other pictures than before."""


@dataclass(frozen=True)
class Asked:
    """How the rig is to be shown: with which mistake or tone mapping (and its white point), lights set otherwise than
    in the project, and of these one alone, or without some."""

    mistake: str = ""
    mapping: str = ""
    white: float = 4.0
    stops: Mapping[str, float] | None = None
    solo: str = ""
    muted: Sequence[str] = ()


@dataclass(frozen=True)
class Prepared:
    """A project's rig, ready to render: its config, working space and what lies on it."""

    config: ocio.Config
    space: str
    rig: Rig

    @property
    def bands(self) -> RgbBands:
        return RgbBands(self.config, self.space)


def prepared(project: Project) -> Prepared:
    """The rig of a project as it stands. Inputs are read in the spaces that the project reads them in."""
    config, setup = config_of(project.current), current_setup(project)
    scene = resolved(config, ScenePart.of(setup))
    chosen = scene.swatch(scene.swatch_on_rig)
    swatch = chosen.colour if chosen and not chosen.colour.lacks_space else MIDDLE_GREY
    if not swatch.space:
        swatch = replace(swatch, space=setup.default_space)
    wanted = dict(scene.inputs)
    found = assigned(project, list(project.textures.select_related("image").filter(path__in=wanted.values())))
    rows = {row.texture.path: row for row in found}
    inputs = {slot: _input(config, slot, rows[path]) for slot, path in wanted.items() if path in rows}
    path, pixels = ball_texture(config, swatch)
    inputs.setdefault("ball", Input(path, assign_paths(project, [path])[0].space, pixels))
    colours = tuple(replace(light, colour=scene.colour_of(light)) for light in scene.lights)
    given = {slot: chosen.colour for slot, chosen in scene.slot_swatches.items() if not chosen.colour.lacks_space}
    return Prepared(config, setup.working_space, Rig(swatch, inputs, colours, given))


def _input(config: ocio.Config, slot: str, row: AssignedTexture) -> Input:
    """A texture on the rig. A map of numbers that the project decodes as a colour is decoded: so would a renderer."""
    space = known_space(config, row.assignment.space)
    group = SLOTS[slot].group
    pixels = stored(row.texture.image, LARGEST_ENVIRONMENT if group == LIGHT else LARGEST_MAP)
    if group == DATA:
        pixels = read_as(config, pixels.reshape(-1, 3), space).reshape(pixels.shape)
    return Input(row.texture.path, space, pixels)


def in_working_space(project: Project, space: str) -> Project:
    """The project as it would be with another working space; nothing is saved."""
    setup = current_setup(project)
    if space == setup.working_space:
        return project
    if space not in working_spaces(config_of(project.current)):
        raise BadInput(f"“{space}” is not scene-linear; choose a working space that is.")
    revision, archive = draft_revision(project, replace(setup, working_space=space))
    keep_config(archive)
    changed = copy(project)
    changed.current = revision
    return changed


def asked_rig(made: Prepared, asked: Asked) -> Prepared:
    """The rig as it is asked for: with the lights set so, and a mistake made. Raises BadInput for unknown names."""
    for name in (*(asked.stops or {}), *filter(None, [asked.solo]), *asked.muted):
        if name not in LIGHTS:
            raise BadInput(f"The rig has no light “{name}”; it has {', '.join(LIGHTS)}.")
    rig = replace(made.rig, lights=tuple(_set(light, asked) for light in made.rig.lights))
    if asked.mistake and asked.mistake not in MISTAKES:
        raise BadInput(f"There is no mistake “{asked.mistake}”. Choose one of {', '.join(MISTAKES)}.")
    change = MISTAKES[asked.mistake].rig if asked.mistake else None
    return replace(made, rig=change(made.config, rig) if change else rig)


def _set(light: Light, asked: Asked) -> Light:
    stops = (asked.stops or {}).get(light.name, light.stops)
    if not -MOST_STOPS <= stops <= MOST_STOPS:
        raise BadInput(f"{light.name} can be set from −{MOST_STOPS:.0f} to +{MOST_STOPS:.0f} stops.")
    muted = light.name in asked.muted or light.muted
    return replace(light, stops=stops, muted=light.name != asked.solo if asked.solo else muted)


def layers_of(made: Prepared, progress: Callable[[float], None] | None = None) -> tuple[Traced, tuple[int, int, int]]:
    """The best picture of the rig that is kept, or a quick one made now; with its width, height and samples."""
    size = best_size(made)
    return _kept_or_traced(made, size, progress), size


_tracing = Lock()
"""Held while a quick picture is made: a screen asks for several things of it at once."""


def _kept_or_traced(
    made: Prepared, size: tuple[int, int, int], progress: Callable[[float], None] | None = None
) -> Traced:
    key = key_of(made)
    with _tracing:
        return _load(_file(key, size)) if size in _kept(key) else traced(made, size, progress)


def best_size(made: Prepared) -> tuple[int, int, int]:
    """Width, height and samples of the best picture that is kept, or of the quick one where there is none."""
    return max(_kept(key_of(made)), key=lambda size: size[0] * size[1] * size[2], default=PREVIEW)


def traced(made: Prepared, size: tuple[int, int, int], progress: Callable[[float], None] | None = None) -> Traced:
    """Render the rig, and keep what came of it."""
    width, height, samples = size
    result = trace(build_stage(made.bands, made.rig), width, height, samples, progress=progress)
    _keep(key_of(made), size, result)
    return result


def picture_of(made: Prepared, light: Traced, asked: Asked) -> tuple[Pixels, bool]:
    """The picture of layers as asked for, and whether its numbers are for a display already."""
    gains = light_colours(made.bands, made.rig)
    if asked.solo:
        gains[-1] = 0  # the backplate is no light of the one that is alone
    picture = mixed(light.layers, gains)
    if asked.mapping:
        return picture_of_mapping(asked.mapping, asked.white)(picture), True
    mistake = MISTAKES.get(asked.mistake)
    if mistake and mistake.picture:
        return mistake.picture(picture), mistake.is_shown
    return picture, False


def difference_between(project: Project, space: str) -> Difference:
    """How far the rig in another working space is from the rig as it stands."""
    pictures = []
    for made in (prepared(project), prepared(in_working_space(project, space))):
        light = quick_look(made)
        picture = mixed(light.layers, light_colours(made.bands, made.rig))
        pictures.append(made.bands.to_xyz(np.moveaxis(picture, 2, 0)))
    return difference_of(pictures[0], pictures[1], light.bodies)


def quick_look(made: Prepared) -> Traced:
    """The quick picture, whatever better one there is: two are compared along the same paths of light."""
    return _kept_or_traced(made, PREVIEW)


def start_render(project: Project, size: tuple[int, int, int], asked: Asked) -> Job:
    """Queue a picture of the rig as a multi-layer EXR. Raises BadInput for a size that is none."""
    check_size(*size)
    made = asked_rig(prepared(project), asked)
    if asked.mapping:
        picture_of_mapping(asked.mapping, asked.white)
    width, height, samples = size
    title = f"Render the rig in {made.space}, {width} × {height}, {samples} samples"
    arguments = {"size": list(size), "asked": asdict(asked), "revision": project.current.number}
    return start(project, "render-rig", title, arguments)


def check_size(width: int, height: int, samples: int) -> None:
    if min(width, height) < 16 or width * height > MOST_PIXELS:
        raise BadInput(f"A picture of the rig has sides of 16 pixels and more, and up to {MOST_PIXELS:,} pixels.")
    if not 1 <= samples <= MOST_SAMPLES:
        raise BadInput(f"Samples for each pixel lie from 1 to {MOST_SAMPLES:,}.")


def _as_ordered(job: Job) -> Project:
    """The project at the revision in which a job was ordered, wherever it stands now."""
    project = job.project
    number = job.arguments.get("revision", project.current.number)
    project.current = project.revisions.get(number=number)
    return project


@work("render-rig")
def _render(job: Job, report: Report) -> str:
    project = _as_ordered(job)
    asked, size = Asked(**job.arguments["asked"]), tuple(job.arguments["size"])
    made = asked_rig(prepared(project), asked)
    light = traced(made, size, lambda share: report(share * 0.9, "Following light"))
    report(0.9, "Writing the file")
    name = "_".join(filter(None, ["rig", slugify(made.space), asked.mistake, asked.mapping])) + ".exr"
    with TemporaryDirectory() as folder:
        path = Path(folder) / name
        said = write_picture(made, light, size, asked, path)
        add_render(project, name, store_file(path, name), said)
    return f"{name} is among the renders."


def write_picture(
    made: Prepared, light: Traced, size: tuple[int, int, int], asked: Asked, path: Path
) -> dict[str, Any]:
    """Write a picture of the rig as multi-layer EXR, and give back the settings that its header says."""
    width, height, samples = size
    said = {
        "working_space": made.space,
        "size": [width, height],
        "samples": samples,
        "seed": SEED,
        "lights": [asdict(light) for light in made.rig.lights],
        "inputs": {slot: {"path": given.path, "space": given.space} for slot, given in made.rig.inputs.items()},
        "swatch": asdict(made.rig.swatch),
        "mistake": asked.mistake,
        "tone_mapping": asked.mapping,
    }
    gains = light_colours(made.bands, made.rig)
    if asked.solo:
        gains[-1] = 0
    picture, _ = picture_of(made, light, asked)
    write_rig(made.config, made.space, light, gains, path, said, picture if asked.mistake or asked.mapping else None)
    return said


def start_spectral(project: Project) -> Job:
    """Queue the comparison of working spaces with spectra."""
    prepared(project)
    arguments = {"revision": project.current.number}
    return start(project, "spectral-reference", "Render the rig with spectra", arguments)


@work("spectral-reference")
def _spectral(job: Job, report: Report) -> str:
    made = prepared(_as_ordered(job))
    width, height, samples = SPECTRAL
    spaces = working_spaces(made.config)
    found = spectral_reference(
        made.config, made.rig, spaces, (width, height), samples, lambda share: report(share * 0.95, "Following light")
    )
    content = {"size": list(SPECTRAL), "spaces": [asdict(space) for space in found.spaces]}
    with replacing(_spectral_file(made)) as temporary:
        np.savez(temporary, picture=found.picture.astype(np.float32), table=np.array(json.dumps(content)))
    return f"{found.spaces[0].space} is nearest to the spectral picture."


def spectral_of(project: Project) -> dict[str, Any] | None:
    """What was found for the rig as it stands, or None when nothing was yet."""
    file = _spectral_file(prepared(project))
    if not file.exists():
        return None
    return json.loads(str(read_arrays(file)["table"]))


def spectral_picture(project: Project) -> Pixels:
    """The spectral picture as CIE XYZ. Raises BadInput when it was not made yet."""
    file = _spectral_file(prepared(project))
    if not file.exists():
        raise BadInput("The spectral picture of this rig was not rendered yet.")
    return np.asarray(read_arrays(file)["picture"], np.float32)


def _spectral_file(made: Prepared) -> Path:
    """Picture and table in one file, so that neither goes without the other."""
    lights = [asdict(light) for light in made.rig.lights]
    spaces = working_spaces(made.config)
    named = json.dumps([key_of(made), lights, spaces, SPECTRAL], sort_keys=True)
    return _folder() / f"spectral-{sha256(named.encode()).hexdigest()[:32]}.npz"


def key_of(made: Prepared) -> str:
    """The hash of all that layers depend on: not the lights, which are set afterwards."""
    hashed = sha256(json.dumps([FORMAT, made.space, made.bands.matrix.round(7).tolist()]).encode())
    hashed.update(made.bands.of_typed_surface(made.rig.swatch).tobytes())
    for slot, colour in sorted(made.rig.colours.items()):
        hashed.update(slot.encode() + made.bands.of_typed_surface(colour).tobytes())
    for slot, given in sorted(made.rig.inputs.items()):
        # A space is what it does: a colour that runs through it stands for its name in this config.
        through = made.bands.of_surface(np.array([[[0.2, 0.4, 0.6], [0.9, 0.1, 0.5]]], np.float32), given.space)
        hashed.update(json.dumps([slot, given.pixels.shape]).encode() + through.tobytes() + given.pixels.tobytes())
    return hashed.hexdigest()[:32]


def _folder() -> Path:
    folder = Path(settings.MEDIA_ROOT) / "rig"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def _file(key: str, size: tuple[int, int, int]) -> Path:
    return _folder() / f"{key}-{'x'.join(map(str, size))}.npz"


def _kept(key: str) -> list[tuple[int, int, int]]:
    sizes = [file.stem.rpartition("-")[2].split("x") for file in _folder().glob(f"{key}-*.npz")]
    return [(int(width), int(height), int(samples)) for width, height, samples in sizes]


def _keep(key: str, size: tuple[int, int, int], light: Traced) -> None:
    with replacing(_file(key, size)) as temporary:
        np.savez(temporary, allow_pickle=False, **{name: _halved(array) for name, array in vars(light).items()})
    shrink(_folder(), STORED_BYTES)


def _halved(array: Array) -> Array:
    """Floats as halves, which hold what a picture shows; whole numbers as they are."""
    return np.clip(array, -LARGEST_HALF, LARGEST_HALF).astype(np.float16) if array.dtype == np.float32 else array


STORED_BYTES, LIGHT_BYTES = 2_000_000_000, 500_000_000
"""Of pictures of the rig that are kept for remixing, on disk and in memory."""


def _size(light: Traced) -> int:
    return sum(array.nbytes for array in vars(light).values())


@cached(LRUCache(LIGHT_BYTES, _size), lock=Lock())
def _load(file: Path) -> Traced:
    arrays = read_arrays(file).items()
    return Traced(**{name: array.astype(np.float32) if array.dtype == np.float16 else array for name, array in arrays})
