"""Turn a setup into the OCIO config that every application is given."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.configs.additions import check_undone
from saltwort.core.configs.target import Lowered, Replacement, lowered
from saltwort.core.configs.trim import trim
from saltwort.core.engine import ConfigArchive, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Draft, parts
from saltwort.core.project.setup import Setup, check_setup


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
    check_setup(setup)
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
    draft = Draft(config, luts, dict(base.files))
    for part in parts():
        part.compose(setup, draft)
    try:
        config.validate()
    except ocio.Exception as error:
        raise BadInput(f"The config would not be valid: {' '.join(str(error).split())}") from error
    whole = ConfigArchive(config.serialize(), draft.files)
    if any(space.view for space in setup.added_spaces):
        check_undone(load_config(whole), setup.added_spaces)  # a view may need its LUTs
    return whole


def _trimmed(archive: ConfigArchive, setup: Setup) -> ConfigArchive:
    """An untrimmed config cut down to what the setup picks; its own view always stays."""
    assert setup.trim is not None
    looks = (*setup.trim.looks, setup.view.look) if setup.view.look else setup.trim.looks
    return trim(archive, replace(setup.trim, views=(*setup.trim.views, setup.view), looks=looks))
