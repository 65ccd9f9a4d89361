"""How long notes sound: to the end of the key, or as long as the channel's pedals hold them."""

from collections import deque
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Column, Flags, Floats, Ints, looked_up, union, whole
from expression.curve import Curve
from expression.lanes import ALL_NOTES_OFF, ALL_SOUND_OFF, MODE_MESSAGES, SOSTENUTO, SUSTAIN, THRESHOLD
from expression.memo import worked_out
from expression.status import CONTROL
from expression.take import Channel, Lane, Rows, Take

RING_SECONDS = 1.0
"""So long a note is heard after it was let go, where nobody has said how long its instrument rings."""
NEVER = np.iinfo(np.int64).max
"""Beyond all ticks."""
NO_KEY = np.uint8(255)
BESIDE = 8
"""So many strikes of its key are looked at one after another that come next after a note."""
WITHIN = 2**21
"""Places within a tick: new values, new ends of notes, what was recorded in its order, new starts (see midi/order)."""


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
    again: Flags
    """Whether it stops because its key is struck again."""


@dataclass(frozen=True, eq=False)
class Times:
    """When notes sound: as `Sounding`, and the order in which they stand there of those of their parts."""

    start: Ints
    end: Ints
    key_up: Ints
    part: Ints
    pitch: Bytes
    id: Ints
    again: Flags
    order: Ints


class Pressed(NamedTuple):
    """Where a pedal is down: from one tick to another, and where among what happens at these ticks (`WITHIN`)."""

    down: Ints
    up: Ints
    down_place: Ints
    up_place: Ints


def struck(take: Take, channel: Channel, *names: str) -> list[Column]:
    """Named columns of the notes of a channel that are not muted, and then their parts, in the order of `start`."""
    columns = _columns(take, channel, *names)
    order = np.argsort(columns[names.index("start")], kind="stable")
    return [column[order] for column in columns]


def _columns(take: Take, channel: Channel, *names: str) -> list[Column]:
    """The same, part after part."""
    parts = take.parts_on(channel)
    heard = [~part.notes.muted if part.notes.muted.any() else slice(None) for part in parts]
    columns = [
        np.concatenate([getattr(part.notes, name)[rows] for part, rows in zip(parts, heard, strict=True)])
        for name in names
    ]
    counts = [len(part.notes.id[rows]) for part, rows in zip(parts, heard, strict=True)]
    return [*columns, np.repeat([part.id for part in parts], counts)]


def sounding(take: Take, channel: Channel, threshold: float = THRESHOLD, apart: bool = False) -> Sounding:
    """When the notes of a channel sound, whichever part they are of, with its sustain and sostenuto counted in.

    A note that only a pedal holds ends where its key is struck again; not where each has its own channel (`apart`).
    At one tick, what stands as it was recorded counts in its order. A pedal is down from `threshold` on.
    """
    times = sounding_times(take, channel, threshold, apart)
    velocity = _columns(take, channel, "velocity")[0][times.order]
    return Sounding(times.start, times.end, times.key_up, times.part, times.pitch, velocity, times.id, times.again)


def sounding_times(take: Take, channel: Channel, threshold: float = THRESHOLD, apart: bool = False) -> Times:
    """All of it but how hard they are struck: the very same again for as long as nothing that it rests on changes."""
    parts = take.parts_on(channel)
    # What it rests on: none of it changes where strokes only touch velocities, or other lanes.
    on = [
        *(getattr(part.notes, name) for part in parts for name in ("id", "start", "end", "pitch", "muted")),
        *(channel.lanes.get(key) for key in (SUSTAIN, SOSTENUTO)),
    ]
    last = _last(take.rows, channel.id, threshold, apart)
    known = (found for end, rests, found in list(last) if end == take.end and _same(rests, on))
    found = next(known, None)
    if found is None:
        found = _sounding(take, channel, threshold, apart)
        last.append((take.end, on, found))
    return found


def sounds_until(take: Take, channel: Channel, ids: Ints, ends: Ints) -> Ints:
    """When notes (by their ids) stop sounding, pedals counted in; `ends` is for those that are muted."""
    sounds = sounding(take, channel)
    row, sound = looked_up(ids, sounds.id)
    return np.where(sound, np.append(sounds.end, 0)[row], ends)


def died_away(take: Take, channel: Channel, ids: Ints, ends: Ints) -> Ints:
    """When notes are heard no longer: the same, and as long as the instrument rings on after that."""
    rings = RING_SECONDS if channel.answers.rings is None else channel.answers.rings
    return whole(take.tempo.tick(take.tempo.seconds(sounds_until(take, channel, ids, ends)) + rings))


