"""SoundFonts: what they hold, and files that are none."""

import struct

import pytest

from expression.errors import BadFile
from expression.soundfont import answers, made_small, presets


def test_the_small_one_holds_two_presets() -> None:
    assert presets(made_small()) == [("Harbour bell", 0, 0), ("Pier reed", 0, 1)]


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not a SoundFont"),
        (b"RIFF\x04\0\0\0WAVE", "not a SoundFont"),
        (made_small()[:5000], "cut short"),
        (b"RIFF\x04\0\0\0sfbk", "no sounds that can be played"),
    ],
)
def test_what_is_no_soundfont(data: bytes, says: str) -> None:
    with pytest.raises(BadFile, match=says):
        presets(data)


@pytest.mark.parametrize("at", range(12, 400, 7))
def test_torn_ones_are_read_or_refused(at: int) -> None:
    data = bytearray(made_small())
    data[-at] ^= 0xFF
    data[at] ^= 0x55
    try:
        found = presets(bytes(data))
    except BadFile as refused:
        assert str(refused).endswith(".")
    else:
        assert all(0 <= one.program < 128 for one in found)


def test_what_a_bank_takes_is_read_from_its_modulators() -> None:
    small = made_small()
    assert {"bend", "pressure", "cc:1", "cc:64", "note:pitch", "note:pressure"} <= set(answers(small))
    assert not {"cc:2", "cc:66", "note:cc:2"} & set(answers(small))
    # Breath (controller 2) opens the filter (generator 8): one modulator before the one that ends the list.
    modulator = struct.pack("<HHhHH", 0x80 | 2, 8, 2400, 0, 0)
    at = small.index(b"imod")
    with_breath = small[:at] + b"imod" + struct.pack("<I", 20) + modulator + small[at + 8 :]
    sizes = [(4, 10), (small.index(b"pdta") - 4, 10)]
    for place, more in sizes:
        size = int.from_bytes(with_breath[place : place + 4], "little") + more
        with_breath = with_breath[:place] + size.to_bytes(4, "little") + with_breath[place + 4 :]
    assert set(answers(with_breath)) - set(answers(small)) == {"cc:2", "note:cc:2"}
