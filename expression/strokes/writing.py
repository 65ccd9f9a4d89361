"""Strokes that write a lane: nodes, lines drawn by hand, ramps, lead-ins; and those that take it away."""

import itertools
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.curve import Curve, lift_between, line_between
from expression.distil import line_through
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import MOST_NODES
from expression.note_curves import NoteCurves
from expression.piece import Piece
from expression.strokes.base import Lift, Points, Reach, Record, Tick, Unit, Where
from expression.strokes.grips import Grip, Place, line_grips
from expression.strokes.lane import LaneKey, LaneKeys, LaneStroke, Spot, parts_of, switched
from expression.strokes.many import Many
from expression.strokes.spec import ASK_EASE, ASK_LIFT, Ask, Gesture, Spec, entry
from expression.take import Lane, Take

Value = Annotated[float, Field(ge=-127, le=127)]
ValueThere = Annotated[
    float | None, Field(ge=-127, le=127, description="In the lane's unit; absent: the value that is there.")
]
Tolerance = Annotated[float, Field(ge=0, le=64)]


class Node(Record):
    """One node of a lane, and the way to the next."""

    tick: Tick
    value: Value = Field(description="In the lane's unit; bend in semitones.")
    hold: bool = Field(True, description="Keep the value until the next node.")
    lift: Lift = 0.0
    ease: Unit = 0.0


class WritingStroke(LaneStroke):
    """A stroke that writes one lane, and makes it where there is none. What it ends with stays until the next node."""

    lane: LaneKey

    @property
    @override
    def makes(self) -> bool:
        return True

    def sliding(self, take: Take) -> list[Spot]:
        """The lanes it acts on, where it cannot act on one that is on or off. Raises NothingMatched."""
        found = super().lanes(take)
        if stiff := [spot for spot in found if spot.is_switch]:
            raise NothingMatched(f"{LANES[stiff[0].key].name} is on or off here; it cannot slide.", "lane")
        return found


class LaneNodes(WritingStroke):
    """Nodes take the place of those in the span (of all, where no span is given).

    A way that crossed an edge of the span goes to the first, or on from the last of them.
    """

    kind: Literal["lane.nodes"] = "lane.nodes"
    spec = Spec(
        "lane",
        "Nodes",
        asks=(Ask("nodes", "Value", "node"),),
    )
    nodes: tuple[Node, ...] = Field(max_length=MOST_NODES, description="Ascending by tick, within the span.")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        ticks = [node.tick for node in self.nodes]
        if ticks != sorted(ticks):
            raise ValueError("nodes must ascend by tick")
        if self.where.span and ticks and not self.where.span[0] <= ticks[0] <= ticks[-1] < self.where.span[1]:
            raise ValueError("nodes must lie within the span")
        kind = LANES[self.lane]
        if any(not kind.low <= node.value <= kind.high for node in self.nodes):
            raise ValueError(f"nodes of {kind.name} must have values from {kind.low:g} to {kind.high:g}")
        return self

    @property
    @override
    def makes(self) -> bool:
        return bool(self.nodes)

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane:
        old = spot.curve
        first, after = self.where.span or (0, int(old.ticks[-1]) + 1 if len(old) else 1)
        start, end = np.searchsorted(old.ticks, [first, after]).tolist()
        hold = [node.hold or spot.is_switch for node in self.nodes]
        if hold and end < len(old) and (old.holds([after]).all() or after <= old.ticks[0]):
            # What follows was not on its way from here, and is not now.
            hold[-1] = True
        made = Curve.of(
            [node.tick for node in self.nodes],
            [node.value for node in self.nodes],
            hold,
            [node.lift for node in self.nodes],
            [node.ease for node in self.nodes],
        )
        return spot.lane.reshaped(old.rows(slice(start)).then(made, old.rows(slice(end, None))))

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        nodes = list(self.nodes)
        for row, (node, after) in enumerate(itertools.pairwise(self.nodes)):
            lift = lift_between(tick, value, (node.tick, node.value), (after.tick, after.value), node.ease)
            if lift is None:
                continue
            nodes[row] = node.model_copy(update={"lift": lift, "hold": False})
        return self.model_copy(update={"nodes": tuple(nodes)})

    @override
    def reach(self, take: Take) -> Reach:
        ticks = [node.tick for node in self.nodes]
        start, end = self.where.span or (min(ticks, default=0), max(ticks, default=0) + 1)
        return Reach(start, end, parts_of(self.lanes(take)), len(self.nodes))

    @override
    def label(self) -> str:
        if len(self.nodes) == 1:
            return f"{self.name} to {self.nodes[0].value:g}".replace("-", "−")
        return f"{self.name}: {len(self.nodes)} nodes" if self.nodes else f"{self.name} erased"


