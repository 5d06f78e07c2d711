"""Changes to swatches and renders."""

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.scene.renders import RenderSpace, render_space
from saltwort.core.spaces.typed import TypedColour
from saltwort.server.images.models import StoredImage
from saltwort.server.projects.models import Project
from saltwort.server.projects.setups import config_of
from saltwort.server.scene.models import Render, Swatch


def add_swatch(project: Project, name: str, typed: TypedColour) -> Swatch:
    """Keep a typed colour. Raises BadInput when it does not parse or its space is unknown."""
    return Swatch.objects.create(project=project, **_swatch_fields(project, name, typed))


def change_swatch(swatch: Swatch, based_on: int, name: str, typed: TypedColour) -> Swatch:
    """Type a swatch anew. Raises Stale when it was changed meanwhile."""
    return swatch.change(based_on, **_swatch_fields(swatch.project, name, typed))


def _swatch_fields(project: Project, name: str, typed: TypedColour) -> dict[str, str]:
    if not name.strip():
        raise BadInput("A swatch needs a name.")
    _ = typed.values
    space = known_space(config_of(project.current), typed.space)
    return {"name": name.strip(), "space": space, "unit": typed.unit, "text": typed.text.strip()}


def add_render(project: Project, name: str, image: StoredImage) -> Render:
    """List a scene-linear picture. Raises BadInput for a format that cannot hold scene light."""
    header = image.measured().header
    if header.bit_depth not in ("half", "float", "double") and header.format != "HDR":
        raise BadInput(
            f"{name} holds {header.bit_depth} integers, which cut light off at 1. Bring the render as float EXR or HDR."
        )
    return Render.objects.create(project=project, name=name[:200], image=image)


def set_render_space(render: Render, based_on: int, space: str) -> Render:
    """Say in which space a render is; an empty one lets the file tell again."""
    name = known_space(config_of(render.project.current), space) if space else ""
    return render.change(based_on, space=name)


def space_of(render: Render) -> RenderSpace:
    """The space a render is read in, and what told it."""
    config = config_of(render.project.current)
    if render.space and config.getColorSpace(render.space):
        return RenderSpace(render.space, "you")
    return render_space(config, render.image.measured().header)
