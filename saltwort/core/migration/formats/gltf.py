"""glTF 2.0 (.gltf, .glb). The standard sets the spaces: factors are light in linear Rec.709, pictures of colours are
encoded as sRGB, all other pictures are plain numbers; no document can say otherwise.

Names are those of the specification (Khronos glTF 2.0, ISO/IEC 12113) and its ratified extensions.
"""

import hashlib
import struct
from base64 import b64decode
from collections.abc import Callable, Iterator, Sequence
from functools import cache
from pathlib import Path as FolderPath
from typing import Any
from urllib.parse import quote, unquote

import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.migration.formats.json_text import Path, loaded, numbers, with_values
from saltwort.core.migration.formats.registry import MAX_NODES, Format, register
from saltwort.core.migration.graph import (
    COLOUR,
    EMBEDDED,
    FILE,
    LIGHT,
    NUMBER,
    PICTURE,
    SHADER,
    Document,
    Edit,
    Input,
    Node,
    SetInput,
)

MAGIC, JSON_CHUNK, BINARY_CHUNK = b"glTF", 0x4E4F534A, 0x004E4942
RULE_SRGB, RULE_DATA, RULE_LIGHT = "srgb_rec709_scene", "data", "lin_rec709_scene"
_COLOUR_PICTURES = (
    "baseColorTexture",
    "emissiveTexture",
    "sheenColorTexture",
    "specularColorTexture",
    "diffuseTexture",
    "specularGlossinessTexture",
    "diffuseTransmissionColorTexture",
)
_COLOURS = (
    "baseColorFactor",
    "emissiveFactor",
    "sheenColorFactor",
    "specularColorFactor",
    "attenuationColor",
    "diffuseFactor",
    "specularFactor",
    "diffuseTransmissionColorFactor",
)
_LIGHTS = "KHR_lights_punctual"


def read(content: bytes, path: str) -> Document:
    """A document. Raises BadInput for what is no glTF 2.0."""
    root = loaded(_json_of(content)[0], path)
    version = (
        root.get("asset", {}).get("version", "")
        if isinstance(root, dict) and isinstance(root.get("asset"), dict)
        else ""
    )
    if not str(version).startswith("2."):
        raise BadInput(f"{path} is no glTF 2.0. Export it again in that version.")
    nodes = {node.path: node for node in _nodes(root)}
    if len(nodes) > MAX_NODES:
        raise BadInput(f"A document of more than {MAX_NODES:,} nodes is not read. Import a part of it.")
    return Document(
        path=path,
        format="glTF",
        sha256=hashlib.sha256(content).hexdigest(),
        nodes=nodes,
        space=RULE_LIGHT,
        fixed_space=RULE_LIGHT,
    )


def _nodes(root: dict[str, Any]) -> Iterator[Node]:
    for number, material in enumerate(_listed(root, "materials")):
        path = f"materials/{number}"
        inputs = {}
        for at, key, value in _values(material, ()):
            place = "/".join(map(str, at))
            if key.endswith("Texture") and isinstance(value, dict) and isinstance(value.get("index"), int):
                uri = _name_of(root, value["index"])
                if uri is not None:
                    rule = RULE_SRGB if key in _COLOUR_PICTURES else RULE_DATA
                    picture = f"{path}/{place}"
                    yield Node(picture, "texture", PICTURE, {"uri": Input("uri", FILE, uri, None, rule)})
                    inputs[place] = Input(place, COLOUR if rule == RULE_SRGB else NUMBER, None, (picture, "out"))
            elif key in _COLOURS and (colour := numbers(value)) and len(colour) >= 3:
                inputs[place] = Input(place, COLOUR, colour[:3], None, RULE_LIGHT)
        yield Node(path, "material", SHADER, inputs)
    for number, light in enumerate(_listed(root.get("extensions", {}).get(_LIGHTS, {}), "lights")):
        inputs = {}
        if (colour := numbers(light.get("color"))) and len(colour) == 3:
            inputs["color"] = Input("color", COLOUR, colour, None, RULE_LIGHT)
        if intensity := numbers(light.get("intensity")):
            inputs["intensity"] = Input("intensity", NUMBER, intensity)
        yield Node(f"extensions/{_LIGHTS}/lights/{number}", str(light.get("type", "light")), LIGHT, inputs)


def _listed(root: Any, key: str) -> list[dict[str, Any]]:
    found = root.get(key) if isinstance(root, dict) else None
    return [each for each in found if isinstance(each, dict)] if isinstance(found, list) else []


def _values(value: dict[str, Any], path: Path) -> Iterator[tuple[Path, str, Any]]:
    """All values below one, by path and key."""
    stack: list[tuple[Path, dict[str, Any]]] = [(path, value)]
    while stack:
        at, found = stack.pop()
        for key, below in found.items():
            yield (*at, key), key, below
            if isinstance(below, dict) and len(at) < 20:
                stack.append(((*at, key), below))


def _name_of(root: dict[str, Any], texture: int) -> str | None:
    """The file of a texture, or the name that its picture has here where that stands within the document; None for a
    texture without one."""
    number = _image(root, texture)
    if number is None:
        return None
    uri = root["images"][number].get("uri")
    return unquote(uri) if isinstance(uri, str) and not uri.startswith("data:") else f"{EMBEDDED}image {number}"


