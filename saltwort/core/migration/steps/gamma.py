"""Gamma nodes out: pictures are read in spaces instead, and typed colours hold the light itself."""

from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from saltwort.core.migration.graph import Connect, RemoveNode, SetInput
from saltwort.core.migration.plan import Change, Draft, step, told
from saltwort.core.migration.uses import GammaNode, Uses, Way, plain_name

KEY = "gamma-out"


@dataclass(frozen=True)
class GammaOut:
    """`every` takes out also exponents that no display has, which somebody may have chosen for a look."""

    every: bool = False


@step(
    KEY,
    "Remove gamma nodes",
    "Removes nodes that decode by a power between a picture or a typed colour and its input.",
    GammaOut,
    10,
)
def take(draft: Draft, settings: GammaOut) -> Iterator[Change]:
    """Gamma nodes that can go, each rewired to what came in."""
    for document, uses in draft.scene.uses.items():
        passing = _passing(uses)
        going: dict[str, GammaNode] = {}
        for node, gamma in uses.gammas.items():
            why = _kept(gamma, passing[node], settings.every)
            if why:
                draft.leave(KEY, document, node, why)
            else:
                going[node] = gamma
        for node, gamma in going.items():
            source = _source(uses, gamma, going)
            for path, name in uses.consumers(node):
                if source and path not in going:
                    draft.edit(document, Connect(path, name, source))
            if source or uses.document.format == "list":
                draft.edit(document, RemoveNode(node))
            else:  # it also holds the colour, so it stays and does nothing
                draft.edit(document, SetInput(node, gamma.by, (1.0,)))
            fed = sorted({plain_name(way.input) for way in passing[node].ways})
            yield Change(
                KEY,
                document,
                f"{node} to {', '.join(fed) or 'a colour'}",
                f"exponent {gamma.exponent:.4g}",
                "no node" if source else "exponent 1",
                "It bends plain numbers, which no display ever encoded."
                if passing[node].is_data
                else "The picture's space decodes it; a node besides would decode it twice.",
            )
        yield from _without(draft, document, set(going))


@dataclass
class _Passing:
    """What passes a gamma node: ways of pictures, whether one of them is data, and how many typed colours."""

    ways: list[Way] = field(default_factory=list)
    is_data: bool = False
    colours: int = 0


def _passing(uses: Uses) -> Mapping[str, _Passing]:
    found: dict[str, _Passing] = defaultdict(_Passing)
    for picture in uses.pictures:
        for way in picture.ways:
            for gamma in way.gammas:
                found[gamma.node].ways.append(way)
                found[gamma.node].is_data |= picture.is_data
    for colour in uses.colours:
        for gamma in colour.gammas:
            found[gamma.node].colours += 1
    return found


def _source(uses: Uses, gamma: GammaNode, going: Mapping[str, GammaNode]) -> tuple[str, str] | None:
    """What comes into a node, past others that go too; None for a colour that is typed into one."""
    source = uses.document.nodes[gamma.node].inputs[gamma.input].source
    while source and source[0] in going:
        before = going[source[0]]
        source = uses.document.nodes[before.node].inputs[before.input].source
    return source


def _kept(gamma: GammaNode, passing: _Passing, every: bool) -> str:
    """Why a gamma node stays; empty where it goes."""
    if gamma.exponent is None:
        return "Something else drives its exponent, so it is a part of the look."
    if not passing.ways and not passing.colours:
        return "No picture and no typed colour passes it."
    if not gamma.corrects and not every:
        return f"{gamma.exponent:.3g} is the exponent of no display, so it looks chosen for a look."
    if any(way.others for way in passing.ways):
        return "Other nodes that change numbers stand on the way, so taking it out would change more than the decoding."
    return ""


def _without(draft: Draft, document: str, gone: set[str]) -> Iterator[Change]:
    """Pictures and colours whose gamma nodes are gone."""
    for picture in draft.by_document.get(document, ()):
        ways = picture.use.ways
        if ways and any(gamma.node in gone for way in ways for gamma in way.gammas):
            remaining = [gamma for gamma in ways[0].gammas if gamma.node not in gone]
            exponent = 1.0
            for gamma in remaining:
                exponent *= gamma.exponent or 1.0
            picture.reading = replace(picture.reading, exponent=exponent)
    for colour in draft.colours:
        use = colour.use
        mine = [gamma for gamma in use.gammas if gamma.node in gone]
        if use.document != document or not mine:
            continue
        exponent = 1.0
        for gamma in mine:
            exponent *= gamma.exponent or 1.0
        colour.values = tuple(abs(value) ** exponent if value > 0 else value for value in colour.values)
        colour.reading = replace(colour.reading, exponent=colour.reading.exponent / exponent)
        draft.edit(document, SetInput(use.node.path, use.input, colour.values))
        yield Change(
            KEY,
            document,
            use.key,
            told(use.values),
            told(colour.values),
            "The colour holds the light that the node made of it.",
        )
