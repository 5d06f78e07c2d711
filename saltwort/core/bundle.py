"""The file that holds a whole project, to be kept or carried to another machine: a zip with a manifest in JSON.

    manifest.json             what is described below
    luts/<sha256>             LUTs of configs and looks, by content
    images/<sha256><suffix>   pictures of renders and, where they were asked for, of textures
    previews/<sha256>.npz     thumbnail and sample of pictures whose files are left out

Nothing in a bundle is trusted: names must be of these forms, contents must have the hash of their name, and the
manifest must have exactly these fields. `docs/bundle.md` describes it for others.
"""

import json
import re
import shutil
import zipfile
from dataclasses import asdict, dataclass, field
from hashlib import file_digest, sha256
from io import BytesIO
from pathlib import Path
from typing import IO, Any

import numpy as np

from saltwort.core.errors import BadInput
from saltwort.core.images import Facts
from saltwort.core.images.sequences import check_span
from saltwort.core.structured import structured

FORMAT = 6
"""Raised when a manifest of this version cannot be read by the one before."""
MANIFEST = "manifest.json"
MAX_MANIFEST_BYTES = 1 << 30
MAX_MEMBERS = 400_000
MAX_BYTES = 1 << 40
MAX_RATIO = 1_000
"""Unpacked to packed, beyond HARMLESS_BYTES: pictures hardly pack."""
HARMLESS_BYTES = 1 << 28
MAX_PREVIEW_SAMPLES = 1 << 22
_MEMBER = re.compile(r"luts/[0-9a-f]{64}|images/[0-9a-f]{64}\.[a-z0-9]{1,7}|previews/[0-9a-f]{64}\.npz|manifest\.json")


@dataclass(frozen=True)
class BundledConfig:
    """A config that somebody imported, with the LUTs that it names: path in its archive to hash."""

    sha256: str
    name: str
    text: str
    files: dict[str, str]


@dataclass(frozen=True)
class BundledRevision:
    """A saved setup with its config. `created` is ISO 8601."""

    number: int
    parent: int | None
    setup: dict[str, Any]
    text: str
    files: dict[str, str]
    proof: dict[str, Any] | None
    replacements: list[dict[str, Any]]
    parts: list[str]
    author: str
    message: str
    created: str


@dataclass(frozen=True)
class BundledImage:
    """A picture by its content. `facts` are what was measured, believed only where the file is left out."""

    sha256: str
    suffix: str
    size: int
    facts: dict[str, Any]
    has_file: bool


@dataclass(frozen=True)
class BundledTexture:
    path: str
    image: str
    pin_space: str
    pin_note: str
    pin_author: str
    kind_by_hand: str = ""
    converted_from: str = ""


@dataclass(frozen=True)
class BundledFrame:
    """A frame of a sequence; one that could not be read has no image, and the reason."""

    number: int
    name: str
    image: str | None
    reason: str


@dataclass(frozen=True)
class BundledRender:
    """A render; others name it by `number`. A sequence has `frames`, of which `frame` is looked at, as `image` is."""

    number: int
    name: str
    image: str
    layer: str
    space: str
    rig: dict[str, Any] | None
    frame: int | None = None
    frames: list[BundledFrame] = field(default_factory=list)


@dataclass(frozen=True)
class BundledComparison:
    """The panes as they stand. Renders are named by their number in the bundle."""

    render: int | None
    exposure: float
    panes: list[dict[str, Any]]
    probes: list[Any]
    grade: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class BundledKept:
    """A kept comparison."""

    revision: int
    name: str
    notes: str
    state: dict[str, Any]


@dataclass(frozen=True)
class BundledStation:
    name: str
    reads: str
    abilities: dict[str, Any]
    kind: str = ""
    hands_on_to: list[int] | None = None
    """Stations by their place in the list; None of before version 5: to the next one."""


@dataclass(frozen=True)
class BundledMistake:
    """A setting that a test card found wrong, in words and by its place on the sheet."""

    key: str
    code: str
    parameters: dict[str, Any]
    label: str
    happened: str
    repair: str
    section: str
    setting: str
    level: str
    finding: str


@dataclass(frozen=True)
class BundledAnswer:
    """What a test card told. `largest`, `left` and `step` are differences of its patches."""

    verdict: str
    made: list[BundledMistake]
    others: list[list[BundledMistake]]
    largest: float
    where: str
    left: float
    step: float


@dataclass(frozen=True)
class BundledDependence:
    """What a proof depends on, as `stations.proof.depends_on` gives it."""

    working_space: str = ""
    view: str = ""
    fed: str = ""
    abilities: str = ""
    numbers: list[float] = field(default_factory=list)


@dataclass(frozen=True)
class BundledProof:
    """A test card that came back from a station, which is named by its place in the list. `created` is ISO 8601."""

    station: int
    image: str
    name: str
    revision: int
    came: str
    told: BundledAnswer
    depends: BundledDependence
    author: str
    created: str


