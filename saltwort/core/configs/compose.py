"""Turn a setup into the OCIO config that every application is given."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import add_looks, add_spaces, check_undone
from saltwort.core.configs.describe import all_views_of, working_spaces
from saltwort.core.configs.edits import edit_spaces
from saltwort.core.configs.setup import Setup
from saltwort.core.configs.target import Lowered, Replacement, lowered
from saltwort.core.configs.trim import trim
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config
from saltwort.core.engine.processors import check_view, known_space
from saltwort.core.errors import BadInput
from saltwort.core.textures.rules import file_rules
from saltwort.core.views import add_views


@dataclass(frozen=True)
class Composed:
    """What a setup makes of its base config: the whole, the part that its trim leaves, and that part as written for
    the target version, with what was replaced for it."""

    whole: ConfigArchive
    part: ConfigArchive
    written: ConfigArchive
    replacements: tuple[Replacement, ...]


def compose(base: ConfigArchive, setup: Setup, name: str, luts: Mapping[str, bytes] | None = None) -> ConfigArchive:
    """The project's config: the base config with all that the setup decides. `luts` are the LUTs of its looks by hash.

    The chosen display and view are put first, so that every application opens with them. Raises BadInput, naming
    what is missing, when the setup asks for something the base config lacks.
    """
    return compose_in_steps(base, setup, name, luts).written


def compose_in_steps(base: ConfigArchive, setup: Setup, name: str, luts: Mapping[str, bytes] | None = None) -> Composed:
    """The same, with what it was before trimming and before writing it for an older version."""
    whole = _whole(base, setup, name, luts or {})
    part = _trimmed(whole, setup) if setup.trim else whole
    written = lowered(part, setup.target_version) if setup.target_version else Lowered(part, ())
    return Composed(whole, part, written.archive, written.replacements)


def _whole(base: ConfigArchive, setup: Setup, name: str, luts: Mapping[str, bytes]) -> ConfigArchive:
    config = load_config(base, to_mend=True)
    if config.getMajorVersion() < 2:
        config.setVersion(2, 0)  # file rules came with OCIO 2
    config.setDescription(f"{name}, from {config.getName() or 'a config without a name'}.\n\n{config.getDescription()}")
    config.setName(name)
    edit_spaces(config, setup.space_edits)
    add_spaces(config, setup.added_spaces)
    _check_spaces(config, setup)
    _set_roles(config, setup)
    files = {**base.files, **add_looks(config, setup.added_looks, luts)}
    if config.hasRole(ocio.ROLE_DEFAULT):
        config.setRole(ocio.ROLE_DEFAULT, setup.default_space)  # the default rule's name in OCIO 1; both must agree
    config.setFileRules(file_rules(setup.rules, setup.default_space, setup.kind_words))
    files |= add_views(config, setup.added_views)
    _order_displays_and_views(config, setup)
    try:
        config.validate()
    except ocio.Exception as error:
        raise BadInput(f"The config would not be valid: {' '.join(str(error).split())}") from error
    whole = ConfigArchive(config.serialize(), files)
    if any(space.view for space in setup.added_spaces):
        check_undone(load_config(whole), setup.added_spaces)  # a view may need its LUTs
    return whole


def _order_displays_and_views(config: ocio.Config, setup: Setup) -> None:
    """Put active displays and views in the setup's order, the chosen ones first."""
    if setup.displays:
        for name in setup.displays:
            if name not in config.getDisplaysAll():
                raise BadInput(f"The config has no display “{name}”. Choose those to be active again.")
        config.setActiveDisplays(_list_of([*setup.displays]))
    if setup.views:
        known = {view for display in config.getDisplaysAll() for view in all_views_of(config, display)}
        if unknown := next((name for name in setup.views if name not in known), None):
            raise BadInput(f"The config has no view “{unknown}”. Choose those to be active again.")
        config.setActiveViews(_list_of([*setup.views]))
    check_view(config, setup.view)
    displays = [setup.view.display, *(name for name in config.getDisplays() if name != setup.view.display)]
    config.setActiveDisplays(_list_of(displays))
    if config.getDefaultView(setup.view.display) != setup.view.view:
        config.setActiveViews(_list_of(_views_in_order(config, setup.view)))


def _set_roles(config: ocio.Config, setup: Setup) -> None:
    for role, space in setup.roles:
        if not re.fullmatch(r"[a-z][a-z0-9_]*", role) or role == ocio.ROLE_SCENE_LINEAR:
            raise BadInput(f"“{role}” cannot be set here; the working space is the role scene_linear.")
        if config.getColorSpace(role) and not config.hasRole(role):
            raise BadInput(f"A colour space is called “{role}”, so no role can be.")
        config.setRole(role, known_space(config, space))
    config.setRole(ocio.ROLE_SCENE_LINEAR, setup.working_space)


def _trimmed(archive: ConfigArchive, setup: Setup) -> ConfigArchive:
    """An untrimmed config cut down to what the setup picks; its own view always stays."""
    assert setup.trim is not None
    looks = (*setup.trim.looks, setup.view.look) if setup.view.look else setup.trim.looks
    return trim(archive, replace(setup.trim, views=(*setup.trim.views, setup.view), looks=looks))


def _check_spaces(config: ocio.Config, setup: Setup) -> None:
    """Raise BadInput when the setup names a space that the config lacks, or works in one that is not linear."""
    if setup.working_space not in working_spaces(config):
        known_space(config, setup.working_space)
        raise BadInput(f"“{setup.working_space}” is not scene-linear; a render needs a scene-linear working space.")
    known_space(config, setup.default_space)
    for index, rule in enumerate(setup.rules, start=1):
        if rule.space and config.getColorSpace(rule.space) is None:
            raise BadInput(f"Rule {index}, “{rule.name}”: the config has no colour space “{rule.space}”.")


def _views_in_order(config: ocio.Config, choice: ViewChoice) -> list[str]:
    """All active views, the chosen one moved up only as far as its display needs: OCIO holds one order for all
    displays, and an HDR display should not open with an SDR view because of a choice made for another."""
    order = list(config.getActiveViews())
    if not order:
        order = list(dict.fromkeys(view for display in config.getDisplays() for view in config.getViews(display)))
    order.remove(choice.view)
    order.insert(order.index(config.getDefaultView(choice.display)), choice.view)
    return order


def _list_of(names: list[str]) -> str:
    """The engine's comma-separated list, with names that hold a comma quoted."""
    return ", ".join(f'"{name}"' if "," in name else name for name in names)
