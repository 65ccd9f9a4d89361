"""Strokes on notes themselves, worked by hand: what a stranger reads from the file."""

from typing import Any

import mido
import numpy as np
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import Entry, History, Shaped, applied
from expression.midi.playback import held_at, listen, stream
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.facts import facts
from tests.expression.test_notes_copy import recorded, sounding
from tests.files import NOTE, file_of

BEAT = 960


def notes(*rows: tuple[int, int, int, int], channel: int = 0) -> list[mido.Message]:
    """A track of (start, end, pitch, velocity), in ticks of 480 a beat."""
    events = [(start, 1, NOTE("note_on", note=pitch, velocity=v, channel=channel)) for start, _, pitch, v in rows]
    events += [(end, 0, NOTE("note_off", note=pitch, velocity=0, channel=channel)) for _, end, pitch, _ in rows]
    track, before = [], 0
    for tick, _, message in sorted(events, key=lambda one: one[:2]):
        track.append(message.copy(time=tick - before))
        before = tick
    return track


CHORDS = read(
    file_of(
        notes(
            (0, 480, 60, 50), (0, 480, 64, 60), (0, 480, 67, 70),
            (960, 1440, 59, 50), (970, 1440, 65, 60), (965, 1440, 67, 70),
            (1920, 2400, 72, 80),
        )
    )
)  # fmt: skip
LINE = read(file_of(notes((0, 240, 60, 40), (480, 720, 64, 80), (1440, 1560, 67, 100))))


def made(take: Take, kind: str, where: Any = None, **fields: Any) -> Take:
    return applied(parse_stroke({"kind": kind, "where": where or {"parts": [0]}, **fields}), take)


def page_of(take: Take) -> list[tuple[int, int]]:
    part = take.parts[0].notes
    return sorted(zip(part.page_start.tolist(), part.page_end.tolist(), strict=True))


def test_a_note_is_put_in_with_length_and_velocity() -> None:
    new = {"start": 1000, "length": 500, "pitch": 62, "velocity": 33}
    found = sounding(made(LINE, "notes.add", notes=[new]))
    assert (1000, 1500, 62, 33) in found
    assert len(found) == 4


def test_what_is_under_a_new_note_is_cut_or_the_new_one_refused() -> None:
    new = {"start": 240, "length": 960, "pitch": 60, "velocity": 9}
    assert sounding(made(LINE, "notes.add", notes=[new]))[:2] == [(0, 240, 60, 40), (240, 1200, 60, 9)]
    with pytest.raises(NothingMatched, match="over another of the same key"):
        made(LINE, "notes.add", notes=[new], over="refuse")
    # Struck at the same tick it takes the place of the other.
    there = made(LINE, "notes.add", notes=[new | {"start": 0, "length": 100}])
    assert sounding(there)[0] == (0, 100, 60, 9)
    assert len(there.parts[0].notes) == 3


@pytest.mark.parametrize(
    ("note", "field"),
    [({"pitch": 128}, "pitch"), ({"pitch": -1}, "pitch"), ({"start": -1}, "start"), ({"length": 0}, "length")],
)
def test_notes_off_the_keyboard_before_the_start_or_of_no_length_are_refused(note: Any, field: str) -> None:
    with pytest.raises(BadStroke, match=field):
        made(LINE, "notes.add", notes=[{"start": 0, "length": 9, "pitch": 60, "velocity": 9} | note])


def test_notes_move_in_time_and_pitch_and_the_page_follows_or_not() -> None:
    where = {"notes": [[1, 1]]}
    moved = made(LINE, "notes.move", where, ticks=100, keys=-2)
    assert sounding(moved)[1] == (1060, 1540, 62, 80)
    assert page_of(moved)[1] == (1060, 1540)
    assert page_of(made(LINE, "notes.move", where, ticks=100, page=False))[1] == (960, 1440)


def test_notes_do_not_leave_the_keyboard_or_the_take() -> None:
    with pytest.raises(NothingMatched, match="leave the keyboard") as off:
        made(LINE, "notes.move", keys=61)
    assert off.value.offer == {"keys": 60.0}
    with pytest.raises(NothingMatched, match="before the take begins") as early:
        made(LINE, "notes.move", {"notes": [[1, 2]]}, ticks=-961)
    assert early.value.offer == {"ticks": -960.0}


