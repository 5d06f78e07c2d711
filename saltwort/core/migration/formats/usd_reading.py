"""What stands in a USD layer: prims with their inputs and samples, settings, and the spaces that are said."""

from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Any

from pxr import Gf, Sdf, Vt

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.registry import MAX_NODES, MAX_SAMPLES
from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    LIGHT,
    NUMBER,
    OTHER,
    PICTURE,
    PLAIN,
    VECTOR,
    Input,
    Node,
    Numbers,
    Setting,
    at_time,
)

UV_TEXTURE, SOURCE_SPACE = "UsdUVTexture", "inputs:sourceColorSpace"
SPACE_ATTRIBUTE = "colorSpace:name"
RAW = str(Gf.ColorSpaceNames.Raw)
SRGB = str(Gf.ColorSpaceNames.SRGBRec709)
_TYPES = {"color": COLOUR, "float3": VECTOR, "vector3": VECTOR, "normal3": VECTOR, "float": NUMBER, "double": NUMBER}
_SETTINGS_OF = ("Camera", "RenderSettings", "RenderProduct", "RenderVar", "RenderPass")


def all_paths(layer: Sdf.Layer) -> list[Sdf.Path]:
    """Paths of all that a layer holds."""
    found: list[Sdf.Path] = []
    layer.Traverse(Sdf.Path.absoluteRootPath, found.append)
    return found


def prim_paths(paths: Iterable[Sdf.Path]) -> list[Sdf.Path]:
    """Those of them that are prims and variants."""
    return [path for path in paths if path.IsPrimPath() or path.IsPrimVariantSelectionPath()]


def referred(layer: Sdf.Layer) -> set[str]:
    """The documents that a layer names: sublayers, references, payloads."""
    return {path for path in layer.GetCompositionAssetDependencies() if path}


class LayerReader:
    """A layer's nodes, settings and spaces. Raises BadInput for one that is too large."""

    def __init__(self, layer: Sdf.Layer) -> None:
        self._layer = layer
        self._prims: list[Sdf.PrimSpec] = []
        self._by_plain: dict[str, list[str]] = {}
        self._samples = 0
        self._is_timed = bool(layer.ListAllTimeSamples())

        everything = all_paths(layer)
        paths = prim_paths(everything)
        if len(paths) > MAX_NODES:
            raise BadInput(f"A layer of more than {MAX_NODES:,} prims is not read. Import a part of it.")
        for path in sorted(paths, key=str):
            prim = layer.GetPrimAtPath(path)
            if prim is not None:
                self._prims.append(prim)
                self._by_plain.setdefault(str(path.StripAllVariantSelections()), []).append(str(path))
        # Asked of each attribute or prim again, both take as long as all the rest.
        self._attributes: dict[Sdf.Path, list[Sdf.AttributeSpec]] = {}
        for path in everything:
            if path.IsPropertyPath() and (attribute := layer.GetAttributeAtPath(path)) is not None:
                self._attributes.setdefault(path.GetParentPath(), []).append(attribute)
        self._targeted = {path.GetParentPath() for path in everything if path.IsTargetPath()}

    def nodes(self) -> dict[str, Node]:
        found = {}
        for prim in self._prims:
            if prim.typeName in _SETTINGS_OF:
                continue
            attributes = self._attributes.get(prim.path, ())
            inputs = {each.name: each for attribute in attributes for each in self._inputs(prim, attribute)}
            if inputs or prim.typeName in ("Material", "Shader", "NodeGraph"):
                category, path = str(self._default(prim, "info:id") or prim.typeName), str(prim.path)
                found[path] = Node(path, category, _sort(prim, inputs), inputs)
        return found

    def settings(self) -> Iterator[Setting]:
        for prim in self._prims:
            if prim.typeName in _SETTINGS_OF:
                for attribute in prim.attributes:
                    value = _plain(attribute.default)
                    if value is not None:
                        yield Setting(str(attribute.path), attribute.name, value)

    def space(self) -> str:
        """The colour space said for the whole layer: by the prims at its root."""
        for prim in self._layer.rootPrims:
            if said := self._default(prim, SPACE_ATTRIBUTE):
                return str(said)
        return ""

    def _inputs(self, prim: Sdf.PrimSpec, attribute: Sdf.AttributeSpec) -> Iterator[Input]:
        type_name = str(attribute.typeName)
        kind = _type_called(type_name)
        found = self._input(prim, attribute, type_name)
        times = self._layer.ListTimeSamplesForPath(attribute.path) if self._is_timed else ()
        if times and kind == NUMBER:
            yield Input(attribute.name, kind)  # no one number says what it does
            return
        if found is not None:
            yield found
        if kind not in (COLOUR, VECTOR, FILE) or (found is not None and found.source):
            return
        self._samples += len(times)
        if self._samples > MAX_SAMPLES:
            raise BadInput(f"A layer of more than {MAX_SAMPLES:,} colours that change over time is not read.")
        for time in times:
            value = _plain(self._layer.QueryTimeSample(attribute.path, time))
            if value is not None and not isinstance(value, bool):
                said = self._said(prim, attribute, kind)
                yield Input(at_time(attribute.name, time), kind, value, None, said, _width(type_name))

    def _input(self, prim: Sdf.PrimSpec, attribute: Sdf.AttributeSpec, type_name: str) -> Input | None:
        path, kind = attribute.path, _type_called(type_name)
        name = path.name
        if name.startswith("info:"):
            return None
        sources = attribute.connectionPathList.GetAppliedItems() if path in self._targeted else ()
        if not (sources or kind == COLOUR or ":" in name):
            return None
        value = _plain(attribute.default)
        if value is None and not sources:
            return None
        source = self._source(prim, sources[0]) if sources else None
        given = (float(value),) if isinstance(value, bool) else value
        return Input(name, kind, given, source, self._said(prim, attribute, kind), _width(type_name))

    def _source(self, prim: Sdf.PrimSpec, target: Sdf.Path) -> tuple[str, str]:
        plain = str(target.GetPrimPath().StripAllVariantSelections())
        near = self._by_plain.get(plain, [plain])
        if len(near) == 1:
            return near[0], target.name
        own = str(prim.path)
        return max(near, key=lambda path: len(_common(path, own))), target.name

    def _said(self, prim: Sdf.PrimSpec, attribute: Sdf.AttributeSpec, kind: str) -> str:
        if kind not in (COLOUR, FILE):
            return ""
        if attribute.HasInfo("colorSpace"):
            return str(attribute.GetInfo("colorSpace"))
        if said := self._default(prim, SOURCE_SPACE):
            return SRGB if said == "sRGB" else str(said)
        if kind == FILE:
            return ""
        while prim is not None and prim.path != Sdf.Path.absoluteRootPath:
            if said := self._default(prim, SPACE_ATTRIBUTE):
                return str(said)
            prim = prim.nameParent
        return ""

    def _default(self, prim: Sdf.PrimSpec, name: str) -> Any:
        attribute = prim.attributes.get(name)
        return None if attribute is None else attribute.default


