"""Where an open stroke can be taken by hand: each grip lies at a place on the lane, and moves one of its numbers."""

from dataclasses import dataclass, replace
from typing import Literal, NamedTuple

import numpy as np

from expression.curve import form


@dataclass(frozen=True, slots=True)
class Grip:
    """A place at which a stroke can be taken by hand, and the number that it moves."""

    field: str
    name: str
    """What it is called."""
    tick: int
    value: float
    """Where it lies, in the lane's unit."""
    number: float
    """What the field holds."""
    scale: float = 1.0
    """What 1 of the field is on the lane; 0: the whole line is formed to pass where the grip is dragged to."""
    along: Literal["start", "end", "peak", ""] = ""
    """What it takes with it when it is dragged along the lane: an edge of the span, or the place of the peak."""
    base: float = 0.0
    """Where on the lane 0 of the field is."""
    time: "Time | None" = None
    """The number that it moves when it is dragged along the lane. One whose field that is moves nothing else."""

    def later(self, ticks: int) -> "Grip":
        """The same, so many ticks later."""
        time = replace(self.time, origin=self.time.origin + ticks) if self.time else None
        return replace(self, tick=self.tick + ticks, time=time)


@dataclass(frozen=True, slots=True)
class Time:
    """A number of a stroke that is a time: 0 of it is at the tick `origin`, and 1 so many ticks (`unit`) after that."""

    field: str
    origin: int
    unit: float


class Place(NamedTuple):
    """A point of a line: its tick, and the number that the stroke has for it."""

    tick: int
    number: float


def turning(start: int, end: int, peak: float | None, peak_at: float) -> Place | None:
    """Where a line turns back: at that share of its way; nowhere, where it has no peak."""
    return None if peak is None else Place(start + round(peak_at * (end - start)), peak)


def line_grips(
    start: Place, end: Place, lift: tuple[float, float] | None, peak: Place | None = None, scale: float = 1.0
) -> list[Grip]:
    """The grips of a line from `start` to `end`, or by way of a `peak`; `lift` is its form (lift and ease), if any.

    Places that lie higher than the lane are held at its edge by whoever draws them.
    """
    grips = [Grip("start", "Where the line starts", start.tick, start.number * scale, start.number, scale, "start")]
    if lift is not None:
        target = peak or end
        share = float(form(np.array([0.5]), *lift)[0])
        value = (start.number + (target.number - start.number) * share) * scale
        grips.append(Grip("lift", "Lift of the line", round((start.tick + target.tick) / 2), value, lift[0], 0.0))
    if peak is not None:
        grips.append(Grip("peak", "Peak of the line", peak.tick, peak.number * scale, peak.number, scale, "peak"))
    grips.append(Grip("end", "Where the line ends", end.tick, end.number * scale, end.number, scale, "end"))
    return grips
