"""Strokes that make a recorded lane steadier or smaller: smoothing, distilling, and taking away what nobody played."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import unplayed
from expression.arrays import Flags, Floats, Ints, whole
from expression.curve import Curve
from expression.distil import distil
from expression.strokes.lane import SlidingStroke, rest_ticks
from expression.strokes.writing import Tolerance
from expression.take import Lane, Part, Take


class LaneSmooth(SlidingStroke):
    """Steady a jittery controller: each value becomes the mean of what was heard around it; nothing comes late."""

    kind: Literal["lane.smooth"] = "lane.smooth"
    width: Annotated[float, Field(gt=0, le=10_000)] = Field(80.0, description="How much is looked at, in milliseconds.")

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        start, end = self.span_of(take, lane)
        inner = lane.curve.within(start, end)
        if len(inner) < 2:
            return None
        seconds = take.tempo.seconds(inner.ticks)
        values = _mean_around(seconds, inner.values, self.width / 1000)
        values = _mean_around(seconds, values, self.width / 2000)
        rests = np.diff(seconds, append=np.inf) > max(self.width / 1000, 0.1)
        made = Curve.of(inner.ticks, values, rests)
        return lane.between(start, end, made, comes_back=False)

    @override
    def label(self) -> str:
        return f"{self.name} smoothed over {self.width:g} ms"


def _mean_around(seconds: Floats, values: Floats, width: float) -> Floats:
    """Of held values the mean over time from half a width before to half a width after each; less at the ends.

    Time is looked at evenly to both sides, so that the mean has no lag.
    """
    area = np.concatenate(([0.0], np.cumsum(np.diff(seconds) * values[:-1])))
    half = np.minimum(width / 2, np.minimum(seconds - seconds[0], seconds[-1] - seconds))
    # Between nodes the area under held values grows evenly, so a line through it is the area itself.
    spread = 2 * half
    under = np.interp(seconds + half, seconds, area) - np.interp(seconds - half, seconds, area)
    mean = under / np.where(spread > 0, spread, 1.0)
    return np.where(spread > 1e-9, mean, values)


class LaneDistil(SlidingStroke):
    """The fewest nodes that stay within a tolerance of every value that was there."""

    kind: Literal["lane.distil"] = "lane.distil"
    tolerance: Tolerance = Field(1.0, description="In steps; bend in semitones.")

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        start, end = self.span_of(take, lane)
        inner = lane.curve.within(start, end)
        if not len(inner):
            return None
        rest = rest_ticks(take, start)
        ticks, values = (inner.ticks, inner.values) if inner.hold.all() else _as_events(lane.curve, start, end, rest)
        made = distil(ticks, values, self.tolerance, rest)
        return lane.between(start, end, made, comes_back=False) if len(made) < len(inner) else lane

    @override
    def label(self) -> str:
        return f"{self.name} distilled within {self.tolerance:g}"


def _as_events(curve: Curve, start: int, end: int, rest: int) -> tuple[Ints, Floats]:
    """The nodes from `start` to before `end` as if recorded: ways told so often that no rest is seen in them.

    Where a long way ends in a jump, what it comes to is told a tick before; short ones are steps of a movement.
    """
    inner = curve.within(start, end)
    a, b = inner.ticks, np.append(inner.ticks[1:], end)
    moves = ~inner.hold & (a != curve.ticks[-1])
    count = np.where(moves, np.maximum(-(-(b - a) // rest), 1), 1)
    node = np.repeat(np.arange(len(inner)), count)
    step = np.arange(len(node)) - np.repeat(np.cumsum(count) - count, count)
    ticks = a[node] + whole(step * (b - a)[node] / count[node])
    values = np.where(step > 0, curve.at(ticks), inner.values[node])
    jumps = np.flatnonzero((count[:-1] > 1) & (a[1:] == b[1:])) + 1
    told, level = a[jumps] - 1, inner.values[jumps]
    if moves[-1]:
        told, level = np.append(told, end - 1), np.append(level, curve.at(end - 1))
    return np.concatenate((told, ticks)), np.concatenate((level, values))


class LaneUnplayed(SlidingStroke):
    """Take away what nobody played: flicker between neighbouring values, and movement while nothing sounds."""

    kind: Literal["lane.unplayed"] = "lane.unplayed"
    flicker: bool = Field(True, description="A run that flickers between two or three neighbouring values becomes one.")
    unheard: bool = Field(True, description="Of a movement while no note sounds, only where it ends is kept.")

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        start, end = self.span_of(take, lane)
        ticks, values = lane.curve.ticks, lane.curve.values.copy()
        gone: Flags = np.zeros(len(ticks), dtype=bool)
        flat: Ints = np.zeros(0, dtype=np.int64)
        if self.flicker:
            for run in unplayed.flickers(take, lane):
                rows = np.arange(run.first, run.last + 1)
                gone[rows[1:]] = True
                values[rows[0]] = run.value
                flat = np.append(flat, rows[0])
        if self.unheard:
            for run in unplayed.unheard(take, part, lane):
                gone[run.first : run.last] = True
        inside = (ticks >= start) & (ticks < end)
        gone &= inside
        if not gone.any():
            return None
        touched = lane.touched.copy()
        touched[flat] = True
        return lane.kept(~gone, values, touched)

    @property
    @override
    def nothing(self) -> str:
        return f"{self.name} carries nothing that nobody played."

    @override
    def label(self) -> str:
        return f"{self.name}: what nobody played is gone"
