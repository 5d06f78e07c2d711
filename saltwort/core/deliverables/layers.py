"""Layers of a picture as they go into a scene-linear EXR: which, under which names, in which parts and samples."""

from dataclasses import dataclass
from pathlib import Path

from saltwort.core.deliverables.shown import Source
from saltwort.core.errors import BadInput
from saltwort.core.images import Header, Layer, read_header, read_layers
from saltwort.core.images.channels import colour_groups
from saltwort.core.images.writing import Part, usual_alpha

ALL = "all"
INTEGERS = ("uint", "int")
UNNAMED = "main"
"""The name of a part for the layer that has none."""


@dataclass(frozen=True)
class Chosen:
    """A layer of the source and what it is called in the file."""

    layer: Layer
    name: str


def chosen_parts(source: Source, layers: str, *, separate: bool) -> list[list[Chosen]]:
    """The layers that are delivered, by the part of the file they go to: those named, as `old=new` where they are
    called otherwise; ALL but those of whole numbers; or the one looked at, where `layers` is empty. `separate` gives
    each a part of its own. Raises BadInput for one that there is not."""
    known = {layer.name: layer for layer in read_layers(source.file)}
    first = next(iter(known))
    wanted: dict[str, str]
    if not layers.strip():
        wanted = {source.layer: ""} if source.layer in known else {first: ""}
    elif layers.strip() == ALL:
        whole = {part: whole_numbers(read_header(source.file, part=part)) for part in {x.part for x in known.values()}}
        wanted = {name: name for name, layer in known.items() if not whole[layer.part] & set(layer.channels)}
        if not wanted:
            raise BadInput(f"{source.name} holds whole numbers alone, which floats do not keep.", "layers")
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


def whole_numbers(header: Header) -> set[str]:
    """The channels of whole numbers, such as identifiers, which floats do not hold to the last."""
    return {name for name, of in zip(header.channel_names, header.channel_types, strict=False) if of in INTEGERS}


def described_part(part: list[Chosen], header: Header, sample: str, *, separate: bool) -> Part:
    """What a part of the file holds, colour in the samples asked for and all else as it was. Raises BadInput for whole
    numbers."""
    names, types = [], []
    whole = whole_numbers(header)
    own = dict(zip(header.channel_names, header.channel_types, strict=True))
    for each in part:
        colour = colour_of(each.layer.channels)
        for number, channel in enumerate(each.layer.channels):
            if channel in whole:
                raise BadInput(
                    f"The layer “{each.layer.name}” holds whole numbers, which floats do not keep. Leave it out."
                )
            names.append(channel_name(each, channel, separate))
            types.append(sample if number in colour else "half" if own.get(channel) == "half" else "float")
    called = ""
    if separate:
        called = part[0].name or UNNAMED
    elif header.parts > 1:
        called = part[0].name.partition(".")[0]
    channels = tuple(names)
    return Part(
        header.width,
        header.height,
        channels,
        tuple(types) if len(set(types)) > 1 else (types[0],),
        usual_alpha(Path("x.exr"), channels),
        header.frame,
        called,
    )


def channel_name(each: Chosen, channel: str, is_part: bool) -> str:
    """What a channel is called in the file: without its layer where that is a part."""
    last = channel.rpartition(".")[2]
    return last if is_part or not each.name or each.name == channel else f"{each.name}.{last}"


def colour_of(names: tuple[str, ...]) -> set[int]:
    """Which of the channels are colour or its alpha, and so are converted."""
    found: set[int] = set()
    for group in colour_groups(names):
        found |= {*group.colour, *([] if group.alpha is None else [group.alpha])}
    return found
