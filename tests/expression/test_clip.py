"""MIDI 2.0 clip files: their bytes by hand from the standards (M2-104, M2-116), and there and back."""

import random
import struct

import mido
import numpy as np
import pytest

from expression.errors import BadFile
from expression.history import applied
from expression.midi.clip_read import read_clip
from expression.midi.clip_write import write_clip
from expression.midi.read import read
from expression.midi.ump import HEADER, MESSAGES, WORDS, narrowed, packed, unpacked, widened
from expression.strokes import parse_stroke
from expression.take import Take
from tests.expression.test_zones import UP, made, polyphony, two_notes
from tests.files import file_of

M = mido.Message


def words(data: bytes) -> list[int]:
    return list(struct.unpack(f">{len(data) // 4}I", data))


def test_a_clip_byte_for_byte() -> None:
    take = made(
        read(file_of([M("note_on", note=60, velocity=100, time=480), M("note_off", note=60, velocity=0, time=240)])),
        {**UP, "where": {}},
    )
    data = write_clip(take)
    assert data[:8] == b"SMF2CLIP"
    half, top = 0x8000, 0xFFFF
    velocity = half + round((100 - 64) / 63 * (top - half))
    assert words(data[8:]) == [
        0x00400000, 0x003003C0,                       # a delta clockstamp of 0; 960 ticks a quarter note
        0x00400000, 0xF0200000, 0, 0, 0,              # the sequence starts
        0x00400000, 0xD0000103, *words(b"Track 1".ljust(12, b"\0")),   # what its channel is called
        0x00400000, 0xD0100000, 50_000_000, 0, 0,     # 500,000 us a quarter, in tens of nanoseconds
        0x00400000, 0xD0100001, 0x04020800, 0, 0,     # 4/4: beats, 2 to the power of 2, 32nds
        0x00400000, 0x40200007, 48 << 25,             # the range of a note's bend: registered 0/7, Q7.25
        0x00400000, 0x40200000, 2 << 25,              # that of the wheel: registered 0/0
        0x004003C0, 0x40603C00, 0x80000000 + 0x80000000 * 12 // 48,
        0x00400000, 0x40903C00, velocity << 16,
        0x004001E0, 0x40803C00, 0,
        0x00400000, 0xF0210000, 0, 0, 0,              # and ends
    ]  # fmt: skip


def test_every_message_is_read_as_what_it_was_written_as() -> None:
    dice = random.Random(4)
    for name, layout in MESSAGES.items():
        fields = {field: dice.getrandbits(place.bits) for field, place in layout.fields.items()}
        packet = packed(name, **fields)
        assert len(packet) == 4 * WORDS[packet[0] >> 4]
        assert unpacked(packet) == (name, fields)


def test_values_keep_their_ends_and_their_middle() -> None:
    for bits in (16, 32):
        assert [widened(value, bits) for value in (0, 64, 127)] == [0, 1 << (bits - 1), (1 << bits) - 1]
        for value in np.linspace(0, 127, 777):
            assert narrowed(widened(float(value), bits), bits) == pytest.approx(value, abs=64 / (1 << (bits - 1)))


def test_whole_values_are_those_that_the_standard_translates_them_to() -> None:
    """7 bits in 16 and 32: up to the middle shifted, above it with the lower 6 bits repeated behind (M2-115, D.1.3)."""
    for value in range(65, 128):
        bits = f"{value:07b}" + f"{value & 0x3F:06b}" * 5
        assert (widened(value, 16), widened(value, 32)) == (int(bits[:16], 2), int(bits[:32], 2))
    assert [widened(value, 16) for value in range(65)] == [value << 9 for value in range(65)]


