"""Nothing that is exported, drawn or told changes unnoticed. What the sums are: `tests/held.py`."""

import json

import pytest

from expression.strokes import KINDS
from tests.held import KEPT, TAKES, Sums, of_kind, of_take

HELD: dict[str, Sums] = json.loads(KEPT.read_text())
MEND = "If it is meant: python -m tests.held, and say in CHANGELOG.md what is otherwise."


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_strokes_leave_what_they_left(kind: str) -> None:
    _same(of_kind(kind))


@pytest.mark.parametrize("seed", range(TAKES))
def test_takes_are_read_and_told_as_they_were(seed: int) -> None:
    _same(of_take(seed))


def _same(found: dict[str, Sums]) -> None:
    assert {
        case: {name for name in sums.keys() | HELD[case].keys() if sums.get(name) != HELD[case].get(name)}
        for case, sums in found.items()
        if sums != HELD[case]
    } == {}, MEND
