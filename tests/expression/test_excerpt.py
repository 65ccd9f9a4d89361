"""Some of a take as a file, read again by another library."""

import io
from typing import Any

import mido
import numpy as np
import pytest

from demo.fog_signal import the_keepers_log
from expression.errors import NothingMatched
from expression.midi.excerpt import Asked, excerpt
from expression.midi.files import file_name, saved
from expression.midi.read import read
from expression.midi.write import write
from tests.expression.test_rules import shaped
from tests.files import file_of


def opened(data: bytes) -> mido.MidiFile:
    return mido.MidiFile(file=io.BytesIO(data))


def notes_of(data: bytes) -> list[tuple[float, float, int, int, int]]:
    """Start and end in quarters, channel, key and velocity."""
    found, file = [], opened(data)
    for track in file.tracks:
        now = 0
        down: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for message in track:
            now += message.time
            if message.type == "note_on" and message.velocity:
                down.setdefault((message.channel, message.note), []).append((now, message.velocity))
            elif message.type in ("note_on", "note_off") and down.get((message.channel, message.note)):
                start, velocity = down[message.channel, message.note].pop(0)
                quarters = (start / file.ticks_per_beat, now / file.ticks_per_beat)
                found.append((*quarters, message.channel, message.note, velocity))
        assert not any(down.values())
    return sorted(found)


def test_all_of_it_is_the_file_as_it_is_written() -> None:
    for source in (the_keepers_log(),):
        take = read(source)
        assert excerpt(take, Asked()) == write(take)


def test_one_track_holds_what_all_hold_at_the_same_times() -> None:
    take = read(the_keepers_log())
    one = excerpt(take, Asked(format=0))
    file = opened(one)
    assert (file.type, len(file.tracks)) == (0, 1)
    assert notes_of(one) == notes_of(write(take))
    assert file.length == pytest.approx(opened(write(take)).length)
    assert sum(message.type == "end_of_track" for message in file.tracks[0]) == 1


def test_of_some_parts_nothing_else_is_said() -> None:
    take = read(the_keepers_log())
    for part in take.parts:
        some = excerpt(take, Asked(parts=(part.id,)))
        channels = {m.channel for track in opened(some).tracks for m in track if hasattr(m, "channel")}
        assert channels == {part.channel.number}
        assert len(notes_of(some)) == len(part.notes)
        assert opened(some).length <= opened(write(take)).length + 1e-6
    two = {m.tempo for track in opened(excerpt(take, Asked(parts=(1,)))).tracks for m in track if m.type == "set_tempo"}
    assert two == {m.tempo for track in opened(write(take)).tracks for m in track if m.type == "set_tempo"}
    with pytest.raises(NothingMatched, match="no part 9"):
        excerpt(take, Asked(parts=(9,)))


def some(**fields: Any) -> mido.Message:
    return mido.Message(fields.pop("type"), **fields)


def scene() -> bytes:
    """A program, a range of 12, a pedal, a bend and expression before bar 2; notes over both its edges."""
    control = [(101, 0), (100, 0), (6, 12), (101, 127), (100, 127), (64, 127), (11, 40), (11, 90), (1, 5)]
    track = [some(type="program_change", program=7)]
    track += [some(type="control_change", control=number, value=value) for number, value in control]
    track += [
        some(type="pitchwheel", pitch=4096),
        some(type="note_on", note=50, velocity=70),
        some(type="note_on", note=60, velocity=80, time=4 * 480),
        some(type="note_off", note=50, time=240),
        some(type="note_off", note=60, time=240),
        some(type="control_change", control=64, value=0, time=480),
        some(type="note_on", note=62, velocity=90),
        some(type="note_off", note=62, time=8 * 480),
        some(type="note_on", note=64, velocity=90),
        some(type="note_off", note=64, time=480),
    ]
    return file_of(track, ticks=480)


def test_bars_begin_with_what_is_in_force_there() -> None:
    take = read(scene())
    bar = 4 * take.resolution
    data = excerpt(take, Asked(span=(bar, 2 * bar)))
    assert notes_of(data) == [(0, 1, 0, 60, 80), (2, 4, 0, 62, 90)]
    said = [message for message in opened(data).tracks[-1] if not message.is_meta]
    before = said[: next(i for i, m in enumerate(said) if m.type == "note_on")]
    controls = [(m.control, m.value) for m in before if m.type == "control_change"]
    assert controls == [(101, 0), (100, 0), (6, 12), (101, 127), (100, 127), (64, 127), (11, 90), (1, 5)]
    assert [m.program for m in before if m.type == "program_change"] == [7]
    assert [m.pitch for m in before if m.type == "pitchwheel"] == [4096]
    assert opened(data).length == pytest.approx(2.0)
    # What is drawn is cut with it, and a note's end is the bars'.
    again = read(data).parts[0]
    assert again.lanes["bend"].curve.at(np.array([5])) == pytest.approx([6.0], abs=0.01)
    with pytest.raises(NothingMatched, match="No note begins in these bars"):
        excerpt(take, Asked(span=(20 * bar, 21 * bar)))


def test_bars_of_a_shaped_take_are_those_of_its_file() -> None:
    take = shaped(read(the_keepers_log()), "velocity.hairpin", start=20, end=110, where={"parts": [0]})
    whole, bar = notes_of(write(take)), 4.0
    for first in (0, 3, 9):
        span = (int(first * bar * take.resolution), int((first + 3) * bar * take.resolution))
        low, high = first * bar, (first + 3) * bar
        wanted = [(s - low, min(e, high) - low, *rest) for s, e, *rest in whole if low <= s < high]
        found = notes_of(excerpt(take, Asked(span=span)))
        assert np.array(found) == pytest.approx(np.array(sorted(wanted)), abs=1e-6)


def test_several_ports_are_no_one_track() -> None:
    track = [some(type="note_on", note=60, velocity=80), some(type="note_off", note=60, time=480)]
    port = [mido.MetaMessage("midi_port", port=1), *track]
    take = read(file_of([mido.MetaMessage("midi_port", port=0), *track], port, ticks=480))
    with pytest.raises(NothingMatched, match="go to 2 ports"):
        excerpt(take, Asked(format=0))


def test_files_are_named_so_that_no_two_forms_can_be_mistaken() -> None:
    take = read(the_keepers_log())
    bar = 4 * take.resolution
    names = [
        file_name(take, "Log"),
        file_name(take, "Log", "mpe"),
        file_name(take, "Log", "plain"),
        file_name(take, "Log", "clip"),
        file_name(take, "Log", cues=False),
        file_name(take, "Log", tolerance=2),
        file_name(take, "Log", asked=Asked(parts=(1,))),
        file_name(take, "Log", asked=Asked(span=(bar, 3 * bar))),
        file_name(take, "Log", asked=Asked(format=0)),
    ]
    assert len(set(names)) == len(names)
    assert names[:4] == ["Log.mid", "Log, MPE.mid", "Log, plain.mid", "Log.midi2"]
    assert names[7] == "Log, bars 2 to 3.mid"
    with pytest.raises(NothingMatched, match="all bars in one sequence"):
        saved(take, "clip", asked=Asked(format=0))
