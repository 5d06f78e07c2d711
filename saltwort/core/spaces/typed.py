"""Colours as somebody typed them: text in a unit, in a named colour space."""

import colorsys
import math
import re
from collections.abc import Callable
from dataclasses import dataclass

from saltwort.core.errors import BadInput
from saltwort.core.numbers import LARGEST_HALF
from saltwort.core.spaces.gamuts import xy_to_xyz
from saltwort.core.spaces.observer import black_body_xy, daylight_xy

UNITS = {
    "unit": "0–1",
    "8-bit": "0–255",
    "10-bit": "0–1023",
    "hex": "hex",
    "hsv": "HSV",
    "hsl": "HSL",
    "xyY": "xyY",
    "kelvin": "black body",
    "daylight": "daylight",
}
COLORIMETRIC = ("xyY", "kelvin", "daylight")
"""Units that say what a colour is without a colour space: as CIE XYZ, with D65 as the neutral of every display."""

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class TypedColour:
    """What was typed (`text`, in one of UNITS) and the colour space it was meant in. Conversions derive from it.

    A colour of a COLORIMETRIC unit needs no space; its numbers are then shown in this one.
    """

    space: str
    unit: str
    text: str

    @property
    def values(self) -> Triple:
        """Code values on the 0–1 scale of `space`, or CIE XYZ for a COLORIMETRIC unit; see `parse_colour`."""
        return parse_colour(self.text, self.unit)

    @property
    def is_colorimetric(self) -> bool:
        return self.unit in COLORIMETRIC

    @property
    def lacks_space(self) -> bool:
        """Whether its numbers need a space, and none is named: code values that must appear through a view."""
        return not self.space and not self.is_colorimetric


def parse_colour(text: str, unit: str) -> Triple:
    """Three code values on the 0–1 scale from text such as `47 106 104`, `0.18, 0.18, 0.18` or `#2f6a68`; for a
    COLORIMETRIC unit CIE XYZ, a temperature at Y = 1.

    One number stands for a grey. HSV and HSL are hue in degrees with two shares, as 0–1 or in per cent; a temperature
    is in kelvin, with a tint in Duv where there is a second number. What begins with # is hex, whatever RGB notation is
    chosen. Raises BadInput with a sentence for anything else.
    """
    if unit not in _PARSERS:
        raise BadInput(f"“{unit}” is not a notation; use one of {', '.join(UNITS)}.")
    if text.lstrip().startswith("#"):
        if unit in COLORIMETRIC:
            raise BadInput("A hex colour is meant in a colour space. Choose the notation hex, and its space.")
        return parse_hex(text)
    return _PARSERS[unit](text)


def parse_hex(text: str) -> Triple:
    digits = text.strip().removeprefix("#")
    if not re.fullmatch(r"[0-9a-fA-F]{3}|[0-9a-fA-F]{6}", digits):
        raise BadInput("A hex colour has 3 or 6 digits from 0 to f, such as #2f6a68.")
    if len(digits) == 3:
        digits = "".join(digit * 2 for digit in digits)
    red, green, blue = (int(digits[start : start + 2], 16) / 255 for start in (0, 2, 4))
    return red, green, blue


def _parse_unit(text: str) -> Triple:
    return _checked(*_triple_of_numbers(text))


def _parse_steps(most: int, bits: str) -> Callable[[str], Triple]:
    def parse(text: str) -> Triple:
        numbers = _triple_of_numbers(text)
        if any(not 0 <= number <= most for number in numbers):
            raise BadInput(f"{bits} values lie from 0 to {most}; use 0–1 for brighter or negative values.")
        red, green, blue = (number / most for number in numbers)
        return red, green, blue

    return parse


