"""Which layers of a file are colour, and which are data: normals, positions, depth, identifiers, mattes.

Told by the names of layers and channels, by the header and the sample types, and where these say nothing by the values.
Data is no light: a conversion of colour would turn its vectors and spoil its numbers.
"""

import re
from collections.abc import Collection, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from saltwort.core.errors import BadInput
from saltwort.core.images.channels import ColourGroup, colour_groups
from saltwort.core.images.headers import Header, Layer
from saltwort.core.images.reading import Pixels, read_bands, read_header, read_layers, told_of_part

DATA_ID = "data"
"""The interop ID of data."""
_DATA_WORDS = {
    **dict.fromkeys(("normal", "normals", "nrm", "nref"), "normals"),
    **dict.fromkeys(("position", "positions", "pos", "pref"), "positions"),
    **dict.fromkeys(("motion", "velocity", "vel", "mv", "flow", "vector", "vectors"), "motion or other vectors"),
    **dict.fromkeys(("tangent", "tangents", "bitangent", "binormal", "barycentric"), "directions on a surface"),
    **dict.fromkeys(("uv", "uvs", "uvw", "texcoord"), "places in a texture"),
    **dict.fromkeys(("depth", "zdepth", "distance"), "depth"),
    **dict.fromkeys(("id", "ids", "index", "indices"), "identifiers"),
    **dict.fromkeys(("crypto", "cryptomatte"), "identifiers with coverage"),
    **dict.fromkeys(("matte", "mattes", "mask", "masks", "coverage", "holdout"), "mattes"),
    **dict.fromkeys(("samples", "samplecount", "curvature", "facing"), "measures"),
}
"""What words in the names of layers stand for."""
_SINGLE_LETTERS = {"n": "normals", "ng": "normals", "nn": "normals", "ns": "normals", "p": "positions",
                   "pw": "positions", "z": "depth", "st": "places in a texture"}  # fmt: skip
"""What short names stand for where they are the whole name of a layer."""
_ENDINGS = ("normals", "normal", "position", "velocity", "depth", "matte", "mattes", "mask", "masks")
"""Words that others run into, as in `worldnormal`."""
_OF_AN_ID = "object|obj|material|mat|shader|node|asset|instance|prim|primitive|shape|mesh|surface|render|group|user"
_COLOUR_WORDS = frozenset(
    """beauty rgba rgb color colour combined diffuse specular reflection refraction transmission emission emissive sss
    subsurface albedo coat sheen indirect direct light lights lighting key fill rim back gi background bg foreground
    volume shadow shadows ambient environment lamp glossy""".split()  # noqa: SIM905
)
_NO_DATA = re.compile(r"motion[\W_]*blur\w*|depth[\W_]*of[\W_]*field|matte[\W_]*painting\w*", re.IGNORECASE)
_WORD = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
_FEWEST = 64
"""Pixels that are not black, from which values can tell."""
_BANDS = 8
NOTHING_SAYS = "since nothing in its name, header or values says otherwise"
LARGEST_LIGHT, SMALLEST_LIGHT = 1e7, 1e-20
"""Beyond the sun seen directly, and below what floats of light hold before they are 0: numbers that are only bits."""


@dataclass(frozen=True)
class JudgedLayer:
    """A layer, whether it is data, and why: the end of a sentence that begins with its name."""

    layer: Layer
    is_data: bool
    reason: str

    @property
    def name(self) -> str:
        return self.layer.name

    @property
    def told(self) -> str:
        return f"{self.name or 'the first layer'}: {'data' if self.is_data else 'colour'}, {self.reason}"


@dataclass(frozen=True)
class ByHand:
    """Layers that someone has said are data, or colour, by their names."""

    data: tuple[str, ...] = ()
    colour: tuple[str, ...] = ()

    @classmethod
    def read(cls, data: str, colour: str) -> "ByHand":
        """From two lists with commas. Raises BadInput for a layer in both."""
        found = cls(_listed(data), _listed(colour))
        if both := set(found.data) & set(found.colour):
            raise BadInput(f"The layer “{min(both)}” is in both lists, of data and of colour. Remove it from one.")
        return found

    def among(self, layers: Collection[str]) -> "ByHand":
        """What was said of those layers that a file has: for many files at once."""
        return ByHand(*(tuple(name for name in names if name in layers) for names in (self.data, self.colour)))

    def check(self, layers: Collection[str], name: str) -> None:
        """Raise BadInput for a layer that a file lacks."""
        for asked in (*self.data, *self.colour):
            if asked not in layers:
                listed = ", ".join(each or "the first" for each in layers)
                raise BadInput(f"{name} has no layer “{asked}”. It has {listed}.")


