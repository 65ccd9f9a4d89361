"""Reading loses nothing, and writing an untouched take gives the same events at the same ticks in the same order."""

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.fog_signal import TAKES
from expression import limits
from expression.midi.read import read
from expression.midi.write import write
from tests.files import END, NOTE, events, file_of, phrase, raw

bytes7 = st.integers(0, 127)
channels = st.integers(0, 15)
channel_messages = st.one_of(
    st.builds(lambda c, n, v: NOTE("note_on", channel=c, note=n, velocity=v), channels, st.integers(58, 62), bytes7),
    st.builds(lambda c, n, v: NOTE("note_off", channel=c, note=n, velocity=v), channels, st.integers(58, 62), bytes7),
    st.builds(lambda c, n, v: NOTE("control_change", channel=c, control=n, value=v), channels, bytes7, bytes7),
    st.builds(lambda c, n, v: NOTE("polytouch", channel=c, note=n, value=v), channels, bytes7, bytes7),
    st.builds(lambda c, v: NOTE("aftertouch", channel=c, value=v), channels, bytes7),
    st.builds(lambda c, v: NOTE("program_change", channel=c, program=v), channels, bytes7),
    st.builds(lambda c, v: NOTE("pitchwheel", channel=c, pitch=v), channels, st.integers(-8192, 8191)),
)
other_messages = st.one_of(
    st.builds(lambda data: NOTE("sysex", data=data), st.lists(bytes7, max_size=6)),
    st.builds(lambda text: mido.MetaMessage("text", text=text), st.text(st.characters(max_codepoint=255), max_size=8)),
    st.builds(lambda tempo: mido.MetaMessage("set_tempo", tempo=tempo), st.integers(1, 2**24 - 1)),
    st.builds(lambda top: mido.MetaMessage("time_signature", numerator=top), st.integers(1, 12)),
    st.builds(lambda kind, data: mido.UnknownMetaMessage(kind, data=data), st.just(0x60), st.lists(bytes7, max_size=4)),
)
tracks = st.lists(
    st.builds(lambda m, t: m.copy(time=t), st.one_of(channel_messages, other_messages), st.integers(0, 5000)),
    max_size=40,
)


@settings(max_examples=150)
@given(st.lists(tracks, min_size=1, max_size=4), st.sampled_from([24, 96, 480, 960, 1000, 32767]))
def test_an_untouched_take_is_written_as_it_was_read(made: list[list[mido.Message]], ticks: int) -> None:
    data = file_of(*made, ticks=ticks)
    take = read(data)
    assert events(write(take)) == events(data)
    assert take.resolution >= 960
    assert take.resolution % ticks == 0


@settings(max_examples=100)
@given(tracks)
def test_every_channel_event_has_one_place_in_the_model(made: list[mido.Message]) -> None:
    take = read(file_of(made))
    track = take.tracks[0]
    held = [
        row
        for part in take.parts
        for rows in (part.notes.on, part.notes.off, part.loose, *(lane.origin for lane in part.lanes.values()))
        for row in rows.tolist()
    ]
    assert sorted(held) == np.flatnonzero(track.status < 0xF0).tolist()


@pytest.mark.parametrize("name", TAKES)
def test_the_demo_takes_come_back_event_for_event(name: str) -> None:
    data = TAKES[name]()
    assert events(write(read(data))) == events(data)
    assert not read(data).remarks


def test_type_0_is_split_into_parts_by_channel_and_written_as_type_0() -> None:
    data = file_of(phrase([60]) + phrase([70], channel=3), type_=0)
    take = read(data)
    assert [(part.track, part.channel.number) for part in take.parts] == [(0, 0), (0, 3)]
    assert write(take)[8:10] == b"\x00\x00"


def test_note_ids_count_through_the_take_part_after_part() -> None:
    take = read(file_of(phrase([60, 61, 62]), phrase([70, 71], channel=1)))
    assert [part.notes.id.tolist() for part in take.parts] == [[0, 1, 2], [3, 4]]


def test_a_note_on_of_velocity_0_ends_a_note_and_stays_one() -> None:
    track = [NOTE("note_on", note=60, velocity=50), NOTE("note_on", note=60, velocity=0, time=100)]
    data = file_of(track)
    take = read(data)
    assert take.parts[0].notes.end.tolist() == [200]
    assert events(write(take)) == events(data)


def test_a_note_struck_again_while_it_sounds_is_another_note() -> None:
    track = [
        NOTE("note_on", note=60, velocity=50),
        NOTE("note_on", note=60, velocity=51, time=10),
        NOTE("note_off", note=60, time=10),
        NOTE("note_off", note=60, time=10),
    ]
    notes = read(file_of(track, ticks=960)).parts[0].notes
    assert list(zip(notes.start.tolist(), notes.end.tolist(), strict=True)) == [(0, 20), (10, 30)]


