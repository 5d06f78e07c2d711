"""The letters of captions, slates and burnt-in lines."""

from functools import lru_cache

from fontpkg_noto_sans import ROOT
from noto_cjk_sans_jp_regular import FONT_PATH
from PIL import ImageFont

MISSING = "\u0378"
"""Stands for no letter in any script, so that every face draws its box for it."""


def lettering(text: str, size: int) -> ImageFont.FreeTypeFont:
    """A face for a text, at a size in pixels: one that has all its letters, of the Latin, Greek, Cyrillic, Chinese,
    Japanese and Korean scripts."""
    faces = _faces(size)
    return next((face for face in faces if all(_has(face, letter) for letter in set(text))), faces[-1])


@lru_cache(64)
def _faces(size: int) -> tuple[ImageFont.FreeTypeFont, ...]:
    return tuple(
        ImageFont.truetype(str(file), size) for file in (ROOT / "files" / "NotoSans[wdth,wght].ttf", FONT_PATH)
    )


def _has(face: ImageFont.FreeTypeFont, letter: str) -> bool:
    return bytes(face.getmask(letter)) != bytes(face.getmask(MISSING))
