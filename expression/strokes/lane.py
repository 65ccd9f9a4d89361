"""Strokes on lanes: controllers, channel pressure, bend."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.strokes.base import BaseStroke, Count, Reach, Record, Unit
from expression.take import Lane, Part, Take

Lift = Annotated[float, Field(ge=-1, le=1)]
MOST_NODES = 100_000


class Node(Record):
    """One node of a lane, and the way to the next."""

    tick: Count
    value: Annotated[float, Field(ge=-127, le=127)] = Field(description="In the lane's unit; bend in semitones.")
    hold: bool = Field(True, description="Keep the value until the next node.")
    lift: Lift = 0.0
    ease: Unit = 0.0


class LaneNodes(BaseStroke):
    """Nodes take the place of those in the span (of all, where no span is given)."""

    kind: Literal["lane.nodes"] = "lane.nodes"
    lane: str = Field(description="`bend`, `pressure`, or `cc:0` to `cc:127`.")
    nodes: tuple[Node, ...] = Field(max_length=MOST_NODES, description="Ascending by tick, within the span.")

    @model_validator(mode="after")
    def _fits(self) -> "LaneNodes":
        if self.lane not in LANES:
            raise ValueError(f"lane must be bend, pressure or cc:0 to cc:127, not {self.lane[:40]!r}")
        ticks = [node.tick for node in self.nodes]
        if ticks != sorted(ticks):
            raise ValueError("nodes must ascend by tick")
        if self.where.span and ticks and not self.where.span[0] <= ticks[0] <= ticks[-1] < self.where.span[1]:
            raise ValueError("nodes must lie within the span")
        low = 0.0 if self.lane != "bend" else -127.0
        if any(node.value < low for node in self.nodes):
            raise ValueError(f"nodes of {self.lane} must have values from 0 to 127")
        return self

    def _parts(self, take: Take) -> list[Part]:
        wanted = self.where.parts
        parts = [part for part in take.parts if wanted is None or part.id in wanted]
        parts = [part for part in parts if self.lane in part.lanes or (self.nodes and wanted is not None)]
        if not parts:
            raise NothingMatched(f"No part that the stroke names has a lane {self.lane}.")
        return parts

    @override
    def apply(self, take: Take) -> Take:
        lanes = {part.id: self._replaced(part) for part in self._parts(take)}
        return take.with_lanes(lanes)

    def _replaced(self, part: Part) -> Lane:
        lane = part.lanes.get(self.lane) or Lane.empty(self.lane)
        old = lane.curve
        first, after = self.where.span or (0, int(old.ticks[-1]) + 1 if len(old) else 1)
        start, end = np.searchsorted(old.ticks, [first, after])
        made = Curve.of(
            [node.tick for node in self.nodes],
            [node.value for node in self.nodes],
            [node.hold for node in self.nodes],
            [node.lift for node in self.nodes],
            [node.ease for node in self.nodes],
        )
        # A node at the place of one that was there keeps that one's event, and so its order among others of the tick.
        place = {int(tick): int(row) for tick, row in zip(old.ticks[start:end], lane.origin[start:end], strict=True)}
        origin = np.array([place.pop(node.tick, -1) for node in self.nodes], dtype=np.int64)
        return lane.spliced(int(start), int(end), made, origin)

    @override
    def reach(self, take: Take) -> Reach:
        parts = self._parts(take)
        ticks = [node.tick for node in self.nodes]
        start, end = self.where.span or (min(ticks, default=0), max(ticks, default=0) + 1)
        return Reach(start, end, [part.id for part in parts], len(self.nodes))

    @override
    def label(self) -> str:
        name = LANES[self.lane].name
        if len(self.nodes) == 1:
            return f"{name} to {self.nodes[0].value:g}".replace("-", "−")
        return f"{name}: {len(self.nodes)} nodes" if self.nodes else f"{name} cleared"
