"""USD layers (.usda, .usdc, .usdz), by the USD library. A layer is opened by itself: nothing that it refers to is.

Names of schemas and attributes are those of UsdShade, UsdLux and UsdRender.
"""

import hashlib
import re
import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio
from pxr import Gf, Sdf, Tf, Usd, UsdValidation, Vt

from saltwort.core.configs.matching import encoding_of
from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.formats.registry import MAX_NODES, MAX_SAMPLES, Format, register
from saltwort.core.migration.formats.usd_text import edited_text
from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    LIGHT,
    NUMBER,
    OTHER,
    PICTURE,
    PLAIN,
    VECTOR,
    Connect,
    Document,
    Edit,
    Input,
    Node,
    Numbers,
    RemoveNode,
    SetInput,
    SetSetting,
    SetSpace,
    Setting,
    at_time,
    time_of,
    without_time,
)
from saltwort.core.numbers import shortest

TEXT, CRATE = b"#usda", b"PXR-USDC"
UV_TEXTURE, SOURCE_SPACE = "UsdUVTexture", "inputs:sourceColorSpace"
SPACE_ATTRIBUTE = "colorSpace:name"
RAW = str(Gf.ColorSpaceNames.Raw)
SRGB = str(Gf.ColorSpaceNames.SRGBRec709)
_TYPES = {"color": COLOUR, "float3": VECTOR, "vector3": VECTOR, "normal3": VECTOR, "float": NUMBER, "double": NUMBER}
_SETTINGS_OF = ("Camera", "RenderSettings", "RenderProduct", "RenderVar", "RenderPass")
_KNOWN = frozenset(str(getattr(Gf.ColorSpaceNames, name)) for name in dir(Gf.ColorSpaceNames) if name[0] != "_")


def read(content: bytes, path: str) -> Document:
    """A layer as a document; of a package its first layer. Raises BadInput for what is no USD layer."""
    layer = _opened(content, path)
    found = _Reader(layer)
    return Document(
        path=path,
        format="USD",
        sha256=hashlib.sha256(content).hexdigest(),
        nodes=found.nodes(),
        settings=tuple(found.settings()),
        space=found.space(),
        refers=tuple(sorted(_referred(layer))),
    )


def rewritten(content: bytes, edits: Sequence[Edit]) -> bytes:
    """The layer with these changes. Text stays as it is but for them: comments, order and layout."""
    # A space is said once for all samples of an attribute.
    edits = list(
        dict.fromkeys(replace(e, input=without_time(e.input)) if isinstance(e, SetSpace) else e for e in edits)
    )
    if usd_package.is_package(content):
        inner = usd_package.first_layer(content)
        return usd_package.with_first_layer(content, rewritten(inner.content, edits))
    layer = _opened(content, "The layer")
    _apply(layer, edits)
    if not content.startswith(TEXT):
        return _exported(layer)
    text = edited_text(content.decode(), edits)
    again = _opened(text.encode(), "The changed layer")
    if again.ExportToString() != layer.ExportToString():
        raise BadInput("The text of this layer is laid out in a way that cannot be changed in place. Save it as .usdc.")
    return text.encode()


def problems(content: bytes) -> list[str]:
    """What the library's own validators of scenes, shading and lights find wrong in a layer, and connections to what
    is not there. What it refers to is not opened."""
    layer = _opened(content, "The layer")
    stage = Usd.Stage.Open(_alone(layer), load=Usd.Stage.LoadNone)
    context = UsdValidation.ValidationContext(
        [each for each in UsdValidation.ValidationRegistry().GetOrLoadAllValidators() if _concerns(each)]
    )
    said = [error.GetErrorAsString() for error in context.Validate(stage)]
    prims = {str(path) for path in _paths(layer)}
    for path in _paths(layer):
        prim = layer.GetPrimAtPath(path)
        for attribute in prim.attributes if prim is not None else ():
            for target in attribute.connectionPathList.GetAppliedItems():
                if str(target.GetPrimPath()) not in prims and not layer.GetCompositionAssetDependencies():
                    said.append(f"{attribute.path} is connected to {target}, which is not there.")
    return sorted(_ANONYMOUS.sub("the layer", each) for each in said)


_ANONYMOUS = re.compile(r"<?anon:0x[0-9a-f]+[^>\s]*>?")


def _concerns(validator: UsdValidation.Validator) -> bool:
    room = str(validator.GetMetadata().name).partition(":")[0]
    return room in ("usdShadeValidators", "usdLuxValidators", "usdValidation")


def _alone(layer: Sdf.Layer) -> Sdf.Layer:
    """The layer without what it refers to."""
    copy = Sdf.Layer.CreateAnonymous(".usda")
    copy.TransferContent(layer)
    copy.subLayerPaths.clear()
    for path in _paths(copy):
        prim = copy.GetPrimAtPath(path)
        if prim is not None:
            prim.ClearReferenceList()
            prim.ClearPayloadList()
    return copy


