"""A draft written to disk: all of it, or nothing. Originals are never written to."""

import ctypes
import errno
import os
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from itertools import chain
from pathlib import Path

from saltwort.core.errors import BadInput, DiskFull
from saltwort.core.files import WRITING, check_room, is_disk_full, sync
from saltwort.core.migration.documents import Documents, rewriting
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.plan import Draft, DraftPicture, Progress
from saltwort.core.migration.rendered import BYTES_EACH, Rescuing, write_rescued
from saltwort.core.migration.scene import hash_of
from saltwort.core.textures.converting import convert
from saltwort.core.threads import on_all_cores

MOST_IN_PLACE = 200_000
RENAME_EXCHANGE = 2
_AT_FDCWD = -100


@dataclass(frozen=True)
class WrittenFile:
    """A file of the outcome: where it came from, its path below the folder, the hashes of both, and what was done:
    `document`, `copied`, `renamed`, `converted` or `rescued`."""

    source: str
    path: str
    source_sha256: str
    sha256: str
    how: str


@dataclass(frozen=True)
class Written:
    """What was written into a folder. `kept` is the folder as it was before, where it was changed in place."""

    folder: str
    files: tuple[WrittenFile, ...]
    kept: str = ""


@dataclass(frozen=True)
class Staged:
    """An outcome that is written, and not yet where it is to be: it stands at `place`, and `put` has it appear in one
    step, as `written` says."""

    place: Path
    documents: Documents
    written: Written
    put: Callable[[], None]


@contextmanager
def staged(draft: Draft, output: Path | None, progress: Progress | None = None) -> Iterator[Staged]:
    """The outcome of a draft: documents, and the pictures below the scene's folder, under new names or converted where
    the plan says so. With `output` it appears as that folder; without, it changes places with the scene's own folder,
    whose other files are linked into it. What is not put is removed.

    In place, the outcome is made where the folder as it was is kept afterwards: the change of places is the only step,
    so there is no moment at which the originals stand under a name that anything cleans up.

    Raises BadInput when the folder is there already or holds the scene, for a scene's folder with more than
    MOST_IN_PLACE files, and when the disk refuses.
    """
    target = (output or draft.scene.folder).resolve()
    if output is not None:
        _check_output(draft, target)
    with rewriting(draft) as documents:
        yield from _staged(draft, output, target, documents, progress)


def _staged(
    draft: Draft, output: Path | None, target: Path, documents: Documents, progress: Progress | None
) -> Iterator[Staged]:
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        size = sum(map(len, draft.scene.contents.values())) + sum(_size(source) for source, _, _ in _placed(draft))
        size += sum(_rescued_size(draft, frame) for frame in draft.frames)
        check_room(target.parent, size)
        if output is None:
            place = _free(target.parent / f"{target.name}.before-migration")
            place.mkdir()
        else:
            place = Path(tempfile.mkdtemp(dir=target.parent, prefix=WRITING))
    except OSError as error:
        raise _unwritten(target, error) from error
    made = place.stat().st_ino
    try:
        files = _fill(draft, place, documents, progress)
        if output is None:
            _link_others(draft, place, files)
            shutil.copystat(target, place)
        else:
            place.chmod(0o755)
        _sync_all(place)

        def put() -> None:
            if output is None:
                exchange(place, target)
            else:
                place.rename(target)
            sync(target.parent)

        yield Staged(place, documents, Written(str(target), tuple(files), "" if output else str(place)), put)
    except OSError as error:
        raise _unwritten(target, error) from error
    finally:
        # Once they have changed places, what stands there is the originals.
        if place.exists() and place.stat().st_ino == made:
            shutil.rmtree(place, ignore_errors=True)


def _check_output(draft: Draft, target: Path) -> None:
    if target.exists():
        raise BadInput(f"{target} is there already, and nothing is overwritten. Name a new folder.")
    if draft.scene.folder.is_relative_to(target) or target.is_relative_to(draft.scene.folder):
        raise BadInput("The output folder and that of the scene lie within each other. Name another.")


def _link_others(draft: Draft, place: Path, files: Sequence[WrittenFile]) -> None:
    """Every file of the scene's folder that the outcome does not have by itself, as a link: it takes no room."""
    folder = draft.scene.folder
    others = list(_files_below(folder))
    if len(others) > MOST_IN_PLACE:
        raise BadInput(f"{folder} holds more than {MOST_IN_PLACE:,} files. Write the outcome to another folder.")
    replaced = {Path(file.source) for file in files if file.how in ("renamed", "converted")}
    taken = {place / file.path for file in files}
    for source in others:
        target = place / source.relative_to(folder)
        if target not in taken and source not in replaced:
            target.parent.mkdir(parents=True, exist_ok=True)
            _link(source, target)


