"""Meta events and exclusives in words, by the tables of the standard."""

import mido
import pytest

from expression import views
from expression.midi import words
from expression.midi.read import read
from tests.files import file_of


@pytest.mark.parametrize(
    ("number", "payload", "told"),
    [
        (0x01, b"slowly", ("text", "slowly")),
        (0x05, "süß".encode("latin-1"), ("lyric", "süß")),
        (0x06, b"B", ("marker", "B")),
        (0x0D, b"?", ("text", "?")),
        (0x51, (500_000).to_bytes(3), ("", "120.00 a minute")),
        (0x51, b"\x00\x00\x00", ("meta event 81", "00 00 00")),
        (0x58, bytes([7, 3, 24, 8]), ("", "7/8")),
        (0x59, bytes([0xFD, 0]), ("", "E♭ major")),
        (0x59, bytes([4, 1]), ("", "C♯ minor")),
        (0x59, bytes([9, 0]), ("meta event 89", "09 00")),
        (0x21, b"\x01", ("port", "2")),
        (0x20, b"\x09", ("channel of what follows", "10")),
        (0x54, bytes([0x61, 2, 3, 4, 0]), ("starts at", "01:02:03, frame 4")),
        (0x00, b"\x01\x02", ("sequence number", "258")),
        (0x7F, b"\x41\x01", ("a program's own", "41 01")),
        (0x60, b"", ("meta event 96", "")),
    ],
)
def test_a_meta_event_says_what_it_is(number: int, payload: bytes, told: tuple[str, str]) -> None:
    assert words.meta(number, payload) == told


@pytest.mark.parametrize(
    ("message", "told"),
    [
        ("7E 7F 09 01 F7", ("General MIDI on", "")),
        ("7E 00 06 01 F7", ("identity asked for", "")),
        ("7F 7F 04 01 00 40 F7", ("master volume", "50 %")),
        ("7F 7F 04 02 00 30 F7", ("master balance", "−2048")),
        ("7F 7F 04 03 00 20 F7", ("master fine tuning", "−50.0 cents")),
        ("7F 7F 04 04 00 42 F7", ("master coarse tuning", "+2 semitones")),
        ("7F 01 06 02 F7", ("machine control", "7f 01 06 02 f7")),
        ("7D 01 02 F7", ("maker 125", "7d 01 02 f7")),
        ("00 20 29 01 F7", ("maker 0 32 41", "00 20 29 01 f7")),
        ("F7", ("empty", "f7")),
        ("7E F7", ("maker 126", "7e f7")),
    ],
)
def test_an_exclusive_says_what_it_is(message: str, told: tuple[str, str]) -> None:
    assert words.exclusive(bytes.fromhex(message)) == told


def test_metre_key_texts_and_exclusives_are_told_in_words_on_the_desk() -> None:
    take = read(file_of([
        mido.MetaMessage("time_signature", numerator=6, denominator=8),
        mido.MetaMessage("key_signature", key="Gm"),
        mido.MetaMessage("marker", text="bridge", time=480),
        mido.Message("sysex", data=(0x7E, 0x7F, 0x09, 0x01)),
    ]))  # fmt: skip
    told = [(flag["kind"], flag["value"]) for flag in views.page.page(take)["flags"]]
    assert told == [
        ("metre", "6/8"), ("key", "G minor"), ("text", "marker bridge"), ("exclusive", "General MIDI on"),
    ]  # fmt: skip
