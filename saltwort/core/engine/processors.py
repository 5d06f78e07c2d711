"""Processors for the two things done to pixels: from space to space, and through a view."""

from dataclasses import dataclass
from threading import RLock

import PyOpenColorIO as ocio

from saltwort.core.engine.loading import first_sentence
from saltwort.core.errors import BadInput

building = RLock()
"""Held while the engine builds, and while a config that others build from is copied. The engine may then ask an archive
for a LUT, which is Python, with a lock of its own held: a second thread that waited for that lock, and kept Python's,
would stop both for ever."""

LARGEST_EXPOSURE = 32.0
"""Stops either way; beyond, float32 light of any picture is black or overflows."""


@dataclass(frozen=True)
class ViewChoice:
    """How scene light becomes a picture. An empty `look` keeps the looks that the view itself has."""

    display: str
    view: str
    look: str = ""


def known_space(config: ocio.Config, name: str) -> str:
    """The space's own name for a name, alias or role. Raises BadInput when the config lacks it."""
    space = config.getColorSpace(name)
    if space is None:
        raise BadInput(f"The config has no colour space “{name}”. Choose one from its list.")
    found: str = space.getName()
    return found


def scene_spaces(config: ocio.Config, *, active: bool = False) -> list[ocio.ColorSpace]:
    """The scene-referred spaces of a config, all or the active ones."""
    return _spaces(config, ocio.REFERENCE_SPACE_SCENE, active)


def display_spaces(config: ocio.Config) -> list[ocio.ColorSpace]:
    """The display-referred spaces of a config."""
    return _spaces(config, ocio.REFERENCE_SPACE_DISPLAY, False)


def _spaces(config: ocio.Config, reference: ocio.ReferenceSpaceType, active: bool) -> list[ocio.ColorSpace]:
    # To ask the engine for those of one reference takes time with the third power of their number.
    which = ocio.COLORSPACE_ACTIVE if active else ocio.COLORSPACE_ALL
    spaces = config.getColorSpaces(ocio.SEARCH_REFERENCE_SPACE_ALL, which)
    return [space for space in spaces if space.getReferenceSpaceType() == reference]


def check_view(config: ocio.Config, choice: ViewChoice) -> None:
    """Raise BadInput when display, view or look is not in the config."""
    if choice.display not in config.getDisplays():
        raise BadInput(f"The config has no display “{choice.display}”. Choose one of {_listed(config.getDisplays())}.")
    views = config.getViews(choice.display)
    if choice.view not in views:
        raise BadInput(f"The display “{choice.display}” has no view “{choice.view}”. Choose one of {_listed(views)}.")
    if choice.look and config.getLook(choice.look) is None:
        raise BadInput(f"The config has no look “{choice.look}”.")


def space_processor(config: ocio.Config, source: str, target: str) -> ocio.CPUProcessor:
    """CPU processor between two spaces of the config, by name, alias or role. Raises BadInput for unknown names."""
    transform = ocio.ColorSpaceTransform(known_space(config, source), known_space(config, target))
    return build(config, transform).getDefaultCPUProcessor()


def shows_own_numbers(config: ocio.Config, choice: ViewChoice) -> bool:
    """Whether a view is without conversion, as those called Raw are: it shows a file's own numbers. Sizes and exposure
    are still changed in light; what is shown are the numbers that the file would then have."""
    space = config.getColorSpace(config.getResolvedDisplayViewColorSpaceName(choice.display, choice.view))
    return space is not None and bool(space.isData())


