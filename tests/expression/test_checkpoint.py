"""A take that was put away and taken up again is the take that it was, whatever was done to it."""

import pickle
import tracemalloc
from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from bench.performance import performance, wheel
from expression import checkpoint
from expression.arrays import is_constant
from expression.history import History, Shaped
from expression.midi.files import opened, saved
from expression.midi.playback import message_bytes, stream
from expression.strokes import KINDS, parse_stroke
from expression.take import Take
from tests.judging.strokes import stroke_of
from tests.judging.takes import recording


def columns(value: Any) -> Iterator[NDArray[Any]]:
    if isinstance(value, np.ndarray):
        yield value
    elif is_dataclass(value) and not isinstance(value, type):
        for field in fields(value):
            yield from columns(getattr(value, field.name))
    elif isinstance(value, tuple):
        for one in value:
            yield from columns(one)
    elif hasattr(value, "values"):
        for one in value.values():
            yield from columns(one)


def heard(take: Take) -> tuple[bytes, bytes]:
    return saved(take), message_bytes(stream(take))


def long_history(seed: int, take: Take) -> History:
    """Strokes of two dozen kinds, in any order; some switched off, some deleted, some undone."""
    dice = np.random.default_rng(seed)
    history = History()
    for kind in dice.permutation(sorted(KINDS)).tolist()[:24]:
        try:
            history = history.add(parse_stroke(stroke_of(dice, kind, take)))
        except ValueError:
            continue
        if dice.random() < 0.2:
            number = history.entries()[int(dice.integers(len(history.entries())))].number
            history = history.change(number, on=False) if dice.random() < 0.7 else history.delete(number)
    return history.jump(history.done - int(dice.integers(4)))


@pytest.mark.parametrize("seed", range(12))
def test_it_is_the_take_that_it_was(seed: int) -> None:
    take = opened(recording(np.random.default_rng(seed)))
    shaped = Shaped.of(take, long_history(seed, take))
    again = checkpoint.taken_up(checkpoint.put_away(shaped), shaped.history)
    assert again.entries == shaped.entries
    assert [fold.idle for fold in again.folds] == [fold.idle for fold in shaped.folds]
    for one, other in zip(again.folds, shaped.folds, strict=True):
        pairs = list(zip(columns(one.take), columns(other.take), strict=True))
        assert all(np.array_equal(mine, theirs, equal_nan=mine.dtype.kind == "f") for mine, theirs in pairs)
        assert not any(mine.flags.writeable and not theirs.flags.writeable for mine, theirs in pairs)
        assert all(is_constant(mine) for mine, theirs in pairs if is_constant(theirs) and mine.ndim == 1)
    assert heard(again.now.take) == heard(shaped.now.take)


@pytest.mark.parametrize("seed", range(3))
def test_what_has_changed_since_is_folded_and_nothing_else(seed: int) -> None:
    take = opened(recording(np.random.default_rng(seed)))
    history = long_history(seed, take)
    data = checkpoint.put_away(Shaped.of(take, history))
    nudge = parse_stroke({"kind": "velocity.nudge", "by": 3})
    later = {
        "gone on": history.add(nudge).add(nudge),
        "back": history.jump(history.done // 2),
        "otherwise": history.jump(history.done // 2).add(nudge),
        "begun anew": History().add(nudge),
    }
    for name, now in later.items():
        known, anew = checkpoint.taken_up(data, now), Shaped.of(take, now)
        assert len(known.folds) == len(now.entries()) + 1
        assert heard(known.now.take) == heard(anew.now.take), name


def test_what_was_not_put_away_by_this_code_is_an_error_and_not_a_take() -> None:
    data = checkpoint.put_away(Shaped.of(opened(wheel(50, 5))))
    for damaged in (b"", data[:-7], data[:40] + b"\0\0" + data[42:], pickle.dumps((1, 2))):
        with pytest.raises(Exception):  # noqa: B017 - pickle and zlib raise as they like
            checkpoint.taken_up(damaged, History())
    assert len(checkpoint.MADE_BY) == 16


def test_it_weighs_what_it_holds() -> None:
    """Against what Python itself says that was taken for it, and a stroke only what it has made anew."""
    data = performance(4_000, 4_000)
    tracemalloc.start()
    take = opened(data)
    held = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    shaped = Shaped.of(take)
    (alone,) = checkpoint.weight(shaped)
    assert 0.5 * held < alone < 1.5 * held
    nudged = shaped.with_history(History().add(parse_stroke({"kind": "velocity.nudge", "by": 3})))
    first, more = checkpoint.weight(nudged)
    assert (first, more - checkpoint.FOLD_BYTES) == (alone, 4_000 * take.parts[0].notes.velocity.itemsize)
    assert checkpoint.weight(nudged, shaped, (77,)) == (77, more)
