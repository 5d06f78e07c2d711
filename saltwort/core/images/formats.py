"""The formats that Saltwort opens, told by the first bytes of a file and never by its name."""

from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from stat import S_ISREG

from saltwort.core.errors import BadInput


@dataclass(frozen=True)
class Format:
    """`key` is the image library's own name of the format, `suffix` the one files are stored under, `others` those that
    it goes by besides."""

    key: str
    label: str
    suffix: str
    starts: tuple[bytes, ...]
    others: tuple[str, ...] = ()


FORMATS = (
    Format("openexr", "EXR", ".exr", (b"\x76\x2f\x31\x01",), (".sxr", ".mxr", ".tx")),
    Format("png", "PNG", ".png", (b"\x89PNG\r\n\x1a\n",)),
    Format("jpeg", "JPEG", ".jpg", (b"\xff\xd8\xff",), (".jpeg", ".jpe")),
    Format("tiff", "TIFF", ".tif", (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), (".tiff", ".tx", ".tex", ".env")),
    Format("hdr", "HDR", ".hdr", (b"#?RADIANCE", b"#?RGBE"), (".rgbe", ".pic")),
    Format("dpx", "DPX", ".dpx", (b"SDPX", b"XPDS")),
)


def formats_named(path: str) -> tuple[str, ...]:
    """The labels of the formats that a file name's extension stands for; none for an extension of no format here."""
    suffix = PurePosixPath(path).suffix.lower()
    return tuple(known.label for known in FORMATS if suffix in (known.suffix, *known.others))


def sniff(path: Path) -> Format:
    """The format of a file. Raises BadInput when it is none of FORMATS, or cannot be read at all."""
    try:
        if not S_ISREG(path.stat().st_mode):  # to open a pipe or a device may wait for ever
            raise BadInput(f"{path.name} cannot be read: it is no plain file.")
        with path.open("rb") as file:
            start = file.read(16)
    except OSError as error:
        raise BadInput(f"{path.name} cannot be read: {error.strerror or 'no such file'}.") from error
    if not start:
        raise BadInput(f"{path.name} is empty. Save it again and import the new file.")
    for known in FORMATS:
        if start.startswith(known.starts):
            return known
    names = ", ".join(known.label for known in FORMATS)
    raise BadInput(f"{path.name} is not an image that Saltwort reads. Import one of {names}.")
