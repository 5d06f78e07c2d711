"""Changes to a project's scene, which is a part of its setup, and to its renders."""

from collections.abc import Callable, Sequence
from contextlib import nullcontext
from dataclasses import asdict, replace
from typing import Any

from saltwort.core.engine.processors import known_space
from saltwort.core.errors import BadInput
from saltwort.core.images import Facts, read_header, read_layers
from saltwort.core.images.intake import survey_apart
from saltwort.core.project.parts.scene import ScenePart
from saltwort.core.scene.appearance import resolved, solved_swatch
from saltwort.core.scene.decisions import SWATCH, Light, Scene, Swatch, check_scene, with_swatch, without_swatches
from saltwort.core.scene.renders import RenderSpace, render_space
from saltwort.core.scene.rig.stage import SLOTS
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.stations.station import READS_RENDERS
from saltwort.server.history.operations import recording, remove
from saltwort.server.images.models import StoredImage, facts_from_json
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup
from saltwort.server.projects.setups import config_of, rule_book_of
from saltwort.server.scene.models import Render

FLOATS = ("half", "float", "double")
INTEGER_FORMATS = ("TIFF", "PNG")
"""What renderers write with integers, and what reference pictures come in; that light is cut off there is found by
checks."""


def change_scene(
    project: Project, based_on: int, message: str, change: Callable[[Scene], Scene], author: str = ""
) -> Project:
    """Make the next revision with another scene. Raises BadInput for one that cannot be, Stale when the project was
    changed meanwhile."""
    config = config_of(project.current)

    def changed(scene: Scene) -> Scene:
        after = change(scene)
        check_scene(after)
        for colour in _new_colours(scene, after):
            if not colour.is_colorimetric:
                known_space(config, colour.space)
        for swatch in after.swatches:
            if swatch.appears and swatch not in scene.swatches:
                solved_swatch(config, swatch)
        return after

    return change_setup(
        project, based_on, message, lambda setup: ScenePart.with_value(setup, changed(ScenePart.of(setup))), author
    )


def _new_colours(before: Scene, after: Scene) -> list[TypedColour]:
    """Colours that this change types in a space. The space of others may be gone, which a finding reports."""

    def colours(scene: Scene) -> list[TypedColour]:
        typed = (swatch.colour for swatch in scene.swatches if not swatch.appears)
        return [*typed, *(light.colour for light in scene.lights)]

    old = set(colours(before))
    return [colour for colour in colours(after) if colour not in old]


def save_swatch(project: Project, based_on: int, was: str, swatch: Swatch, author: str = "") -> Project:
    """Add a swatch, or type the one called `was` anew."""
    message = f"Swatch {swatch.name} changed" if was else f"Swatch {swatch.name} added"
    return change_scene(project, based_on, message, lambda scene: with_swatch(scene, was, swatch), author)


def remove_swatches(project: Project, based_on: int, names: Sequence[str], author: str = "") -> Project:
    message = f"Swatch {names[0]} deleted" if len(names) == 1 else f"{len(names)} swatches deleted"
    config = config_of(project.current)
    return change_scene(
        project, based_on, message, lambda scene: without_swatches(scene, names, resolved(config, scene)), author
    )


def bring_swatches(project: Project, based_on: int, swatches: Sequence[Swatch], author: str = "") -> Project:
    """Add swatches from a file; those of a name that is there take its place."""

    def brought(scene: Scene) -> Scene:
        for swatch in swatches:
            scene = with_swatch(scene, swatch.name if scene.swatch(swatch.name) else "", swatch)
        return scene

    return change_scene(project, based_on, f"{len(swatches)} swatches imported from a file", brought, author)


def set_lights(project: Project, based_on: int, lights: Sequence[Light], author: str = "") -> Project:
    """Set the rig's lights. The message says which were changed."""

    def changed(scene: Scene) -> Scene:
        for light in lights:
            if light.swatch and scene.swatch(light.swatch) is None:
                raise BadInput(f"There is no swatch “{light.swatch}” for {light.name}. Choose another.")
        return replace(scene, lights=tuple(lights))

    return change_scene(project, based_on, "Lights of the rig set", changed, author)


def set_rig(
    project: Project, based_on: int, swatch: str, inputs: Sequence[tuple[str, str]], author: str = ""
) -> Project:
    """Choose the swatch of the rig's swatch ball and the textures on the rig. Raises BadInput for what there is not."""

    def changed(scene: Scene) -> Scene:
        if swatch and scene.swatch(swatch) is None:
            raise BadInput(f"There is no swatch “{swatch}”. Choose another.")
        for slot, path in inputs:
            if slot not in SLOTS:
                raise BadInput(f"The rig has no place “{slot}”; it has {', '.join(SLOTS)}.")
            if path.startswith(SWATCH):
                if scene.swatch(path.removeprefix(SWATCH)) is None or SLOTS[slot].without == "":
                    raise BadInput(
                        f"{SLOTS[slot].label} cannot be “{path}”. Choose a texture, or a swatch for a colour."
                    )
            elif not project.textures.filter(path=path).exists():
                raise BadInput(f"The project has no texture “{path}”. Choose another.")
        return replace(scene, swatch_on_rig=swatch, inputs=tuple(dict(inputs).items()))

    return change_scene(project, based_on, "Rig set up", changed, author)


