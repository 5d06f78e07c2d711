"""Add textures in, pin them, and say which space each is read in."""

import posixpath
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import PyOpenColorIO as ocio
from django.db import connection, transaction

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.textures.kinds import KindMatch, map_kind_of
from saltwort.core.textures.rules import Assignment, Reason, RuleBook, check_path
from saltwort.core.textures.sets import SetMember, set_member
from saltwort.server.images.models import StoredImage
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of, current_setup, rule_book_of
from saltwort.server.queries import among
from saltwort.server.textures.models import Texture, mark_behind
from saltwort.server.versions import Stale


@dataclass(frozen=True)
class AssignedTexture:
    """A texture with the space it is read in, what its name says it holds, and its place in a set."""

    texture: Texture
    assignment: Assignment
    kind: KindMatch | None
    member: SetMember


def add_texture(project: Project, path: str, image: StoredImage) -> Texture:
    """Put a file into the project under a path, as `add_textures` does."""
    path = clean_path(path)
    add_textures(project, {path: image})
    return project.textures.get(path=path)


def add_textures(project: Project, images: Mapping[str, StoredImage]) -> None:
    """Put files into the project under their paths, relative and with `/`. A path that is taken gets the new content
    and keeps its pin; the old content is not lost to others that use it."""
    by_path = {clean_path(path): image for path, image in images.items()}
    with transaction.atomic():
        known = {texture.path: texture for texture in project.textures.filter(path__in=by_path)}
        for path, texture in known.items():
            if texture.image_id != by_path[path].pk:
                texture.change(texture.version, image=by_path[path])
        Texture.objects.bulk_create(
            Texture(project=project, path=path, image=image) for path, image in by_path.items() if path not in known
        )
        project.left_out.filter(path__in=by_path).delete()


def clean_path(path: str) -> str:
    """A path inside the project. Raises BadInput for one that leads out of it."""
    path = path.replace("\\", "/")
    check_path(path)
    if path.startswith("/") or re.match(r"[A-Za-z]:", path) or ".." in path.split("/"):
        raise BadInput(f"“{path}” leads out of the project; use a path relative to it.")
    return posixpath.normpath(path)


@dataclass(frozen=True)
class Pinning:
    """A pin to set on a texture, as it stood at a version; an empty space takes the pin away."""

    texture: int
    based_on: int
    space: str
    note: str = ""


def pin_textures(project: Project, pinnings: Sequence[Pinning], author: str = "") -> list[Pinning]:
    """Set or take away many pins, all or none, and give back the pins that put all back as it was. Raises Stale when
    any of the textures was changed meanwhile."""
    config = config_of(project.current)
    names = {space: known_space(config, space) if space else "" for space in {pinning.space for pinning in pinnings}}
    pinned = among("pk", [pinning.texture for pinning in pinnings])
    with transaction.atomic():
        chosen = project.textures.filter(pinned)
        before = {
            pk: Pinning(pk, version, space, note)
            for pk, version, space, note in chosen.values_list("pk", "version", "pin_space", "pin_note")
        }
        if len(before) < len(pinnings):
            raise BadInput("Some of these files are no longer in the project. Look at the list as it stands now.")
        for pinning in pinnings:
            if before[pinning.texture].based_on != pinning.based_on:
                raise Stale(before[pinning.texture].based_on)
        with connection.cursor() as cursor:
            cursor.executemany(
                f"UPDATE {Texture._meta.db_table} SET pin_space = %s, pin_note = %s, pin_author = %s, "
                "version = version + 1 WHERE id = %s",
                [_pin_values(names[pinning.space], pinning, author) for pinning in pinnings],
            )
        mark_behind(pinned)
    return [replace(pin, based_on=pin.based_on + 1) for pin in before.values()]


def _pin_values(space: str, pinning: Pinning, author: str) -> tuple[str, str, str, int]:
    return space, pinning.note if space else "", author[:80] if space else "", pinning.texture


def pin_texture(texture: Texture, based_on: int, space: str, note: str = "", author: str = "") -> Texture:
    """Fix the space of a texture by hand; an empty space takes the pin away."""
    name = known_space(config_of(texture.project.current), space) if space else ""
    return texture.change(
        based_on, pin_space=name, pin_note=note if name else "", pin_author=author[:80] if name else ""
    )


def remove_textures(project: Project, textures: Collection[int]) -> None:
    """Take textures out of the project. The stored files stay: other projects may use them."""
    project.textures.filter(among("pk", textures)).delete()


def assigned_textures(project: Project) -> list[AssignedTexture]:
    """All textures of a project as its current revision reads them."""
    return assigned(project, list(project.textures.select_related("image")))


def assigned(project: Project, textures: list[Texture]) -> list[AssignedTexture]:
    """These textures as the project's current revision reads them."""
    config, book, words = config_of(project.current), rule_book_of(project.current), current_setup(project).kind_words
    return [
        AssignedTexture(
            texture, _assign(config, book, texture), map_kind_of(texture.path, words), set_member(texture.path, words)
        )
        for texture in textures
    ]


def assign_paths(project: Project, paths: list[str]) -> list[Assignment]:
    """The space of any paths, by pin where a path is, or ends in, that of a pinned texture, else by the rules. The
    files need not exist."""
    book = rule_book_of(project.current)
    config = config_of(project.current)
    pins = {texture.path: _pinned(config, texture) for texture in project.textures.exclude(pin_space="")}
    return [(_pin_for(path, pins) if pins else None) or book.assign(path) for path in paths]


def _pin_for(path: str, pins: dict[str, Assignment]) -> Assignment | None:
    rest = path.replace("\\", "/")
    while rest:
        if rest in pins:
            return pins[rest]
        rest = rest.partition("/")[2]
    return None


def _assign(config: ocio.Config, book: RuleBook, texture: Texture) -> Assignment:
    return _pinned(config, texture) if texture.pin_space else book.assign(texture.path)


def _pinned(config: ocio.Config, texture: Texture) -> Assignment:
    """The space that a pin names, by its name in the config as it stands; as it was pinned where that is gone."""
    space = config.getColorSpace(texture.pin_space)
    return Assignment(space.getName() if space else texture.pin_space, Reason("pin", None, texture.pin_note))