def test_within_a_scale_notes_go_by_its_steps() -> None:
    scale = [0, 2, 4, 5, 7, 9, 11]
    assert [n[2] for n in sounding(made(LINE, "notes.transpose", keys=1, scale=scale))] == [62, 65, 69]
    assert [n[2] for n in sounding(made(LINE, "notes.transpose", keys=-7, scale=scale))] == [48, 52, 55]
    beside = read(file_of(notes((0, 240, 61, 40))))
    # A semitone above C goes a semitone above D.
    assert sounding(made(beside, "notes.transpose", keys=1, scale=scale))[0][2] == 63
    with pytest.raises(BadStroke, match="scale"):
        made(LINE, "notes.transpose", keys=1, scale=[])


@pytest.mark.parametrize(
    ("fields", "wanted"),
    [
        ({"to": 0.25}, [(0, 240), (960, 1200), (2880, 3120)]),
        ({"factor": 0.5}, [(0, 240), (960, 1200), (2880, 3000)]),
        ({"by": -0.1}, [(0, 384), (960, 1344), (2880, 3024)]),
        # Two beats a second: 50 ms are a tenth of a beat. Nothing follows the last.
        ({"gap_ms": 50}, [(0, 864), (960, 2784), (2880, 3120)]),
        ({"gap_ms": 0}, [(0, 960), (960, 2880), (2880, 3120)]),
        ({"to": 0.25, "edge": "start"}, [(240, 480), (1200, 1440), (2880, 3120)]),
        # None becomes shorter than a thirty-second of a beat.
        ({"by": -5}, [(0, 30), (960, 990), (2880, 2910)]),
    ],
)
def test_lengths(fields: dict[str, Any], wanted: list[tuple[int, int]]) -> None:
    shaped = made(LINE, "notes.length", **fields)
    assert [n[:2] for n in sounding(shaped)] == wanted
    assert page_of(shaped) == page_of(LINE)


def test_a_length_says_one_thing() -> None:
    for fields in ({}, {"to": 1, "by": 1}, {"gap_ms": 5, "edge": "start"}):
        with pytest.raises(BadStroke):
            made(LINE, "notes.length", **fields)


@pytest.mark.parametrize(
    ("order", "wanted"),
    [("up", {60: 0, 64: 96, 67: 192}), ("down", {67: 0, 64: 96, 60: 192}), ("out", {64: 0, 60: 96, 67: 192})],
)
def test_a_strum_goes_through_the_chord(order: str, wanted: dict[int, int]) -> None:
    found = sounding(made(CHORDS, "notes.spread", {"notes": [[0, 2]]}, time_ms=50, order=order))
    assert {pitch: start for start, _, pitch, _ in found[:3]} == wanted
    assert all(end == BEAT for start, end, *_ in found if start < BEAT)


def test_a_strum_may_end_where_the_chord_was_and_begins_no_sooner_than_the_take() -> None:
    found = sounding(made(CHORDS, "notes.spread", time_ms=50, anchor="last"))
    assert {pitch: start for start, _, pitch, _ in found if start < 1000} == {60: 0, 64: 0, 67: 0}
    # Struck at 960, 965 and 970 of the file: one chord, at its first note.
    assert {pitch: start for start, _, pitch, _ in found if 1000 < start < 3000} == {59: 1728, 65: 1824, 67: 1920}


def test_a_strum_longer_than_its_notes_keeps_a_quarter_of_each() -> None:
    short = read(file_of(notes((0, 40, 60, 9), (0, 40, 64, 9))))
    assert sounding(made(short, "notes.spread", time_ms=500)) == [(0, 80, 60, 9), (960, 980, 64, 9)]


def test_a_strum_leaves_the_page_alone() -> None:
    assert page_of(made(CHORDS, "notes.spread", time_ms=50)) == page_of(CHORDS)
    with pytest.raises(NothingMatched, match="chords"):
        made(LINE, "notes.spread")


PLAYED = read(file_of(notes((10, 200, 60, 9), (225, 400, 62, 9), (490, 700, 64, 9), (900, 950, 65, 9))))


