"""Material documents in the open MaterialX format: written for a texture set, and read to be compared with the rules.

Names of colour spaces and nodes are those of the MaterialX specification 1.39 and its standard library.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

import MaterialX as mx
import PyOpenColorIO as ocio

from saltwort.core.errors import BadInput
from saltwort.core.textures.evidence import data_space
from saltwort.core.textures.kinds import DEFAULT_KIND_WORDS, KindMatch, KindWords
from saltwort.core.textures.sets import set_member

MAX_DOCUMENT_BYTES = 8_000_000
NO_SPACE = "none"
"""For numbers that are no colour."""
TILE_TOKEN = "<UDIM>"

# Interop IDs to the names of the specification.
_NAMES = {
    "srgb_rec709_scene": "srgb_texture",
    "lin_rec709_scene": "lin_rec709",
    "lin_ap1_scene": "acescg",
    "g18_rec709_scene": "g18_rec709",
    "g22_rec709_scene": "g22_rec709",
    "g22_ap1_scene": "g22_ap1",
    "srgb_p3d65_scene": "srgb_displayp3",
    "lin_p3d65_scene": "lin_displayp3",
    "g22_adobergb_scene": "adobergb",
    "lin_adobergb_scene": "lin_adobergb",
}

# Map kinds to inputs of the standard surface: name, type of the picture, and an input to turn on with it.
_INPUTS: dict[str, tuple[str, str, str]] = {
    "base_colour": ("base_color", "color3", ""),
    "specular_colour": ("specular_color", "color3", ""),
    "transmission": ("transmission_color", "color3", "transmission"),
    "subsurface": ("subsurface_color", "color3", "subsurface"),
    "emission": ("emission_color", "color3", "emission"),
    "roughness": ("specular_roughness", "float", ""),
    "metalness": ("metalness", "float", ""),
    "opacity": ("opacity", "color3", ""),
    "normal": ("normal", "vector3", ""),
}
_OPPOSITE_WORDS = ("gloss", "glossiness")
_COLOUR_TYPES = ("color3", "color4")


@dataclass(frozen=True)
class MaterialFile:
    """A texture of a set as the project reads it. `pixels` tells the larger of two resolutions."""

    path: str
    kind: KindMatch | None
    space: str
    pixels: int


@dataclass(frozen=True)
class DocumentedFile:
    """A file that a document names, with the colour space it says for it: NO_SPACE for numbers that are no colour,
    empty where it says nothing. `where` is the place in the document."""

    path: str
    said: str
    where: str


@dataclass(frozen=True)
class Disagreement:
    """A file of a document beside the texture of the project it is, if any. `said_space` is the config's space for what
    the document says, None where it has none or nothing is said."""

    file: DocumentedFile
    texture: str
    said_space: str | None
    assigned: str
    agrees: bool
    why: str


def material_document(
    name: str, files: Sequence[MaterialFile], config: ocio.Config, words: KindWords = DEFAULT_KIND_WORDS
) -> str:
    """A document with one material: a picture node for every map, tiles as one, each with the name of its colour
    space, connected to the inputs of a standard surface as far as it has one for the map kind.

    Of several resolutions the largest stands in. Maps that no input takes, such as masks, stand unconnected.
    """
    document = mx.createDocument()
    material = document.createValidChildName(name)
    shader = document.addNode("standard_surface", f"{material}_surface", "surfaceshader")
    node = document.addNode("surfacematerial", material, "material")
    node.addInput("surfaceshader", "surfaceshader").setNodeName(shader.getName())
    for shown, group in _maps(files, words).items():
        first = group[0]
        kind = first.kind.kind.key if first.kind else ""
        is_data = config.getColorSpace(first.space).isData()
        input_name, sort, switch = _INPUTS.get(kind, ("", "float" if is_data else "color3", ""))
        picture = document.addNode("image", document.createValidChildName(PurePosixPath(first.path).stem), sort)
        file = picture.addInput("file", "filename")
        file.setValueString(shown)
        file.setColorSpace(NO_SPACE if is_data else space_name(config, first.space))
        if kind == "displacement":
            _displace(document, node, picture, material)
        elif input_name and shader.getInput(input_name) is None:
            if switch:
                shader.addInput(switch, "float").setValueString("1")
            source = _through(document, picture, first)
            shader.addInput(input_name, source.getType()).setNodeName(source.getName())
    return str(mx.writeToXmlString(document))


def _maps(files: Sequence[MaterialFile], words: KindWords) -> dict[str, list[MaterialFile]]:
    """The files of each picture node, by what it shows; tiles under one name as long as they are read alike."""
    largest: dict[tuple[str, str, str, str], MaterialFile] = {}
    for file in files:
        member = set_member(file.path, words)
        key = (file.kind.kind.key if file.kind else file.path, file.space, member.tile, member.frame)
        if key not in largest or file.pixels > largest[key].pixels:
            largest[key] = file
    maps: dict[str, list[MaterialFile]] = defaultdict(list)
    for (_, _, tile, _), file in sorted(largest.items(), key=lambda item: item[1].path):
        folder, _, base = file.path.rpartition("/")
        shown = base.replace(tile, TILE_TOKEN) if len(tile) == 4 else base
        maps[f"{folder}/{shown}" if folder else shown].append(file)
    return maps


def _through(document: mx.Document, picture: mx.Node, file: MaterialFile) -> mx.Node:
    """The picture as its input takes it: a gloss turned round, a normal map read as vectors."""
    if file.kind and file.kind.word in _OPPOSITE_WORDS:
        turned = document.addNode("invert", document.createValidChildName(f"{picture.getName()}_inverted"), "float")
        turned.addInput("in", "float").setNodeName(picture.getName())
        return turned
    if file.kind and file.kind.kind.key == "normal":
        vectors = document.addNode(
            "normalmap", document.createValidChildName(f"{picture.getName()}_vectors"), "vector3"
        )
        vectors.addInput("in", "vector3").setNodeName(picture.getName())
        return vectors
    return picture


def _displace(document: mx.Document, material: mx.Node, picture: mx.Node, name: str) -> None:
    if material.getInput("displacementshader") is not None:
        return
    displacement = document.addNode("displacement", f"{name}_displacement", "displacementshader")
    displacement.addInput("displacement", "float").setNodeName(picture.getName())
    material.addInput("displacementshader", "displacementshader").setNodeName(displacement.getName())


def space_name(config: ocio.Config, space: str) -> str:
    """What a document calls a space: the specification's name, else its interop ID, else its name in the config."""
    found = config.getColorSpace(space)
    known = set(_NAMES.values())
    alias = next((name for name in (found.getName(), *found.getAliases()) if name in known), "")
    return str(_NAMES.get(found.getInteropID()) or alias or found.getInteropID() or found.getName())


