"""A shaped lane as messages: what stays of the recording, what changes in its place, what comes."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Floats, Ints, whole
from expression.curve import form
from expression.lanes import FINE_OFFSET, controller_of
from expression.midi.read import BEND, BEND_CENTRE, CONTROL, PRESSURE
from expression.take import Events, Lane, Part, Take

STEP_SECONDS = {"bend": 0.002}
"""No two events of a lane come closer together than this between its nodes."""
DEFAULT_STEP_SECONDS = 0.005
BEND_GRAIN = 1 / 64
"""A step of bend, in semitones, that is worth an event."""


class Messages(NamedTuple):
    """Channel messages with their ticks. One element of each array a message."""

    tick: Ints
    status: Ints | Bytes
    data1: Ints | Bytes
    data2: Ints | Bytes


class LaneMessages(NamedTuple):
    """What becomes of a lane's recorded events (by rows of the track), and the messages that are new."""

    recorded: Ints
    kept: Ints
    changed: Ints
    new_data1: Ints
    new_data2: Ints
    added: Messages


def messages(take: Take, part: Part, track: Events, key: str, tolerance: float = 0.0) -> LaneMessages:
    """Nodes that were not touched stand for their recorded events; the others, and the ways between, are made anew."""
    lane = part.lanes.get(key) or Lane.empty(key)
    recorded = _recorded_rows(part, track, key)
    controller = controller_of(key)
    has_fine = controller is not None and bool((track.data1[recorded] == controller + FINE_OFFSET).any())
    moved = lane.touched & (lane.origin >= 0)
    # A value with a fine half is two messages: it does not fit into the place of one.
    in_place = np.zeros_like(moved) if has_fine else moved
    untouched = lane.origin[~lane.touched & (lane.origin >= 0)]
    _, one, two = _encode(part, key, lane.curve.ticks[in_place], lane.curve.values[in_place])
    # Of several nodes at one tick only the last is ever heard.
    fresh = lane.touched & ~in_place & (np.diff(lane.curve.ticks, append=-1) != 0)
    ticks, values = _ways(take, lane, key, tolerance)
    ticks = np.concatenate((lane.curve.ticks[fresh], ticks))
    values = np.concatenate((lane.curve.values[fresh], values))
    order = np.argsort(ticks, kind="stable")
    return LaneMessages(
        recorded=recorded,
        kept=np.concatenate((untouched, lane.origin[in_place])),
        changed=lane.origin[in_place],
        new_data1=one,
        new_data2=two,
        added=_new(part, key, ticks[order], values[order], has_fine),
    )


def _recorded_rows(part: Part, track: Events, key: str) -> Ints:
    status = track.status
    if key == "bend":
        mask = status == BEND | part.channel
    elif key == "pressure":
        mask = status == PRESSURE | part.channel
    else:
        controller = controller_of(key)
        assert controller is not None
        numbers = [controller, controller + FINE_OFFSET] if controller < FINE_OFFSET else [controller]
        mask = (status == CONTROL | part.channel) & np.isin(track.data1, numbers)
    return np.flatnonzero(mask)


def _encode(part: Part, key: str, ticks: Ints, values: Floats) -> tuple[Ints, Ints, Ints]:
    """Status and data bytes for values of a lane: the one place where they are rounded."""
    if key == "bend":
        ranges = part.bend_range
        semitones = ranges.semitones[np.maximum(np.searchsorted(ranges.ticks, ticks, side="right") - 1, 0)]
        share = np.divide(values, semitones, out=np.zeros_like(values), where=semitones > 0)
        raw = np.clip(whole(share * BEND_CENTRE) + BEND_CENTRE, 0, 2 * BEND_CENTRE - 1)
        return np.full(len(raw), BEND | part.channel), raw & 0x7F, raw >> 7
    value = np.clip(whole(values), 0, 127)
    if key == "pressure":
        return np.full(len(value), PRESSURE | part.channel), value, np.zeros_like(value)
    return np.full(len(value), CONTROL | part.channel), np.full(len(value), controller_of(key)), value


def _new(part: Part, key: str, ticks: Ints, values: Floats, has_fine: bool) -> Messages:
    controller = controller_of(key)
    if not has_fine or controller is None:
        return Messages(ticks, *_encode(part, key, ticks, values))
    # Coarse, then fine, at each tick (MIDI 1.0: the coarse half sets the fine one to 0).
    both = np.clip(whole(values * 128), 0, 127 * 128 + 127)
    status = np.full(2 * len(ticks), CONTROL | part.channel)
    number = np.tile([controller, controller + FINE_OFFSET], len(ticks))
    return Messages(np.repeat(ticks, 2), status, number, np.stack((both >> 7, both & 0x7F), axis=1).ravel())


def _ways(take: Take, lane: Lane, key: str, tolerance: float) -> tuple[Ints, Floats]:
    """Events between nodes that are joined by a curve: where the rounded value changes, a time step apart at least.

    Rounded to the tolerance, where one is given, so that an event comes before the curve has gone further than that.
    """
    curve = lane.curve
    nodes = np.flatnonzero(~curve.hold[:-1])
    seconds = STEP_SECONDS.get(key, DEFAULT_STEP_SECONDS)
    grain = max(BEND_GRAIN if key == "bend" else 1.0, tolerance)
    start, end = curve.ticks[nodes], curve.ticks[nodes + 1]
    steps = ((take.tempo.seconds(end) - take.tempo.seconds(start)) / seconds).astype(np.int64)
    inner = np.maximum(steps - 1, 0)
    way = np.repeat(np.arange(len(nodes)), inner)
    if not len(way):
        return np.zeros(0, dtype=np.int64), np.zeros(0)
    step = np.arange(len(way)) - np.repeat(np.cumsum(inner) - inner, inner) + 1
    at = start[way] + whole((end - start)[way] * step / steps[way])
    node = nodes[way]
    share = form((at - start[way]) / (end - start)[way], curve.lift[node], curve.ease[node])
    value = curve.values[node] + (curve.values[node + 1] - curve.values[node]) * share
    level = whole(value / grain)
    before = np.where(step == 1, whole(curve.values[node] / grain), np.concatenate((level[:1], level[:-1])))
    changed = level != before
    return at[changed], value[changed]