@pytest.mark.parametrize(
    ("fields", "wanted"),
    [
        ({"grid": 8}, [0, 480, 960, 1920]),
        ({"grid": 8, "keep": 1}, [20, 450, 980, 1800]),
        ({"grid": 8, "keep": 0.5}, [10, 465, 970, 1860]),
        ({"grid": 8, "keep": 2}, [40, 420, 1000, 1680]),
        # Triplets: every second eighth at two thirds of the beat.
        ({"grid": 8, "swing": 1}, [0, 640, 960, 1920]),
        ({"grid": 8, "window": 0.05}, [0, 480, 960, 1800]),
    ],
)
def test_the_grid(fields: dict[str, Any], wanted: list[int]) -> None:
    shaped = made(PLAYED, "notes.place", **fields)
    assert [n[0] for n in sounding(shaped)] == wanted
    lengths = [end - start for start, end, *_ in sounding(PLAYED)]
    assert [end - start for start, end, *_ in sounding(shaped)] == lengths


def test_of_two_notes_of_a_key_that_come_to_one_line_the_further_stays() -> None:
    twice = read(file_of(notes((5, 15, 60, 9), (40, 60, 60, 9))))
    assert [n[0] for n in sounding(made(twice, "notes.place", grid=4))] == [0, 80]


def test_loosening_depends_on_nothing_else_that_is_chosen() -> None:
    rows = [(480 * step, 480 * step + 200, 60 + step % 12, 64) for step in range(64)]
    take = read(file_of(notes(*rows)))
    every = made(take, "notes.loosen", amount_ms=20, seed=3).parts[0].notes
    some = made(take, "notes.loosen", {"notes": [[5, 9], [33, 33]]}, amount_ms=20, seed=3).parts[0].notes
    chosen = [5, 6, 7, 8, 9, 33]
    assert every.start[chosen].tolist() == some.start[chosen].tolist()
    others = np.setdiff1d(np.arange(64), chosen)
    assert np.array_equal(some.start[others], take.parts[0].notes.start[others])
    assert np.array_equal(some.page_start, take.parts[0].notes.page_start)
    again = made(take, "notes.loosen", amount_ms=20, seed=4).parts[0].notes
    assert not np.array_equal(again.start, every.start)


@pytest.mark.parametrize("drift", [0.0, 1.0])
def test_loosening_is_as_wide_as_it_says_and_its_drift_is_slow(drift: float) -> None:
    rows = [(120 * step, 120 * step + 60, 30 + step % 50, 64) for step in range(1, 4000)]
    take = read(file_of(notes(*rows)))
    away = made(take, "notes.loosen", amount_ms=20, drift=drift).parts[0].notes
    by_id = np.argsort(away.id)
    moved = (away.start[by_id] - take.parts[0].notes.start) / 960 / 2 * 1000
    assert 14 < moved.std() < 22
    assert np.abs(moved).max() <= 40.6
    # Neighbours, an eighth of a second apart, go together where it drifts, and not where it does not.
    alike = np.corrcoef(moved[1:], moved[:-1])[0, 1]
    assert alike > 0.95 if drift else abs(alike) < 0.1


@pytest.mark.parametrize(
    ("fields", "wanted"),
    [
        ({"into": 3}, [(0, 160), (160, 320), (320, 480)]),
        ({"at": 100}, [(0, 100), (100, 480)]),
        ({"grid": 16}, [(0, 240), (240, 480)]),
        ({"grid": 12}, [(0, 320), (320, 480)]),
    ],
)
def test_a_note_in_pieces_and_whole_again(fields: dict[str, Any], wanted: list[tuple[int, int]]) -> None:
    where = {"notes": [[0, 0]]}
    parted = made(LINE, "notes.split", where, **fields)
    assert [n[:2] for n in sounding(parted)[: len(wanted)]] == wanted
    assert {n[3] for n in sounding(parted)[: len(wanted)]} == {40}
    pieces = parted.parts[0].notes.id[: len(wanted)].tolist()
    joined = made(parted, "notes.join", {"notes": [[one, one] for one in pieces]})
    assert write(joined) == write(LINE)
    assert page_of(joined) == page_of(LINE)


