"""The container: a Standard MIDI File as chunks and events, byte for byte (SMF 1.0, RP-001).

mido knows the messages (their lengths are taken from its table, and the tests read every file we write with it), but
its reader decodes as it goes: it merges the two kinds of system exclusive packet, re-encodes meta events of unusual
length, and gives up at the first oddity without saying where. Here nothing is decoded, so nothing can be lost.
"""

import struct
from typing import NamedTuple

import numpy as np
from mido.messages.specs import SPEC_BY_STATUS

from expression.errors import BadFile
from expression.limits import LAST_TICK, MOST_EVENTS, MOST_FILE_BYTES, MOST_TRACKS
from expression.status import ESCAPE, META, SYSEX
from expression.take import Events

END_OF_TRACK, TEMPO, TIME_SIGNATURE, TRACK_NAME, PORT = 0x2F, 0x51, 0x58, 0x03, 0x21

# Data bytes that follow each status; -1: not a message.
DATA_BYTES = [
    SPEC_BY_STATUS[status]["length"] - 1 if status in SPEC_BY_STATUS and status not in (META, SYSEX, ESCAPE) else -1
    for status in range(256)
]


_DATA_BYTES = np.array(DATA_BYTES)
DELTA_SHIFTS = (35, 28, 21, 14, 7, 0)
"""Of a delta time seven bits to a byte: no take lasts for longer than these say."""


class File(NamedTuple):
    """A file as it stands: format, ticks a quarter note, the events of its tracks, and what was odd about it."""

    format: int
    division: int
    tracks: list[Events]
    remarks: list[str]


class _Full(Exception):
    """There are more events than are read."""


class Damaged(BadFile):
    """A track breaks off: at a byte, for a reason."""

    def __init__(self, number: int, pos: int, what: str) -> None:
        super().__init__(
            f"Track {number} is damaged at its byte {pos:,}: {what}. Get the file again from where it came."
        )
        self.pos, self.what = pos, what


