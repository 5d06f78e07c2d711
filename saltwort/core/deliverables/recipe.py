"""Recipes: deliverables that are made again, by their kind, settings and how their files are named."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from saltwort.core.errors import BadInput
from saltwort.core.names import slug

TOKENS = ("picture", "recipe", "revision", "view")
LONGEST_NAME = 80
_TOKEN = re.compile(r"\{(\w*)\}")


@dataclass(frozen=True)
class Recipe:
    """A deliverable under a name. `settings` are texts by key, as they are typed in a command; what is left out is as
    the project has chosen. `naming` is a file name without its suffix, with TOKENS in braces; empty for the usual one.
    """

    name: str
    kind: str
    settings: tuple[tuple[str, str], ...] = ()
    naming: str = ""


def check_naming(naming: str) -> None:
    """Raise BadInput for a file name that cannot be."""
    unknown = [token for token in _TOKEN.findall(naming) if token not in TOKENS]
    rest = _TOKEN.sub("", naming)
    if unknown or any(mark in rest for mark in '{}/\\:*?"<>|') or any(ord(letter) < 32 for letter in rest):
        listed = ", ".join(f"{{{token}}}" for token in TOKENS)
        raise BadInput(f"A file name holds letters, numbers, spaces and {listed}, and no suffix.", "naming")
    if naming and not naming.strip(" ."):
        raise BadInput("A file name needs a letter.", "naming")


def recipe_named(recipes: Sequence[Recipe], name: str) -> Recipe:
    """A recipe by its name. Raises BadInput with the names there are."""
    for recipe in recipes:
        if recipe.name == name:
            return recipe
    known = ", ".join(recipe.name for recipe in recipes) or "none yet"
    raise BadInput(f"There is no recipe “{name}”. Recipes: {known}.")


def numbered(name: str, digits: str) -> str:
    """The name of one of many files, with the digits of its frame before the suffix."""
    stem, dot, suffix = name.rpartition(".")
    return f"{stem}.{digits}{dot}{suffix}"


def named_by(recipe: Recipe, usual: str, picture: str, revision: int, view: str) -> str:
    """The name of a file of a recipe, with the suffix of its `usual` name."""
    if not recipe.naming.strip():
        return usual
    values = {"picture": picture, "recipe": slug(recipe.name), "revision": str(revision), "view": slug(view)}
    stem = _TOKEN.sub(lambda match: values[match[1]], recipe.naming).strip(" .")
    return f"{stem[:150]}.{usual.rpartition('.')[2]}"
