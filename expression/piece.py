"""Pieces of curves, and the few things that strokes do with them.

A *piece* is what a curve says from `start` to before `end`, with both of its edges exact: it begins with a node at
`start` (unless the curve has no value there yet), and where its last way still moves, a node at `end` tells what that
way comes to. Strokes cut pieces out, change their values or times, add and multiply them, and lay them again.

Ways stay ways wherever the mathematics allow it: values may be scaled and shifted, times stretched, and a way combined
with what is held. Otherwise they are told in straight ways within an error that the caller states: as few as the
curvature asks for, since a straight way of length h strays from a curve by h h |y''| / 8.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from expression.arrays import (
    Column,
    Flags,
    Floats,
    Ints,
    are_constant,
    constant,
    contained,
    frozen,
    ranges,
    union,
    whole,
)
from expression.curve import NO_NODES, STEEPNESS, Curve
from expression.memo import worked_out
from expression.segments import Segments, assembled, refined

FEW = 8
"""Times fewer ticks are put in among others one by one, rather than all of them sorted."""


class Piece(NamedTuple):
    """A stretch of a curve, from `start` to before `end`."""

    start: int
    end: int
    curve: Curve

    @property
    def empty(self) -> bool:
        """Whether it says nothing at all."""
        return not len(self.curve)

    def valued(self, values: Floats) -> "Piece":
        """The same nodes at other values."""
        return self._replace(curve=self.curve.valued(values))

    def scaled(self, factor: float, offset: float = 0.0) -> "Piece":
        """Values times a factor, and an offset added."""
        return self.valued(self.curve.values * factor + offset)


# ---- cutting and laying


def opened(curve: Curve, ticks: Ints, error: float) -> Curve:
    """The same curve with a node at each of `ticks`, wherever it has a value.

    A part of a way without ease is a way of the same form, its lift in proportion; an eased way becomes straight ones.
    """
    if not len(curve):
        return curve
    ticks = union(np.asarray(ticks, dtype=np.int64))
    at = np.searchsorted(curve.ticks, ticks)
    known = (at < len(curve)) & (curve.ticks[np.minimum(at, len(curve) - 1)] == ticks)
    ticks = ticks[~known & (ticks > curve.ticks[0])]
    if not len(ticks):
        return curve
    node = curve.governing(ticks)
    moving = curve.ways[node]
    if not moving.any():
        return _inserted(curve, ticks, curve.values[node], constant(True, len(ticks), bool))
    cut = np.unique(node[moving])
    eased = cut[curve.ease[cut] > 0]
    if len(eased):
        _, inner = refined(curve.ticks[eased], curve.ticks[eased + 1], lambda _, at: curve.at(at), error)
        ticks = union(ticks, inner)
        node = curve.governing(ticks)
        moving = curve.ways[node]
    made = _inserted(curve, ticks, curve.at(ticks), ~moving)
    # Of each way that was cut: its length, and with that the lifts of its parts.
    first = np.searchsorted(made.ticks, curve.ticks[cut], side="right") - 1
    after = np.searchsorted(made.ticks, curve.ticks[cut + 1], side="left")
    rows, which = ranges(first, after)
    way = cut[which]
    share = (made.ticks[rows + 1] - made.ticks[rows]) / (curve.ticks[way + 1] - curve.ticks[way])
    lift, ease = made.lift.copy(), made.ease.copy()
    lift[rows] = np.where(curve.ease[way] > 0, 0.0, curve.lift[way] * share)
    ease[rows] = 0.0
    return Curve(made.ticks, made.values, made.hold, frozen(lift, np.float64), frozen(ease, np.float64))


def _inserted(curve: Curve, ticks: Ints, values: Floats, hold: Flags) -> Curve:
    """The curve with straight or held nodes more, each after those of its tick."""
    place = np.searchsorted(curve.ticks, ticks, side="right")
    more = (ticks, values, hold, constant(0, len(ticks), float), constant(0, len(ticks), float))
    if len(ticks) == 1:
        at = int(place[0])
        return curve.rows(slice(at)).then(Curve(*more), curve.rows(slice(at, None)))
    pairs = zip(curve.columns, more, strict=True)
    return Curve(*(_put(mine, place, theirs) for mine, theirs in pairs))


def _put(column: Column, place: Ints, more: Column) -> Column:
    if are_constant(column, more):
        return constant(column[0], len(column) + len(more), column.dtype)
    return frozen(np.insert(column, place, more), column.dtype)


@worked_out(8)
def cut(curve: Curve, start: int, end: int, error: float) -> Piece:
    """What a curve says from `start` to before `end`. Known again while a hand tries one stroke after another on it."""
    # Where it is held at the end, nothing there is needed.
    edges = [start] if not len(curve) or curve.holds(end - 1) else [start, end]
    whole_ = opened(curve, np.array(edges), error)
    first, after = np.searchsorted(whole_.ticks, [start, end]).tolist()
    if first + 1 < after and whole_.ticks[first + 1] == start and first and not whole_.hold[first - 1]:
        # A way that comes in from outside: what it comes to is no part of the piece.
        first += 1
    inner = whole_.rows(slice(first, after))
    if not len(inner) or inner.hold[-1]:
        return Piece(start, end, inner)
    if after == len(whole_):
        return Piece(start, end, _resting(inner))
    return Piece(start, end, inner.then(Curve.of([end], [whole_.values[after]])))


def _resting(curve: Curve) -> Curve:
    """The same with its last node held: there is nothing that it could be on its way to."""
    hold = curve.hold.copy()
    hold[-1] = True
    return Curve(curve.ticks, curve.values, frozen(hold, bool), curve.lift, curve.ease)


def laid(curve: Curve, pieces: Piece | list[Piece], error: float, resumes: bool = True) -> Curve:
    """A curve with pieces (in the order of time, none over another) in place of what it said there.

    A way that comes in from before a piece arrives where it did. After the piece the curve goes on as it was, ways and
    all; what was held there comes back where it `resumes`, otherwise what the piece ends with stays until the next
    node, as with anything that is played over.
    """
    pieces = [pieces] if isinstance(pieces, Piece) else pieces
    starts, ends = (np.array([getattr(one, edge) for one in pieces], dtype=np.int64) for edge in ("start", "end"))
    made = pieces[0].curve.then(*(one.curve for one in pieces[1:]))
    return laid_all(curve, starts, ends, made, error, resumes)


def laid_all(curve: Curve, starts: Ints, ends: Ints, made: Curve, error: float, resumes: bool = True) -> Curve:
    """`laid`, for very many pieces: their edges, and the nodes of all of them one after another."""
    if len(starts) == 1:
        return _laid_once(curve, int(starts[0]), int(ends[0]), made, error, resumes)
    edges = np.concatenate((starts, ends))
    if not resumes and len(curve):
        # Where the curve is held at an end, nothing comes back.
        edges = np.concatenate((starts, ends[~curve.holds(ends) & (ends >= curve.ticks[0])]))
    old = opened(curve, edges, error)
    if not len(old):
        return made
    first, after = np.searchsorted(old.ticks, starts), np.searchsorted(old.ticks, ends)
    gone = np.zeros(len(old) + 1, dtype=np.int64)
    np.add.at(gone, first, 1)
    np.add.at(gone, after, -1)
    keep = np.cumsum(gone[:-1]) == 0
    # The first node of a tick at which a way comes in stays, held: there that way arrives.
    comes = (first > 0) & (first < len(old))
    comes[comes] = ~old.hold[first[comes] - 1] & keep[first[comes] - 1]
    arrivals = np.unique(first[comes])
    arrivals = arrivals[~keep[arrivals]]
    hold = old.hold.copy()
    keep[arrivals] = hold[arrivals] = True
    if resumes:
        back = after[after < len(old)]
        back = union(back[keep[back] & ~contained(old.ticks[back], curve.ticks)])
        keep[back[_says_nothing(old, back, made, starts[np.searchsorted(ends, old.ticks[back])])]] = False
    kept = Curve(old.ticks, old.values, frozen(hold, bool), old.lift, old.ease).rows(keep)
    # At one tick: what arrives there, what is laid, and what the curve goes on with behind it.
    rank = np.zeros(len(old), dtype=np.int64)
    rank[ranges(after, np.searchsorted(old.ticks, ends, side="right"))[0]] = 2
    rank[arrivals] = 0
    both = kept.then(made)
    rank = np.concatenate((rank[keep], np.ones(len(made), dtype=np.int64)))
    return both.rows(np.argsort(both.ticks * 4 + rank, kind="stable"))


def _laid_once(curve: Curve, start: int, end: int, made: Curve, error: float, resumes: bool) -> Curve:
    """`laid_all`, for one piece: what is before it, and what is after it."""
    edges = [start, end]
    if not resumes and len(curve) and (end < curve.ticks[0] or curve.holds(end)):
        # Where the curve is held at the end, nothing comes back.
        edges = [start]
    old = opened(curve, np.array(edges), error)
    first, after = np.searchsorted(old.ticks, [start, end]).tolist()
    before = old.rows(slice(first))
    if 0 < first < after and not old.hold[first - 1]:
        # The first node of a tick at which a way comes in stays, held: there that way arrives.
        before = before.then(_resting(old.rows(slice(first, first + 1))))
    if resumes and after < len(old) and old.ticks[after] not in curve.ticks:
        after += bool(_says_nothing(old, np.array([after]), made, np.array([start]))[0])
    return before.then(made, old.rows(slice(after, None)))


def _says_nothing(old: Curve, back: Ints, made: Curve, starts: Ints) -> Flags:
    """Which of the nodes that bring back what was held say what their pieces (from `starts` on) end with anyway."""
    if not len(made):
        return np.zeros(len(back), dtype=bool)
    before = np.searchsorted(made.ticks, old.ticks[back], side="right") - 1
    same = made.values[np.maximum(before, 0)] == old.values[back]
    own = (before >= 0) & (made.ticks[np.maximum(before, 0)] >= starts)
    return np.asarray(own & old.hold[back] & same)


def within(curve: Curve, starts: Ints, ends: Ints) -> Curve:
    """What a curve says in some places, as pieces: what comes in is left out, and what goes out arrives."""
    ticks = curve.ticks
    # Of several nodes at a start, the last: what the others come to is no part of the piece.
    first = np.maximum(np.searchsorted(ticks, starts), np.searchsorted(ticks, starts, side="right") - 1)
    after = np.searchsorted(ticks, ends)
    arrives = (after < len(ticks)) & (after > first)
    arrives[arrives] = ~curve.hold[after[arrives] - 1] & (ticks[after[arrives]] == ends[arrives])
    made = curve.rows(ranges(first, after + arrives)[0])
    if not arrives.any():
        return made
    # What a way comes to is where it ends: what follows is no part of the piece.
    hold = made.hold.copy()
    hold[np.cumsum(after + arrives - first)[arrives] - 1] = True
    return Curve(made.ticks, made.values, frozen(hold, bool), made.lift, made.ease)


# ---- changing


def clipped(piece: Piece, low: float, high: float, error: float) -> Piece:
    """Values held within a range; a way that leaves it goes as far as the end of the range and stays there."""
    curve = piece.curve
    if not len(curve) or (curve.values.min() >= low and curve.values.max() <= high):
        return piece
    ways = np.flatnonzero(curve.ways)
    a, b = curve.values[ways], curve.values[ways + 1]
    crossings = [np.zeros(0, dtype=np.int64)]
    for bound in (low, high):
        through = ways[(np.minimum(a, b) < bound) & (np.maximum(a, b) > bound)]
        if len(through):
            width = curve.ticks[through + 1] - curve.ticks[through]
            rise = curve.values[through + 1] - curve.values[through]
            share = share_at((bound - curve.values[through]) / rise, curve.lift[through], curve.ease[through])
            crossings.append(whole(curve.ticks[through] + share * width))
    curve = opened(curve, np.concatenate(crossings), error)
    values = np.clip(curve.values, low, high)
    # Of what lies at the end of the range one way is enough.
    level = (values == low) | (values == high)
    same = level[1:] & (values[1:] == values[:-1]) & ~curve.hold[:-1]
    needed = np.ones(len(values), dtype=bool)
    needed[1:-1] = ~(same[:-1] & same[1:])
    return piece._replace(curve=curve.valued(values).rows(needed))


def share_at(rise: Floats, lift: Floats, ease: Floats) -> Floats:
    """The inverse of `form`: how far along in time (0 to 1) a way has made so much of its rise (0 to 1)."""
    power = STEEPNESS * lift
    straight = np.abs(power) < 1e-9
    safe = np.where(straight, 1.0, power)

    def of_lift(y: Floats) -> Floats:
        return np.where(straight, y, np.log1p(np.clip(y, 0, 1) * np.expm1(safe)) / safe)

    if not ease.any():
        return of_lift(rise)
    # y = (1 - ease) s + ease s s (3 - 2 s) rises with s: halving the interval finds it.
    low, high = np.zeros_like(rise), np.ones_like(rise)
    for _ in range(40):
        s = (low + high) / 2
        under = (1 - ease) * s + ease * s * s * (3 - 2 * s) < rise
        low, high = np.where(under, s, low), np.where(under, high, s)
    return of_lift((low + high) / 2)


def timed(piece: Piece, onto: Callable[[Floats], Floats], back: Callable[[Floats], Floats], error: float) -> Piece:
    """The piece at other times. `onto` takes its ticks to the new ones and rises, `back` is the inverse."""
    curve = piece.curve
    start, end = (int(whole(onto(np.array(float(edge))))) for edge in (piece.start, piece.end))
    if piece.empty:
        return Piece(start, max(end, start + 1), curve)
    segments = _segments(curve)
    a, b = whole(onto(segments.a.astype(np.float64))), whole(onto(segments.b.astype(np.float64)))

    def values(number: Ints, ticks: Floats) -> Floats:
        was = np.clip(back(ticks), segments.a[number], segments.b[number])
        return np.where(was >= segments.b[number], segments.last[number], curve.at(was))

    moved = segments._replace(a=a, b=b, broken=segments.moves)
    return Piece(start, max(end, start + 1), assembled(moved, values, error))


def stretched(piece: Piece, start: int, factor: float) -> Piece:
    """The piece from another tick on, so many times as long. Ways keep their forms."""
    ticks = start + whole((piece.curve.ticks - piece.start) * factor)
    length = max(int(whole((piece.end - piece.start) * factor)), 1)
    return Piece(start, start + length, piece.curve.timed(ticks))


def backwards(piece: Piece) -> Piece:
    """The piece from its end to its start. A way has its lift the other way round."""
    if piece.empty:
        return piece
    start, end = (np.array([edge], dtype=np.int64) for edge in (piece.start, piece.end))
    return piece._replace(curve=turned(piece.curve, start, end, np.zeros(len(piece.curve), dtype=np.int64)))


def turned(curve: Curve, starts: Ints, ends: Ints, owner: Ints) -> Curve:
    """Very many pieces, each from its end to its start; `owner` tells of each node to which of them it belongs."""
    segments = _segments(curve, int(ends[-1]))
    b = np.minimum(segments.b, ends[owner])
    turn = (starts + ends)[owner]
    order = np.lexsort((-np.arange(len(curve)), owner))
    columns = (
        turn - b,
        turn - segments.a,
        segments.last,
        segments.first,
        segments.moves,
        -segments.lift,
        segments.ease,
        segments.broken,
    )
    mirrored = Segments._make(column[order] for column in columns)
    longer = mirrored.b > mirrored.a
    return assembled(Segments._make(column[longer] for column in mirrored), unbroken, 1.0)


def unbroken(_: Ints, ticks: Floats) -> Floats:
    """Of segments that all have a form of ours: never asked."""
    raise AssertionError("no way of these is broken")


def combined(piece: Piece, other: Piece, op: Callable[[Floats, Floats], Floats], error: float) -> Piece:
    """Two pieces of one stretch added or multiplied (`op` has to be straight in each of its two arguments).

    What is held and what moves make a way of the same form; two ways make one only where both are straight and added.
    """
    if piece.empty or other.empty:
        return piece._replace(curve=NO_NODES)
    one, two = piece.curve, other.curve
    # What one is off counts as often as the other is large, where they are multiplied.
    weights = [max(float(np.abs(curve.values).max()), 1.0) if op is np.multiply else 1.0 for curve in (two, one)]
    one, two = _uncut(one, two.ticks, error / weights[0]), _uncut(two, one.ticks, error / weights[1])
    a, nodes = _together(one.ticks, two.ticks)
    inside = slice(*np.searchsorted(a, [max(one.ticks[0], two.ticks[0]), piece.end]))
    a = a[inside]
    b = np.append(a[1:], piece.end)
    mine, theirs = (_along(curve, node[inside], a, b) for curve, node in zip((one, two), nodes, strict=True))
    forms = zip((mine.lift, mine.ease), (theirs.lift, theirs.ease), strict=True)
    lift, ease = (own if are_constant(own, other) else np.where(mine.moves, own, other) for own, other in forms)
    first, last = op(mine.first, theirs.first), op(mine.last, theirs.last)
    moves = mine.moves | theirs.moves
    both = mine.moves & theirs.moves
    if op is np.add and both.any():
        both &= (lift != 0) | (ease != 0) | (theirs.lift != 0) | (theirs.ease != 0)
    # What hardly moves is held: dense recordings stay the steps that they are.
    rise = last - first
    still = moves & ~both & (np.abs(rise) <= error)
    rise = rise * still + 0.0
    first, last = first + rise / 2, last - rise / 2
    segments = Segments(a, b, first, last, moves & ~still, lift, ease, both | mine.broken | theirs.broken)

    def values(number: Ints, ticks: Floats) -> Floats:
        return op(_in_segment(one, b, number, ticks), _in_segment(two, b, number, ticks))

    return piece._replace(curve=assembled(segments, values, error))


def added(piece: Piece, other: Piece, error: float) -> Piece:
    """The sum of two pieces of one stretch."""
    return combined(piece, other, np.add, error)


def multiplied(piece: Piece, other: Piece, error: float) -> Piece:
    """The product of two pieces of one stretch."""
    return combined(piece, other, np.multiply, error)


def traced(start: int, end: int, breaks: Ints, value: Callable[[Floats], Floats], error: float) -> Piece:
    """A piece after a formula that is smooth between `breaks`, in straight ways; at a break it may jump."""
    a = np.unique(np.concatenate(([start], breaks[(breaks > start) & (breaks < end)])))
    b = np.append(a[1:], end)
    nudge = 1e-6

    def values(number: Ints, ticks: Floats) -> Floats:
        # Just inside its own segment, so that the jump at its end belongs to the next.
        return value(np.clip(ticks, a[number] + nudge, b[number] - nudge))

    number, none = np.arange(len(a)), np.zeros(len(a))
    first, last = values(number, a.astype(np.float64)), values(number, b.astype(np.float64))
    # What is as good as the same is the same: no node of its own where nothing jumps.
    first, last = np.round(first, 6), np.round(last, 6)
    inner = [values(number, a + share * (b - a)) for share in (0.25, 0.5, 0.75)]
    moves = np.any([np.abs(one - first) > 1e-5 for one in (*inner, last)], axis=0)
    return Piece(start, end, assembled(Segments(a, b, first, last, moves, none, none, moves), values, error))


# ---- how it is done


def _segments(curve: Curve, end: int | None = None) -> Segments:
    """The nodes of a piece as segments; with `end`, what is held last lasts until then."""
    a = curve.ticks
    last = a[-1] if end is None else end
    b = np.append(a[1:], last)
    moves = curve.ways
    arrives = np.where(moves, np.append(curve.values[1:], curve.values[-1:]), curve.values)
    none = np.zeros(len(a), dtype=bool)
    return Segments(a, b, curve.values, arrives, moves, curve.lift, curve.ease, none)


def _together(one: Ints, two: Ints) -> tuple[Ints, tuple[Ints, Ints]]:
    """Every tick of two ascending arrays once, and for each tick the last place of either array that is not later."""
    if FEW * len(two) < len(one):
        return _put_among(one, two)
    if FEW * len(one) < len(two):
        ticks, (theirs, mine) = _put_among(two, one)
        return ticks, (mine, theirs)
    both = np.concatenate((one, two))
    order = np.argsort(both, kind="stable")
    both, first = both[order], order < len(one)
    last = np.append(both[1:] != both[:-1], True)
    mine = np.cumsum(first)
    return both[last], ((mine - 1)[last], (np.arange(len(both)) - mine)[last])


def _put_among(many: Ints, few: Ints) -> tuple[Ints, tuple[Ints, Ints]]:
    """`_together`, where one of the two is so short that its ticks are put in where they belong."""
    lasts = np.append(np.flatnonzero(many[1:] != many[:-1]), len(many) - 1)
    place = np.searchsorted(many, few, side="right")
    new = (place == 0) | (many[np.maximum(place - 1, 0)] != few)
    new[:-1] &= few[1:] != few[:-1]
    at = np.searchsorted(lasts, place[new])
    ticks, node = np.insert(many[lasts], at, few[new]), np.insert(lasts, at, place[new] - 1)
    first = np.searchsorted(ticks, few)
    return ticks, (node, np.repeat(np.arange(-1, len(few)), np.diff(first, prepend=0, append=len(ticks))))


def _along(curve: Curve, node: Ints, a: Ints, b: Ints) -> Segments:
    """A curve from each `a`, which `node` governs, to each `b`: between these it has no node."""
    none, never = constant(0, len(a), float), constant(False, len(a), bool)
    if not curve.moves:
        values = curve.values[node]
        return Segments(a, b, values, values, never, none, none, never)
    moves = curve.ways[node]
    first = curve.along(node, a.astype(np.float64))
    # What it comes to is what the next begins with, or where the next has a node of its own, what arrives there.
    last = np.append(first[1:], curve.along(node[-1:], b[-1:].astype(np.float64)))
    arrives = np.flatnonzero(node[1:] != node[:-1])
    last[arrives] = curve.values[np.minimum(node[arrives] + 1, len(curve) - 1)]
    last = np.where(moves, last, first)
    if not curve.bends:
        return Segments(a, b, first, last, moves, none, none, never)
    after = np.minimum(node + 1, len(curve) - 1)
    share = (b - a) / np.maximum(curve.ticks[after] - curve.ticks[node], 1)
    ease = np.where(moves, curve.ease[node], 0.0)
    lift = np.where(moves, curve.lift[node] * np.minimum(share, 1), 0.0)
    return Segments(a, b, first, last, moves, lift, ease, (share < 1) & (ease > 0))


def _uncut(curve: Curve, ticks: Ints, error: float) -> Curve:
    """The curve with straight ways in place of the eased ones that any of `ticks` cuts: a part of those has no form."""
    if not curve.bends:
        return curve
    eased = np.flatnonzero((curve.ease > 0) & ~curve.hold)
    eased = eased[eased < len(curve) - 1]
    inside = np.searchsorted(ticks, curve.ticks[eased], side="right") < np.searchsorted(ticks, curve.ticks[eased + 1])
    eased = eased[inside]
    if not len(eased):
        return curve
    _, inner = refined(curve.ticks[eased], curve.ticks[eased + 1], lambda _, at: curve.at(at), error / 2)
    lift, ease = (np.array(column) for column in (curve.lift, curve.ease))
    lift[eased] = ease[eased] = 0.0
    straight = Curve(curve.ticks, curve.values, curve.hold, frozen(lift, np.float64), frozen(ease, np.float64))
    return _inserted(straight, inner, curve.at(inner), np.zeros(len(inner), dtype=bool))


def _in_segment(curve: Curve, b: Ints, number: Ints, ticks: Floats) -> Floats:
    return np.where(ticks >= b[number], curve.arriving(b[number]), curve.at(ticks))
