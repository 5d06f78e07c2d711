"""Which config a query asks through: that of a revision, or one as it would be otherwise."""

import json
from dataclasses import replace
from functools import lru_cache
from typing import Any

import PyOpenColorIO as ocio
from rest_framework import serializers

from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.errors import BadInput
from saltwort.core.project import compose, read_setup
from saltwort.core.structured import structured
from saltwort.core.views import AddedView
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.serializers import AddedViewSerializer
from saltwort.server.projects.setups import base_archive, config_of, luts_of

CONFIGS_KEPT = 12


class ConfigQuery(serializers.Serializer):
    """Another config than the current one: that of a revision, or one as it would be with another working space, or
    with a view that is being designed, `draft`, an added view as JSON."""

    revision = serializers.IntegerField(required=False)
    working = serializers.CharField(max_length=200, allow_blank=True, default="")
    draft = serializers.CharField(max_length=4000, allow_blank=True, default="")


def choice_asked(asked: dict[str, Any]) -> ViewChoice:
    """The view of a query."""
    return ViewChoice(asked["display"], asked["view"], asked["look"])


def config_asked(project: Project, asked: dict[str, Any]) -> ocio.Config:
    """The config of a query. Raises BadInput for one that cannot be."""
    revision = project.current
    if "revision" in asked:
        found = project.revisions.filter(number=asked["revision"]).first()
        if found is None:
            raise BadInput(f"The project has no revision {asked['revision']}.")
        revision = found
    if not asked["draft"] and asked["working"] in ("", revision.setup["working_space"]):
        return config_of(revision)
    return _changed(revision.pk, revision.config_hash, asked["working"], asked["draft"])


@lru_cache(maxsize=CONFIGS_KEPT)
def _changed(pk: int, config_hash: str, working: str, draft: str) -> ocio.Config:
    """The hash stands beside the key, since a project that was deleted may leave its key to another."""
    revision = Revision.objects.select_related("project").get(pk=pk)
    setup = read_setup(revision.setup)
    # What is looked at is the whole config, and not as it is written for an older engine.
    setup = replace(setup, working_space=working or setup.working_space, trim=None, target_version="")
    if draft:
        setup = replace(setup, added_views=(*setup.added_views, draft_from(draft)))
    return load_config(compose(base_archive(setup.base), setup, f"{revision.project.slug} changed", luts_of(setup)))


def draft_from(text: str) -> AddedView:
    """The added view that a query describes. Raises BadInput for text that is none."""
    try:
        asked = AddedViewSerializer(data=json.loads(text))
    except ValueError:
        raise BadInput("A view being designed is an added view as JSON.") from None
    asked.is_valid(raise_exception=True)
    draft: AddedView = structured(AddedView, asked.validated_data)
    return draft
