"""From a take to MIDI events: the one place where what is drawn becomes what is heard and what is written."""

from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen
from expression.midi import lanes, rpn
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
    return tuple(emitted.events for emitted in emit_with_rows(take))


class Emitted(NamedTuple):
    """A track as emitted, and for each event its row among the recorded ones (-1: there was none)."""

    events: Events
    rows: Ints


@lru_cache(maxsize=8)
def emit_with_rows(take: Take) -> tuple[Emitted, ...]:
    """`emit`, with what each event was before."""
    tracks = [Emitted(track, np.arange(len(track))) for track in take.tracks]
    for part in take.parts:
        tracks[part.track] = tracks[part.track]._replace(events=_velocities(tracks[part.track].events, part))
    for number in {part.track for part in take.parts if part.notes.muted.any() or part.shaped}:
        parts = [part for part in take.parts if part.track == number]
        tracks[number] = _recut(take, tracks[number].events, parts)
    return tuple(tracks)


def _velocities(track: Events, part: Part) -> Events:
    notes = part.notes
    if np.array_equal(track.data2[notes.on], notes.velocity):
        return track
    data2 = track.data2.copy()
    data2[notes.on] = notes.velocity
    return replace(track, data2=frozen(data2, np.uint8))


def _recut(take: Take, track: Events, parts: list[Part]) -> Emitted:
    """A track from which events go, and to which others come: before those recorded at the same tick."""
    keep = np.ones(len(track), dtype=bool)
    data1, data2 = track.data1.copy(), track.data2.copy()
    added: list[lanes.Messages] = []
    for part in parts:
        muted = part.notes.muted
        keep[part.notes.on[muted]] = keep[part.notes.off[muted]] = False
        for key in sorted(part.shaped):
            made = lanes.messages(take, part, track, key)
            keep[made.recorded] = False
            keep[made.kept] = True
            data1[made.changed], data2[made.changed] = made.new_data1, made.new_data2
            added.append(made.added)
    rows = np.flatnonzero(keep)
    new = lanes.Messages._make(np.concatenate(column) for column in zip(*added, strict=True)) if added else None
    count = len(new.tick) if new else 0
    before = np.full(count, -1)
    tick = np.concatenate((new.tick, track.tick[rows])) if new else track.tick[rows]
    order = np.argsort(tick, kind="stable")

    def column(fresh: np.ndarray | None, recorded: np.ndarray) -> np.ndarray:
        joined = recorded[rows] if fresh is None else np.concatenate((fresh, recorded[rows]))
        return frozen(joined[order].astype(recorded.dtype), recorded.dtype)

    events = Events(
        frozen(tick[order], np.int64),
        column(new and new.status, track.status),
        column(new and new.data1, data1),
        column(new and new.data2, data2),
        column(before if new else None, track.payload),
        track.payloads,
    )
    return Emitted(events, np.concatenate((before, rows))[order] if new else rows[order])


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
