"""What came from an instrument while it was recorded: kept packed, and read as any recording is.

A pass is kept as the Standard MIDI File of its messages, deflated, in base64. Channel 1 of it is the part's; what comes
on others belongs to single notes, each on a channel of its own, as members of an MPE zone (M1-100, 2.1) send it.
"""

import base64
import binascii
import zlib
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from expression.arrays import Ints, frozen, whole
from expression.curve import Curve
from expression.errors import BadFile
from expression.lanes import BEND, PARAMETERS
from expression.limits import MOST_FILE_BYTES, MOST_HOURS, MOST_PASS_EVENTS
from expression.midi import smf
from expression.midi.ranges import range_controls
from expression.midi.read import read
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.status import CONTROL, META, NOTE_OFF, NOTE_ON, SYSEX
from expression.take import Events
from expression.time import TempoMap

LENGTHS = {0x80: 3, 0x90: 3, 0xA0: 3, 0xB0: 3, 0xC0: 2, 0xD0: 2, 0xE0: 3}
"""Bytes of each channel message (MIDI 1.0, table I)."""
ZONE = ((101, 0), (100, 6), (6, 15))
"""An MPE zone of fifteen members, as its configuration message says it."""
FIRST_MODE = 120
"""Controllers from here on are modes of a channel."""
Given = Sequence[tuple[int, str]]
"""Messages: ticks, and bytes in hexadecimal figures."""


class Performance(NamedTuple):
    """What was played: notes numbered from 0 in their order, lanes of the channel, curves of the notes."""

    notes: Notes
    lanes: dict[str, Curve]
    """A bend is in shares of its range, from -1 to 1."""
    curves: dict[str, NoteCurves]
    stray: int
    """Ends of notes that had not begun."""


def packed(events: Given) -> str:
    """Messages in any order, as they are kept. Raises ValueError with a sentence where one is no channel message."""
    rows = sorted(((tick, _message(words)) for tick, words in events), key=lambda row: row[0])
    status, one, two = (bytes(message[at] if at < len(message) else 0 for _, message in rows) for at in range(3))
    return pack(Events.of([tick for tick, _ in rows], status, one, two, [-1] * len(rows), []))


def pack(events: Events) -> str:
    """Events of a track, as they are kept; all but channel messages are left out."""
    voice = np.flatnonzero((events.status >= NOTE_OFF) & (events.status < SYSEX))
    last = int(events.tick[voice[-1]]) if len(voice) else 0
    columns = (column[voice].tolist() for column in (events.tick, events.status, events.data1, events.data2))
    tick, status, one, two = columns
    return base64.b64encode(zlib.compress(_file(tick, status, one, two, last), 6)).decode()


def _file(tick: list[int], status: list[int], one: list[int], two: list[int], last: int) -> bytes:
    """The file (SMF format 0) of some messages in their order, whose track ends at `last`."""
    track = Events.of(
        [*tick, last], bytes([*status, META]), bytes([*one, smf.END_OF_TRACK]), bytes([*two, 0]),
        [*[-1] * len(tick), 0], [b""],
    )  # fmt: skip
    return smf.compose(0, RESOLUTION, [track])


RESOLUTION = 960
"""What the file of a pass says of its ticks. They are the take's, which the file need not know."""


@lru_cache(maxsize=32)
def unpacked(text: str) -> Events:
    """The messages of a pass. Raises ValueError with a sentence where it is none."""
    try:
        deflated = base64.b64decode(text, validate=True)
        unpack = zlib.decompressobj()
        data = unpack.decompress(deflated, MOST_FILE_BYTES)
        if unpack.unconsumed_tail:
            raise ValueError("a pass is too long to be kept as one")
        (track,) = smf.parse(data, MOST_PASS_EVENTS).tracks
    except (binascii.Error, zlib.error, BadFile, ValueError) as fault:
        raise ValueError(f"events cannot be read as a pass: {fault}") from None
    return track


def repacked(text: str, moved: Callable[[Ints], Ints]) -> str:
    """The same messages at other ticks."""
    track = unpacked(text)
    return pack(replace(track, tick=moved(track.tick)))


def let_go(text: str, end: int) -> str:
    """The same messages up to a tick, and the ends of all keys that are down there."""
    track = unpacked(text)
    voice = (track.status >= NOTE_OFF) & (track.status < SYSEX) & (track.tick <= end)
    rows = [*zip(track.tick[voice].tolist(), figures(track, voice), strict=True)]
    return packed([*rows, *((end, bytes((NOTE_OFF | line, key, 64)).hex()) for line, key in _still_down(track, voice))])


def figures(track: Events, which: np.ndarray) -> list[str]:
    """Some channel messages (a mask, or rows) in hexadecimal figures."""
    columns = (column[which].tolist() for column in (track.status, track.data1, track.data2))
    return [bytes(row)[: LENGTHS[row[0] & 0xF0]].hex() for row in zip(*columns, strict=True)]


