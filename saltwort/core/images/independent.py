"""Read finished files by other libraries than wrote them, so that a fault of one is not hidden by itself.

OpenEXR's own library reads EXR, FFmpeg PNG and TIFF of integers, tifffile other TIFF, Pillow JPEG and AVIF, imagecodecs
JPEG XL, and PDFium the pages of PDF.
"""

import struct
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any

import av
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import pypdfium2
import tifffile
from imagecodecs import jpegxl_decode
from numpy.typing import NDArray
from PIL import Image

from saltwort.core.errors import BadInput
from saltwort.core.images.deep_avif import read_deep_avif
from saltwort.core.images.headers import library_error
from saltwort.core.images.reading import Pixels, as_floats, read_header
from saltwort.core.images.writing import UNSPECIFIED
from saltwort.core.spaces.encodings import FULL_RANGE, RGB_MATRIX
from saltwort.core.spaces.icc import read_profile

OPENEXR, FFMPEG, PILLOW, SAME = "OpenEXR", "FFmpeg", "Pillow", "OpenImageIO"
TIFFFILE, IMAGECODECS = "tifffile", "imagecodecs"
POINTS = 72
"""Of PDF, an inch."""
DAV1D = "dav1d"
"""Of AVIF of 10 bits, through FFmpeg: another codec than wrote it."""


@dataclass(frozen=True)
class ReadBack:
    """A picture as another library reads it: its samples as they are stored, (height, width, channels), and the name of
    the library."""

    stored: NDArray[Any]
    reader: str

    def rows(self, start: int = 0, stop: int | None = None) -> Pixels:
        """Some rows as float32 with integers on 0–1, so that a large picture need not be all floats at once."""
        return as_floats(self.stored[start:stop])


def read_back(path: Path) -> ReadBack:
    """Read a finished file. Raises BadInput where it cannot be read."""
    read, reader = _READERS.get(path.suffix.lower(), (_by_image_library, SAME))
    try:
        if path.suffix.lower() == ".avif" and (deep := read_deep_avif(path)) is not None:
            return ReadBack(deep, DAV1D)
        pixels = read(path)
        if pixels is None:
            pixels, reader = _by_tifffile(path), TIFFFILE
    except BadInput:
        raise
    except Exception as error:  # of whatever another library raises
        raise BadInput(
            f"{path.name} is damaged, or another file than its name says: {reader} cannot read it."
        ) from error
    return ReadBack(pixels, reader)


def _by_openexr(path: Path) -> Pixels:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = file.channels()
        names = [name for name in ("R", "G", "B", "A") if name in channels] or sorted(channels)
        return np.stack([np.asarray(channels[name].pixels, np.float32) for name in names], axis=-1)


_PIXEL_FORMATS = {
    "rgb24": "rgb24",
    "rgba": "rgba",
    "rgb48be": "rgb48le",
    "rgb48le": "rgb48le",
    "rgba64be": "rgba64le",
    "rgba64le": "rgba64le",
}
"""FFmpeg's names for the layouts of what is written here, and of the same in this machine's order of bytes."""


def _by_tifffile(path: Path) -> NDArray[Any]:
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        pixels = np.asarray(page.asarray())
        if page.axes == "SYX":  # a plane after the other
            pixels = np.moveaxis(pixels, 0, -1)
    return pixels.reshape(*pixels.shape[:2], -1)


def _by_imagecodecs(path: Path) -> NDArray[Any]:
    pixels = np.asarray(jpegxl_decode(path.read_bytes()))
    return pixels.reshape(*pixels.shape[:2], -1)


def _by_ffmpeg(path: Path) -> NDArray[Any] | None:
    # The decoder alone: a container of one picture would be decoded twice, once to see what it holds.
    decoder = av.CodecContext.create("png" if path.suffix.lower() == ".png" else "tiff", "r")
    frame, *_ = (*decoder.decode(av.Packet(path.read_bytes())), *decoder.decode(None))
    wanted = _PIXEL_FORMATS.get(frame.format.name)
    return frame.to_ndarray(format=wanted) if wanted else None


def _by_pillow(path: Path) -> NDArray[Any]:
    with Image.open(path) as picture:
        return np.asarray(picture.convert("RGBA" if "A" in picture.getbands() else "RGB"))


def _by_image_library(path: Path) -> Pixels:
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)
    picture = oiio.ImageBuf(str(path), 0, 0, as_stored)
    pixels = picture.get_pixels("float")
    reason = picture.geterror() or library_error()  # it is told on the terminal unless it is fetched
    if reason or pixels is None or not pixels.size:
        raise BadInput(f"{path.name} is damaged or ends too early. Save it again.")
    return np.asarray(pixels, np.float32)


_READERS: dict[str, tuple[Callable[[Path], NDArray[Any] | None], str]] = {
    ".exr": (_by_openexr, OPENEXR),
    ".png": (_by_ffmpeg, FFMPEG),
    ".tif": (_by_ffmpeg, FFMPEG),
    ".jpg": (_by_pillow, PILLOW),
    ".avif": (_by_pillow, PILLOW),
    ".jxl": (_by_imagecodecs, IMAGECODECS),
}
_pdfium = Lock()
"""PDFium works for one thread at a time."""


def pdf_pages(path: Path, resolution: float) -> list[NDArray[np.uint8]]:
    """The pages of a PDF as they are seen, 8-bit (height, width, 3), at so many pixels an inch. Raises BadInput where
    it cannot be read."""
    with _pdfium:
        try:
            document = pypdfium2.PdfDocument(path)
        except pypdfium2.PdfiumError as error:
            raise BadInput(f"{path.name} is no PDF that can be read.") from error
        try:
            return [
                np.array(page.render(scale=resolution / POINTS, rev_byteorder=True).to_numpy()[..., :3])
                for page in document
            ]
        finally:
            document.close()


def file_tags(path: Path) -> dict[str, Any]:
    """What a finished file says of its colour, by the names of `Header.tags`; for AVIF and JPEG XL its code points and
    the name of its profile."""
    suffix = path.suffix.lower()
    if suffix not in (".avif", ".jxl"):
        return dict(read_header(path).tags)
    tags: dict[str, Any] = {}
    profile = _profile_of(path)
    content = path.read_bytes() if suffix == ".avif" else b""
    if (place := content.find(b"nclx")) >= 0:
        primaries, transfer, matrix, full = struct.unpack_from(">HHHB", content, place + 4)
        if primaries != UNSPECIFIED:
            tags["CICP"] = (primaries, transfer, matrix, full >> 7)
    if profile and (read := read_profile(profile)):
        tags["icc:description"] = read.description
        if suffix == ".jxl" and read.code_points:  # which the library gives as a profile
            tags["CICP"] = (*read.code_points, RGB_MATRIX, FULL_RANGE)
    return tags


def _profile_of(path: Path) -> bytes:
    if path.suffix.lower() == ".avif":
        with Image.open(path) as picture:
            return picture.info.get("icc_profile") or b""
    found = oiio.ImageBuf(str(path)).spec().getattribute("ICCProfile")
    return b"" if found is None else bytes(bytearray(found))
