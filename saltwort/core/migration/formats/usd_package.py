"""USD packages (.usdz): a zip without compression whose first entry is the layer that is opened, every entry beginning
at a multiple of 64 bytes (the usdz specification)."""

import io
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from pxr import Sdf

from saltwort.core.engine.outside import leads_out
from saltwort.core.errors import BadInput

MAX_ENTRIES, MAX_BYTES = 20_000, 8 << 30
LAYERS = (".usda", ".usdc", ".usd")


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


def with_first_layer(content: bytes, layer: bytes) -> bytes:
    """The package with another content of that layer; all other files as they are."""
    name = first_layer(content).name
    with _package(content) as package, tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "package.usdz"
        # The library's own writer keeps the 64 bytes.
        with Sdf.ZipFileWriter.CreateNew(str(place)) as writer:
            for number, info in enumerate(package.infolist()):
                file = Path(folder) / str(number)
                file.write_bytes(layer if info.filename == name else package.read(info))
                writer.AddFile(str(file), info.filename)
        return place.read_bytes()


@contextmanager
def _package(content: bytes) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as package:
            listed = package.infolist()
            if any(info.compress_type != zipfile.ZIP_STORED for info in listed):
                raise BadInput("This package is compressed, which no .usdz is. Export it again.")
            if len(listed) > MAX_ENTRIES or sum(info.file_size for info in listed) > MAX_BYTES:
                raise BadInput("This package is larger than Saltwort reads. Unpack it, and import its layers.")
            if any(leads_out(info.filename) for info in listed):
                raise BadInput("This package names files outside itself. Export it again.")
            yield package
    except (zipfile.BadZipFile, ValueError, RuntimeError, NotImplementedError) as error:
        raise BadInput("This is no whole USD package. Export it again.") from error
