"""Some of a take as a Standard MIDI File: some parts, some bars, one track; with what is in force where it begins."""

from collections import defaultdict, deque
from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from expression.arrays import Ints, frozen
from expression.errors import NothingMatched
from expression.midi.emit import emit_with_notes
from expression.midi.ground import with_ground
from expression.midi.playback import RELEASE, Stream, in_force
from expression.midi.smf import END_OF_TRACK, PORT, TEMPO, TIME_SIGNATURE, TRACK_NAME
from expression.midi.texts import with_texts
from expression.midi.write import Way, composed, sent
from expression.status import ESCAPE, META, NOTE_OFF, NOTE_ON, POLY_PRESSURE, SYSEX
from expression.take import Events, Take

KEY_SIGNATURE = 0x59
NAMING = (TRACK_NAME, 0x04, 0x09, 0x20, PORT)
"""Metas that say what a track is: its name, instrument, device, channel and port (SMF 1.0, RP-019)."""
LASTING = (TEMPO, TIME_SIGNATURE, KEY_SIGNATURE)
"""Metas of which the last said is in force."""


class Asked(NamedTuple):
    """What of a take is wanted; nothing said: all of it, as it came."""

    parts: tuple[int, ...] | None = None
    span: tuple[int, int] | None = None
    """Ticks, from the first to before the second."""
    format: Literal[0, 1] | None = None


def excerpt(take: Take, asked: Asked, tolerance: float = 0.0, way: Way | None = None) -> bytes:
    """The file of what is asked for. Raises NothingMatched where that is nothing, or cannot be said in one track.

    Of some bars, notes that begin in them are there, up to where the bars end; programs, controllers, pressure and bend
    stand as they do there.
    """
    formed = sent(take, way)
    if asked.parts is not None:
        formed = of_parts(formed, asked.parts)
    tracks = [
        with_texts(formed, number, events)
        for number, events in enumerate(_tracks(formed, asked.parts, tolerance))
        if events is not None
    ]
    if formed.is_conducted:
        tracks[0] = with_ground(formed, tracks[0])
    if asked.span is not None:
        tracks = [cut(track, *asked.span) for track in tracks]
        if not any((track.status & 0xF0 == NOTE_ON).any() for track in tracks):
            raise NothingMatched("No note begins in these bars; choose others.", "span")
    if asked.format == 0 and len(tracks) > 1:
        tracks = [merged(tracks)]
    format_ = max(take.header.format, 1) if len(tracks) > 1 else take.header.format
    return composed(take, format_ if asked.format is None else asked.format, tracks)


def of_parts(take: Take, parts: Sequence[int]) -> Take:
    """The take with the notes of some parts alone. Raises NothingMatched."""
    unknown = [one for one in parts if one >= len(take.parts)]
    if unknown or not parts:
        raise NothingMatched(f"This take has no part {unknown[0]}." if unknown else "Choose a part.", "parts")
    nothing = np.zeros(0, dtype=np.int64)
    return take.with_notes({part.id: part.notes.only(nothing) for part in take.parts if part.id not in parts})


def _tracks(take: Take, parts: Sequence[int] | None, tolerance: float) -> list[Events | None]:
    """What each track says, of some parts what is said to their channels; None for a track that has none of them."""
    emitted = emit_with_notes(take, tolerance)
    if parts is None:
        return [track.events for track in emitted]
    channels = [take.parts[one].channel.id for one in parts]
    wanted = {0, *(take.parts[one].track for one in parts)}
    found: list[Events | None] = []
    for number, track in enumerate(emitted):
        mine = np.isin(track.owner, channels)
        keep = mine | (track.events.status >= SYSEX)
        # What was put in a track of its own, for a zone, is there where any of it is wanted.
        is_there = number in wanted if number < len(take.tracks) else bool(mine.any())
        found.append(_picked(track.events, np.flatnonzero(keep)) if is_there else None)
    return found


def _picked(events: Events, rows: Ints, tick: Ints | None = None) -> Events:
    """Some events, at other times where they are given."""
    status, one, two = (frozen(column[rows], np.uint8) for column in (events.status, events.data1, events.data2))
    times = frozen(events.tick[rows] if tick is None else tick, np.int64)
    return Events(times, status, one, two, frozen(events.payload[rows], np.int64), events.payloads)


def cut(events: Events, first: int, after: int) -> Events:
    """A track from one tick to before another, counted from there, with what is in force before all else."""
    status, tick = events.status, events.tick
    kind = np.where(status < SYSEX, status & 0xF0, status)
    before = np.flatnonzero(tick < first)
    is_over = (status == META) & (events.data1 == END_OF_TRACK)
    ended, left = _ends(events, first, after)
    within = (tick >= first) & (tick < after) & ~is_over
    within[np.isin(kind, (NOTE_OFF, NOTE_ON)) & ~np.isin(np.arange(len(tick)), ended)] = False
    # What is said to a key that is not struck here means nothing.
    within[(kind == POLY_PRESSURE) & ~_is_down(events, ended)] = False
    rows = np.concatenate((_standing(events, before), np.flatnonzero(within)))
    moved = np.maximum(tick[rows], first) - first
    cut_off = _picked(events, rows, moved)
    count = len(left)
    whole = Events(
        frozen(np.concatenate((cut_off.tick, np.full(count + 1, after - first))), np.int64),
        frozen(np.concatenate((cut_off.status, NOTE_OFF | (status[left] & 0x0F), [META])), np.uint8),
        frozen(np.concatenate((cut_off.data1, events.data1[left], [END_OF_TRACK])), np.uint8),
        frozen(np.concatenate((cut_off.data2, np.full(count, RELEASE), [0])), np.uint8),
        frozen(np.concatenate((cut_off.payload, np.full(count, -1), [len(events.payloads)])), np.int64),
        (*events.payloads, b""),
    )
    return _in_order(whole)


