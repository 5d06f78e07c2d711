"""USD layers (.usda, .usdc, .usdz), by the USD library. A layer is opened by itself: nothing that it refers to is.

Names of schemas and attributes are those of UsdShade, UsdLux and UsdRender.
"""

import hashlib
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence, Set
from dataclasses import replace
from pathlib import Path
from typing import Any

import PyOpenColorIO as ocio
from pxr import Gf, Sdf, Tf, Usd, UsdValidation

from saltwort.core.configs.matching import encoding_of
from saltwort.core.errors import BadInput
from saltwort.core.migration.formats import usd_package
from saltwort.core.migration.formats.registry import Format, register
from saltwort.core.migration.formats.usd_reading import (
    RAW,
    SOURCE_SPACE,
    SPACE_ATTRIBUTE,
    LayerReader,
    all_paths,
    prim_paths,
    referred,
    type_of,
    uv_texture_space,
)
from saltwort.core.migration.formats.usd_text import edited_text
from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    Connect,
    Document,
    Edit,
    Node,
    Numbers,
    RemoveNode,
    SetInput,
    SetSetting,
    SetSpace,
    time_of,
    without_time,
)
from saltwort.core.numbers import shortest

TEXT, CRATE = b"#usda", b"PXR-USDC"
_KNOWN = frozenset(str(getattr(Gf.ColorSpaceNames, name)) for name in dir(Gf.ColorSpaceNames) if name[0] != "_")


def read(content: bytes, path: str) -> Document:
    """A layer as a document; of a package its first layer. Raises BadInput for what is no USD layer."""
    layer = _opened(content, path)
    found = LayerReader(layer)
    return Document(
        path=path,
        format="USD",
        sha256=hashlib.sha256(content).hexdigest(),
        nodes=found.nodes(),
        settings=tuple(found.settings()),
        space=found.space(),
        refers=tuple(sorted(referred(layer))),
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
    everything = all_paths(layer)
    paths = prim_paths(everything)
    stage = Usd.Stage.Open(_alone(layer, paths), load=Usd.Stage.LoadNone)
    context = UsdValidation.ValidationContext(
        [each for each in UsdValidation.ValidationRegistry().GetOrLoadAllValidators() if _concerns(each)]
    )
    said = [error.GetErrorAsString() for error in context.Validate(stage)]
    if not layer.GetCompositionAssetDependencies():
        said += _unconnected(layer, everything, {str(path) for path in paths})
    return sorted(_ANONYMOUS.sub("the layer", each) for each in said)


def _unconnected(layer: Sdf.Layer, everything: Iterable[Sdf.Path], prims: Set[str]) -> Iterator[str]:
    for path in everything:
        if not path.IsTargetPath() or str(path.targetPath.GetPrimPath()) in prims:
            continue
        attribute = layer.GetAttributeAtPath(path.GetParentPath())
        if attribute is not None and path.targetPath in attribute.connectionPathList.GetAppliedItems():
            yield f"{attribute.path} is connected to {path.targetPath}, which is not there."


_ANONYMOUS = re.compile(r"<?anon:0x[0-9a-f]+[^>\s]*>?")


def _concerns(validator: UsdValidation.Validator) -> bool:
    room = str(validator.GetMetadata().name).partition(":")[0]
    return room in ("usdShadeValidators", "usdLuxValidators", "usdValidation")


def _alone(layer: Sdf.Layer, paths: Sequence[Sdf.Path]) -> Sdf.Layer:
    """The layer without what it refers to, also in itself: each reference may double what there is. `paths` are those
    of its prims."""
    prims = (layer.GetPrimAtPath(path) for path in paths)
    referring = [prim.path for prim in prims if prim is not None and (prim.hasReferences or prim.hasPayloads)]
    if not referring and not layer.subLayerPaths:
        return layer
    copy = Sdf.Layer.CreateAnonymous(".usda")
    copy.TransferContent(layer)
    copy.subLayerPaths.clear()
    for path in referring:
        prim = copy.GetPrimAtPath(path)
        prim.ClearReferenceList()
        prim.ClearPayloadList()
    return copy


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
        return Sdf.AssetPath(value) if type_of(attribute.typeName) == FILE else value
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
    if source is not None and type_of(attribute.typeName) == FILE:
        source.default = uv_texture_space(edit.space)


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