def documented_files(content: bytes, name: str) -> list[DocumentedFile]:
    """Every file that a document names. Nothing that it includes is looked at. Raises BadInput as `opened` does."""
    found = []
    for element in opened(content, name).traverseTree():
        if isinstance(element, mx.Input) and element.getType() == "filename" and element.getValueString():
            node = element.getParent()
            # A space is of colours only; other pictures are numbers, whatever the document says around them.
            said = element.getActiveColorSpace() if node.getType() in _COLOUR_TYPES else NO_SPACE
            found.append(DocumentedFile(element.getResolvedValueString(), said, element.getNamePath()))
    return found


def opened(content: bytes, name: str) -> mx.Document:
    """A document, without what it includes. Raises BadInput for what is no MaterialX document, called `name`, and for
    one that is too large."""
    if len(content) > MAX_DOCUMENT_BYTES:
        raise BadInput(
            f"{name} is larger than {MAX_DOCUMENT_BYTES // 1_000_000} MB, too large for a material document."
        )
    document, options = mx.createDocument(), mx.XmlReadOptions()
    options.readXIncludeFunction = None
    try:
        mx.readFromXmlString(document, content.decode(), mx.FileSearchPath(), options)
    except (mx.Exception, mx.ExceptionParseError, UnicodeDecodeError) as error:
        raise BadInput(f"{name} is no MaterialX document: {str(error).splitlines()[0]}") from error
    if not content.strip() or not document.getChildren():
        raise BadInput(f"{name} holds no material. Import the .mtlx file that an application wrote.")
    return document


def disagreements(
    files: Iterable[DocumentedFile],
    assigned: dict[str, str],
    config: ocio.Config,
    words: KindWords = DEFAULT_KIND_WORDS,
) -> list[Disagreement]:
    """Each file of a document beside the texture that it is by the end of its path, `assigned` being the space of each
    path of the project. Those that disagree come first."""
    by_name: dict[str, list[str]] = defaultdict(list)
    for path in assigned:
        name = PurePosixPath(path).name.lower()
        tile = set_member(path, words).tile
        for known in {name, name.replace(tile.lower(), TILE_TOKEN.lower()) if tile else name}:
            by_name[known].append(path)
    rows = [row for file in files for row in _rows_of(file, by_name, assigned, config)]
    return sorted(rows, key=lambda row: (row.agrees, row.file.path))


def _rows_of(
    file: DocumentedFile, by_name: dict[str, list[str]], assigned: dict[str, str], config: ocio.Config
) -> list[Disagreement]:
    parts = PurePosixPath(file.path.replace("\\", "/")).parts
    known = by_name.get(parts[-1].lower(), []) if parts else []
    if not known:
        return [Disagreement(file, "", None, "", False, "No texture of the project ends in this path.")]
    common = {path: _common_end(parts, PurePosixPath(path).parts) for path in known}
    nearest = [path for path in known if common[path] == max(common.values())]
    said = documented_space(file.said, config)
    return [_row(file, path, said, assigned[path], config) for path in nearest]


def _row(file: DocumentedFile, path: str, said: str | None, assigned: str, config: ocio.Config) -> Disagreement:
    space = config.getColorSpace(assigned)
    if not file.said:
        return Disagreement(file, path, None, assigned, False, "The document says nothing of its space.")
    if said is None:
        return Disagreement(file, path, None, assigned, False, f"The config has no space {file.said}.")
    both_data = space is not None and space.isData() and config.getColorSpace(said).isData()
    agrees = both_data or (space is not None and space.getName() == said)
    return Disagreement(file, path, said, assigned, agrees, "" if agrees else f"The document reads it as {said}.")


def _common_end(one: tuple[str, ...], other: tuple[str, ...]) -> int:
    count = 0
    for first, second in zip(reversed(one[:-1]), reversed(other[:-1]), strict=False):
        if first.lower() != second.lower():
            break
        count += 1
    return count


def documented_space(said: str, config: ocio.Config) -> str | None:
    """The space of a config for what a document calls one; None where it has none."""
    if said == NO_SPACE:
        return data_space(config)
    interop_ids = [interop_id for interop_id, name in _NAMES.items() if name == said]
    for known in (said, *interop_ids):
        if known and (space := config.getColorSpace(known)):
            return str(space.getName())
    return None