_Known = deque[tuple[int, list[object], Times]]
MOST_KNOWN = 4


@worked_out(256)
def _last(_: Rows, channel: int, threshold: float, apart: bool) -> _Known:
    """What was worked out last of a channel of a recording, and what it rests on; gone with the recording."""
    return deque(maxlen=MOST_KNOWN)


def _same(one: list[object], other: list[object]) -> bool:
    return len(one) == len(other) and all(a is b for a, b in zip(one, other, strict=True))


def _sounding(take: Take, channel: Channel, threshold: float, apart: bool) -> Times:
    columns = _columns(take, channel, "start", "end", "pitch", "id", "on", "off")
    order = np.argsort(columns[0], kind="stable")
    start, end, pitch, id_, on, off, part = (column[order] for column in columns)
    begins, let_go = _places(take, part, start, on, WITHIN - 1), _places(take, part, end, off, 1)
    until, place = end.copy(), let_go
    for pedal in zip(*pressed(take, channel, SOSTENUTO, threshold), strict=True):
        # Sostenuto holds the keys that were down when it was pressed.
        _, up, down_place, up_place = pedal
        held = (begins < down_place) & (let_go > down_place) & (let_go < up_place)
        place = np.where(held, np.maximum(place, up_place), place)
        until = np.where(held, np.maximum(until, up), until)
    sustain = pressed(take, channel, SUSTAIN, threshold)
    if len(sustain.down):
        row = np.searchsorted(sustain.down_place, place, side="right") - 1
        held = (row >= 0) & (place < sustain.up_place[np.maximum(row, 0)])
        until = np.where(held, np.maximum(until, sustain.up[np.maximum(row, 0)]), until)
    silent, silent_place = _silences(take, channel)
    if len(silent):
        row = np.searchsorted(silent_place, let_go)
        until = np.minimum(until, np.append(silent, np.iinfo(np.int64).max)[row])
    # One whose key is let go as soon as it is struck is not struck again by itself.
    again = np.append(start, NEVER)[_struck_again(pitch, begins, np.maximum(let_go, begins + 1))]
    cut = (again < until) & (not apart)
    until = np.where(cut, np.maximum(again, end), until)
    return Times(start, until, end, part, pitch, id_, cut, order)


@worked_out(16)
def pressed(take: Take, channel: Channel, key: str, on: float = THRESHOLD, off: float | None = None) -> Pressed:
    """Where a pedal is down: from the value `on` upwards, until it falls below `off`."""
    lane = channel.lanes.get(key)
    if lane is None or not len(lane.curve):
        return Pressed(*[np.zeros(0, dtype=np.int64)] * 4)
    ticks, is_down, places = _states(lane, on, on if off is None else off, take)
    edges = np.flatnonzero(np.diff(is_down, prepend=False))
    at, where = np.append(ticks, take.end)[edges], np.append(places, 0)[edges]
    if len(edges) % 2:
        # Still down at the end of the take.
        at, where = np.append(at, max(take.end, int(at[-1]))), np.append(where, np.iinfo(np.int64).max)
    return Pressed(at[::2], at[1::2], where[::2], where[1::2])


def _places(take: Take, part: Ints, ticks: Ints, rows: Ints, new: int) -> Ints:
    """Where among all that happens notes begin or end; what does not stand as recorded is `new`."""
    first = np.array([int(take.rows.first[one.track]) for one in take.parts], dtype=np.int64)
    row = np.where(rows >= 0, first[part] + rows, 0) if len(part) else rows
    stands = (rows >= 0) & (take.rows.tick[row] == ticks) if len(take.rows.tick) else np.zeros(len(rows), dtype=bool)
    return np.asarray(ticks * WITHIN + np.where(stands, row + 2, new))


def notes_off(take: Take, channel: Channel) -> Ints:
    """When all keys of a channel are let go by a message (MIDI 1.0, All Notes Off, and the modes that imply it)."""
    rows = _said(take.rows, channel.number, _tracks(take, channel), tuple(range(ALL_NOTES_OFF, 128)))
    return np.sort(take.rows.tick[rows])


def _silences(take: Take, channel: Channel) -> tuple[Ints, Ints]:
    """When all sound is put off on a channel (MIDI 1.0, All Sound Off), and the places of that."""
    rows = _said(take.rows, channel.number, _tracks(take, channel), (ALL_SOUND_OFF,))
    places = take.rows.tick[rows] * WITHIN + rows + 2
    order = np.argsort(places)
    return take.rows.tick[rows][order], places[order]


