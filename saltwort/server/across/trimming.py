"""Trimming a project's config: what there is to pick, what the project uses, and what a pick would give."""

from dataclasses import asdict, dataclass, replace

import PyOpenColorIO as ocio

from saltwort.core.configs import Extent, Proof, Trim, extent
from saltwort.core.engine import ConfigArchive, ViewChoice, load_config
from saltwort.core.project import compose, compose_in_steps
from saltwort.server.handoffs.used import used_by
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