def view_processor(
    config: ocio.Config, source: str, choice: ViewChoice, exposure: float = 0.0, numbers_in: str = ""
) -> ocio.CPUProcessor:
    """CPU processor from `source` through exposure (stops), look and view to the display's code values.

    Exposure and look act on scene light in the working space. With neither, the engine gets nothing but its own
    display-view transform, so that its numbers are kept to the bit. A view that shows a file's own numbers gives those
    of the space `numbers_in`, where the file is not in `source`. Raises BadInput for unknown names.
    """
    check_view(config, choice)
    if not -LARGEST_EXPOSURE <= exposure <= LARGEST_EXPOSURE:
        raise BadInput(f"Exposure lies between −{LARGEST_EXPOSURE:.0f} and +{LARGEST_EXPOSURE:.0f} stops.")
    source, own = known_space(config, source), known_space(config, numbers_in or source)
    is_data = config.getColorSpace(source).isData()  # the engine passes data through a view untouched
    is_elsewhere = source != own and shows_own_numbers(config, choice)
    if is_data or not (exposure or choice.look or is_elsewhere):
        view = ocio.DisplayViewTransform(src=source, display=choice.display, view=choice.view)
        return build(config, view).getDefaultCPUProcessor()
    working = known_space(config, ocio.ROLE_SCENE_LINEAR)
    steps = [ocio.ColorSpaceTransform(source, working)]
    if exposure:
        gain = 2.0**exposure
        steps.append(ocio.MatrixTransform.Scale([gain, gain, gain, 1.0]))
    steps += view_steps(config, choice, own)
    return build(config, ocio.GroupTransform(steps)).getDefaultCPUProcessor()


def view_steps(config: ocio.Config, choice: ViewChoice, numbers_in: str) -> list[ocio.Transform]:
    """The engine's transforms from light in the working space through look and view, or to a file's own numbers in the
    space `numbers_in` where the view shows these."""
    working = known_space(config, ocio.ROLE_SCENE_LINEAR)
    looked = [ocio.LookTransform(working, working, choice.look)] if choice.look else []
    if shows_own_numbers(config, choice):
        return [*looked, ocio.ColorSpaceTransform(working, known_space(config, numbers_in))]
    view = ocio.DisplayViewTransform(src=working, display=choice.display, view=choice.view)
    view.setLooksBypass(bool(looked))
    return [*looked, view]


def inverse_view_processor(config: ocio.Config, target: str, choice: ViewChoice) -> ocio.CPUProcessor:
    """CPU processor from a view's code values back through view and look to light in `target`. Raises BadInput for
    unknown names, and for a view or look that has no inverse."""
    check_view(config, choice)
    working, target = known_space(config, ocio.ROLE_SCENE_LINEAR), known_space(config, target)
    if choice.look:
        shown = [ocio.ColorSpaceTransform(target, working), *view_steps(config, choice, working)]
    else:
        shown = [ocio.DisplayViewTransform(src=target, display=choice.display, view=choice.view)]
    return build(config, ocio.GroupTransform(shown), ocio.TRANSFORM_DIR_INVERSE).getDefaultCPUProcessor()


def look_processor(config: ocio.Config, choice: ViewChoice, exposure: float) -> ocio.CPUProcessor:
    """CPU processor from light in the working space through exposure (stops) and the choice's look, or the view's,
    still to light in the working space."""
    check_view(config, choice)
    working = known_space(config, ocio.ROLE_SCENE_LINEAR)
    gain = 2.0**exposure
    steps: list[ocio.Transform] = [ocio.MatrixTransform.Scale([gain, gain, gain, 1.0])]
    if looks := choice.look or config.getDisplayViewLooks(choice.display, choice.view):
        steps.append(ocio.LookTransform(working, working, looks))
    return build(config, ocio.GroupTransform(steps)).getDefaultCPUProcessor()


def build(
    config: ocio.Config, transform: ocio.Transform, direction: ocio.TransformDirection = ocio.TRANSFORM_DIR_FORWARD
) -> ocio.Processor:
    """The engine's processor of any transform. Every one is built here, one at a time. Raises BadInput, with the
    engine's reason, when the config cannot make it."""
    try:
        with building:
            return config.getProcessor(transform, direction)
    except (ocio.Exception, ocio.ExceptionMissingFile) as error:
        raise BadInput(f"The config cannot make this transform: {first_sentence(error)}") from error


def is_linear(config: ocio.Config, space: str) -> bool:
    """Whether a scene-referred space is linear; one that cannot be computed is not."""
    try:
        with building:
            return bool(config.isColorSpaceLinear(space, ocio.REFERENCE_SPACE_SCENE))
    except (ocio.Exception, ocio.ExceptionMissingFile):
        return False


def _listed(names: object) -> str:
    return ", ".join(f"“{name}”" for name in names)  # type: ignore[attr-defined]
