"""The frame: what its grips do to the stretch of a lane that it goes round."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Floats, whole
from expression.curve import Curve, form
from expression.strokes.lane import SlidingStroke, bounds
from expression.strokes.limits import Limit, limited_between
from expression.strokes.reshaping import knots
from expression.strokes.velocity import measured
from expression.take import Lane, Part, Take

MARGIN = 0.12
"""Over so much of the span, at either end, a change is led in and out where it joins smoothly."""
FURTHEST = 0.45
"""How far a drift of 1 moves the middle, as a share of the span."""

Factor = Annotated[float, Field(ge=0, le=16)]
Steps = Annotated[float, Field(ge=-127, le=127)]


class LaneReshape(SlidingStroke):
    """The grips of a frame, in this order: level, depth, lean, bow, drift, length. On recorded data and on nodes."""

    kind: Literal["lane.reshape"] = "lane.reshape"
    stiff: ClassVar[str] = "it has no shape to be changed"

    level: Steps = Field(0.0, description="Added to every value.")
    depth: Factor = Field(1.0, description="Distances from the pivot times this.")
    pivot: Steps | Literal["mean", "min", "max"] = Field(
        "mean", description="What depth leaves where it is: a value, or what the stretch itself gives."
    )
    lean: tuple[Factor, Factor] = Field((1.0, 1.0), description="Values times a ramp: its factors at left and right.")
    bow: Steps = Field(0.0, description="Added in the middle, and less and less towards both ends.")
    drift: Annotated[float, Field(ge=-1, le=1)] = Field(
        0.0, description="-1 moves the middle early, 1 late; both ends stay."
    )
    length: Annotated[float, Field(gt=0, le=16)] = Field(
        1.0, description="Times this, from the start of the span on; what it then covers is replaced."
    )
    limit: Limit = "pin"
    join: Literal["keep", "smooth"] = Field(
        "keep", description="At the edges `keep` a jump that the change makes, or lead it in and out: `smooth`."
    )

    @property
    def _moves_values(self) -> bool:
        return self.level != 0 or self.depth != 1 or self.lean != (1, 1) or self.bow != 0

    @property
    def _slides_values(self) -> bool:
        """Whether values change by an amount that itself moves in time, so that what is held has to slide."""
        return self.lean[0] != self.lean[1] or self.bow != 0 or (self._moves_values and self.join == "smooth")

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        start, end = self.span_of(take, lane)
        if not len(lane.curve) or lane.curve.ticks[0] >= end:
            return None
        start = max(start, int(lane.curve.ticks[0]))
        if not self._moves_values and self.drift == 0 and self.length == 1:
            return lane
        opened = lane.opened(start).opened(end)
        curve = knots(take, opened.curve, start, end) if self._slides_values else opened.curve.within(start, end)
        wanted = self._values(curve, start, end)
        values = limited_between(curve.values, wanted, self.limit, *bounds(part, lane.key))
        made = self._moved(curve.valued(values), start, end)
        until = start + max(int(whole((end - start) * self.length)), 1)
        if self.join == "smooth":
            made = _joined(made, lane.curve, start, until, bounds(part, lane.key))
        return lane.between(start, max(until, end), made, comes_back=self.where.span is not None)

    def _values(self, curve: Curve, start: int, end: int) -> Floats:
        values = curve.values + self.level
        if self.depth != 1:
            pivot = measured(self.pivot, values)
            values = pivot + self.depth * (values - pivot)
        if self.lean == (1, 1) and self.bow == 0:
            return values
        u = (curve.ticks - start) / max(end - start, 1)
        values = values * (self.lean[0] + (self.lean[1] - self.lean[0]) * u)
        return np.asarray(values + self.bow * 4 * u * (1 - u))

    def _moved(self, curve: Curve, start: int, end: int) -> Curve:
        """Drift, then length: the nodes at other times. Ways go with them, a little bent where drift bends time."""
        if self.drift == 0 and self.length == 1:
            return curve
        u = (curve.ticks - start) / max(end - start, 1)
        middle = 0.5 + FURTHEST * self.drift
        lift = float(np.log((1 - middle) / middle) / 4)
        return curve.timed(start + whole(form(u, lift) * (end - start) * self.length))

    @override
    def label(self) -> str:
        words = []
        if self.level:
            words.append(f"level {self.level:+g}")
        if self.depth != 1:
            words.append(f"depth {self.depth * 100:.0f}%")
        if self.lean != (1, 1):
            words.append(f"lean {self.lean[0] * 100:.0f}–{self.lean[1] * 100:.0f}%")
        words += [f"{name} {value:+g}" for name, value in (("bow", self.bow), ("drift", self.drift)) if value]
        if self.length != 1:
            words.append(f"length {self.length * 100:.0f}%")
        return f"{self.name}: {', '.join(words) or 'as it was'}".replace("-", "−")


def _joined(made: Curve, old: Curve, start: int, end: int, limits: tuple[float, float]) -> Curve:
    """The changed stretch, led into what is before it and out into what is after it over a margin at either end."""
    if not len(made):
        return made
    before = old.at(start - 1) if old.ticks[0] < start else old.at(start)
    after = old.at(end)
    ends = (before - made.values[0], after - made.at(end - 1))
    margin = max((end - start) * MARGIN, 1.0)
    values = made.values.copy()
    first, last = np.searchsorted(made.ticks, [start + margin, end - margin])
    for off, rows, way in zip(
        ends, (slice(first), slice(last, None)), (made.ticks[:first] - start, end - made.ticks[last:]), strict=True
    ):
        if np.isfinite(off):
            values[rows] += float(off) * form(np.clip(1 - way / margin, 0, 1), 0.0, 1.0)
    return made.valued(np.clip(values, *limits))