@dataclass(frozen=True)
class BundledWatchedFrame:
    """A frame of a watched folder as it was when it was looked at; figures are None of one that cannot be read."""

    name: str
    stem: str
    number: int | None
    size: int
    modified: int
    revision: int
    notes: list[tuple[str, str]]
    peak: float | None
    mean: float | None
    high: float | None
    clipped: float | None


@dataclass(frozen=True)
class BundledWatch:
    """A watched folder with what was found in it. Station and render are named by place and number."""

    place: str
    expects_light: bool
    display: str
    view: str
    station: int | None
    render: int | None
    frames: list[BundledWatchedFrame]


@dataclass(frozen=True)
class BundledOutput:
    """How an output is made; the file itself stays where it was made."""

    kind: str
    name: str
    render: int | None
    revision: int
    settings: dict[str, Any]


@dataclass(frozen=True)
class Manifest:
    """All of a project but its pictures and LUTs."""

    format: int
    slug: str
    name: str
    tracer_space: str
    tracer_unit: str
    tracer_text: str
    current: int
    revisions: list[BundledRevision]
    configs: list[BundledConfig]
    images: list[BundledImage]
    textures: list[BundledTexture]
    renders: list[BundledRender]
    comparison: BundledComparison | None
    kept: list[BundledKept]
    stations: list[BundledStation]
    outputs: list[BundledOutput]
    proofs: list[BundledProof] = field(default_factory=list)
    watched: list[BundledWatch] = field(default_factory=list)


class Bundle:
    """A bundle that is open for reading. Raises BadInput for what is none, is damaged, or was made to harm."""

    def __init__(self, file: IO[bytes], name: str) -> None:
        self._name = name
        try:
            self._zip = zipfile.ZipFile(file)
            self._check_members()
            self.manifest = self._read_manifest()
        except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, UnicodeError, OSError) as error:
            raise self._damaged() from error
        self._check_references()

    def lut(self, digest: str) -> bytes:
        """The content of a LUT."""
        content = self._content(f"luts/{digest}")
        if sha256(content).hexdigest() != digest:
            raise self._damaged()
        return content

    def preview(self, digest: str) -> bytes | None:
        """Thumbnail and sample of a picture, as `images.intake` keeps them; None where the bundle has none."""
        if f"previews/{digest}.npz" not in self._members:
            return None
        content = self._content(f"previews/{digest}.npz")
        _check_preview(content, self._damaged())
        return content

    def unpack_image(self, image: BundledImage, target: Path) -> None:
        """Write a picture's file, which has its hash."""
        try:
            with self._zip.open(f"images/{image.sha256}{image.suffix}") as source, target.open("xb") as file:
                while piece := source.read(1 << 20):
                    file.write(piece)
            with target.open("rb") as file:
                found = file_digest(file, "sha256").hexdigest()
        except (zipfile.BadZipFile, KeyError, RuntimeError, EOFError) as error:
            raise self._damaged() from error
        if found != image.sha256:
            raise self._damaged()

    def _check_members(self) -> None:
        members = self._zip.infolist()
        self._members = {member.filename: member for member in members}
        if len(members) > MAX_MEMBERS or len(self._members) < len(members):
            raise self._damaged()
        if any(not _MEMBER.fullmatch(name) for name in self._members) or MANIFEST not in self._members:
            raise BadInput(f"{self._name} is not a Saltwort bundle. Choose a file that Export bundle wrote.")
        unpacked = sum(member.file_size for member in members)
        packed = sum(member.compress_size for member in members)
        if unpacked > min(MAX_BYTES, max(HARMLESS_BYTES, MAX_RATIO * packed)):
            raise BadInput(
                f"{self._name} unpacks to {unpacked / 1e9:,.1f} GB, more than a bundle of its size can hold."
            )

    def _read_manifest(self) -> Manifest:
        if self._members[MANIFEST].file_size > MAX_MANIFEST_BYTES:
            raise self._damaged()
        try:
            stored = json.loads(self._content(MANIFEST))
        except (ValueError, RecursionError) as error:
            raise self._damaged() from error
        written_by = stored.get("format") if isinstance(stored, dict) else None
        if isinstance(written_by, int) and written_by > FORMAT:
            raise BadInput(f"{self._name} was made by a newer Saltwort. Update this one, then import it again.")
        manifest: Manifest = structured(Manifest, stored, self._name)
        return manifest

    def _check_references(self) -> None:
        """Everything that names something else names what is there, once."""
        manifest, members = self.manifest, self._members
        numbers = {revision.number for revision in manifest.revisions}
        renders = {render.number for render in manifest.renders}
        images = {image.sha256 for image in manifest.images}
        files = [file for revision in manifest.revisions for file in revision.files.values()]
        files += [file for config in manifest.configs for file in config.files.values()]
        kept = [image for image in manifest.images if image.has_file]
        named_renders = {output.render for output in manifest.outputs}
        named_renders.add(manifest.comparison.render if manifest.comparison else None)
        named_revisions = {output.revision for output in manifest.outputs} | {one.revision for one in manifest.kept}
        frames = [frame for one in manifest.renders for frame in one.frames]
        named_images = {texture.image for texture in manifest.textures} | {one.image for one in manifest.renders}
        named_images |= {frame.image for frame in frames if frame.image is not None}
        named_images |= {proof.image for proof in manifest.proofs}
        named_renders |= {watch.render for watch in manifest.watched}
        named_stations = {proof.station for proof in manifest.proofs} | {watch.station for watch in manifest.watched}
        fits = (
            len(numbers) == len(manifest.revisions)
            and len(renders) == len(manifest.renders)
            and len(images) == len(manifest.images)
            and all(_are_frames(one) for one in manifest.renders)
            and len({texture.path for texture in manifest.textures}) == len(manifest.textures)
            and numbers >= named_revisions | {manifest.current}
            and renders | {None} >= named_renders
            and images >= named_images
            and {*range(len(manifest.stations)), None} >= named_stations
            and all(one.parent is None or one.parent in numbers - {one.number} for one in manifest.revisions)
            and all((one.parent or 0) < one.number for one in manifest.revisions)
            and all(f"luts/{file}" in members for file in files)
            and all(f"images/{image.sha256}{image.suffix}" in members for image in kept)
        )
        if not fits:
            raise self._damaged()

    def _content(self, member: str) -> bytes:
        try:
            return self._zip.read(member)
        except (zipfile.BadZipFile, KeyError, NotImplementedError, RuntimeError, EOFError) as error:
            raise self._damaged() from error

    def _damaged(self) -> BadInput:
        return BadInput(f"{self._name} is damaged. Export the bundle again, and copy it whole.")


