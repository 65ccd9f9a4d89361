"""Strokes on lanes, on curves of notes: each note is a take of its own, in which the stroke finds its curve as a lane.

So whatever works on a lane works on the curves of notes, for one or for all that are chosen: with ticks from each
note's start, over the span that is given or over its own length.
"""

from collections.abc import Iterator
from typing import NamedTuple, TypeVar

import numpy as np

from expression.arrays import frozen
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.note_curves import NoteCurves
from expression.strokes.base import BaseStroke, Reach, Where, masks_of, select
from expression.strokes.copying import LaneCopy, LaneMove
from expression.strokes.grips import Grip
from expression.strokes.lane import LaneStroke
from expression.strokes.many import Many, Span
from expression.strokes.writing import LaneClear, LaneNodes
from expression.take import BendRange, Channel, Events, Lane, Part, Rows, Take

AnyOn = TypeVar("AnyOn", bound=BaseStroke)
_NO_ROWS = Rows.of([Events.of([], b"", b"", b"", [], [])])
_NONE = frozen([], np.int64)
_RANGE = BendRange(frozen([0], np.int64), frozen([2.0], np.float64))


class Alone(NamedTuple):
    """A note by itself: a take that begins with it, and what is left of the stroke there."""

    part: Part
    id: int
    start: int
    length: int
    take: Take


def apply(stroke: BaseStroke, take: Take) -> Take:
    """The take as any stroke leaves it. Raises NothingMatched."""
    return _applied(stroke, take) if isinstance(stroke, LaneStroke) and stroke.of_notes else stroke.apply(take)


def reach(stroke: BaseStroke, take: Take) -> Reach:
    """Where any stroke acts; on curves of notes from the first to the last of these. Raises NothingMatched."""
    if not isinstance(stroke, LaneStroke) or not stroke.of_notes:
        return stroke.reach(take)
    picked, masks = select(take, _chosen(stroke))
    return Reach(int(picked.start.min()), int(picked.end.max()), list(masks), len(picked.id))


def line(stroke: BaseStroke, take: Take) -> list[tuple[int, float]]:
    """The line of any stroke; on curves of notes that of the first."""
    if not isinstance(stroke, LaneStroke) or not stroke.of_notes:
        return stroke.line(take)
    alone = next(_each(stroke, take, frozenset(stroke.keys)))
    return [(tick + alone.start, value) for tick, value in _within(stroke, alone.length).line(alone.take)]


def grips(stroke: BaseStroke, take: Take) -> list[Grip]:
    """Where any stroke can be taken by hand; on curves of notes on the first."""
    if not isinstance(stroke, LaneStroke) or not stroke.of_notes:
        return stroke.grips(take)
    alone = next(_each(stroke, take, frozenset(stroke.keys)))
    return [grip.later(alone.start) for grip in _within(stroke, alone.length).grips(alone.take)]


def fitted(stroke: AnyOn, take: Take, tick: int, value: float) -> AnyOn:
    """Any stroke formed so that its line passes (tick, value)."""
    if not isinstance(stroke, LaneStroke) or not stroke.of_notes:
        return stroke.fitted(take, tick, value)
    alone = next(_each(stroke, take, frozenset(stroke.keys)))
    made = _within(stroke, alone.length).fitted(alone.take, max(tick - alone.start, 0), value)
    return made.model_copy(update={"where": stroke.where})  # type: ignore[return-value]


def _applied(stroke: LaneStroke, take: Take) -> Take:
    keys = {*stroke.keys} | ({stroke.to} if isinstance(stroke, LaneMove) else set())
    if isinstance(stroke, LaneCopy) and stroke.to.lane:
        keys.add(stroke.to.lane)
    if len(stroke.keys) == 1 and len(keys) == 1 and (made := _all_at_once(stroke, take)) is not None:
        return made
    found: dict[int, dict[str, tuple[list[int], list[Curve]]]] = {}
    why: NothingMatched | None = None
    for alone in _each(stroke, take, frozenset(keys)):
        try:
            made = _within(stroke, alone.length).apply(alone.take)
        except NothingMatched as reason:
            why = why or reason
            continue
        for key in keys:
            old, new = (one.channels[0].lanes.get(key) for one in (alone.take, made))
            if old is not new:
                ids, curves = found.setdefault(alone.part.id, {}).setdefault(key, ([], []))
                ids.append(alone.id)
                before = old.curve if old else Curve.of([], [])
                curves.append(_rest(stroke, before, new.curve if new else Curve.of([], []), alone.length))
    if not found and why:
        raise why
    changed = {}
    for part, kinds in found.items():
        known = take.parts[part].curves
        changed[part] = {
            key: known.get(key, NoteCurves.each([], [])).with_curves(np.array(ids), NoteCurves.each(ids, curves))
            for key, (ids, curves) in kinds.items()
        }
    return take.with_curves(changed)