def _paths(layer: Sdf.Layer) -> list[Sdf.Path]:
    """Paths of the prims and variants of a layer."""
    found: list[Sdf.Path] = []
    layer.Traverse(Sdf.Path.absoluteRootPath, found.append)
    return [path for path in found if path.IsPrimPath() or path.IsPrimVariantSelectionPath()]


def space_name(config: ocio.Config, space: str, node: Node) -> str:
    """The name that USD's schema has for the colours of a space; where it has none, the config's own."""
    found = config.getColorSpace(space)
    if found.isData():
        return RAW
    encoding = encoding_of(config, space)
    if encoding is not None and encoding.interop_id in _KNOWN:
        return encoding.interop_id
    return str(found.getInteropID() or found.getName())


def space_edits(document: Document, said: str) -> list[Edit]:
    """A space for each prim at the root below which colours are typed, by `ColorSpaceAPI`."""
    roots = {
        node.path.split("/")[1].partition("{")[0]
        for node in document.nodes.values()
        if any(given.type == COLOUR and given.value is not None for given in node.inputs.values())
    }
    return [SetSpace(f"/{root}", "", said) for root in sorted(roots)]


def _opened(content: bytes, path: str) -> Sdf.Layer:
    if usd_package.is_package(content):
        content = usd_package.first_layer(content).content
    try:
        if content.startswith(TEXT):
            layer = Sdf.Layer.CreateAnonymous(".usda")
            if not layer.ImportFromString(content.decode()):
                raise BadInput(f"{path} is no USD layer.")
            return layer
        if content.startswith(CRATE):
            with tempfile.NamedTemporaryFile(suffix=".usdc") as file:
                file.write(content)
                file.flush()
                return Sdf.Layer.OpenAsAnonymous(file.name)
    except (Tf.ErrorException, UnicodeDecodeError) as error:
        raise BadInput(f"{path} is no whole USD layer: {_reason(error)}") from error
    raise BadInput(f"{path} is no USD layer: it begins with neither #usda nor PXR-USDC.")


def _reason(error: Exception) -> str:
    found = re.search(r":(\d+):\d+: (Expected [^'\n]{1,120})", str(error))
    return f"line {found[1]}: {found[2]}." if found else "it is damaged, or of a version that is not read."


def _exported(layer: Sdf.Layer) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "layer.usdc"
        layer.Export(str(place))
        return place.read_bytes()


def _referred(layer: Sdf.Layer) -> set[str]:
    """The documents that a layer names: sublayers, references, payloads."""
    return {path for path in layer.GetCompositionAssetDependencies() if path}


class _Reader:
    def __init__(self, layer: Sdf.Layer) -> None:
        self._layer = layer
        self._prims: list[Sdf.PrimSpec] = []
        self._by_plain: dict[str, list[str]] = {}
        self._samples = 0

        paths = _paths(layer)
        if len(paths) > MAX_NODES:
            raise BadInput(f"A layer of more than {MAX_NODES:,} prims is not read. Import a part of it.")
        for path in sorted(paths, key=str):
            prim = layer.GetPrimAtPath(path)
            if prim is not None:
                self._prims.append(prim)
                self._by_plain.setdefault(str(path.StripAllVariantSelections()), []).append(str(path))

    def nodes(self) -> dict[str, Node]:
        found = {}
        for prim in self._prims:
            if prim.typeName in _SETTINGS_OF:
                continue
            inputs = {each.name: each for attribute in prim.attributes for each in self._inputs(attribute)}
            if inputs or prim.typeName in ("Material", "Shader", "NodeGraph"):
                category = str(self._default(prim, "info:id") or prim.typeName)
                found[str(prim.path)] = Node(str(prim.path), category, _sort(prim, inputs), inputs)
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

    def _inputs(self, attribute: Sdf.AttributeSpec) -> Iterator[Input]:
        found, kind = self._input(attribute), _type_of(attribute.typeName)
        times = self._layer.ListTimeSamplesForPath(attribute.path)
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
                said = self._said(attribute) if kind in (COLOUR, FILE) else ""
                yield Input(at_time(attribute.name, time), kind, value, None, said, _width(attribute))

    def _input(self, attribute: Sdf.AttributeSpec) -> Input | None:
        kind = _type_of(attribute.typeName)
        sources = attribute.connectionPathList.GetAppliedItems()
        value = _plain(attribute.default)
        if attribute.name.startswith("info:") or not (sources or kind == COLOUR or ":" in attribute.name):
            return None
        if value is None and not sources:
            return None
        source = self._source(attribute, sources[0]) if sources else None
        given = (float(value),) if isinstance(value, bool) else value
        said = self._said(attribute) if kind in (COLOUR, FILE) else ""
        return Input(attribute.name, kind, given, source, said, _width(attribute))

    def _source(self, attribute: Sdf.AttributeSpec, target: Sdf.Path) -> tuple[str, str]:
        plain = str(target.GetPrimPath().StripAllVariantSelections())
        own = str(attribute.path.GetPrimPath())
        near = self._by_plain.get(plain, [plain])
        return max(near, key=lambda path: len(_common(path, own))), target.name

    def _said(self, attribute: Sdf.AttributeSpec) -> str:
        if attribute.HasInfo("colorSpace"):
            return str(attribute.GetInfo("colorSpace"))
        prim = self._layer.GetPrimAtPath(attribute.path.GetPrimPath())
        if said := self._default(prim, SOURCE_SPACE):
            return SRGB if said == "sRGB" else str(said)
        if _type_of(attribute.typeName) == FILE:
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