def _link(source: Path, target: Path) -> None:
    """A second name for a file, or a copy on a disk that has no such names."""
    try:
        if os.link in os.supports_follow_symlinks:
            os.link(source, target, follow_symlinks=False)
        elif source.is_symlink():
            target.symlink_to(source.readlink())
        else:
            target.hardlink_to(source)
    except OSError as error:
        if error.errno not in (errno.EPERM, errno.ENOTSUP, errno.EMLINK):
            raise
        shutil.copy2(source, target, follow_symlinks=False)


def exchange(first: Path, second: Path) -> None:
    """Let two folders of one disk change places: in one step where the system can (renameat2(2) with
    RENAME_EXCHANGE), else by renaming one after the other. Ended between two of these, the contents of `second` are
    where `first` was, and those of `first` beside it under the name of `second` with BETWEEN."""
    renameat2 = getattr(ctypes.CDLL(None, use_errno=True), "renameat2", None) if os.name == "posix" else None
    if renameat2 is not None:
        if renameat2(_AT_FDCWD, os.fsencode(first), _AT_FDCWD, os.fsencode(second), RENAME_EXCHANGE) == 0:
            return
        number = ctypes.get_errno()
        if number not in _CANNOT_EXCHANGE:
            raise OSError(number, os.strerror(number), str(first))
    _exchange_in_steps(first, second)


def _exchange_in_steps(first: Path, second: Path) -> None:
    between = _free(second.with_name(f"{second.name}{BETWEEN}"))
    first.rename(between)
    try:
        second.rename(first)
    except OSError:
        between.rename(first)
        raise
    try:
        between.rename(second)
    except OSError:
        first.rename(second)
        between.rename(first)
        raise


BETWEEN = ".being-written"
_CANNOT_EXCHANGE = (errno.ENOSYS, errno.EINVAL, errno.ENOTSUP)
"""What systems and disks answer that have no such call."""


def _placed(draft: Draft) -> Iterator[tuple[Path, Path, DraftPicture]]:
    """Every picture file with the path that it would have were it written beside its original, once for each."""
    seen: set[tuple[Path, Path]] = set()
    for picture in draft.pictures:
        for source in draft.scene.files_of(picture.use):
            target = Path(picture.targets.get(source, str(source)))
            if source.is_relative_to(draft.scene.folder) and (source, target) not in seen:
                seen.add((source, target))
                yield source, target, picture


def _fill(draft: Draft, folder: Path, documents: Documents, progress: Progress | None) -> list[WrittenFile]:
    placed = list(_placed(draft))
    for parent in {target.parent for _, target, _ in placed}:
        (folder / parent.relative_to(draft.scene.folder)).mkdir(parents=True, exist_ok=True)
    made: dict[tuple[Path, Path], WrittenFile] = {}

    def write(one: tuple[Path, Path, DraftPicture]) -> None:
        source, target, picture = one
        made[source, target] = _write_picture(draft, source, target.relative_to(draft.scene.folder), picture, folder)

    def told(share: float) -> None:
        documents.check()
        if progress:
            progress(share, "Writing textures")

    on_all_cores(write, placed, told)
    files = [made[source, target] for source, target, _ in placed]
    for number, frame in enumerate(draft.frames):
        if progress:
            progress(number / len(draft.frames), f"Rescuing {frame.source.name}")
        below = frame.target.relative_to(draft.scene.folder)
        place = folder / below
        place.parent.mkdir(parents=True, exist_ok=True)
        write_rescued(draft.config, frame, place)
        files.append(WrittenFile(str(frame.source), below.as_posix(), hash_of(frame.source), hash_of(place), "rescued"))
    if progress:
        progress(1.0, "Writing documents")
    contents = documents.contents
    for path, content in contents.items():
        package = draft.scene.package_of(path)
        if package not in (None, path):
            continue  # it stands in the package
        place = folder / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(_repacked(draft, path, contents) if package else content)
        sha256 = draft.scene.documents[path].sha256
        files.append(WrittenFile(str(draft.scene.folder / path), path, sha256, hash_of(place), "document"))
    return files


