"""Notes that are doubled in a recording, or lie over each other on a key, and strokes that take hold of them."""

import itertools
from typing import Any

import numpy as np
import pytest

from expression.errors import NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import NOTE, file_of

Struck = tuple[int, int, int, int]


def take_of(*notes: Struck) -> Take:
    """(start, end, key, velocity) in ticks of 480."""
    told = [(start, 1, key, velocity) for start, _, key, velocity in notes]
    told += [(end, 0, key, 0) for _, end, key, _ in notes]
    track, now = [], 0
    for tick, on, key, velocity in sorted(told, key=lambda one: (one[0], one[1])):
        track.append(NOTE("note_on" if on else "note_off", note=key, velocity=velocity, time=tick - now))
        now = tick
    return read(file_of(track))


def shaped(take: Take, kind: str, **fields: Any) -> Take:
    return applied(parse_stroke({"kind": kind, "where": fields.pop("where", {"parts": [0]}), **fields}), take)


def told(take: Take) -> list[Struck]:
    """As a file, read again."""
    notes = read(write(take)).parts[0].notes
    columns = (notes.start // 2, notes.end // 2, notes.pitch, notes.velocity)
    return sorted(zip(*(column.tolist() for column in columns), strict=True))


DOUBLED = ((0, 240, 60, 80), (0, 240, 60, 90), (480, 900, 62, 70), (720, 960, 62, 50), (960, 1200, 60, 40))


@pytest.mark.parametrize(
    ("kind", "fields"),
    [
        ("notes.move", {"keys": 2}),
        ("notes.move", {"ticks": 960}),
        ("notes.transpose", {"keys": -5}),
        ("notes.length", {"factor": 1.1}),
        ("notes.length", {"by": -0.125}),
        ("notes.place", {"grid": 8}),
        ("notes.loosen", {"amount_ms": 5, "seed": 4}),
        ("notes.spread", {"time_ms": 10}),
    ],
)
def test_what_moves_together_keeps_what_it_had_to_each_other(kind: str, fields: dict[str, Any]) -> None:
    found = told(shaped(take_of(*DOUBLED), kind, **fields))
    assert sorted(velocity for *_, velocity in found) == [40, 50, 70, 80, 90]
    by = {velocity: (start, end) for start, end, _, velocity in found}
    # The two that were struck as one still are, where nothing moves each by itself.
    if kind != "notes.spread":
        assert by[80] == by[90]
    # And the first of the others goes on while the second has begun.
    assert by[70][0] < by[50][0] < by[70][1] < by[50][1]


def test_two_keys_up_and_two_down_is_as_it_was() -> None:
    take = take_of(*DOUBLED)
    there = shaped(take, "notes.transpose", keys=2)
    assert told(shaped(there, "notes.transpose", keys=-2)) == told(take) == sorted(DOUBLED)


def test_a_copy_of_what_is_doubled_is_doubled() -> None:
    made = told(shaped(take_of(*DOUBLED), "notes.copy", to={"at": 9600}, repeat=2))
    for at in (4800, 4800 + 1200):
        shifted = [(start - at, end - at, key, velocity) for start, end, key, velocity in made]
        assert [note for note in shifted if 0 <= note[0] < 1200] == sorted(DOUBLED)


def test_over_is_about_the_others() -> None:
    take = take_of(*DOUBLED, (2400, 2600, 60, 30))
    with pytest.raises(NothingMatched, match="would lie over another"):
        shaped(take, "notes.move", ticks=4800 - 100, where={"parts": [0], "span": [0, 960]}, over="refuse")
    stroke = parse_stroke(
        {"kind": "notes.move", "ticks": 4800, "where": {"parts": [0], "span": [0, 960]}, "over": "cut"}
    )
    assert stroke.also(take) == "1 note gives way to another of the same key."
    assert [note[3] for note in told(applied(stroke, take)) if note[0] == 2400] == [80, 90]


def test_what_did_not_lie_over_each_other_does_not_come_to() -> None:
    take = take_of((0, 240, 60, 80), (480, 720, 60, 90), (960, 1200, 62, 70))
    stroke = parse_stroke({"kind": "notes.length", "to": 2, "where": {"parts": [0]}})
    assert told(applied(stroke, take))[:2] == [(0, 480, 60, 80), (480, 1440, 60, 90)]
    assert stroke.also(take) == "1 note of these ends where the key is struck again."
    # Nor do those of other keys that have come to one.
    together = shaped(take_of((0, 960, 60, 80), (480, 720, 61, 90)), "notes.transpose", keys=1, scale=[0])
    assert all(a[1] <= b[0] for a, b in itertools.pairwise(told(together)) if a[2] == b[2])


@pytest.mark.parametrize("seed", range(40))
def test_there_and_back_again_on_random_takes(seed: int) -> None:
    dice = np.random.default_rng(seed)
    notes: list[Struck] = []
    for number in range(60):
        start, key = int(dice.integers(0, 40)) * 60, int(dice.integers(60, 64))
        notes.append((start, start + int(dice.integers(1, 8)) * 60, key, 1 + number))
    # As a reader pairs them: of one key the first that was struck ends first.
    ends = {key: iter(sorted(end for _, end, one, _ in notes if one == key)) for key in range(60, 64)}
    notes = [(start, max(next(ends[key]), start + 1), key, velocity) for start, _, key, velocity in sorted(notes)]
    take = take_of(*notes)
    keys, ticks = int(dice.integers(-12, 13)), int(dice.integers(0, 2000))
    there = shaped(take, "notes.move", keys=keys, ticks=ticks)
    wanted = [(start + ticks // 2, end + ticks // 2, key + keys, velocity) for start, end, key, velocity in told(take)]
    if ticks % 2 == 0:
        assert told(there) == sorted(wanted)
    assert told(shaped(there, "notes.move", keys=-keys, ticks=-ticks)) == told(take)
