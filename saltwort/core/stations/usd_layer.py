"""A USD layer that carries the colour settings of textures and typed colours, so that nothing is set by hand where
scenes are read from USD. It is laid over a scene as its strongest layer, and changes nothing that it does not name.

Names of colour spaces are those that USD's schema knows (`Gf.ColorSpaceNames`), which are interop IDs; of others the
space is defined beside, by `ColorSpaceDefinitionAPI`.
"""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import PyOpenColorIO as ocio
from pxr import Gf, Sdf, Usd, UsdShade

from saltwort.core.configs.matching import encoding_of, primaries_of_space
from saltwort.core.spaces import curves
from saltwort.core.spaces.gamuts import Gamut
from saltwort.core.stations.sheet import Chain, ColourLine
from saltwort.core.stations.texture_table import TextureRow

MATERIALS, COLOURS = "Materials", "SaltwortColours"
RAW = Gf.ColorSpaceNames.Raw
_KNOWN = frozenset(
    str(getattr(Gf.ColorSpaceNames, name)) for name in dir(Gf.ColorSpaceNames) if not name.startswith("_")
)
_NOT_IN_A_NAME = re.compile(r"[^A-Za-z0-9_]")
_BIAS = {curves.SRGB: (2.4, 0.055)}
"""Gamma and linear bias of USD's curve for sRGB: code^gamma above a straight part near black."""


@dataclass(frozen=True)
class LayerTexture:
    """A texture for a layer: its path, its set, and the space that the project reads it in."""

    path: str
    set: str
    space: str


def override_layer(chain: Chain, textures: Iterable[LayerTexture], told: str) -> str:
    """The layer as text (.usda): a material for each texture set with a picture node for every file, under
    `/Materials/<set>/<file>`, whose `inputs:file` says the space, and typed colours with theirs. `told` says what it is
    of."""
    stage = Usd.Stage.CreateInMemory()
    config = chain.config
    root = stage.GetRootLayer()
    root.comment = told
    materials = stage.DefinePrim(f"/{MATERIALS}", "Scope")
    own = _Spaces(config, materials)
    stage.SetDefaultPrim(materials)
    Usd.ColorSpaceAPI.Apply(materials).CreateColorSpaceNameAttr(own.named(chain.working_space))
    used: set[str] = set()
    for texture in textures:
        _picture(stage, texture, own, used)
    _colours(stage, chain.colours, own.named(chain.working_space))
    return str(root.ExportToString())


def _picture(stage: Usd.Stage, texture: LayerTexture, own: "_Spaces", used: set[str]) -> None:
    material = f"/{MATERIALS}/{_name(texture.set or 'textures')}"
    if material not in used:
        used.add(material)
        UsdShade.Material.Define(stage, material)
    stem = texture.path.rpartition("/")[2].rpartition(".")[0] or texture.path
    path = _free(f"{material}/{_name(stem)}", used)
    shader = UsdShade.Shader.Define(stage, path)
    shader.CreateIdAttr("UsdUVTexture")
    file = shader.CreateInput("file", Sdf.ValueTypeNames.Asset)
    file.Set(Sdf.AssetPath(texture.path))
    space = own.named(texture.space)
    file.GetAttr().SetColorSpace(space)
    shader.CreateInput("sourceColorSpace", Sdf.ValueTypeNames.Token).Set(_source(space))
    shader.CreateOutput("rgb", Sdf.ValueTypeNames.Float3)


def _source(space: str) -> str:
    """What `UsdUVTexture` knows: sRGB is decoded, all else is read as it is and converted by its `colorSpace`."""
    return "sRGB" if space == Gf.ColorSpaceNames.SRGBRec709 else "raw"


def _colours(stage: Usd.Stage, colours: Sequence[ColourLine], space: str) -> None:
    if not colours:
        return
    scope = stage.DefinePrim(f"/{COLOURS}", "Scope")
    Usd.ColorSpaceAPI.Apply(scope).CreateColorSpaceNameAttr(space)
    used: set[str] = set()
    for colour in colours:
        name = _free(f"inputs:{_name(colour.name)}", used)
        attribute = scope.CreateAttribute(name, Sdf.ValueTypeNames.Color3f, custom=True)
        attribute.Set(Gf.Vec3f(*colour.working))
        attribute.SetColorSpace(space)
        attribute.SetDisplayName(colour.name)


class _Spaces:
    """Names of spaces as a layer says them; those that USD does not know are defined at a prim."""

    def __init__(self, config: ocio.Config, prim: Usd.Prim) -> None:
        self._config, self._prim = config, prim
        self._named: dict[str, str] = {}

    def named(self, space: str) -> str:
        if space not in self._named:
            self._named[space] = self._name(space)
        return self._named[space]

    def _name(self, space: str) -> str:
        found = self._config.getColorSpace(space)
        if found is None or found.isData():
            return str(RAW)
        encoding = encoding_of(self._config, space)
        if encoding is not None and encoding.interop_id in _KNOWN:
            return encoding.interop_id
        gamut, gamma, bias = None, 1.0, 0.0
        if encoding is not None and encoding.curve.kind in (curves.LINEAR, curves.POWER, curves.SRGB):
            gamut = encoding.gamut
            gamma, bias = _BIAS.get(encoding.curve.kind, (encoding.curve.power, 0.0))
        elif encoding is None:
            gamut = primaries_of_space(self._config, space)
        if gamut is None:  # no curve that USD could hold: only a config knows it
            return str(found.getInteropID() or found.getName())
        return self._defined(_name(found.getName()), gamut, gamma, bias)

    def _defined(self, name: str, gamut: Gamut, gamma: float, bias: float) -> str:
        defined = Usd.ColorSpaceDefinitionAPI.Apply(self._prim, name)
        defined.CreateNameAttr(name)
        numbers = gamut.chromaticities
        pairs = [Gf.Vec2f(*numbers[at : at + 2]) for at in range(0, 8, 2)]
        defined.CreateColorSpaceAttrsWithChroma(*pairs, gamma, bias)
        return name


def _name(text: str) -> str:
    """Text as the name of a prim or attribute."""
    plain = _NOT_IN_A_NAME.sub("_", text)
    return plain if plain and not plain[0].isdigit() else f"_{plain}"


def _free(path: str, used: set[str]) -> str:
    free, number = path, 1
    while free in used:
        number += 1
        free = f"{path}_{number}"
    used.add(free)
    return free


def layer_textures(chain: Chain, rows: Iterable[TextureRow]) -> list[LayerTexture]:
    """The textures of a table for a layer."""
    spaces = {texture.path: texture.space for texture in chain.textures}
    return [LayerTexture(row.path, row.set, spaces[row.path]) for row in rows]
