"""Strokes on pedals: pressed and lifted, and depth turned into on and off."""

from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, field_validator, model_validator
from typing_extensions import override

from expression.arrays import Floats, Ints, contained, merged
from expression.curve import Curve
from expression.lanes import LANES, OFF, ON, PEDALS, SUSTAIN
from expression.limits import MOST_NODES
from expression.piece import laid_all
from expression.sounding import pressed
from expression.strokes.base import Reach, Tick, masks_of, select
from expression.strokes.lane import LaneStroke, Spot, parts_of
from expression.strokes.spec import ASK_EACH, Gesture, Spec, entry
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

    travels = ("spans.*.0", "spans.*.1")
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

    def _spans(self, take: Take, spot: Spot) -> tuple[Ints, Ints]:
        if self.spans:
            starts, ends = (np.array(column) for column in zip(*self.spans, strict=True))
            return merged(starts, ends)
        if self.where.notes is None and self.where.pitches is None:
            start, end = self.where.span or (0, max(take.end, 1))
            return np.array([start]), np.array([end])
        masks = [(part.notes, self.where.notes_of(part)) for part in spot.parts]
        starts, ends = (np.concatenate([getattr(n, side)[mask] for n, mask in masks]) for side in ("start", "end"))
        return merged(starts, np.maximum(ends, starts + 1))

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        starts, ends = self._spans(take, spot)
        return footed(spot, Spans.of(starts, ends, self._depth)) if len(starts) else None

    @override
    def lane_reach(self, take: Take) -> Reach:
        spots = self.lanes(take)
        starts, ends = (np.concatenate(side) for side in zip(*(self._spans(take, spot) for spot in spots), strict=True))
        if not len(starts):
            select(take, self.where)
        return Reach(int(starts.min()), int(ends.max()), parts_of(spots), len(starts))

    @override
    def lane_line(self, take: Take) -> list[tuple[int, float]]:
        reach = self.reach(take)
        return [(reach.start, self._depth), (reach.end, self._depth)]


class PedalPress(_Foot):
    """The pedal down, over the span or over each chosen note; after that it is as it was."""

    kind: Literal["pedal.press"] = "pedal.press"
    spec = Spec(
        "pedal",
        "Pressed",
        says="Down over the span, or over each chosen note; after that as it was.",
        asks=(entry("depth", "Depth"), ASK_EACH),
        gestures=(
            Gesture(
                "press",
                "Press",
                "The pedal down over the span, or over each chosen note",
                "pedal down hold sustain press foot",
                "Pedal",
                where="foot",
            ),
        ),
    )
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
    spec = Spec(
        "pedal",
        "Lifted",
        says="Up over the span, or over each chosen note; after that as it was.",
        gestures=(
            Gesture(
                "lift",
                "Lift",
                "The pedal up over the span, or over each chosen note",
                "pedal up release lift foot",
                "Pedal",
                where="foot",
            ),
        ),
    )

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
    spec = Spec(
        "pedal",
        "On and off",
        says="Depth becomes on and off: on from one value upwards, off again below another.",
        asks=(
            entry("on", "On from"),
            entry("off", "Off below"),
        ),
        gestures=(
            Gesture(
                "square",
                "On and off",
                "Depth into on and off; a trembling foot does not flicker",
                "pedal half pedalling switch threshold depth binary",
                "Pedal",
                where="span",
            ),
        ),
        slides=True,
    )
    on: Threshold = Field(64.0, description="On from here upwards.")
    off: Threshold = Field(60.0, description="Off below this; at most `on`.")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.off > self.on:
            raise ValueError("off must be no higher than on")
        return self

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        if not len(spot.curve) or spot.is_switch:
            return None
        start, end = self.span_of(take, spot.lane)
        spans = pressed(take, spot.channel, self.lane, self.on, self.off)
        first = min(max(int(spot.curve.ticks[0]), start), end)
        if first >= end:
            return None
        down = Spans.of(spans.down, spans.up, ON).filled(first, end)
        return footed(spot, down, self.where.span is not None)

    @property
    @override
    def nothing(self) -> str:
        return f"{LANES[self.lane].name} is on or off already."

    @override
    def label(self) -> str:
        return f"{self.name} on and off, at {self.on:g}"