def add_render(project: Project, name: str, image: StoredImage, rig: dict | None = None, author: str = "") -> Render:
    """List a picture with its first layer. Raises BadInput as `measured_render` does. One of the bench renderer comes
    when it is ready, and is nothing that somebody would undo."""
    render = measured_render(name, image, rig)
    render.project = project
    with nullcontext() if rig else recording(project, f"Render {render.name} added", author, project.renders.all()):
        render.save()
    return render


def remove_render(render: Render, author: str = "") -> None:
    """Take a render off the list. Outputs made of it stay."""
    remove(render.project, f"Render {render.name} removed", author, Render.objects.filter(pk=render.pk))


def measured_render(name: str, image: StoredImage, rig: dict | None = None, layer: str = "") -> Render:
    """A render that no project has yet, with what is measured in one of its layers, the first where none is named.
    Raises BadInput for a format that cannot hold scene light, or one that holds no picture."""
    header = read_header(image.file, "")
    integers = header.bit_depth not in FLOATS and header.format != "HDR"
    if integers and header.format not in INTEGER_FORMATS:
        raise BadInput(
            f"{name} holds {header.bit_depth} integers, which cut light off at 1. Import the render as float EXR or "
            "HDR, a reference picture as PNG or TIFF."
        )
    return Render(name=name[:200], image=image, rig=rig, layer=layer, facts=_facts(image, layer))


def change_render(
    render: Render,
    based_on: int,
    space: str | None = None,
    layer: str | None = None,
    frame: int | None = None,
    author: str = "",
) -> Render:
    """Say in which space a render is, an empty one to let the file tell again, or look at another of its layers or
    frames, or all at once. Raises BadInput for a space, layer or frame that there is not; then nothing is changed."""
    changes: dict[str, Any] = {}
    said = []
    if space is not None:
        changes["space"] = known_space(config_of(render.project.current), space) if space else ""
        said.append(f"read as {space or 'the file tells'}")
    if frame is not None:
        changes |= {"frame": frame, "image": image_of(render, frame)}
        said.append(f"frame {frame}")
    if layer is not None:
        changes["layer"] = layer
        said.append(f"layer {layer or 'of the file'}")
    if layer is not None or frame is not None:
        changes["facts"] = _facts(changes.get("image", render.image), changes.get("layer", render.layer))
    what = f"{render.name}: {', '.join(said) or 'unchanged'}"
    with recording(render.project, what, author, Render.objects.filter(pk=render.pk)):
        return render.change(based_on, **changes)


def image_of(render: Render, number: int | None) -> StoredImage:
    """The picture of a frame, or without a number of the one looked at. Raises BadInput for one that is missing or
    could not be read."""
    if number is None:
        return render.image
    frame = render.frames.select_related("image").filter(number=number).first()
    if frame is None:
        raise BadInput(f"{render.name} has no frame {number}.", "frame")
    if frame.image is None:
        raise BadInput(frame.reason or f"Frame {number} is not read yet.", "frame")
    return frame.image


def layers_of(render: Render) -> tuple[str, ...]:
    """The layers that a render can be looked at by; of a file that is gone only the one looked at."""
    try:
        return tuple(layer.name for layer in read_layers(render.image.file))
    except BadInput:
        return (render.layer,)


def facts_of(render: Render) -> Facts:
    """What was measured in the layer that is looked at."""
    return facts_from_json(render.facts) if render.facts else render.image.measured()


def space_of(render: Render) -> RenderSpace:
    """The space a render is read in, and what told it."""
    config = config_of(render.project.current)
    if render.space and config.getColorSpace(render.space):
        return RenderSpace(render.space, "you")
    return render_space(config, rule_book_of(render.project.current), render.name, facts_of(render).header)


def _facts(image: StoredImage, layer: str) -> dict:
    return asdict(survey_apart(image.file, image.file.name, layer).facts)


def expectations(project: Project, space: str) -> list[str]:
    """What each station is to expect of renders in a working space, in a sentence each."""
    return [
        f"{station.name} reads renders as {space}; set it there, or in its read nodes."
        if station.reads == READS_RENDERS
        else f"{station.name} renders in {space}: set it as the rendering space of the config."
        for station in (row.described() for row in project.stations.all())
    ]
