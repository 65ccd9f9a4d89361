"""Fades as volume: a lane times a ramp."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.curve import Curve, lift_between, line_between, ramp
from expression.lanes import LANES
from expression.strokes.base import Lift, Reach, Unit
from expression.strokes.lane import HIGHEST_VALUE
from expression.strokes.reshaping import knots
from expression.strokes.writing import WritingStroke
from expression.take import Lane, Part, Take

Factor = Annotated[float, Field(ge=0, le=4)]


class LaneFade(WritingStroke):
    """A fade as volume: what the lane says, times a ramp over the span. Only the level changes, not the touch.

    Where the lane says nothing, the standard's default is what fades, and the lane is given that value from the start
    of the take on. What the ramp comes to holds until the next note begins.
    """

    kind: Literal["lane.fade"] = "lane.fade"
    lane: str = Field(
        "cc:11", description="`cc:11` (expression) or `cc:7` (volume); any other controller can be faded too."
    )
    start: Factor = Field(description="The factor at the start of the span.")
    end: Factor = Field(description="The factor at its end.")
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")

    @model_validator(mode="after")
    def _has_span(self) -> Self:
        if self.where.span is None:
            raise ValueError("a fade needs a span")
        if self.lane == "bend" or LANES[self.lane].switch:
            raise ValueError(f"{self.name} is not a level that could fade")
        return self

    @override
    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane:
        start, end = self.where.span or (0, 1)
        if not len(lane.curve) or lane.curve.ticks[0] > start:
            lane = lane.spliced(0, 0, Curve.of([0], [LANES[self.lane].default]), np.array([-1]))
        until = end if self.end == 1 else self._until(take, part, lane, end)
        value = lane.curve.at(start)
        if not len(lane.curve.within(start + 1, until)) and lane.curve.holds([start]).all():
            # Nothing moves here: one way, of just the form that was asked for.
            made = Curve.of([start, end], value * np.array([self.start, self.end]), [False, True], self.lift, self.ease)
        else:
            made = knots(take, lane.curve, start, until)
            factor = ramp((made.ticks - start) / (end - start), self.start, self.end, self.lift, self.ease)
            made = Curve.of(made.ticks, np.minimum(made.values * factor, HIGHEST_VALUE), made.hold)
        return lane.between(start, until, made)

    def _until(self, take: Take, part: Part, lane: Lane, end: int) -> int:
        later = part.notes.start[part.notes.start >= end]
        return int(later.min()) if len(later) else max(take.end, int(lane.curve.ticks[-1]), end) + 1

    @override
    def reach(self, take: Take) -> Reach:
        start, end = self.where.span or (0, 1)
        return Reach(start, end, [part.id for part, _ in self.lanes(take)], 0)

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        start, end = self.where.span or (0, 1)
        # Factors have no place on a lane; they are drawn as a share of its range.
        line = line_between((start, self.start * HIGHEST_VALUE), (end, self.end * HIGHEST_VALUE), self.lift, self.ease)
        return [(tick, min(value, HIGHEST_VALUE)) for tick, value in line]

    @override
    def pulled(self, take: Take, tick: int, value: float) -> Self:
        start, end = self.where.span or (0, 1)
        lift = lift_between(tick, value / HIGHEST_VALUE, (start, self.start), (end, self.end), self.ease)
        return self if lift is None else self.model_copy(update={"lift": lift})

    @override
    def label(self) -> str:
        return f"{self.name} fade {self.start * 100:.0f}% → {self.end * 100:.0f}%"
