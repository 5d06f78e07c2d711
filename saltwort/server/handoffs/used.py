"""What a project uses of its config, and what the config is called that holds that alone."""

import json
from collections.abc import Iterator
from dataclasses import asdict
from hashlib import sha256

import PyOpenColorIO as ocio

from saltwort.core.configs import Trim
from saltwort.core.engine import ViewChoice
from saltwort.core.project import Setup
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.stations.sheet import space_of as space_of_station
from saltwort.server.compare.operations import comparison_of, panes_of
from saltwort.server.compare.panes import pane_from_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import config_name
from saltwort.server.projects.setups import config_of, current_setup
from saltwort.server.scene.operations import space_of
from saltwort.server.textures.readings import spaces_read

HASH_LETTERS = 6


def used_by(project: Project) -> Trim:
    """What the project uses: spaces of its textures, colours, renders, recipes, applications and tracer; its own view,
    and those of its panes, its displays, its recipes, kept comparisons and watched folders."""
    config, setup = config_of(project.current), current_setup(project)
    names = [
        setup.working_space,
        setup.default_space,
        project.tracer_space,
        *spaces_read(project),
        *ScenePart.of(setup).spaces,
        *Recipes().spaces(setup),
        *(space_of_station(station.described(), config) for station in project.stations.all()),
        *(space_of(render).space for render in project.renders.select_related("image", "project__current")),
    ]
    found = [config.getColorSpace(name) for name in names]
    views = [view for view in _views_used(project, setup, config) if _has(config, view)]
    return Trim(
        spaces=tuple(dict.fromkeys(space.getName() for space in found if space)),
        views=tuple(dict.fromkeys(ViewChoice(view.display, view.view) for view in views)),
        looks=tuple(dict.fromkeys(view.look for view in views if view.look)),
    )


def _views_used(project: Project, setup: Setup, config: ocio.Config) -> Iterator[ViewChoice]:
    yield setup.view
    yield from (swatch.appears.choice for swatch in ScenePart.of(setup).swatches if swatch.appears)
    yield from (pane.choice for pane, _ in panes_of(comparison_of(project)))
    for display in setup.displays:  # chosen to be delivered for
        added = [view.name for view in setup.added_views if view.display == display]
        yield from (ViewChoice(display, view) for view in added or [config.getDefaultView(display)])
    for recipe in Recipes.of(setup):
        said = dict(recipe.settings)
        if said.get("view"):
            display = said.get("display") or setup.view.display
            yield ViewChoice(str(display), str(said["view"]), str(said.get("look") or ""))
    for kept in project.kept_comparisons.all():
        yield from (pane_from_json(pane).choice for pane in kept.state.get("panes", ()))
    for folder in project.watched.exclude(view=""):
        yield ViewChoice(folder.display, folder.view)


def _has(config: ocio.Config, choice: ViewChoice) -> bool:
    return choice.display in config.getDisplaysAll() and choice.view in config.getViews(choice.display)


def export_name(project: Project, ocio_version: str = "", trim: Trim | None = None) -> str:
    """What the config of a project is called as it is given away: that of its revision; written for an OCIO version of
    its own, or trimmed, it is another one, and a hash of what it follows from stands for the revision."""
    if not ocio_version and trim is None:
        return config_name(project)
    kept = {} if trim is None else {name: sorted(map(str, values)) for name, values in asdict(trim).items()}
    follows_from = [project.current.config_hash, ocio_version, kept]
    digest = sha256(json.dumps(follows_from, sort_keys=True).encode()).hexdigest()[:HASH_LETTERS]
    return "-".join([project.slug, *([f"ocio{ocio_version}"] if ocio_version else []), digest])
