"""What a card says of itself to machines: for which station, revision and form it was made, in black cells with a
checksum."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import get_args

from saltwort.core.stations.simulation import Form

FORMS: tuple[Form, ...] = get_args(Form)
STATION_BITS, REVISION_BITS, FORM_BITS, CHECK_BITS = 20, 18, 2, 8
BITS = STATION_BITS + REVISION_BITS + FORM_BITS + CHECK_BITS
_POLYNOMIAL = 0x07
"""Of the checksum CRC-8 (x⁸ + x² + x + 1), as in ITU-T I.432.1."""
_CHECK_MASK = 0x55
"""So that a blank strip is no mark."""


@dataclass(frozen=True)
class CardMark:
    """Numbers of the station and the revision, as far as their bits hold them, and the form of the card."""

    station: int
    revision: int
    form: Form

    @classmethod
    def of(cls, station: int, revision: int, form: Form) -> "CardMark":
        return cls(station % 2**STATION_BITS, revision % 2**REVISION_BITS, form)


def bits_of(mark: CardMark) -> list[bool]:
    """The cells of a mark, True for black."""
    number = (mark.station << REVISION_BITS | mark.revision) << FORM_BITS | FORMS.index(mark.form)
    whole = number << CHECK_BITS | _check(number)
    return [bool(whole >> (BITS - 1 - place) & 1) for place in range(BITS)]


def mark_of(bits: Sequence[bool]) -> CardMark | None:
    """The mark that cells say; None where their checksum is wrong."""
    whole = sum(bool(bit) << (BITS - 1 - place) for place, bit in enumerate(bits))
    number, check = whole >> CHECK_BITS, whole % 2**CHECK_BITS
    form = number % 2**FORM_BITS
    if _check(number) != check or form >= len(FORMS):
        return None
    rest = number >> FORM_BITS
    return CardMark(rest >> REVISION_BITS, rest % 2**REVISION_BITS, FORMS[form])


def _check(number: int) -> int:
    check = 0
    for byte in number.to_bytes(-(-(BITS - CHECK_BITS) // 8), "big"):
        check ^= byte
        for _ in range(8):
            check = check << 1 ^ _POLYNOMIAL if check & 0x80 else check << 1
            check &= 0xFF
    return check ^ _CHECK_MASK
