"""The container of a Standard MIDI File (SMF 1.0, RP-001) as the receiver reads it, by no code of `expression.midi`."""

from typing import NamedTuple

from expression.errors import BadFile


class Track(NamedTuple):
    """Channel messages as (tick, status, first, second), and resets of everything as (tick, 0xF0, 0, 0)."""

    port: int
    messages: list[tuple[int, int, int, int]]
    tempo: list[tuple[int, int]]
    end: int


def tracks(data: bytes) -> tuple[int, list[Track]]:
    """Ticks per quarter, and the tracks of a Standard MIDI File of type 0 or 1. Raises BadFile."""
    if data[:4] != b"MThd" or len(data) < 14:
        raise BadFile("This is not a Standard MIDI File: it does not begin with its header.")
    division = int.from_bytes(data[12:14])
    if not division or division & 0x8000:
        raise BadFile("The file does not count time in ticks per quarter note.")
    at = 8 + int.from_bytes(data[4:8])
    found: list[Track] = []
    while at + 8 <= len(data):
        size = int.from_bytes(data[at + 4 : at + 8])
        if data[at : at + 4] == b"MTrk":
            try:
                found.append(_track(data[at + 8 : at + 8 + size]))
            except IndexError:
                raise BadFile(f"Track {len(found) + 1} of the file is cut off.") from None
        at += 8 + size
    return division, found


def _track(body: bytes) -> Track:
    messages: list[tuple[int, int, int, int]] = []
    tempo: list[tuple[int, int]] = []
    port = tick = at = status = 0
    size = len(body)
    while at < size:
        byte = body[at]
        at += 1
        delta = byte & 0x7F
        while byte > 0x7F:
            byte = body[at]
            at += 1
            delta = delta << 7 | byte & 0x7F
        tick += delta
        byte = body[at]
        if byte < 0x80:
            byte = status
        else:
            at += 1
        if byte < 0xC0 or 0xE0 <= byte < 0xF0:
            status = byte
            messages.append((tick, byte, body[at], body[at + 1]))
            at += 2
        elif byte < 0xE0:
            status = byte
            messages.append((tick, byte, body[at], 0))
            at += 1
        elif byte in (0xF0, 0xF7, 0xFF):
            kind = -1
            if byte == 0xFF:
                kind = body[at]
                at += 1
            length = shift = body[at] & 0x7F
            while body[at] > 0x7F:
                at += 1
                shift = body[at] & 0x7F
                length = length << 7 | shift
            at += 1
            payload = body[at : at + length]
            at += length
            if byte == 0xF0 and _is_system_on(payload):
                messages.append((tick, 0xF0, 0, 0))
            elif kind == 0x51 and length == 3 and any(payload):
                tempo.append((tick, int.from_bytes(payload)))
            elif kind == 0x21 and length == 1:
                port = payload[0]
        else:
            # System common messages do not belong in a file; they are passed over with their data.
            at += {0xF1: 1, 0xF2: 2, 0xF3: 1}.get(byte, 0)
    return Track(port, messages, tempo, tick)


def _is_system_on(payload: bytes) -> bool:
    """Universal Non-Real Time, General MIDI, System On (GM level 1: 01, GM level 2: 03)."""
    return len(payload) >= 4 and payload[0] == 0x7E and payload[2] == 0x09 and payload[3] in (0x01, 0x03)
