"""PQ shown as SDR, and SDR taken for PQ."""

from collections.abc import Iterator

import numpy as np

from saltwort.core.explain.operation import Scene, Way, operation
from saltwort.core.explain.steps import Step, on_colour
from saltwort.core.spaces.curves import PQ, SRGB, Curve, srgb_encoded

_M1, _M2, _C1, _C2, _C3 = 2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
"""SMPTE ST 2084, 5.2."""


def pq_encoded(light: np.ndarray) -> np.ndarray:
    """Light, 1 at 100 cd/m², as PQ code values."""
    raised = np.clip(light / 100, 0, 1) ** _M1
    return np.asarray(((_C1 + _C2 * raised) / (1 + _C3 * raised)) ** _M2)


_as_pq: Step = on_colour(lambda codes: pq_encoded(_display_light(codes)).astype(np.float32))
_from_pq: Step = on_colour(lambda codes: srgb_encoded(np.clip(_pq_light(codes), 0, 1)).astype(np.float32))


def _pq_light(codes: np.ndarray) -> np.ndarray:
    return Curve(PQ).decode(np.clip(codes.astype(np.float64), 0, 1))


def _display_light(codes: np.ndarray) -> np.ndarray:
    return Curve(SRGB).decode(np.clip(codes.astype(np.float64), 0, 1))


@operation("pq-as-sdr", "codes", "It holds PQ code values, and is shown as SDR.")
def pq_as_sdr(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(_as_pq, undo=_from_pq)


@operation("sdr-as-pq", "codes", "It holds SDR, and was decoded as PQ.")
def sdr_as_pq(scene: Scene) -> Iterator[Way]:
    if not scene.expects_light:
        yield Way(_from_pq, undo=_as_pq)
