"""From a take to MIDI events: the one place where what is drawn becomes what is heard and what is written."""

from dataclasses import replace
from enum import IntEnum
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen
from expression.midi import lanes, rpn
from expression.midi.lanes import Messages
from expression.midi.read import BEND, CONTROL, NOTE_OFF, NOTE_ON, PRESSURE, PROGRAM
from expression.midi.smf import END_OF_TRACK, META, SYSEX
from expression.notes import Notes
from expression.take import Events, Part, Take

MODE_MESSAGES = 120
"""Controllers from here on are channel mode messages (all sound off, all notes off ...), not values in force."""


def emit(take: Take, tolerance: float = 0.0) -> tuple[Events, ...]:
    """The events of every track, at the take's resolution.

    With a `tolerance` (in steps) the ways between nodes are sent in fewer events: never further off than that.

    Begins with what was recorded and changes only what strokes have changed, so an untouched take comes out as it was,
    event for event and in the same order.
    """
    return tuple(emitted.events for emitted in emit_with_notes(take, tolerance))


NO_NOTE, NOTE_END = -1, -2


class Emitted(NamedTuple):
    """A track as emitted. For each event the id of the note that it starts, `NOTE_END` or `NO_NOTE`."""

    events: Events
    note: Ints


@lru_cache(maxsize=8)
def emit_with_notes(take: Take, tolerance: float = 0.0) -> tuple[Emitted, ...]:
    """`emit`, with the notes that its events belong to."""
    tracks = []
    for number, track in enumerate(take.tracks):
        parts = [part for part in take.parts if part.track == number]
        note = np.full(len(track), NO_NOTE)
        for notes in (part.notes for part in parts):
            recorded = notes.on >= 0
            note[notes.on[recorded]] = notes.id[recorded]
            note[notes.off[recorded]] = NOTE_END
            track = _velocities(track, notes)
        emitted = Emitted(track, note)
        if any(part.shaped or part.notes.muted.any() or (part.notes.on < 0).any() for part in parts):
            emitted = _recut(take, emitted, parts, tolerance)
        tracks.append(emitted)
    return tuple(tracks)


def _velocities(track: Events, notes: Notes) -> Events:
    recorded = notes.on >= 0
    on, velocity = notes.on[recorded], notes.velocity[recorded]
    if np.array_equal(track.data2[on], velocity):
        return track
    data2 = track.data2.copy()
    data2[on] = velocity
    return replace(track, data2=frozen(data2, np.uint8))


class _Order(IntEnum):
    """Which of the events at one tick come first."""

    NEW_ENDS = 0
    NEW_VALUES = 1
    RECORDED = 2
    NEW_STARTS = 3
    TRACK_END = 4


def _recut(take: Take, emitted: Emitted, parts: list[Part], tolerance: float) -> Emitted:
    """A track from which events go, and to which others come."""
    track, note = emitted
    keep = np.ones(len(track), dtype=bool)
    data1, data2 = track.data1.copy(), track.data2.copy()
    new: list[tuple[_Order, Messages, Ints]] = []
    for part in parts:
        muted = part.notes.muted & (part.notes.on >= 0)
        keep[part.notes.on[muted]] = keep[part.notes.off[muted]] = False
        for key in sorted(part.shaped):
            made = lanes.messages(take, part, track, key, tolerance)
            keep[made.recorded] = False
            keep[made.kept] = True
            data1[made.changed], data2[made.changed] = made.new_data1, made.new_data2
            new.append((_Order.NEW_VALUES, made.added, np.full(len(made.added.tick), NO_NOTE)))
        new += _new_notes(part)
    rows = np.flatnonzero(keep)
    recorded = Messages(track.tick[rows], track.status[rows], data1[rows], data2[rows])
    groups = [*new, (_Order.RECORDED, recorded, note[rows])]
    columns = Messages._make(np.concatenate(column) for column in zip(*(one for _, one, _ in groups), strict=True))
    rank = np.concatenate([np.full(len(one.tick), order) for order, one, _ in groups])
    payload = np.full(len(rank), -1)
    payload[len(rank) - len(rows) :] = track.payload[rows]
    ends = (columns.status == META) & (columns.data1 == END_OF_TRACK)
    tick = np.where(ends, columns.tick.max(initial=0), columns.tick)
    rank[ends] = _Order.TRACK_END
    order = np.lexsort((rank, tick))
    status, one, two = (frozen(column[order].astype(np.uint8), np.uint8) for column in columns[1:])
    events = Events(
        frozen(tick[order], np.int64),
        status,
        one,
        two,
        frozen(payload[order], np.int64),
        track.payloads,
    )
    return Emitted(events, np.concatenate([notes for _, _, notes in groups])[order])