def facts_of(image: BundledImage) -> Facts:
    """What a bundle says was measured in a picture. Raises BadInput for what cannot have been."""
    made: Facts = structured(Facts, image.facts, "The bundle")
    return made


def _are_frames(render: BundledRender) -> bool:
    """Whether the frames of a render have a number each, among them the one looked at."""
    read = [frame.number for frame in render.frames if frame.image is not None]
    numbers = {frame.number for frame in render.frames}
    one_each = len(numbers) == len(render.frames) and min(numbers, default=0) >= 0
    try:
        check_span(numbers)
    except BadInput:
        return False
    return one_each and (render.frame in read if render.frames else render.frame is None)


def _check_preview(content: bytes, damaged: BadInput) -> None:
    """Hold a preview to two arrays of numbers, whose sizes are told before they are unpacked."""
    try:
        with zipfile.ZipFile(BytesIO(content)) as arrays:
            sizes = {entry.filename: entry.file_size for entry in arrays.infolist()}
        if set(sizes) != {"thumbnail.npy", "sample.npy"} or sum(sizes.values()) > 4 * MAX_PREVIEW_SAMPLES:
            raise damaged
        with np.load(BytesIO(content), allow_pickle=False) as kept:
            thumbnail, sample = kept["thumbnail"], kept["sample"]
    except (ValueError, OSError, KeyError, EOFError, MemoryError, zipfile.BadZipFile) as error:
        raise damaged from error
    if not isinstance(thumbnail, np.ndarray) or not isinstance(sample, np.ndarray):
        raise damaged
    fits = thumbnail.ndim == 3 and thumbnail.shape[2] == 3 and sample.ndim == 2
    if not fits or thumbnail.dtype != np.float16 or sample.dtype != np.float32:
        raise damaged


class BundleWriter:
    """Writes a bundle into a file: the same content gives the same bytes, whenever it is written."""

    def __init__(self, file: IO[bytes], manifest: Manifest) -> None:
        self._zip = zipfile.ZipFile(file, "w")
        self._add(MANIFEST, json.dumps(asdict(manifest), ensure_ascii=False, indent=1).encode(), packs=True)

    def add_lut(self, digest: str, content: bytes) -> None:
        """Add a LUT under its hash."""
        self._add(f"luts/{digest}", content, packs=True)

    def add_preview(self, digest: str, content: bytes) -> None:
        """Add thumbnail and sample of a picture whose file is left out."""
        self._add(f"previews/{digest}.npz", content, packs=False)

    def add_image(self, image: BundledImage, path: Path) -> None:
        """Add the file of a picture."""
        member = zipfile.ZipInfo(f"images/{image.sha256}{image.suffix}")
        with path.open("rb") as source, self._zip.open(member, "w", force_zip64=True) as target:
            shutil.copyfileobj(source, target, 1 << 20)

    def close(self) -> None:
        """Finish the file."""
        self._zip.close()

    def _add(self, name: str, content: bytes, *, packs: bool) -> None:
        self._zip.writestr(zipfile.ZipInfo(name), content, zipfile.ZIP_DEFLATED if packs else zipfile.ZIP_STORED)
