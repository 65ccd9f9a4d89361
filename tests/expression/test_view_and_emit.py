import itertools
import random
from dataclasses import replace

import mido
import numpy as np
import pytest

from bench.performance import performance
from demo.fog_signal import the_keepers_log, the_stair
from expression import views
from expression.errors import NothingMatched
from expression.history import History, Shaped
from expression.midi.playback import Stream, held_at, listen, message_bytes, stream
from expression.midi.read import read
from expression.receiver import receive
from expression.strokes import Where, parse_stroke
from tests.files import NOTE, file_of, phrase
from tests.judging.takes import recording

TAKE = read(file_of(phrase([10, 20, 127]), phrase([64], channel=9)))


def test_the_desk_gets_notes_in_columns_with_starts_as_differences() -> None:
    part = views.page.page(TAKE)["parts"][0]
    assert part["start"] == [0, 960, 960]
    assert part["length"] == [480, 480, 480]
    assert part["velocity"] == [10, 20, 127]
    assert (part["seal"], views.page.page(TAKE)["parts"][1]["seal"]) == ("A", "B")


def test_seals_go_on_after_z() -> None:
    assert [views.looks.seal(number) for number in (0, 25, 26, 51, 52)] == ["A", "Z", "AA", "AZ", "BA"]


@pytest.mark.parametrize(
    ("column", "value"),
    [("start", 7), ("end", 5000), ("pitch", 50), ("release", 3), ("muted", True), ("cue", True)],
)
def test_every_changed_column_of_a_note_is_told(column: str, value: int) -> None:
    notes = TAKE.parts[0].notes
    made = getattr(notes, column).copy()
    made[1] = value
    after = TAKE.with_notes({0: replace(notes, **{column: made})})
    told = views.changes.changes(TAKE, after)
    (moved,) = told["moved"]
    assert told["others"]
    assert moved["notes"] == [(int(notes.id[1]), int(notes.id[1]))]
    assert moved[column] == [value]  # type: ignore[literal-required]
    assert (told["notes"], told["added"]) == ([], [])


def test_notes_that_come_into_sight_or_leave_it_are_told() -> None:
    take = read(file_of(phrase([64] * 9)))
    made = parse_stroke({"kind": "notes.move", "ticks": 1000, "where": {"notes": [[1, 7]]}}).apply(take)
    # They begin 960 apart and last 480. Of those in sight before or after each is told, and no other.
    start, end = take.parts[0].notes.start, take.parts[0].notes.end
    for sight in ((1900, 2500), (0, 100), (7500, 9000)):
        told = views.changes.changes(take, made, sight)["moved"]
        seen = [(start + by < sight[1]) & (end + by > sight[0]) for by in (0, 1000)]
        near = [note for note in range(1, 8) if seen[0][note] or seen[1][note]]
        assert [note for one in told for first, last in one["notes"] for note in range(first, last + 1)] == near
        assert [tick for one in told for tick in one["start"]] == [start[note] + 1000 for note in near]


def test_changes_are_runs_of_ids_with_a_value_each() -> None:
    stroke = parse_stroke({"kind": "velocity.nudge", "by": 5})
    assert views.changes.changes(TAKE, stroke.apply(TAKE)) == {
        "notes": [(0, 1), (3, 3)], "velocity": [15, 25, 69], "lanes": [], "added": [], "moved": [], "others": [],
    }  # fmt: skip
    # A hand is told of what it sees.
    seen = views.changes.changes(TAKE, stroke.apply(TAKE), (480, 961))
    assert (seen["notes"], seen["velocity"]) == ([(1, 1)], [25])
    assert views.changes.changes(TAKE, TAKE) == {
        "notes": [], "velocity": [], "lanes": [], "added": [], "moved": [], "others": [],
    }  # fmt: skip


