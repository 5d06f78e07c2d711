"""A walk through five mistakes of the demo: each is found by looking, and done once it is really mended."""

from dataclasses import dataclass

from saltwort.server.findings.operations import own_findings, refresh
from saltwort.server.projects.models import Project
from saltwort.server.textures.models import TextureFinding


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
    """A mistake, and whether it is mended."""

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


def walk_of(project: Project) -> list[WalkStep]:
    """The steps with what is done; none in a project that has not these mistakes' files."""
    there = set(project.textures.values_list("path", flat=True))
    if not all(each.subject in there for each in MISTAKES if each.path == "textures"):
        return []
    refresh(project)
    standing = {(finding.code, finding.subject) for finding in own_findings(project)}
    standing |= set(TextureFinding.objects.filter(project=project).values_list("code", "path"))
    return [
        WalkStep(each.key, each.title, each.look, each.path, (each.code, each.subject) not in standing)
        for each in MISTAKES
    ]