def _all_at_once(stroke: LaneStroke, take: Take) -> Take | None:
    """The same for very many notes, where the stroke can do that."""
    masks = masks_of(take, _chosen(stroke))
    changed = {}
    why: NothingMatched | None = None
    for number, mask in masks.items():
        notes = take.parts[number].notes
        start = notes.start[mask]
        chosen = Span(number, notes.id[mask], start, np.maximum(notes.end[mask] - start, 1))
        many = Many(take, chosen, stroke.keys[0], stroke.where.span, stroke.makes, stroke.furthest)
        if not len(many):
            continue
        try:
            curves = stroke.on_many(many)
        except NothingMatched as reason:
            why = reason
            continue
        if curves is None:
            return None
        known = take.parts[number].curves.get(many.key, NoteCurves.each([], []))
        changed[number] = {many.key: known.with_curves(many.id, curves)}
    if not changed and why:
        raise why
    return take.with_curves(changed) if changed else None


def _chosen(stroke: LaneStroke) -> Where:
    return stroke.where.model_copy(update={"span": None})


def _within(stroke: LaneStroke, length: int) -> LaneStroke:
    """The stroke as it acts in the take of one note: over its length, where no span is given."""
    span = stroke.where.span
    if span is None and not isinstance(stroke, LaneClear | LaneNodes):
        span = (0, length)
    where = Where.model_construct(parts=(0,), notes=None, span=span, pitches=None)
    return stroke.model_copy(update={"where": where})


def _rest(stroke: LaneStroke, before: Curve, made: Curve, length: int) -> Curve:
    """What becomes of a curve over the whole length: nothing comes back at the end; what lies behind it stays."""
    if stroke.where.span is not None or isinstance(stroke, LaneClear | LaneNodes) or not len(made):
        return made
    until = int(np.searchsorted(made.ticks, length))
    arrives = 0 < until < len(made) and not made.hold[until - 1]
    behind = before.rows(before.ticks > length)
    return made.rows(slice(until + arrives)).then(behind)


def _each(stroke: LaneStroke, take: Take, keys: frozenset[str]) -> Iterator[Alone]:
    """The notes that a stroke on their curves acts on, one take each. Raises NothingMatched where there are none."""
    masks = masks_of(take, _chosen(stroke))
    if not masks:
        select(take, _chosen(stroke))
    for number, mask in masks.items():
        part = take.parts[number]
        known = {key: part.curves[key] for key in sorted(keys) if key in part.curves}
        notes = part.notes
        for row in np.flatnonzero(mask).tolist():
            note, start = int(notes.id[row]), int(notes.start[row])
            length = max(int(notes.end[row]) - start, 1)
            curves = {key: one.curve(note) for key, one in known.items()}
            lanes = {key: _lane(key, curve) for key, curve in curves.items() if len(curve)}
            yield Alone(part, note, start, length, _take(take, part, row, start, length, lanes))


def _lane(key: str, curve: Curve) -> Lane:
    return Lane.recorded(key, curve, np.full(len(curve), -1))


def _take(take: Take, part: Part, row: int, start: int, length: int, lanes: dict[str, Lane]) -> Take:
    channel = Channel(0, 0, part.channel.number, lanes, _RANGE, _NONE, _NONE)
    notes = part.notes.only(np.array([row])).moved(np.array([0]), np.array([length]))
    alone = Part(0, part.name, 0, channel, notes, _NONE, _NONE, None)
    tempo = take.tempo.since(start) if len(take.tempo.ticks) > 1 else take.tempo
    return Take(b"", take.header, take.resolution, (), _NO_ROWS, tempo, take.meter, (alone,), ())
