"""Light from far away: a picture of all directions, and ways drawn towards its bright parts.

The picture is latitude-longitude, as environment files are: its left edge and right edge meet behind the camera, its
middle column lies ahead (along z), its top row is overhead.
"""

import numpy as np

from saltwort.core.scene.rig.bodies import Array


class Environment:
    """Radiance from all directions, shape (bands, height, width). Ways are drawn by the mean of the bands listed in
    `judged`, so that the choice of working space does not move a single ray."""

    def __init__(self, radiance: Array, importance: Array) -> None:
        self.radiance = radiance
        height, width = importance.shape
        ring = np.sin((np.arange(height) + 0.5) / height * np.pi)
        # A floor keeps dark parts from being drawn so rarely that one hit is a firefly.
        weight = (importance + 0.05 * importance.mean() + 1e-12) * ring[:, None]
        chances = (weight / weight.sum()).ravel()
        self._sums = np.cumsum(chances)
        self._sums[-1] = 1.0
        solid_angle = 2 * np.pi**2 / (height * width) * ring[:, None]
        self._density = (chances.reshape(height, width) / solid_angle).astype(np.float32)
        self._shape = (height, width)

    def along(self, ways: Array) -> tuple[Array, Array]:
        """Radiance, (bands, n), from unit vectors (3, n), and the probability, by solid angle, of drawing them."""
        height, width = self._shape
        turn = np.arctan2(ways[0], ways[2]) * np.float32(0.5 / np.pi) + np.float32(0.5)
        fall = np.arccos(np.clip(ways[1], -1, 1)) * np.float32(1 / np.pi)
        column = np.minimum((turn * width).astype(np.intp), width - 1)
        row = np.minimum((fall * height).astype(np.intp), height - 1)
        place = row * width + column
        return self.radiance.reshape(len(self.radiance), -1)[:, place], self._density.ravel()[place]

    def draw(self, chance: Array) -> tuple[Array, Array, Array]:
        """Ways for two chances on 0–1, (2, n), with their radiance and probability as `along` gives them."""
        height, width = self._shape
        place = np.searchsorted(self._sums, chance[0].astype(np.float64))
        row, column = np.divmod(np.minimum(place, height * width - 1), width)
        # What is left of the first chance after the choice of a texel serves as a third one.
        before = self._sums[place] - self._sums[place - 1] * (place > 0)
        left = np.clip((self._sums[place] - chance[0]) / np.maximum(before, 1e-12), 0, 1).astype(np.float32)
        turn = ((column + chance[1]) / width - 0.5) * np.float32(2 * np.pi)
        fall = (row + left) / height * np.float32(np.pi)
        level = np.sin(fall)
        ways = np.stack([np.sin(turn) * level, np.cos(fall), np.cos(turn) * level]).astype(np.float32)
        flat = row * width + column
        return ways, self.radiance.reshape(len(self.radiance), -1)[:, flat], self._density.ravel()[flat]
