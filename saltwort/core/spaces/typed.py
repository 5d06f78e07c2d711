"""Colours as somebody typed them: text in a unit, in a named colour space."""

import math
import re
from dataclasses import dataclass

from saltwort.core.errors import BadInput

UNITS = {"unit": "0–1", "8-bit": "0–255", "hex": "hex"}
LARGEST_VALUE = 65504.0  # the largest finite half float: nothing brighter survives a render file

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class TypedColour:
    """What was typed (`text`, in one of UNITS) and the colour space it was meant in. Conversions derive from it."""

    space: str
    unit: str
    text: str

    @property
    def values(self) -> Triple:
        """Code values on the 0–1 scale of `space`; see `parse_colour`."""
        return parse_colour(self.text, self.unit)


def parse_colour(text: str, unit: str) -> Triple:
    """Three code values on the 0–1 scale from text such as `47 106 104`, `0.18, 0.18, 0.18` or `#2f6a68`.

    One number stands for a grey. Raises BadInput with a sentence for anything else.
    """
    if unit not in UNITS:
        raise BadInput(f"“{unit}” is not a unit; use one of {', '.join(UNITS)}.")
    return _parse_hex(text) if unit == "hex" else _parse_numbers(text, unit)


def _parse_hex(text: str) -> Triple:
    digits = text.strip().removeprefix("#")
    if not re.fullmatch(r"[0-9a-fA-F]{3}|[0-9a-fA-F]{6}", digits):
        raise BadInput("A hex colour has 3 or 6 digits from 0 to f, such as #2f6a68.")
    if len(digits) == 3:
        digits = "".join(digit * 2 for digit in digits)
    red, green, blue = (int(digits[start : start + 2], 16) / 255 for start in (0, 2, 4))
    return red, green, blue


def _parse_numbers(text: str, unit: str) -> Triple:
    words = [word for word in re.split(r"[\s,;]+", text.strip()) if word]
    try:
        numbers = [float(word) for word in words]
    except ValueError:
        raise BadInput("Type three numbers, red green blue, or one for a grey.") from None
    if len(numbers) == 1:
        numbers *= 3
    if len(numbers) != 3:
        raise BadInput(f"Type three numbers, red green blue, or one for a grey; here are {len(numbers)}.")
    if not all(math.isfinite(number) for number in numbers):
        raise BadInput("A colour needs finite numbers.")
    if unit == "8-bit":
        if any(not 0 <= number <= 255 for number in numbers):
            raise BadInput("8-bit values lie from 0 to 255; use 0–1 for brighter or negative values.")
        numbers = [number / 255 for number in numbers]
    elif any(abs(number) > LARGEST_VALUE for number in numbers):
        raise BadInput(f"Values beyond ±{LARGEST_VALUE:,.0f} do not fit a half-float render; type smaller numbers.")
    red, green, blue = numbers
    return red, green, blue