def test_a_split_at_an_edge_and_a_join_across_a_rest_say_why_not() -> None:
    with pytest.raises(NothingMatched, match="not at its edge"):
        made(LINE, "notes.split", at=480)
    two = read(file_of(notes((0, 240, 60, 40), (480, 720, 60, 80))))
    with pytest.raises(NothingMatched, match=r"a rest of 0\.5 beats") as rest:
        made(two, "notes.join")
    assert sounding(made(two, "notes.join", **rest.value.offer)) == [(0, 1440, 60, 40)]
    with pytest.raises(NothingMatched, match="No two neighbours"):
        made(LINE, "notes.join")


def test_curves_divide_with_their_notes_and_come_together_again() -> None:
    nodes = [{"at": 0, "value": 0, "hold": False}, {"at": 1, "value": 8}]
    bent = made(LINE, "note.curve", {"notes": [[0, 0]]}, lane="note:pitch", nodes=nodes)
    parted = made(bent, "notes.split", {"notes": [[0, 0]]}, into=4)
    curves = parted.parts[0].curves["note:pitch"]
    found = [curves.curve(int(note)).at([0, 60, 119]).tolist() for note in parted.parts[0].notes.id[:4]]
    assert np.allclose(found, [[2 * k, 2 * k + 1, 2 * k + 119 / 60] for k in range(4)])
    whole = made(parted, "notes.join", {"notes": [[0, 0], *[[n, n] for n in parted.parts[0].notes.id[1:4].tolist()]]})
    assert np.allclose(whole.parts[0].curves["note:pitch"].curve(0).at([0, 77, 479]), np.array([0, 77, 479]) / 60)


def test_muted_notes_are_not_sent_and_heard_again() -> None:
    muted = made(LINE, "notes.mute", {"notes": [[1, 1]]})
    assert [n[2] for n in sounding(muted)] == [60, 67]
    assert write(made(muted, "notes.mute", {"notes": [[1, 1]]}, on=False)) == write(LINE)
    with pytest.raises(NothingMatched, match="muted already"):
        made(muted, "notes.mute", {"notes": [[1, 1]]})


def test_deleted_notes_are_gone_with_what_lies_under_them() -> None:
    take = read(file_of(recorded(10, 20, 30, 40, moved=[1, 2, 3, 4, 5, 6, 7, 8])))
    gone = made(take, "notes.delete", {"notes": [[1, 1]]})
    assert [n[3] for n in sounding(gone)] == [10, 30, 40]
    # Under the second note the wheel moved at its start; what it says as the third begins is as it was.
    at = [0, 480, 960, 1439, 1440, 1920]
    assert gone.parts[0].lanes["cc:1"].curve.at(at).tolist() == [1, 2, 2, 2, 4, 5]
    kept = made(take, "notes.delete", {"notes": [[1, 1]]}, under=False)
    assert kept.parts[0].lanes["cc:1"] is take.parts[0].lanes["cc:1"]


def test_what_lies_under_travels_where_nobody_else_sounds() -> None:
    take = read(file_of(recorded(10, 20, 30, 40, moved=[1, 2, 3, 4, 5, 6, 7, 8])))
    moved = made(take, "notes.move", {"notes": [[3, 3]]}, ticks=960)
    curve = moved.parts[0].lanes["cc:1"].curve
    assert curve.at([2400, 2880, 3359, 3360, 3840, 4319, 4320]).tolist() == [6, 6, 6, 8, 7, 7, 8]
    stays = made(take, "notes.move", {"notes": [[3, 3]]}, ticks=960, under=False)
    assert stays.parts[0].lanes["cc:1"] is take.parts[0].lanes["cc:1"]


def test_what_lies_under_is_stretched_with_its_note() -> None:
    take = read(file_of(recorded(10, 20, 30, 40, moved=[1, 2, 3, 4, 5, 6, 7, 8])))
    longer = made(take, "notes.length", {"notes": [[0, 0]]}, to=0.25)
    ticks = longer.parts[0].lanes["cc:1"].curve.ticks.tolist()
    # Half of the note's half beat: a node at its middle would lie at a quarter; what follows makes up for it.
    assert ticks[0] == 0 and ticks[2:] == take.parts[0].lanes["cc:1"].curve.ticks.tolist()[2:]


