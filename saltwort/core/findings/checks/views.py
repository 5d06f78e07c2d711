"""The view that the project looks through."""

from collections import Counter
from collections.abc import Iterator

import PyOpenColorIO as ocio

from saltwort.core.findings.registry import CAUTION, NOTE, Problem, Subjects, check


@check("view.raw-left-on", CAUTION)
def raw_left_on(subjects: Subjects) -> Iterator[Problem]:
    """The project looks through a view that shows plain numbers, as if light were a picture."""
    choice = subjects.setup.view
    space = _space_of_view(subjects.config, choice.display, choice.view)
    if space is not None and space.isData():
        yield Problem(
            choice.view,
            "Raw view left on",
            f"{choice.view} on {choice.display} shows numbers as they stand: pictures look dark and hard, and what is "
            "judged by them is judged wrongly. Choose a view that makes a picture.",
        )


@check("view.for-another-display", CAUTION)
def for_another_display(subjects: Subjects) -> Iterator[Problem]:
    """The chosen view writes the code values of another display than the one it stands under."""
    choice = subjects.setup.view
    written = {
        view: space.getName()
        for view in subjects.config.getViews(choice.display)
        if (space := _space_of_view(subjects.config, choice.display, view))
        and space.getReferenceSpaceType() == ocio.REFERENCE_SPACE_DISPLAY
    }
    if choice.view not in written:
        return  # raw numbers, or a config of OCIO 1, which has no displays of its own
    usual, _ = Counter(written.values()).most_common(1)[0]
    if written[choice.view] != usual:
        yield Problem(
            choice.view,
            "View for another display",
            f"Under {choice.display} it writes {written[choice.view]}, where most of its views write {usual}: "
            "brightness and colours are shifted on every screen of that sort. Choose the view made for it.",
        )


@check("view.exposure-left-on", NOTE)
def exposure_left_on(subjects: Subjects) -> Iterator[Problem]:
    """The Compare step shows renders brighter or darker than they are, and will be opened so again."""
    if subjects.exposure:
        yield Problem(
            "Compare",
            "Exposure left on",
            f"Pictures are shown {subjects.exposure:+.1f} stops from what they are. It is for looking: a file holds no "
            "such change. Press 0 in Compare for none.",
        )


def _space_of_view(config: ocio.Config, display: str, view: str) -> ocio.ColorSpace | None:
    return config.getColorSpace(config.getResolvedDisplayViewColorSpaceName(display, view))