def _width(attribute: Sdf.AttributeSpec) -> int:
    return 4 if str(attribute.typeName).startswith("color4") else 3


def _type_of(type_name: Sdf.ValueTypeName) -> str:
    name = str(type_name).removesuffix("[]")
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


def _apply(layer: Sdf.Layer, edits: Sequence[Edit]) -> None:
    for edit in edits:
        try:
            _EDITS[type(edit)](layer, edit)
        except (Tf.ErrorException, KeyError, AttributeError, TypeError) as error:
            raise BadInput(f"The layer cannot hold this change: {edit}.") from error


def _attribute(layer: Sdf.Layer, node: str, name: str) -> Sdf.AttributeSpec:
    found = layer.GetAttributeAtPath(Sdf.Path(node).AppendProperty(name))
    if found is None:
        raise KeyError(name)
    return found


def _set_input(layer: Sdf.Layer, edit: SetInput) -> None:
    attribute = _attribute(layer, edit.node, without_time(edit.input))
    time = time_of(edit.input)
    if time is None:
        attribute.default = _as_value(attribute, attribute.default, edit.value)
    else:
        before = layer.QueryTimeSample(attribute.path, time)
        layer.SetTimeSample(attribute.path, time, _as_value(attribute, before, edit.value))


def _as_value(attribute: Sdf.AttributeSpec, before: Any, value: Numbers | str | bool) -> Any:
    if isinstance(value, str):
        return Sdf.AssetPath(value) if _type_of(attribute.typeName) == FILE else value
    if isinstance(value, bool):
        return value
    value = tuple(float(shortest(number)) for number in value)
    kind = type(before)
    if kind in (int, float):
        return kind(value[0])
    if attribute.typeName.isArray:
        width = len(before[0])
        return kind([tuple(value[at : at + width]) for at in range(0, len(value), width)])
    return kind(*value)


def _set_space(layer: Sdf.Layer, edit: SetSpace) -> None:
    if not edit.input:
        _set_root_space(layer.GetPrimAtPath(edit.node), edit.space)
        return
    attribute = _attribute(layer, edit.node, edit.input)
    attribute.SetInfo("colorSpace", edit.space)
    prim = layer.GetPrimAtPath(edit.node)
    source = prim.attributes.get(SOURCE_SPACE)
    if source is not None and _type_of(attribute.typeName) == FILE:
        source.default = uv_texture_space(edit.space)


def uv_texture_space(space: str) -> str:
    """What a `UsdUVTexture` is told of a space: sRGB is decoded, all else read as it is."""
    return "sRGB" if space == SRGB else RAW


def _connect(layer: Sdf.Layer, edit: Connect) -> None:
    paths = _attribute(layer, edit.node, edit.input).connectionPathList
    paths.ClearEditsAndMakeExplicit()
    if edit.source:
        node = Sdf.Path(edit.source[0]).StripAllVariantSelections()
        paths.explicitItems = [node.AppendProperty(edit.source[1])]


def _remove(layer: Sdf.Layer, edit: RemoveNode) -> None:
    prim = layer.GetPrimAtPath(edit.node)
    parent = prim.nameParent if prim.nameParent is not None else layer.pseudoRoot
    del parent.nameChildren[prim.name]


def _set_setting(layer: Sdf.Layer, edit: SetSetting) -> None:
    attribute = layer.GetAttributeAtPath(edit.path)
    attribute.default = _as_value(attribute, attribute.default, edit.value)


def _set_root_space(prim: Sdf.PrimSpec, space: str) -> None:
    if SPACE_ATTRIBUTE in prim.attributes:
        prim.attributes[SPACE_ATTRIBUTE].default = space
        return
    attribute = Sdf.AttributeSpec(prim, SPACE_ATTRIBUTE, Sdf.ValueTypeNames.Token, Sdf.VariabilityUniform)
    attribute.default = space
    schemas = prim.GetInfo("apiSchemas") if prim.HasInfo("apiSchemas") else Sdf.TokenListOp()
    lists = ("explicitItems", "prependedItems", "appendedItems", "addedItems")
    filled = next((name for name in lists if getattr(schemas, name)), "prependedItems")
    setattr(schemas, filled, ["ColorSpaceAPI", *getattr(schemas, filled)])
    prim.SetInfo("apiSchemas", schemas)


_EDITS: dict[type, Callable[[Sdf.Layer, Any], None]] = {
    SetInput: _set_input,
    SetSpace: _set_space,
    Connect: _connect,
    RemoveNode: _remove,
    SetSetting: _set_setting,
}

register(Format("USD", (".usda", ".usdc", ".usd", ".usdz"), read, rewritten, problems, space_name, space_edits))
