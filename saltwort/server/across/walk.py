"""A walk through the demo: a value to read first, then five mistakes, each done once it is really mended."""

from dataclasses import dataclass

from saltwort.core.images import read_box
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.server.compare.operations import comparison_of
from saltwort.server.findings.operations import own_findings
from saltwort.server.projects.models import Project
from saltwort.server.scene.operations import facts_of
from saltwort.server.textures.models import TextureFinding
from saltwort.server.textures.readings import refresh


@dataclass(frozen=True)
class Mistake:
    """A mistake of the demo: the finding that stands as long as it does, by code and subject, and where to look."""

    key: str
    title: str
    look: str
    path: str
    code: str
    subject: str


@dataclass(frozen=True)
class WalkStep:
    """A value to read or a mistake, and whether it is read or mended."""

    key: str
    title: str
    look: str
    path: str
    done: bool


MISTAKES = (
    Mistake(
        "data",
        "The brass looks too smooth",
        "Look at harbour_lamp_brass_roughness.png: somebody set its space by hand. What does its name say it is?",
        "textures",
        "texture.data-read-as-colour",
        "harbour_lamp/harbour_lamp_brass_roughness.png",
    ),
    Mistake(
        "washed-out",
        "The enamel is washed out",
        "Look at harbour_lamp_enamel_basecolor.exr: its pixels are steps of 8 bits. What does that say of its space?",
        "textures",
        "texture.encoded-read-as-linear",
        "harbour_lamp/harbour_lamp_enamel_basecolor.exr",
    ),
    Mistake(
        "swatch",
        "A buoy that glows",
        "Look at the swatch buoy red: its numbers came off a screen, and it says ACEScg. Where were they picked?",
        "scene?part=colours",
        "swatch.steps-in-linear",
        "buoy red",
    ),
    Mistake(
        "primaries",
        "A rope in other primaries",
        "Look at mooring_rope_dyed_basecolor.png: what does its header say, and what is it read as?",
        "textures",
        "texture.header-disagrees",
        "mooring_rope/mooring_rope_dyed_basecolor.png",
    ),
    Mistake(
        "station",
        "The grading suite shows something else",
        "Its test card came back wrong. Read which setting it is; then dismiss the finding, and say who mends it.",
        "handoffs",
        "handoff.failed",
        "Grading suite",
    ),
)


LAMP_STOPS = 5.0
"""Stops above middle grey that the flame of the lamp reads at least."""
_LOOK_AT_LAMP = (
    "In Compare, click the white square in the lamp: a held probe reads its light. "
    "How far above middle grey is it, and what does each view make of it?"
)


def walk_of(project: Project) -> list[WalkStep]:
    """The steps with what is done; none in a project that has not these mistakes' files."""
    there = dict(project.textures.values_list("path", "pk"))
    if not all(each.subject in there for each in MISTAKES if each.path == "textures"):
        return []
    refresh(project)
    standing = {(finding.code, finding.subject) for finding in own_findings(project)}
    standing |= set(TextureFinding.objects.filter(project=project).values_list("code", "path"))
    first = WalkStep("read", "First, read a value", _LOOK_AT_LAMP, "compare", _has_read_lamp(project))
    return [
        first,
        *(
            WalkStep(each.key, each.title, each.look, _place(each, there), (each.code, each.subject) not in standing)
            for each in MISTAKES
        ),
    ]


def _place(mistake: Mistake, textures: dict[str, int]) -> str:
    """The one place to look at, as a path below the project's own."""
    return f"textures/{textures[mistake.subject]}" if mistake.path == "textures" else mistake.path


def _has_read_lamp(project: Project) -> bool:
    """Whether a probe is held on something as bright as the flame, in the render that Compare shows."""
    comparison = comparison_of(project)
    render = comparison.render
    if render is None or not comparison.probes:
        return False
    width, height = facts_of(render).header.picture_size
    for x, y in comparison.probes:
        place = min(width - 1, int(x * width)), min(height - 1, int(y * height))
        light = read_box(render.image.file, *place, 1, 1, render.layer)
        if float(light.max()) >= MIDDLE_GREY * 2**LAMP_STOPS:
            return True
    return False
