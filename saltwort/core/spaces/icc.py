"""ICC profiles of pictures (ICC.1:2022): those of primaries and a curve, written and read.

Profiles are untrusted: every offset is checked, and what is damaged or of another sort says nothing.
"""

import struct
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from saltwort.core.spaces import curves
from saltwort.core.spaces.curves import Curve
from saltwort.core.spaces.encodings import FULL_RANGE, RGB_MATRIX, CodePoints, Encoding
from saltwort.core.spaces.gamuts import Gamut, adaptation, primaries_of, rgb_to_xyz, xy_to_xyz

D50 = (0.3457, 0.3585)
"""White of the profile connection space, as CIE xy (7.2.16, rounded)."""
HEADER_BYTES, MAX_TAGS, MAX_BYTES = 128, 100, 1 << 22
CURVE_POINTS, OLD_POINTS = 1024, 4096
SAME_CURVE = 2e-3
"""Of white: tables of 8-bit steps follow a curve to 1e-3."""
_SAMPLES = np.linspace(0, 1, 33)


@dataclass(frozen=True)
class Profile:
    """What a profile says: its name; primaries under D50 and the curve of its channels, None where it has no matrix or
    no known curve; and code points of H.273 where it has them."""

    description: str
    gamut: Gamut | None
    curve: Curve | None
    code_points: CodePoints | None


V2, V4 = 2, 4
VERSIONS = {V2: 0x02400000, V4: 0x04400000}
"""Of the profile's form: 2.4 (ICC.1:2001-04) for old readers, and 4.4."""
DISPLAY_CLASS, INPUT_CLASS = b"mntr", b"scnr"
TABLE_CURVE = tuple[float, ...]
"""Light, 0–1, of evenly spaced codes."""


def write_profile(encoding: Encoding) -> bytes:
    """A display profile, version 4.4, of primaries with a curve; its name is the interop ID. Where values are light of
    a stated strength (PQ, HLG), its code points say so, and white of the profile is their brightest."""
    return matrix_profile(encoding.interop_id, encoding.gamut, encoding.curve, code_points=encoding.code_points)


def matrix_profile(
    name: str, gamut: Gamut, curve: Curve | TABLE_CURVE, version: int = V4, code_points: CodePoints | None = None
) -> bytes:
    """A display profile of primaries and one curve for all channels, known or as a table. Code points stand in version
    4 alone."""
    matrix = adaptation(gamut.white, D50) @ rgb_to_xyz(gamut)
    tags = {
        **_described_as(name, gamut.white, version),
        **{name: _xyz(column) for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), matrix.T, strict=True)},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), _curve_tag(curve, version)),
    }
    if code_points and version == V4:
        tags[b"cicp"] = b"cicp\0\0\0\0" + bytes((*code_points, RGB_MATRIX, FULL_RANGE))
    return _packed(tags, version)


def lut_profile(name: str, lab: NDArray[np.float64], version: int = V4) -> bytes:
    """An input profile that is a table: CIELAB under D50 of codes evenly spaced over 0–1, of shape (edge, edge, edge,
    3) by red, green and blue, as lut16Type (10.10), which both versions have in the same form."""
    edge = len(lab)
    coded = np.empty(lab.shape)
    coded[..., 0] = lab[..., 0] / 100 * 0xFF00  # the older coding of CIELAB, which lut16Type keeps
    coded[..., 1:] = (lab[..., 1:] + 128) * 0x100
    steps = np.clip(np.round(coded), 0, 0xFFFF).astype(">u2")
    straight = np.tile(np.array([0, 0xFFFF], ">u2"), 3).tobytes()
    head = b"mft2\0\0\0\0" + bytes((3, 3, edge, 0)) + _fixed(1, 0, 0, 0, 1, 0, 0, 0, 1) + struct.pack(">HH", 2, 2)
    table: bytes = head + straight + steps.tobytes() + straight
    tags = {**_described_as(name, None, version), b"A2B0": table}
    return _packed(tags, version, INPUT_CLASS, b"Lab ")


