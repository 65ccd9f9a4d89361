"""Strokes that take what a lane holds to another time, part or lane."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Floats, whole
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.strokes.base import Count, Reach, Record, Tick
from expression.strokes.lane import HIGHEST_VALUE, LaneKey, LaneStroke, bounds, known_lane, lane_of, pinned, switched
from expression.strokes.writing import MOST_NODES
from expression.take import LAST_TICK, Lane, Part, Take


class CopyTarget(Record):
    """Where a copy goes. What is absent is as in the original."""

    part: Count | None = None
    lane: str | None = Field(None, description="`bend`, `pressure`, or `cc:0` to `cc:127`.")
    at: Tick | None = Field(None, description="The tick at which the copy begins.")

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.lane is not None:
            known_lane(self.lane)
        return self


class LaneCopy(LaneStroke):
    """What the lane holds in the span, put down again: later, on another lane, in another part; over what is there."""

    kind: Literal["lane.copy"] = "lane.copy"
    lane: LaneKey
    to: CopyTarget
    fit: Annotated[int, Field(ge=1, le=LAST_TICK)] | None = Field(
        None, description="How many ticks the copy lasts; absent: as long as the original."
    )
    flip: Literal["none", "time", "value"] = Field("none", description="Backwards, or upside down.")
    gain: Annotated[float, Field(ge=0, le=16)] = Field(1.0, description="Values times this.")
    repeat: Annotated[int, Field(ge=1, le=1000)] = Field(1, description="So many copies one after another.")

    @model_validator(mode="after")
    def _elsewhere(self) -> Self:
        if self.where.span is None:
            raise ValueError("a copy needs the span that is copied")
        if self.where.parts is None or len(self.where.parts) != 1:
            raise ValueError("a copy is made from one part; name it in where")
        onto = (self._part, self._lane, self._at) == (self.where.parts[0], self.lane, self.where.span[0])
        if onto and self.fit is None and self.flip == "none" and self.gain == 1 and self.repeat == 1:
            raise ValueError("the copy would lie exactly on the original; give it another time, lane or part")
        return self

    @property
    def _part(self) -> int:
        return self.to.part if self.to.part is not None else (self.where.parts or (0,))[0]

    @property
    def _lane(self) -> str:
        return self.to.lane or self.lane

    @property
    def _at(self) -> int:
        return self.to.at if self.to.at is not None else (self.where.span or (0, 1))[0]

    @override
    def apply(self, take: Take) -> Take:
        ((source, lane),) = self.lanes(take)
        start, end = self.where.span or (0, 1)
        if self._part >= len(take.parts):
            raise NothingMatched(f"There is no part {self._part} to copy to; this take has {len(take.parts)}.", "to")
        piece = cut_out(lane, start, end)
        if not len(piece):
            raise NothingMatched(self.nothing)
        part = take.parts[self._part]
        made = converted(piece, source, self.lane, part, self._lane, self.gain)
        length = self.fit or end - start
        made = _flipped(made, end - start, self.flip, bounds(part, self._lane))
        made = made.timed(whole(made.ticks * (length / (end - start))))
        return take.with_lanes({part.id: laid(lane_of(part, self._lane), made, self._at, length, self.repeat)})

    @override
    def reach(self, take: Take) -> Reach:
        self.lanes(take)
        start, end = self.where.span or (0, 1)
        length = (self.fit or end - start) * self.repeat
        return Reach(self._at, self._at + length, [self._part], self.repeat)

    @override
    def label(self) -> str:
        place = f" to {LANES[self._lane].name}" if self._lane != self.lane else ""
        return f"{self.name} copied{place}" + (f", {self.repeat} times" if self.repeat > 1 else "")


class LaneMove(LaneStroke):
    """One kind of data becomes another: mod wheel to expression, pressure to a controller, and back."""

    kind: Literal["lane.move"] = "lane.move"
    lane: LaneKey
    to: LaneKey
    keep: bool = Field(False, description="Leave the original where it was.")

    @model_validator(mode="after")
    def _elsewhere(self) -> Self:
        known_lane(self.to, "to")
        if self.to == self.lane:
            raise ValueError("the lane would be moved onto itself; choose another one")
        return self

    @override
    def apply(self, take: Take) -> Take:
        made = take
        matched = False
        for part, lane in self.lanes(take):
            start, end = self.span_of(take, lane)
            piece = cut_out(lane, start, end)
            if not len(piece):
                continue
            matched = True
            moved = converted(piece, part, self.lane, part, self.to, 1.0)
            moved = moved.timed(moved.ticks + start)
            target = lane_of(made.parts[part.id], self.to).between(start, end, moved, comes_back=False)
            made = made.with_lanes({part.id: target})
            if not self.keep:
                made = made.with_lanes({part.id: lane.between(start, end, Curve.of([], []), comes_back=False)})
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    @override
    def label(self) -> str:
        return f"{self.name} to {LANES[self.to].name}" + (", kept" if self.keep else "")


def laid(lane: Lane, piece: Curve, at: int, length: int, repeat: int) -> Lane:
    """A lane with a piece (ticks from 0) laid over it from tick `at`, as often as told, each `length` ticks long."""
    if len(piece) * repeat > MOST_NODES:
        too_many = f"That would be more than {MOST_NODES:,} nodes; distil the lane or repeat it less."
        raise NothingMatched(too_many, "repeat")
    shift = at + np.repeat(np.arange(repeat), len(piece)) * length
    values, hold, lift, ease = (np.tile(column, repeat) for column in piece.columns[1:])
    turns = Curve.of(np.tile(piece.ticks, repeat) + shift, values, hold, lift, ease)
    return lane.between(at, at + length * repeat, turns)


def cut_out(lane: Lane, start: int, end: int) -> Curve:
    """What a lane says from `start` to before `end`, with ticks from 0 and a node there wherever it has a value."""
    curve = lane.opened(start).opened(end).curve
    inner = curve.within(start, end)
    if len(inner) and not inner.hold[-1] and end > inner.ticks[-1]:
        # The last way ends in a node outside: its end belongs to the piece.
        inner = inner.spliced(len(inner), len(inner), Curve.of([end], curve.at([end])))
    return inner.timed(inner.ticks - start)


def converted(piece: Curve, source: Part, old: str, part: Part, new: str, gain: float) -> Curve:
    """Values of one lane in the unit of another: the bend's full range either way is the full range of 0 to 127."""

    def share(values: Floats) -> Floats:
        widest = bounds(source, old)[1]
        return np.asarray((values / widest + 1) / 2 if old == "bend" else values / HIGHEST_VALUE)

    values = piece.values
    if old != new and "bend" in (old, new):
        values = share(values)
        values = (2 * values - 1) * bounds(part, new)[1] if new == "bend" else values * HIGHEST_VALUE
    values = pinned(values * gain, part, new)
    if LANES[new].switch:
        return Curve.of(piece.ticks, switched(values))
    return piece.valued(values)


def _flipped(piece: Curve, length: int, flip: str, limits: tuple[float, float]) -> Curve:
    if flip == "value":
        return piece.valued(sum(limits) - piece.values)
    if flip == "none" or not len(piece):
        return piece
    # Backwards a held value begins where it ended, and a way has its lift the other way round.
    ends = np.append(piece.ticks[1:], length)
    ticks, values, hold, lift, ease = [], [], [], [], []
    for node in range(len(piece) - 1, -1, -1):
        a, b = int(piece.ticks[node]), int(ends[node])
        if piece.hold[node] or node == len(piece) - 1:
            if b > a:
                ticks.append(length - b)
                values.append(piece.values[node])
                hold.append(True)
                lift.append(0.0)
                ease.append(0.0)
            continue
        arrives = piece.values[node + 1]
        ticks += [length - b, length - a]
        values += [arrives, piece.values[node]]
        hold += [False, True]
        lift += [-piece.lift[node], 0.0]
        ease += [piece.ease[node], 0.0]
    return Curve.of(ticks, values, hold, lift, ease)
