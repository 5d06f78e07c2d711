"""What a pane shows, and which config it is asked through: what all queries of the Compare step share."""

from dataclasses import asdict, dataclass
from typing import Any

from rest_framework import serializers

from saltwort.core.engine import ViewChoice
from saltwort.core.engine.processors import LARGEST_EXPOSURE, check_view
from saltwort.core.errors import BadInput
from saltwort.server.projects.asked import config_asked
from saltwort.server.projects.models import Project
from saltwort.server.projects.serializers import ViewChoiceSerializer

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


def check_pane(project: Project, pane: Pane) -> None:
    """Raise BadInput for a view that the pane's config lacks, or another project's render."""
    check_view(config_asked(project, {"working": pane.working, "draft": ""}), pane.choice)
    if pane.render is not None and not project.renders.filter(pk=pane.render).exists():
        raise BadInput("The picture of a pane is gone. Choose another.")