class PedalDepth(PedalStroke):
    """On and off into depth: what is down is pressed in part, and from then on it is a curve like any other."""

    kind: Literal["pedal.depth"] = "pedal.depth"
    spec = Spec(
        "pedal",
        "In part",
        says="What is down is pressed so deep: from then on it is a curve, with the line from which it holds.",
        asks=(entry("depth", "Depth"),),
        gestures=(
            Gesture(
                "depth",
                "In part",
                "On and off into depth, which can be drawn and framed",
                "pedal half pedalling depth continuous partial",
                "Pedal",
                where="span",
            ),
        ),
        slides=False,
    )
    depth: Annotated[float, Field(ge=1, le=126)] = Field(100.0, description="How deep; it holds from 64 upwards.")

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        found = spot.cut(*self.span_of(take, spot.lane))
        down = found.curve.values == ON
        if not spot.is_switch or not down.any():
            return None
        pressed_ = found.valued(np.where(down, self.depth, found.curve.values))
        return spot.laid(pressed_, resumes=self.where.span is not None)

    @property
    @override
    def nothing(self) -> str:
        return f"{LANES[self.lane].name} is pressed in part already, or not down here."

    @override
    def label(self) -> str:
        return f"{self.name} pressed in part, {self.depth:g} deep"


class Spans(NamedTuple):
    """Where a pedal is at some depth: spans that ascend and do not overlap. One element of each array a span."""

    start: Ints
    end: Ints
    depth: Floats

    @classmethod
    def of(cls, start: Ints, end: Ints, depth: float) -> "Spans":
        """All at one depth."""
        return cls(start, end, np.full(len(start), depth))

    def within(self, first: int, last: int) -> "Spans":
        """What lies between two ticks."""
        start, end = np.maximum(self.start, first), np.minimum(self.end, last)
        inside = start < end
        return Spans(start[inside], end[inside], self.depth[inside])

    def up_between(self, first: int, last: int) -> "Spans":
        """Where between two ticks none of them lies: there the pedal is up."""
        start, end = np.append(first, self.end), np.append(self.start, last)
        return Spans.of(start[start < end], end[start < end], OFF)

    def filled(self, first: int, last: int) -> "Spans":
        """They, and the pedal up between them, so that all from one tick to another is told."""
        mine = self.within(first, last)
        return mine.with_more(mine.up_between(first, last))

    def with_more(self, others: "Spans") -> "Spans":
        """They and others, none of which lies over any of them."""
        columns = [np.concatenate(pair) for pair in zip(self, others, strict=True)]
        order = np.argsort(columns[0], kind="stable")
        return Spans(*(column[order] for column in columns))


def footed(spot: Spot, spans: Spans, resumes: bool = True) -> Lane:
    """A pedal's lane with the pedal at some depths. Before the first that is told it is up; after the last it `resumes`
    what it said.
    """
    if not len(spans.start):
        return spot.lane
    first = int(spans.start[0])
    curve = spot.curve
    if not len(curve) or curve.ticks[0] > first:
        curve = Curve.of([0], [OFF]).then(curve)
    # What is told without a gap is laid as one.
    gapless = bool((spans.start[1:] == spans.end[:-1]).all())
    starts, ends = (spans.start[:1], spans.end[-1:]) if gapless else (spans.start, spans.end)
    made = laid_all(curve, starts, ends, Curve.of(spans.start, spans.depth), spot.error, resumes)
    # Where it is told anew, what says again what is said already is not needed.
    repeats = made.repeats
    again = made.ticks[repeats]
    resumed = contained(again, spans.end) & ~contained(again, spot.curve.ticks)
    repeats[repeats] = contained(again, spans.start) | resumed
    return spot.lane.reshaped(made.rows(~repeats) if repeats.any() else made)
