"""Files read in a space that does not fit what they hold."""

from collections.abc import Iterator

from saltwort.core.changes import Change
from saltwort.core.findings.registry import BLOCKER, CAUTION, CheckedTexture, Fix, Problem, Subjects, check
from saltwort.core.textures.kinds import DATA
from saltwort.core.textures.suggest import suggested_space

NORMAL_MAP_SHARE = 0.95
"""Share of unit vectors from which a picture is taken for a normal map; a flat blue one would have them by chance."""


@check("texture.data-read-as-colour", BLOCKER)
def data_read_as_colour(subjects: Subjects) -> Iterator[Problem]:
    """A map of plain numbers, such as roughness, is decoded as if it were a colour."""
    for texture in subjects.textures:
        kind = texture.kind
        space = subjects.config.getColorSpace(texture.assignment.space)
        if kind and kind.kind.group == DATA and space and not space.isData():
            yield Problem(
                texture.path,
                "Data read as colour",
                f"“{kind.word}” in the name says {kind.kind.label}, whose numbers are no colour. Read as "
                f"{texture.assignment.space} they are decoded first, and every value in between comes out wrong.",
                _pin(subjects, texture),
            )


@check("texture.colour-read-as-data", BLOCKER)
def colour_read_as_data(subjects: Subjects) -> Iterator[Problem]:
    """A colour or light map is taken as plain numbers and never decoded."""
    for texture in subjects.textures:
        kind = texture.kind
        space = subjects.config.getColorSpace(texture.assignment.space)
        if kind and kind.kind.group != DATA and space and space.isData():
            yield Problem(
                texture.path,
                "Colour read as data",
                f"“{kind.word}” in the name says {kind.kind.label}, but {texture.assignment.space} leaves its numbers "
                "as they are: encoded values are taken for light, and primaries are not converted.",
                _pin(subjects, texture),
            )


@check("texture.unknown-space", BLOCKER)
def unknown_space(subjects: Subjects) -> Iterator[Problem]:
    """A file is pinned to a space that the config does not have, so it cannot be read."""
    for texture in subjects.textures:
        if subjects.config.getColorSpace(texture.assignment.space) is None:
            yield Problem(
                texture.path,
                "Space is gone",
                f"It is pinned to {texture.assignment.space}, which the config does not have. Pin another, or take the "
                "pin off and let the rules decide.",
                _pin(subjects, texture),
            )


@check("texture.looks-like-normals", CAUTION)
def looks_like_normals(subjects: Subjects) -> Iterator[Problem]:
    """A file whose pixels are unit vectors is decoded as a colour, though its name does not say normal."""
    for texture in subjects.textures:
        stats = texture.facts.stats
        space = subjects.config.getColorSpace(texture.assignment.space)
        if texture.kind or space is None or space.isData() or stats.unit_vectors < NORMAL_MAP_SHARE:
            continue
        if all((high or 0) - (low or 0) < 0.1 for high, low in zip(stats.max, stats.min, strict=True)):
            continue  # one flat colour may lie on the sphere by chance
        yield Problem(
            texture.path,
            "Looks like a normal map",
            f"{stats.unit_vectors:.0%} of its pixels are vectors of length 1, as only a normal map has them, and no "
            f"word in the name says so. Read as {texture.assignment.space} the vectors bend.",
            _pin(subjects, texture, data=True),
        )


def _pin(subjects: Subjects, texture: CheckedTexture, *, data: bool = False) -> Fix | None:
    space = suggested_space(subjects.config, None if data else texture.kind, texture.facts.header, data=data)
    if not space or space == texture.assignment.space:
        return None
    return Fix(
        operation="pin-texture",
        label=f"Pin {space}",
        arguments={"path": texture.path, "space": space},
        changes=(Change(texture.path, texture.assignment.space, space),),
    )
