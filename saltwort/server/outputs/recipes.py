"""Recipes of a project: kept in its setup, made again from any later revision."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path, PurePath
from tempfile import TemporaryDirectory
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from saltwort.core.deliverables import FRAMES, OF_PICTURES, Deliverable, deliverables, options_of, read_options
from saltwort.core.deliverables.recipe import Recipe, recipe_named
from saltwort.core.deliverables.verify import Verified, against, verify_apart
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup, read_setup, same_config
from saltwort.core.project.parts.recipes import Recipes
from saltwort.server.images.operations import write_upload
from saltwort.server.jobs.models import CANCELLED, FAILED
from saltwort.server.outputs.foreseeing import Expected, check_expected, expected
from saltwort.server.outputs.models import Output
from saltwort.server.outputs.operations import queue_output, settings_of
from saltwort.server.outputs.sources import chosen_in, sources_now
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.models import Render

NEVER_MADE, UP_TO_DATE, OLDER, UNDER_WAY, FAILED_STATE = "never made", "up to date", "older", "being made", "failed"
STATES = (NEVER_MADE, UP_TO_DATE, OLDER, UNDER_WAY, FAILED_STATE)


@dataclass(frozen=True)
class Standing:
    """A recipe with its newest output, if it was ever made, and how that stands to the project as it is."""

    recipe: Recipe
    state: str
    output: Output | None


def standings(project: Project) -> list[Standing]:
    """The recipes of a project in their order, each with how it stands."""
    setup = current_setup(project)
    made = project.outputs.exclude(recipe="").select_related("revision", "job").order_by("pk")
    newest = {output.recipe: output for output in made}
    return [
        Standing(one, _state(project, setup, one, newest.get(one.name)), newest.get(one.name))
        for one in Recipes.of(setup)
    ]


def _state(project: Project, setup: Setup, recipe: Recipe, output: Output | None) -> str:
    if output is None:
        return NEVER_MADE
    if output.facts is None:
        return FAILED_STATE if output.job is None or output.job.state in (FAILED, CANCELLED) else UNDER_WAY
    same = output.kind == recipe.kind and same_config(read_setup(output.revision.setup), setup)
    return UP_TO_DATE if same and settings_of(output) == _settings(project, recipe) else OLDER


def values_of(project: Project, recipe: Recipe) -> dict[str, Any]:
    """The settings of a recipe, those left out as the project has chosen."""
    settings = _settings(project, recipe)
    return {each.key: getattr(settings, each.key) for each in options_of(type(settings))}


def _settings(project: Project, recipe: Recipe) -> Any:
    made = _kind_of(recipe)
    return made.settings_from(read_options(made.settings, dict(recipe.settings)), chosen_in(project))


def _kind_of(recipe: Recipe) -> Deliverable[Any]:
    return deliverables()[recipe.kind]


def save_recipe(project: Project, based_on: int, recipe: Recipe, was: str = "", author: str = "") -> Project:
    """Add a recipe, or put it in the place of the one that `was` called so. Raises BadInput for one that cannot be,
    Stale when the project was changed meanwhile."""
    recipe = replace(recipe, name=recipe.name.strip())

    def saved(setup: Setup) -> Setup:
        if was and was not in [one.name for one in Recipes.of(setup)]:
            raise BadInput(f"There is no recipe “{was}” any more. Save it under a new name.")
        others = tuple(recipe if one.name == was else one for one in Recipes.of(setup))
        return Recipes.with_value(setup, others if was else (*others, recipe))

    project = change_setup(project, based_on, f"Recipe {recipe.name} {'changed' if was else 'added'}", saved, author)
    if was and was != recipe.name:
        project.outputs.filter(recipe=was).update(recipe=recipe.name)
    return project


def remove_recipe(project: Project, based_on: int, name: str, author: str = "") -> Project:
    """Remove a recipe; what was made by it stays."""

    def removed(setup: Setup) -> Setup:
        return Recipes.with_value(setup, tuple(one for one in Recipes.of(setup) if one.name != name))

    return change_setup(project, based_on, f"Recipe {name} removed", removed, author)


def make_recipes(project: Project, names: Sequence[str], render: Render | None, frames: str = "") -> list[Output]:
    """Queue the recipes of these names, or where none are named all that can be made of a render, or of `frames` of it:
    of a single picture no videos. Raises BadInput, naming the recipe, where one cannot be made: then none is."""
    recipes = [
        one for one in Recipes.of(current_setup(project)) if (_fits(one, render) if not names else one.name in names)
    ]
    if missing := set(names) - {one.name for one in recipes}:
        raise BadInput(f"There is no recipe “{min(missing)}”.")
    ordered = [_ordered(project, recipe, render, frames) for recipe in recipes]
    with transaction.atomic():
        return [queue_output(project, *each) for each in ordered]


def _fits(recipe: Recipe, render: Render | None) -> bool:
    return _kind_of(recipe).takes != FRAMES or (render is not None and render.frame is not None)


def foreseen_recipes(project: Project, render: Render | None, frames: str) -> list[tuple[str, Expected | None, str]]:
    """What each recipe will cost and lose, or the sentence with which it cannot be made."""
    found: list[tuple[str, Expected | None, str]] = []
    for recipe in Recipes.of(current_setup(project)):
        made, of_pictures = _of_render(recipe, render, frames)
        try:
            asked = read_options(made.settings, dict(recipe.settings))
            found.append((recipe.name, expected(project, recipe.kind, asked, *of_pictures), ""))
        except BadInput as error:
            found.append((recipe.name, None, str(error)))
    return found


def _of_render(
    recipe: Recipe, render: Render | None, frames: str
) -> tuple[Deliverable[Any], tuple[Render | None, str]]:
    made = _kind_of(recipe)
    return made, ((render, frames) if made.takes in OF_PICTURES else (None, ""))


Order = tuple[str, dict[str, Any], Render | None, Recipe, str]


def _ordered(project: Project, recipe: Recipe, render: Render | None, frames: str) -> Order:
    """What is to be queued of a recipe. Raises BadInput, naming it, where it cannot be made."""
    made, (of_render, of_frames) = _of_render(recipe, render, frames)
    asked = read_options(made.settings, dict(recipe.settings))
    try:
        check_expected(project, recipe.kind, asked, of_render, of_frames)
    except BadInput as error:
        raise BadInput(f"“{recipe.name}” cannot be made: {error}", error.field) from error
    return recipe.kind, asked, of_render, recipe, of_frames


def recipe_settings(project: Project, name: str) -> tuple[Any, Deliverable[Any], Any]:
    """The config, the kind and the settings of a recipe. Raises BadInput when there is none, saying which there are."""
    recipe = recipe_named(Recipes.of(current_setup(project)), name)
    return config_of(project.current), _kind_of(recipe), _settings(project, recipe)


def verified(
    project: Project, upload: UploadedFile, recipe: str, render: Render | None = None, frames: str = ""
) -> Verified:
    """Look at a finished file that a browser sent, against a recipe if one is named, and what that makes of a render if
    one is given; it is not kept. Raises BadInput for what is neither picture nor video, or takes too much to read."""
    name = PurePath(upload.name or "file").name
    Path(settings.MEDIA_ROOT).mkdir(parents=True, exist_ok=True)
    with TemporaryDirectory(dir=settings.MEDIA_ROOT) as folder:
        place = Path(folder) / f"file{PurePath(name).suffix.lower()}"
        write_upload(upload, place)
        found = verify_apart(place, name)
        if not recipe:
            return found
        config, made, chosen = recipe_settings(project, recipe)
        sources = sources_now(made, render, frames) if render and made.compares else []
        return against(found, place, config, made, chosen, sources)


def as_typed(made: Deliverable[Any], asked: dict[str, Any]) -> tuple[tuple[str, str], ...]:
    """Settings as texts, as recipes keep them. Raises BadInput for one that there is not."""
    known = {each.key: each for each in options_of(made.settings)}
    for key in asked:
        if key not in known:
            raise BadInput(f"There is no setting “{key}” here.", key)
    words = {True: "yes", False: "no"}
    return tuple(
        (known[key].typed, words[value] if isinstance(value, bool) else str(value)) for key, value in asked.items()
    )
