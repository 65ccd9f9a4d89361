"""Fades as volume: a lane times a ramp."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Ints
from expression.chords import chord_onsets
from expression.curve import Curve, lift_between, line_between
from expression.lanes import EXPRESSION, LANES
from expression.piece import Piece
from expression.records import Unit
from expression.strokes.base import Lift, Reach
from expression.strokes.batch import Batch
from expression.strokes.grips import Grip, Place, line_grips
from expression.strokes.lane import Spot, parts_of
from expression.strokes.spec import ASK_EACH, ASK_EASE, ASK_LIFT, Ask, Spec, entry
from expression.strokes.writing import WritingStroke
from expression.take import Lane, Take
from expression.time import Sight

Factor = Annotated[float, Field(ge=0, le=4)]


class LaneFade(WritingStroke):
    """A fade as volume: what the lane says, times a ramp over the span. Only the level changes, not the touch.

    Where the lane says nothing, the standard's default is what fades, and the lane is given that value from the start
    of the take on. What the ramp comes to holds until the next note (the next chord, however spread) begins.
    """

    kind: Literal["lane.fade"] = "lane.fade"
    spec = Spec(
        "lane",
        "Fade",
        asks=(
            Ask("lane", "As", "writing"),
            entry("start", "Start", 0.05),
            entry("end", "End", 0.05),
            ASK_LIFT,
            ASK_EASE,
            ASK_EACH,
        ),
    )
    lane: str = Field(
        EXPRESSION, description="`cc:11` (expression) or `cc:7` (volume); any other controller can be faded too."
    )
    start: Factor = Field(description="The factor at the start of the span.")
    end: Factor = Field(description="The factor at its end.")
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")

    @model_validator(mode="after")
    def _has_span(self) -> Self:
        if self.where.span is None and not (self.of_notes or self.where.each):
            raise ValueError("a fade needs a span")
        if LANES[self.lane].is_ranged or LANES[self.lane].is_pressed:
            raise ValueError(f"{self.name} is not a level that could fade")
        return self

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane:
        if self.start == self.end == 1:
            return spot.lane
        start, end = self.where.span or (0, 1)
        curve = spot.curve
        if not len(curve) or curve.ticks[0] > start:
            default = Piece(0, 1, Curve.of([0], [LANES[self.lane].default]))
            curve = piece.laid(curve, default, spot.error, resumes=False)
        batch = Batch(take, spot.key, curve, (start, end), spot.bounds)
        until = end if self.end == 1 else self._until(take, spot, curve, end)
        return spot.reshaped(self._faded(batch, np.array([until])))

    @override
    def shape(self, batch: Batch) -> Curve:
        return self._faded(batch, batch.ends)

    @override
    def felt(self, take: Take, spot: Spot, sight: Sight) -> Sight:
        return sight

    def _faded(self, batch: Batch, until: Ints) -> Curve:
        """Curves times the ramp over their spans, which holds what it comes to for a while."""
        factor = batch.ramps(self.start, self.end, self.lift, self.ease)
        batch.ends = until
        # What the cut is off counts as often as the fade makes it louder.
        before = batch.piece(batch.cut(error=batch.error / max(self.start, self.end, 1.0)))
        made = piece.multiplied(before, batch.piece(factor), batch.error)
        return batch.laid(made.curve, resumes=not batch.on_notes)

    def _until(self, take: Take, spot: Spot, curve: Curve, end: int) -> int:
        starts = np.concatenate([part.notes.start for part in take.parts_on(spot.channel)])
        later = chord_onsets(starts, take.resolution)
        later = later[later >= end]
        return int(later.min()) if len(later) else max(take.end, int(curve.ticks[-1]), end) + 1

    @override
    def lane_reach(self, take: Take) -> Reach:
        start, end = self.where.span or (0, 1)
        return Reach(start, end, parts_of(self.lanes(take)), 0)

    @override
    def lane_line(self, take: Take) -> list[tuple[int, float]]:
        start, end = self.where.span or (0, 1)
        # Factors have no place on a lane; they are drawn as a share of its range.
        high = LANES[self.lane].high
        line = line_between((start, self.start * high), (end, self.end * high), self.lift, self.ease)
        return [(tick, min(value, high)) for tick, value in line]

    @override
    def lane_grips(self, take: Take) -> list[Grip]:
        start, end = self.where.span or (0, 1)
        ends = Place(start, self.start), Place(end, self.end)
        return line_grips(*ends, (self.lift, self.ease), scale=LANES[self.lane].high)

    @override
    def lane_fitted(self, take: Take, tick: int, value: float) -> Self:
        start, end = self.where.span or (0, 1)
        lift = lift_between(tick, value / LANES[self.lane].high, (start, self.start), (end, self.end), self.ease)
        return self if lift is None else self.model_copy(update={"lift": lift})

    @override
    def label(self) -> str:
        return f"{self.name} fade {self.start * 100:.0f}% → {self.end * 100:.0f}%"
