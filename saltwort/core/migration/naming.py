"""Names of files by a pattern with fields."""

import re

import PyOpenColorIO as ocio

from saltwort.core.configs.matching import encoding_of
from saltwort.core.errors import BadInput
from saltwort.core.names import slug

FIELDS = ("name", "space", "kind")
DATA_TOKEN = "raw"
_TOKENS = {"srgb_rec709_scene": "srgb", "lin_ap1_scene": "acescg", "lin_ap0_scene": "aces2065_1"}
_NUMBER = re.compile(r"([._](?:1\d{3}|<UDIM>))$")
LONGEST = 200


def token_of(config: ocio.Config, space: str) -> str:
    """What names of files say for a space: `srgb`, `lin_rec709`, `acescg`, `raw`, or its name in small letters; empty
    for none."""
    found = config.getColorSpace(space) if space else None
    if found is None:
        return ""
    if found.isData():
        return DATA_TOKEN
    encoding = encoding_of(config, space)
    if encoding is not None:
        plain = encoding.interop_id.removesuffix("_scene").removesuffix("_display").removeprefix("ocio:")
        return _TOKENS.get(encoding.interop_id, plain)
    return slug(str(found.getName())).replace("-", "_")


def named(pattern: str, stem: str, space: str, kind: str) -> str:
    """A name without its suffix. A tile's number stays at the end, and a name that ends in the token already has it
    once. Raises BadInput for a pattern without a name, or that leads into another folder."""
    unknown = [field for field in re.findall(r"\{([^}]*)\}", pattern) if field not in FIELDS]
    if (
        "{name}" not in pattern
        or re.search(r"[/\\\x00-\x1f]", pattern)
        or unknown
        or "{" in re.sub(r"\{\w+\}", "", pattern)
    ):
        raise BadInput(
            f"A pattern holds {{name}}, {{space}} and {{kind}} if you like, and no slashes; not “{pattern}”."
        )
    number = _NUMBER.search(stem)
    plain = stem.removesuffix(number[1]) if number else stem
    if space and plain.lower().endswith(f"_{space}"):
        plain = plain[: -len(space) - 1]
    filled = (
        pattern.replace("{name}", plain)
        .replace("{space}", space)
        .replace("{kind}", slug(kind.split(",")[0]).replace("-", "_"))
    )
    filled = filled.rstrip("_. ") or plain
    name = filled + (number[1] if number else "")
    if len(name) > LONGEST:
        raise BadInput(f"“{name[:40]}…” is longer than {LONGEST} letters. Choose a shorter pattern.")
    return name