def _listed(typed: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in typed.split(",") if name.strip())


NOTHING_BY_HAND = ByHand()


def layer_names(path: Path) -> tuple[str, ...]:
    """The names of the layers of a file, in their order."""
    return tuple(layer.name for layer in read_layers(path))


def judged_layers(
    path: Path, by_hand: ByHand = NOTHING_BY_HAND, beside: Sequence[Path] = ()
) -> tuple[JudgedLayer, ...]:
    """The layers of a file in their order, each colour or data. Values are looked at where nothing else tells, in a few
    bands of the picture. Of a frame, `beside` are others of its sequence: what is data in one of them by its values is
    data in all. Raises BadInput for what is no image, and for a layer `by_hand` that the file lacks."""
    layers = read_layers(path)
    by_hand.check([layer.name for layer in layers], path.name)
    judged = [_as_said(each, by_hand) for each in _judged_as_it_is(path, layers)]
    if all(each.is_data or each.reason != NOTHING_SAYS for each in judged):
        return tuple(judged)
    elsewhere = _data_beside(tuple(beside))
    return tuple(
        JudgedLayer(each.layer, True, elsewhere[each.name])
        if each.reason == NOTHING_SAYS and each.name in elsewhere
        else each
        for each in judged
    )


@lru_cache(16)
def _data_beside(frames: tuple[Path, ...]) -> dict[str, str]:
    """The layers that are data in one of some frames by its values, with the reason; frames that cannot be read say
    nothing."""
    found: dict[str, str] = {}
    for frame in frames:
        with suppress(BadInput, OSError):
            for each in _judged_as_it_is(frame, read_layers(frame)):
                if each.is_data:
                    found.setdefault(each.name, f"{each.reason} in another frame")
    return found


def _judged_as_it_is(path: Path, layers: tuple[Layer, ...]) -> tuple[JudgedLayer, ...]:
    stamp = path.stat()
    return _judged(path, stamp.st_mtime_ns, stamp.st_size, layers)


def _as_said(judged: JudgedLayer, by_hand: ByHand) -> JudgedLayer:
    if judged.name in by_hand.data:
        return JudgedLayer(judged.layer, True, "set manually")
    if judged.name in by_hand.colour and colour_groups(judged.layer.channels):
        return JudgedLayer(judged.layer, False, "set manually")
    if judged.name in by_hand.colour:
        raise BadInput(f"The layer “{judged.name}” has no red, green and blue, so it cannot be converted as colour.")
    return judged


@lru_cache(64)
def _judged(path: Path, changed: int, size: int, layers: tuple[Layer, ...]) -> tuple[JudgedLayer, ...]:
    headers = {part: read_header(path, part=part) for part in {layer.part for layer in layers}}
    told = {part: told_of_part(path, part) for part in headers}
    named = [_by_name(layer, headers[layer.part], told[layer.part], len(layers)) for layer in layers]
    bands: dict[int, Pixels] = {}
    judged = []
    for layer, known in zip(layers, named, strict=True):
        if known is None:
            if layer.part not in bands:
                bands[layer.part] = read_bands(path, layer.part, _BANDS)
            names = headers[layer.part].channel_names
            (group,) = colour_groups(layer.channels)[:1]
            columns = [names.index(layer.channels[number]) for number in group.colour]
            known = _by_values(layer, bands[layer.part][:, columns])
        judged.append(known)
    return tuple(judged)


def _by_name(layer: Layer, header: Header, told: dict[str, Any], count: int) -> JudgedLayer | None:
    """What header, channels and name tell of a layer; None where they say nothing."""
    types = dict(zip(header.channel_names, header.channel_types, strict=False))
    if header.format == "EXR" and all(types.get(channel) == "uint" for channel in layer.channels):
        return JudgedLayer(layer, True, "whole numbers")
    if header.tags.get("colorInteropID") == DATA_ID:
        return JudgedLayer(layer, True, "which the header says")
    if any(is_cryptomatte(layer.name, str(value)) for key, value in told.items() if _is_crypto_key(key)):
        return JudgedLayer(layer, True, "a cryptomatte by the header")
    if not colour_groups(layer.channels):
        channels = ", ".join(channel.rpartition(".")[2] for channel in layer.channels)
        return JudgedLayer(layer, True, f"with {channels} instead of red, green and blue")
    means = meaning_of(layer.name)
    if means:
        return JudgedLayer(layer, True, f"called as {means} are")
    if "lightgroup" in told:
        return JudgedLayer(layer, False, f"the light group {told['lightgroup']} by the header")
    if means == "":
        return JudgedLayer(layer, False, "called as light is")
    if not layer.name or count == 1:
        return JudgedLayer(layer, False, "the picture itself")
    return None