class LaneDraw(WritingStroke):
    """A line drawn by hand takes the place of what was between its first and its last point; distilled to few nodes."""

    kind: Literal["lane.draw"] = "lane.draw"
    spec = Spec(
        "lane",
        "Drawn",
        asks=(entry("tolerance", "Tolerance", 0.5),),
    )
    points: Points[Value]
    tolerance: Tolerance = Field(
        1.0,
        description="How far the curve may stray from the straight lines between the points, in steps; bend in "
        "semitones.",
    )
    steps: bool = Field(False, description="Jump from point to point without a slide.")

    @property
    @override
    def target(self) -> Where:
        return self.where.within(self.points[0][0], self.points[-1][0] + 1)

    @override
    def span_of(self, take: Take, lane: Lane) -> tuple[int, int]:
        return self.target.span or (0, 1)

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane:
        start, end = self.span_of(take, spot.lane)
        ticks, values = np.array(self.points, dtype=np.float64).T
        inside = (ticks > start) & (ticks < end - 1)
        # Where the span cuts the line, it begins and ends on the line all the same.
        edges = np.unique([start, end - 1])
        at_edges = np.interp(edges, ticks, values)
        ticks = np.concatenate((edges[:1], ticks[inside], edges[1:])).astype(np.int64)
        values = np.clip(np.concatenate((at_edges[:1], values[inside], at_edges[1:])), *spot.limits)
        if spot.is_switch:
            values = switched(values)
        if self.steps or spot.is_switch:
            turns = np.concatenate(([True], np.diff(values) != 0))
            made = Curve.of(ticks[turns], values[turns])
        else:
            made = line_through(ticks, values, self.tolerance)
        return spot.laid(Piece(start, end, made), resumes=False)

    @property
    @override
    def furthest(self) -> int:
        return self.points[-1][0] + 1

    @override
    def on_many(self, many: Many) -> NoteCurves:
        ticks, values = np.array(self.points, dtype=np.float64).T
        ticks = ticks.astype(np.int64)
        start, end = self.target.span or (0, 1)
        many.keep(many.length > start)
        if not len(many):
            raise NothingMatched("The line begins behind the end of each of these notes.", "points")
        many.starts, many.ends, many.is_whole = many.base + start, many.base + end, False
        made = Curve.of(ticks, values) if self.steps else line_through(ticks, values, self.tolerance)
        return many.laid(many.tiled(made.timed(made.ticks - start)))

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        return list(self.points)

    @override
    def label(self) -> str:
        first, last = self.points[0][1], self.points[-1][1]
        return f"{self.name} drawn {first:.0f} → {last:.0f}".replace("-", "−")


