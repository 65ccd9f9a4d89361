"""From a take to MIDI events: the one place where what is drawn becomes what is heard and what is written."""

from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen
from expression.midi import rpn
from expression.midi.read import BEND, CONTROL, NOTE_OFF, PRESSURE, PROGRAM
from expression.midi.smf import SYSEX
from expression.take import Events, Part, Take

MODE_MESSAGES = 120
"""Controllers from here on are channel mode messages (all sound off, all notes off ...), not values in force."""


def emit(take: Take) -> tuple[Events, ...]:
    """The events of every track, at the take's resolution.

    Begins with what was recorded and changes only what strokes have changed, so an untouched take comes out as it was,
    event for event and in the same order.
    """
    tracks = list(take.tracks)
    for part in take.parts:
        tracks[part.track] = _velocities(tracks[part.track], part)
    for number in {part.track for part in take.parts if part.notes.muted.any()}:
        tracks[number] = _unmuted(tracks[number], [part for part in take.parts if part.track == number])
    return tuple(tracks)


def _velocities(track: Events, part: Part) -> Events:
    notes = part.notes
    if np.array_equal(track.data2[notes.on], notes.velocity):
        return track
    data2 = track.data2.copy()
    data2[notes.on] = notes.velocity
    return replace(track, data2=frozen(data2, np.uint8))


def _unmuted(track: Events, parts: list[Part]) -> Events:
    keep = np.ones(len(track), dtype=bool)
    for part in parts:
        muted = part.notes.muted
        keep[part.notes.on[muted]] = keep[part.notes.off[muted]] = False
    return Events(
        frozen(track.tick[keep], np.int64),
        frozen(track.status[keep], np.uint8),
        frozen(track.data1[keep], np.uint8),
        frozen(track.data2[keep], np.uint8),
        frozen(track.payload[keep], np.int64),
        track.payloads,
    )


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
