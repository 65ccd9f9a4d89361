"""What a lane says, earlier or later than it was."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.curve import Curve
from expression.errors import NothingMatched
from expression.limits import LAST_TICK
from expression.strokes.base import Reach
from expression.strokes.batch import Batch
from expression.strokes.lane import LaneKey, LaneStroke, parts_of
from expression.strokes.spec import Gesture, Spec, entry
from expression.take import Take


class LaneShift(LaneStroke):
    """Nodes of the span go to another time, with the ways that leave them; past others, which stay.

    Where one comes to a tick at which another stands, that one gives way.
    """

    kind: Literal["lane.shift"] = "lane.shift"
    spec = Spec(
        "lane",
        "Earlier or later",
        says="Only where the nodes stand: what they say stays.",
        asks=(entry("ticks", "Later by, ticks", 10),),
        gestures=(
            Gesture(
                "late",
                "Later",
                "What the lane says in the span, earlier or later",
                "earlier shift move time latency late nudge delay",
                "Onto",
                where="stretch",
                given={"ticks": "@grid line"},
                on_notes=True,
            ),
        ),
    )
    lane: LaneKey
    ticks: Annotated[int, Field(ge=-LAST_TICK, le=LAST_TICK)] = Field(description="So many ticks later.")

    @model_validator(mode="after")
    def _moves(self) -> Self:
        if self.ticks == 0:
            raise ValueError("ticks must be more or less than 0: that is where they stand")
        return self

    @property
    @override
    def furthest(self) -> int:
        return max(self.ticks, 0)

    @override
    def shape(self, batch: Batch) -> Curve | None:
        old = batch.nodes
        row = batch.owner(old.ticks)
        mine = (old.ticks >= batch.starts[row]) & (old.ticks < batch.ends[row])
        if not mine.any():
            return None
        local = (old.ticks - batch.base[row])[mine]
        if (first := int(local.min())) + self.ticks < 0:
            raise NothingMatched(f"That would be before the start: they can go {first:,} ticks earlier.", "ticks")
        if int(local.max()) + self.ticks > LAST_TICK:
            raise NothingMatched("That would be later than a recording can last.", "ticks")
        moved = old.rows(mine).timed(old.ticks[mine] + self.ticks)
        stays = old.rows(~mine & ~np.isin(old.ticks, moved.ticks))
        return stays.among(moved)

    @override
    def lane_reach(self, take: Take) -> Reach:
        found = self.lanes(take)
        start, end = self.where.span or (0, max(take.end, 1))
        return Reach(max(min(start, start + self.ticks), 0), max(end, end + self.ticks), parts_of(found), 0)

    @override
    def label(self) -> str:
        return f"{self.name} {abs(self.ticks):,} ticks {'later' if self.ticks > 0 else 'earlier'}"