def test_unpaired_notes_are_told_and_kept_as_loose_events() -> None:
    data = file_of([NOTE("note_on", note=60, velocity=50), NOTE("note_off", note=61, time=10)])
    take = read(data)
    assert len(take.parts[0].notes) == 0
    assert take.parts[0].loose.tolist() == [0, 1]
    assert "2 notes have no end or no start" in take.remarks[0]
    assert events(write(take)) == events(data)


def test_bend_is_read_in_semitones_by_the_range_in_force() -> None:
    def range_of(semitones: int) -> list[mido.Message]:
        pairs = ((101, 0), (100, 0), (6, semitones), (38, 0))
        return [NOTE("control_change", control=number, value=value) for number, value in pairs]

    full = NOTE("pitchwheel", pitch=8191)
    part = read(file_of([full, *range_of(12), full, *range_of(24), NOTE("pitchwheel", pitch=-8192)])).parts[0]
    assert part.lanes["bend"].curve.values == pytest.approx(
        # The wheel is held up while the range grows under it: what is heard goes with it.
        [share * 8191 / 8192 for share in (2, 12, 12, 24)] + [-24]
    )
    assert set(part.lanes) == {"bend"}


def test_a_range_set_later_is_listed_with_its_tick() -> None:
    pairs = ((101, 0, 0), (100, 0, 0), (6, 7, 480), (38, 50, 0))
    track = [NOTE("control_change", control=number, value=value, time=time) for number, value, time in pairs]
    bend_range = read(file_of(track)).parts[0].bend_range
    assert bend_range.ticks.tolist() == [0, 960]
    assert bend_range.semitones.tolist() == [2, 7.5]


def test_an_nrpn_does_not_set_the_bend_range() -> None:
    pairs = ((101, 0), (100, 0), (99, 1), (98, 8), (6, 64))
    track = [NOTE("control_change", control=number, value=value) for number, value in pairs]
    assert read(file_of(track)).parts[0].bend_range.semitones.tolist() == [2]


def test_meta_events_of_unusual_length_and_split_exclusives_survive() -> None:
    body = (
        b"\x00\xff\x51\x02\x07\xa1"  # a tempo of two bytes
        b"\x00\xff\x59\x01\x00"  # a key signature of one byte
        b"\x00\xff\x00\x00"  # a sequence number of none
        b"\x00\xf0\x03\x7e\x7f\x09"  # an exclusive that goes on ...
        b"\x10\xf7\x02\x01\xf7"  # ... later
        b"\x00\xf7\x01\xf8"  # an escaped real-time byte
        b"\x00\x90\x3c\x40\x60\x80\x3c\x00"
    ) + END
    data = raw(body)
    take = read(data)
    assert write(take) == data
    assert take.remarks == ("A tempo that makes no sense was kept but is not followed.",)


def test_running_status_is_read() -> None:
    take = read(raw(b"\x00\x90\x3c\x40\x60\x3c\x00\x00\x3e\x41\x60\x3e\x00" + END))
    assert take.parts[0].notes.velocity.tolist() == [0x40, 0x41]


@pytest.mark.parametrize(
    ("data", "remark"),
    [
        (raw(b"\x00\x90\x3c\x40\x60\x3c\x00"), "no end mark"),
        (raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END + b"\x00\xb0\x01\x01"), "goes on after its end mark"),
        (raw(b"\x00\x90\x3c\x40\x00\xff\x01\x00\x60\x3c\x00" + END), "leaves out a message's kind"),
        (raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END, count=3), "3 tracks; 1 are there"),
        (raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END) + b"\x00\x00", "2 bytes after the last track"),
        (raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END) + b"XFIH\x00\x00\x00\x01z", "unknown kind (XFIH)"),
        (raw(b"\x00\xff\x58\x04\x00\x02\x18\x08\x00\x90\x3c\x40\x60\x3c\x00" + END), "time signature that makes"),
    ],
)
def test_small_faults_are_read_with_a_remark(data: bytes, remark: str) -> None:
    take = read(data)
    assert remark in " ".join(take.remarks)
    assert take.note_count == 1
    assert read(write(take)).parts[0].notes.velocity.tolist() == [0x40]


def test_names_are_text_however_strange() -> None:
    odd = b"a\x00b\x1b\n  "
    take = read(raw(b"\x00\xff\x03" + bytes([len(odd)]) + odd + b"\x00\x90\x3c\x40\x60\x3c\x00" + END))
    assert take.parts[0].name == "a b"


def test_the_limits_are_the_documented_ones() -> None:
    assert limits.MOST_FILE_BYTES == 32 * 2**20
    many = raw(*[END] * limits.MOST_TRACKS)
    assert len(read(many).tracks) == 128
