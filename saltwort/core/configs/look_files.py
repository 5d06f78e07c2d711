"""Looks from files: ASC CDL (`.cc`, `.ccc`, `.cdl`) and LUTs (`.cube`, `.clf`)."""

import tempfile
from hashlib import sha256
from pathlib import Path, PurePosixPath

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import AddedLook
from saltwort.core.configs.archives import MAX_FILE_BYTES
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.engine.processors import build
from saltwort.core.errors import BadInput

CDL_SUFFIXES, LUT_SUFFIXES = (".cc", ".ccc", ".cdl"), (".cube", ".clf")
MAX_CDL_BYTES = 1_000_000
"""A correction has under 1 kB."""
MAX_LOOKS = 50
"""Of one file: a collection of a whole show is not what a config offers to choose from."""


def looks_from_file(name: str, content: bytes) -> tuple[AddedLook, ...]:
    """The looks that a file holds: one for each correction of a CDL, with the file's name where it has no ID of its
    own; one for a LUT, whose content has to be kept by its hash.

    Raises BadInput for a file of another kind, that is damaged, or too large.
    """
    path = PurePosixPath(name)
    suffix = path.suffix.lower()
    if suffix in CDL_SUFFIXES:
        return _corrections(name, content)
    if suffix in LUT_SUFFIXES:
        _check_lut(name, content)
        return (AddedLook(_clean(path.stem), lut=path.name, lut_sha256=sha256(content).hexdigest()),)
    raise BadInput(f"{name} is no look file. Import one of {', '.join((*CDL_SUFFIXES, *LUT_SUFFIXES))}.")


def _corrections(name: str, content: bytes) -> tuple[AddedLook, ...]:
    if len(content) > MAX_CDL_BYTES:
        raise BadInput(f"{name} is larger than {MAX_CDL_BYTES // 1_000_000} MB, too large for a CDL.")
    path = PurePosixPath(name)
    with tempfile.TemporaryDirectory() as folder:  # the engine reads CDL files from disk alone
        file = Path(folder) / f"corrections{path.suffix.lower()}"
        file.write_bytes(content)
        try:
            found = list(ocio.CDLTransform.CreateGroupFromFile(str(file)))
        except ocio.Exception as error:
            raise BadInput(f"{name} is no ASC CDL file, or a damaged one. Export it again.") from error
    if not 0 < len(found) <= MAX_LOOKS:
        raise BadInput(f"{name} holds {len(found)} corrections; import one with 1 to {MAX_LOOKS}.")
    return tuple(_look(part, path.stem, index, len(found)) for index, part in enumerate(found, start=1))


def _look(cdl: ocio.CDLTransform, stem: str, index: int, count: int) -> AddedLook:
    fallback = stem if count == 1 else f"{stem} {index}"
    return AddedLook(
        name=_clean(cdl.getID() or fallback),
        slope=tuple(cdl.getSlope()),
        offset=tuple(cdl.getOffset()),
        power=tuple(cdl.getPower()),
        saturation=cdl.getSat(),
        description=cdl.getFirstSOPDescription(),
    )


def _clean(name: str) -> str:
    """The name without what lists of looks are written with."""
    return "".join(" " if mark in ",:|+-" else mark for mark in name).strip()[:100] or "Look"


def _check_lut(name: str, content: bytes) -> None:
    """Raise BadInput when the engine cannot make colours with a LUT."""
    if len(content) > MAX_FILE_BYTES:
        raise BadInput(f"{name} is larger than {MAX_FILE_BYTES // 1_000_000} MB, too large for a LUT.")
    file = f"look{PurePosixPath(name).suffix.lower()}"
    config = load_config(ConfigArchive(ocio.Config.CreateRaw().serialize(), {file: content}))
    try:
        build(config, ocio.FileTransform(file))
    except BadInput as error:
        raise BadInput(f"{name} does not load as a LUT. {error}") from error
