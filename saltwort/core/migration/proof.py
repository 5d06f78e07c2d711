"""Whether a migrated scene gives the same light as before: every picture and every typed colour, in CIE XYZ."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.measuring import Survey
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.plan import Draft, DraftColour, DraftPicture, Progress
from saltwort.core.migration.readings import Reading, light_of
from saltwort.core.migration.rendered import Rescuing, seen_before_and_after
from saltwort.core.migration.uses import ColourUse
from saltwort.core.numbers import percentiles

Array = NDArray[np.float64]
TOLERANCE = 1e-3
"""Of the light, for pictures: halves round to 2⁻¹¹, about half of it."""
COLOUR_TOLERANCE = 1e-5
"""Of the light, for typed colours: they are written as 32-bit floats, and pass two matrices."""
FRAME_TOLERANCE = 5e-3
"""Of the display's light, for rescued frames: about half a step of 8 bits in the middle tones."""
FLOOR = 0.01
"""Of white: darker light is judged as if it were that bright."""
PIXELS = 1_000
PERCENTILES = (1, 50, 99)

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Proved:
    """One input before and after: `of` names it. Means and percentiles are of XYZ under D65, or plain numbers; of a
    rescued frame, which is no input, of its display's light.
    `largest` is the largest difference of any pixel, as a part of its light, `share` that of pixels that differ by more
    than the tolerance. `why` says why they differ."""

    document: str
    of: str
    kind: str
    same: bool
    before: Triple
    after: Triple
    percentiles_before: tuple[float, ...]
    percentiles_after: tuple[float, ...]
    largest: float
    share: float
    pixels: int
    why: str = ""


def proved(draft: Draft, folder: Path | None, progress: Progress | None = None) -> list[Proved]:
    """Every typed colour and every file of every picture, before and after; converted files as they are read back from
    `folder`, where the outcome was written. What differs comes first."""
    rows = [_colour(draft, colour) for colour in draft.colours]
    for number, picture in enumerate(draft.pictures):
        if progress:
            progress(number / max(len(draft.pictures), 1), f"Comparing {picture.use.file}")
        for file in draft.scene.files_of(picture.use):
            rows.append(_picture(draft, picture, file, folder))
    if folder is not None:
        rows += [_frame(draft, frame, folder) for frame in draft.frames]
    return sorted((row for row in rows if row is not None), key=lambda row: (row.same, -row.largest))


def _colour(draft: Draft, colour: DraftColour) -> Proved | None:
    use = colour.use
    before = _light(draft, colour.before, _triples(use, use.values))
    after = _light(draft, colour.reading, _triples(use, tuple(float(np.float32(value)) for value in colour.values)))
    if before is None or after is None:
        return None
    return _compared(use.document, use.key, "colour", before, after, COLOUR_TOLERANCE, colour.altered)


def _triples(use: ColourUse, values: tuple[float, ...]) -> Array:
    return np.array(values, np.float64).reshape(-1, use.width)[:, :3]


def _picture(draft: Draft, picture: DraftPicture, file: Path, folder: Path | None) -> Proved | None:
    found = draft.survey(file)
    if found is None:
        return None
    numbers = _numbers(found)
    before = _light(draft, picture.before, numbers)
    there = numbers
    if picture.converting and folder is not None:
        read_back = draft.survey(_written(draft, picture, file, folder))
        if read_back is None:
            return None
        there = _numbers(read_back)
    elif picture.converting:
        return None  # nothing is written yet
    after = _light(draft, picture.reading, there)
    if before is None or after is None or before.shape != after.shape:
        return None
    of = f"{file.name} on {picture.use.feeds}"
    kind = "data" if picture.reading.is_data else "picture"
    return _compared(picture.use.document, of, kind, before, after, TOLERANCE, _why_picture(picture))


def _written(draft: Draft, picture: DraftPicture, file: Path, folder: Path) -> Path:
    """The outcome of a file as it was written to `folder`, unpacked if it is within a package."""
    target = Path(picture.targets[file])
    package = draft.scene.package_of(picture.use.document)
    if package is None:
        return folder / target.relative_to(draft.scene.folder)
    unpacked = draft.scene.packages[package]
    again = unpacked.with_name(f"{unpacked.name}-written")
    if not again.exists():
        usd_package.unpack((folder / package).read_bytes(), again)
    return again / target.relative_to(unpacked)


