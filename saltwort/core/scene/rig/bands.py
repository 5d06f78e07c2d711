"""In which numbers the rig carries light: those of a working space, or spectra."""

from collections.abc import Callable, Sequence
from typing import Protocol

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from saltwort.core.engine import apply, space_processor
from saltwort.core.engine.measured import AP0_TO_XYZ_D65, SCENE_INTERCHANGE, linear_to_ap0
from saltwort.core.engine.typed import typed_in
from saltwort.core.errors import BadInput
from saltwort.core.images.reading import Pixels
from saltwort.core.scene.rig.bodies import Array
from saltwort.core.spaces import spectra
from saltwort.core.spaces.gamuts import solve
from saltwort.core.spaces.typed import Triple, TypedColour


class Carried(Protocol):
    """Turns colours into bands. Maps are (height, width, 3) in the numbers of a space and become (bands, height,
    width); colours become (bands,)."""

    count: int

    def of_surface(self, pixels: Pixels, space: str) -> Array: ...

    def of_light(self, pixels: Pixels, space: str) -> Array: ...

    def of_xyz(self, xyz: Triple) -> Array: ...

    def of_typed_surface(self, colour: TypedColour) -> Array: ...

    def of_typed_light(self, colour: TypedColour) -> Array: ...


class Bands(Carried, Protocol):
    """Bands of one kind, which are a colour by themselves."""

    def to_xyz(self, light: Array) -> NDArray[np.float64]:
        """CIE XYZ, (height, width, 3), of light in bands, (bands, height, width)."""
        ...


class RgbBands:
    """Red, green and blue of a scene-linear space. Raises BadInput when the config does not tell what they are."""

    count = 3

    def __init__(self, config: ocio.Config, space: str) -> None:
        to_ap0 = linear_to_ap0(config, space)
        if to_ap0 is None:
            raise BadInput(
                f"The config does not tell what the numbers of “{space}” mean: it is not linear, or the role "
                f"{SCENE_INTERCHANGE} is missing."
            )
        self._config = config
        self.space = space
        self.matrix = AP0_TO_XYZ_D65 @ to_ap0
        """3×3, to CIE XYZ under D65."""

    def of_surface(self, pixels: Pixels, space: str) -> Array:
        return _bands_first(apply(space_processor(self._config, space, self.space), pixels))

    of_light = of_surface

    def of_xyz(self, xyz: Triple) -> Array:
        return np.asarray(solve(self.matrix, np.array(xyz)), np.float32)

    def of_typed_surface(self, colour: TypedColour) -> Array:
        return np.array(typed_in(self._config, colour, self.space), np.float32)

    of_typed_light = of_typed_surface

    def to_xyz(self, light: Array) -> NDArray[np.float64]:
        return np.asarray(np.einsum("xb,bhw->hwx", self.matrix, light.astype(np.float64)))


class SpectralBands:
    """Spectra relative to D65, from `saltwort.core.spaces.spectra`. Raises BadInput as RgbBands does."""

    count = spectra.BANDS

    def __init__(self, config: ocio.Config) -> None:
        self._reference = RgbBands(config, config.getColorSpace(ocio.ROLE_SCENE_LINEAR).getName())

    def of_surface(self, pixels: Pixels, space: str) -> Array:
        return self._spectra(spectra.reflectances, self._reference.of_surface(pixels, space))

    def of_light(self, pixels: Pixels, space: str) -> Array:
        return self._spectra(spectra.lights, self._reference.of_light(pixels, space))

    def of_xyz(self, xyz: Triple) -> Array:
        return np.asarray(spectra.reflectances(np.array([xyz]))[0], np.float32)

    def of_typed_surface(self, colour: TypedColour) -> Array:
        return self.of_xyz(self._typed_xyz(colour))

    def of_typed_light(self, colour: TypedColour) -> Array:
        """A temperature has the spectrum of its body; any other colour a smooth one."""
        known = {"kelvin": spectra.black_body, "daylight": spectra.daylight}.get(colour.unit)
        words = colour.text.split()
        if known and len(words) == 1:
            return known(float(words[0])).astype(np.float32)
        return np.asarray(spectra.lights(np.array([self._typed_xyz(colour)]))[0], np.float32)

    def to_xyz(self, light: Array) -> NDArray[np.float64]:
        return np.asarray(np.einsum("xb,bhw->hwx", spectra.to_xyz(), light.astype(np.float64)))

    def _typed_xyz(self, colour: TypedColour) -> Triple:
        x, y, z = (self._reference.matrix @ self._reference.of_typed_surface(colour)).tolist()
        return x, y, z

    def _spectra(self, upsample: Callable[[NDArray[np.float64]], NDArray[np.float64]], light: Array) -> Array:
        xyz = self._reference.to_xyz(light)
        # A map has few different colours where it is 8-bit, or one; each is made a spectrum once.
        different, place = np.unique(xyz.reshape(-1, 3).astype(np.float32), axis=0, return_inverse=True)
        found = upsample(different.astype(np.float64)).astype(np.float32)
        return np.ascontiguousarray(found[place.ravel()].T).reshape(self.count, *xyz.shape[:2])


class SideBySide:
    """Several kinds of bands side by side, so that one run of the renderer carries light in all of them."""

    def __init__(self, parts: Sequence[Bands]) -> None:
        self.parts = parts
        self.count = sum(part.count for part in parts)

    def of_surface(self, pixels: Pixels, space: str) -> Array:
        return np.concatenate([part.of_surface(pixels, space) for part in self.parts])

    def of_light(self, pixels: Pixels, space: str) -> Array:
        return np.concatenate([part.of_light(pixels, space) for part in self.parts])

    def of_xyz(self, xyz: Triple) -> Array:
        return np.concatenate([part.of_xyz(xyz) for part in self.parts])

    def of_typed_surface(self, colour: TypedColour) -> Array:
        return np.concatenate([part.of_typed_surface(colour) for part in self.parts])

    def of_typed_light(self, colour: TypedColour) -> Array:
        return np.concatenate([part.of_typed_light(colour) for part in self.parts])

    def split(self, light: Array) -> list[Array]:
        """Light, (layers, bands, height, width), for each part."""
        ends = np.cumsum([part.count for part in self.parts])
        return np.split(light, ends[:-1], axis=1)


def _bands_first(pixels: Pixels) -> Array:
    return np.ascontiguousarray(np.moveaxis(pixels, 2, 0), np.float32)
