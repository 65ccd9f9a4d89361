"""Strokes that take what a lane holds to another time, part or lane."""

from collections.abc import Callable
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import whole
from expression.curve import NO_NODES, Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import LAST_TICK, MOST_NODES
from expression.piece import Piece
from expression.records import Record
from expression.strokes.base import Count, Reach, Tick
from expression.strokes.batch import Batch, Chosen
from expression.strokes.lane import LaneKey, LaneStroke, Spot, known_lane, lane_of, switched, with_batch
from expression.strokes.spec import Ask, Gesture, Spec, choice, entry
from expression.take import Lane, Take

_TOO_MANY = f"That would be more than {MOST_NODES:,} nodes; distil the lane or repeat it less."


class CopyTarget(Record):
    """Where a copy goes. What is absent is as in the original."""

    part: Count | None = None
    lane: str | None = Field(None, description="`bend`, `pressure`, or `cc:0` to `cc:119`.")
    at: Tick | None = Field(None, description="The tick at which the copy begins.")

    @model_validator(mode="after")
    def _known(self) -> Self:
        if self.lane is not None:
            known_lane(self.lane)
        return self


class LaneCopy(LaneStroke):
    """What the lane holds in the span, put down again: later, on another lane, in another part; over what is there."""

    kind: Literal["lane.copy"] = "lane.copy"
    spec = Spec(
        "lane",
        "Copy",
        asks=(
            entry("gain", "Times", 0.05),
            entry("repeat", "Repeated"),
            choice("flip", "Flipped", ("none", "no"), ("time", "in time"), ("value", "upside down")),
            Ask("to", "To", "place", parts=True, lanes=True),
        ),
        gestures=(
            Gesture(
                "copy",
                "Copy",
                "To another time, lane or part",
                "duplicate paste repeat",
                "Onto",
                where="stretch",
                given={"to": "@behind"},
            ),
        ),
        one_part=True,
    )
    travels = ("to.at",)
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
        if self.of_notes != LANES[self._lane].is_of_notes:
            raise ValueError("a copy of notes goes to a lane of notes, and that of a channel to one of a channel")
        if self.of_notes and self.to.part is not None:
            raise ValueError("a copy within notes stays with them; leave the part out")
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
        if self.of_notes:
            return _on_notes(self, take, self._copied)
        (spot,) = self.lanes(take)
        start, end = self.where.span or (0, 1)
        if self._part >= len(take.parts):
            raise NothingMatched(f"There is no part {self._part} to copy to; this take has {len(take.parts)}.", "to")
        found = spot.cut(start, end)
        if found.empty:
            raise NothingMatched(self.nothing)
        channel = take.parts[self._part].channel
        onto = Spot(channel, [], lane_of(take, channel, self._lane))
        made = converted(found, spot, onto, self.gain)
        if self.flip == "value":
            made = made.scaled(-1.0, sum(onto.bounds))
        elif self.flip == "time":
            made = piece.backwards(made)
        made = piece.stretched(made, self._at, (self.fit or end - start) / (end - start))
        return take.with_lane(channel.id, repeated(onto, made, self.repeat))

    @property
    @override
    def furthest(self) -> int:
        start, end = self.where.span or (0, 1)
        return self._at + (self.fit or end - start) * self.repeat

    def _copied(self, take: Take, chosen: Chosen) -> list[tuple[Batch, Curve]]:
        """What the notes say in the span, put down again on the curves of their own where it goes."""
        start, end = self.where.span or (0, 1)
        source = self.batch(take, chosen, self.lane)
        said = source.speaking()
        if not len(source):
            return []
        onto = source.beside(self._lane)
        made = _in_unit(source, said, onto, self.gain)
        if self.flip == "value":
            made = made.valued(sum(onto.bounds) - made.values)
        elif self.flip == "time":
            made = piece.turned(made, source.starts, source.ends, source.owner(made.ticks))
        length = self.fit or end - start
        if int(source.counts(made).max()) * self.repeat > MOST_NODES:
            raise NothingMatched(_TOO_MANY, "repeat")
        row = source.owner(made.ticks)
        local = whole((made.ticks - source.starts[row]) * (length / (end - start)))
        under: Curve | None = None
        for turn in range(self.repeat):
            at = self._at + turn * length
            onto.over(at, at + length)
            under = onto.laid(made.timed(onto.starts[row] + local), True, onto.nodes if under is None else under)
        return [(onto, under)] if under is not None else []

    @override
    def lane_reach(self, take: Take) -> Reach:
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
    spec = Spec(
        "lane",
        "Move",
        asks=(
            Ask("to", "Becomes", "lane"),
            Ask("keep", "The original stays", "flag"),
        ),
        gestures=(
            Gesture(
                "level",
                "Move",
                "One kind of data becomes another",
                "convert change controller remap",
                "Onto",
                where="span",
                given={"to": "@other"},
            ),
        ),
    )
    lane: LaneKey
    to: LaneKey
    keep: bool = Field(False, description="Leave the original where it was.")

    @model_validator(mode="after")
    def _elsewhere(self) -> Self:
        known_lane(self.to, "to")
        if LANES[self.to].is_of_notes != LANES[self.lane].is_of_notes:
            raise ValueError("between a lane and curves of notes it is note.to_lane or lane.to_notes that goes")
        if self.to == self.lane:
            raise ValueError("the lane would be moved onto itself; choose another one")
        return self

    @override
    def apply(self, take: Take) -> Take:
        if self.of_notes:
            return _on_notes(self, take, self._moved)
        made = take
        matched = False
        for spot in self.lanes(take):
            start, end = self.span_of(take, spot.lane)
            found = spot.cut(start, end)
            if found.empty:
                continue
            matched = True
            onto = Spot(spot.channel, spot.parts, lane_of(take, spot.channel, self.to))
            resumes = self.where.span is not None
            lanes = [onto.laid(converted(found, spot, onto, 1.0), resumes)]
            if not self.keep:
                lanes.append(spot.laid(Piece(start, end, NO_NODES), resumes))
            made = made.with_lanes({spot.channel.id: lanes})
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    def _moved(self, take: Take, chosen: Chosen) -> list[tuple[Batch, Curve]]:
        source = self.batch(take, chosen, self.lane)
        said = source.speaking()
        if not len(source):
            return []
        onto = source.beside(self.to)
        found = _in_unit(source, said, onto, 1.0)
        moved = [(onto, onto.laid(found, onto.resumes, onto.nodes))]
        if self.keep:
            return moved
        rest = source.behind if source.is_whole else source.laid(NO_NODES, True, source.nodes)
        return [*moved, (source, rest)]

    @override
    def label(self) -> str:
        return f"{self.name} to {LANES[self.to].name}" + (", kept" if self.keep else "")