class LaneRamp(WritingStroke):
    """One way over the span, in place of all that was there."""

    kind: Literal["lane.ramp"] = "lane.ramp"
    spec = Spec(
        "lane",
        "Ramp",
        asks=(
            entry("start", "Start", 1, "as it is"),
            entry("end", "End", 1, "as it is"),
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture(
                "hairpin",
                "Ramp",
                "One way over the span, from the value that is there to the one that is there",
                "line slope glide rise fall linear",
                "Shape",
                where="all of the lane",
                given={"start": "@from", "end": "@high"},
                on_notes=True,
            ),
        ),
        slides=True,
    )
    start: ValueThere = None
    end: ValueThere = None
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")

    @model_validator(mode="after")
    def _has_span(self) -> Self:
        if self.where.span is None and not self.of_notes:
            raise ValueError("a ramp needs a span")
        return self

    @override
    def lanes(self, take: Take) -> list[Spot]:
        return self.sliding(take)

    def _ends(self, lane: Lane) -> tuple[float, float]:
        there = lane.curve.at(np.array(self.where.span, dtype=np.int64))
        values = [
            given if given is not None else LANES[self.lane].default if np.isnan(known) else float(known)
            for given, known in zip((self.start, self.end), there, strict=True)
        ]
        return values[0], values[1]

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane:
        start, end = self.where.span or (0, 1)
        made = Curve.of([start, end], self._ends(spot.lane), [False, True], self.lift, self.ease)
        return spot.laid(Piece(start, end, made), resumes=False)

    @override
    def on_many(self, many: Many) -> NoteCurves:
        first, last = (
            many.curve.at(ticks) if given is None else np.full(len(many), given)
            for given, ticks in ((self.start, many.starts), (self.end, many.ends))
        )
        return many.laid(many.ramps(first, last, self.lift, self.ease))

    def _way(self, take: Take) -> tuple[int, int, float, float]:
        start, end = self.where.span or (0, 1)
        return start, end, *self._ends(self.lanes(take)[0].lane)

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        start, end, low, high = self._way(take)
        return line_between((start, low), (end, high), self.lift, self.ease)

    @override
    def grips(self, take: Take) -> list[Grip]:
        start, end, low, high = self._way(take)
        return line_grips(Place(start, low), Place(end, high), (self.lift, self.ease))

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        start, end, low, high = self._way(take)
        lift = lift_between(tick, value, (start, low), (end, high), self.ease)
        return self if lift is None else self.model_copy(update={"lift": lift})

    @override
    def label(self) -> str:
        ends = ["…" if value is None else f"{value:g}".replace("-", "−") for value in (self.start, self.end)]
        return f"{self.name} {ends[0]} → {ends[1]}"


class LaneLeadIn(WritingStroke):
    """A value at the very start, before the first note, so that no value is left over from the last time."""

    kind: Literal["lane.lead_in"] = "lane.lead_in"
    spec = Spec(
        "lane",
        "Lead-in",
        asks=(entry("value", "Value", 1, "as it is"),),
    )
    value: Annotated[float | None, Field(ge=-127, le=127)] = Field(
        None, description="Absent: the value that the lane begins with; where it has none, the standard's default."
    )

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane:
        value = self.value
        if value is None:
            # What a reset puts back is not what the lane begins with.
            own = np.flatnonzero(~np.isin(spot.lane.origin, spot.channel.resets))
            value = float(spot.curve.values[own[0]]) if len(own) else LANES[self.lane].default
        return spot.laid(Piece(0, 1, Curve.of([0], [value])), resumes=False)

    @override
    def reach(self, take: Take) -> Reach:
        return Reach(0, 1, parts_of(self.lanes(take)), 1)

    @override
    def on_many(self, many: Many) -> NoteCurves:
        many.starts, many.ends, many.is_whole = many.base, many.base + 1, False
        first = many.curve.values[np.searchsorted(many.curve.ticks, many.base)]
        values = first if self.value is None else np.full(len(many), self.value)
        return many.laid(Curve.of(many.base, values))

    @override
    def label(self) -> str:
        return f"{self.name} lead-in" + ("" if self.value is None else f" {self.value:g}".replace("-", "−"))


class LaneClear(LaneStroke):
    """Take all in the span away. Outside nothing changes: a way that crosses an edge keeps its form, and what was held
    at the end of the span comes back there.
    """

    kind: Literal["lane.clear"] = "lane.clear"
    spec = Spec(
        "lane",
        "Erased",
        gestures=(
            Gesture(
                "away",
                "Erase",
                "What the lane says away: in the span, or all of it (Del)",
                "clear remove delete empty",
                "Tidy",
                where="span",
            ),
            Gesture(
                "away",
                "Erase all",
                "All lanes of the part in front, in the span where one is chosen",
                "clear remove delete every lane",
                "Tidy",
                where="span",
                given={"lane": "@every lane"},
            ),
        ),
    )
    lane: LaneKeys

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane | None:
        curve = spot.curve
        start, end = self.where.span or (0, int(curve.ticks[-1]) + 1)
        crossed = curve.ticks[0] <= start and not curve.holds([start]).all()
        if not len(curve.within(start, end)) and not crossed:
            return None
        return spot.laid(Piece(start, end, Curve.of([], [])), resumes=self.where.span is not None)

    @override
    def label(self) -> str:
        return f"{self.name} erased" if self.where.span else f"{self.name} cleared"
