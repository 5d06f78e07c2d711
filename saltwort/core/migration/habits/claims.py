"""What documents claim of their pictures, beside what the pixels and the config say."""

from collections.abc import Iterator
from pathlib import PurePosixPath

from saltwort.core.migration.habits.registry import Seen, habit
from saltwort.core.migration.plan import Draft
from saltwort.core.migration.spaces import says_nothing
from saltwort.core.migration.suggested import suggested_space
from saltwort.core.textures.evidence import data_space


@habit(
    "other-space",
    "Textures claimed as another space",
    "The document says one space; the project, the file or its input another. The picture is decoded wrongly.",
    "declare-textures",
)
def other_space(draft: Draft) -> Iterator[Seen]:
    """Pictures whose claim is not what they are."""
    data = data_space(draft.config)
    for picture in draft.pictures:
        use = picture.use
        if (
            says_nothing(use.said)
            or picture.meant is None
            or picture.meant.space is None
            or picture.before.exponent != 1
        ):
            continue
        found = suggested_space(draft, picture)
        if found is None or found[0] == picture.meant.space:
            continue
        if draft.scene.documents[use.document].fixed_space and found[0] == data:
            continue
        name = PurePosixPath(use.file).name
        yield Seen(use.document, use.node.path, f"{name} on {use.feeds} says {use.said}, but is {found[0]}. {found[1]}")


@habit(
    "unknown-space",
    "The config lacks spaces that the scene names",
    "A renderer that does not know a space reads the picture as it is, or refuses it.",
    "to-config",
)
def unknown_space(draft: Draft) -> Iterator[Seen]:
    """Names that the config has not, with the nearest by colour."""
    told: set[tuple[str, str]] = set()
    for picture in draft.pictures:
        use, meant = picture.use, picture.meant
        is_known = draft.config.getColorSpace(use.said) is not None or draft.scene.documents[use.document].fixed_space
        if says_nothing(use.said) or is_known or meant is None or (use.document, use.said) in told:
            continue
        told.add((use.document, use.said))
        if meant.space is None:
            says = f"The config has no “{use.said}”, and {meant.how}."
        elif meant.is_same:
            says = f"The config has no “{use.said}”; its {meant.space} has the same colours ({meant.how})."
        else:
            off = f"mean ΔE {meant.difference:.2g}, {meant.how}"
            says = f"The config has no “{use.said}”; its nearest is {meant.space} ({off})."
        yield Seen(use.document, use.node.path, says)


@habit(
    "missing-file",
    "Files that are not read",
    "What is not there or not allowed cannot be judged, converted or copied.",
)
def missing_files(draft: Draft) -> Iterator[Seen]:
    """What documents name and was not read."""
    for refused in draft.scene.refused:
        yield Seen(refused.document, refused.file, refused.why)
