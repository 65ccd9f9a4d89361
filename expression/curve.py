"""Curves: nodes in time, and the form of the way from one to the next.

One form serves every ramp, hairpin, fade, glide and lane segment. With u from 0 to 1 along the segment:

    s = expm1(8 lift u) / expm1(8 lift)        (s = u where lift is 0)
    y = (1 - ease) s + ease s s (3 - 2 s)

It rises from 0 to 1, never turns back, and is exact at both ends.
"""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Flags, Floats, Ints, are_constant, constant, frozen, joined, taken, union, whole
from expression.memo import Remembers, beside, remember

STEEPNESS = 8.0
"""The power of a way whose lift is 1."""
LINE_POINTS = 33
"""Points of a bent line as it is drawn."""
MOST_LINE_POINTS = 4000
NEAR = 64
"""So many nodes are compared before all of them are."""


def form(u: ArrayLike, lift: ArrayLike = 0.0, ease: ArrayLike = 0.0) -> Floats:
    """How far along in value (0 to 1) at `u` along in time (0 to 1).

    `lift` from -1 (fast, then slow) to 1 (slow, then fast); `ease` from 0 to 1 softens both ends. Shapes broadcast.
    """
    u, lift = np.broadcast_arrays(np.asarray(u, dtype=np.float64), np.asarray(lift, dtype=np.float64))
    power = STEEPNESS * lift
    straight = np.abs(power) < 1e-9
    s = u
    if not straight.all():
        safe = np.where(straight, 1.0, power)
        s = np.where(straight, u, np.expm1(safe * u) / np.expm1(safe))
    return np.asarray((1 - np.asarray(ease)) * s + ease * s * s * (3 - 2 * s), dtype=np.float64)


def ramp(u: ArrayLike, start: float, end: float, lift: float = 0.0, ease: float = 0.0) -> Floats:
    """Values from `start` to `end`, exact at both; `u` outside 0 to 1 holds the nearer end."""
    return start + (end - start) * form(np.clip(u, 0.0, 1.0), lift, ease)


def lift_through(u: float, y: float, ease: float = 0.0) -> float:
    """The lift with which a segment passes through (u, y), both within 0 to 1; held within -1 to 1.

    The form falls as lift grows, so halving the interval finds it.
    """
    low, high = -1.0, 1.0
    for _ in range(30):
        middle = (low + high) / 2
        if form(u, middle, ease) > y:
            low = middle
        else:
            high = middle
    return round((low + high) / 2, 4) + 0.0


def lift_between(
    tick: float, value: float, start: tuple[float, float], end: tuple[float, float], ease: float = 0.0
) -> float | None:
    """The lift with which the way from one (tick, value) to another passes a third; None where it has no form there."""
    if start[1] == end[1] or not start[0] < tick < end[0]:
        return None
    y = min(max((value - start[1]) / (end[1] - start[1]), 0.0), 1.0)
    return lift_through((tick - start[0]) / (end[0] - start[0]), y, ease)


def line_between(
    start: tuple[float, float], end: tuple[float, float], lift: float, ease: float
) -> list[tuple[int, float]]:
    """The way from (tick, value) to (tick, value) as points of a line."""
    shares = np.linspace(0, 1, LINE_POINTS if lift or ease else 2)
    ticks = whole(start[0] + shares * (end[0] - start[0]))
    values = np.round(ramp(shares, start[1], end[1], lift, ease), 3)
    return list(zip(ticks.tolist(), values.tolist(), strict=True))


