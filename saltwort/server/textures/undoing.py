"""Have a texture decoded through the inverse of a view."""

import re
from dataclasses import replace

from saltwort.core.configs.additions import AddedSpace, undone_view
from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import check_view
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of
from saltwort.server.textures.models import Texture
from saltwort.server.textures.operations import pin_texture

_FORBIDDEN_IN_NAMES = re.compile(r"[,:/]+ ?")


def read_through_view(texture: Texture, based_on: int, choice: ViewChoice, author: str = "") -> Texture:
    """Pin a texture to the space that undoes a view; where the config has none, it gets one by a new revision. Raises
    BadInput for a view without an inverse."""
    project = texture.project
    config = config_of(project.current)
    check_view(config, choice)
    name = next((space.getName() for space in config.getColorSpaces() if undone_view(space) == choice), None)
    note = f"decoded through the inverse of {choice.view}"
    if name is not None:
        return pin_texture(texture, based_on, name, note, author)
    name = _FORBIDDEN_IN_NAMES.sub(" ", f"Undone {choice.view} of {choice.display}")
    space = AddedSpace(name, display=choice.display, view=choice.view, family="Undone views")
    texture.project = change_setup(
        project,
        project.current.number,
        f"Add {name}",
        lambda setup: replace(setup, added_spaces=(*setup.added_spaces, space)),
        author,
        alongside=lambda: texture.change(based_on, pin_space=name, pin_note=note, pin_author=author[:80]),
        watched=[project.textures.filter(pk=texture.pk)],
    )
    return texture
