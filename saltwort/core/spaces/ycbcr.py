"""Y′CbCr of ITU-R BT.601, BT.709 and BT.2020, and what becomes of colours that are decoded by another of them."""

import numpy as np
from numpy.typing import NDArray

WEIGHTS = {"BT.601": (0.299, 0.114), "BT.709": (0.2126, 0.0722), "BT.2020": (0.2627, 0.0593)}
"""Of red and blue in luma."""


def coded_by(standard: str) -> NDArray[np.float64]:
    """R′G′B′ to Y′CbCr by a key of WEIGHTS, a 3×3 matrix for columns."""
    red, blue = WEIGHTS[standard]
    luma = np.array([red, 1 - red - blue, blue])
    return np.stack([luma, (np.eye(3)[2] - luma) / (2 * (1 - blue)), (np.eye(3)[0] - luma) / (2 * (1 - red))])


def recoded(coded: str, decoded: str) -> NDArray[np.float64]:
    """What R′G′B′ becomes that is coded by one key of WEIGHTS and decoded by another, a 3×3 matrix for columns."""
    return np.asarray(np.linalg.inv(coded_by(decoded)) @ coded_by(coded))
