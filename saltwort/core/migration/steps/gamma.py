"""Gamma nodes out: pictures are read in spaces instead, and typed colours hold the light itself."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from saltwort.core.migration.graph import Connect, RemoveNode, SetInput
from saltwort.core.migration.plan import Change, Draft, step, told
from saltwort.core.migration.uses import ColourUse, GammaNode, PictureUse, Uses, plain_name

KEY = "gamma-out"


@dataclass(frozen=True)
class GammaOut:
    """`every` takes out also exponents that no display has, which somebody may have chosen for a look."""

    every: bool = False


@step(
    KEY,
    "Take gamma nodes out",
    "Removes nodes that decode by a power between a picture or a typed colour and its input.",
    GammaOut,
    10,
)
def take(draft: Draft, settings: GammaOut) -> Iterator[Change]:
    """Gamma nodes that can go, each rewired to what came in."""
    for document, uses in draft.scene.uses.items():
        going: dict[str, GammaNode] = {}
        for node, gamma in uses.gammas.items():
            why = _kept(uses.pictures, uses.colours, gamma, settings.every)
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
            fed = sorted({plain_name(way.input) for use in uses.pictures for way in use.ways if gamma in way.gammas})
            yield Change(
                KEY,
                document,
                f"{node} to {', '.join(fed) or 'a colour'}",
                f"exponent {gamma.exponent:.4g}",
                "no node" if source else "exponent 1",
                _why(uses.pictures, gamma),
            )
        yield from _without(draft, document, set(going))


def _source(uses: Uses, gamma: GammaNode, going: Mapping[str, GammaNode]) -> tuple[str, str] | None:
    """What comes into a node, past others that go too; None for a colour that is typed into one."""
    source = uses.document.nodes[gamma.node].inputs[gamma.input].source
    while source and source[0] in going:
        before = going[source[0]]
        source = uses.document.nodes[before.node].inputs[before.input].source
    return source


def _kept(pictures: list[PictureUse], colours: list[ColourUse], gamma: GammaNode, every: bool) -> str:
    """Why a gamma node stays; empty where it goes."""
    if gamma.exponent is None:
        return "Something else drives its exponent, so it is a part of the look."
    passing = [way for use in pictures for way in use.ways if gamma in way.gammas]
    typed = [colour for colour in colours if gamma in colour.gammas]
    if not passing and not typed:
        return "No picture and no typed colour passes it."
    if not gamma.corrects and not every:
        return f"{gamma.exponent:.3g} is the exponent of no display, so it looks chosen for a look."
    if any(way.others for way in passing):
        return "Other nodes that change numbers stand on the way, so taking it out would change more than the decoding."
    return ""


def _why(pictures: list[PictureUse], gamma: GammaNode) -> str:
    on_data = any(use.is_data for use in pictures for way in use.ways if gamma in way.gammas)
    if on_data:
        return "It bends plain numbers, which no display ever encoded."
    return "The picture's space decodes it; a node besides would decode it twice."


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
            picture.gammas_gone = True
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
