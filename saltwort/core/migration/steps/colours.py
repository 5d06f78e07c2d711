"""Typed colours into another working space: the same light, in other numbers."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from saltwort.core.engine.processors import is_linear, known_space
from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.registry import format_of
from saltwort.core.migration.graph import PLAIN, Node, SetInput, SetSpace
from saltwort.core.migration.plan import Change, Draft, DraftColour, step, told
from saltwort.core.migration.readings import to_xyz
from saltwort.core.migration.spaces import says_nothing
from saltwort.core.migration.uses import COEFFICIENT
from saltwort.core.spaces.gamuts import solve

KEY = "convert-colours"
Array = NDArray[np.float64]
LOWEST = -1e-5
"""Below which a number is outside: rounding leaves less."""


@dataclass(frozen=True)
class ConvertColours:
    """`to` is the working space; `outside` what becomes of colours that it does not hold: `keep` their negative
    numbers, `clip` them to 0, or `compress`: towards grey of the same luminance until none is below 0."""

    to: str
    outside: Literal["keep", "clip", "compress"] = "keep"


@step(
    KEY,
    "Convert typed colours",
    "Writes colours of surfaces, lights and fog in another working space: chromaticity and luminance stay.",
    ConvertColours,
    40,
)
def take(draft: Draft, settings: ConvertColours) -> Iterator[Change]:
    """Every typed colour in another space, and the documents said to be in it. Raises BadInput for a space that is not
    scene-linear."""
    space = known_space(draft.config, settings.to)
    if not is_linear(draft.config, space):
        raise BadInput(f"{space} is not linear, so no renderer works in it. Choose a scene-linear space.")
    for path, document in draft.scene.documents.items():
        if document.fixed_space:
            draft.leave(
                KEY,
                path,
                "typed colours",
                f"{document.format} sets their space by its standard; what reads it converts them.",
            )
    for colour in draft.colours:
        if not draft.scene.documents[colour.use.document].fixed_space:
            yield from _converted(draft, colour, space, settings.outside)
    for path, document in draft.scene.documents.items():
        if document.fixed_space or (draft.spaces[path] == space and document.space):
            continue
        yield from _said(draft, path, space)
        for picture in draft.by_document.get(path, ()):
            # Numbers that were taken for light of the old space are so no more.
            if not picture.reading.space and not picture.reading.is_data:
                draft.leave(
                    KEY, path, picture.use.file, "It is read as light of the working space. Declare its space too."
                )
            picture.reading = replace(picture.reading, working=space)
        draft.spaces[path] = space


def _said(draft: Draft, path: str, space: str) -> Iterator[Change]:
    """The space of the whole document."""
    document = draft.scene.documents[path]
    if not any(colour.use.document == path for colour in draft.colours) and not document.space:
        return
    format_ = format_of(path)
    said = format_.space_name(draft.config, space, Node("", "", PLAIN))
    edits = format_.space_edits(document, said)
    if said != document.space and edits:
        draft.edit(path, *edits)
        why = "Its colours are in it now."
        yield Change(KEY, path, "colour space of the document", document.space or "nothing", said, why)


def _converted(draft: Draft, colour: DraftColour, space: str, outside: str) -> Iterator[Change]:
    use = colour.use
    said_own = not says_nothing(use.said) and use.said != draft.scene.documents[use.document].space
    if colour.reading.space:
        draft.leave(KEY, use.document, use.key, f"It says its own space, {use.said}, so it means the same as before.")
        return
    if colour.reading.exponent != 1.0:
        draft.leave(KEY, use.document, use.key, "A gamma node stands behind it. Remove it first.")
        return
    if colour.reading.working == space:
        return
    numbers = np.array(colour.values, np.float64).reshape(-1, use.width)
    matrix = solve(to_xyz(draft.config, space), to_xyz(draft.config, colour.reading.working))
    there = _coefficients(numbers[:, :3], matrix) if use.role == COEFFICIENT else numbers[:, :3] @ matrix.T
    is_outside = bool((there < LOWEST).any())
    lost = ""
    if is_outside and outside == "clip":
        there, lost = np.clip(there, 0, None), "Clipped: its chromaticity is another."
    elif is_outside and outside == "compress":
        there, lost = _compressed(there, to_xyz(draft.config, space)[1]), "Compressed: it is less saturated."
    numbers = np.concatenate([there, numbers[:, 3:]], axis=1)
    colour.values = tuple(numbers.ravel().tolist())
    colour.reading = replace(colour.reading, working=space)
    if use.role == COEFFICIENT:
        colour.altered = "Of a medium, the colour of the light that is left after one mean free path is kept."
    colour.altered = " ".join(filter(None, (colour.altered, lost)))
    draft.edit(use.document, SetInput(use.node.path, use.input, colour.values))
    if said_own or (use.said and not draft.scene.documents[use.document].space):
        said = format_of(use.document).space_name(draft.config, space, use.node)
        draft.edit(use.document, SetSpace(use.node.path, use.input, said))
    why = "The same light in the new working space."
    if is_outside and not lost:
        why = "The same light; the new space does not hold it, so a number is below 0."
    yield Change(KEY, use.document, use.key, told(use.values[:6]), told(colour.values[:6]), why, lost)


def _coefficients(numbers: Array, matrix: Array) -> Array:
    """Coefficients of a medium in other primaries: light that is left after one mean free path has the same colour in
    both, by the law of Beer and Lambert. Zeros stay."""
    mean = numbers.mean(axis=1, keepdims=True)
    length = np.divide(1.0, mean, out=np.ones_like(mean), where=mean > 0)
    left = np.exp(-numbers * length)
    there = np.clip(left @ matrix.T, 1e-9, None)
    return np.asarray(-np.log(there) / length)


def _compressed(light: Array, luminance: Array) -> Array:
    """Colours brought towards grey of their luminance until no number is below 0; luminance stays."""
    grey = (light @ luminance)[:, None]
    lowest = light.min(axis=1, keepdims=True)
    reach = np.where(lowest < 0, grey / np.maximum(grey - lowest, 1e-12), 1.0)
    return np.asarray(np.where(grey > 0, grey + (light - grey) * np.clip(reach, 0, 1), np.clip(light, 0, None)))
