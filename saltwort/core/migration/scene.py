"""A scene read from disk: its documents, and the files that they name. Nothing outside allowed folders is opened."""

import hashlib
import tempfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import chain
from os.path import commonpath
from pathlib import Path, PurePosixPath

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.formats.registry import MAX_DOCUMENT_BYTES, format_of
from saltwort.core.migration.graph import EMBEDDED, Document
from saltwort.core.migration.uses import ColourUse, LightUse, PictureUse, Uses
from saltwort.core.sandbox import Limits, run_sandboxed
from saltwort.core.textures.folders import looks_like_picture

MAX_DOCUMENTS, MAX_DEPTH = 2_000, 32
MAX_TOTAL_BYTES = 1 << 30
LIMITS = Limits(seconds=60, memory=4_000_000_000)
ADVICE = "Export the scene again, in parts."
TILE = "<UDIM>"
IN_A_PACKAGE = "The package does not hold it, or holds it as another package. Unpack it, and read its layers."


@dataclass(frozen=True)
class Refused:
    """What a document names and is not read: by whom, as written, and why."""

    document: str
    file: str
    why: str


@dataclass(frozen=True)
class Scene:
    """Documents by their path below `folder`, their bytes, what was refused, and for each picture of a document its
    files on disk, by (document, as written): several where tiles stand behind one name. Layers and pictures of a
    package are unpacked into a folder by `packages`, the pictures that stand within another document into one by
    `embedded`; all below `unpacked`, which goes when the scene goes. A layer of a package is a document too, at its
    path through the package."""

    folder: Path
    documents: Mapping[str, Document]
    contents: Mapping[str, bytes]
    refused: tuple[Refused, ...]
    files: Mapping[tuple[str, str], tuple[Path, ...]] = field(default_factory=dict)
    packages: Mapping[str, Path] = field(default_factory=dict)
    embedded: Mapping[str, Path] = field(default_factory=dict)
    unpacked: tempfile.TemporaryDirectory[str] | None = None

    @cached_property
    def uses(self) -> dict[str, Uses]:
        """What each document uses colour for."""
        return {path: Uses(document) for path, document in self.documents.items()}

    @property
    def pictures(self) -> list[PictureUse]:
        return [picture for uses in self.uses.values() for picture in uses.pictures]

    @property
    def colours(self) -> list[ColourUse]:
        return [colour for uses in self.uses.values() for colour in uses.colours]

    @property
    def lights(self) -> list[LightUse]:
        return [light for uses in self.uses.values() for light in uses.lights]

    def files_of(self, picture: PictureUse) -> tuple[Path, ...]:
        """The files of a picture; none where they are not there or not allowed."""
        return self.files.get((picture.document, picture.file), ())

    def is_packed(self, file: Path) -> bool:
        """Whether a file stands within a document."""
        return self.told(file) != str(file)

    def is_embedded(self, picture: PictureUse) -> bool:
        """Whether a picture stands within a document that has no name for it."""
        return picture.file.startswith(EMBEDDED)

    def package_of(self, document: str) -> str | None:
        """The package that a document is, or is a layer of."""
        return next((path for path in self.packages if document == path or document.startswith(f"{path}/")), None)

    def told(self, file: Path) -> str:
        """The path of a file for people: of one within a document, that of the document with its name there."""
        for document, folder in chain(self.packages.items(), self.embedded.items()):
            if file.is_relative_to(folder):
                return str(self.folder / document / file.relative_to(folder))
        return str(file)


def read_scene(paths: Sequence[Path], allowed: Sequence[Path]) -> Scene:
    """Scenes with all documents that they refer to, and the files that these name, as far as they lie below one of
    `allowed`, links resolved. Raises BadInput for a scene that cannot be read; what it refers to and cannot be read is
    told in `refused`."""
    if not paths:
        raise BadInput("Name a scene to read.")
    roots = [root.resolve() for root in allowed]
    found: dict[Path, tuple[Document, bytes]] = {}
    refused: list[Refused] = []
    waiting: list[tuple[Path, int]] = []
    for path in paths:
        resolved = path.resolve()
        if not _is_below(resolved, roots):
            raise BadInput(f"{path} lies outside the folders that may be read ({_listed(roots)}). Allow its folder.")
        if not resolved.is_file():
            raise BadInput(f"There is no file {path}.")
        waiting.append((resolved, 0))
    named: dict[tuple[Path, str], tuple[Path, ...]] = {}
    unpacked = tempfile.TemporaryDirectory(prefix="saltwort-scene-")
    within: dict[Path, Path] = {}  # the folder of each package
    embedded: dict[Path, Path] = {}
    first_layers: set[Path] = set()
    total = 0
    while waiting:
        path, depth = waiting.pop()
        if path in found or path in first_layers:
            continue
        if len(found) >= MAX_DOCUMENTS or depth > MAX_DEPTH:
            raise BadInput(f"A scene of more than {MAX_DOCUMENTS:,} documents, or {MAX_DEPTH} deep, is not read.")
        try:
            document, content = _document(path)
        except BadInput as error:
            if depth == 0:
                raise
            refused.append(Refused(path.name, path.name, str(error)))
            continue
        total += len(content)
        if total > MAX_TOTAL_BYTES:
            raise BadInput("The documents of this scene are larger than 1 GB together. Import a part of them.")
        found[path] = (document, content)
        start, allowed_here = path, roots
        held: Mapping[str, Path] = {}
        own = Path(unpacked.name).resolve() / str(len(found))
        try:
            if usd_package.is_package(content):
                start = usd_package.unpack(content, own)
                within[path] = own
                first_layers.add(start)
            elif held := _embedded(content, path.name, own):
                embedded[path] = own
        except BadInput as error:
            refused.append(Refused(path.name, path.name, str(error)))
            continue
        if package := next((folder for folder in within.values() if start.is_relative_to(folder)), None):
            allowed_here = [package]
        for written in document.refers:
            target, why = _target(start, written, allowed_here)
            if target is not None:
                waiting.append((target, depth + 1))
            else:
                refused.append(Refused(path.name, written, IN_A_PACKAGE if package else why))
        for picture in Uses(document).pictures:
            if picture.file in held:
                named[path, picture.file] = (held[picture.file],)
                continue
            files, why = _files(start, picture.file, allowed_here)
            if files:
                named[path, picture.file] = files
            else:
                refused.append(Refused(path.name, picture.file, why))
    return replace(_placed(found, named, refused, within, embedded), unpacked=unpacked)


