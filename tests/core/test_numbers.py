"""Numbers as they are computed and written."""

from unittest import TestCase

import numpy as np

from saltwort.core.numbers import percentiles

SEED = 5


class Percentiles(TestCase):
    def test_they_are_those_of_numpy(self) -> None:
        generator = np.random.default_rng(SEED)
        for count in (1, 2, 3, 100, 4_096):
            for kind, off in ((np.float32, 1e-6), (np.float64, 1e-14)):  # a few steps of the type around 1
                rows = generator.normal(size=(3, count)).astype(kind)
                wanted = [*generator.uniform(0, 100, 5), 0, 50, 100]
                expected = np.percentile(rows.astype(np.float64), wanted, axis=1).T
                np.testing.assert_allclose(
                    percentiles(rows, wanted), expected, rtol=0, atol=off, err_msg=f"seed {SEED}"
                )
