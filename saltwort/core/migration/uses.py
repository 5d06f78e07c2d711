"""What a document uses colour for: pictures with the inputs that they end in and the gamma nodes between, typed
colours, and lights."""

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

from saltwort.core.migration.graph import (
    COLOUR,
    FILE,
    LIGHT,
    PICTURE,
    VECTOR,
    Document,
    Input,
    Node,
    Numbers,
    without_time,
)

SURFACE, LIGHT_ROLE, COEFFICIENT, VIEWPORT = "surface", "light", "coefficient", "viewport"
"""What a typed colour is: of a surface, of a light, light lost along a medium, or shown in viewports only."""
MOST_STEPS = 64
_INTERFACES = ("Material", "NodeGraph", "nodegraph")
"""Nodes whose inputs stand for the inputs within that are connected to them."""

_DATA_WORDS = (
    "rough", "metal", "normal", "bump", "displace", "height", "opacity", "mask", "occlusion", "gloss", "anisotropy",
    "rotation", "ior", "weight", "scale", "factor", "amount", "presence", "thickness", "alpha", "cutout", "shininess",
)  # fmt: skip
_COLOUR_WORDS = ("color", "colour", "albedo", "diffuse", "emis", "tint", "radiance", "sss", "subsurface_radius")
_COEFFICIENT_WORDS = ("absorption", "extinction", "scattering", "sigma", "density_color")
_GAMMA_CATEGORY = re.compile(r"(?:^|_|nd_)(?:gamma|power|pow|curve)(?:[A-Z_\d]|$|correct|color|float)", re.IGNORECASE)
_GAMMA_INPUTS = ("gamma", "exponent", "power", "in2", "pow", "value2")
_RANGE = re.compile(r"^(?:ND_)?range(?:_|$)")
_NEUTRAL = re.compile(
    r"^(?:ND_)?(?:dot|convert|swizzle|extract|separate\d?|combine\d?)(?:_|$)|^(?:Material|NodeGraph|nodegraph)$"
)
CORRECTIONS = (2.2, 2.4, 1.8, 2.6, 2.0)
"""Exponents of displays, and their inverses, that gamma nodes correct for."""
NEAR = 0.035
"""How far, as a part of it, an exponent may lie from one of those: 0.45 and 0.4545 are both meant for 1/2.2."""


@dataclass(frozen=True)
class GammaNode:
    """A node that raises to a power, `exponent` being what numbers that come in are raised to. `input` is the one by
    which they come, `by` the one that holds the exponent; None for `exponent` where something else drives it."""

    node: str
    input: str
    exponent: float | None
    by: str = ""

    @property
    def corrects(self) -> bool:
        """Whether the exponent is that of a display, or its inverse, and not one that somebody chose for a look."""
        if self.exponent is None or self.exponent <= 0:
            return False
        larger = max(self.exponent, 1 / self.exponent)
        return any(abs(larger / known - 1) <= NEAR for known in CORRECTIONS)


@dataclass(frozen=True)
class Way:
    """A chain from a picture or a typed colour to where it ends: the last node and its input, the gamma nodes on it in
    the order in which numbers pass them, and the other nodes that change numbers."""

    end: Node
    input: str
    gammas: tuple[GammaNode, ...]
    others: tuple[str, ...]


@dataclass(frozen=True)
class PictureUse:
    """A node that reads a file: the file and the space as written, and the ways that it takes."""

    document: str
    node: Node
    input: str
    file: str
    said: str
    ways: tuple[Way, ...]

    @property
    def feeds(self) -> str:
        """The inputs that it ends in, for people."""
        return ", ".join(dict.fromkeys(plain_name(way.input) for way in self.ways)) or "nothing"

    @property
    def is_environment(self) -> bool:
        return self.node.sort == LIGHT or any(way.end.sort == LIGHT for way in self.ways)

    @property
    def is_data(self) -> bool:
        """Whether all that it ends in takes plain numbers."""
        ends = [holds_data(way) for way in self.ways]
        return bool(ends) and all(ends) and not self.is_environment