def _placed(
    found: Mapping[Path, tuple[Document, bytes]],
    named: Mapping[tuple[Path, str], tuple[Path, ...]],
    refused: Sequence[Refused],
    packages: Mapping[Path, Path],
    embedded: Mapping[Path, Path],
) -> Scene:
    """All paths below the one folder that holds documents and the files that they name by relative paths."""
    unpacked = [*packages.values(), *embedded.values()]
    places = [path.parent for path in found if not _is_below(path, unpacked)]
    for (_, written), files in named.items():
        if not is_absolute(written):
            places += [file.parent for file in files if not _is_below(file, unpacked)]
    folder = Path(commonpath(places))
    below = {path: path.relative_to(folder).as_posix() for path in found if not _is_below(path, unpacked)}
    for package, inside in packages.items():
        layers = (path for path in found if path.is_relative_to(inside))
        below |= {path: f"{below[package]}/{path.relative_to(inside).as_posix()}" for path in layers}
    documents = {
        below[path]: Document(**{**vars(document), "path": below[path]}) for path, (document, _) in found.items()
    }
    return Scene(
        folder=folder,
        documents=dict(sorted(documents.items())),
        contents={below[path]: content for path, (_, content) in found.items()},
        refused=tuple(dict.fromkeys(refused)),
        files={(below[path], written): files for (path, written), files in named.items()},
        packages={below[path]: folder for path, folder in packages.items()},
        embedded={below[path]: folder for path, folder in embedded.items()},
    )


def _document(path: Path) -> tuple[Document, bytes]:
    if path.stat().st_size > MAX_DOCUMENT_BYTES:
        raise BadInput(f"{path.name} is larger than {MAX_DOCUMENT_BYTES // 1_000_000} MB, too large for a document.")
    content = path.read_bytes()
    document = run_sandboxed(_read, content, path.name, limits=LIMITS, called=path.name, advice=ADVICE)
    return document, content


def _embedded(content: bytes, name: str, folder: Path) -> Mapping[str, Path]:
    """The pictures that stand within a document, written below a folder."""
    find = format_of(name).embedded
    return run_sandboxed(find, content, folder, limits=LIMITS, called=name, advice=ADVICE) if find else {}


def _read(content: bytes, name: str) -> Document:
    return format_of(name).read(content, name)


def _target(document: Path, written: str, roots: Sequence[Path]) -> tuple[Path | None, str]:
    """The file that a document names, or why it is not read."""
    plain = written.replace("\\", "/").removeprefix("file://")
    if not plain or "\0" in plain or "://" in plain:
        return None, "It is no path of a file."
    try:
        target = (document.parent / plain).resolve()
        is_there = target.is_file()
    except (OSError, RuntimeError):
        return None, "It is no path of a file."
    if not _is_below(target, roots):
        return None, f"It lies outside the folders that may be read ({_listed(roots)})."
    return (target, "") if is_there else (None, "It is not there.")


def _files(document: Path, written: str, roots: Sequence[Path]) -> tuple[tuple[Path, ...], str]:
    plain = written.replace("\\", "/")
    if not looks_like_picture(PurePosixPath(plain).name):
        return (), "It is no picture that Saltwort reads."
    if TILE not in PurePosixPath(plain).name:
        target, why = _target(document, written, roots)
        return ((target,), "") if target else ((), why)
    folder = (document.parent / PurePosixPath(plain).parent).resolve()
    if not _is_below(folder, roots):
        return (), f"It lies outside the folders that may be read ({_listed(roots)})."
    before, _, after = PurePosixPath(plain).name.partition(TILE)
    tiles = sorted(
        each
        for each in (folder.iterdir() if folder.is_dir() else ())
        if each.name.startswith(before)
        and each.name.endswith(after)
        and each.name[len(before) : len(each.name) - len(after)].isdigit()
        and len(each.name) == len(before) + 4 + len(after)
        and each.is_file()
        and _is_below(each.resolve(), roots)
    )
    return tuple(tiles), "" if tiles else "None of its tiles is there."


def is_absolute(written: str) -> bool:
    """Whether a document names a file by a path that does not start from itself."""
    return written.startswith(("/", "\\", "file:")) or written[1:2] == ":"


def _is_below(path: Path, roots: Sequence[Path]) -> bool:
    return any(path.is_relative_to(root) for root in roots)


def _listed(roots: Sequence[Path]) -> str:
    return ", ".join(map(str, roots)) or "none"


def hash_of(path: Path) -> str:
    """The SHA-256 of a file."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def picture_files(scene: Scene) -> Iterator[Path]:
    """Every picture file of a scene once."""
    yield from dict.fromkeys(file for files in scene.files.values() for file in files)