def _is_crypto_key(key: str) -> bool:
    return key.lower().startswith("cryptomatte/") and key.lower().endswith("/name")


def is_cryptomatte(layer: str, named: str) -> bool:
    """Whether a layer is one of a cryptomatte of this name, which are numbered from 00."""
    return bool(named) and (layer == named or re.fullmatch(re.escape(named) + r"\d{2,}", layer) is not None)


def meaning_of(name: str) -> str | None:
    """What kind of data the name of a layer stands for, empty for colour, None where it says nothing. Of several words
    that say something, the last counts: a `light_mask` is a matte."""
    leaf = name.rpartition(".")[2]
    if leaf.lower().rstrip("0123456789") in _SINGLE_LETTERS:
        return _SINGLE_LETTERS[leaf.lower().rstrip("0123456789")]
    known: str | None = None
    for word in _words(_NO_DATA.sub("", name)):
        if word in _COLOUR_WORDS:
            known = ""
        elif means := _meaning_of_word(word):
            known = means
    first = re.match(r"[NPZ](?![A-Za-z])", leaf)
    return _SINGLE_LETTERS[first[0].lower()] if known is None and first else known


def _words(name: str) -> Iterator[str]:
    for word in _WORD.findall(name):
        yield word.lower()


def _meaning_of_word(word: str) -> str:
    if word in _DATA_WORDS:
        return _DATA_WORDS[word]
    if word.startswith("crypto"):
        return _DATA_WORDS["crypto"]
    if re.fullmatch(rf"({_OF_AN_ID})ids?", word):
        return _DATA_WORDS["id"]
    ending = next((ending for ending in _ENDINGS if word.endswith(ending)), "")
    return _DATA_WORDS.get(ending, "")


def _by_values(layer: Layer, pixels: Pixels) -> JudgedLayer:
    """What the values of a colour, float32 (pixels, 1 or 3), tell; colour where they say nothing else."""
    if why := data_by_values(pixels):
        return JudgedLayer(layer, True, why)
    return JudgedLayer(layer, False, NOTHING_SAYS)


def data_by_values(pixels: Pixels) -> str:
    """Why values, float32 (pixels, 1 or 3), cannot be light; empty where they may be, and below 64 that are not 0."""
    there = pixels[np.isfinite(pixels).all(axis=1) & (pixels != 0).any(axis=1)].astype(np.float64)
    if len(there) < _FEWEST:
        return ""
    size = np.abs(there)
    if _share((size > LARGEST_LIGHT) | ((size > 0) & (size < SMALLEST_LIGHT))) > 0.05:
        return "with numbers that are bits of identifiers"
    if (there == np.round(there)).all() and len(np.unique(there)) > 2 and size.max() > 2:
        return "with whole numbers alone"
    if pixels.shape[1] < 3:
        return ""
    lengths, varied = np.sqrt((there**2).sum(axis=1)), len(np.unique(there.round(2), axis=0)) > 8
    if varied and _share(np.abs(lengths - 1) < 0.01) > 0.9 and _share(there.min(axis=1) < -0.1) > 0.1:
        return "with vectors of length 1"
    unpacked = np.sqrt(((2 * there - 1) ** 2).sum(axis=1))
    if varied and there.max() <= 1.001 and _share(np.abs(unpacked - 1) < 0.02) > 0.95:
        return "with vectors of length 1, packed into 0–1"
    # A denoiser and colours outside the gamut leave negatives that are small beside the pixel or beside the picture.
    lowest = there.min(axis=1)
    if (far := _share((lowest < -0.1 * size.max(axis=1)) & (lowest < -0.02 * np.percentile(size, 99)))) > 0.2:
        return f"with {far:.0%} of its pixels far below zero, which light is not"
    return ""


def _share(of: NDArray[np.bool_]) -> float:
    return float(np.mean(of))


def groups_of_part(header: Header, part: int, judged: Sequence[JudgedLayer]) -> tuple[ColourGroup, ...]:
    """The colours among the channels of a part, numbered as in its header: those of layers that are colour."""
    data = {channel for each in judged if each.is_data and each.layer.part == part for channel in each.layer.channels}
    names = header.channel_names
    return tuple(group for group in colour_groups(names) if not {names[number] for number in group.colour} & data)