def embedded(content: bytes, folder: FolderPath) -> dict[str, FolderPath]:
    """The PNG and JPEG pictures that stand within a document, written below a folder, by the names that they have
    here."""
    root = loaded(_json_of(content)[0], "The document")
    views, buffers = _listed(root, "bufferViews"), _listed(root, "buffers")

    @cache
    def buffer(number: int) -> bytes:
        uri = buffers[number].get("uri") if number < len(buffers) else ""
        if isinstance(uri, str):
            return _of_data_uri(uri)
        return _binary_of(content) if number == 0 else b""

    found = {}
    for number, image in enumerate(_listed(root, "images")):
        uri = image.get("uri")
        held = _of_data_uri(uri) if isinstance(uri, str) else _in_view(views, image.get("bufferView"), buffer)
        suffix = next((suffix for begin, suffix in _PICTURES.items() if held.startswith(begin)), None)
        if suffix:
            folder.mkdir(parents=True, exist_ok=True)
            found[f"{EMBEDDED}image {number}"] = folder / f"image {number}{suffix}"
            found[f"{EMBEDDED}image {number}"].write_bytes(held)
    return found


_PICTURES = {b"\x89PNG\r\n\x1a\n": ".png", b"\xff\xd8\xff": ".jpg"}
"""What the specification lets pictures be, by their first bytes."""


def _in_view(views: Sequence[dict[str, Any]], number: Any, buffer: Callable[[int], bytes]) -> bytes:
    """The bytes of a view of a buffer; none where there is no such view, or it lies in a file."""
    view = views[number] if isinstance(number, int) and 0 <= number < len(views) else {}
    start, length, of = (view.get(key, 0) for key in ("byteOffset", "byteLength", "buffer"))
    if not all(isinstance(each, int) and each >= 0 for each in (start, length, of)):
        return b""
    return buffer(of)[start : start + length]


def _of_data_uri(uri: str) -> bytes:
    head, comma, data = uri.partition(",")
    if not comma or not head.startswith("data:") or not head.endswith(";base64"):
        return b""
    try:
        return b64decode(data, validate=True)
    except ValueError:
        return b""


def _binary_of(content: bytes) -> bytes:
    """The second chunk of a .glb."""
    if not content.startswith(MAGIC):
        return b""
    start = 20 + struct.unpack_from("<I", content, 12)[0]
    if len(content) < start + 8:
        return b""
    size, kind = struct.unpack_from("<II", content, start)
    return content[start + 8 : start + 8 + size] if kind == BINARY_CHUNK else b""


def _image(root: dict[str, Any], texture: int) -> int | None:
    textures, images = _listed(root, "textures"), _listed(root, "images")
    source = textures[texture].get("source") if 0 <= texture < len(textures) else None
    return source if isinstance(source, int) and 0 <= source < len(images) else None


def rewritten(content: bytes, edits: Sequence[Edit]) -> bytes:
    """The document with these changes: typed colours, intensities and names of files. Raises BadInput for a space,
    which the standard sets."""
    text, together = _json_of(content)
    root = loaded(text, "The document")
    changes: list[tuple[Path, Any]] = []
    for edit in edits:
        if not isinstance(edit, SetInput):
            raise BadInput("glTF sets the spaces of its colours and pictures; they cannot be declared otherwise.")
        at: Path = tuple(int(part) if part.isdigit() else part for part in edit.node.split("/"))
        if isinstance(edit.value, str):
            image = _image(root, _value_at(root, at)["index"])
            changes.append(
                (("images", image if image is not None else -1, "uri"), quote(edit.value, safe="/._-~()!,+"))
            )
            continue
        place = (*at, *edit.input.split("/"))
        before = _value_at(root, place)
        # A fourth number is opacity, which stays.
        rest = before[len(edit.value) :] if isinstance(before, list) else []
        written = [*(_plain(number) for number in edit.value), *rest]
        changes.append((place, written if isinstance(before, list) else written[0]))
    return together(with_values(text.decode("utf-8-sig"), changes).encode())


def _plain(number: float) -> float:
    return float(f"{number:.9g}")


def _value_at(root: Any, path: Path) -> Any:
    try:
        for key in path:
            root = root[key]
    except (KeyError, IndexError, TypeError) as error:
        raise BadInput(f"{'/'.join(map(str, path))} is not found in the document.") from error
    return root


def _json_of(content: bytes) -> tuple[bytes, Callable[[bytes], bytes]]:
    """The JSON of a document, and what puts other JSON in its place."""
    if not content.startswith(MAGIC):
        return content, lambda text: text
    try:
        version, length = struct.unpack_from("<II", content, 4)
        size, kind = struct.unpack_from("<II", content, 12)
    except struct.error as error:
        raise BadInput("This .glb is cut off. Export it again.") from error
    if version != 2 or kind != JSON_CHUNK or length > len(content) or 20 + size > length:
        raise BadInput("This .glb is damaged, or not of version 2. Export it again.")
    rest = content[20 + size : length]

    def together(text: bytes) -> bytes:
        padded = text + b" " * (-len(text) % 4)
        head = struct.pack("<4sII", MAGIC, 2, 20 + len(padded) + len(rest))
        return head + struct.pack("<II", len(padded), JSON_CHUNK) + padded + rest

    return content[20 : 20 + size].rstrip(b" \0"), together


def problems(content: bytes) -> list[str]:
    """What is wrong by the schema of the standard in what Saltwort may change: factors out of range, and textures
    that are not there."""
    root = loaded(_json_of(content)[0], "The document")
    said = []
    for node in _nodes(root):
        for given in node.inputs.values():
            is_factor = given.name.rpartition("/")[2] in _COLOURS
            if is_factor and isinstance(given.value, tuple) and not all(0 <= number <= 1 for number in given.value):
                said.append(f"{node.path}/{given.name} lies outside 0–1, which the standard does not allow.")
    return said


def space_name(config: ocio.Config, space: str, node: Node) -> str:
    """glTF says no spaces."""
    return ""


def space_edits(document: Document, said: str) -> list[Edit]:
    """None: the standard sets the space."""
    return []


register(Format("glTF", (".gltf", ".glb"), read, rewritten, problems, space_name, space_edits, embedded))