def _ends(events: Events, first: int, after: int) -> tuple[Ints, Ints]:
    """Rows of what is said of notes which begin within; and of the strikes that are not let go there."""
    kind = events.status & 0xF0
    notes = np.flatnonzero((events.status < SYSEX) & ((kind == NOTE_ON) | (kind == NOTE_OFF)))
    down: dict[tuple[int, int], deque[int]] = defaultdict(deque)
    kept: list[int] = []
    for row in notes.tolist():
        tick = int(events.tick[row])
        if tick >= after:
            break
        key = int(events.status[row]) & 0x0F, int(events.data1[row])
        if kind[row] == NOTE_ON and events.data2[row]:
            down[key].append(row)
            if tick >= first:
                kept.append(row)
        elif down[key]:
            struck = down[key].popleft()
            if events.tick[struck] >= first:
                kept.append(row)
    left = sorted(row for rows in down.values() for row in rows if events.tick[row] >= first)
    return np.array(sorted(kept), dtype=np.int64), np.array(left, dtype=np.int64)


def _is_down(events: Events, kept: Ints) -> np.ndarray:
    """Of each event whether its key was struck by a note that is kept, at its time or before."""
    kind = events.status & 0xF0
    key = (events.status & 0x0F).astype(np.int64) << 7 | events.data1
    struck = kept[kind[kept] == NOTE_ON]
    since = np.full(16 << 7, np.iinfo(np.int64).max)
    np.minimum.at(since, key[struck], struck)
    return np.asarray(np.arange(len(key)) > since[key])


def _standing(events: Events, before: Ints) -> Ints:
    """Of the events before a place those that are in force there: rows, ascending."""
    status, one = events.status[before], events.data1[before]
    naming = (status == META) & np.isin(one, NAMING)
    exclusive = (status == SYSEX) | (status == ESCAPE)
    lasting = np.flatnonzero((status == META) & np.isin(one, LASTING))
    last = {int(one[row]): row for row in lasting.tolist()}
    said = np.flatnonzero(status < SYSEX)
    channels = status[said].astype(np.int64) & 0x0F
    columns = (status[said], one[said], events.data2[before][said])
    forced = said[in_force(Stream(events.tick[before][said].astype(np.float64), channels, *columns))]
    rows = np.concatenate((np.flatnonzero(naming | exclusive), np.array(sorted(last.values()), dtype=np.int64), forced))
    return np.asarray(before[np.unique(rows)])


def _in_order(events: Events) -> Events:
    """By time; the end mark last, of one time what lets go first."""
    over = (events.status == META) & (events.data1 == END_OF_TRACK)
    ending = (events.status & 0xF0 == NOTE_OFF) & (events.status < SYSEX) & (events.tick == events.tick.max(initial=0))
    order = np.lexsort((np.where(over, 2, np.where(ending, 0, 1)), events.tick))
    return _picked(events, order)


def merged(tracks: Sequence[Events]) -> Events:
    """All tracks as one. Raises NothingMatched where they say on which ports they are: one track has one."""
    ports = {
        track.payloads[int(track.payload[row])]
        for track in tracks
        for row in np.flatnonzero((track.status == META) & (track.data1 == PORT)).tolist()
    }
    if len(ports) > 1:
        raise NothingMatched(
            f"These parts go to {len(ports)} ports, which one track (format 0) cannot tell apart. Take format 1, or "
            "fewer parts.",
            "format",
        )
    payload: list[Ints] = []
    payloads: list[bytes] = []
    for track in tracks:
        payload.append(np.where(track.payload >= 0, track.payload + len(payloads), -1))
        payloads += track.payloads
    columns = [np.concatenate([getattr(one, name) for one in tracks]) for name in ("tick", "status", "data1", "data2")]
    last = int(columns[0].max(initial=0))
    status, one, two = (frozen(column, np.uint8) for column in columns[1:])
    more = frozen(np.concatenate(payload), np.int64)
    both = Events(frozen(columns[0], np.int64), status, one, two, more, tuple(payloads))
    keep = ~((both.status == META) & (both.data1 == END_OF_TRACK))
    # Of several tracks the first gives its name.
    names = np.flatnonzero((both.status == META) & (both.data1 == TRACK_NAME))
    keep[names[1:]] = False
    rows = np.flatnonzero(keep)
    rows = rows[np.argsort(both.tick[rows], kind="stable")]
    end = int(np.flatnonzero((both.status == META) & (both.data1 == END_OF_TRACK))[-1])
    whole = _picked(both, np.append(rows, end))
    return _picked(whole, np.arange(len(whole)), np.append(whole.tick[:-1], last))