def _message(words: str) -> bytes:
    try:
        message = bytes.fromhex(words)
    except ValueError:
        message = b""
    if not message or LENGTHS.get(message[0] & 0xF0) != len(message) or max(message[1:]) > 127:
        raise ValueError(f'events must hold one channel message each, such as "903c40", not {words[:20]!r}')
    return message


@lru_cache(maxsize=16)
def performed(text: str, end: int) -> Performance:
    """A pass as it was played; keys that are still down end at `end` (ticks)."""
    track = unpacked(text)
    voice = (track.status >= NOTE_OFF) & (track.status < SYSEX)
    # What sets an instrument up, and modes, are no playing.
    voice &= ((track.status & 0xF0) != CONTROL) | ~((track.data1 >= FIRST_MODE) | np.isin(track.data1, PARAMETERS))
    rows = [*_said_before(bool(voice.any() and (track.status[voice] & 0x0F).any()))]
    last = max(end, int(track.tick.max(initial=0)), 1)
    every = [
        *((0, *row) for row in rows),
        *zip(*(column[voice].tolist() for column in (track.tick, track.status, track.data1, track.data2)), strict=True),
        *((min(end, last), NOTE_OFF | line, key, 64) for line, key in _still_down(track, voice)),
    ]
    every.sort(key=lambda row: row[0])
    tick, status, one, two = (list(column) for column in zip(*every, strict=True))
    take = read(_file(tick, status, one, two, last), MOST_PASS_EVENTS)
    if not take.parts:
        return Performance(Notes.made(*[frozen([], np.int64)] * 5), {}, {}, 0)
    part = take.parts[0]
    lanes = {key: lane.curve for key, lane in part.lanes.items() if len(lane.curve)}
    if BEND in lanes:
        lanes[BEND] = lanes[BEND].valued(lanes[BEND].values / WHOLE)
    notes = replace(part.notes, on=_none(len(part.notes)), off=_none(len(part.notes)))
    offs = voice & (((track.status & 0xF0) == NOTE_OFF) | (((track.status & 0xF0) == NOTE_ON) & (track.data2 == 0)))
    paired = len(notes) - len(list(_still_down(track, voice)))
    curves = {key: NoteCurves(one.ids, one.first, one.nodes) for key, one in part.curves.items()}
    return Performance(notes, lanes, curves, int(offs.sum()) - paired)


WHOLE = 12.0
"""Semitones that the wheel is read by."""


def _said_before(is_zoned: bool) -> Iterable[tuple[int, int, int]]:
    """What a receiver is told before the pass: how far the wheel goes, and that other channels carry single notes."""
    if is_zoned:
        yield from ((CONTROL, *control) for control in ZONE)
    yield from ((CONTROL, *control) for control in range_controls(WHOLE))


def _still_down(track: Events, voice: np.ndarray) -> list[tuple[int, int]]:
    """Channel and key of each strike that is not let go."""
    down: dict[tuple[int, int], int] = {}
    kind = track.status & 0xF0
    rows = np.flatnonzero(voice & ((kind == NOTE_ON) | (kind == NOTE_OFF)))
    columns = (column[rows].tolist() for column in (track.status, track.data1, track.data2))
    for status, key, force in zip(*columns, strict=True):
        line = (status & 0x0F, key)
        down[line] = max(down.get(line, 0) + (1 if status & 0xF0 == NOTE_ON and force else -1), 0)
    return [line for line, count in down.items() for _ in range(count)]


def _none(count: int) -> Ints:
    return frozen(np.full(count, -1), np.int64)


def within(ticks: Ints, spans: Sequence[tuple[int, int]]) -> np.ndarray:
    """Which ticks lie in any of some spans (start included, end not)."""
    found = np.zeros(len(ticks), dtype=bool)
    for start, end in spans:
        found |= (ticks >= start) & (ticks < end)
    return found


def rounds_of(tempo: TempoMap, pieces: Sequence[Sequence[tuple[int, float, str]]]) -> dict[int, str]:
    """What came in pieces, each message with its round (from 0) and the second of the take: each round as it is kept.

    What is no channel message is left out: a cable may break off, and nothing else is to be lost by that.
    """
    found: dict[int, list[tuple[float, str]]] = {}
    for number, second, words in (row for piece in pieces for row in piece):
        if is_message(words) and 0 <= second < LONGEST_SECONDS:
            found.setdefault(number, []).append((second, words))
    made = {}
    for number, rows in sorted(found.items()):
        ticks = whole(tempo.tick(np.array([second for second, _ in rows])))
        made[number] = packed([*zip(ticks.tolist(), [words for _, words in rows], strict=True)])
    return made


LONGEST_SECONDS = MOST_HOURS * 3600


def is_message(words: str) -> bool:
    """Whether hexadecimal figures are one channel message."""
    try:
        _message(words)
    except ValueError:
        return False
    return True
