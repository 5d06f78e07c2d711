"""HTTP for recipes."""

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.decorators import api_view
from rest_framework.request import Request
from rest_framework.response import Response

from saltwort.core.deliverables import deliverable_of
from saltwort.core.deliverables.recipe import LONGEST_NAME, Recipe
from saltwort.server.http import BasedOn, author_of, parsed
from saltwort.server.outputs import recipes
from saltwort.server.outputs.views import KINDS, ExpectedSerializer, OutputSerializer, output_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.views import project_named
from saltwort.server.scene.render_views import render_named


class RecipeSerializer(serializers.Serializer):
    """See Recipe. `values` are its settings with those that follow from the project, as the form shows them; `output`
    is its newest."""

    name = serializers.CharField()
    kind = serializers.CharField()
    naming = serializers.CharField(allow_blank=True)
    values = serializers.DictField()
    state = serializers.ChoiceField(choices=recipes.STATES)
    output = serializers.IntegerField(allow_null=True)
    revision = serializers.IntegerField(allow_null=True)


class RecipeChange(BasedOn):
    """A recipe, new or in the place of the one that `was` called so."""

    name = serializers.CharField(max_length=LONGEST_NAME)
    kind = serializers.ChoiceField(choices=KINDS)
    settings = serializers.DictField(default=dict)
    naming = serializers.CharField(max_length=200, allow_blank=True, default="")
    was = serializers.CharField(max_length=LONGEST_NAME, allow_blank=True, default="")


class RecipeNamed(BasedOn):
    name = serializers.CharField(max_length=LONGEST_NAME)


class RecipeExpectedSerializer(serializers.Serializer):
    """A recipe, and what it will cost and lose, or why it cannot be made."""

    name = serializers.CharField()
    expected = ExpectedSerializer(allow_null=True)
    refused = serializers.CharField(allow_blank=True)


class RecipesForeseen(serializers.Serializer):
    render = serializers.IntegerField(allow_null=True, default=None)
    frames = serializers.CharField(max_length=200, allow_blank=True, default="")


class RecipesMade(serializers.Serializer):
    """Recipes by name, all where none are named, of a render, or of `frames` of it, where their kind takes one."""

    names = serializers.ListField(child=serializers.CharField(max_length=LONGEST_NAME), default=list)
    render = serializers.IntegerField(allow_null=True, default=None)
    frames = serializers.CharField(max_length=200, allow_blank=True, default="")


@extend_schema(methods=["GET"], responses=RecipeSerializer(many=True))
@extend_schema(methods=["PUT"], request=RecipeChange, responses={204: None})
@api_view(["GET", "PUT"])
def project_recipes(request: Request, slug: str) -> Response:
    project = project_named(slug)
    if request.method == "PUT":
        asked = parsed(request, RecipeChange)
        typed = recipes.as_typed(deliverable_of(asked["kind"]), asked["settings"])
        recipe = Recipe(asked["name"], asked["kind"], typed, asked["naming"])
        recipes.save_recipe(project, asked["based_on"], recipe, asked["was"], author_of(request))
        return Response(status=status.HTTP_204_NO_CONTENT)
    return Response([_recipe(project, one) for one in recipes.standings(project)])


def _recipe(project: Project, one: recipes.Standing) -> dict[str, Any]:
    return RecipeSerializer(
        {
            **vars(one.recipe),
            "values": recipes.values_of(project, one.recipe),
            "state": one.state,
            "output": one.output.pk if one.output else None,
            "revision": one.output.revision.number if one.output else None,
        }
    ).data


@extend_schema(request=RecipeNamed, responses={204: None})
@api_view(["POST"])
def remove_recipe(request: Request, slug: str) -> Response:
    asked = parsed(request, RecipeNamed)
    recipes.remove_recipe(project_named(slug), asked["based_on"], asked["name"], author_of(request))
    return Response(status=status.HTTP_204_NO_CONTENT)


@extend_schema(request=RecipesForeseen, responses=RecipeExpectedSerializer(many=True))
@api_view(["POST"])
def foresee_recipes(request: Request, slug: str) -> Response:
    """What each recipe will cost and lose. Nothing is made."""
    asked = parsed(request, RecipesForeseen)
    render = None if asked["render"] is None else render_named(slug, asked["render"])
    found = recipes.foreseen_recipes(project_named(slug), render, asked["frames"])
    told = [{"name": name, "expected": each, "refused": refused} for name, each, refused in found]
    return Response(RecipeExpectedSerializer(told, many=True).data)


@extend_schema(request=RecipesMade, responses={201: OutputSerializer(many=True)})
@api_view(["POST"])
def make_recipes(request: Request, slug: str) -> Response:
    asked = parsed(request, RecipesMade)
    render = None if asked["render"] is None else render_named(slug, asked["render"])
    made = recipes.make_recipes(project_named(slug), asked["names"], render, asked["frames"])
    return Response([output_json(output) for output in made], status=status.HTTP_201_CREATED)