def _sort(prim: Sdf.PrimSpec, inputs: dict[str, Input]) -> str:
    schemas = prim.GetInfo("apiSchemas").GetAppliedItems() if prim.HasInfo("apiSchemas") else []
    if prim.typeName.removesuffix("_1").endswith("Light") or "LightAPI" in schemas:
        return LIGHT
    return PICTURE if any(each.type == FILE for each in inputs.values()) else PLAIN


def _width(type_name: str) -> int:
    return 4 if type_name.startswith("color4") else 3


def type_of(type_name: Sdf.ValueTypeName) -> str:
    return _type_called(str(type_name))


@lru_cache(200)
def _type_called(type_name: str) -> str:
    name = type_name.removesuffix("[]")
    if name == "asset":
        return FILE
    return next((kind for start, kind in _TYPES.items() if name.startswith(start)), OTHER)


def _plain(value: Any) -> Numbers | str | bool | None:
    """A value as numbers or text; None for what is neither."""
    if isinstance(value, bool | str):
        return value
    if isinstance(value, int | float):
        return (float(value),)
    if isinstance(value, Sdf.AssetPath):
        return str(value.path)
    if isinstance(value, Vt.Vec3fArray | Vt.Vec4fArray | Vt.Vec3dArray | Vt.Vec3hArray):
        return tuple(float(number) for vector in value for number in vector)
    if hasattr(value, "dimension") and isinstance(value.dimension, int):
        return tuple(float(number) for number in value)
    return None


def _common(first: str, second: str) -> str:
    length = next((at for at, pair in enumerate(zip(first, second, strict=False)) if pair[0] != pair[1]), None)
    return first[:length]


def uv_texture_space(space: str) -> str:
    """What a `UsdUVTexture` is told of a space: sRGB is decoded, all else read as it is."""
    return "sRGB" if space == SRGB else RAW
