"""Universal MIDI Packets as a MIDI 2.0 clip file holds them: fields into words, and words into fields.

M2-104-UM (UMP and MIDI 2.0 Protocol, 1.1.2) and M2-116-U (MIDI Clip File, 1.0). The table below is all that packing and
unpacking know: of each message the bits of its fields, counted from the first bit of its first word.
"""

from bisect import bisect_right
from typing import NamedTuple

from expression.errors import BadFile

WORDS = (1, 1, 1, 2, 2, 4, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4)
"""How many words of 32 bits a packet has, by its message type (M2-104, 2.1.4, table 4)."""
HEADER = b"SMF2CLIP"
"""The first bytes of a clip file (M2-116, 4.1)."""


class Field(NamedTuple):
    """A field of a packet: its first bit and how many it has."""

    at: int
    bits: int


class Layout(NamedTuple):
    """A message: its type, the bits that tell it from others of that type, and its fields."""

    type: int
    fixed: tuple[tuple[Field, int], ...]
    fields: dict[str, Field]


GROUP, CHANNEL = Field(4, 4), Field(12, 4)
_KEY, _INDEX, _DATA = Field(16, 8), Field(24, 8), Field(32, 32)


def _voice(status: int, **fields: Field) -> Layout:
    """A MIDI 2.0 channel voice message: type 4, its opcode in bits 8 to 11 (M2-104, 7.4, and appendix F)."""
    return Layout(4, ((Field(8, 4), status),), {"group": GROUP, "channel": CHANNEL, **fields})


def _utility(status: int, **fields: Field) -> Layout:
    return Layout(0, ((Field(8, 4), status),), fields)


def _stream(status: int) -> Layout:
    """A message about the stream: type 15, in one packet, its status in bits 6 to 15 (M2-104, 7.1)."""
    return Layout(15, ((Field(4, 2), 0), (Field(6, 10), status)), {})


def _text(status: int, **fields: Field) -> Layout:
    """Flex data of bank 1: texts of 12 bytes a packet, in as many packets as it takes (M2-104, 7.5.3)."""
    fixed = ((Field(16, 8), 1), (Field(24, 8), status))
    return Layout(13, fixed, {"group": GROUP, "form": Field(8, 2), "to": Field(10, 2), "channel": CHANNEL, **fields})


def _flex(status: int, **fields: Field) -> Layout:
    """Flex data of bank 0, in one packet, to a group (M2-104, 7.5)."""
    fixed = ((Field(8, 2), 0), (Field(16, 8), 0), (Field(24, 8), status))
    return Layout(13, fixed, {"group": GROUP, "to": Field(10, 2), "channel": CHANNEL, **fields})


MESSAGES: dict[str, Layout] = {
    # Utility (M2-104, 7.2): 0x3 ticks a quarter note of delta clockstamps, 0x4 a delta clockstamp of 20 bits.
    "nothing": _utility(0x0),
    "resolution": _utility(0x3, ticks=Field(16, 16)),
    "delta": _utility(0x4, ticks=Field(12, 20)),
    # Where the sequence of a clip starts and ends (M2-104, 7.1.13 and 7.1.14).
    "start": _stream(0x20),
    "end": _stream(0x21),
    # Tempo in units of 10 ns a quarter note; metre: beats, the power of 2 of what a beat is, 32nds in 24 clocks.
    "tempo": _flex(0x00, period=Field(32, 32)),
    "metre": _flex(0x01, beats=Field(32, 8), unit=Field(40, 8), thirty_seconds=Field(48, 8)),
    "name": _text(0x03, text=Field(32, 96)),
    # System exclusive, 6 bytes a packet (M2-104, 7.7): whole, or its beginning, more of it, its end.
    "exclusive": Layout(3, (), {"group": GROUP, "form": Field(8, 4), "count": CHANNEL, "bytes": Field(16, 48)}),
    # MIDI 1.0 channel voice: as its bytes (M2-104, 7.3).
    "as in MIDI 1.0": Layout(
        2, (), {"group": GROUP, "status": Field(8, 4), "channel": CHANNEL, "one": _KEY, "two": _INDEX}
    ),
    # Channel voice (M2-104, 7.4).
    "registered note controller": _voice(0x0, key=_KEY, index=_INDEX, value=_DATA),
    "assignable note controller": _voice(0x1, key=_KEY, index=_INDEX, value=_DATA),
    "registered": _voice(0x2, bank=_KEY, index=_INDEX, value=_DATA),
    "assignable": _voice(0x3, bank=_KEY, index=_INDEX, value=_DATA),
    "relative registered": _voice(0x4, bank=_KEY, index=_INDEX, value=_DATA),
    "relative assignable": _voice(0x5, bank=_KEY, index=_INDEX, value=_DATA),
    "note bend": _voice(0x6, key=_KEY, value=_DATA),
    "note off": _voice(0x8, key=_KEY, kind=_INDEX, velocity=Field(32, 16), attribute=Field(48, 16)),
    "note on": _voice(0x9, key=_KEY, kind=_INDEX, velocity=Field(32, 16), attribute=Field(48, 16)),
    "note pressure": _voice(0xA, key=_KEY, value=_DATA),
    "controller": _voice(0xB, index=_KEY, value=_DATA),
    "program": _voice(
        0xC, with_bank=Field(31, 1), program=Field(32, 8), bank=Field(48, 8), bank_fine=Field(56, 8)
    ),
    "pressure": _voice(0xD, value=_DATA),
    "bend": _voice(0xE, value=_DATA),
    "note management": _voice(0xF, key=_KEY, flags=_INDEX),
}  # fmt: skip
"""Every message that is written, and read as what it is; others are passed over."""


