"""How long notes sound: to the end of the key, or as long as the channel's pedals hold them."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from expression.arrays import Bytes, Floats, Ints
from expression.curve import Curve
from expression.lanes import OFF, ON, SOSTENUTO, SUSTAIN, THRESHOLD
from expression.take import Channel, Take


class Sounding(NamedTuple):
    """Notes of a channel by their starts. One element of each array a note; times in ticks."""

    start: Ints
    end: Ints
    """When they stop sounding."""
    key_up: Ints
    part: Ints
    pitch: Bytes
    velocity: Bytes
    id: Ints


def struck(take: Take, channel: Channel, *names: str) -> list[NDArray[Any]]:
    """Named columns of the notes of a channel that are not muted, and then their parts, in the order of `start`."""
    parts = take.parts_on(channel)
    notes = [part.notes.only(~part.notes.muted) for part in parts]
    columns = [np.concatenate([getattr(one, name) for one in notes]) for name in names]
    columns.append(np.repeat([part.id for part in parts], [len(one) for one in notes]))
    order = np.argsort(columns[names.index("start")], kind="stable")
    return [column[order] for column in columns]


def sounding(take: Take, channel: Channel) -> Sounding:
    """When the notes of a channel sound, whichever part they are of, with its sustain and sostenuto counted in."""
    start, end, pitch, velocity, id_, part = struck(take, channel, "start", "end", "pitch", "velocity", "id")
    until = end.copy()
    for on, off in _pressed(channel, SOSTENUTO, take.end):
        # Sostenuto holds the keys that were down when it was pressed.
        held = (start < on) & (end > on) & (end < off)
        until[held] = np.maximum(until[held], off)
    pressed = _pressed(channel, SUSTAIN, take.end)
    if len(pressed):
        row = np.searchsorted(pressed[:, 0], end, side="right") - 1
        off = pressed[np.maximum(row, 0), 1]
        until = np.where((row >= 0) & (end < off), np.maximum(until, off), until)
    return Sounding(start, until, end, part, pitch, velocity, id_)


def _pressed(channel: Channel, key: str, end: int) -> Ints:
    """Where a pedal is down: (from, to) in ticks, a row each."""
    lane = channel.lanes.get(key)
    if lane is None:
        return np.zeros((0, 2), dtype=np.int64)
    ticks, values = _told(lane.curve)
    down = np.concatenate(([False], values >= THRESHOLD, [False]))
    edges = np.flatnonzero(down[1:] != down[:-1])
    return np.append(ticks, end)[edges].reshape(-1, 2)


def _told(curve: Curve) -> tuple[Ints, Floats]:
    """Nodes, and where ways between them cross the point at which the pedal holds, to the nearest tick."""
    crossed = np.flatnonzero(~curve.hold[:-1] & ((curve.values[1:] >= THRESHOLD) != (curve.values[:-1] >= THRESHOLD)))
    low, high = curve.ticks[crossed], curve.ticks[crossed + 1]
    rising = curve.values[crossed + 1] >= THRESHOLD
    first, last = low.copy(), high.copy()
    while (last - first > 1).any():
        middle = (first + last) // 2
        on = (curve.at(middle) >= THRESHOLD) == rising
        first, last = np.where(on, first, middle), np.where(on, middle, last)
    ticks = np.concatenate((curve.ticks, last))
    values = np.concatenate((curve.values, np.where(rising, ON, OFF)))
    order = np.argsort(ticks, kind="stable")
    return ticks[order], values[order]
