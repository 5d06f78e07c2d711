"""Add textures in, pin them, and say which space each is read in."""

import posixpath
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import PyOpenColorIO as ocio
from django.db import connection
from django.db.models import QuerySet

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.textures.kinds import MAP_KINDS, KindMatch, KindWords, map_kind_of
from saltwort.core.textures.pixel_evidence import green_points_down
from saltwort.core.textures.rules import Assignment, Reason, RuleBook, check_path
from saltwort.core.textures.sets import SetMember, set_member
from saltwort.server.history.operations import recording, remove
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

    @property
    def green_points_down(self) -> bool:
        return green_points_down(self.kind, self.texture.image.measured().stats)


def add_texture(project: Project, path: str, image: StoredImage) -> Texture:
    """Put a file into the project under a path, as `add_textures` does."""
    path = clean_path(path)
    add_textures(project, {path: image}, f"{path} imported")
    return project.textures.get(path=path)


def add_textures(
    project: Project, images: Mapping[str, StoredImage], what: str = "Textures added", author: str = "", key: str = ""
) -> None:
    """Put files into the project under their paths, relative and with `/`; what that is, is told in words. A path that
    is taken gets the new content and keeps its pin; the old content is not lost to others that use it."""
    by_path = {clean_path(path): image for path, image in images.items()}
    there, left_out = project.textures.filter(path__in=by_path), project.left_out.filter(path__in=by_path)
    with recording(project, what, author, there, left_out, key=key):
        known = {texture.path: texture for texture in there}
        for path, texture in known.items():
            if texture.image_id != by_path[path].pk:
                texture.change(texture.version, image=by_path[path])
        Texture.objects.bulk_create(
            Texture(project=project, path=path, image=image) for path, image in by_path.items() if path not in known
        )
        left_out.delete()


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


def pin_textures(project: Project, pinnings: Sequence[Pinning], author: str = "") -> None:
    """Set or take away many pins, all or none. Raises Stale when any of the textures was changed meanwhile."""
    chosen = project.textures.filter(among("pk", [pinning.texture for pinning in pinnings]))
    with recording(project, _pinned_in_words(pinnings, chosen), author, chosen):
        set_pins(project, pinnings, author)


def set_pins(project: Project, pinnings: Sequence[Pinning], author: str = "") -> None:
    """As `pin_textures`, within an action that does more."""
    config = config_of(project.current)
    names = {space: known_space(config, space) if space else "" for space in {pinning.space for pinning in pinnings}}
    pinned = among("pk", [pinning.texture for pinning in pinnings])
    before = dict(project.textures.filter(pinned).values_list("pk", "version"))
    if len(before) < len(pinnings):
        raise BadInput("Some of these files are no longer in the project. Look at the list as it stands now.")
    for pinning in pinnings:
        if before[pinning.texture] != pinning.based_on:
            raise Stale(before[pinning.texture])
    with connection.cursor() as cursor:
        cursor.executemany(
            f"UPDATE {Texture._meta.db_table} SET pin_space = %s, pin_note = %s, pin_author = %s, "
            "version = version + 1 WHERE id = %s",
            [_pin_values(names[pinning.space], pinning, author) for pinning in pinnings],
        )
    mark_behind(pinned)


def _pin_values(space: str, pinning: Pinning, author: str) -> tuple[str, str, str, int]:
    return space, pinning.note if space else "", author[:80] if space else "", pinning.texture


def _pinned_in_words(pinnings: Sequence[Pinning], chosen: QuerySet[Texture]) -> str:
    (path,) = chosen.values_list("path", flat=True)[:1] or ("",)
    files = posixpath.basename(path) if len(pinnings) == 1 else f"{len(pinnings):,} files"
    spaces = {pinning.space for pinning in pinnings} - {""}
    if not spaces:
        return f"{files}: back to the rules"
    return f"{files}: set by hand to {spaces.pop() if len(spaces) == 1 else 'several spaces'}"


def pin_texture(texture: Texture, based_on: int, space: str, note: str = "", author: str = "") -> Texture:
    """Fix the space of a texture by hand; an empty space takes the pin away."""
    pin_textures(texture.project, [Pinning(texture.pk, based_on, space, note)], author)
    texture.refresh_from_db()
    return texture


def set_kind(texture: Texture, based_on: int, kind: str, author: str = "") -> Texture:
    """Say by hand what a texture holds; an empty kind lets its name tell again. Where a rule is for that kind, the
    texture is set by hand to its space, since no config tells kinds but by names. Raises BadInput for a kind there is
    not."""
    label = _label_of(kind) if kind else "detected from its name"
    with recording(texture.project, f"{posixpath.basename(texture.path)}: map kind {label}", author, _row(texture)):
        return texture.change(based_on, **_with_kind(texture, kind, author))


def set_kinds(project: Project, kinds: Mapping[str, str], author: str = "") -> None:
    """Set the map kinds of textures by their paths, within an action that does more."""
    for texture in project.textures.filter(path__in=kinds):
        texture.project = project
        texture.change(texture.version, **_with_kind(texture, kinds[texture.path], author))


def _with_kind(texture: Texture, kind: str, author: str) -> dict[str, str]:
    if not kind:
        came_along = texture.pin_note.startswith(KIND_NOTE)
        return {"kind_by_hand": "", **({"pin_space": "", "pin_note": "", "pin_author": ""} if came_along else {})}
    rules = current_setup(texture.project).rules
    space = next((rule.space for rule in rules if rule.kind == "map_kind" and kind in rule.map_kinds), "")
    pin = {"pin_space": space, "pin_note": f"{KIND_NOTE}: {_label_of(kind)}", "pin_author": author[:80]}
    return {"kind_by_hand": kind, **(pin if space else {})}


KIND_NOTE = "map kind set by hand"


def _label_of(kind: str) -> str:
    if kind not in MAP_KINDS:
        raise BadInput(f"“{kind}” is no map kind. Choose one of {', '.join(MAP_KINDS)}.", "kind")
    return MAP_KINDS[kind].label


def _row(texture: Texture) -> QuerySet[Texture]:
    return Texture.objects.filter(pk=texture.pk)


def remove_textures(project: Project, textures: Collection[int], author: str = "") -> None:
    """Take textures out of the project. The stored files stay: other projects may use them."""
    removed = project.textures.filter(among("pk", textures))
    paths = list(removed.values_list("path", flat=True)[:2])
    what = f"{paths[0]} removed" if len(paths) == 1 else f"{len(textures):,} textures removed"
    remove(project, what, author, removed)


def assigned_textures(project: Project) -> list[AssignedTexture]:
    """All textures of a project as its current revision reads them."""
    return assigned(project, list(project.textures.select_related("image")))


def assigned(project: Project, textures: list[Texture]) -> list[AssignedTexture]:
    """These textures as the project's current revision reads them."""
    config, book, words = config_of(project.current), rule_book_of(project.current), current_setup(project).kind_words
    return [
        AssignedTexture(
            texture, _assign(config, book, texture), _kind_of(texture, words), set_member(texture.path, words)
        )
        for texture in textures
    ]


def _kind_of(texture: Texture, words: KindWords) -> KindMatch | None:
    return kind_set(texture.kind_by_hand) or map_kind_of(texture.path, words)


def kind_set(key: str) -> KindMatch | None:
    """The map kind that somebody has set by hand, by its key; None for none."""
    return KindMatch(MAP_KINDS[key], "") if key in MAP_KINDS else None


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
