"""What is worked out from a take lives on it, and goes with it."""

import gc
import pickle
import sys
import weakref

import numpy as np

from expression import checkpoint, memo
from expression.curve import Curve
from expression.history import History, Shaped, applied
from expression.midi.files import opened
from expression.midi.playback import stream
from expression.notes import Notes
from expression.strokes import parse_stroke
from expression.views.delta import delta
from tests.files import file_of, phrase


def test_an_answer_is_worked_out_once_for_each_object() -> None:
    asked: list[tuple[int, int]] = []

    @memo.worked_out(2)
    def sum_from(curve: Curve, start: int) -> float:
        asked.append((id(curve), start))
        return float(curve.values[start:].sum())

    one, other = Curve.of([0, 1], [3.0, 4.0]), Curve.of([0, 1], [5.0, 6.0])
    assert [sum_from(one, 0), sum_from(one, 0), sum_from(other, 0), sum_from(one, 0)] == [7.0, 7.0, 11.0, 7.0]
    assert len(asked) == 2
    # Of one object the last two answers are kept, whatever others are asked.
    for start in (1, 2):
        sum_from(one, start)
    sum_from(other, 0)
    assert len(asked) == 4
    sum_from(one, 0)
    assert len(asked) == 5


def test_it_goes_with_the_take_and_is_no_part_of_it() -> None:
    take = opened(file_of(phrase([64] * 400)))
    heard = weakref.ref(stream(take).seconds)
    assert stream(take) is stream(take)
    again = pickle.loads(pickle.dumps(take))
    assert memo.kept(take) and not memo.kept(again)
    del take
    gc.collect()
    assert heard() is None


def test_what_lasts_counts_for_notes_that_are_struck_otherwise_and_for_no_others() -> None:
    @memo.worked_out(2, is_lasting=True)
    def starts(notes: Notes) -> list[int]:
        return list(notes.start.tolist())

    @memo.worked_out(2)
    def velocities(notes: Notes) -> list[int]:
        return list(notes.velocity.tolist())

    notes = opened(file_of(phrase([64] * 3))).parts[0].notes
    known = starts(notes)
    louder = notes.with_velocity([70, 71, 72])
    assert starts(louder) is known
    assert (velocities(notes), velocities(louder)) == ([64] * 3, [70, 71, 72])
    assert starts(louder.moved(notes.start + 5, notes.end + 5)) == [start + 5 for start in known]
    # What one lets go of, another still has; and neither takes it along as bytes.
    memo.forget(notes)
    assert starts(louder) is known
    assert starts(notes) == known and starts(notes) is not known
    assert not memo.kept(pickle.loads(pickle.dumps(louder)))


def test_what_was_found_of_two_is_kept_on_the_second_as_long_as_the_first_lives() -> None:
    asked: list[tuple[Curve, Curve]] = []

    @memo.beside
    def longer(one: Curve, other: Curve) -> int:
        asked.append((one, other))
        return len(other) - len(one)

    short, long, longest = (Curve.of(np.arange(count), np.arange(count)) for count in (2, 5, 9))
    assert [longer(short, long), longer(short, long), longer(long, longest), longer(short, long)] == [3, 3, 4, 3]
    assert asked == [(short, long), (long, longest)]
    assert (longer(long, short), longer(longest, long)) == (-3, -4)
    # Only the last one is known; whoever made it may know it at once; it goes nowhere as bytes, and holds nothing.
    assert longer(short, long) == 3 and len(asked) == 5
    memo.remember(longer, longest, short, 99)
    assert longer(longest, short) == 99 and len(asked) == 5
    assert longer(longest, pickle.loads(pickle.dumps(short))) == -7
    asked.clear()
    gone = weakref.ref(longest)
    del longest
    gc.collect()
    assert gone() is None and longer(long, short) == -3


def test_what_is_kept_is_weighed_and_let_go_of() -> None:
    shaped = Shaped.of(opened(file_of(phrase([64] * 4000))), History())
    for by in (1, 2, 3):
        stream(shaped.now.take)
        shaped = shaped.with_history(shaped.history.add(parse_stroke({"kind": "velocity.nudge", "by": by})))
    events = len(stream(shaped.now.take).seconds)
    assert checkpoint.worked_weight(shaped) >= 2 * events * np.dtype(np.float64).itemsize
    checkpoint.let_go(shaped)
    assert not any(memo.kept(fold.take) for fold in shaped.folds[:-2])
    assert memo.kept(shaped.now.take)


def test_what_is_told_weighs_about_what_it_takes_in_memory() -> None:
    def taken(told: object) -> int:
        within = [*told.values()] if isinstance(told, dict) else told if isinstance(told, list | tuple) else []
        return sys.getsizeof(told) + sum(taken(one) for one in within)

    was = opened(file_of(phrase([64] * 4000)))
    stroke = parse_stroke({"kind": "velocity.vary", "amount": 40})
    told = delta(was, applied(stroke, was), 0)
    weight = checkpoint.plain_weight(told)
    assert weight > 4000 * 40
    assert 0.5 < weight / taken(told) < 2
