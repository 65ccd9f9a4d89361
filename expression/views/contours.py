"""The sounding shape of notes: pitch, loudness and brightness over time, as ribbons draw them."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Floats, Ints, looked_up, union, whole
from expression.curve import Curve
from expression.lanes import BEND, EXPRESSION, LANES, NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE, PRESSURE, TIMBRE
from expression.note_curves import APART, NoteCurves
from expression.notes import Notes
from expression.take import Part, Take

SHAPING = (BEND, EXPRESSION, TIMBRE, PRESSURE)
OWN = (NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE)
MOST_POINTS = 40
"""Points a note: more than a ribbon has pixels to show unless it is very long."""
HELD = 48
"""Ticks: what is held for longer is seen to be held, not to move to what follows."""
SHARES = np.arange(1, 8) / 8
"""Places on a way that is no straight line."""
MOST_TRIED = 300
"""Notes whose shapes are told while a gesture is held."""


class Contour(TypedDict):
    """The sounding shape of a part's notes in columns. `count` gives each note's points.

    Of each point: `tick` from the note's start, `bend` in hundredths of a semitone, `loud` (velocity is multiplied by
    it) and `ink` (brightness), both 0 to 100: one number where it is the same all along.
    """

    count: list[int]
    tick: list[int]
    bend: list[int]
    loud: list[int]
    ink: list[int]


class TriedContour(TypedDict):
    """The shape of some neighbouring notes of a part, from the row `first` on, as a stroke would have it."""

    part: int
    first: int
    contour: Contour


def tried_contours(before: Take, after: Take, start: int, end: int) -> list[TriedContour]:
    """The shapes of the notes between two ticks that a stroke would give another; of too many none is told.

    Rows are those of the notes as they are now: what a stroke does to the notes themselves is told elsewhere.
    """
    found: list[TriedContour] = []
    for old, new in zip(before.parts, after.parts, strict=True):
        same = old.channel is new.channel or all(old.lanes.get(key) is new.lanes.get(key) for key in SHAPING)
        if same and all(old.curves.get(key) is new.curves.get(key) for key in OWN):
            continue
        notes = old.music.notes
        near = np.flatnonzero(notes.between(start, end))
        if not len(near) or near[-1] - near[0] >= MOST_TRIED:
            continue
        first, after_ = int(near[0]), int(near[-1]) + 1
        seen = notes.only(slice(first, after_))
        curves = {key: new.curves[key].only(seen.id) for key in OWN if key in new.curves}
        shape = contours(replace(old, channel=new.channel, curves=curves, notes=seen))
        if shape:
            found.append({"part": old.id, "first": first, "contour": shape})
    return found


def contours(part: Part) -> Contour | None:
    """The shape of every note of a part; None where no lane shapes them."""
    lanes = {key: part.lanes[key].curve for key in SHAPING if key in part.lanes}
    notes, own = part.notes, {key: part.curves[key] for key in OWN if key in part.curves and len(part.curves[key])}
    if not (lanes or own) or not len(notes):
        return None
    reach = int(notes.start[0]), int(notes.end.max())
    none = np.zeros(0, dtype=np.int64)
    moments = union(none, *(_turns(curve, *reach) for curve in lanes.values()))
    # What moves within a note: from the first moment after its start to the last before its end.
    first = np.searchsorted(moments, notes.start, side="right")
    after = np.searchsorted(moments, notes.end, side="left")
    step = np.maximum(-(-(after - first) // (MOST_POINTS - 1)), 1)
    count = 1 + np.maximum(-(-(after - first) // step), 0)
    owner = np.repeat(np.arange(len(notes)), count)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    inner = np.minimum(first[owner] + np.maximum(place - 1, 0) * step[owner], max(len(moments) - 1, 0))
    tick = np.where(place == 0, notes.start[owner], np.append(moments, 0)[inner])
    if own:
        owner, tick = _with_own(notes, owner, tick, list(own.values()))
        count = np.bincount(owner, minlength=len(notes))

    def value(key: str) -> Floats:
        otherwise = LANES[key].default
        if key not in lanes:
            return np.full(len(tick), otherwise)
        return np.nan_to_num(lanes[key].at(tick), nan=otherwise)

    def share(key: str) -> Floats:
        return value(key) / LANES[key].high

    def added(key: str) -> Floats | float:
        """What notes say by themselves, from rest."""
        if key not in own:
            return 0.0
        rest = LANES[key].default
        return np.nan_to_num(own[key].at(notes.id[owner], tick - notes.start[owner]), nan=rest) - rest

    pressure = np.clip(share(PRESSURE) + added(NOTE_PRESSURE) / LANES[PRESSURE].high, 0.0, 1.0)
    timbre = np.clip(share(TIMBRE) + added(NOTE_TIMBRE) / LANES[TIMBRE].high, 0.0, 1.0)
    loud, ink = share(EXPRESSION), (timbre + pressure) / 2
    return {
        "count": count.tolist(),
        "tick": (tick - notes.start[owner]).tolist(),
        "bend": _whole((value(BEND) + added(NOTE_PITCH)) * 100),
        "loud": _once(_whole(loud * 100)),
        "ink": _once(_whole(ink * 100)),
    }


def _with_own(notes: Notes, owner: Ints, tick: Ints, kinds: Sequence[NoteCurves]) -> tuple[Ints, Ints]:
    """Points of notes (their rows and ticks), and where curves of their own turn: of too many as many as are drawn."""
    rows, ticks = [owner], [tick]
    for curves in kinds:
        ids, turns = own_turns(curves)
        row, is_here = looked_up(ids, notes.id)
        at = notes.start[row] + turns
        inner = is_here & (at < notes.end[row])
        rows.append(row[inner])
        ticks.append(at[inner])
    both = union(np.concatenate(rows) * APART + np.concatenate(ticks))
    owner, tick = both // APART, both % APART
    count = np.bincount(owner, minlength=len(notes))
    place = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    step = np.maximum(-(-(count - 1) // (MOST_POINTS - 1)), 1)
    drawn = place % step[owner] == 0
    return owner[drawn], tick[drawn]


def own_turns(curves: NoteCurves) -> tuple[Ints, Ints]:
    """Notes (ids) and ticks by which their curves are drawn: nodes, where what was held ends, places on bent ways."""
    nodes, ids = curves.nodes, curves.owners()
    same = np.append(ids[1:] == ids[:-1], False)[: len(ids)]
    gap = np.append(np.diff(nodes.ticks), 0)[: len(ids)]
    held = same & nodes.hold & (gap > HELD)
    bent = np.flatnonzero(same & ~nodes.hold & ((nodes.lift != 0) | (nodes.ease != 0)) & (gap > len(SHARES)))
    on_way = nodes.ticks[bent][:, None] + whole(SHARES * gap[bent][:, None])
    after = np.flatnonzero(held) + 1
    turns = np.concatenate((nodes.ticks, nodes.ticks[after] - 1, on_way.ravel()))
    return np.concatenate((ids, ids[after - 1], np.repeat(ids[bent], len(SHARES)))), turns


def _turns(curve: Curve, start: int, end: int) -> Ints:
    """Ticks by which a curve is drawn: its nodes, where a value that was held long ends, and places on bent ways."""
    first = max(int(np.searchsorted(curve.ticks, start, side="right")) - 1, 0)
    near = curve.rows(slice(first, int(np.searchsorted(curve.ticks, end)) + 1))
    if len(near) < 2:
        return np.append(near.ticks - 1, near.ticks)
    gap = np.diff(near.ticks)
    held = near.hold[:-1] & (gap > HELD)
    bent = np.flatnonzero(~near.hold[:-1] & ((near.lift[:-1] != 0) | (near.ease[:-1] != 0)) & (gap > len(SHARES)))
    on_way = near.ticks[bent][:, None] + whole(SHARES * gap[bent][:, None])
    return np.concatenate((near.ticks[:1] - 1, near.ticks, near.ticks[1:][held] - 1, on_way.ravel()))


def _whole(values: Floats) -> list[int]:
    rounded: Ints = np.rint(values).astype(np.int64)
    return list(rounded.tolist())


def _once(values: list[int]) -> list[int]:
    return values[:1] if values.count(values[0]) == len(values) else values
