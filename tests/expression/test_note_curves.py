"""Curves that belong to notes: what is said to single keys, note by note, from each note's start."""

import mido
import numpy as np
import pytest

from expression.curve import Curve
from expression.lanes import NOTE_PRESSURE
from expression.midi.read import read
from expression.midi.write import write
from expression.note_curves import NoteCurves
from expression.take import Take
from expression.views.contours import MOST_POINTS, contours
from tests.files import events, file_of

M = mido.Message


def pressed(note: int, value: int, time: int = 0, channel: int = 0) -> mido.Message:
    return M("polytouch", note=note, value=value, time=time, channel=channel)


def chord() -> list[mido.Message]:
    """Two keys, each pressed by itself; the first is struck again and pressed less."""
    return [
        M("note_on", note=60, velocity=64), M("note_on", note=64, velocity=64),
        pressed(60, 100, 100), pressed(64, 30), pressed(60, 120, 100), pressed(72, 5),
        M("note_off", note=60, time=100), pressed(60, 9, 50), M("note_on", note=60, velocity=64, time=50),
        pressed(60, 20), M("note_off", note=60, time=200), M("note_off", note=64),
    ]  # fmt: skip


def curves(take: Take) -> dict[int, list[tuple[int, float]]]:
    """Of each note with one, by its id, (tick from its start, value) of 480 a quarter."""
    known = take.parts[0].curves[NOTE_PRESSURE]
    found = {}
    for note in known.ids.tolist():
        curve = known.curve(note)
        found[note] = list(zip((curve.ticks // take.header.factor).tolist(), curve.values.tolist(), strict=True))
    return found


def test_pressure_of_a_key_belongs_to_the_note_that_it_sounds() -> None:
    take = read(file_of(chord()))
    # What comes while the key is up, or to a key that is never struck, belongs to no note.
    assert curves(take) == {0: [(100, 100.0), (200, 120.0)], 1: [(100, 30.0)], 2: [(0, 20.0)]}


def test_the_file_stays_as_it_came() -> None:
    data = file_of(chord())
    assert events(write(read(data))) == events(data)


def test_channels_and_tracks_keep_what_is_theirs() -> None:
    other = [one.copy(channel=3) for one in chord()]
    take = read(file_of(chord(), other))
    assert [part.curves[NOTE_PRESSURE].ids.tolist() for part in take.parts] == [[0, 1, 2], [3, 4, 5]]
    plain = read(file_of([M("note_on", note=60), M("note_off", note=60, time=9)]))
    assert plain.parts[0].curves == {}


def test_values_are_those_of_each_note_at_any_tick() -> None:
    nodes = Curve.of([0, 480, 0, 100], [10.0, 20.0, 90.0, 50.0], [False, False, True, False])
    known = NoteCurves.of(np.array([7, 7, 3, 3]), nodes)
    assert known.ids.tolist() == [3, 7]
    at = known.at(np.array([7, 7, 7, 3, 3, 3, 5]), [0, 240, 9999, 50, 100, 5000, 0])
    assert at[:6].tolist() == [10, 15, 20, 90, 50, 50] and np.isnan(at[6])
    assert known.curve(7).values.tolist() == [10, 20]
    assert len(known.curve(5)) == 0


@pytest.mark.parametrize("seed", range(4))
def test_many_notes_at_once_are_as_each_by_itself(seed: int) -> None:
    dice = np.random.default_rng(seed)
    ids = np.sort(dice.integers(0, 40, 300))
    ticks = np.concatenate([np.sort(dice.integers(0, 2000, int((ids == one).sum()))) for one in np.unique(ids)])
    known = NoteCurves.of(ids, Curve.of(ticks, dice.uniform(0, 127, 300), dice.random(300) < 0.5))
    notes, at = dice.integers(0, 45, 500), dice.integers(0, 2500, 500)
    each = [float(curve.at(tick)) if len(curve := known.curve(note)) else np.nan
            for note, tick in zip(notes.tolist(), at.tolist(), strict=True)]  # fmt: skip
    np.testing.assert_allclose(known.at(notes, at), each)


def test_a_ribbon_shows_the_pressure_of_its_own_key() -> None:
    shape = contours(read(file_of(chord())).parts[0])
    assert shape is not None
    assert shape["count"] == [4, 2, 1]
    # What is held until it jumps is seen to be held: just before the jump there is a point of its own.
    assert shape["tick"] == [0, 200, 399, 400, 0, 200, 0]
    # Timbre rests in the middle: half of it, and half of the pressure.
    assert shape["ink"] == [round((64 / 127 + value / 127) * 50) for value in (0, 100, 100, 120, 0, 30, 20)]


def test_of_very_many_changes_as_many_are_drawn_as_are_seen() -> None:
    wobble = [pressed(60, step % 128, 2) for step in range(2000)]
    shape = contours(read(file_of([M("note_on", note=60), *wobble, M("note_off", note=60, time=2)])).parts[0])
    assert shape is not None and MOST_POINTS // 2 <= shape["count"][0] <= MOST_POINTS