def _on_notes(stroke: LaneStroke, take: Take, made_of: Callable[[Take, Chosen], list[tuple[Batch, Curve]]]) -> Take:
    """The take with curves of the stroke's notes as they are made of them, part by part. Raises NothingMatched."""
    found = [one for chosen in stroke.chosen(take) for one in made_of(take, chosen)]
    if not found:
        raise NothingMatched(stroke.nothing)
    for batch, curve in found:
        take = with_batch(take, batch, curve)
    return take


def _in_unit(source: Batch, curve: Curve, onto: Batch, gain: float) -> Curve:
    """Values of one kind of curve in the unit of another, as `converted` has them for lanes."""
    values = curve.values
    if source.key != onto.key and source.limits != onto.limits:
        (low, high), (bottom, top) = source.limits, onto.limits
        values = bottom + (values - low) / (high - low) * (top - bottom)
    return piece.clipped(source.piece(curve.valued(values * gain)), *onto.limits, onto.error).curve


def repeated(spot: Spot, made: Piece, repeat: int) -> Lane:
    """A lane with a piece laid over it as often as told, one after another."""
    if len(made.curve) * repeat > MOST_NODES:
        raise NothingMatched(_TOO_MANY, "repeat")
    length = made.end - made.start
    return spot.laid([piece.stretched(made, made.start + turn * length, 1.0) for turn in range(repeat)])


def converted(found: Piece, spot: Spot, onto: Spot, gain: float) -> Piece:
    """Values of one lane in the unit of another: the full range of the one is the full range of the other."""
    old, new = spot.key, onto.key
    values = found.curve.values
    from_, to = spot.channel.bounds(old), onto.channel.bounds(new)
    if old != new and from_ != to:
        # Under a range of 0 the wheel moves nothing: wherever it stands, it is in the middle.
        width = from_[1] - from_[0]
        share = (values - from_[0]) / width if width else np.full(len(values), 0.5)
        values = to[0] + share * (to[1] - to[0])
    values = values * gain
    # A pedal keeps its depth; what is copied onto a lane that is on or off becomes on or off.
    if onto.is_switch and not LANES[old].is_pressed:
        return found._replace(curve=Curve.of(found.curve.ticks, switched(values)))
    return piece.clipped(found.valued(values), *onto.limits, onto.error)