def test_a_run_is_heard_and_not_written() -> None:
    run = made(LINE, "notes.fill", {"notes": [[0, 1]]}, by="semitone")
    found = sounding(run)
    # Three keys between C and E, four steps of a beat of 960 ticks; velocities from 40 to 80.
    assert found[:4] == [(0, 480, 60, 40), (240, 480, 61, 50), (480, 720, 62, 60), (720, 960, 63, 70)]
    part = run.parts[0].notes
    assert part.page_start.tolist() == [0, -1, -1, -1, 960, 2880]
    assert part.written.tolist() == [True, False, False, False, True, True]


def test_runs_by_scale_by_named_keys_downwards_and_in_a_given_time() -> None:
    down = read(file_of(notes((0, 240, 67, 40), (480, 720, 60, 80))))
    assert [n[2] for n in sounding(made(down, "notes.fill", by="white"))] == [67, 65, 64, 62, 60]
    named = made(down, "notes.fill", by="named", named=[61, 66], time=0.3, ring=0.1, end_velocity=41)
    # The last 288 ticks before the second note, in three steps of 96; each rings for 96 more.
    assert sounding(named)[1:3] == [(768, 960, 66, 40), (864, 1056, 61, 41)]
    with pytest.raises(BadStroke, match="scale"):
        made(down, "notes.fill", by="scale")
    with pytest.raises(NothingMatched, match="No key lies between"):
        made(down, "notes.fill", by="named", named=[1])


CUED = read(file_of(notes((0, 100, 24, 90), (0, 480, 60, 50), (960, 1060, 26, 90), (1920, 2400, 62, 50))))


def test_cues_are_left_out_of_the_music() -> None:
    cued = made(CUED, "notes.cue", {"parts": [0], "pitches": [24, 26]}, name="bowed")
    assert facts(cued, parse_stroke({"kind": "velocity.set", "value": 1}).where)["count"] == 2
    assert cued.parts[0].cue_names == {24: "bowed", 26: "bowed"}
    up = made(cued, "notes.transpose", keys=12)
    assert sorted(n[2] for n in sounding(up)) == [24, 26, 72, 74]
    assert write(cued) == write(CUED)
    assert sorted(n[2] for n in sounding(cued.without_cues())) == [60, 62]
    again = made(cued, "notes.cue", {"pitches": [26]}, name="plucked")
    assert again.parts[0].cue_names[26] == "plucked"
    music = made(again, "notes.cue", {"pitches": [24]}, on=False)
    assert music.parts[0].notes.music.tolist() == [True, True, False, True]


def test_the_last_cue_is_struck_first_where_play_begins_in_the_middle() -> None:
    cued = made(CUED, "notes.cue", {"pitches": [24, 26]})
    for start, key in ((0.7, 24), (2.0, 26)):
        heard = listen(stream(cued), start, 9, True, held_at(cued, start, cues_alone=True))
        first = list(zip(heard.status.tolist(), heard.data1.tolist(), strict=True))[:2]
        assert first == [(0x90, key), (0x80, key)]
    assert len(held_at(cued, 0.0).seconds) == 0
    # While it is still down it is let go where it was.
    down = held_at(cued, 0.05)
    assert list(zip(down.status.tolist(), down.data1.tolist(), strict=True)) == [(0x90, 24), (0x90, 60)]


def test_strokes_whose_notes_are_gone_lie_idle_and_ids_never_return() -> None:
    new = {"start": 3000, "length": 100, "pitch": 70, "velocity": 9}
    history = History()
    for said in (
        {"kind": "notes.add", "where": {"parts": [0]}, "notes": [new]},
        {"kind": "notes.split", "where": {"notes": [[0, 0]]}, "into": 2},
    ):
        history = history.add(parse_stroke(said))
    first = Shaped.of(LINE, history)
    added = set(first.now.take.parts[0].notes.id.tolist()) - {0, 1, 2}
    assert len(added) == 2
    note = max(one for one in added if one < 2 * 2**32)
    history = history.add(parse_stroke({"kind": "velocity.set", "value": 99, "where": {"notes": [[note, note]]}}))
    off = Shaped.of(LINE, history.change(1, on=False))
    assert "gone" in off.now.idle[3].sentence
    assert off.now.take.parts[0].notes.id.tolist().count(note) == 0
    on = Shaped.of(LINE, history)
    assert on.now.idle == {}
    assert isinstance(on.entries[0], Entry)
    assert 99 in on.now.take.parts[0].notes.velocity
