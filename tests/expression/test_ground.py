"""Tempo and metre as strokes: what keeps its bars, what keeps its seconds, and what a file says of both."""

import io

import mido
import numpy as np
import pytest

from demo.fog_signal import the_stair
from expression.errors import NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import file_of, phrase

QUARTER = 960


def played(track: list[mido.Message]) -> Take:
    return read(file_of(track, ticks=QUARTER))


def stroked(take: Take, **said: object) -> Take:
    return applied(parse_stroke({"kind": "take.tempo", **said}), take)


def sounding(data: bytes) -> list[tuple[float, int, int]]:
    """Of each note-on of a file: seconds, pitch, velocity; as another library has them."""
    now, found = 0.0, []
    for message in mido.MidiFile(file=io.BytesIO(data)):
        now += message.time
        if message.type == "note_on" and message.velocity:
            found.append((now, message.note, message.velocity))
    return sorted(found)


def ticks(data: bytes) -> list[tuple[int, int]]:
    """Of each note-on of a file: its tick in 960 a quarter, and its pitch."""
    file = mido.MidiFile(file=io.BytesIO(data))
    found = []
    for track in file.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity:
                found.append((now * QUARTER // file.ticks_per_beat, message.note))
    return sorted(found)


def test_another_tempo_throughout_keeps_the_bars() -> None:
    take = read(the_stair())
    made = stroked(take, bpm=90)
    before, after = write(take), write(made)
    assert ticks(before) == ticks(after)
    told = [message for message in mido.MidiFile(file=io.BytesIO(after)).tracks[0] if message.type == "set_tempo"]
    assert [message.tempo for message in told] == [round(60e6 / 90)]
    last = max(tick for tick, _ in ticks(after))
    assert sounding(after)[-1][0] == pytest.approx(last / QUARTER * 60 / 90, abs=1e-3)


def test_over_a_span_the_tempo_before_comes_back() -> None:
    take = played(phrase([60] * 12, gap=480))
    made = stroked(take, bpm=60, where={"span": [4 * 480, 8 * 480]})
    expected = [
        0.25 * row if row < 4 else 1 + 0.5 * (row - 4) if row < 8 else 3 + 0.25 * (row - 8) for row in range(12)
    ]
    assert [second for second, *_ in sounding(write(made))] == pytest.approx(expected, abs=1e-4)


def test_a_tempo_that_changes_evenly() -> None:
    take = played(phrase([60] * 17, gap=960))
    made = stroked(take, bpm=120, end_bpm=60, where={"span": [0, 16 * QUARTER]})
    # Quarters a minute fall evenly over the quarters: the time is the integral of 60 / (120 - 60 b / 16).
    exact = -16 / 60 * 60 * np.log(1 - 60 / 16 * np.arange(17) / 120)
    assert [second for second, *_ in sounding(write(made))] == pytest.approx(exact.tolist(), abs=2e-3)


@pytest.mark.parametrize("span", [None, [4 * QUARTER, 9 * QUARTER]])
def test_what_keeps_its_seconds_sounds_as_before(span: list[int] | None) -> None:
    take = read(the_stair())
    made = stroked(take, bpm=83, keeps="seconds", where={"span": span} if span else {})
    before, after = sounding(write(take)), sounding(write(made))
    assert [one[1:] for one in before] == [one[1:] for one in after]
    assert np.abs(np.array([one[0] for one in before]) - [one[0] for one in after]).max() < 0.002
    for old, new in zip(take.channels, made.channels, strict=True):
        for key, lane in old.lanes.items():
            was, now = take.tempo.seconds(lane.curve.ticks), made.tempo.seconds(new.lanes[key].curve.ticks)
            assert np.abs(was - now).max() < 0.002
            assert np.array_equal(lane.curve.values, new.lanes[key].curve.values)
    if span:
        early = take.parts[0].notes.start < span[0]
        assert np.array_equal(take.parts[0].notes.start[early], made.parts[0].notes.start[early])


def test_strokes_behind_a_change_of_tempo_act_where_things_are_now() -> None:
    take = played(phrase([60, 60, 60, 60], gap=480))
    made = stroked(take, bpm=60, keeps="seconds")
    assert made.parts[0].notes.start.tolist() == [0, 240, 480, 720]
    louder = applied(parse_stroke({"kind": "velocity.set", "value": 99, "where": {"span": [240, 480]}}), made)
    assert [velocity for *_, velocity in sounding(write(louder))][1] == 99


def test_curves_of_notes_keep_their_seconds_as_well() -> None:
    take = played(phrase([60, 60], gap=960))
    curve = {"kind": "note.curve", "lane": "note:pitch", "nodes": [{"at": 0, "value": 0}, {"at": 1, "value": 2}]}
    bent = applied(parse_stroke(curve), take)
    made = stroked(bent, bpm=60, keeps="seconds")
    ids = made.parts[0].notes.id
    for note, old, new in zip(ids.tolist(), bent.parts[0].notes.start, made.parts[0].notes.start, strict=True):
        was, now = (one.parts[0].curves["note:pitch"].curve(note) for one in (bent, made))
        assert np.array_equal(was.values, now.values)
        seconds = bent.tempo.seconds(was.ticks + old), made.tempo.seconds(now.ticks + new)
        assert np.abs(seconds[0] - seconds[1]).max() < 0.002


def test_bars_go_to_tapped_beats() -> None:
    # Played at 100 a minute, where the file says 120; every second note is tapped to.
    take = played(phrase([60] * 9, gap=576))
    made = stroked(take, beats=[0.6 * row for row in (0, 1, 2, 3, 4)], keeps="seconds")
    assert made.parts[0].notes.start.tolist() == [480 * row for row in range(9)]
    assert [one[0] for one in sounding(write(made))] == pytest.approx([0.3 * row for row in range(9)], abs=2e-3)


def test_bars_go_to_the_beats_that_are_found() -> None:
    take = played(phrase([60] * 32, gap=768))
    made = stroked(take, found=True, keeps="seconds")
    steps = np.diff(made.parts[0].notes.start)[4:-4] / QUARTER
    # One onset every 0.4 s: they come to a beat each, or to two.
    assert np.allclose(steps, round(float(np.median(steps)) * 2) / 2, atol=0.05)
    before, after = sounding(write(take)), sounding(write(made))
    assert np.abs(np.array([one[0] for one in before]) - [one[0] for one in after]).max() < 0.002


def test_a_metre_moves_nothing() -> None:
    take = read(the_stair())
    made = applied(parse_stroke({"kind": "take.metre", "beats": 6, "unit": 8, "where": {"span": [3840, 9600]}}), take)
    assert ticks(write(take)) == ticks(write(made))
    assert made.tempo is take.tempo
    assert made.meter.signatures(made.resolution) == [(0, 4, 4), (3840, 6, 8), (9600, 4, 4)]
    told = [one for one in mido.MidiFile(file=io.BytesIO(write(made))).tracks[0] if one.type == "time_signature"]
    assert [(one.numerator, one.denominator) for one in told] == [(4, 4), (6, 8), (4, 4)]
    assert read(write(made)).meter.position(9600).bar == made.meter.position(9600).bar


def test_the_file_says_it_once_and_is_read_as_it_was_meant() -> None:
    take = read(the_stair())
    made = stroked(stroked(take, bpm=90), bpm=101, end_bpm=55, where={"span": [3840, 7680]})
    again = read(write(made))
    assert again.tempo.steps == made.tempo.steps
    for one, other in zip(made.parts, again.parts, strict=True):
        assert np.array_equal(one.notes.start, other.notes.start)


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"bpm": 1}, "from 4 to 1000"),
        ({}, "one of them says the tempo"),
        ({"bpm": 90, "found": True}, "one of them says the tempo"),
        ({"bpm": 90, "end_bpm": 60}, "needs bpm, and a span"),
        ({"found": True}, "keeps must be seconds"),
    ],
)
def test_what_makes_no_sense_is_refused(said: dict[str, object], why: str) -> None:
    with pytest.raises(ValueError, match=why):
        parse_stroke({"kind": "take.tempo", **said})


def test_too_little_to_find_beats_in() -> None:
    with pytest.raises(NothingMatched, match="too little to find beats in"):
        stroked(read(file_of([])), found=True, keeps="seconds")
