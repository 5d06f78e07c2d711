"""Scopes of a picture: how its values are spread over the picture's width, over brightness and over hue.

Each is a picture of densities, float32 on 0–1, rows from the top, ready to be shown. Values are display code values, or
light as its place on a range of stops; what lies outside 0–1 stands at the edge.
"""

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.numbers import MIDDLE_GREY
from saltwort.core.threads import on_all_cores

Picture = NDArray[np.float32]

WIDTH, HEIGHT = 284, 160
SIDE = 220
STOPS = (-8.0, 8.0)
"""Around middle grey, of light on a scope."""
ROWS = 256
"""Worked on at a time, on each core."""
GAP = 4
"""Columns between the three parts of a parade."""

# ITU-R BT.709, of R'G'B'.
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
BLUE_SCALE, RED_SCALE = 1.8556, 1.5748

KINDS = ("waveform", "parade", "vectorscope")


def on_stops(light: Picture) -> Picture:
    """Light as its place on STOPS, 0–1; zero and negative light is at 0."""
    low, high = STOPS
    result = np.empty(light.shape, np.float32)

    def place(rows: slice) -> None:
        places = np.log2(np.fmax(light[rows], np.float32(MIDDLE_GREY * 2.0**low)))  # what is no number is as dark
        places -= np.float32(np.log2(MIDDLE_GREY) + low)
        places /= np.float32(high - low)
        np.clip(places, 0, 1, out=result[rows])

    on_all_cores(place, [slice(start, start + ROWS) for start in range(0, len(light), ROWS)])
    return result


def scope(kind: str, values: Picture) -> Picture:
    """One of KINDS of a picture, (height, width, 3): an RGB picture of densities. Raises BadInput for another kind."""
    if kind not in KINDS:
        raise BadInput(f"There is no scope “{kind}”. Choose one of {', '.join(KINDS)}.")
    if not np.isfinite(values).all():
        values = np.nan_to_num(values, nan=0.0, posinf=1.0, neginf=0.0)
    if kind == "vectorscope":
        return vectorscope(values)
    return waveform(values) if kind == "waveform" else parade(values)


def waveform(values: Picture) -> Picture:
    """Luma (ITU-R BT.709) over the picture's width, HEIGHT × WIDTH, grey."""
    return np.repeat(_columns(values @ LUMA, WIDTH)[:, :, None], 3, axis=2)


def parade(values: Picture) -> Picture:
    """Red, green and blue over the picture's width, beside each other, HEIGHT × WIDTH."""
    part = (WIDTH - 2 * GAP) // 3
    result = np.zeros((HEIGHT, WIDTH, 3), np.float32)

    def draw(channel: int) -> None:
        left = channel * (part + GAP)
        density = _columns(values[..., channel], part)
        # A little of the others keeps blue from being too dark to read.
        tint = np.full(3, 0.35, np.float32)
        tint[channel] = 1
        result[:, left : left + part] = density[:, :, None] * tint

    on_all_cores(draw, range(3))
    return result


def vectorscope(values: Picture) -> Picture:
    """Cb to the right and Cr upwards (ITU-R BT.709), both from −0.5 to 0.5, SIDE × SIDE, in their colours."""
    luma = values @ LUMA
    across = np.asarray((values[..., 2] - luma) / BLUE_SCALE + 0.5, np.float32)
    up = np.asarray((values[..., 0] - luma) / RED_SCALE + 0.5, np.float32)
    density = _shown(_counts(_bins(up, SIDE), _bins(across, SIDE), (SIDE, SIDE)))[::-1]
    place = (np.arange(SIDE, dtype=np.float32) + np.float32(0.5)) / SIDE - np.float32(0.5)
    blue = np.broadcast_to(place, (SIDE, SIDE)) * np.float32(BLUE_SCALE)
    red = np.broadcast_to(-place[:, None], (SIDE, SIDE)) * np.float32(RED_SCALE)
    green = -(LUMA[0] * red + LUMA[2] * blue) / LUMA[1]
    hue = np.clip(np.stack([red, green, blue], axis=2) + np.float32(0.6), 0, 1)
    return np.asarray(density[:, :, None] * hue, np.float32)


def _columns(values: Picture, width: int) -> Picture:
    """How often each value occurs in each of `width` columns, HEIGHT × width; high values on top."""
    if values.shape[1] < width:  # a narrow picture fills every column
        values = np.repeat(values, -(-width // values.shape[1]), axis=1)
    columns = np.asarray(np.arange(values.shape[1]) * width // values.shape[1], np.int32)
    return _shown(_counts(_bins(values, HEIGHT), columns, (HEIGHT, width)))[::-1]


def _bins(values: Picture, count: int) -> NDArray[np.int32]:
    places = values * np.float32(count)
    return np.clip(places, 0, count - 1, out=places).astype(np.int32)


def _counts(rows: NDArray[np.int32], columns: NDArray[np.int32], shape: tuple[int, int]) -> NDArray[np.float64]:
    counts = np.bincount((rows * shape[1] + columns).ravel(), minlength=shape[0] * shape[1])
    return counts.reshape(shape).astype(np.float64)


def _shown(counts: NDArray[np.float64]) -> Picture:
    """Counts as brightness: by a root, so that what is rare is seen beside what is everywhere."""
    most = np.percentile(counts[counts > 0], 99) if counts.any() else 1.0
    return np.asarray(np.clip(counts / most, 0, 1) ** 0.4, np.float32)
