"""USD packages (.usdz): a zip without compression whose first entry is the layer that is opened, every entry beginning
at a multiple of 64 bytes (the usdz specification)."""

import io
import tempfile
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from pxr import Sdf

from saltwort.core.engine.outside import leads_out
from saltwort.core.errors import BadInput
from saltwort.core.textures.folders import looks_like_picture

MAX_ENTRIES = 20_000
LAYERS = (".usda", ".usdc", ".usd")
PICTURES = (".png", ".jpg", ".jpeg", ".exr", ".avif")
"""What the specification lets a package hold."""


@dataclass(frozen=True)
class Entry:
    """A file of a package."""

    name: str
    content: bytes


def first_layer(content: bytes) -> Entry:
    """The layer that a package is opened by. Raises BadInput for what is no package."""
    with _package(content) as package:
        for info in package.infolist():
            if info.filename.lower().endswith(LAYERS):
                return Entry(info.filename, package.read(info))
    raise BadInput("This package holds no USD layer.")


def is_package(content: bytes) -> bool:
    """Whether a document is a package, by its first bytes."""
    return content.startswith(b"PK\x03\x04")


def unpack(content: bytes, folder: Path) -> Path:
    """Write the layers and pictures of a package below a folder, under their names; where its first layer stands, from
    which its names start. Raises BadInput where the disk has no such names."""
    with _package(content) as package:
        for info in package.infolist():
            if info.filename.lower().endswith(LAYERS) or looks_like_picture(info.filename):
                place = folder / info.filename
                try:
                    place.parent.mkdir(parents=True, exist_ok=True)
                    place.write_bytes(package.read(info))
                except OSError as error:
                    raise BadInput(f"This package cannot be unpacked: {error.strerror}.") from error
    return folder / first_layer(content).name


def with_first_layer(content: bytes, layer: bytes) -> bytes:
    """The package with another content of that layer; all other files as they are."""
    with tempfile.NamedTemporaryFile() as file:
        file.write(layer)
        file.flush()
        name = first_layer(content).name
        return with_files(content, {name: [(name, Path(file.name))]})


def with_files(content: bytes, outcomes: Mapping[str, Sequence[tuple[str, Path]]]) -> bytes:
    """The package with files in place of some of its own, by their names: each with the name that it has there. All
    other files are as they are."""
    with _package(content) as package, tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "package.usdz"
        kept = Path(folder) / "kept"
        # The library's own writer keeps the 64 bytes.
        with Sdf.ZipFileWriter.CreateNew(str(made)) as writer:
            for info in package.infolist():
                if info.filename in outcomes:
                    for name, file in outcomes[info.filename]:
                        writer.AddFile(str(file), name)
                else:
                    kept.write_bytes(package.read(info))
                    writer.AddFile(str(kept), info.filename)
        return made.read_bytes()


@contextmanager
def _package(content: bytes) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as package:
            listed = package.infolist()
            if any(info.compress_type != zipfile.ZIP_STORED for info in listed):
                raise BadInput("This package is compressed, which no .usdz is. Export it again.")
            if len(listed) > MAX_ENTRIES:
                raise BadInput("This package is larger than Saltwort reads. Unpack it, and import its layers.")
            if sum(info.file_size for info in listed) > len(content):
                raise BadInput("Files of this package lie over each other. Export it again.")
            if any(leads_out(info.filename) for info in listed):
                raise BadInput("This package names files outside itself. Export it again.")
            yield package
    except (zipfile.BadZipFile, ValueError, RuntimeError, NotImplementedError) as error:
        raise BadInput("This is no whole USD package. Export it again.") from error
