"""Zones of MPE in a recording (M1-100): which channels belong to one, and what is said there to single notes."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints
from expression.cable import Zone
from expression.curve import Curve
from expression.lanes import (
    BEND,
    BESIDE,
    DATA_LSB,
    DATA_MSB,
    LANES,
    NOTE_LANES,
    NOTE_PITCH,
    NOTE_PRESSURE,
    NRPN_LSB,
    NRPN_MSB,
    PARAMETERS,
    RPN_LSB,
    RPN_MSB,
)
from expression.midi.rpn import NOTHING
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.status import BEND_CENTRE, CONTROL, NOTE_OFF, NOTE_ON, PRESSURE, SYSEX
from expression.take import Events, Rows

CONFIGURATION, RANGE = (0, 6), (0, 0)
MEMBER_RANGE = 48.0
"""Semitones, until another is set (M1-100, 2.1.1)."""
LEAST_MEMBERS = 3
"""Fewer channels of single notes are several instruments."""


class ZoneFound(NamedTuple):
    """A zone of a recording."""

    zone: Zone
    manager: int
    """The line (port times 16, and channel) that manages it."""
    members: tuple[int, ...]
    """Lines."""
    rows: Ints
    """The messages that set it up."""


def zones(rows: Rows, line: Ints) -> list[ZoneFound]:
    """The zones that a recording sets up. One whose members change their range is read channel by channel."""
    control = np.flatnonzero((line >= 0) & ((rows.status & 0xF0) == CONTROL) & np.isin(rows.data1, PARAMETERS))
    if not len(control):
        return []
    control = control[np.argsort(rows.rank[control])]
    chosen: dict[int, tuple[int, int]] = {}
    sizes: dict[int, int] = {}
    choosing: dict[int, list[int]] = {}
    about: dict[int, list[int]] = {}
    ranges: dict[int, list[tuple[int, float]]] = {}
    columns = (line[control], rows.data1[control], rows.data2[control])
    for row, on, number, value in zip(*(column.tolist() for column in (control, *columns)), strict=True):
        known = chosen.get(on, NOTHING)
        if number in (NRPN_MSB, NRPN_LSB):
            chosen[on] = NOTHING
        elif number in (RPN_MSB, RPN_LSB):
            chosen[on] = (value, known[1]) if number == RPN_MSB else (known[0], value)
            choosing.setdefault(on, []).append(row)
        elif known == CONFIGURATION and on & 0x0F in (0, 15):
            if number == DATA_MSB:
                sizes[on] = max(sizes.get(on, 0), min(value, 15))
            about.setdefault(on, []).extend([*choosing.pop(on, []), row])
        elif known == RANGE:
            choosing.pop(on, None)
            told = ranges.setdefault(on, [])
            if number == DATA_MSB:
                told.append((row, float(value)))
            elif number == DATA_LSB and told:
                told.append((row, np.floor(told[-1][1]) + value / 100))
    return [
        found
        for manager, count in sizes.items()
        if count and (found := _zone(rows, line, manager, min(count, 15), about[manager], ranges, sizes)) is not None
    ]


def _zone(
    rows: Rows,
    line: Ints,
    manager: int,
    count: int,
    about: list[int],
    ranges: dict[int, list[tuple[int, float]]],
    sizes: dict[int, int],
) -> ZoneFound | None:
    lower = manager & 0x0F == 0
    other = manager + 15 if lower else manager - 15
    if sizes.get(other):
        # Both zones cannot have the same members: the one that is read first keeps them.
        count = min(count, 14 - sizes[other]) if not lower else min(count, 14)
    if count < 1:
        return None
    zone = Zone(lower, count)
    members = tuple((manager & ~0x0F) + channel for channel in zone.channels)
    told = sorted(one for member in members for one in ranges.get(member, []))
    struck = np.flatnonzero(np.isin(line, members) & ((rows.status & 0xF0) == NOTE_ON))
    first = int(rows.tick[struck].min()) if len(struck) else 0
    before = [size for row, size in told if rows.tick[row] <= first]
    last = {size for row, size in told if rows.tick[row] > first}
    reach = before[-1] if before else MEMBER_RANGE
    if last - {reach, float(np.floor(reach))} or not 1 <= reach <= 96:
        return None
    controls = np.isin(line, members) & ((rows.status & 0xF0) == CONTROL)
    parameters = np.flatnonzero(controls & np.isin(rows.data1, PARAMETERS))
    about_it = np.union1d(np.array(about, dtype=np.int64), parameters)
    return ZoneFound(zone._replace(reach=reach), manager, members, about_it)


def curves_in(track: Events, here: Ints, found: ZoneFound, notes: Notes) -> tuple[dict[str, NoteCurves], Ints]:
    """The curves of notes on the members of a zone, and the rows of the track that say them.

    What a channel says while a note sounds is that note's; what it says after, the next one begins with.
    """
    said: dict[str, list[tuple[Ints, Ints, Ints, Floats]]] = {}
    status = track.status[here]
    for member in found.members:
        mine = here[(status & 0x0F) == (member & 0x0F)]
        own = np.flatnonzero(np.isin(notes.on, mine))
        if not len(own):
            continue
        own = own[np.argsort(notes.on[own])]
        kind, first = track.status[mine] & 0xF0, track.data1[mine]
        for key in _kinds(kind, first):
            rows = mine[_carries(key, kind, first)]
            values = _values(key, track.data1[rows], track.data2[rows], found.zone.reach)
            said.setdefault(key, []).append(_shared(track, rows, values, notes, own))
    curves, claimed = {}, [here[:0]]
    for key, pieces in said.items():
        rows, notes_of_rows = (np.concatenate([piece[column] for piece in pieces]) for column in (0, 1))
        nodes = [_nodes(track, notes, piece, LANES[key].default) for piece in pieces]
        owner = np.concatenate([node[0] for node in nodes])
        ticks, values = (np.concatenate([node[column] for node in nodes]) for column in (1, 2))
        curves[key] = NoteCurves.of(owner, Curve.of(ticks, values)).recorded(rows, notes.id[notes_of_rows])
        claimed.append(rows)
    return curves, np.unique(np.concatenate(claimed))


def _kinds(kind: Bytes, one: Bytes) -> list[str]:
    return [key for key in NOTE_LANES if _carries(key, kind, one).any()]


def _carries(key: str, kind: Bytes, one: Bytes) -> Flags:
    if key == NOTE_PRESSURE:
        return np.asarray(kind == PRESSURE)
    wire = LANES[BESIDE[key]].wire
    return np.asarray((kind == wire.status) & ((wire.number is None) | (one == (wire.number or 0))))


def _values(key: str, one: Bytes, two: Bytes, reach: float) -> Floats:
    if key == NOTE_PRESSURE:
        return one.astype(np.float64)
    code = LANES[BESIDE[key]].wire.code(one, two)
    return (code - BEND_CENTRE) / BEND_CENTRE * reach if key == NOTE_PITCH else code.astype(np.float64)


def _shared(track: Events, rows: Ints, values: Floats, notes: Notes, own: Ints) -> tuple[Ints, Ints, Ints, Floats]:
    """Rows of one kind on a member, the note (its row) that each is for, all its notes, and the values."""
    before = np.searchsorted(notes.on[own], rows) - 1
    over = rows > notes.off[own[np.maximum(before, 0)]]
    heir = np.where((before < 0) | (over & (before < len(own) - 1)), before + 1, before)
    return rows, own[np.minimum(heir, len(own) - 1)], own, values


def _nodes(
    track: Events, notes: Notes, piece: tuple[Ints, Ints, Ints, Floats], default: float
) -> tuple[Ints, Ints, Floats]:
    """Of the notes of a member: owner (id), tick from the start and value of each node."""
    rows, _, own, values = piece
    # What the channel says when a note is struck.
    state = np.searchsorted(rows, notes.on[own]) - 1
    begins = np.where(state >= 0, values[np.maximum(state, 0)], default)
    first, after = np.searchsorted(rows, notes.on[own]), np.searchsorted(rows, notes.off[own])
    count = np.maximum(after - first, 0)
    within = np.repeat(first, count) + np.arange(int(count.sum())) - np.repeat(np.cumsum(count) - count, count)
    which = np.repeat(own, count)
    says = (begins != default) | (count > 0)
    owner = np.concatenate((notes.id[own[says]], notes.id[which]))
    ticks = np.concatenate((np.zeros(int(says.sum()), dtype=np.int64), track.tick[rows[within]] - notes.start[which]))
    made = np.concatenate((begins[says], values[within]))
    order = np.lexsort((np.arange(len(owner)), ticks, owner))
    return owner[order], ticks[order], made[order]


def looks_zoned(rows: Rows, line: Ints) -> tuple[bool, int]:
    """Whether a recording without a zone looks as if it had been played in one, and on how many channels.

    Notes on several channels next to a manager's, one at a time on each, and each of them bent by itself.
    """
    best = (True, 0)
    for port in np.unique(line[line >= 0] >> 4).tolist():
        single = [number for number in range(16) if _is_single(rows, line == (port << 4 | number))]
        for lower in (True, False):
            run = 0
            for number in range(1, 16) if lower else range(14, -1, -1):
                if number not in single:
                    break
                run += 1
            if run > best[1]:
                best = (lower, run)
    return best if best[1] >= LEAST_MEMBERS else (True, 0)


def _is_single(rows: Rows, mine: Flags) -> bool:
    """Whether the notes of a channel sound one at a time, and are bent."""
    own = np.flatnonzero(mine & (rows.status < SYSEX))
    own = own[np.argsort(rows.rank[own])]
    kind = rows.status[own] & 0xF0
    ons = (kind == NOTE_ON) & (rows.data2[own] > 0)
    offs = (kind == NOTE_OFF) | ((kind == NOTE_ON) & ~ons)
    sounding = np.cumsum(ons.astype(np.int64) - offs.astype(np.int64))
    bent = kind == LANES[BEND].wire.status
    return bool(ons.any() and bent.any() and sounding.max(initial=0) <= 1)
