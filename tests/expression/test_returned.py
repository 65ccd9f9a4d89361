"""A file that was changed elsewhere comes back: what differs is one stroke, which can be taken in part."""

import io
from collections.abc import Callable

import mido
import numpy as np
import pytest
import symusic

from demo.fog_signal import the_keepers_log
from expression.errors import NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.returned import returned
from expression.strokes.back import TakeBack
from expression.take import Take
from tests.expression.test_excerpt import notes_of
from tests.expression.test_rules import shaped, take_of

LOG = read(the_keepers_log())
DRAWN = shaped(
    shaped(LOG, "lane.ramp", lane="cc:11", start=20, end=120, where={"parts": [1], "span": [0, 30 * LOG.resolution]}),
    "velocity.hairpin",
    start=30,
    end=100,
    where={"parts": [0], "span": [0, 20 * LOG.resolution]},
)


def elsewhere(take: Take, change: Callable[[mido.MidiFile], object]) -> bytes:
    """The take's file, opened in another library, changed, and saved by it."""
    file = mido.MidiFile(file=io.BytesIO(write(take)))
    change(file)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def struck(file: mido.MidiFile, channel: int) -> list[mido.Message]:
    return [m for track in file.tracks for m in track if m.type == "note_on" and m.velocity and m.channel == channel]


def test_what_was_only_saved_again_is_nothing_else() -> None:
    for take in (LOG, DRAWN):
        with pytest.raises(NothingMatched, match="Nothing in this file is otherwise"):
            returned(take, elsewhere(take, lambda file: None))


def test_velocities_that_were_changed_there_are_those_of_the_take_now() -> None:
    channel = DRAWN.parts[0].channel.number

    def louder(file: mido.MidiFile) -> None:
        for message in struck(file, channel)[10:20]:
            message.velocity = 111

    data = elsewhere(DRAWN, louder)
    back = returned(DRAWN, data)
    assert (len(back.notes), len(back.lanes)) == (1, 0)
    assert len(back.notes[0].changed) in (9, 10)
    made = applied(back, DRAWN)
    assert notes_of(write(made)) == notes_of(data)


def test_notes_that_were_moved_taken_away_and_put_in_are_so_in_the_take() -> None:
    def edit(file: mido.MidiFile) -> None:
        track = next(track for track in file.tracks if any(m.type == "note_on" for m in track))
        first = next(row for row, m in enumerate(track) if m.type == "note_on" and m.velocity)
        gone = track[first].note, track[first].channel
        later = next(m for m in track[first + 1 :] if m.type in ("note_on", "note_off") and m.note == gone[0])
        for message in (track[first], later):
            row = track.index(message)
            track[row + 1].time += message.time
            del track[row]
        # One more, of a quarter, before all others.
        row = next(row for row, message in enumerate(track) if message.time >= file.ticks_per_beat)
        track[row].time -= file.ticks_per_beat
        track.insert(row, mido.Message("note_on", note=99, velocity=77, channel=gone[1], time=0))
        track.insert(row + 1, mido.Message("note_off", note=99, channel=gone[1], time=file.ticks_per_beat))

    take = take_of(*((4 + step, 0.5, 60 + step % 9, 80) for step in range(24)))
    data = elsewhere(take, edit)
    back = returned(take, data)
    [part] = back.notes
    assert (len(part.gone), len(part.new)) == (1, 1)
    assert notes_of(write(applied(back, take))) == notes_of(data)


def test_a_lane_that_was_changed_there_is_so_over_these_bars_alone() -> None:
    channel = DRAWN.parts[1].channel.number

    def flatter(file: mido.MidiFile) -> None:
        for track in file.tracks:
            now = 0
            for message in track:
                now += message.time
                is_mine = message.type == "control_change" and message.control == 11 and message.channel == channel
                if is_mine and 8 <= now / file.ticks_per_beat < 16:
                    message.value = 64

    data = elsewhere(DRAWN, flatter)
    back = returned(DRAWN, data)
    assert not back.notes
    made = applied(back, DRAWN).parts[1].lanes["cc:11"].curve
    inside = np.arange(9, 15, 0.25) * DRAWN.resolution
    # Where it came through there anyway it is as it was.
    assert made.at(inside) == pytest.approx(64, abs=0.5)
    outside = np.concatenate((np.arange(0, 8, 0.25), np.arange(16.5, 30, 0.25))) * DRAWN.resolution
    assert made.at(outside) == pytest.approx(DRAWN.parts[1].lanes["cc:11"].curve.at(outside), abs=1)


def changed() -> tuple[bytes, TakeBack]:
    def edit(file: mido.MidiFile) -> None:
        for track in file.tracks:
            for message in track:
                if message.type == "note_on" and message.velocity:
                    message.velocity = max(message.velocity - 20, 1)
                if message.type == "control_change" and message.control == 11:
                    message.value = 30

    data = elsewhere(DRAWN, edit)
    return data, returned(DRAWN, data)


def test_it_is_taken_in_part() -> None:
    data, back = changed()
    assert notes_of(write(applied(back, DRAWN))) == notes_of(data)
    no_lanes = applied(back.model_copy(update={"leave": ("cc:11",)}), DRAWN)
    assert no_lanes.parts[1].lanes["cc:11"].curve is DRAWN.parts[1].lanes["cc:11"].curve
    no_notes = applied(back.model_copy(update={"leave": ("notes",)}), DRAWN)
    assert no_notes.parts[0].notes.velocity.tolist() == DRAWN.parts[0].notes.velocity.tolist()
    span = [8 * DRAWN.resolution, 12 * DRAWN.resolution]
    some = applied(TakeBack.model_validate(back.model_dump() | {"where": {"span": span}}), DRAWN).parts[0].notes
    differs = some.velocity != DRAWN.parts[0].notes.velocity
    inside = (some.start >= span[0]) & (some.start < span[1])
    assert (differs[~inside] == 0).all()
    assert differs[inside].mean() > 0.9
    with pytest.raises(NothingMatched, match="nothing is taken"):
        applied(back.model_copy(update={"leave": ("notes", "cc:11")}), DRAWN)


def test_parts_on_other_channels_in_another_order_are_found_by_their_music() -> None:
    def turned(file: mido.MidiFile) -> None:
        file.tracks[1:] = file.tracks[:0:-1]
        for track in file.tracks:
            for message in track:
                if hasattr(message, "channel") and message.channel != 9:
                    message.channel = (message.channel + 3) % 9
                if message.type == "track_name":
                    message.name = "Renamed"

    with pytest.raises(NothingMatched, match="Nothing in this file is otherwise"):
        returned(DRAWN, elsewhere(DRAWN, turned))


def test_what_another_library_writes_anew_is_no_other_music() -> None:
    again = symusic.Score.from_midi(write(DRAWN)).dumps_midi()  # type: ignore[attr-defined]
    try:
        back = returned(DRAWN, again)
    except NothingMatched as nothing:
        assert "otherwise" in str(nothing)
    else:
        assert not back.notes


def test_another_resolution_is_no_difference() -> None:
    take = take_of(*((step * 0.37, 0.3, 60 + step % 9, 80) for step in range(40)))

    def finer(file: mido.MidiFile) -> None:
        file.ticks_per_beat *= 3
        for track in file.tracks:
            for message in track:
                message.time *= 3

    with pytest.raises(NothingMatched, match="Nothing in this file is otherwise"):
        returned(take, elsewhere(take, finer))


def test_other_music_is_refused() -> None:
    with pytest.raises(NothingMatched, match="This is other music"):
        returned(take_of(*((step, 1, 30 + step % 5, 80) for step in range(40))), the_keepers_log())