def parse(data: bytes, most: int = MOST_EVENTS, rescues: bool = False) -> File:
    """Read the whole of a file's structure, of `most` events. Raises BadFile with one sentence where that would take
    guessing.

    Where it `rescues`, a track that is damaged is read as far as that goes, and what is lost is remarked.
    """
    if not data:
        raise BadFile("The file is empty. Choose the recording itself, a Standard MIDI File (.mid).")
    if len(data) > MOST_FILE_BYTES:
        size = -(-len(data) // 2**20)
        raise BadFile(f"The file is {size} MiB; Lull reads up to 32 MiB. Save fewer tracks and try again.")
    if data[:4] != b"MThd":
        raise BadFile("This is not a Standard MIDI File: it does not begin with its header. Export the take as .mid.")
    if len(data) < 14:
        raise BadFile("The file is cut short within its header. Get it again from where it came.")
    header_length, format_, track_count, division = struct.unpack(">IHHH", data[4:14])
    _check_header(header_length, format_, track_count, division)
    remarks: list[str] = []
    tracks: list[Events] = []
    pos = 8 + header_length
    total = 0
    while pos < len(data):
        name, length = data[pos : pos + 4], data[pos + 4 : pos + 8]
        if len(length) < 4 or not name.isalnum():
            remarks.append(f"{len(data) - pos:,} bytes after the last track belong to nothing and were left out.")
            break
        size = int.from_bytes(length)
        body = data[pos + 8 : pos + 8 + size]
        if len(body) < size and rescues:
            remarks.append(
                f"The file is cut short: of track {len(tracks) + 1}, {len(body):,} of {size:,} bytes are there."
            )
        elif len(body) < size:
            what = f"track {len(tracks) + 1}" if name == b"MTrk" else "its last chunk"
            raise BadFile(
                f"The file is cut short: {what} says it is {size:,} bytes long, but {len(body):,} are there."
                " Get it again from where it came."
            )
        if name == b"MTrk":
            try:
                tracks.append(_track(body, len(tracks) + 1, most - total, remarks, rescues))
            except _Full:
                raise BadFile(f"The file holds more than {most:,} events, more than Lull reads. Split it up.") from None
            total += len(tracks[-1])
            if len(tracks) > MOST_TRACKS:
                raise _too_many_tracks(track_count)
        else:
            remarks.append(f"A chunk of an unknown kind ({name.decode('ascii')}) was left out.")
        pos += 8 + size
    if not tracks:
        raise BadFile("The file holds no tracks. Export the take again, with at least one track.")
    if len(tracks) != track_count:
        remarks.append(f"The header speaks of {_count(track_count, 'track')}; {len(tracks)} are there and were read.")
    return File(format_, division, tracks, remarks)


def _check_header(length: int, format_: int, tracks: int, division: int) -> None:
    if length < 6:
        raise BadFile(f"The file's header is {length} bytes long where 6 are needed. The file is damaged.")
    if format_ == 2:
        raise BadFile("This is a type 2 file (separate patterns); Lull reads types 0 and 1. Export it as type 1.")
    if format_ > 2:
        raise BadFile(f"The file calls itself type {format_}; Lull reads types 0 and 1. Export it as type 1.")
    if division & 0x8000:
        raise BadFile("The file counts time in SMPTE frames, not in beats. Export it with ticks per quarter note.")
    if division == 0:
        raise BadFile("The file says 0 ticks per quarter note, so its time cannot be read. Export it again.")
    if tracks > MOST_TRACKS:
        raise _too_many_tracks(tracks)


def _too_many_tracks(count: int) -> BadFile:
    return BadFile(f"The file has {count:,} tracks; Lull reads up to {MOST_TRACKS}. Save fewer tracks and try again.")


def _count(number: int, noun: str) -> str:
    return f"{number:,} {noun}" if number == 1 else f"{number:,} {noun}s"


class _Walked:
    """What a walk through a track chunk has found so far: a column for each part of an event, and what was odd."""

    def __init__(self) -> None:
        self.ticks: list[int] = []
        self.statuses, self.first, self.second = bytearray(), bytearray(), bytearray()
        self.payload: list[int] = []
        self.payloads: list[bytes] = []
        self.tick = 0
        self.crossed = self.early_end = self.ended = False

    def level(self) -> None:
        """Bring the column of payloads to the length of the others: most events have none."""
        del self.payload[len(self.ticks) :]
        self.payload.extend([-1] * (len(self.ticks) - len(self.payload)))

    def end(self) -> None:
        self.ticks.append(self.tick)
        self.statuses.append(META)
        self.first.append(END_OF_TRACK)
        self.second.append(0)
        self.payload.append(len(self.payloads))
        self.payloads.append(b"")


def _track(body: bytes, number: int, room: int, remarks: list[str], rescues: bool = False) -> Events:
    """Split one track chunk into events. Of a damaged one, where it `rescues`, those before the damage."""
    found, broken = _Walked(), False
    try:
        _walk(body, number, room, found)
    except (IndexError, Damaged) as error:
        damage = error if isinstance(error, Damaged) else Damaged(number, len(body), "its last event is cut off")
        if not rescues:
            raise damage from None
        found.ended, broken = False, True
        remarks.append(
            f"Track {number} is damaged at its byte {damage.pos:,} ({damage.what}): it was read up to there, and "
            f"{max(len(body) - damage.pos, 0):,} bytes after it are lost."
        )
    found.level()
    if found.tick > LAST_TICK:
        raise Damaged(number, len(body), "it claims to last for years")
    if found.crossed:
        remarks.append(f"Track {number} leaves out a message's kind after a meta event; the last kind was taken.")
    if found.early_end:
        remarks.append(f"Track {number} goes on after its end mark; what follows was kept.")
    if not found.ended and (broken or not found.early_end):
        if not broken:
            remarks.append(f"Track {number} has no end mark; one is written on download.")
        found.end()
    columns = found.ticks, bytes(found.statuses), bytes(found.first), bytes(found.second)
    return Events.of(*columns, found.payload, found.payloads)


def _walk(body: bytes, number: int, room: int, found: _Walked) -> None:
    """A loop over bytes, kept flat: it is what opening a take waits for."""
    ticks, statuses, first, second = found.ticks, found.statuses, found.first, found.second
    payload, payloads, lengths = found.payload, found.payloads, DATA_BYTES
    tick = pos = status = 0
    ended = early_end = False
    size = len(body)
    try:
        while pos < size:
            byte = body[pos]
            pos += 1
            if byte < 0x80:
                tick += byte
            else:
                delta, pos = _variable(body, pos - 1, number)
                tick += delta
            early_end |= ended
            byte = body[pos]
            if byte >= 0x80:
                status = byte
                pos += 1
            elif not 0x80 <= status < 0xF0:
                if not status:
                    raise Damaged(number, pos, "it begins with a data byte, where a message's kind is needed")
                status = _running_before(statuses, number, pos)
                found.crossed = True
            wanted = lengths[status]
            if wanted == 2:
                one, two = body[pos], body[pos + 1]
                pos += 2
            elif wanted == 1:
                one, two = body[pos], 0
                pos += 1
            elif wanted == 0:
                one = two = 0
            elif status in (META, SYSEX, ESCAPE):
                one = two = 0
                if status == META:
                    one = body[pos]
                    pos += 1
                    ended = one == END_OF_TRACK
                length, pos = _variable(body, pos, number)
                if pos + length > size:
                    raise Damaged(number, pos, f"an event says it is {length:,} bytes long, past the track's end")
                payload.extend([-1] * (len(ticks) - len(payload)))
                payload.append(len(payloads))
                payloads.append(body[pos : pos + length])
                pos += length
            else:
                raise Damaged(number, pos, f"{status:#04x} is not a message")
            if (one | two) > 0x7F:
                raise Damaged(number, pos, "a data byte is over 127")
            ticks.append(tick)
            statuses.append(status)
            first.append(one)
            second.append(two)
            if len(ticks) > room:
                raise _Full
    finally:
        found.tick, found.ended, found.early_end = tick, ended, early_end


def _variable(body: bytes, pos: int, number: int) -> tuple[int, int]:
    """A variable-length quantity at `pos`: its value and where it ends (SMF 1.0: at most four bytes)."""
    value = 0
    for count in range(4):
        byte = body[pos + count]
        value = value << 7 | byte & 0x7F
        if byte < 0x80:
            return value, pos + count + 1
    raise Damaged(number, pos, "a length or time is longer than four bytes")


def _running_before(statuses: bytearray, number: int, pos: int) -> int:
    """The last channel status before a meta or exclusive event: more than the standard allows, but not a guess."""
    for status in reversed(statuses):
        if 0x80 <= status < 0xF0:
            return status
    raise Damaged(number, pos, "it begins with a data byte, where a message's kind is needed")


def compose(format_: int, division: int, tracks: list[Events]) -> bytes:
    """The bytes of a file. Every event is written with its status, so that any part of it can be read alone."""
    chunks = [b"MThd" + struct.pack(">IHHH", 6, format_, len(tracks), division)]
    for track in tracks:
        body = _track_bytes(track)
        chunks.append(b"MTrk" + struct.pack(">I", len(body)) + body)
    return b"".join(chunks)


def _track_bytes(track: Events) -> bytes:
    """All events in one table of bytes, of which those are taken that each needs; what holds more comes between."""
    delta = np.diff(track.tick, prepend=0)
    more = track.payload >= 0
    data = np.where(more, track.status == META, _DATA_BYTES[track.status])
    columns = [delta >> shift & 0x7F | (0x80 if shift else 0) for shift in DELTA_SHIFTS]
    table = np.stack([*columns, track.status, track.data1, track.data2], axis=1).astype(np.uint8)
    needed = [delta >= 1 << shift if shift else np.ones(len(delta), dtype=bool) for shift in DELTA_SHIFTS]
    wanted = np.stack([*needed, np.ones(len(delta), dtype=bool), data > 0, data > 1], axis=1)
    plain = table[wanted].tobytes()
    ends = np.cumsum(wanted.sum(axis=1))
    out, before = bytearray(), 0
    for row in np.flatnonzero(more).tolist():
        payload = track.payloads[int(track.payload[row])]
        out += plain[before : int(ends[row])] + _variable_bytes(len(payload)) + payload
        before = int(ends[row])
    return bytes(out + plain[before:])


def _variable_bytes(value: int) -> bytes:
    out = [value & 0x7F]
    while value := value >> 7:
        out.append(value & 0x7F | 0x80)
    return bytes(reversed(out))