def test_what_others_say_to_a_note_is_understood() -> None:
    def clip(*said: bytes) -> Take:
        begin = [HEADER, packed("delta"), packed("resolution", ticks=960), packed("delta"), packed("start")]
        return read_clip(b"".join([*begin, *(packed("delta") + one for one in said), packed("delta"), packed("end")]))

    def struck(ticks: int) -> list[bytes]:
        on = packed("note on", key=60, velocity=0x8000)
        return [on, packed("nothing"), packed("delta", ticks=ticks) + packed("note off", key=60)]

    # Its pitch itself, here 61.5; the range of bends changes between two notes; a reset puts all back to rest.
    itself = packed("registered note controller", key=60, index=3, value=int(61.5 * 2**25))
    bent = packed("note bend", key=60, value=0xC0000000)
    timbre = packed("registered note controller", key=60, index=74, value=0xFFFFFFFF)
    wider = packed("registered", bank=0, index=7, value=12 << 25)
    reset = packed("note management", key=60, flags=1)
    take = clip(itself, *struck(960), bent, timbre, *struck(960), wider, bent, *struck(960), reset, *struck(960))
    pitch, bright = (take.parts[0].curves[lane] for lane in ("note:pitch", "note:timbre"))
    # What bends a key is counted from the pitch that it has been given.
    assert [pitch.curve(note).values.tolist() for note in range(3)] == [[1.5], [25.5], [7.5]]
    assert bright.curve(1).values.tolist() == bright.curve(2).values.tolist() == [127]
    assert not len(pitch.curve(3)) and not len(bright.curve(3))


@pytest.mark.parametrize("seed", range(8))
def test_there_and_back_is_exact(seed: int) -> None:
    dice = random.Random(seed)
    take = read(polyphony(dice))
    for lane, low, high in (
        ("note:pitch", -12, 12),
        ("note:pressure", 0, 127),
        ("note:pan", 0, 127),
        ("note:cc:1", 0, 127),
    ):
        nodes = sorted(
            ({"at": dice.random(), "value": dice.uniform(low, high), "lift": dice.uniform(-1, 1)} for _ in range(4)),
            key=lambda one: one["at"],
        )
        take = applied(
            parse_stroke({"kind": "note.curve", "lane": lane, "nodes": nodes, "where": {"notes": [[0, 30]]}}), take
        )
    data = write_clip(take)
    again = read_clip(data)
    assert write_clip(again) == data
    part, same = take.parts[0], again.parts[0]
    order = np.lexsort((same.notes.pitch, same.notes.start))
    for row, other in zip(np.lexsort((part.notes.pitch, part.notes.start)), order, strict=True):
        for column in ("start", "end", "pitch", "velocity", "release"):
            assert getattr(part.notes, column)[row] == getattr(same.notes, column)[other]
        length = int(part.notes.end[row] - part.notes.start[row])
        for lane, curves in part.curves.items():
            curve = curves.curve(int(part.notes.id[row]))
            ticks = curve.ticks[curve.ticks < length]
            back = same.curves[lane].curve(int(same.notes.id[other]))
            if len(ticks):
                np.testing.assert_allclose(back.at(ticks), curve.at(ticks), atol=1e-6)


def test_lanes_programs_and_ranges_come_back() -> None:
    messages = [
        M("program_change", program=20),
        M("control_change", control=101),
        M("control_change", control=100),
        M("control_change", control=6, value=12),
    ]
    messages += [
        M("pitchwheel", pitch=4096, time=100),
        M("control_change", control=11, value=90),
        M("aftertouch", value=33),
    ]
    take = read(file_of([*messages, M("note_on", note=60, time=9), M("note_off", note=60, time=99)]))
    again = read_clip(write_clip(take))
    part = again.parts[0]
    assert part.program == 20
    assert part.lanes["bend"].curve.values.tolist() == pytest.approx([6.0])
    assert part.lanes["cc:11"].curve.values.tolist() == pytest.approx([90])
    assert part.lanes["pressure"].curve.values.tolist() == pytest.approx([33])
    assert part.bend_range.semitones.tolist() == [12.0]


def test_what_is_cut_off_or_of_another_kind_is_told() -> None:
    data = write_clip(made(two_notes(), UP))
    with pytest.raises(BadFile, match="cut off"):
        read_clip(data[:-2])
    with pytest.raises(BadFile, match="no start"):
        read_clip(data[:16])
    with pytest.raises(BadFile, match="does not begin"):
        read_clip(b"SMF3CLIP" + data[8:])
    # Messages that are not known are passed over, and told.
    strange = data[:36] + packed("delta") + bytes.fromhex("50000000" + "00000000" * 3) + data[36:]
    assert any("1 messages of kinds" in remark for remark in read_clip(strange).remarks)
    assert any("no end" in remark for remark in read_clip(data[:-20]).remarks)
