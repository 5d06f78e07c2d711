"""A project's setup: all that its artist has decided, as one value."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import AddedLook, AddedSpace
from saltwort.core.configs.describe import working_space_of
from saltwort.core.configs.edits import SpaceEdit
from saltwort.core.configs.trim import Trim
from saltwort.core.engine import ViewChoice
from saltwort.core.project.part import Fields, ValuePart, parts
from saltwort.core.textures.kinds import DATA, DEFAULT_KIND_WORDS, MAP_KINDS, KindWords
from saltwort.core.textures.rules import PATH_SEARCH_RULE, Rule
from saltwort.core.views import AddedView


@dataclass(frozen=True)
class Setup:
    """Everything decided for a project. `base` names the config it starts from: `builtin:` and a name, or `sha256:`
    and the hash of an uploaded text. Spaces, displays and views are named as in that config. What each field means for
    the config stands in the module of its part."""

    base: str
    working_space: str
    view: ViewChoice
    default_space: str
    rules: tuple[Rule, ...] = ()
    added_views: tuple[AddedView, ...] = ()
    added_spaces: tuple[AddedSpace, ...] = ()
    added_looks: tuple[AddedLook, ...] = ()
    roles: tuple[tuple[str, str], ...] = ()
    """Roles set otherwise than in the base config, with their space; scene_linear is the working space."""
    space_edits: tuple[SpaceEdit, ...] = ()
    displays: tuple[str, ...] = ()
    """Active displays in order; none leaves the base config's. The chosen view's display is first in any case."""
    views: tuple[str, ...] = ()
    """Active views in order, for all displays together, as OCIO has it; none leaves the base config's."""
    trim: Trim | None = None
    target_version: str = ""
    """The newest OCIO version that the config may need, such as `2.3`; empty leaves the base config's."""
    kind_words: KindWords = field(default=DEFAULT_KIND_WORDS)
    values: tuple[tuple[str, Any], ...] = ()
    """Of parts that bring their values, by name: what is not as in a new project. Read and change them through these
    parts."""


def same_config(setup: Setup, other: Setup) -> bool:
    """Whether two setups differ by nothing that stands in a config."""
    names = [name for part in parts() if part.stands_in_config for name in part.fields]
    return all(field_of(setup, name) == field_of(other, name) for name in names)


def field_of(setup: Setup, name: str) -> Any:
    """What a setup says under the name of a field of any of its parts."""
    own = value_parts().get(name)
    return own.of(setup) if own else getattr(setup, name)


def with_fields(setup: Setup, changes: Fields) -> Setup:
    """The setup with other values of fields of any of its parts, by name."""
    own = value_parts()
    changed = replace(setup, **{name: value for name, value in changes.items() if name not in own})
    for name in changes.keys() & own.keys():
        changed = own[name].with_value(changed, changes[name])
    return changed


def value_parts() -> dict[str, ValuePart[Any]]:
    """The parts that bring their values, by name."""
    return {part.name: part for part in parts() if isinstance(part, ValuePart)}


def check_setup(setup: Setup) -> None:
    """Raise BadInput for a setup that no config can have."""
    for part in parts():
        part.check(setup)


def renamed(setup: Setup, now: Callable[[str], str]) -> Setup:
    """The setup with every space called what `now` gives for its name, wherever it is named."""
    return with_fields(setup, {name: value for part in parts() for name, value in part.rename(setup, now).items()})


def with_space_edits(setup: Setup, edits: tuple[SpaceEdit, ...]) -> Setup:
    """The setup with other edits of spaces; what they rename is named so all over the setup."""
    before, after = ({edit.space: edit.name or edit.space for edit in group} for group in (setup.space_edits, edits))
    called = {before.get(space, space): after.get(space, space) for space in before.keys() | after.keys()}
    return replace(renamed(setup, lambda name: called.get(name, name)), space_edits=edits)


def first_setup(base: str, config: ocio.Config) -> Setup:
    """A sensible setup for a config nobody has decided anything about: its own default view, its rendering role, and
    rules that hold for most texture sets. Raises BadInput when the config lacks what these need.
    """
    working = working_space_of(config)
    display = config.getDefaultDisplay()
    data = next((space.getName() for space in config.getColorSpaces() if space.isData()), "")
    encoded = config.getColorSpace(ocio.ROLE_TEXTURE_PAINT) or config.getColorSpace("srgb_texture")
    rules = [PATH_SEARCH_RULE, Rule("EXR files", "glob", working, pattern="*", extension="exr")]
    if hdr := config.getColorSpace("lin_rec709_scene"):
        # The format has no primaries of its own worth trusting; its files come from cameras and sky makers in Rec.709.
        rules.append(Rule("HDR files", "glob", hdr.getName(), pattern="*", extension="hdr"))
    if data:
        kinds = tuple(kind.key for kind in MAP_KINDS.values() if kind.group == DATA)
        rules.insert(0, Rule("Data maps", "map_kind", data, map_kinds=kinds))
    return Setup(
        base=base,
        working_space=working,
        view=ViewChoice(display, config.getDefaultView(display)),
        default_space=encoded.getName() if encoded else working,
        rules=tuple(rules),
    )
