"""Layers of a picture as they go into a scene-linear EXR: which, under which names, in which parts and samples."""

from dataclasses import dataclass, replace
from pathlib import Path

from saltwort.core.deliverables.shown import Source
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, Layer
from saltwort.core.images.channels import ColourGroup, colour_groups
from saltwort.core.images.layer_kinds import ByHand, JudgedLayer, judged_layers
from saltwort.core.images.writing import WHOLE_NUMBER, Part, usual_alpha

ALL = "all"
UNNAMED = "main"
"""The name of a part for the layer that has none."""
DWA_COLOURS = ("r", "g", "b", "y", "ry", "by")
"""The last names of channels that DWA packs with loss, whatever they hold."""
EXR_TYPES = ("half", "float", "uint")


@dataclass(frozen=True)
class Chosen:
    """A layer of the source, what it is called in the file, and whether it is colour, which is converted."""

    judged: JudgedLayer
    name: str

    @property
    def layer(self) -> Layer:
        return self.judged.layer

    @property
    def is_called_as_it_was(self) -> bool:
        return self.name == self.layer.name

    @property
    def groups(self) -> tuple[ColourGroup, ...]:
        """Its colours, by the numbers of its own channels; none of data."""
        return () if self.judged.is_data else colour_groups(self.layer.channels)

    @property
    def colour(self) -> set[int]:
        """Which of its channels are colour or its alpha."""
        found: set[int] = set()
        for group in self.groups:
            found |= {*group.colour, *([] if group.alpha is None else [group.alpha])}
        return found

    def whole_numbers(self, header: Header) -> list[str]:
        """Its channels of whole numbers beside colour."""
        own = dict(zip(header.channel_names, header.channel_types, strict=True))
        return [
            name
            for number, name in enumerate(self.layer.channels)
            if number not in self.colour and own[name] == WHOLE_NUMBER
        ]


def chosen_parts(source: Source, layers: str, by_hand: ByHand, *, separate: bool) -> list[list[Chosen]]:
    """The layers that are delivered, by the part of the file they go to: those named, as `old=new` where they are
    called otherwise; ALL; or the one looked at, where `layers` is empty. `separate` gives each a part of its own.
    Raises BadInput for one that there is not."""
    known = {each.name: each for each in judged_layers(source.file, by_hand, source.beside)}
    first = next(iter(known))
    wanted: dict[str, str]
    if not layers.strip():
        wanted = {source.layer: ""} if source.layer in known else {first: ""}
    elif layers.strip() == ALL:
        wanted = {name: name for name in known}
    else:
        pairs = [each.partition("=") for each in layers.split(",") if each.strip()]
        wanted = {old.strip(): (new.strip() if sign else old.strip()) for old, sign, new in pairs}
    for name in wanted:
        if name not in known:
            listed = ", ".join(each or "the first" for each in known)
            raise BadInput(f"{source.name} has no layer “{name}”. It has {listed}.", "layers")
    if len(set(wanted.values())) < len(wanted):
        raise BadInput("Two layers would have the same name. Name each by itself.", "layers")
    found = [Chosen(known[old], new) for old, new in wanted.items()]
    if separate:
        return [[each] for each in found]
    by_part: dict[int, list[Chosen]] = {}
    for each in found:
        by_part.setdefault(each.layer.part, []).append(each)
    return list(by_part.values())


def described_part(part: list[Chosen], header: Header, sample: str, *, separate: bool) -> Part:
    """What a part of the file holds: colour in the samples asked for, and data as it was."""
    names, types = [], []
    own = dict(zip(header.channel_names, header.channel_types, strict=True))
    for each in part:
        for number, channel in enumerate(each.layer.channels):
            names.append(channel_name(each, channel, separate))
            kept = own[channel] if own[channel] in EXR_TYPES else "float"
            types.append(sample if number in each.colour else kept)
    called = ""
    if separate:
        called = part[0].name or UNNAMED
    elif header.parts > 1:
        called = header.part_name if part[0].is_called_as_it_was else part[0].name.partition(".")[0]
    channels = tuple(names)
    return Part(
        header.width,
        header.height,
        channels,
        tuple(types) if len(set(types)) > 1 else (types[0],),
        usual_alpha(Path("x.exr"), channels),
        header.frame,
        called,
        header.origin,
    )


def exactly_packed(described: Part, chosen: list[Chosen]) -> Part:
    """A part that DWA is asked for, with its data kept exact: one of data alone is packed by ZIP. Raises BadInput where
    DWA would change data beside colour."""
    data = [each for each in chosen if each.judged.is_data]
    if len(data) == len(chosen):
        return replace(described, attributes={**described.attributes, "compression": "zip"})
    spoilt = [each.name for each in data if _is_spoilt(each)]
    if spoilt or described.whole_numbers:
        named = ", ".join(spoilt or described.whole_numbers)
        raise BadInput(
            f"DWA would change the numbers of {named}. Choose an exact compression, or a part for each layer.",
            "compression",
        )
    return described


def _is_spoilt(each: Chosen) -> bool:
    return any(channel.rpartition(".")[2].lower() in DWA_COLOURS for channel in each.layer.channels)


def channel_name(each: Chosen, channel: str, is_part: bool) -> str:
    """What a channel is called in the file: without its layer where that is a part."""
    if each.layer.part_name and each.is_called_as_it_was and not is_part:
        return channel
    last = channel.rpartition(".")[2]
    return last if is_part or not each.name or each.name == channel else f"{each.name}.{last}"