class Coded(NamedTuple):
    """A message as shifts and masks over all of its bits as one number: what is the same in each, and its fields."""

    name: str
    length: int
    """In bytes."""
    fixed: int
    told: int
    """The bits that are fixed."""
    fields: dict[str, tuple[int, int]]
    """How far each is shifted to the left, and its mask before that."""


def _coded(name: str, layout: Layout) -> Coded:
    size = WORDS[layout.type] * 32

    def place(field: Field) -> tuple[int, int]:
        return size - field.at - field.bits, (1 << field.bits) - 1

    fixed, told = layout.type << (size - 4), 0xF << (size - 4)
    for field, value in layout.fixed:
        shift, mask = place(field)
        fixed, told = fixed | value << shift, told | mask << shift
    return Coded(name, size // 8, fixed, told, {name: place(field) for name, field in layout.fields.items()})


_CODED = {name: _coded(name, layout) for name, layout in MESSAGES.items()}
_BY_TYPE: dict[int, list[Coded]] = {}
for _name, _layout in MESSAGES.items():
    _BY_TYPE.setdefault(_layout.type, []).append(_CODED[_name])


class Packet(NamedTuple):
    """A message with its fields; of one that is not known there are none."""

    name: str
    fields: dict[str, int]


def packed(name: str, **fields: int) -> bytes:
    """A message as bytes, the highest first. Raises KeyError for a field that it has not."""
    _, length, value, _, places = _CODED[name]
    for field, given in fields.items():
        shift, mask = places[field]
        value |= (given & mask) << shift
    return value.to_bytes(length)


def unpacked(packet: bytes) -> Packet:
    """A message from the bytes of one packet."""
    value = int.from_bytes(packet)
    for name, _, fixed, told, places in _BY_TYPE.get(packet[0] >> 4, ()):
        if value & told == fixed:
            return Packet(name, {field: value >> shift & mask for field, (shift, mask) in places.items()})
    return Packet("", {})


def packets(data: bytes, start: int) -> list[bytes]:
    """The packets of a file from a byte on. Raises BadFile where the last is cut off."""
    found = []
    while start < len(data):
        length = WORDS[data[start] >> 4] * 4
        if start + length > len(data):
            raise BadFile(f"The clip file is cut off within a message, {len(data) - start} bytes before its end.")
        found.append(data[start : start + length])
        start += length
    return found


def _upscaled(value: int, bits: int) -> int:
    """7 bits in more: what lies above the middle repeats its own bits, so that the highest is all ones."""
    code, repeated = value << (bits - 7), value & 0x3F
    if value <= 64:
        return code
    repeated <<= bits - 13
    while repeated:
        code |= repeated
        repeated >>= 6
    return code


_CODES = {bits: [_upscaled(value, bits) for value in range(128)] for bits in (16, 32)}
"""Of each of the values of 7 bits, that of more (M2-115, appendix D.1.3: its ends stay ends, its middle the middle)."""


def widened(value: float, bits: int) -> int:
    """A value from 0 to 127 in 16 or 32 bits: as the standard translates whole ones, and evenly between these."""
    codes = _CODES[bits]
    low = min(max(int(value), 0), 126)
    return min(max(round(codes[low] + (value - low) * (codes[low + 1] - codes[low])), 0), codes[-1])


def narrowed(code: int, bits: int) -> float:
    """The inverse of `widened`."""
    codes = _CODES[bits]
    low = min(bisect_right(codes, code), 127) - 1
    return low + (code - codes[low]) / (codes[low + 1] - codes[low])
