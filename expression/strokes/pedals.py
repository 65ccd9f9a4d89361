"""Strokes on pedals: pressed and lifted, and depth turned into on and off."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, field_validator, model_validator
from typing_extensions import override

from expression.arrays import Ints
from expression.curve import Curve
from expression.lanes import LANES, OFF, ON, PEDALS, SUSTAIN
from expression.limits import MOST_NODES
from expression.piece import laid_all
from expression.sounding import pressed
from expression.strokes.base import Reach, Tick, masks_of, select
from expression.strokes.lane import LaneStroke, Spot, parts_of
from expression.take import Lane, Take

PedalKey = Annotated[str, Field(description="`cc:64` (sustain), `cc:66` (sostenuto), `cc:67` (soft) or `cc:69`.")]
Threshold = Annotated[float, Field(ge=1, le=127)]


class PedalStroke(LaneStroke):
    """A stroke on a pedal of the parts it names."""

    lane: PedalKey = SUSTAIN

    @field_validator("lane")
    @classmethod
    def _pedal(cls, lane: str) -> str:
        if lane not in PEDALS:
            raise ValueError(f"lane must be a pedal: {', '.join(PEDALS)}, not {lane[:40]!r}")
        return lane


class _Foot(PedalStroke):
    """Over the span, or over each chosen note: the pedal at one depth, and after that as it was."""

    spans: Annotated[tuple[tuple[Tick, Tick], ...], Field(max_length=MOST_NODES)] = Field(
        (), description="Several spans (ticks), in place of that of `where`."
    )

    @model_validator(mode="after")
    def _forwards(self) -> Self:
        if any(start >= end for start, end in self.spans):
            raise ValueError("spans must end after they start")
        return self

    @property
    @override
    def makes(self) -> bool:
        return True

    @property
    def _depth(self) -> float:
        raise NotImplementedError

    @override
    def lanes(self, take: Take) -> list[Spot]:
        # Notes say by themselves which parts are meant.
        if self.where.parts is None and self.where.notes is not None:
            named = tuple(masks_of(take, self.where))
            return self.model_copy(update={"where": self.where.model_copy(update={"parts": named})}).lanes(take)
        return super().lanes(take)

    def _spans(self, take: Take, spot: Spot) -> list[tuple[int, int]]:
        if self.spans:
            starts, ends = (np.array(column) for column in zip(*self.spans, strict=True))
            return merged(starts, ends)
        if self.where.notes is None and self.where.pitches is None:
            return [self.where.span or (0, max(take.end, 1))]
        masks = [(part.notes, self.where.notes_of(part)) for part in spot.parts]
        start, end = (np.concatenate([getattr(n, side)[mask] for n, mask in masks]) for side in ("start", "end"))
        return merged(start, np.maximum(end, start + 1))

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane | None:
        spans = self._spans(take, spot)
        return footed(spot, [(start, end, self._depth) for start, end in spans]) if spans else None

    @override
    def reach(self, take: Take) -> Reach:
        spots = self.lanes(take)
        spans = [span for spot in spots for span in self._spans(take, spot)]
        if not spans:
            select(take, self.where)
        starts, ends = zip(*spans, strict=True)
        return Reach(min(starts), max(ends), parts_of(spots), len(spans))

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        reach = self.reach(take)
        return [(reach.start, self._depth), (reach.end, self._depth)]


class PedalPress(_Foot):
    """The pedal down, over the span or over each chosen note; after that it is as it was."""

    kind: Literal["pedal.press"] = "pedal.press"
    depth: Threshold = Field(127.0, description="How deep.")

    @property
    @override
    def _depth(self) -> float:
        return self.depth

    @override
    def label(self) -> str:
        return f"{self.name} pressed" + ("" if self.depth == ON else f" to {self.depth:g}")


class PedalLift(_Foot):
    """The pedal up, over the span or over each chosen note; after that it is as it was."""

    kind: Literal["pedal.lift"] = "pedal.lift"

    @property
    @override
    def _depth(self) -> float:
        return OFF

    @override
    def label(self) -> str:
        return f"{self.name} lifted"


class PedalSwitch(PedalStroke):
    """Depth into on and off: on from one value upwards, off again only below another, so that nothing flickers."""

    kind: Literal["pedal.switch"] = "pedal.switch"
    on: Threshold = Field(64.0, description="On from here upwards.")
    off: Threshold = Field(60.0, description="Off below this; at most `on`.")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.off > self.on:
            raise ValueError("off must be no higher than on")
        return self

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane | None:
        if not len(spot.curve) or spot.is_switch:
            return None
        start, end = self.span_of(take, spot.lane)
        spans = pressed(take, spot.channel, self.lane, self.on, self.off)
        first = min(max(int(spot.curve.ticks[0]), start), end)
        down = [
            (max(a, first), min(b, end), ON)
            for a, b in zip(spans.down.tolist(), spans.up.tolist(), strict=True)
            if a < end and b > first
        ]
        return footed(spot, filled(first, end, down), self.where.span is not None) if first < end else None

    @property
    @override
    def nothing(self) -> str:
        return f"{LANES[self.lane].name} is on or off already."

    @override
    def label(self) -> str:
        return f"{self.name} on and off, at {self.on:g}"


def merged(start: Ints, end: Ints) -> list[tuple[int, int]]:
    """Spans as few as they can be: those that touch or overlap are one."""
    if not len(start):
        return []
    order = np.argsort(start, kind="stable")
    start, reach = start[order], np.maximum.accumulate(end[order])
    first = np.append(True, start[1:] > reach[:-1])
    return list(zip(start[first].tolist(), reach[np.append(np.flatnonzero(first)[1:] - 1, -1)].tolist(), strict=True))


def filled(start: int, end: int, spans: list[tuple[int, int, float]]) -> list[tuple[int, int, float]]:
    """Spans (ascending, apart) within others at which the pedal is up, so that all from `start` to `end` is told."""
    told: list[tuple[int, int, float]] = []
    at = start
    for a, b, depth in spans:
        if a > at:
            told.append((at, a, OFF))
        if b > max(a, at):
            told.append((max(a, at), b, depth))
        at = max(at, b)
    return told + ([(at, end, OFF)] if end > at else [])


def footed(spot: Spot, spans: list[tuple[int, int, float]], resumes: bool = True) -> Lane:
    """A pedal's lane with spans (ascending, apart) at some depth each. Before the first that is told it is up; after
    the last it `resumes` what it said.
    """
    told = [span for span in spans if span[1] > span[0]]
    if not told:
        return spot.lane
    curve = spot.curve
    if not len(curve) or curve.ticks[0] > told[0][0]:
        curve = Curve.of([0], [OFF]).then(curve)
    starts, ends, depths = (np.array(column) for column in zip(*told, strict=True))
    lane = spot.lane.reshaped(laid_all(curve, starts, ends, Curve.of(starts, depths), spot.error, resumes))
    # What says again what is said already is not needed; of a lane that is never pressed nothing is.
    values = lane.curve.values
    repeats = np.append(False, (values[1:] == values[:-1]) & lane.curve.hold[:-1] & lane.curve.hold[1:])
    touched = (lane.curve.ticks >= min(told[0][0], curve.ticks[0])) & (lane.curve.ticks <= told[-1][1])
    return lane.reshaped(lane.curve.rows(~(repeats & touched))) if (repeats & touched).any() else lane
