"""Build the demo project through the same operations that the screens use."""

from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

from django.core.files.uploadedfile import SimpleUploadedFile

from saltwort.core.deliverables.recipe import Recipe
from saltwort.core.engine import ViewChoice
from saltwort.core.errors import BadInput
from saltwort.core.project import Setup, with_fields
from saltwort.core.scene.decisions import Appearance, Light, Scene, Swatch
from saltwort.core.spaces.typed import TypedColour
from saltwort.core.textures.rules import Rule
from saltwort.core.views import AddedView
from saltwort.demo.chain import add_chain, hand_in_cards
from saltwort.demo.night import add_night
from saltwort.demo.old_scene import add_old_scene
from saltwort.demo.render import Array, write_frames, write_render
from saltwort.demo.render import render as render_quay
from saltwort.demo.textures import write_textures
from saltwort.server.history.operations import forget_all
from saltwort.server.images.operations import store_file
from saltwort.server.outputs.recipes import make_recipes
from saltwort.server.projects.models import Project
from saltwort.server.projects.operations import change_setup, create_project
from saltwort.server.scene.operations import add_render
from saltwort.server.scene.rig import Asked, start_render
from saltwort.server.scene.sequences import add_sent
from saltwort.server.textures.intake import begin_upload, leave_out, receive
from saltwort.server.textures.operations import add_texture, pin_texture

RIG_PICTURE = (480, 270, 16)
"""Width, height and samples of the rig that ships with the demo."""

NAME, SLUG = "Lantern Quay", "lantern-quay"
RENDER = "lantern_quay_dusk.exr"

PINS = (
    ("harbour_lamp/harbour_lamp_brass_roughness.png", "srgb_texture", "looked too dark in the viewport"),
    ("mooring_rope/mooring_rope_diff.tif", "srgb_texture", "the scanner writes sRGB"),
    ("quay_wall/quay_wall_moss_basecolor.exr", "srgb_texture", "looked washed out"),
    ("harbour_lamp/harbour_lamp_paint_basecolor.png", "sRGB - Display", "to match the reference photo"),
    ("harbour_lamp/harbour_lamp_glass_lin_rec2020_transmission.exr", "ACEScg", "everything is ACEScg now"),
)

SRGB = "sRGB Encoded Rec.709 (sRGB)"
RECIPES = (
    Recipe("Review still", "still", (("exposure", "1"), ("bits", "8"))),
    Recipe("Light for the compositor", "light"),
    Recipe("Review video", "movie", (("gaps", "hold"), ("burn_in", "yes"))),
    Recipe("View for the image editor", "lut", (("from", "ACEScct"), ("format", "cube"))),
)
SCENE = Scene(
    swatches=(
        Swatch("enamel", TypedColour(SRGB, "8-bit", "47 106 104")),
        Swatch("brass", TypedColour(SRGB, "hex", "#e2c68a"), "metal"),
        Swatch("quay stone", TypedColour(SRGB, "hsl", "27 12% 37%")),
        Swatch("fresh tar", TypedColour("", "xyY", "0.33 0.34 0.012")),
        Swatch("buoy red", TypedColour("ACEScg", "8-bit", "168 42 30")),
        Swatch("flame", TypedColour("", "kelvin", "1900"), "light"),
        Swatch("channel marker", TypedColour("Linear Rec.2020", "unit", "0.02 1.4 0.16"), "light"),
        Swatch("ferry red", TypedColour("", "hex", "#b3262e"), appears=Appearance("sRGB - Display", "AgX")),
    ),
    lights=(
        Light("environment", TypedColour("", "xyY", "0.3127 0.329")),
        Light("key", TypedColour("", "daylight", "7500"), stops=-0.5),
        Light("flame", TypedColour("", "kelvin", "1900"), swatch="flame", stops=-1.5),
        Light("marker", TypedColour("", "xyY", "0.23 0.66"), swatch="channel marker", stops=-1.0),
    ),
    swatch_on_rig="enamel",
    inputs=(
        ("environment", "light/dusk_harbour_sky.hdr"),
        ("backplate", "light/harbour_backplate_acescg.exr"),
        ("stone", "quay_wall/quay_wall_basecolor.png"),
        ("stone-roughness", "quay_wall/quay_wall_roughness.png"),
        ("stone-normals", "quay_wall/quay_wall_normal.png"),
        ("brass", "harbour_lamp/harbour_lamp_brass_basecolor.png"),
        ("glass", "harbour_lamp/harbour_lamp_glass_lin_rec709_emission.exr"),
    ),
)
"""The lamplighter's colours. Two are traps: the tar is darker than any surface, and the buoy was picked on a screen and
said to be linear. The ferry has its line's red, which must appear so through the view."""


def build_demo() -> Project:
    """Make the project with its textures, pins, scene and render, and queue a picture of the rig and two outputs. Takes
    a few seconds."""
    project = create_project(NAME)
    with TemporaryDirectory() as folder:
        _add_textures(project, Path(folder))
        picture = render_quay()
        write_render(Path(folder) / RENDER, picture)
        render = add_render(project, RENDER, store_file(Path(folder) / RENDER, RENDER))
        _add_frames(project, Path(folder) / "frames", picture)
    project = change_setup(project, 1, "Read skies in linear Rec.709", _with_sky_rule)
    project = change_setup(project, 2, "Add AgX and Filmic, and look through AgX", _with_views)
    project = change_setup(project, 3, "Colours, lights, rig and recipes of the quay", _with_scene)
    add_chain(project)
    hand_in_cards(project)
    add_night(project, render, picture)
    add_old_scene(project)
    start_render(project, RIG_PICTURE, Asked())
    render.project = project
    make_recipes(project, [recipe.name for recipe in RECIPES if recipe.kind not in ("lut", "movie")], render)
    forget_all(project)
    return project


def _add_frames(project: Project, folder: Path, picture: Array) -> None:
    folder.mkdir()
    write_frames(folder, picture)
    intake = begin_upload(project)
    for file in sorted(folder.iterdir()):
        receive(intake, file.name, SimpleUploadedFile(file.name, file.read_bytes()))
    add_sent(project, intake)


def _with_scene(setup: Setup) -> Setup:
    return with_fields(setup, {"scene": SCENE, "recipes": RECIPES})


def _with_views(setup: Setup) -> Setup:
    display = setup.view.display
    views = (AddedView(display, "AgX", "agx"), AddedView(display, "Filmic", "filmic"))
    return replace(setup, added_views=views, view=ViewChoice(display, "AgX"))


def _with_sky_rule(setup: Setup) -> Setup:
    rule = Rule("Sky and environment", "map_kind", "Linear Rec.709 (sRGB)", map_kinds=("environment",))
    return replace(setup, rules=(setup.rules[0], rule, *setup.rules[1:]))


def _add_textures(project: Project, folder: Path) -> None:
    write_textures(folder)
    for file in sorted(path for path in folder.rglob("*") if path.is_file()):
        path = file.relative_to(folder).as_posix()
        try:
            image = store_file(file, path)
        except BadInput as error:
            leave_out(project, path, str(error))
        else:
            add_texture(project, path, image)
    # Traps on purpose, and one good reason.
    for path, space, note in PINS:
        texture = project.textures.get(path=path)
        pin_texture(texture, texture.version, space, note)
