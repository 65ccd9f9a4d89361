"""SoundFonts: what they hold, and files that are none."""

import pytest

from expression.errors import BadFile
from expression.soundfont import made_small, presets


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
