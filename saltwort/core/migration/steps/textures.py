"""Textures converted on disk, and textures renamed, with every reference to them."""

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Literal

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.formats.registry import format_of
from saltwort.core.migration.graph import SetInput, SetSpace
from saltwort.core.migration.naming import named, token_of
from saltwort.core.migration.plan import Change, Converting, Draft, DraftPicture, step
from saltwort.core.migration.scene import TILE, is_absolute
from saltwort.core.textures.conversion_plans import DEFAULT_PATTERN, FORMATS, check_convertible, read_parts
from saltwort.core.textures.evidence import data_space

CONVERT, RENAME = "convert-textures", "rename-textures"


@dataclass(frozen=True)
class ConvertTextures:
    """`to` is the space, `format` a key of the formats of conversions."""

    to: str
    format: str = "exr-half"
    pattern: str = DEFAULT_PATTERN


@dataclass(frozen=True)
class RenameTextures:
    """`pattern` holds `{name}`, and `{space}` and `{kind}` if wanted. `which` leaves out data, or not."""

    pattern: str = DEFAULT_PATTERN
    which: Literal["all", "colour"] = "all"


@step(
    CONVERT,
    "Convert textures on disk",
    "Writes colour textures again in another space, and has every scene refer to them.",
    ConvertTextures,
    60,
)
def convert(draft: Draft, settings: ConvertTextures) -> Iterator[Change]:
    """Pictures of colour in another space. Raises BadInput for a space or format that is not known."""
    space = known_space(draft.config, settings.to)
    if settings.format not in FORMATS:
        raise BadInput(f"There is no format “{settings.format}”. Formats: {', '.join(FORMATS)}.")
    suffix = FORMATS[settings.format].suffix
    for picture in draft.pictures:
        why = _not_convertible(draft, picture, space, settings.format)
        if why:
            draft.leave(CONVERT, picture.use.document, picture.use.file, why)
            continue
        source = picture.reading.space
        if source == space:
            continue
        picture.converting = Converting(source, space, settings.format)
        name = named(settings.pattern, _plain_stem(picture), token_of(draft.config, space), "") + suffix
        yield from _renamed(draft, CONVERT, picture, name, "Its pixels are in the new space.")
        said = format_of(picture.use.document).space_name(draft.config, space, picture.use.node)
        draft.edit(picture.use.document, SetSpace(picture.use.node.path, picture.use.input, said))
        picture.reading, picture.said = replace(picture.reading, space=space), said
        yield Change(CONVERT, picture.use.document, picture.use.file, source, space, "Converted by the engine.")


def _not_convertible(draft: Draft, picture: DraftPicture, space: str, format_name: str) -> str:
    files = draft.scene.files_of(picture.use)
    if draft.scene.documents[picture.use.document].fixed_space:
        return "The standard of its document sets the space of its pictures."
    if why := _not_movable(draft, picture):
        return why
    if picture.reading.is_data or picture.reading.space == data_space(draft.config):
        return "It holds plain numbers, which have no space to convert."
    if not picture.reading.space:
        return "Nothing says its space. Declare it first."
    suffix = FORMATS[format_name].suffix
    if draft.scene.package_of(picture.use.document) and suffix not in usd_package.PICTURES:
        return f"A package holds no {suffix}. Convert to EXR or PNG, or unpack it first."
    if picture.reading.exponent != 1.0:
        return "A gamma node stands behind it. Remove it first."
    try:
        for file in files:
            check_convertible(read_parts(file), file.name, format_name)
    except BadInput as error:
        return str(error)
    return ""


def _not_movable(draft: Draft, picture: DraftPicture) -> str:
    """Why a picture cannot have another name in the outcome; empty where it can."""
    files = draft.scene.files_of(picture.use)
    if not files:
        return "Its file is not there."
    if draft.scene.is_embedded(picture.use):
        return "It stands within its document, which has no name for it."
    if draft.scene.package_of(picture.use.document):
        return ""
    if is_absolute(picture.use.file) or not all(file.is_relative_to(draft.scene.folder) for file in files):
        return "It is named by an absolute path, which a copy does not change. Make the path relative first."
    return ""


@step(
    RENAME,
    "Rename textures",
    "Gives textures names by a pattern, such as with the space they are in, and has every scene refer to them.",
    RenameTextures,
    70,
)
def rename(draft: Draft, settings: RenameTextures) -> Iterator[Change]:
    """Textures under names by a pattern. Raises BadInput for a pattern that is none, and where two files would have one
    name, also where capitals are not told apart."""
    for picture in draft.pictures:
        reading = picture.reading
        if why := _not_movable(draft, picture):
            draft.leave(RENAME, picture.use.document, picture.use.file, why)
            continue
        if picture.converting or (settings.which == "colour" and reading.is_data):
            continue
        token = token_of(
            draft.config, reading.space or (data_space(draft.config) or "") if reading.is_data or reading.space else ""
        )
        if not token and "{space}" in settings.pattern:
            draft.leave(RENAME, picture.use.document, picture.use.file, "Nothing says its space. Declare it first.")
            continue
        suffix = PurePosixPath(picture.use.file).suffix
        name = named(settings.pattern, _plain_stem(picture), token, picture.use.feeds) + suffix
        yield from _renamed(draft, RENAME, picture, name, "Named by the pattern.")
    check_names(draft)


def _plain_stem(picture: DraftPicture) -> str:
    return PurePosixPath(picture.use.file.replace("\\", "/")).stem


def _renamed(draft: Draft, key: str, picture: DraftPicture, name: str, why: str) -> Iterator[Change]:
    """A picture under another name in the same folder, tiles with their numbers."""
    use = picture.use
    written = use.file.replace("\\", "/")
    folder = written.rpartition("/")[0]
    file = f"{folder}/{name}" if folder else name
    for place in draft.scene.files_of(use):
        picture.targets[place] = str(place.parent / _with_tile(use.file, place, name))
    if file == picture.file:
        return
    draft.edit(use.document, SetInput(use.node.path, use.input, file))
    before, picture.file = picture.file, file
    yield Change(key, use.document, f"{PurePosixPath(before).name} on {use.feeds}", before, file, why)


def _with_tile(written: str, place: Path, name: str) -> str:
    """The name of one file where the document names several by TILE."""
    if TILE not in written:
        return name
    before = PurePosixPath(written.replace("\\", "/")).name.partition(TILE)[0]
    return name.replace(TILE, place.name[len(before) : len(before) + 4])


def check_names(draft: Draft) -> None:
    """Raise BadInput where two files would have one name, or names that differ in capitals alone."""
    wanted: dict[str, set[tuple[Path, str]]] = defaultdict(set)
    for picture in draft.pictures:
        converted = (picture.converting.space, picture.converting.format) if picture.converting else None
        for place in draft.scene.files_of(picture.use):
            target = picture.targets.get(place, str(place))
            wanted[target.lower()].add((place, f"{target} {converted or ''}"))
    for files in wanted.values():
        if len(files) > 1:
            first, second, *_ = sorted(files)
            raise BadInput(
                f"{first[0].name} and {second[0].name} would have one name, where capitals are not told apart. "
                "Choose a pattern that keeps them apart."
            )
