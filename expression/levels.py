"""Between the levels: curves of notes as the lane of their channel, and a lane as curves of the notes under it.

What a note says stands on what its channel's lane says: the pitch is the sum of both, and so are the others, counted
from their defaults. One after another notes can be said by the lane alone; in a chord only where all say the same.
"""

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from expression import piece
from expression.arrays import Ints, frozen, ranges, union
from expression.chords import chord_onsets
from expression.curve import NO_NODES, Curve
from expression.lanes import BESIDE, LANES, NOTE_PITCH, NOTE_PRESSURE
from expression.limits import MOST_SEMITONES
from expression.memo import worked_out
from expression.midi.rpn import holding
from expression.note_curves import NO_CURVES, NoteCurves
from expression.percussion import CHANNEL as PERCUSSION
from expression.sounding import died_away, struck
from expression.take import Channel, Lane, Part, Take

HEARD_APART = {NOTE_PITCH: 0.03}
"""By more than this a curve differs audibly from what a lane says; others: by half a step."""


LOOKED_AT = np.arange(8) / 8
"""Shares of a note at which it is looked whether it is said, besides wherever something turns."""
FINER = 4
"""What is added is told so much more finely than a curve by itself: what both are off adds up."""


class Heard(NamedTuple):
    """The notes of a channel that sound, by their starts. One element of each array a note."""

    id: Ints
    start: Ints
    end: Ints


class Line(NamedTuple):
    """What the notes of a channel say, one after another, as something that is added to its lane."""

    starts: Ints
    ends: Ints
    curve: Curve
    """From the lane: 0 is as it is."""
    inexpressible: Ints
    """Ids of notes of which it says something else than they do."""


def heard(take: Take, channel: Channel) -> Heard:
    """The notes of a channel that sound."""
    return Heard(*struck(take, channel, *Heard._fields)[:-1])


def kinds_on(take: Take, channel: Channel) -> list[str]:
    """The kinds of curves that notes of a channel have."""
    found = {key for part in take.parts_on(channel) for key, curves in part.curves.items() if len(curves)}
    return [key for key in BESIDE if key in found]


def curves_on(take: Take, channel: Channel, key: str) -> NoteCurves:
    """The curves of one kind of all notes of a channel."""
    found = [part.curves[key] for part in take.parts_on(channel) if key in part.curves]
    if len(found) == 1:
        return found[0]
    if not found:
        return NO_CURVES
    return NoteCurves.of(
        np.concatenate([one.owners() for one in found]), found[0].nodes.then(*(one.nodes for one in found[1:]))
    )


def line(take: Take, channel: Channel, key: str) -> Line:
    """What the notes of a channel say in turn: each until it is heard no longer, or the next is struck; of a chord the
    first with a curve.
    """
    default, error = LANES[key].default, LANES[key].error / FINER
    notes, curves = heard(take, channel), curves_on(take, channel, key)
    onsets = chord_onsets(notes.start, take.resolution)
    heads, group = np.unique(onsets, return_inverse=True)
    has = np.isin(notes.id, curves.ids)
    if not has.any():
        none = np.zeros(0, dtype=np.int64)
        return Line(none, none, NO_NODES, none)
    # Of each chord the first note that has a curve; from its own start, so that it travels with it.
    rows = np.flatnonzero(has)
    rows = rows[np.unique(group[rows], return_index=True)[1]]
    tails = np.zeros(len(heads), dtype=np.int64)
    np.maximum.at(tails, group, notes.end)
    following = np.append(heads[1:], np.iinfo(np.int64).max)
    starts = notes.start[rows]
    ends = np.minimum(tails[group[rows]], following[group[rows]])
    # What it has come to by the end of the key stays until the chord is heard no longer, or the next needs the lane.
    heard_until = np.zeros(len(heads), dtype=np.int64)
    np.maximum.at(heard_until, group, died_away(take, channel, notes.id, notes.end))
    kept = np.minimum(heard_until[group[rows]], following[group[rows]])
    lasting = ends > starts
    rows, starts, ends, kept = rows[lasting], starts[lasting], ends[lasting], kept[lasting]
    own = curves.renamed(notes.id[rows], np.arange(len(rows)))
    base = starts[own.owners()]
    silent = np.setdiff1d(np.arange(len(rows)), own.owners()[own.nodes.ticks <= 0])
    both = Curve.of(starts[silent], np.full(len(silent), default)).then(own.nodes.timed(own.nodes.ticks + base))
    owner = np.concatenate((silent, own.owners()))
    inside = both.ticks <= ends[owner]
    both = both.rows(inside)
    both = both.rows(np.lexsort((np.arange(len(both)), both.ticks, owner[inside])))
    made = piece.within(piece.opened(_parted(both), union(np.sort(starts), np.sort(ends)), error), starts, ends)
    made = made.valued(made.values - default)
    return Line(starts, kept, made, _inexpressible(take, notes, curves, key, starts, kept, made))