def test_facts_of_a_selection() -> None:
    facts = views.facts.facts(TAKE, Where.model_validate({"parts": [0]}))
    assert {name: facts[name] for name in ("count", "lowest", "mean", "highest", "dynamic", "at_end")} == {
        "count": 3, "lowest": 10, "mean": 52.3, "highest": 127, "dynamic": "p", "at_end": 1,
    }  # fmt: skip
    assert [bin_ for bin_, notes in enumerate(facts["spread"]) if notes] == [1, 2, 15]
    with pytest.raises(NothingMatched):
        views.facts.facts(TAKE, Where.model_validate({"notes": [[90, 99]]}))


def test_a_mark_tells_place_line_and_parts() -> None:
    take = read(the_keepers_log())
    stroke = parse_stroke(
        {"kind": "velocity.hairpin", "start": 40, "end": 112, "where": {"parts": [0], "span": [8 * 3840, 12 * 3840]}}
    )
    mark = views.strokes.mark(take, stroke)
    assert (mark["place"], mark["label"], mark["parts"]) == ("bars 9–12", "Hairpin 40 → 112", [0])
    assert mark["line"] == [(8 * 3840, 40.0), (12 * 3840, 112.0)]


def test_history_tells_of_idle_and_undone_strokes() -> None:
    idle = parse_stroke({"kind": "velocity.set", "value": 5, "where": {"notes": [[50, 60]]}})
    history = History().add(idle).add(parse_stroke({"kind": "velocity.nudge", "by": -3})).undo()
    shown = views.strokes.history(Shaped.of(TAKE, history))
    assert "There is no note 50" in (shown["strokes"][0]["idle"] or "")
    assert shown["undone"] == [{"label": "Nudge by −3", "step": 2}]
    assert (shown["can_undo"], shown["can_redo"]) == (1, 1)


def test_a_summary_draws_every_part_small() -> None:
    summary = views.library.summary(read(the_stair()))
    assert {cell[3] for cell in summary["sketch"]} == {0, 1, 2, 3}
    assert all(0 <= column < 96 and 0 <= row < 16 and width > 0 for column, row, width, _ in summary["sketch"])
    assert views.library.summary(read(file_of([])))["sketch"] == []


def test_patches_suit_the_parts() -> None:
    assert [views.looks.patch(part) for part in read(the_stair()).parts] == [
        "bowed glass", "reed box", "frame drum", "thumb piano",
    ]  # fmt: skip


def decoded(messages: Stream) -> list[mido.Message]:
    return list(mido.parse_all(message_bytes(messages)))


def test_what_is_heard_is_what_is_shaped() -> None:
    shaped = parse_stroke({"kind": "velocity.set", "value": 99}).apply(TAKE)
    heard = decoded(stream(shaped))
    assert {message.velocity for message in heard if message.type == "note_on"} == {99}
    assert len(heard) == 8


@pytest.mark.parametrize("seed", range(6))
def test_playing_begun_inside_held_notes_strikes_what_sounds_there(seed: int) -> None:
    """Judged by the receiver: the notes that it hears sounding at a moment, pedals counted in, and no others."""
    data = performance(notes=120, pedals=60, seed=seed)
    take, heard = read(data), receive(data)
    dice = random.Random(seed)
    for _ in range(20):
        at = dice.uniform(0, take.seconds)
        wanted = {
            (note.part, note.pitch)
            for note in heard.notes
            if heard.seconds(note.start) < at < heard.seconds(note.end) - 1e-9
        }
        struck = held_at(take, at)
        ons = (struck.status & 0xF0) == 0x90
        assert set(zip(struck.part[ons].tolist(), struck.data1[ons].tolist(), strict=True)) == wanted
        # Of those that only the pedal holds the key is up again at once.
        only_pedal = {
            (note.part, note.pitch)
            for note in heard.notes
            if heard.seconds(note.key_up) <= at < heard.seconds(note.end) - 1e-9 and heard.seconds(note.start) < at
        }
        assert set(zip(struck.part[~ons].tolist(), struck.data1[~ons].tolist(), strict=True)) <= only_pedal


