"""Strokes that write a lane: nodes, lines drawn by hand, ramps, lead-ins; and those that take it away."""

import itertools
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Floats
from expression.curve import NO_NODES, Curve, lift_between, line_between
from expression.distil import line_through
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import MOST_NODES
from expression.piece import cut
from expression.records import Record, Unit
from expression.strokes.base import Lift, Points, Reach, Tick, Where
from expression.strokes.batch import Batch
from expression.strokes.grips import Grip, Place, line_grips
from expression.strokes.lane import LaneKey, LaneKeys, LaneStroke, Spot, parts_of, switched
from expression.strokes.spec import ASK_EACH, ASK_EASE, ASK_LIFT, Ask, Gesture, Spec, entry
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
    travels = ("nodes.*.tick",)
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

    @property
    @override
    def furthest(self) -> int:
        return self.nodes[-1].tick + 1 if self.nodes else 0

    @override
    def shape(self, batch: Batch) -> Curve:
        old = batch.nodes
        first, after = self.where.span or (0, 0)
        local = old.ticks - batch.base[batch.owner(old.ticks)]
        behind = (local >= after) & (self.where.span is not None)
        kept = old.rows((local < first) | behind)
        if not self.nodes:
            return kept
        hold = np.tile([node.hold or batch.is_switch for node in self.nodes], (len(batch), 1))
        # Where what follows was not on its way from here, it is not now.
        held = old.holds(batch.base + after) | ~batch.has(old, batch.base + after) if len(old) else hold[:, -1]
        hold[:, -1] |= (batch.counts(old.rows(behind)) > 0) & held
        ticks = batch.base[:, None] + np.array([node.tick for node in self.nodes])
        columns = [[getattr(node, name) for node in self.nodes] for name in ("value", "lift", "ease")]
        value, lift, ease = (np.tile(column, len(batch)) for column in columns)
        return kept.among(Curve.of(ticks.ravel(), value, hold.ravel(), lift, ease))

    @override
    def lane_fitted(self, take: Take, tick: int, value: float) -> Self:
        nodes = list(self.nodes)
        for row, (node, after) in enumerate(itertools.pairwise(self.nodes)):
            lift = lift_between(tick, value, (node.tick, node.value), (after.tick, after.value), node.ease)
            if lift is None:
                continue
            nodes[row] = node.model_copy(update={"lift": lift, "hold": False})
        return self.model_copy(update={"nodes": tuple(nodes)})

    @override
    def lane_reach(self, take: Take) -> Reach:
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
    travels = ("points.*.0",)
    points: Points[Value]
    tolerance: Tolerance = Field(
        1.0,
        description="How far the curve may stray from the straight lines between the points, in steps; bend in "
        "semitones.",
    )
    steps: bool = Field(False, description="Jump from point to point without a slide.")
    in_take: bool = Field(
        False, description="On curves of notes: ticks are those of the take, and each note gets what lies over it."
    )

    @property
    @override
    def target(self) -> Where:
        return self.where.within(self.points[0][0], self.points[-1][0] + 1)

    @override
    def span_of(self, take: Take, lane: Lane) -> tuple[int, int]:
        return self.target.span or (0, 1)

    @override
    def shape(self, batch: Batch) -> Curve:
        start, end = self.target.span or (0, 1)
        if batch.on_notes and self.in_take:
            return self._over_each(batch, start, end)
        if batch.on_notes:
            batch.keep(batch.length > start)
        if not len(batch):
            raise NothingMatched("The line begins behind the end of each of these notes.", "points")
        made = self._drawn(batch, start, end)
        batch.over(start, end)
        return batch.laid(batch.tiled(made.timed(made.ticks - start)))

    def _over_each(self, batch: Batch, start: int, end: int) -> Curve:
        """To each note what lies over it; of those that sound together one after another."""
        begins, until = np.maximum(batch.begins, start), np.minimum(batch.begins + batch.length, end)
        batch.keep(until - begins > 0)
        if not len(batch):
            raise NothingMatched("The line lies over none of these notes.", "points")
        drawn = self._drawn(batch, start, end)
        begins, until = np.maximum(batch.begins, start), np.minimum(batch.begins + batch.length, end)
        pieces = [cut(drawn, first, last, batch.error).curve for first, last in zip(begins, until, strict=True)]
        counts = [len(one) for one in pieces]
        made = pieces[0].then(*pieces[1:])
        batch.starts, batch.ends = batch.base + begins - batch.begins, batch.base + until - batch.begins
        return batch.laid(made.timed(made.ticks + np.repeat(batch.base - batch.begins, counts)))

    def _drawn(self, batch: Batch, start: int, end: int) -> Curve:
        """The line from one tick to before another, in as few nodes as may be."""
        ticks, values = np.array(self.points, dtype=np.float64).T
        inside = (ticks > start) & (ticks < end - 1)
        # Where the span cuts the line, it begins and ends on the line all the same.
        edges = np.unique([start, end - 1])
        at_edges = np.interp(edges, ticks, values)
        ticks = np.concatenate((edges[:1], ticks[inside], edges[1:])).astype(np.int64)
        values = np.clip(np.concatenate((at_edges[:1], values[inside], at_edges[1:])), *batch.limits)
        if batch.is_switch:
            values = switched(values)
        if self.steps or batch.is_switch:
            turns = np.concatenate(([True], np.diff(values) != 0))
            return Curve.of(ticks[turns], values[turns])
        return line_through(ticks, values, self.tolerance)

    @property
    @override
    def furthest(self) -> int:
        return 0 if self.in_take else self.points[-1][0] + 1

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        return list(self.points) if self.in_take else super().line(take)

    @override
    def lane_line(self, take: Take) -> list[tuple[int, float]]:
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
            ASK_EACH,
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
        if self.where.span is None and not (self.of_notes or self.where.each):
            raise ValueError("a ramp needs a span")
        return self

    @override
    def lanes(self, take: Take) -> list[Spot]:
        return self.sliding(take)

    def _ends(self, batch: Batch) -> tuple[Floats, Floats]:
        there = batch.at(batch.starts), batch.at(batch.ends)
        first, last = (
            known if given is None else np.full(len(batch), given)
            for given, known in zip((self.start, self.end), there, strict=True)
        )
        return first, last

    @override
    def shape(self, batch: Batch) -> Curve:
        return batch.laid(batch.ramps(*self._ends(batch), self.lift, self.ease))

    def _way(self, take: Take) -> tuple[int, int, float, float]:
        spot = self.lanes(take)[0]
        start, end = self.where.span or (0, 1)
        first, last = self._ends(Batch(take, spot.key, spot.curve, (start, end), spot.limits))
        return start, end, float(first[0]), float(last[0])

    @override
    def lane_line(self, take: Take) -> list[tuple[int, float]]:
        start, end, low, high = self._way(take)
        return line_between((start, low), (end, high), self.lift, self.ease)

    @override
    def lane_grips(self, take: Take) -> list[Grip]:
        start, end, low, high = self._way(take)
        return line_grips(Place(start, low), Place(end, high), (self.lift, self.ease))

    @override
    def lane_fitted(self, take: Take, tick: int, value: float) -> Self:
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
    def on_spot(self, take: Take, spot: Spot) -> Lane:
        if self.value is None:
            # What a reset puts back is not what the lane begins with.
            own = np.flatnonzero(~np.isin(spot.lane.origin, spot.channel.resets))
            value = float(spot.curve.values[own[0]]) if len(own) else LANES[self.lane].default
            return self.model_copy(update={"value": value}).on_spot(take, spot)
        return super().on_spot(take, spot) or spot.lane

    @override
    def shape(self, batch: Batch) -> Curve:
        batch.over(0, 1)
        first = batch.at(batch.base) if self.value is None else np.full(len(batch), self.value)
        return batch.laid(Curve.of(batch.base, first))

    @override
    def lane_reach(self, take: Take) -> Reach:
        return Reach(0, 1, parts_of(self.lanes(take)), 1)

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
    def shape(self, batch: Batch) -> Curve | None:
        if self.where.span is None:
            return NO_NODES
        said = batch.nodes
        if not len(said):
            return None
        owner = batch.owner(said.ticks)
        inside = (said.ticks >= batch.starts[owner]) & (said.ticks < batch.ends[owner])
        crossed = batch.has(said, batch.starts) & ~said.holds(batch.starts)
        batch.keep((batch.counts(said.rows(inside)) > 0) | crossed)
        return batch.laid(NO_NODES, True, batch.nodes) if len(batch) else None

    @override
    def label(self) -> str:
        return f"{self.name} erased" if self.where.span else f"{self.name} cleared"
