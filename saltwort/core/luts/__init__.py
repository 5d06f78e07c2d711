"""Sample transforms into LUTs, measure what that loses, and write them as files of a config."""

from saltwort.core.luts.sampling import between_nodes, cube_of, curve_lut, half_curve_of
from saltwort.core.luts.writing import LUT_FOLDER, Files, add_lut_folder, as_clf, clf_file, spi1d_file

__all__ = [
    "LUT_FOLDER",
    "Files",
    "add_lut_folder",
    "as_clf",
    "between_nodes",
    "clf_file",
    "cube_of",
    "curve_lut",
    "half_curve_of",
    "spi1d_file",
]
