"""What was found in finished files, in words."""

from collections.abc import Mapping, Sequence
from typing import Any

from saltwort.core.spaces.encodings import BY_INTEROP_ID, by_code_points

Facts = dict[str, str]
"""What is told of a deliverable, in words, by what it is called."""

_SHORT = {
    (1, 13): "sRGB",
    (12, 13): "Display P3",
    (1, 1): "Rec.1886 (Rec.709)",
    (9, 16): "Rec.2100 PQ",
    (9, 18): "Rec.2100 HLG",
}
"""Code points of H.273 by what the trade calls them together."""
_TAG_LABELS = {
    "CICP": "cICP",
    "icc:description": "ICC profile",
    "colorInteropID": "colorInteropID",
    "chromaticities": "chromaticities",
}


def picture_told(written: Mapping[str, Any]) -> Facts:
    """A picture as it was read back: its size, what it says of its colour, what was cut, and how far it is from what
    was meant."""
    reader = written.get("reader")
    return {
        "size": f"{written['width']} × {written['height']}",
        **colour_told(written["tags"]),
        "clipped on writing": f"{written['clipped']:.2%} of samples" if written["clipped"] else "none",
        **({"no numbers": f"{written['not_finite']:,} samples"} if written.get("not_finite") else {}),
        "largest error": f"{written['largest_error']:.2g}",
        **({"mean error": f"{written['mean_error']:.2g}"} if "mean_error" in written else {}),
        **({"read back by": reader} if reader else {}),
    }


_SHARES = {
    "at_top": "at the top in all channels",
    "below_zero": "below zero",
    "outside_rec709": "outside Rec.709",
    "outside_p3": "outside P3",
    "beyond_video_levels": "beyond video levels",
}


def verified_told(says: Mapping[str, Any], pixels: Mapping[str, Any]) -> Facts:
    """What a file says of itself and what its pixels say."""
    told = {"size": f"{says['width']} × {says['height']}"} if "width" in says else {}
    if "kind" in says:
        told |= {name.replace("_", " "): str(value) for name, value in says.items()}
    elif "stream" in says:
        container = says["container"]
        told |= {
            "frames": f"{says['frames']:,}, {says['rate']} a second",
            "coded as": f"{says['codec']} {says['profile']}, {says['pixel_format']}",
            "stream": coding_told(says["stream"], says["stream_range"]),
            "container": coding_told(container, says["container_range"]) if container else "says nothing",
        }
        if says.get("timecode"):
            told["timecode"] = f"starts at {says['timecode']}"
        if levels := says["light_levels"]:
            told["MaxCLL, MaxFALL stated"] = f"{levels[0]}, {levels[1]} cd/m²"
    else:
        told |= {"samples": says["bit_depth"] or "not told", **colour_told(says["tags"])}
    if "peak" in pixels:
        told["range"] = f"{pixels['lowest']:.4g} to {pixels['peak']:.4g}"
    if "max_fall" in pixels:
        told["brightest pixel, brightest area"] = (
            f"{pixels['brightest_pixel']:.0f}, {pixels['brightest_area']:.0f} cd/m², with noise of the codec"
        )
        told["MaxFALL measured"] = f"{pixels['max_fall']:.0f} cd/m²"
    return told | {label: f"{pixels[name]:.2%}" for name, label in _SHARES.items() if name in pixels}


def coding_told(points: Sequence[int], levels: str = "") -> str:
    """Code points of H.273 of a video (primaries, transfer, matrix) and its range, in words."""
    primaries, transfer, matrix = points
    return f"{points_told(primaries, transfer)}, matrix {matrix}{f', {levels} range' if levels else ''}"


def colour_told(tags: Mapping[str, Any]) -> Facts:
    """What a file says of its colour: a sentence, then the tags themselves."""
    shown = {_TAG_LABELS[name]: _tag(tags[name]) for name in _TAG_LABELS if name in tags}
    return {"colour": _in_words(tags), **shown}


def points_told(primaries: int, transfer: int) -> str:
    """What code points of H.273 are called."""
    if (primaries, transfer) in _SHORT:
        return _SHORT[primaries, transfer]
    found = by_code_points(primaries, transfer)
    return f"{found[0][0].name}, {found[0][1].label}" if found else f"code points {primaries} and {transfer}"


def _in_words(tags: Mapping[str, Any]) -> str:
    if "CICP" in tags:
        primaries, transfer, *_ = (int(number) for number in tags["CICP"])
        return f"tagged {points_told(primaries, transfer)}"
    if "colorInteropID" in tags and (encoding := BY_INTEROP_ID.get(str(tags["colorInteropID"]))):
        curve = "linear" if encoding.curve.is_linear else encoding.curve.label
        return f"tagged {encoding.gamut.name}, {curve}"
    if "icc:description" in tags:
        return f"tagged with the profile {tags['icc:description']}"
    return "tagged with its primaries" if "chromaticities" in tags else "says nothing of its colour"


def _tag(value: Any) -> str:
    return " ".join(f"{number:g}" for number in value) if isinstance(value, list | tuple) else str(value)
