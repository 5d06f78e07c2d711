"""The recipes of a project. They stand in no config."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from saltwort.core.deliverables import deliverables, options_of, read_options
from saltwort.core.deliverables.options import SPACE
from saltwort.core.deliverables.recipe import LONGEST_NAME, Recipe, check_naming
from saltwort.core.errors import BadInput
from saltwort.core.project.part import Fields, Journey, ValuePart, part
from saltwort.core.project.setup import Setup

MOST_RECIPES = 200


@part
class Recipes(ValuePart[tuple[Recipe, ...]]):
    fields = ("recipes",)
    default = ()
    is_set_whole = False
    stands_in_config = False

    def check(self, setup: Setup) -> None:
        if len(self.of(setup)) > MOST_RECIPES:
            raise BadInput(f"A project holds {MOST_RECIPES} recipes. Remove those that are no longer made.")
        for number, recipe in enumerate(self.of(setup)):
            if not recipe.name.strip() or len(recipe.name) > LONGEST_NAME:
                raise BadInput(f"A recipe needs a name of up to {LONGEST_NAME} letters.", "name")
            if recipe.name in {before.name for before in self.of(setup)[:number]}:
                raise BadInput(f"There is a recipe “{recipe.name}” already. Choose another name.", "name")
            if recipe.kind not in deliverables():
                raise BadInput(f"The recipe “{recipe.name}” is of a kind that this Saltwort does not make.")
            read_options(deliverables()[recipe.kind].settings, dict(recipe.settings))
            check_naming(recipe.naming)

    def spaces(self, setup: Setup) -> Iterable[str]:
        return [value for recipe in self.of(setup) for key, value in recipe.settings if key in _spaces_of(recipe)]

    def rename(self, setup: Setup, now: Callable[[str], str]) -> Fields:
        return {
            "recipes": tuple(
                replace(
                    recipe,
                    settings=tuple(
                        (key, now(value) if value and key in _spaces_of(recipe) else value)
                        for key, value in recipe.settings
                    ),
                )
                for recipe in self.of(setup)
            )
        }

    def carry(self, setup: Setup, journey: Journey) -> Fields:
        """All of them, with the spaces that mean the same; one without is left to the project's choice."""
        carried = []
        for recipe in self.of(setup):
            spaces = _spaces_of(recipe)
            now = [(key, journey.equal(value) if value and key in spaces else value) for key, value in recipe.settings]
            carried.append(replace(recipe, settings=tuple((key, value) for key, value in now if value)))
        return {"recipes": tuple(carried)}


def _spaces_of(recipe: Recipe) -> set[str]:
    """The keys of its settings that name spaces."""
    known = deliverables().get(recipe.kind)
    return {each.typed for each in options_of(known.settings) if each.kind == SPACE} if known else set()