def _frame(draft: Draft, frame: Rescuing, folder: Path) -> Proved:
    """A rescued frame as the display shows it: as it was, and its light through the view once more."""
    written = folder / frame.target.relative_to(draft.scene.folder)
    before, after = seen_before_and_after(draft.config, frame, written)
    below = frame.source.relative_to(draft.scene.folder).as_posix()
    return _compared("", below, "frame", before, after, FRAME_TOLERANCE, "The view gives no such colours.")


def _numbers(found: Survey) -> Array:
    """Up to PIXELS pixels, evenly spaced, as red, green and blue."""
    sample = found.sample
    chosen = sample[np.linspace(0, len(sample) - 1, min(PIXELS, len(sample))).astype(int)].astype(np.float64)
    return chosen[:, :3] if chosen.shape[1] >= 3 else np.repeat(chosen[:, :1], 3, axis=1)


def _light(draft: Draft, reading: Reading, numbers: Array) -> Array | None:
    try:
        return light_of(draft.config, reading, numbers)
    except BadInput:
        return None


def _why_picture(picture: DraftPicture) -> str:
    before, after = picture.before, picture.reading
    if picture.converting:  # its pixels mean what they meant in the space that they were in
        after = replace(after, space=picture.converting.source_space)
    if after.is_data and before.exponent != after.exponent:
        return f"A gamma node of exponent {before.exponent:.3g} bent these plain numbers; they pass as they are now."
    if before.space and before.exponent != 1.0 and after.exponent == 1.0:
        return f"It was decoded twice: as {before.space}, and by an exponent of {before.exponent:.3g}."
    if before.exponent != 1.0 and after.exponent == 1.0 and after.space:
        return f"An exponent of {before.exponent:.3g} decoded it; now {after.space} does: most unlike in the dark."
    if before.exponent != 1.0 and after.exponent == 1.0:
        return f"An exponent of {before.exponent:.3g} stood behind it, and is gone."
    if not before.space and after.space:
        return f"It was taken for light without decoding; it is read as {after.space} now."
    if before.exponent != 1.0 and before.exponent == after.exponent and before.working != after.working:
        return f"A node that stays raises it to {after.exponent:.3g}, now in the primaries of {after.working}."
    if before.space != after.space:
        return f"It was read as {before.space or 'light'}; it is read as {after.space or 'plain numbers'} now."
    return "Rounding of the new format." if picture.converting else ""


def _compared(document: str, of: str, kind: str, before: Array, after: Array, tolerance: float, why: str) -> Proved:
    if not (np.isfinite(before).all() and np.isfinite(after).all()):
        keep = np.isfinite(before).all(axis=1) & np.isfinite(after).all(axis=1)
        before, after = before[keep], after[keep]
    if not len(before):
        return Proved(document, of, kind, True, (0, 0, 0), (0, 0, 0), (), (), 0.0, 0.0, 0)
    # A pixel's light is that of its brightest number: XYZ of a saturated blue has a tiny Y.
    scale = np.maximum(_largest(before), FLOOR)
    off = _largest(after - before) / scale
    largest = float(off.max())
    same = largest <= tolerance
    brightness = percentiles(np.stack([before[:, 1], after[:, 1]]), PERCENTILES)
    return Proved(
        document,
        of,
        kind,
        same,
        _triple(before.mean(axis=0)),
        _triple(after.mean(axis=0)),
        tuple(round(value, 6) for value in brightness[0]),
        tuple(round(value, 6) for value in brightness[1]),
        largest,
        np.count_nonzero(off > tolerance) / len(off),
        len(before),
        "" if same else why or "Nobody asked for this difference. Look at the documents beside each other.",
    )


def _largest(rows: Array) -> Array:
    """The largest number of each row of three, whatever its sign."""
    x, y, z = np.abs(rows).T
    return np.asarray(np.maximum(np.maximum(x, y), z))


def _triple(values: Array) -> Triple:
    x, y, z = (round(float(value), 7) for value in values)
    return x, y, z
