"""What is wrong with frames in the folders that are watched."""

from collections.abc import Iterator

from saltwort.core.findings.registry import BLOCKER, CAUTION, Problem, Subjects, check
from saltwort.core.images.sequences import runs_of


def _problems(subjects: Subjects, code: str, title: str, advice: str) -> Iterator[Problem]:
    """A problem for each folder with such frames: which they are, and what is said of the first."""
    for folder in subjects.watched:
        frames = [frame for frame in folder.frames if frame.code == code]
        if not frames:
            continue
        numbers = [frame.number for frame in frames if frame.number is not None]
        named = [frame.name for frame in frames if frame.number is None]
        which = ", ".join([*([f"Frame {runs_of(numbers)}"] if numbers else []), *named[:10]])
        yield Problem(folder.name, title, f"{which}: {frames[0].why} {advice}")


@check("frame.view-baked", BLOCKER)
def view_baked(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed should hold light, and holds a picture for a display."""
    advice = "Write with no view and no gamma in the file, and render again."
    yield from _problems(subjects, "frame.view-baked", "Display-referred frames, not light", advice)


@check("frame.without-view", BLOCKER)
def without_view(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed should hold a picture through the view, and holds light."""
    yield from _problems(subjects, "frame.without-view", "Frames without the view", "Write through the view.")


@check("frame.clipped", BLOCKER)
def clipped(subjects: Subjects) -> Iterator[Problem]:
    """The light of a frame that landed is cut off at a value."""
    advice = "Remove the clamp, write a float format, and render again."
    yield from _problems(subjects, "frame.clipped", "Frames are cut off", advice)


@check("frame.wrong-primaries", BLOCKER)
def wrong_primaries(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed has other primaries than the working space."""
    advice = "Set the renderer to the working space of the project."
    yield from _problems(subjects, "frame.wrong-primaries", "Frames in other primaries", advice)


@check("frame.changed", BLOCKER)
def changed(subjects: Subjects) -> Iterator[Problem]:
    """Something else that is known was done to a frame that landed: channels swapped, levels squeezed, a grade."""
    advice = "The settings sheet of the application says what it should write."
    yield from _problems(subjects, "frame.changed", "Something was done to frames", advice)


@check("frame.differs-in-places", BLOCKER)
def differs_in_places(subjects: Subjects) -> Iterator[Problem]:
    """A part of a frame that landed is not what its render shows: clipped, exposed otherwise, covered."""
    advice = "Explain shows where."
    yield from _problems(subjects, "frame.differs-in-places", "Frames differ from their renders in places", advice)


@check("frame.another-image", BLOCKER)
def another_image(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed shows something else than the render with its number."""
    advice = "Check the frame number and the shot."
    yield from _problems(subjects, "frame.another-image", "Frames of another shot or number", advice)


@check("frame.other-revision", CAUTION)
def other_revision(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed is as an earlier revision of the project would have it."""
    advice = "Give that machine the package of the current revision, and render again."
    yield from _problems(subjects, "frame.other-revision", "Frames of another revision", advice)


@check("frame.non-finite", CAUTION)
def non_finite(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed holds values that are not numbers."""
    advice = "They spread when the picture is blurred or scaled; render again, or mend them before compositing."
    yield from _problems(subjects, "frame.non-finite", "NaN or infinite values in frames", advice)


@check("frame.exposure-jump", CAUTION)
def exposure_jump(subjects: Subjects) -> Iterator[Problem]:
    """The brightness of a frame jumps out of those around it."""
    advice = "Look whether a light popped or a file was missing; dismiss this for a cut."
    yield from _problems(subjects, "frame.exposure-jump", "The brightness jumps", advice)


@check("frame.missing", CAUTION)
def missing(subjects: Subjects) -> Iterator[Problem]:
    """Between the first and the last frame of a watched folder some have not landed."""
    yield from _problems(subjects, "frame.missing", "Frames have not landed", "Render them.")


@check("frame.unreadable", BLOCKER)
def unreadable(subjects: Subjects) -> Iterator[Problem]:
    """A frame that landed cannot be read."""
    yield from _problems(subjects, "frame.unreadable", "Frames cannot be read", "Render them again.")