def _new_notes(part: Part) -> list[tuple[_Order, Messages, Ints]]:
    """The messages of notes that were not recorded: their starts and their ends."""
    notes = part.notes.only((part.notes.on < 0) & ~part.notes.muted)
    on, off = np.full(len(notes), NOTE_ON | part.channel), np.full(len(notes), NOTE_OFF | part.channel)
    pitch = notes.pitch.astype(np.int64)
    return [
        (_Order.NEW_ENDS, Messages(notes.end, off, pitch, notes.release), np.full(len(notes), NOTE_END)),
        (_Order.NEW_STARTS, Messages(notes.start, on, pitch, notes.velocity), notes.id),
    ]


class Stream(NamedTuple):
    """Channel messages of all parts in the order of time. One element of each array a message."""

    seconds: Floats
    part: Ints
    status: Bytes
    data1: Bytes
    data2: Bytes

    def pick(self, keep: Flags | Ints) -> "Stream":
        """Some of the messages, by mask or by rows."""
        return Stream._make(column[keep] for column in self)


@lru_cache(maxsize=8)
def stream(take: Take) -> Stream:
    """All channel messages with their times, each with the part it is for."""
    owner = {(part.track, part.channel): part.id for part in take.parts}
    pieces: list[tuple[np.ndarray, ...]] = []
    for number, track in enumerate(emit(take)):
        rows = np.flatnonzero((track.status >= NOTE_OFF) & (track.status < SYSEX))
        channel_part = np.array([owner.get((number, channel), -1) for channel in range(16)])
        status = track.status[rows]
        pieces.append((track.tick[rows], channel_part[status & 0x0F], status, track.data1[rows], track.data2[rows]))
    tick, part, status, one, two = (np.concatenate(column) for column in zip(*pieces, strict=True))
    order = np.argsort(tick, kind="stable")
    return Stream(take.tempo.seconds(tick[order]), part[order], status[order], one[order], two[order])


def listen(messages: Stream, start: float, end: float, chase: bool) -> Stream:
    """The messages to be heard from `start` to `end` in seconds (end not included).

    With `chase`, what is in force at `start` comes first, at that time: programs, controllers, pressure and bend as
    they stand, and parameter messages in full, since their order is their meaning.
    """
    within = (messages.seconds >= start) & (messages.seconds < end)
    if not chase:
        return messages.pick(within)
    before = messages.pick(messages.seconds < start)
    kind = before.status & 0xF0
    parameter = (kind == CONTROL) & np.isin(before.data1, rpn.CONTROLLERS)
    state = np.isin(kind, (CONTROL, PROGRAM, PRESSURE, BEND)) & ~parameter
    state &= (kind != CONTROL) | (before.data1 < MODE_MESSAGES)
    numbered = np.where(kind == CONTROL, before.data1, 0)
    stream_key = before.part << 16 | before.status.astype(np.int64) << 8 | numbered
    rows = np.flatnonzero(state)
    # np.unique keeps the first of each: read backwards, that is the last value of each stream.
    last = rows[::-1][np.unique(stream_key[rows][::-1], return_index=True)[1]]
    chased = before.pick(np.union1d(np.flatnonzero(parameter), last))
    chased = chased._replace(seconds=np.full(len(chased.seconds), start))
    here = messages.pick(within)
    pairs: list[tuple[np.ndarray, np.ndarray]] = list(zip(chased, here, strict=True))
    return Stream._make(np.concatenate(pair) for pair in pairs)


def message_bytes(messages: Stream) -> bytes:
    """The messages one after another as they would go down the cable; each tells its own length by its status."""
    kind = messages.status & 0xF0
    columns = np.stack([messages.status, messages.data1, messages.data2], axis=1)
    wanted = np.ones_like(columns, dtype=bool)
    wanted[:, 2] = (kind != PROGRAM) & (kind != PRESSURE)
    return bytes(columns[wanted])
