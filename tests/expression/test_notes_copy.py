"""Copies of notes, and what lies under them."""

import io
from typing import Any

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression import views
from expression.errors import BadStroke, NothingMatched
from expression.history import History, Shaped, applied, shape
from expression.midi.playback import stream
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import NOTE, events, file_of, phrase

BEAT = 960


def wheel(values: list[int], channel: int = 0) -> list[mido.Message]:
    return [
        NOTE("control_change", control=1, value=value, channel=channel, time=0 if step == 0 else 240)
        for step, value in enumerate(values)
    ]


def recorded(*velocities: int, moved: list[int] | None = None, channel: int = 0) -> list[mido.Message]:
    merged = mido.merge_tracks([
        mido.MidiTrack(phrase(velocities, channel=channel)), mido.MidiTrack(wheel(moved or [], channel)),
    ])  # fmt: skip
    return [message for message in merged if not message.is_meta]


FOUR = read(file_of(recorded(10, 20, 30, 40, moved=[1, 2, 3, 4, 5, 6, 7, 8])))


def copy(take: Take, at: int, part: int | None = None, **more: Any) -> Take:
    to = {"at": at} | ({} if part is None else {"part": part})
    return shape(take, [parse_stroke({"kind": "notes.copy", "to": to, **more})])


def sounding(take: Take, part: int = 0) -> list[tuple[int, int, int, int]]:
    """(start, end, pitch, velocity) as a stranger reads them from the file, ticks of 960 a quarter."""
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    track = file.tracks[take.parts[part].track]
    tick, down, found = 0, {}, []
    for message in track:
        tick += message.time
        if message.type not in ("note_on", "note_off") or message.channel != take.parts[part].channel.number:
            continue
        if message.type == "note_on" and message.velocity:
            assert message.note not in down, "a key is struck while it is down"
            down[message.note] = (tick, message.velocity)
        else:
            start, velocity = down.pop(message.note)
            found.append((start, tick, message.note, velocity))
    assert not down
    factor = BEAT // file.ticks_per_beat
    return sorted((start * factor, end * factor, pitch, velocity) for start, end, pitch, velocity in found)


def test_two_notes_later_with_the_wheel_under_them() -> None:
    take = copy(FOUR, 5 * BEAT, where={"notes": [[1, 2]]})
    assert sounding(take)[4:] == [
        (5 * BEAT, 5 * BEAT + 480, 61, 20), (6 * BEAT, 6 * BEAT + 480, 62, 30),
    ]  # fmt: skip
    curve = take.parts[0].lanes["cc:1"].curve
    # From the first start to the last end the wheel moves as it did there, and is back where it was afterwards.
    assert curve.at([5 * BEAT, 5 * BEAT + 480, 6 * BEAT, 6 * BEAT + 479, 6 * BEAT + 480]).tolist() == [3, 4, 5, 5, 8]


def test_without_what_lies_under_them_lanes_stay() -> None:
    take = copy(FOUR, 5 * BEAT, where={"notes": [[1, 2]]}, under=False)
    assert take.parts[0].lanes is FOUR.parts[0].lanes
    assert len(sounding(take)) == 6


def test_what_was_recorded_comes_out_as_it_was() -> None:
    take = copy(FOUR, 5 * BEAT, where={"notes": [[1, 2]]}, under=False)
    was, now = events(write(FOUR))[0], events(write(take))[0]
    assert [event for event in now if event in was] == was[:-1]
    assert len(now) == len(was) + 4


def test_the_end_mark_stays_last_and_the_take_grows() -> None:
    take = copy(FOUR, 16 * BEAT, where={"notes": [[0, 3]]})
    again = read(write(take))
    assert again.remarks == ()
    assert take.end == again.end == 16 * BEAT + 3 * BEAT + 480


