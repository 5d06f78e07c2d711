"""Lat-long environments as two stations look at them: by how much to turn one, and the turned copy."""

from dataclasses import dataclass

import numpy as np

from saltwort.core.images.reading import Pixels
from saltwort.core.stations.abilities.lat_long_centre import LAT_LONG_CENTRE
from saltwort.core.stations.abilities.lat_long_mirrored import LAT_LONG_MIRRORED
from saltwort.core.stations.station import Station


@dataclass(frozen=True)
class Turn:
    """A turn around the vertical, in degrees to the right as seen from inside, after a flip left to right if it is
    mirrored."""

    degrees: float
    mirrored: bool = False


def turn_between(like: Station, station: Station) -> Turn:
    """How a picture must be turned for a station to show it as another one does."""
    mirrored = bool(like.able(LAT_LONG_MIRRORED)) != bool(station.able(LAT_LONG_MIRRORED))
    degrees = float(like.able(LAT_LONG_CENTRE)) - float(station.able(LAT_LONG_CENTRE))
    return Turn(degrees % 360, mirrored)


def is_turned(one: Station, other: Station) -> bool:
    """Whether two stations show the same environment from other sides."""
    return turn_between(one, other) != Turn(0.0)


def turned(pixels: Pixels, turn: Turn) -> Pixels:
    """A lat-long picture, (height, width, channels), turned, in the same numbers; light is resampled as light.

    The picture moves by a part of its width, and what leaves at one side comes in at the other. Between two columns it
    is interpolated linearly: each row keeps its sum, and so does the light of each direction's height, to rounding.
    """
    flipped = pixels[:, ::-1] if turn.mirrored else pixels
    width = pixels.shape[1]
    moved = turn.degrees % 360 / 360 * width
    whole = int(np.floor(moved))
    part = np.float32(moved - whole)
    near = np.roll(flipped, whole, axis=1)
    if part == 0:
        return np.ascontiguousarray(near, np.float32)
    return np.asarray((1 - part) * near + part * np.roll(flipped, whole + 1, axis=1), np.float32)


def flux_kept(before: Pixels, after: Pixels) -> float:
    """The light of a turned copy as a part of the original's, each row by its share of the sphere; 1 of none."""
    height = before.shape[0]
    share = np.sin((np.arange(height) + 0.5) / height * np.pi)[:, np.newaxis, np.newaxis]
    lit = [float((np.nan_to_num(each[..., :3].astype(np.float64)) * share).sum()) for each in (before, after)]
    return lit[1] / lit[0] if lit[0] else 1.0
