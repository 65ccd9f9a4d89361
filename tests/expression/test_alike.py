"""Which notes of a line are which of another."""

from functools import cache

import numpy as np
import pytest

from expression.alike import common, same_music


def longest(one: list[int], other: list[int]) -> int:
    """By the plain recurrence."""

    @cache
    def of(i: int, j: int) -> int:
        if not i or not j:
            return 0
        return of(i - 1, j - 1) + 1 if one[i - 1] == other[j - 1] else max(of(i - 1, j), of(i, j - 1))

    return of(len(one), len(other))


@pytest.mark.parametrize("keys", [1, 2, 3, 12])
def test_what_two_have_in_common_is_as_long_as_it_can_be_and_in_order(keys: int) -> None:
    dice = np.random.default_rng(keys)
    for _ in range(40):
        one, other = (dice.integers(0, keys, dice.integers(1, 40)).tolist() for _ in range(2))
        here, there = common(one, other)
        assert [one[at] for at in here] == [other[at] for at in there]
        assert (np.diff(here) > 0).all()
        assert (np.diff(there) > 0).all()
        assert len(here) == longest(one, other)


def test_notes_that_are_missing_or_added_leave_the_same_music() -> None:
    dice = np.random.default_rng(5)
    line = dice.integers(50, 70, 200).tolist()
    some = [pitch for pitch in line if dice.random() > 0.1]
    for at in sorted(dice.integers(0, len(some), 15).tolist(), reverse=True):
        some.insert(at, int(dice.integers(50, 70)))
    found = same_music(some, line)
    assert found is not None
    assert len(found[0]) > 0.85 * len(line)


def test_other_music_of_few_keys_or_much_longer_is_not_the_same() -> None:
    dice = np.random.default_rng(6)
    one, other = (dice.integers(0, 2, 300).tolist() for _ in range(2))
    assert same_music(one, other) is None
    assert same_music(dice.integers(50, 70, 10).tolist(), dice.integers(50, 70, 2000).tolist()) is None
    assert same_music([36] * 50, [36] * 60) is None
    assert same_music([36] * 50, [36] * 50) is not None
    assert same_music([60, 62, 64], [60, 62, 64]) is None
