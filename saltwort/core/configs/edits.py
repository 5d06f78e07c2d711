"""Spaces of a base config, named and described otherwise. Their numbers stay."""

from dataclasses import dataclass

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import check_free, check_space_name
from saltwort.core.errors import BadInput

ENCODINGS = ("scene-linear", "display-linear", "log", "sdr-video", "hdr-video", "data")
"""Those that the OCIO documentation names."""


@dataclass(frozen=True)
class SpaceEdit:
    """How a space is called and described.

    `space` is its name in the base config; an empty `name` keeps that, another makes it an alias. `aliases` come
    besides its own. None leaves family, encoding or description. `is_data` marks it as data, which nothing converts.
    """

    space: str
    name: str = ""
    aliases: tuple[str, ...] = ()
    family: str | None = None
    encoding: str | None = None
    description: str | None = None
    is_data: bool = False


def edit_spaces(config: ocio.Config, edits: tuple[SpaceEdit, ...]) -> None:
    """Write edits into a config that is to be changed; every space keeps its place in the list.

    Raises BadInput, naming the space, for one there is not, a name that is taken, or an encoding there is not.
    """
    if not edits:
        return
    by_name = {edit.space: edit for edit in edits}
    for name in by_name:
        space = config.getColorSpace(name)
        if space is None or space.getName() != name:
            raise BadInput(f"The base config has no colour space “{name}” to edit. Take this edit out.")
    spaces = list(config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL))
    for space in spaces:
        if edit := by_name.get(space.getName()):
            _check(config, edit)
            _edit(space, edit)
    config.clearColorSpaces()
    for space in spaces:
        config.addColorSpace(space)
    inactive = [name.strip() for name in config.getInactiveColorSpaces().split(",")]
    new_names = {edit.space: edit.name for edit in edits if edit.name}
    config.setInactiveColorSpaces(", ".join(new_names.get(name, name) for name in inactive))


def _check(config: ocio.Config, edit: SpaceEdit) -> None:
    for name in (edit.name, *edit.aliases):
        if name and name != edit.space:
            check_space_name(name)
            owner = config.getColorSpace(name)
            if owner is None or owner.getName() != edit.space or config.hasRole(name):
                check_free(config, name)
    if edit.encoding and edit.encoding not in ENCODINGS:
        raise BadInput(f"Space “{edit.space}”: an encoding is one of {', '.join(ENCODINGS)}.")


def _edit(space: ocio.ColorSpace, edit: SpaceEdit) -> None:
    if edit.name and edit.name != edit.space:
        space.setName(edit.name)  # an alias of that name goes, since names come first
        space.addAlias(edit.space)  # whatever still says the old name finds the space
    for alias in edit.aliases:
        space.addAlias(alias)
    if edit.is_data:
        space.setIsData(True)
    for value, change in (
        (edit.family, space.setFamily),
        (edit.encoding, space.setEncoding),
        (edit.description, space.setDescription),
    ):
        if value is not None:
            change(value)