@dataclass(frozen=True, eq=False)
class Curve(Remembers):
    """Nodes of ascending `ticks` with their `values`. Of several at one tick the first comes in, the last goes on.

    For each node the way to the next: `hold` keeps the value, otherwise a segment of `lift` and `ease`.
    """

    ticks: Ints
    values: Floats
    hold: Flags
    lift: Floats
    ease: Floats

    @classmethod
    def of(
        cls, ticks: ArrayLike, values: ArrayLike, hold: ArrayLike = True, lift: ArrayLike = 0.0, ease: ArrayLike = 0.0
    ) -> "Curve":
        """From arrays or scalars that broadcast to the shape of `ticks`; hold nodes unless told otherwise."""
        ticks = np.asarray(ticks, dtype=np.int64)

        def spread(values: ArrayLike, dtype: type) -> np.ndarray:
            column: np.ndarray = np.asarray(values, dtype=dtype)
            return frozen(column, dtype) if column.ndim else constant(column, len(ticks), dtype)

        return cls(
            frozen(ticks, np.int64), spread(values, float), spread(hold, bool), spread(lift, float), spread(ease, float)
        )

    def __len__(self) -> int:
        return len(self.ticks)

    @property
    def columns(self) -> tuple[Ints, Floats, Flags, Floats, Floats]:
        """Ticks, values, hold, lift, ease."""
        return self.ticks, self.values, self.hold, self.lift, self.ease

    def valued(self, values: Floats) -> "Curve":
        """The same nodes at other values."""
        return replace(self, values=frozen(values, np.float64))

    def timed(self, ticks: Ints) -> "Curve":
        """The same nodes at other times."""
        return replace(self, ticks=frozen(ticks, np.int64))

    def rows(self, rows: slice | Ints | Flags) -> "Curve":
        """Some of the nodes."""
        return Curve(*(taken(column, rows) for column in self.columns))

    def then(self, *others: "Curve") -> "Curve":
        """These nodes, and those of others after them."""
        return Curve(
            *(joined(*columns) for columns in zip(self.columns, *(one.columns for one in others), strict=True))
        )

    def among(self, *others: "Curve") -> "Curve":
        """These nodes and those of others in the order of time; at one tick these first, then others as they come."""
        both = self.then(*others)
        return both.rows(np.argsort(both.ticks, kind="stable"))

    def within(self, start: int, end: int) -> "Curve":
        """The nodes from `start` to before `end`."""
        return self.rows(slice(*np.searchsorted(self.ticks, [start, end]).tolist()))

    def lines(self, nodes: Ints) -> Floats:
        """Values of the ways from some nodes to the next, at even steps: fewer of many, none of very many."""
        count = next((many for many in (LINE_POINTS, 9) if len(nodes) * many <= MOST_LINE_POINTS), 3)
        if not len(nodes) or len(nodes) * count > MOST_LINE_POINTS:
            return np.zeros((len(nodes), 0))
        share = np.linspace(0, 1, count)
        ease, lift = self.ease[nodes][:, None], self.lift[nodes][:, None]
        rise = (self.values[nodes + 1] - self.values[nodes])[:, None]
        return np.round(self.values[nodes][:, None] + rise * form(share, lift, ease), 2)

    def governing(self, ticks: ArrayLike) -> Ints:
        """The node that says what the value is from each of `ticks` on; -1 before the first."""
        return np.searchsorted(self.ticks, ticks, side="right") - 1

    def holds(self, ticks: ArrayLike) -> Flags:
        """Whether the value is held at `ticks`, not on its way."""
        node = self.governing(ticks)
        return np.asarray(self.hold[np.maximum(node, 0)] | (node == len(self) - 1))

    def at(self, ticks: ArrayLike) -> Floats:
        """Values at `ticks` (any shape). Before the first node a lane has no value: NaN."""
        ticks = np.asarray(ticks)
        if not len(self):
            return np.full(ticks.shape, np.nan)
        return np.where(ticks < self.ticks[0], np.nan, self.along(self.governing(ticks), ticks))

    def arriving(self, ticks: ArrayLike) -> Floats:
        """Values just before `ticks` (any shape), where ways come to; NaN where there is none yet."""
        ticks = np.asarray(ticks)
        if not len(self):
            return np.full(ticks.shape, np.nan)
        node = np.searchsorted(self.ticks, ticks, side="left") - 1
        return np.where(node < 0, np.nan, self.along(node, ticks))

    def places(self, steps: int) -> Ints:
        """Ticks to draw it by: of its nodes, and so many even steps of each way. Ascending, each once."""
        ways = np.flatnonzero(self.ways)
        between = np.linspace(self.ticks[ways], self.ticks[ways + 1], steps + 1).astype(np.int64)
        return union(self.ticks, between.ravel())

    @property
    def repeats(self) -> Flags:
        """Which nodes say again what is held there already."""
        again = (self.values[1:] == self.values[:-1]) & self.hold[:-1] & self.hold[1:]
        return np.append(False, again)[: len(self)]

    @cached_property
    def ways(self) -> Flags:
        """Which nodes are on their way to the next."""
        moving = ~self.hold
        moving[-1:] = False
        return frozen(moving, bool)

    @cached_property
    def moves(self) -> bool:
        """Whether any of them is on its way, or all are held."""
        return bool(self.ways.any())

    @cached_property
    def bends(self) -> bool:
        """Whether any way is other than straight."""
        forms = [form for form in (self.lift, self.ease) if form.any()]
        return any(bool(form[self.ways].any()) for form in forms)

    def along(self, node: Ints, ticks: Ints | Floats) -> Floats:
        """What the way from each `node` has come to at `ticks`, which are none after its end."""
        here = np.maximum(node, 0)
        value = self.values[here]
        if not self.moves:
            return value
        moving = np.flatnonzero(self.ways[here])
        if not len(moving):
            return value
        # Most of what is recorded is held: only what moves is worked out.
        every = len(moving) == here.size
        start, at = (here, ticks) if every else (here.ravel()[moving], ticks.ravel()[moving])
        if start.size < len(self):
            begin, rise = self.ticks[start], self.values[start + 1] - self.values[start]
            share = (at - begin) / np.maximum(self.ticks[start + 1] - begin, 1)
        else:
            # Many places on few ways: how long and how high each is, once.
            ticks, rise = self.ticks.astype(np.float64), np.diff(self.values)[start]
            share = (at - ticks[start]) / np.maximum(np.diff(ticks), 1)[start]
        share = np.clip(share, 0.0, 1.0)
        if self.bends:
            lift, ease = self.lift[start], self.ease[start]
            share = form(share, lift, ease) if lift.any() or ease.any() else share
        risen = rise * share
        if every:
            return np.asarray(value + risen)
        value = np.array(value)
        value.reshape(-1)[moving] += risen
        return value