@dataclass(frozen=True)
class ColourUse:
    """A typed colour, or several: numbers as written, `width` for each, the space said for them, what they are of, and
    the gamma nodes behind them."""

    document: str
    node: Node
    input: str
    values: Numbers
    said: str
    role: str
    gammas: tuple[GammaNode, ...] = ()
    width: int = 3

    @property
    def key(self) -> str:
        return f"{self.node.path}.{self.input}"


@dataclass(frozen=True)
class LightUse:
    """A light: how bright, by intensity and stops of exposure, and its temperature in kelvin where it uses one."""

    document: str
    node: Node
    intensity: float
    exposure: float
    temperature: float | None


def plain_name(name: str) -> str:
    """The name of an input without its namespace, and without the time of a sample."""
    return without_time(name).removeprefix("inputs:").rpartition("/")[2]


def holds_data(way: Way) -> bool:
    """Whether the input at the end of a way takes plain numbers, by its type and its name."""
    name = plain_name(way.input).lower()
    is_colour = any(word in name for word in _COLOUR_WORDS)
    if any(word in name for word in _DATA_WORDS) and not is_colour:
        return True
    found = way.end.inputs.get(way.input)
    return found is not None and found.type == VECTOR and not is_colour


class Uses:
    """The uses of colour in one document."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self._nodes = document.nodes
        self._fed: dict[tuple[str, str], list[tuple[str, str]]] = defaultdict(list)
        self._fed_by_node: dict[str, list[tuple[str, str]]] = defaultdict(list)
        for node in document.nodes.values():
            for given in node.inputs.values():
                if given.source:
                    self._fed[given.source].append((node.path, given.name))
                    self._fed_by_node[given.source[0]].append((node.path, given.name))

    @cached_property
    def pictures(self) -> list[PictureUse]:
        """Every input that reads a file."""
        return [
            PictureUse(self.document.path, node, given.name, str(given.value), given.said, self._ways(node, given))
            for node in self._nodes.values()
            for given in node.inputs.values()
            if given.type == FILE and given.value
        ]

    @cached_property
    def colours(self) -> list[ColourUse]:
        """Every typed colour."""
        return list(self._colours())

    @cached_property
    def lights(self) -> list[LightUse]:
        """Every light with an intensity."""
        found = []
        for node in self._nodes.values():
            intensity = _number(node, "intensity")
            if node.sort == LIGHT and intensity is not None:
                uses_temperature = _value(node, "enableColorTemperature") in (True, (1.0,))
                temperature = _number(node, "colorTemperature") or _number(node, "temperature")
                found.append(
                    LightUse(
                        self.document.path,
                        node,
                        intensity,
                        _number(node, "exposure") or 0.0,
                        temperature if uses_temperature or _value(node, "temperature") else None,
                    )
                )
        return found

    @cached_property
    def gammas(self) -> Mapping[str, GammaNode]:
        """Every node that raises to a power, by its path."""
        return {node.path: found for node in self._nodes.values() if (found := _gamma_of(node))}

    def consumers(self, node: str) -> list[tuple[str, str]]:
        """The inputs that are connected to any output of a node."""
        return self._fed_by_node.get(node, [])

    def _ways(self, node: Node, given: Input) -> tuple[Way, ...]:
        if node.sort == LIGHT:
            return (Way(node, given.name, (), ()),)
        found = []
        # A picture is read by its node; an input of a material or graph stands for what is connected to it.
        own = self._fed[node.path, without_time(given.name)]
        starts = self._fed_by_node[node.path] if node.sort == PICTURE else own
        stack: list[tuple[tuple[str, str], tuple[GammaNode, ...], tuple[str, ...]]] = [
            (start, (), ()) for start in starts
        ]
        steps = 0
        while stack and steps < 10_000:
            steps += 1
            (path, name), gammas, others = stack.pop()
            end = self._nodes.get(path)
            if end is None or len(gammas) + len(others) > MOST_STEPS:
                continue
            gamma = self.gammas.get(path)
            if gamma is not None and gamma.input == name:
                gammas = (*gammas, gamma)
            following = self._following(end, name)
            if not following:
                if not name.startswith("outputs:"):
                    found.append(Way(end, name, gammas, others))
                continue
            if gamma is None and not _NEUTRAL.match(end.category):
                others = (*others, path)
            stack += [(each, gammas, others) for each in following]
        return tuple(found)

    def _following(self, node: Node, name: str) -> list[tuple[str, str]]:
        """The inputs that what comes in by an input goes on to; none where it ends there."""
        if node.category in _INTERFACES:
            return self._fed[node.path, name]
        return [
            (path, there)
            for path, there in self._fed_by_node[node.path]
            if self._nodes[path].category not in ("Material", "surfacematerial") and self._carries_numbers(path, there)
        ]

    def _carries_numbers(self, path: str, name: str) -> bool:
        """Whether an input takes numbers, and no surface or displacement as a whole."""
        return not name.startswith("outputs:") and name not in ("surfaceshader", "displacementshader", "volumeshader")

    def _colours(self) -> Iterator[ColourUse]:
        for node in self._nodes.values():
            for given in node.inputs.values():
                is_coefficient = given.type == VECTOR and _is_coefficient(given.name)
                if not (given.type == COLOUR or is_coefficient) or not isinstance(given.value, tuple) or given.source:
                    continue
                if given.name.startswith("outputs:") or len(given.value) % given.width:
                    continue
                own = self.gammas.get(node.path)
                if own is None or own.input == without_time(given.name):  # else it is an exponent
                    yield self._colour(node, given, given.value, own)

    def _colour(self, node: Node, given: Input, values: Numbers, own: GammaNode | None) -> ColourUse:
        if own is not None:
            ways = self._ways(Node(node.path, "", PICTURE, {}), Input("", FILE))
            gammas: tuple[GammaNode, ...] = (own, *(ways[0].gammas if ways else ()))
        else:
            ways = self._ways(node, given)
            is_one = bool(ways) and all(way.gammas == ways[0].gammas for way in ways)
            gammas = ways[0].gammas if is_one and node.category in _INTERFACES else ()
        role = _role(node, given, ways)
        return ColourUse(self.document.path, node, given.name, values, given.said, role, gammas, given.width)


def _role(node: Node, given: Input, ways: tuple[Way, ...]) -> str:
    if node.sort == LIGHT:
        return LIGHT_ROLE
    names = [given.name, *(way.input for way in ways)]
    if any(_is_coefficient(name) for name in names):
        return COEFFICIENT
    if given.name.startswith("primvars:"):
        return VIEWPORT
    if any("emis" in name.lower() or "radiance" in name.lower() for name in names):
        return LIGHT_ROLE
    return SURFACE


def _is_coefficient(name: str) -> bool:
    plain = plain_name(name).lower()
    return any(plain.startswith(word) or plain.endswith(word) for word in _COEFFICIENT_WORDS)


def _gamma_of(node: Node) -> GammaNode | None:
    if _RANGE.match(node.category):
        # `range` of the MaterialX specification raises to 1/gamma between its ends.
        gamma = _number(node, "gamma")
        ends = [_number(node, name) for name in ("inlow", "inhigh", "outlow", "outhigh")]
        is_plain = all(end in (None, default) for end, default in zip(ends, (0.0, 1.0, 0.0, 1.0), strict=True))
        if gamma is None or gamma <= 0 or gamma == 1 or not is_plain:
            return None
        return GammaNode(node.path, _named(node, "in"), 1 / gamma, _named(node, "gamma"))
    if not _GAMMA_CATEGORY.search(node.category):
        return None
    given = next((found for name in _GAMMA_INPUTS if (found := _find(node, name))), None)
    incoming = next((found for name in ("in1", "in", "input", "color", "value") if (found := _find(node, name))), None)
    if given is None or incoming is None or given is incoming:
        return None
    if given.source or not isinstance(given.value, tuple) or len(set(given.value)) != 1:
        return GammaNode(node.path, incoming.name, None, given.name)
    return GammaNode(node.path, incoming.name, given.value[0], given.name)


def _find(node: Node, name: str) -> Input | None:
    return node.inputs.get(name) or node.inputs.get(f"inputs:{name}")


def _named(node: Node, name: str) -> str:
    found = _find(node, name)
    return found.name if found else name


def _value(node: Node, name: str) -> Numbers | str | None:
    found = _find(node, name)
    return found.value if found else None


def _number(node: Node, name: str) -> float | None:
    value = _value(node, name)
    return value[0] if isinstance(value, tuple) and len(value) == 1 else None