def _parse_hue(to_rgb: Callable[[float, float, float], Triple], third: str) -> Callable[[str], Triple]:
    def parse(text: str) -> Triple:
        words = _words(text)
        if len(words) != 3:
            raise BadInput(f"Type hue, saturation and {third}, such as 178 0.56 0.42 or 178 56% 42%.")
        hue, *shares = _numbers([word.removesuffix("%") for word in words])
        saturation, last = (
            share / 100 if word.endswith("%") else share for share, word in zip(shares, words[1:], strict=True)
        )
        if not 0 <= hue <= 360:
            raise BadInput("Hue lies from 0 to 360 degrees.")
        if not (0 <= saturation <= 1 and 0 <= last <= 1):
            raise BadInput(f"Saturation and {third} lie from 0 to 1, or from 0% to 100%.")
        return to_rgb(hue / 360, saturation, last)

    return parse


def _hsl_to_rgb(hue: float, saturation: float, lightness: float) -> Triple:
    return colorsys.hls_to_rgb(hue, lightness, saturation)


def _parse_xyy(text: str) -> Triple:
    words = _words(text)
    if len(words) not in (2, 3):
        raise BadInput("Type x, y and, unless it is 1, the luminance Y, such as 0.3127 0.329 0.18.")
    x, y, luminance = (*_numbers(words), 1.0)[:3]
    if not (0 <= x <= 1 and 0 < y <= 1 and x + y <= 1):
        raise BadInput("x and y are shares of one whole: from 0 to 1, y above 0, and both together not above 1.")
    if luminance < 0:
        raise BadInput("A luminance Y below 0 is no light.")
    return _at_luminance((x, y), luminance)


def _parse_black_body(text: str) -> Triple:
    words = _words(text)
    if len(words) not in (1, 2):
        raise BadInput("Type a temperature in kelvin and, if it has one, a tint in Duv, such as 3200 or 3200 0.004.")
    kelvin, tint = (*_numbers(words), 0.0)[:2]
    return _at_luminance(black_body_xy(kelvin, tint), 1.0)


def _parse_daylight(text: str) -> Triple:
    words = _words(text)
    if len(words) != 1:
        raise BadInput("Type the temperature of daylight in kelvin, such as 5600.")
    return _at_luminance(daylight_xy(*_numbers(words)), 1.0)


def _at_luminance(xy: tuple[float, float], luminance: float) -> Triple:
    x, y, z = (xy_to_xyz(xy) * luminance).tolist()
    return _checked(x, y, z)


def _words(text: str) -> list[str]:
    return [word for word in re.split(r"[\s,;]+", text.strip()) if word]


_NUMBER = re.compile(r"[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]+)?|[+-]?(inf|nan)", re.IGNORECASE)
"""Python's own reading takes more, such as digits of all scripts and underscores between them."""


def _numbers(words: list[str]) -> list[float]:
    if not all(_NUMBER.fullmatch(word) for word in words):
        raise BadInput("Type numbers, with a point for decimals and spaces between them.")
    numbers = [float(word) for word in words]
    if not all(math.isfinite(number) for number in numbers):
        raise BadInput("A colour needs finite numbers.")
    return numbers


def _triple_of_numbers(text: str) -> Triple:
    words = _words(text)
    try:
        numbers = _numbers(words)
    except BadInput as error:
        raise BadInput(f"Type three numbers, red green blue, or one for a grey. {error}") from None
    if len(numbers) not in (1, 3):
        raise BadInput(f"Type three numbers, red green blue, or one for a grey; here are {len(numbers)}.")
    red, green, blue = numbers if len(numbers) == 3 else numbers * 3
    return red, green, blue


def _checked(*numbers: float) -> Triple:
    if any(abs(number) > LARGEST_HALF for number in numbers):
        raise BadInput(f"Values beyond ±{LARGEST_HALF:,.0f} do not fit a half-float render; type smaller numbers.")
    red, green, blue = numbers
    return red, green, blue


_PARSERS: dict[str, Callable[[str], Triple]] = {
    "unit": _parse_unit,
    "8-bit": _parse_steps(255, "8-bit"),
    "10-bit": _parse_steps(1023, "10-bit"),
    "hex": parse_hex,
    "hsv": _parse_hue(colorsys.hsv_to_rgb, "value"),
    "hsl": _parse_hue(_hsl_to_rgb, "lightness"),
    "xyY": _parse_xyy,
    "kelvin": _parse_black_body,
    "daylight": _parse_daylight,
}
