"""The one door to image files: headers, pixels, measured facts, and writing."""

from saltwort.core.images.headers import Header, Layer
from saltwort.core.images.measuring import Facts, Stats, Survey, measure, survey
from saltwort.core.images.reading import read_box, read_header, read_layers, read_pixels, read_reduced
from saltwort.core.images.writing import (
    encode_png,
    reduce_pixels,
    write_image,
    write_texture,
    writing_parts,
    writing_rows,
)

__all__ = [
    "Facts",
    "Header",
    "Layer",
    "Stats",
    "Survey",
    "encode_png",
    "measure",
    "read_box",
    "read_header",
    "read_layers",
    "read_pixels",
    "read_reduced",
    "reduce_pixels",
    "survey",
    "write_image",
    "write_texture",
    "writing_parts",
    "writing_rows",
]