def _tracks(take: Take, channel: Channel) -> tuple[int, ...]:
    return tuple(sorted({part.track for part in take.parts_on(channel)}))


# Once of a recording: what its channels are told in between does not change with its notes.
@worked_out(64)
def _said(rows: Rows, number: int, tracks: tuple[int, ...], numbers: tuple[int, ...]) -> Ints:
    """Rows of the mode messages on a channel (its `number`) of some tracks that have one of some numbers."""
    found = np.flatnonzero((rows.status == (CONTROL | number)) & (rows.data1 >= MODE_MESSAGES))
    return found[np.isin(rows.data1[found], numbers) & np.isin(rows.track[found], tracks)]


def next_struck(pitch: Bytes, at: Ints, keys: Bytes, since: Ints) -> Ints:
    """Of strikes of keys (their `pitch`, and when or at what place) the first of each of some `keys` from a moment on:
    its row, or -1 where there is none.
    """
    ranks = union(at, since)
    many = len(ranks) + 1
    struck_at = pitch.astype(np.int64) * many + np.searchsorted(ranks, at)
    order = np.argsort(struck_at, kind="stable")
    wanted = keys.astype(np.int64) * many + np.searchsorted(ranks, since)
    row = np.append(order, -1)[np.searchsorted(struck_at[order], wanted)]
    # What comes next may be of a higher key.
    return np.where(np.append(pitch, NO_KEY)[row] == keys, row, -1)


def _struck_again(pitch: Bytes, at: Ints, since: Ints) -> Ints:
    """Of notes (their keys and places) the next of the same key from a place on that lies behind their own: its row, or
    -1 where there is none.
    """
    order = np.lexsort((at, pitch))
    keys, places, wanted = np.append(pitch[order], NO_KEY), np.append(at[order], NEVER), since[order]
    # Mostly that is the next one; but some are held while their key is struck again.
    after, held = np.arange(len(order)) + 1, np.arange(len(order))
    for _ in range(BESIDE):
        held = held[(keys[after[held]] == keys[held]) & (places[after[held]] < wanted[held])]
        if not len(held):
            break
        after[held] += 1
    found = np.empty_like(after)
    found[order] = np.where(keys[after] == keys[:-1], np.append(order, -1)[after], -1)
    if len(held):
        found[order[held]] = next_struck(pitch, at, keys[held], wanted[held])
    return found


def _states(lane: Lane, on: float, off: float, take: Take) -> tuple[Ints, Flags, Ints]:
    """Ticks from which a pedal is down or up, and their places."""
    curve = lane.curve
    ways = np.flatnonzero(curve.ways)
    from_, to = curve.values[ways], curve.values[ways + 1]
    rising, falling = ways[(from_ < on) & (to >= on)], ways[(from_ >= off) & (to < off)]
    crossed = np.concatenate((_crossing(curve, rising, on, True), _crossing(curve, falling, off, False)))
    turns = np.concatenate((np.ones(len(rising), dtype=int), -np.ones(len(falling), dtype=int)))
    told = np.where(curve.values >= on, 1, np.where(curve.values < off, -1, 0))
    origin = lane.origin
    rows = np.maximum(origin, 0)
    stands = (origin >= 0) & (take.rows.tick[rows] == curve.ticks) if len(take.rows.tick) else origin >= 0
    places = np.maximum.accumulate(curve.ticks * WITHIN + np.where(stands, origin + 2, 0))
    ticks = np.concatenate((curve.ticks, crossed))
    turns, places = np.concatenate((told, turns)), np.concatenate((places, crossed * WITHIN))
    order = np.argsort(places, kind="stable")
    ticks, turns, places = ticks[order], turns[order], places[order]
    # What lies between the two thresholds leaves the pedal as it is.
    last = np.maximum.accumulate(np.where(turns != 0, np.arange(len(turns)), -1))
    return ticks, np.where(last >= 0, turns[np.maximum(last, 0)], -1) > 0, places


def _crossing(curve: Curve, ways: Ints, level: float, rising: bool) -> Ints:
    """Where ways come to a level, to the nearest tick."""
    first, last = curve.ticks[ways].copy(), curve.ticks[ways + 1].copy()
    while (last - first > 1).any():
        middle = (first + last) // 2
        values: Floats = curve.at(middle)
        there = (values >= level) if rising else (values < level)
        first, last = np.where(there, first, middle), np.where(there, middle, last)
    return last
