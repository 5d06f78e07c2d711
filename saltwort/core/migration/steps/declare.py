"""Textures declared: each picture says the space that it is read in."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from saltwort.core.migration.formats.registry import format_of
from saltwort.core.migration.graph import SetSpace
from saltwort.core.migration.plan import Change, Draft, DraftPicture, step
from saltwort.core.migration.spaces import says_nothing
from saltwort.core.migration.suggested import suggested_space
from saltwort.core.textures.evidence import data_space

KEY = "declare-textures"


@dataclass(frozen=True)
class DeclareTextures:
    """No settings."""


@step(
    KEY,
    "Declare the spaces of textures",
    "Says in the documents which space each picture is read in: what the project sets, else what the file tells.",
    DeclareTextures,
    20,
)
def take(draft: Draft, settings: DeclareTextures) -> Iterator[Change]:
    """A space for every picture whose document can say one."""
    for picture in draft.pictures:
        yield from declared(draft, picture, KEY)


def declared(draft: Draft, picture: DraftPicture, key: str) -> Iterator[Change]:
    """A picture with the space that is right for it."""
    use = picture.use
    document = draft.scene.documents[use.document]
    of = f"{PurePosixPath(use.file).name} on {use.feeds}"
    found = suggested_space(draft, picture)
    if found is None:
        draft.leave(key, use.document, of, "The file tells no space, and the project has no such texture.")
        return
    space, why = found
    if document.fixed_space:
        meant = picture.meant.space if picture.meant else None
        if meant != space and not (use.is_data and space == data_space(draft.config)):
            draft.leave(
                key, use.document, of, f"The standard sets the space of this picture, but {why[0].lower()}{why[1:]}"
            )
        return
    said = format_of(use.document).space_name(draft.config, space, use.node)
    picture.reading = replace(
        picture.reading,
        space="" if space == data_space(draft.config) else space,
        is_data=space == data_space(draft.config) and use.is_data,
    )
    if said == picture.said:
        return
    draft.edit(use.document, SetSpace(use.node.path, use.input, said))
    before = "nothing" if says_nothing(picture.said) else picture.said
    picture.said = said
    yield Change(key, use.document, of, before, said, why)