def _described_as(name: str, white: tuple[float, float] | None, version: int) -> dict[bytes, bytes]:
    """The tags of every profile. `chad` says how the white came to D50."""
    copyright_ = "No copyright, use freely"
    return {
        b"desc": _text(name) if version == V4 else _old_description(name),
        b"cprt": _text(copyright_) if version == V4 else b"text\0\0\0\0" + copyright_.encode() + b"\0",
        b"wtpt": _xyz(xy_to_xyz(D50)),
        **({b"chad": b"sf32\0\0\0\0" + _fixed(*adaptation(white, D50).ravel())} if white else {}),
    }


def _old_description(name: str) -> bytes:
    """textDescriptionType (ICC.1:2001-04, 6.5.17): ASCII, with empty forms of others."""
    text = name.encode("ascii", "replace") + b"\0"
    return b"desc\0\0\0\0" + struct.pack(">I", len(text)) + text + b"\0" * (4 + 4 + 2 + 1 + 67)


def _packed(tags: dict[bytes, bytes], version: int, kind: bytes = DISPLAY_CLASS, connection: bytes = b"XYZ ") -> bytes:
    """Header, table of tags and their contents, equal ones once (7.2, 7.3)."""
    body, table = b"", b""
    places: dict[bytes, int] = {}
    start = HEADER_BYTES + 4 + 12 * len(tags)
    for name, content in tags.items():
        if content not in places:
            places[content] = start + len(body)
            body += content + b"\0" * (-len(content) % 4)
        table += struct.pack(">4sII", name, places[content], len(content))
    whole: bytes = struct.pack(">I", len(tags)) + table + body
    kinds: bytes = struct.pack(
        ">I4sI4s4s4s", HEADER_BYTES + len(whole), b"\0" * 4, VERSIONS[version], kind, b"RGB ", connection
    )
    made = struct.pack(">6H", 2026, 1, 1, 0, 0, 0) + b"acsp" + b"\0" * 28 + _fixed(*xy_to_xyz(D50))
    header: bytes = (kinds + made).ljust(HEADER_BYTES, b"\0")
    return header + whole


def _fixed(*numbers: float) -> bytes:
    """s15Fixed16Number (4.6)."""
    return struct.pack(f">{len(numbers)}i", *(round(float(number) * 65536) for number in numbers))


def _xyz(numbers: NDArray[np.float64]) -> bytes:
    return b"XYZ \0\0\0\0" + _fixed(*numbers)


def _text(text: str) -> bytes:
    """multiLocalizedUnicodeType with one record (10.15)."""
    coded = text.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(coded), 28) + coded


