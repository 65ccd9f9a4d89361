"""Curves: nodes in time, and the form of the way from one to the next.

One form serves every ramp, hairpin, fade, glide and lane segment. With u from 0 to 1 along the segment:

    s = expm1(8 lift u) / expm1(8 lift)        (s = u where lift is 0)
    y = (1 - ease) s + ease s s (3 - 2 s)

It rises from 0 to 1, never turns back, and is exact at both ends.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Flags, Floats, Ints, frozen

_STEEPNESS = 8.0


def form(u: ArrayLike, lift: ArrayLike = 0.0, ease: ArrayLike = 0.0) -> Floats:
    """How far along in value (0 to 1) at `u` along in time (0 to 1).

    `lift` from -1 (fast, then slow) to 1 (slow, then fast); `ease` from 0 to 1 softens both ends. Shapes broadcast.
    """
    u, lift = np.broadcast_arrays(np.asarray(u, dtype=np.float64), np.asarray(lift, dtype=np.float64))
    power = _STEEPNESS * lift
    straight = np.abs(power) < 1e-9
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


@dataclass(frozen=True, eq=False)
class Curve:
    """Nodes of ascending `ticks` (equal ones allowed: the last holds) with their `values`.

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
            return frozen(np.broadcast_to(np.asarray(values, dtype=dtype), ticks.shape), dtype)

        return cls(
            frozen(ticks, np.int64), spread(values, float), spread(hold, bool), spread(lift, float), spread(ease, float)
        )

    def __len__(self) -> int:
        return len(self.ticks)

    def spliced(self, start: int, end: int, made: "Curve") -> "Curve":
        """The curve with the nodes from `start` to before `end` replaced by others."""

        def joined(name: str) -> np.ndarray:
            mine, theirs = getattr(self, name), getattr(made, name)
            return frozen(np.concatenate((mine[:start], theirs, mine[end:])), mine.dtype)

        return Curve(*(joined(name) for name in ("ticks", "values", "hold", "lift", "ease")))

    def at(self, ticks: ArrayLike) -> Floats:
        """Values at `ticks` (any shape). Before the first node a lane has no value: NaN."""
        ticks = np.asarray(ticks, dtype=np.float64)
        if not len(self):
            return np.full(ticks.shape, np.nan)
        node = np.searchsorted(self.ticks, ticks, side="right") - 1
        here = np.maximum(node, 0)
        there = np.minimum(here + 1, len(self) - 1)
        width = self.ticks[there] - self.ticks[here]
        moving = (width > 0) & ~self.hold[here]
        u = np.where(moving, (ticks - self.ticks[here]) / np.maximum(width, 1), 0.0)
        way = form(np.clip(u, 0.0, 1.0), self.lift[here], self.ease[here])
        value = self.values[here] + (self.values[there] - self.values[here]) * np.where(moving, way, 0.0)
        return np.where(node < 0, np.nan, value)
