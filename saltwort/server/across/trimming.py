"""Trimming a project's config: what there is to pick, what the project uses, and what a pick would give."""

from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.configs import Extent, Proof, Trim, extent
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config
from saltwort.core.project import compose, compose_in_steps
from saltwort.core.project.parts.recipes import Recipes
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.project.setup import Setup
from saltwort.server.compare.operations import comparison_of, panes_of
from saltwort.server.compare.panes import pane_from_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import proof_of
from saltwort.server.projects.setups import base_archive, config_of, current_setup, luts_of
from saltwort.server.scene.operations import space_of
from saltwort.server.textures.readings import spaces_read


@dataclass(frozen=True)
class Preview:
    """What a trim would give: extents before and after, what stays besides what was picked, and the proof."""

    before: Extent
    after: Extent
    kept_besides: tuple[str, ...]
    proof: Proof


def whole_config(project: Project) -> ConfigArchive:
    """The project's config as it would be untrimmed."""
    setup = current_setup(project)
    return compose(base_archive(setup.base), replace(setup, trim=None, target_version=""), project.slug, luts_of(setup))


def used_by(project: Project) -> Trim:
    """What the project uses: spaces of its textures, colours, renders, recipes and tracer; its own view, and those of
    its panes, its displays, its recipes, kept comparisons and watched folders."""
    config, setup = config_of(project.current), current_setup(project)
    names = [
        setup.working_space,
        setup.default_space,
        project.tracer_space,
        *spaces_read(project),
        *ScenePart.of(setup).spaces,
        *Recipes().spaces(setup),
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


def with_what_files_need(project: Project, picked: Trim) -> Trim:
    """A pick with the spaces that textures and renders are read in besides: a space that left would no longer be found
    in their paths, and they would be read in another without a word."""
    config = config_of(project.current)
    names = (
        *spaces_read(project),
        *(space_of(render).space for render in project.renders.select_related("image", "project__current")),
    )
    found = [config.getColorSpace(name) for name in names]
    return replace(
        picked, spaces=tuple(dict.fromkeys((*picked.spaces, *(space.getName() for space in found if space))))
    )


def preview(project: Project, asked: Trim) -> Preview:
    """Trim for a look, without saving. Raises BadInput for a pick that leaves nothing to look through."""
    picked = with_what_files_need(project, asked)
    setup = replace(current_setup(project), trim=picked, target_version="")
    made = compose_in_steps(base_archive(setup.base), setup, project.slug, luts_of(setup))
    spaces = load_config(made.part).getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    besides = tuple(name for name in spaces if name not in asked.spaces)
    return Preview(extent(made.whole), extent(made.part), besides, proof_of(made))


def choices(project: Project) -> dict[str, object]:
    """All that there is to pick, each with whether the project uses it and whether it is picked now."""
    config, used, trim = load_config(whole_config(project)), used_by(project), current_setup(project).trim
    return {
        "trimmed": trim is not None,
        "proof": project.current.proof,
        "spaces": [
            {"name": name, "used": name in used.spaces, "picked": trim is None or name in trim.spaces}
            for name in config.getColorSpaceNames()
        ],
        "views": [
            {**asdict(choice), "used": choice in used.views, "picked": trim is None or choice in trim.views}
            for choice in (
                ViewChoice(display, view) for display in config.getDisplays() for view in config.getViews(display)
            )
        ],
        "looks": [
            {"name": name, "used": name in used.looks, "picked": trim is None or name in trim.looks}
            for name in config.getLookNames()
        ],
    }