def test_what_is_held_comes_behind_what_is_in_force_and_before_what_follows() -> None:
    track = [
        NOTE("control_change", control=64, value=127),
        NOTE("note_on", note=50, velocity=80),
        NOTE("note_off", note=50, time=240),
        NOTE("note_on", note=60, velocity=70),
        NOTE("note_on", note=70, velocity=60, time=480),
        NOTE("note_off", note=60, time=480),
    ]
    take = read(file_of(track))
    heard = decoded(listen(stream(take), 0.5, 1.5, chase=True, held=held_at(take, 0.5)))
    assert [(one.type, one.dict().get("note", one.dict().get("control"))) for one in heard] == [
        ("control_change", 64), ("note_on", 50), ("note_off", 50), ("note_on", 60), ("note_on", 70), ("note_off", 60),
    ]  # fmt: skip
    assert [one.velocity for one in heard if one.type == "note_on"] == [80, 70, 60]
    muted = replace(take, parts=tuple(replace(p, notes=replace(p.notes, muted=~p.notes.muted)) for p in take.parts))
    assert len(held_at(muted, 0.5).part) == 0


def test_starting_in_the_middle_sends_what_is_in_force_there() -> None:
    track = [
        NOTE("program_change", program=5),
        NOTE("control_change", control=101, value=0),
        NOTE("control_change", control=100, value=0),
        NOTE("control_change", control=6, value=12),
        NOTE("control_change", control=11, value=30),
        NOTE("control_change", control=11, value=80, time=100),
        NOTE("control_change", control=123, value=0),
        NOTE("pitchwheel", pitch=100),
        NOTE("pitchwheel", pitch=-5, time=10),
        NOTE("note_on", note=60, velocity=64, time=480),
        NOTE("note_off", note=60, time=480),
        NOTE("control_change", control=11, value=1),
    ]
    messages = stream(read(file_of(track)))
    chased = listen(messages, 0.5, 0.7, chase=True)
    assert [str(message) for message in decoded(chased)][:6] == [
        "program_change channel=0 program=5 time=0",
        "control_change channel=0 control=101 value=0 time=0",
        "control_change channel=0 control=100 value=0 time=0",
        "control_change channel=0 control=6 value=12 time=0",
        "control_change channel=0 control=11 value=80 time=0",
        "pitchwheel channel=0 pitch=-5 time=0",
    ]
    assert (np.diff(chased.seconds) >= 0).all()
    assert len(listen(messages, 0.5, 0.7, chase=False).seconds) == 1


def test_pieces_of_time_join_without_gap_or_double() -> None:
    messages = stream(read(the_stair()))
    edges = np.arange(0, 90, 0.37)
    pieces = [listen(messages, a, b, chase=False) for a, b in itertools.pairwise(edges)]
    assert sum(len(piece.seconds) for piece in pieces) == len(messages.seconds)


def test_messages_of_parts_on_one_channel_are_kept_apart() -> None:
    messages = stream(read(file_of(phrase([64]), phrase([65]))))
    assert sorted(set(messages.part.tolist())) == [0, 1]


@pytest.mark.parametrize("seed", range(8))
def test_what_is_heard_of_a_span_does_not_need_what_comes_after(seed: int) -> None:
    dice = np.random.default_rng([seed, 1201])
    take = read(recording(dice))
    whole = stream(take)
    last = float(whole.seconds.max(initial=1.0))
    for start, end in ((0.0, last / 3), (last / 3, last / 2), (last / 2, last + 1)):
        known = stream(take, int(take.tempo.tick(end)) + 2)
        for chase in (False, True):
            one, other = (listen(told, start, end, chase) for told in (whole, known))
            for mine, theirs in zip(one, other, strict=True):
                np.testing.assert_array_equal(mine, theirs)


def test_channels_of_one_track_are_heard_in_its_order() -> None:
    track = mido.MidiTrack()
    for step in range(40):
        track.append(NOTE("note_on", note=40 + step, velocity=9, channel=step % 5, time=0 if step % 3 else 10))
        track.append(NOTE("control_change", control=1, value=step, channel=(step + 2) % 5))
    heard = mido.parse_all(message_bytes(stream(read(file_of(track)))))
    assert [one.copy(time=0) for one in track] == heard
