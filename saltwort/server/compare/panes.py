"""What a pane shows, and which config it is asked through: what all queries of the Compare step share."""

import json
from dataclasses import asdict, dataclass, replace
from functools import lru_cache
from typing import Any

import PyOpenColorIO as ocio
from rest_framework import serializers

from saltwort.core.engine import ViewChoice, load_config
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.core.project import compose, read_setup, structured
from saltwort.core.views import AddedView
from saltwort.server.projects.models import Project, Revision
from saltwort.server.projects.serializers import AddedViewSerializer, ViewChoiceSerializer
from saltwort.server.projects.setups import base_archive, config_of, luts_of

CONFIGS_KEPT = 12


@dataclass(frozen=True)
class Pane:
    """A view, and what a pane shows through it. None, or no working space, follows what all panes show."""

    choice: ViewChoice
    exposure: float | None = None
    render: int | None = None
    layer: str | None = None
    working: str = ""


class PaneSerializer(ViewChoiceSerializer):
    """See Pane."""

    exposure = serializers.FloatField(
        allow_null=True, default=None, min_value=-LARGEST_EXPOSURE, max_value=LARGEST_EXPOSURE
    )
    render = serializers.IntegerField(allow_null=True, default=None)
    layer = serializers.CharField(allow_null=True, allow_blank=True, default=None, max_length=200)
    working = serializers.CharField(allow_blank=True, default="", max_length=200)


class ShownPaneSerializer(PaneSerializer):
    """A pane as it can be shown now; `gone` says what of it is not there any more."""

    gone = serializers.CharField(allow_blank=True)


def pane_from_json(stored: dict[str, Any]) -> Pane:
    choice = ViewChoice(stored["display"], stored["view"], stored["look"])
    return Pane(choice, stored.get("exposure"), stored.get("render"), stored.get("layer"), stored.get("working", ""))


def pane_to_json(pane: Pane) -> dict[str, Any]:
    own = {"exposure": pane.exposure, "render": pane.render, "layer": pane.layer, "working": pane.working}
    return {**asdict(pane.choice), **own}


def filled(pane: dict[str, Any], asked: dict[str, Any]) -> dict[str, Any]:
    """A pane as it was asked for, with the render and exposure of all panes where it has none of its own, and the
    revision that all are asked through."""
    common = {name: asked[name] for name in ("render", "exposure") if pane[name] is None}
    revision = {"revision": asked["revision"]} if "revision" in asked else {}
    return {**pane, **common, **revision, "draft": ""}


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


def check_pane(project: Project, pane: Pane) -> None:
    """Raise BadInput for a view that the pane's config lacks, or another project's render."""
    check_view(config_asked(project, {"working": pane.working, "draft": ""}), pane.choice)
    if pane.render is not None and not project.renders.filter(pk=pane.render).exists():
        raise BadInput("The picture of a pane is gone. Choose another.")