def _parted(curve: Curve) -> Curve:
    """A curve without what goes back in time, where notes have longer curves than the time until the next."""
    highest = np.maximum.accumulate(curve.ticks)
    return curve.rows(curve.ticks >= highest)


def _rests(starts: Ints, ends: Ints) -> Ints:
    """The ends after which the next does not start at once."""
    return ends[:-1][starts[1:] > ends[:-1]]


def _resting(curve: Curve, rests: Ints) -> Curve:
    """A curve that adds nothing from each of some ticks on, until its next node."""
    order = np.argsort(np.concatenate((curve.ticks * 2, rests * 2 + 1)), kind="stable")
    return curve.then(Curve.of(rests, np.zeros(len(rests)))).rows(order)


def _inexpressible(
    take: Take, notes: Heard, curves: NoteCurves, key: str, starts: Ints, ends: Ints, made: Curve
) -> Ints:
    """Notes of which a line says something else than they do."""
    default = LANES[key].default
    allowed = HEARD_APART.get(key, LANES[key].step / 2)
    whole = _resting(made, np.append(_rests(starts, ends), ends[-1:]))
    # What a note hears: at its start, wherever the line turns while it sounds, and where its own curve turns.
    first, after = (np.searchsorted(whole.ticks, edge, side="right") for edge in (notes.start, notes.end - 1))
    turns, row = ranges(first, after)
    own, theirs = curves.owners(), np.argsort(notes.id)
    at = theirs[np.minimum(np.searchsorted(notes.id[theirs], own), len(notes.id) - 1)]
    mine = (notes.id[at] == own) & (notes.start[at] + curves.nodes.ticks < notes.end[at])
    every = np.repeat(np.arange(len(notes.id)), len(LOOKED_AT))
    within = np.outer(notes.end - notes.start, LOOKED_AT).astype(np.int64).ravel() + notes.start[every]
    which = np.concatenate((every, row, at[mine]))
    tick = np.concatenate((within, whole.ticks[turns], (notes.start[at] + curves.nodes.ticks)[mine]))
    tick = np.maximum(tick, notes.start[which])
    wanted = np.nan_to_num(curves.at(notes.id[which], tick - notes.start[which]), nan=default) - default
    # Within the time in which a chord is struck nothing is heard of it yet.
    near = take.resolution // 16
    said = np.nan_to_num(whole.at(tick))
    off = (np.abs(wanted - said) > allowed) & (tick < notes.end[which] - near) & (tick >= notes.start[which])
    off &= ~((tick - notes.start[which] < near) & (np.abs(wanted - np.nan_to_num(whole.at(tick + near))) <= allowed))
    return np.unique(notes.id[which[off]])


def with_line(take: Take, channel: Channel, key: str) -> Take:
    """The take with what the notes of a channel say in turn on its lane; their curves are gone."""
    found = line(take, channel, key)
    beside = BESIDE[key]
    known = channel.lanes.get(beside) or Lane.empty(beside)
    changed = take
    if len(found.starts):
        changed = take.with_lane(channel.id, summed(known, found.starts, found.ends, found.curve))
    return changed.with_curves({part.id: {key: _gone(part, key)} for part in changed.parts_on(channel)})