def _curve_tag(curve: Curve | TABLE_CURVE, version: int = V4) -> bytes:
    """parametricCurveType (10.18) where version 4 holds the curve exactly, else a table (10.6)."""
    if isinstance(curve, tuple):
        return _table_tag(np.array(curve))
    if version == V2:
        if curve.kind == curves.LINEAR:
            return b"curv\0\0\0\0" + struct.pack(">I", 0)
        return _table_tag(curve.decode(np.linspace(0, 1, OLD_POINTS)))
    head = b"para\0\0\0\0"
    if curve.kind == curves.SRGB:
        return head + struct.pack(">HH", 3, 0) + _fixed(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
    if curve.kind in (curves.POWER, curves.LINEAR):
        return head + struct.pack(">HH", 0, 0) + _fixed(curve.power)
    return _table_tag(curve.decode(np.linspace(0, 1, CURVE_POINTS)))


def _table_tag(light: NDArray[np.float64]) -> bytes:
    table: bytes = np.round(light / light[-1] * 65535).astype(">u2").tobytes()
    return b"curv\0\0\0\0" + struct.pack(">I", len(light)) + table


def read_profile(content: bytes) -> Profile | None:
    """What a profile says; None for what is no profile of RGB or grey."""
    if len(content) < HEADER_BYTES + 4 or len(content) > MAX_BYTES or content[36:40] != b"acsp":
        return None
    if content[16:20] not in (b"RGB ", b"GRAY"):
        return None
    tags = _tags(content)
    points = tags.get(b"cicp", b"")
    return Profile(
        description=_described(tags.get(b"desc", b"")),
        gamut=_read_gamut(tags),
        curve=_read_curve(tags.get(b"gTRC", tags.get(b"kTRC", b""))),
        code_points=(points[8], points[9]) if len(points) >= 12 else None,
    )


def _tags(content: bytes) -> dict[bytes, bytes]:
    count = min(struct.unpack_from(">I", content, HEADER_BYTES)[0], MAX_TAGS)
    found = {}
    for number in range(count):
        place = HEADER_BYTES + 4 + 12 * number
        if place + 12 > len(content):
            break
        name, start, size = struct.unpack_from(">4sII", content, place)
        if start + size <= len(content):
            found[name] = content[start : start + size]
    return found


def _described(tag: bytes) -> str:
    """The name, from the type of version 4 or of version 2 (textDescriptionType)."""
    if tag[:4] == b"mluc" and len(tag) >= 28:
        size, start = struct.unpack_from(">II", tag, 20)
        text = tag[start : start + size].decode("utf-16-be", "replace")
    elif tag[:4] == b"desc" and len(tag) >= 12:
        text = tag[12 : 12 + struct.unpack_from(">I", tag, 8)[0]].decode("latin-1")
    else:
        return ""
    return "".join(letter for letter in text if letter.isprintable())[:120].strip()


def _read_gamut(tags: dict[bytes, bytes]) -> Gamut | None:
    columns = [tags.get(name, b"") for name in (b"rXYZ", b"gXYZ", b"bXYZ")]
    if any(len(column) < 20 or column[:4] != b"XYZ " for column in columns):
        return None
    matrix = np.array([struct.unpack_from(">3i", column, 8) for column in columns]).T / 65536
    try:
        return primaries_of(matrix, "", D50)
    except ValueError:
        return None


def _read_curve(tag: bytes) -> Curve | None:
    light = _light_of(tag)
    if light is None:
        return None
    if np.abs(light - _SAMPLES).max() < SAME_CURVE:
        return Curve(curves.LINEAR)
    known = [Curve(kind) for kind in (curves.SRGB, curves.REC709)]
    with np.errstate(all="ignore"):
        power = float(np.median(np.log(light[8:-1]) / np.log(_SAMPLES[8:-1])))
    if 0.1 < power < 10:
        known.append(Curve(curves.POWER, round(power, 3)))
    off = [float(np.abs(curve.decode(_SAMPLES) - light).max()) for curve in known]
    return known[int(np.argmin(off))] if min(off) < SAME_CURVE else None


def _light_of(tag: bytes) -> NDArray[np.float64] | None:
    """The curve of a tag at _SAMPLES, 0–1."""
    if tag[:4] == b"curv" and len(tag) >= 12:
        count = struct.unpack_from(">I", tag, 8)[0]
        if count == 0:
            return _SAMPLES
        if len(tag) < 12 + 2 * count:
            return None
        table = np.frombuffer(tag, ">u2", count, 12).astype(np.float64)
        if count == 1:
            return np.asarray(_SAMPLES ** (table[0] / 256))
        return np.asarray(np.interp(_SAMPLES, np.linspace(0, 1, count), table / 65535))
    if tag[:4] == b"para" and len(tag) >= 12:
        return _parametric(tag)
    return None


def _parametric(tag: bytes) -> NDArray[np.float64] | None:
    """parametricCurveType, table 68."""
    kind = struct.unpack_from(">H", tag, 8)[0]
    count = (1, 3, 4, 5, 7)[kind] if kind < 5 else 0
    if not count or len(tag) < 12 + 4 * count:
        return None
    g, a, b, c, d, e, f = (*(number / 65536 for number in struct.unpack_from(f">{count}i", tag, 12)), *[0.0] * 7)[:7]
    x = _SAMPLES
    with np.errstate(all="ignore"):
        if kind == 0:
            light = x**g
        elif kind in (1, 2):
            light = np.where(a * x + b >= 0, np.maximum(a * x + b, 0) ** g, 0) + (c if kind == 2 else 0)
        else:
            light = np.where(x >= d, np.maximum(a * x + b, 0) ** g + e, c * x + f)
    return np.asarray(light) if np.isfinite(light).all() else None