@beside
def differing(old: Curve, new: Curve) -> tuple[int, int, int]:
    """The first node that differs, and the nodes of the old and of the new from which both agree to the end."""
    most = min(len(old), len(new))
    first = _alike(old, new, 0, 0, most)
    left = most - first
    alike = _alike(old, new, len(old) - left, len(new) - left, left, -1) if left else 0
    return first, len(old) - alike, len(new) - alike


def spliced(curve: Curve, place: slice, nodes: Curve) -> Curve:
    """A curve with some nodes in place of others; the very same where these are the same."""
    first, gone, until = differing(curve.rows(place), nodes)
    if first == gone == until:
        return curve
    made = curve.rows(slice(place.start)).then(nodes, curve.rows(slice(place.stop, None)))
    # Both agree all around, as nobody has to find out again.
    remember(differing, curve, made, (place.start + first, place.start + gone, place.start + until))
    return made


def _alike(old: Curve, new: Curve, mine: int, theirs: int, count: int, step: int = 1) -> int:
    """How many of so many nodes agree, from one on of either; with a `step` of -1, from the last of them back."""
    pairs = [
        (one[mine : mine + count][::step], two[theirs : theirs + count][::step])
        for one, two in zip(old.columns, new.columns, strict=True)
        if not are_constant(one, two) and not (one is two and mine == theirs)
    ]
    for until in (min(NEAR, count), count):
        # Mostly a difference is near, or else there is none for long.
        unlike = [differ for one, two in pairs if (differ := one[:until] != two[:until]).any()]
        if unlike:
            return min(int(differ.argmax()) for differ in unlike)
    return count


NO_NODES = Curve.of([], [])