def _write_picture(draft: Draft, source: Path, below: Path, picture: DraftPicture, folder: Path) -> WrittenFile:
    place = folder / below
    if wanted := picture.converting:
        how = "converted"
        convert(draft.config, source, wanted.source_space, wanted.space, wanted.format, place)
    else:
        how = "renamed" if below != source.relative_to(draft.scene.folder) else "copied"
        shutil.copy2(source, place)
    return WrittenFile(str(source), below.as_posix(), hash_of(source), hash_of(place), how)


def _repacked(draft: Draft, path: str, documents: Mapping[str, bytes]) -> bytes:
    """A package with its layers as they will be, and its pictures under their new names, converted where the plan says
    so."""
    folder = draft.scene.packages[path]
    outcomes: dict[str, dict[str, Path]] = defaultdict(dict)
    with tempfile.TemporaryDirectory() as made:
        layers = [each for each in documents if each != path and draft.scene.package_of(each) == path]
        for number, layer in enumerate(layers):
            name = layer.removeprefix(f"{path}/")
            outcomes[name][name] = Path(made) / f"layer {number}"
            outcomes[name][name].write_bytes(documents[layer])
        for picture in chain.from_iterable(draft.by_document.get(each, ()) for each in (path, *layers)):
            for source in draft.scene.files_of(picture.use):
                target = Path(picture.targets.get(source, str(source)))
                within = outcomes[source.relative_to(folder).as_posix()]
                name = target.relative_to(folder).as_posix()
                if name in within:
                    continue
                within[name] = source
                if wanted := picture.converting:
                    within[name] = Path(made) / name
                    within[name].parent.mkdir(parents=True, exist_ok=True)
                    convert(draft.config, source, wanted.source_space, wanted.space, wanted.format, within[name])
        return usd_package.with_files(
            documents[path], {name: list(within.items()) for name, within in outcomes.items()}
        )


def _size(path: Path) -> int:
    with suppress(OSError):
        return path.stat().st_size
    return 0


def _rescued_size(draft: Draft, frame: Rescuing) -> int:
    found = draft.survey(frame.source)
    if found is None:
        return 0
    width, height = found.facts.header.picture_size
    return BYTES_EACH * width * height


def _files_below(folder: Path) -> Iterator[Path]:
    for place, _, names in os.walk(folder):
        for name in names:
            yield Path(place) / name


def _free(path: Path) -> Path:
    number, free = 1, path
    while free.exists():
        number += 1
        free = path.with_name(f"{path.name}-{number}")
    return free


def _sync_all(folder: Path) -> None:
    """Have a folder on disk, and all in it."""
    for place, _, names in os.walk(folder):
        for name in names:
            sync(Path(place) / name)
        sync(Path(place))


def _unwritten(path: Path, error: OSError) -> BadInput:
    if is_disk_full(error):
        return DiskFull()
    return BadInput(
        f"{path} cannot be written: {error.strerror}. Nothing was changed. Check the folder and its rights."
    )


def _is_outcome(done: Written, folder: Path) -> bool:
    """Whether a folder holds what was written, as far as it was written under another name or with other content."""
    told = [file for file in done.files if file.sha256 != file.source_sha256 or file.how == "renamed"]
    return all((folder / file.path).exists() for file in told) and not any(
        file.how == "document" and hash_of(folder / file.path) == file.source_sha256 for file in told
    )


def gone_back(done: Written) -> list[str]:
    """Take an outcome back; the sentences tell what was done. Files that were changed since are left, and told. Raises
    BadInput when there is nothing to go back to."""
    folder = Path(done.folder)
    if done.kept:
        kept = Path(done.kept)
        if not kept.is_dir():
            raise BadInput(f"{kept} is not there any more, so there is nothing to go back to.")
        if not _is_outcome(done, folder):
            raise BadInput(f"{folder} is not what the migration made: it never came so far, or was taken back already.")
        exchange(kept, folder)
        after = kept.rename(_free(folder.parent / f"{folder.name}.after-migration"))
        return [f"{folder} is as it was. What the migration made of it is kept in {after}."]
    if not folder.is_dir():
        raise BadInput(f"{folder} is not there any more. The originals were never changed.")
    changed = []
    for file in done.files:
        place = folder / file.path
        if not place.is_file():
            continue
        if hash_of(place) != file.sha256:
            changed.append(file.path)
            continue
        place.unlink()
    for below, _, _ in os.walk(folder, topdown=False):
        with suppress(OSError):
            Path(below).rmdir()
    told = [f"What was written to {folder} is removed. The originals were never changed."]
    if changed:
        told.append(f"Left, since they were changed after the migration: {', '.join(changed[:20])}.")
    return told