def _gone(part: Part, key: str) -> NoteCurves:
    known = part.curves.get(key)
    return known.without(known.ids) if known else NO_CURVES


def summed(lane: Lane, starts: Ints, ends: Ints, curve: Curve) -> Lane:
    """A lane with something added in some places, in each of which the curve holds what it has come to.

    Where the lane says nothing yet, it is taken to be at its default.
    """
    error, default = LANES[lane.key].error / FINER, LANES[lane.key].default
    base = lane.curve
    if not len(base) or base.ticks[0] > starts[0]:
        base = Curve.of(starts[:1], [default]).then(base)
    first, last = int(starts[0]), int(ends[-1])
    under = piece.cut(base, first, last, error)
    # On a lane at rest there is nothing to add to.
    if under.curve.values.any():
        moving = _resting(curve, _rests(starts, ends))
        curve = piece.added(under, piece.Piece(first, last, moving), error).curve
    pieces = piece.within(curve, starts, ends)
    if len(base) == 1 and not base.values[0]:
        # Nothing is there but rest: to that it comes back behind each piece that does not end there itself.
        rests = np.append(_rests(starts, ends), ends[-1:])
        comes_to = pieces.values[pieces.governing(rests)]
        made = _resting(pieces, rests[comes_to != 0])
        return lane.reshaped(base.then(made) if base.ticks[0] < first else made)
    return lane.reshaped(piece.laid_all(base, starts, ends, pieces, error))


def of_lane(curve: Curve, key: str, ids: Ints, starts: Ints, ends: Ints) -> NoteCurves:
    """What a lane says over each of some notes, as their curves of one kind."""
    error = LANES[key].error
    opened = piece.opened(curve, union(np.sort(starts), np.sort(ends)), error)
    first = np.searchsorted(opened.ticks, starts, side="right") - 1
    after = np.searchsorted(opened.ticks, ends)
    arrives = (after < len(opened)) & (after > np.maximum(first, 0))
    arrives[arrives] = ~opened.hold[after[arrives] - 1]
    rows, which = ranges(np.maximum(first, 0), after + arrives)
    nodes = opened.rows(rows)
    # A node before the start says what is held there.
    local = np.maximum(nodes.ticks - starts[which], 0)
    return NoteCurves.of(ids[which], nodes.timed(frozen(local, np.int64)))


def needs_zone(take: Take, channel: Channel) -> bool:
    """Whether notes of a channel say what its own messages cannot."""
    return any(key != NOTE_PRESSURE and len(line(take, channel, key).inexpressible) for key in kinds_on(take, channel))


@worked_out(64)
def is_zoned(take: Take, channel: Channel) -> bool:
    """Whether the notes of a channel are sent in a zone, each on a member of its own.

    Percussion is known by its channel (GM level 1): it leaves that only where it is told to.
    """
    way = channel.sending.way
    return way == "mpe" or (way == "auto" and channel.number != PERCUSSION and needs_zone(take, channel))


def widened(take: Take, channel: Channel) -> Channel:
    """A channel with a zone whose members bend as far as its notes say, as far as any range goes."""
    curves, zone = curves_on(take, channel, NOTE_PITCH), channel.sending.zone
    furthest = float(np.abs(curves.nodes.values).max(initial=0.0))
    if furthest <= zone.reach:
        return channel
    zone = zone._replace(reach=float(min(holding(furthest), MOST_SEMITONES)))
    return replace(channel, sending=channel.sending._replace(zone=zone))


def inexpressible(take: Take, channel: Channel) -> dict[str, Ints]:
    """What is lost where a channel's own messages have to say it: by the kind of curve the notes, by their ids."""
    found = {key: line(take, channel, key).inexpressible for key in kinds_on(take, channel) if key != NOTE_PRESSURE}
    return {key: ids for key, ids in found.items() if len(ids)}
