"""Files that would take guessing are refused with one sentence; nothing else ever comes out of the reader."""

import contextlib
import struct

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from expression.errors import BadFile
from expression.midi.read import read
from expression.midi.rescue import rescued
from expression.midi.write import write
from tests.files import END, file_of, phrase, raw

NOTES = b"\x00\x90\x3c\x40\x60\x3c\x00"
WHOLE = raw(NOTES + END)
DAMAGED = {
    "empty": (b"", "The file is empty"),
    "text": (b"Dear harbour master,", "not a Standard MIDI File"),
    "header cut": (WHOLE[:10], "cut short within its header"),
    "header too short": (b"MThd\x00\x00\x00\x04" + WHOLE[8:], "header is 4 bytes long"),
    "truncated": (WHOLE[:-6], "cut short: track 1 says it is 11 bytes long, but 5 are there"),
    "claimed length": (WHOLE[:14] + b"MTrk\xff\xff\xff\xff" + NOTES, "4,294,967,295 bytes long"),
    "data byte over 127": (raw(b"\x00\x90\x3c\x80" + END), "a data byte is over 127"),
    "event cut off": (raw(b"\x00\x90\x3c"), "its last event is cut off"),
    "meta too long": (raw(b"\x00\xff\x01\x7fshort"), "an event says it is 127 bytes long"),
    "exclusive too long": (raw(b"\x00\xf0\xff\xff\xff\x7f\x01"), "past the track's end"),
    "no status": (raw(b"\x00\x3c\x40" + END), "begins with a data byte"),
    "no message": (raw(b"\x00\xf4" + END), "0xf4 is not a message"),
    "endless time": (raw(b"\x80\x80\x80\x80\x01\x90\x3c\x40" + END), "longer than four bytes"),
    "type 2": (raw(NOTES + END, format_=2), "type 2"),
    "type 9": (raw(NOTES + END, format_=9), "calls itself type 9"),
    "SMPTE": (raw(NOTES + END, division=0xE728), "SMPTE frames"),
    "no division": (raw(NOTES + END, division=0), "0 ticks per quarter note"),
    "200 tracks": (raw(*[NOTES + END] * 200), "has 200 tracks; Lull reads up to 128"),
    "200 tracks untold": (raw(*[END] * 200, count=1), "tracks; Lull reads up to 128"),
    "no tracks": (raw(), "holds no tracks"),
    "33 MiB": (WHOLE + bytes(33 * 2**20), "34 MiB; Lull reads up to 32 MiB"),
}


@pytest.mark.parametrize("name", DAMAGED)
def test_one_sentence_says_what_is_wrong(name: str) -> None:
    data, told = DAMAGED[name]
    with pytest.raises(BadFile) as refused:
        read(data)
    assert told in str(refused.value)
    assert str(refused.value).endswith(".")
    assert "\n" not in str(refused.value)


def test_too_many_events_are_refused_before_memory_runs_out() -> None:
    with pytest.raises(BadFile, match="more than 100 events"):
        read(raw(b"\x00\x90\x3c\x40" + b"\x00\x3c\x40" * 200 + END), most=100)


GOOD = file_of(phrase([60, 70, 80]), phrase([50, 40], channel=9))


@settings(max_examples=300)
@given(st.data())
def test_any_damage_is_either_read_or_refused(data: st.DataObject) -> None:
    broken = bytearray(GOOD)
    for _ in range(data.draw(st.integers(1, 4))):
        broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
    del broken[data.draw(st.integers(8, len(broken))) :]
    try:
        take = read(bytes(broken))
    except BadFile:
        return
    assert read(write(take)).note_count == take.note_count


@settings(max_examples=200)
@given(st.binary(max_size=200))
def test_any_track_body_is_either_read_or_refused(body: bytes) -> None:
    with contextlib.suppress(BadFile):
        read(b"MThd" + struct.pack(">IHHH", 6, 1, 1, 96) + b"MTrk" + struct.pack(">I", len(body)) + body)


def test_what_can_be_read_of_a_damaged_file_is_all_before_the_damage() -> None:
    whole = read(GOOD)
    for cut in range(len(GOOD) - 1, 20, -1):
        try:
            found = rescued(GOOD[:cut])
        except BadFile:
            continue
        assert found.lost
        made = read(found.data)
        # Every note that is there was there, at its place.
        for part in made.parts:
            theirs = next(one for one in whole.parts if one.channel.number == part.channel.number)
            ended = part.notes.end > part.notes.start
            told = set(zip(part.notes.start[ended].tolist(), part.notes.pitch[ended].tolist(), strict=True))
            assert told <= set(zip(theirs.notes.start.tolist(), theirs.notes.pitch.tolist(), strict=True))
    assert len(read(rescued(GOOD[:-6]).data).parts[0].notes) == 3


def test_what_lies_behind_a_damaged_track_is_read_whole() -> None:
    data = bytearray(raw(NOTES + END, NOTES + END))
    data[24] = 0x90  # A data byte of the first track.
    found = rescued(bytes(data))
    assert len(found.lost) == 1
    assert "Track 1 is damaged at its byte" in found.lost[0]
    assert "are lost" in found.lost[0]
    assert write(read(found.data))


@pytest.mark.parametrize("name", ["empty", "text", "header cut", "type 2", "SMPTE", "no tracks", "no status", "33 MiB"])
def test_of_some_files_nothing_can_be_read(name: str) -> None:
    with pytest.raises(BadFile) as refused:
        rescued(DAMAGED[name][0])
    assert str(refused.value).endswith(".")