def test_a_span_gives_the_length_of_each_turn() -> None:
    take = copy(FOUR, 4 * BEAT, where={"span": [0, 2 * BEAT]}, repeat=3)
    assert [start // BEAT for start, *_ in sounding(take)] == list(range(10))
    assert [velocity for *_, velocity in sounding(take)[4:]] == [10, 20] * 3


def test_to_another_part() -> None:
    take = read(file_of(recorded(10, 20, moved=[9, 9]), recorded(99, channel=1)))
    made = copy(take, 4 * BEAT, part=1, where={"parts": [0]})
    assert sounding(made, 1) == [
        (0, 480, 60, 99), (4 * BEAT, 4 * BEAT + 480, 60, 10), (5 * BEAT, 5 * BEAT + 480, 61, 20),
    ]  # fmt: skip
    assert made.parts[1].lanes["cc:1"].curve.at(4 * BEAT) == 9
    assert sounding(made, 0) == sounding(take, 0)


def test_a_copy_ends_where_its_key_is_struck_again() -> None:
    long = read(file_of([
        NOTE("note_on", note=60, velocity=50), NOTE("note_off", note=60, time=960),
        NOTE("note_on", note=60, velocity=70, time=480), NOTE("note_off", note=60, time=480),
    ]))  # fmt: skip
    made = copy(long, 2 * BEAT, where={"notes": [[0, 0]]})
    assert sounding(made)[1:] == [(2 * BEAT, 3 * BEAT, 60, 50), (3 * BEAT, 4 * BEAT, 60, 70)]


def test_a_copy_with_hardly_any_room_is_left_out() -> None:
    struck = copy(FOUR, 5 * BEAT, where={"notes": [[0, 0]]}, under=False)
    with pytest.raises(NothingMatched, match="down already"):
        copy(struck, 5 * BEAT - 60, where={"notes": [[0, 0]]}, under=False)
    assert sounding(copy(struck, 5 * BEAT - 120, where={"notes": [[0, 0]]}, under=False))[4] == (
        5 * BEAT - 120, 5 * BEAT, 60, 10,
    )  # fmt: skip


def test_a_copy_whose_key_is_down_is_left_out_and_none_at_all_is_refused() -> None:
    made = copy(FOUR, 2 * BEAT, where={"notes": [[1, 2]]})  # 61 and 62, onto beats two and three: 62 is down on two
    assert [(start // BEAT, pitch) for start, _, pitch, _ in sounding(made)] == [
        (0, 60), (1, 61), (2, 61), (2, 62), (3, 62), (3, 63),
    ]  # fmt: skip
    with pytest.raises(NothingMatched, match="down already"):
        copy(FOUR, BEAT, where={"notes": [[1, 2]]})


@given(st.lists(st.integers(1, 127), min_size=1, max_size=6), st.integers(0, 12), st.integers(1, 4), st.booleans())
def test_every_copy_can_be_played_and_read_again(velocities: list[int], beat: int, repeat: int, under: bool) -> None:
    take = read(file_of(recorded(*velocities, moved=[5, 60, 7])))
    try:
        made = copy(take, beat * BEAT + 240, repeat=repeat, under=under)
    except NothingMatched:
        return
    again = read(write(made))
    notes = made.parts[0].notes
    assert len(set(notes.id.tolist())) == len(notes)
    assert np.all(np.diff(notes.start) >= 0)
    assert np.all(notes.end > notes.start)
    assert len(sounding(made)) == len(again.parts[0].notes) == len(notes)
    assert stream(again).seconds.tolist() == pytest.approx(stream(made).seconds.tolist())


class TestHistory:
    COPY = parse_stroke({"kind": "notes.copy", "where": {"notes": [[0, 1]]}, "to": {"at": 8 * BEAT}})

    def test_copies_keep_their_ids_whatever_else_is_switched(self) -> None:
        shaped = Shaped.of(FOUR, History().add(self.COPY).add(self.COPY.model_copy(update={"to": self._to(12)})))
        ids = shaped.now.take.parts[0].notes.id.tolist()
        louder = parse_stroke({"kind": "velocity.set", "value": 99, "where": {"notes": [[ids[-1], ids[-1]]]}})
        shaped = shaped.with_history(shaped.history.add(louder).change(1, on=False))
        assert shaped.now.idle == {}
        assert shaped.now.take.parts[0].notes.id.tolist() == [0, 1, 2, 3, *ids[-2:]]
        assert shaped.now.take.parts[0].notes.velocity[-1] == 99

    def test_the_first_turn_keeps_its_ids_when_there_are_more(self) -> None:
        take = read(file_of(recorded(10, 20), recorded(30, 40, channel=1)))
        once, twice = (copy(take, 4 * BEAT, repeat=repeat, under=False, first=100) for repeat in (1, 2))
        for part in (0, 1):
            first = once.parts[part].notes.id.tolist()
            assert twice.parts[part].notes.id.tolist()[: len(first)] == first
        ids = [id_ for part in twice.parts for id_ in part.notes.id.tolist()]
        assert sorted(ids) == [*range(4), *range(100, 108)]

    def test_strokes_on_copies_have_marks_and_lie_idle_without_them(self) -> None:
        history = History().add(self.COPY)
        shaped = Shaped.of(FOUR, history)
        id_ = int(shaped.now.take.parts[0].notes.id[-1])
        louder = parse_stroke({"kind": "velocity.set", "value": 99, "where": {"notes": [[id_, id_]]}})
        shaped = shaped.with_history(history.add(louder))
        first, second = views.strokes.history(shaped)["strokes"]
        assert (first["mark"]["place"], first["mark"]["count"]) == ("bar 3", 2)
        assert (second["mark"]["place"], second["mark"]["count"]) == ("bar 3", 1)
        shaped = shaped.with_history(shaped.history.change(1, on=False))
        assert set(shaped.now.idle) == {2}

    def test_what_differs_tells_of_notes_that_came(self) -> None:
        shaped = Shaped.of(FOUR, History().add(self.COPY))
        changes = views.changes.changes(FOUR, shaped.now.take)
        (added,) = changes["added"]
        assert changes["others"] and changes["notes"] == [] and changes["lanes"] == [0]
        assert (added["start"], added["pitch"]) == ([8 * BEAT, 9 * BEAT], [60, 61])
        back = views.changes.changes(shaped.now.take, FOUR)
        assert back["others"] and back["added"] == []
        louder = parse_stroke({"kind": "velocity.set", "value": 99}).apply(shaped.now.take)
        assert views.changes.changes(FOUR, louder)["notes"] == [(0, 3)]

    @staticmethod
    def _to(beat: int) -> Any:
        return TestHistory.COPY.to.model_copy(update={"at": beat * BEAT})  # type: ignore[union-attr]


def test_the_desk_and_the_event_list_know_copies_as_notes() -> None:
    take = copy(FOUR, 480, where={"notes": [[3, 3]]}, under=False)
    part = views.page.page(take)["parts"][0]
    assert part["ids"] == [(0, 0), (4, 4), (1, 3)]
    rows = views.events.page(take, 0, 50, kinds=["note"])["rows"]
    assert [(row["note"], row["number"], row["length"]) for row in rows][:2] == [(0, "C4", 480), (4, "E♭4", 480)]
    assert views.events.page(take, 0, 50, kinds=["other"])["total"] == 0
    assert views.lanes.lanes(take.parts[0])


@pytest.mark.parametrize(
    ("fields", "says"),
    [
        ({"to": {"at": 2**40}, "where": {}}, "far past the end of the take"),
        ({"to": {"at": 0, "part": 7}, "where": {"parts": [0]}}, "There is no part 7"),
        ({"to": {"at": 0}, "where": {"notes": [[70, 80]]}}, "No notes are chosen"),
        ({"to": {"at": 99 * BEAT}, "where": {}, "repeat": 1000}, "far past the end"),
        ({"to": {"at": 9 * BEAT}, "where": {}, "first": 3}, "have these ids already"),
    ],
)
def test_copies_that_cannot_be_made_say_why(fields: dict[str, Any], says: str) -> None:
    long = {"repeat": 1} | fields
    take = FOUR if long["repeat"] == 1 else read(file_of(recorded(*[64] * 40)))
    with pytest.raises(NothingMatched, match=says):
        applied(parse_stroke({"kind": "notes.copy", **fields}), take)


def test_too_many_copies_are_refused() -> None:
    take = read(file_of(recorded(*[64] * 120)))
    with pytest.raises(NothingMatched, match="at most 100,000"):
        copy(take, 0, repeat=1000)


def test_from_several_parts_to_one_is_refused() -> None:
    with pytest.raises(BadStroke, match="name the one part"):
        parse_stroke({"kind": "notes.copy", "to": {"at": 0, "part": 1}, "where": {"parts": [0, 1]}})


def test_a_stroke_that_begins_after_the_take_says_so() -> None:
    ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 0, "end": 9}
    with pytest.raises(NothingMatched, match="begins in bar 26, after the take has ended in bar 1"):
        shape(FOUR, [parse_stroke({**ramp, "where": {"parts": [0], "span": [100 * BEAT, 101 * BEAT]}})])
