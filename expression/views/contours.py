"""The sounding shape of notes: pitch, loudness and brightness over time, as ribbons draw them."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike
from typing_extensions import TypedDict

from expression.arrays import Floats, Ints, looked_up, ranges, union, whole
from expression.curve import Curve
from expression.lanes import BEND, EXPRESSION, LANES, NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE, PRESSURE, TIMBRE
from expression.note_curves import APART, NoteCurves
from expression.notes import Notes
from expression.take import Part, Take
from expression.time import Sight

SHAPING = (BEND, EXPRESSION, TIMBRE, PRESSURE)
OWN = (NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE)
MOST_POINTS = 40
"""Points a note: more than a ribbon has pixels to show unless it is very long."""
HELD = 48
"""Ticks: what is held for longer is seen to be held, not to move to what follows."""
PIECES = 8
"""Straight lines by which a way that is none is drawn at most."""
STEPS = 2000
"""Two for each pixel of what is in sight on a common screen: while a gesture is held, nothing is told more finely."""
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
        shape = contours(replace(old, channel=new.channel, curves=curves, notes=seen), step_of((start, end)))
        if shape:
            found.append({"part": old.id, "first": first, "contour": shape})
    return found


def step_of(sight: Sight | None) -> float:
    """Ticks that are drawn as one, where so much is in sight."""
    return (sight[1] - sight[0]) / STEPS if sight else 0.0


def contours(part: Part, least: float = 0.0) -> Contour | None:
    """The shape of every note of a part, in steps of at `least` so many ticks; None where no lane shapes them."""
    lanes = {key: part.lanes[key].curve for key in SHAPING if key in part.lanes}
    notes, own = part.notes, {key: part.curves[key] for key in OWN if key in part.curves and len(part.curves[key])}
    if not (lanes or own) or not len(notes):
        return None
    reach = int(notes.start[0]), int(notes.end.max())
    none = np.zeros(0, dtype=np.int64)
    moments = union(none, *(_turns(curve, *reach, least) for curve in lanes.values()))
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
        owner, tick = _with_own(notes, owner, tick, list(own.values()), least)
        count = np.bincount(owner, minlength=len(notes))

    def value(key: str) -> Floats | float:
        otherwise = LANES[key].default
        return np.nan_to_num(lanes[key].at(tick), nan=otherwise) if key in lanes else otherwise

    def share(key: str) -> Floats | float:
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
        "bend": _whole(np.broadcast_to((value(BEND) + added(NOTE_PITCH)) * 100, len(tick))).tolist(),
        "loud": _once(loud * 100),
        "ink": _once(ink * 100),
    }


def _with_own(notes: Notes, owner: Ints, tick: Ints, kinds: Sequence[NoteCurves], least: float) -> tuple[Ints, Ints]:
    """Points of notes (their rows and ticks), and where curves of their own turn: of too many as many as are drawn."""
    rows, ticks = [owner], [tick]
    for curves in kinds:
        ids, turns = own_turns(curves, least)
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


def own_turns(curves: NoteCurves, least: float) -> tuple[Ints, Ints]:
    """Notes (ids) and ticks by which their curves are drawn: nodes, where what was held ends, places on bent ways."""
    nodes, ids = curves.nodes, curves.owners()
    same = np.append(ids[1:] == ids[:-1], False)[: len(ids)]
    gap = np.append(np.diff(nodes.ticks), 0)[: len(ids)]
    held = np.flatnonzero(same & nodes.hold & (gap > max(HELD, least)))
    bent = np.flatnonzero(same & ~nodes.hold & ((nodes.lift != 0) | (nodes.ease != 0)) & (gap >= PIECES))
    way, past = _parted(gap[bent], least)
    turns = np.concatenate((nodes.ticks, nodes.ticks[held + 1] - 1, nodes.ticks[bent[way]] + past))
    return np.concatenate((ids, ids[held], ids[bent[way]])), turns


def _parted(gap: Ints, least: float) -> tuple[Ints, Ints]:
    """Even parts of ways of so many ticks: for each place between two the row of its way, and ticks since it."""
    pieces = np.clip(gap / max(least, 1.0), 1, PIECES).astype(np.int64)
    place, way = ranges(np.ones(len(gap), dtype=np.int64), pieces)
    return way, whole(gap[way] * (place / pieces[way]))


def _turns(curve: Curve, start: int, end: int, least: float) -> Ints:
    """Ticks by which a curve is drawn: its nodes, where a value that was held long ends, and places on bent ways."""
    first = max(int(np.searchsorted(curve.ticks, start, side="right")) - 1, 0)
    near = curve.rows(slice(first, int(np.searchsorted(curve.ticks, end)) + 1))
    if len(near) < 2:
        return np.append(near.ticks - 1, near.ticks)
    gap = np.diff(near.ticks)
    held = near.hold[:-1] & (gap > max(HELD, least))
    bent = np.flatnonzero(~near.hold[:-1] & ((near.lift[:-1] != 0) | (near.ease[:-1] != 0)) & (gap >= PIECES))
    way, past = _parted(gap[bent], least)
    return np.concatenate((near.ticks[:1] - 1, near.ticks, near.ticks[1:][held] - 1, near.ticks[bent[way]] + past))


def _whole(values: ArrayLike) -> Ints:
    rounded: Ints = np.rint(values).astype(np.int64)
    return rounded


def _once(values: ArrayLike) -> list[int]:
    numbers = np.atleast_1d(_whole(values))
    told: list[int] = (numbers[:1] if (numbers == numbers[0]).all() else numbers).tolist()
    return told
