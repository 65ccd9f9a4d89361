"""Numbers that are looked up among others: close to each other, far apart, and both, as the ids of notes are."""

import numpy as np
import pytest

from expression.arrays import among, contained, looked_up


@pytest.mark.parametrize("seed", range(40))
def test_numbers_are_found_wherever_they_lie(seed: int) -> None:
    dice = np.random.default_rng([seed, 1202])
    for _ in range(20):
        near = dice.integers(dice.choice([-4, 0, 90]), 150, int(dice.integers(0, 40)))
        far = dice.integers(2**32, 2**32 + 60, int(dice.integers(0, 20)))
        ids = np.unique(np.concatenate((near, far)))
        strangers = dice.integers(-5, 2**33, 5)
        wanted = dice.permutation(np.concatenate((ids[::2], ids[::3], strangers, dice.integers(0, 150, 8))))
        stands = np.isin(wanted, ids)
        np.testing.assert_array_equal(contained(wanted, ids), stands)
        shuffled = dice.permutation(ids)
        rows, found = looked_up(wanted, shuffled)
        np.testing.assert_array_equal(found, stands)
        np.testing.assert_array_equal(shuffled[rows[found]], wanted[found])


def test_bytes_are_read_off_a_table() -> None:
    column = np.arange(256, dtype=np.uint8)
    assert np.flatnonzero(among(column, (0, 7, 255))).tolist() == [0, 7, 255]
    assert not among(column, ()).any()
