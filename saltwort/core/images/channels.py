"""What the channels of a picture are: colour, its alpha, or neither."""

from dataclasses import dataclass

STRAIGHT, ASSOCIATED = "straight", "associated"
"""How alpha stands to colour: beside it, or multiplied into it. Associated colour is light that is added to what is
behind, so it may be there where alpha is 0."""
ALPHA_NAMES = ("a", "alpha")
NUMBER_NAMES = ("z", "zback", "depth", "id", "n", "p", "u", "v", "x")
"""What channels are called that are no colour (OpenEXR, standard channel names, and others in use)."""


@dataclass(frozen=True)
class ColourGroup:
    """Channels that are one colour, by their numbers in the file: red, green and blue, or one grey; and their alpha."""

    colour: tuple[int, ...]
    alpha: int | None = None


def colour_groups(names: tuple[str, ...]) -> tuple[ColourGroup, ...]:
    """The colours among channels, one for each beginning of their names (`key.R`, `key.G`, `key.B`); other channels are
    plain numbers. Where no name tells, a single channel is a grey, and the first three of more are a colour; depth,
    numbers of objects and the like are neither, also alone."""
    layers: dict[str, dict[str, int]] = {}
    for number, name in enumerate(names):
        beginning, _, last = name.rpartition(".")
        layers.setdefault(beginning, {}).setdefault(last.lower(), number)
    found = []
    for known in layers.values():
        alpha = next((known[name] for name in ALPHA_NAMES if name in known), None)
        if all(name in known for name in "rgb"):
            found.append(ColourGroup(tuple(known[name] for name in "rgb"), alpha))
        elif "y" in known and not {"x", "z"} & known.keys():
            found.append(ColourGroup((known["y"],), alpha))
    if found:
        return tuple(found)
    if len(names) == 1:
        is_number = names[0].rpartition(".")[2].lower() in NUMBER_NAMES
        return () if is_number else (ColourGroup((0,)),)
    return (ColourGroup((0, 1, 2), _alpha(names)),) if len(names) >= 3 else ()


def colour_channels(names: tuple[str, ...]) -> list[int]:
    """Which channels are shown as red, green and blue: those of the first colour, else the first three, else one grey
    three times."""
    lowered = [name.rpartition(".")[2].lower() for name in names]
    if len({name.rpartition(".")[0] for name in names}) > 1:
        lowered = list(map(str.lower, names))
    if all(name in lowered for name in "rgb"):
        return [lowered.index(name) for name in "rgb"]
    if "y" in lowered and not {"x", "z"} & set(lowered):
        return [lowered.index("y")] * 3
    return [0, 1, 2] if len(names) >= 3 else [0, 0, 0]


def usual_names(count: int) -> tuple[str, ...]:
    """Names of so many channels where nobody named them: a grey, a grey with alpha, a colour, a colour with alpha, and
    numbers after that."""
    first = {1: ("Y",), 2: ("Y", "A"), 3: ("R", "G", "B")}.get(count, ("R", "G", "B", "A"))
    return (*first, *(f"channel{number}" for number in range(len(first), count)))


def has_alpha(names: tuple[str, ...]) -> bool:
    """Whether any channel is the alpha of others; one that stands alone is a grey, whatever it is called."""
    return len(names) > 1 and _alpha(names) is not None


def is_alpha(name: str) -> bool:
    """Whether a channel is called alpha."""
    return name.rpartition(".")[2].lower() in ALPHA_NAMES


def _alpha(names: tuple[str, ...]) -> int | None:
    return next((number for number, name in enumerate(names) if is_alpha(name)), None)
