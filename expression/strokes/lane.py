"""What all strokes on lanes share: controllers, channel pressure, bend."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, NamedTuple, Self

import numpy as np
from pydantic import Field, field_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Floats
from expression.curve import Curve, spliced
from expression.errors import NothingMatched
from expression.lanes import LANES, MESSAGES, OFF, ON, THRESHOLD, Form
from expression.limits import MOST_LANES
from expression.memo import worked_out
from expression.note_curves import NO_CURVES
from expression.piece import Piece
from expression.status import SYSEX
from expression.strokes.base import BaseStroke, Reach, Where, select, sounding_in
from expression.strokes.batch import Batch, Chosen
from expression.strokes.grips import Grip
from expression.take import Channel, Lane, Part, Take
from expression.time import Sight

LaneKey = Annotated[
    str,
    Field(
        description="`bend`, `pressure`, or `cc:0` to `cc:119` (but no parameter messages); or a curve of notes: "
        "`note:pitch`, `note:pressure`, `note:timbre`, `note:pan`, `note:cc:1` ... Then it acts on each note that "
        "`where` reaches by itself: `span` and ticks count from the note's start, no span is all of its length."
    ),
]
LaneKeys = Annotated[
    str | Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_LANES)],
    Field(
        description="As for one lane: `bend`, `pressure`, `cc:0` to `cc:119`, or of notes `note:pitch` ...; or a list "
        "of them, on which it acts alike."
    ),
]


def known_lane(key: str, field: str = "lane") -> str:
    """A lane's key. Raises ValueError where there is no such lane."""
    if key in LANES:
        return key
    if key in MESSAGES:
        raise ValueError(f"{field} cannot be {key}: {MESSAGES[key]} is a message, not a value that lasts")
    raise ValueError(
        f"{field} must be bend, pressure or cc:0 to cc:119 (of notes: note:pitch, note:pressure, note:timbre, note:pan "
        f"or note:cc:1 to note:cc:119, but no pedal), not {key[:40]!r}"
    )


MANY = 4_000
"""Of a lane with more nodes, only those are worked out that are near to what is seen."""


class Spot(NamedTuple):
    """A lane that a stroke acts on: its channel, and those of the parts on it that the stroke names."""

    channel: Channel
    parts: list[Part]
    lane: Lane
    sight: Sight | None = None
    near: Curve | None = None
    """Of the lane, what decides on how it looks in sight."""

    @property
    def key(self) -> str:
        """The lane's key."""
        return self.lane.key

    @property
    def curve(self) -> Curve:
        """The lane's curve, or as much of it as is looked at."""
        return self.lane.curve if self.near is None else self.near

    @property
    def error(self) -> float:
        """How far straight ways may be off that stand for what has no form of ours."""
        return LANES[self.key].error

    @property
    def is_switch(self) -> bool:
        """Whether the lane is off or on, by what it holds."""
        return LANES[self.key].form_of(self.lane.curve.values) is Form.SWITCH

    @property
    def bounds(self) -> tuple[float, float]:
        """The lowest and the highest value of the lane; fine halves go a little higher."""
        low, high = self.channel.bounds(self.key)
        if not LANES[self.key].is_ranged:
            high = max(high, float(self.lane.curve.values.max(initial=high)))
        return low, high

    @property
    def limits(self) -> tuple[float, float]:
        """The lowest and the highest value that can be drawn: a bend also beyond its range, which another can hold."""
        kind = LANES[self.key]
        return (kind.low, kind.high) if kind.is_ranged else self.bounds

    def cut(self, start: int, end: int) -> Piece:
        """What the lane says from `start` to before `end`."""
        return piece.cut(self.curve, start, end, self.error)

    def laid(self, pieces: Piece | list[Piece], resumes: bool = True) -> Lane:
        """The lane with pieces in place of what it said there, all held within its limits.

        A bend is not cut off by its range: it is drawn beyond, and another range makes it heard.
        """
        pieces = [pieces] if isinstance(pieces, Piece) else pieces
        pieces = [piece.clipped(one, *self.limits, self.error) for one in pieces]
        return self.reshaped(piece.laid(self.curve, pieces, self.error, resumes))

    def looked_at(self, sight: Sight, felt: Sight) -> "Spot":
        """The same, of which no more is looked at than decides on what is in sight: the nodes about some ticks."""
        # How far a bend goes beyond its range is told of all of it.
        if len(self.lane.curve) <= MANY or LANES[self.key].is_ranged:
            return self
        return self._replace(sight=sight, near=_near(self.lane.curve, *felt))

    def reshaped(self, curve: Curve) -> Lane:
        """The lane with another curve; where only some of it was looked at, with what that one says in sight."""
        if curve is self.curve:
            return self.lane
        if self.sight is None:
            return self.lane.reshaped(curve)
        start, end = self.sight
        first, after = int(curve.governing(start - 1)), int(np.searchsorted(curve.ticks, end))
        begin = int(curve.ticks[first]) if first >= 0 else min(start, int(self.curve.ticks[0]))
        until = int(curve.ticks[after]) if after < len(curve) else max(end, int(self.curve.ticks[-1]))
        own, seen = _about(self.lane.curve, begin, until), curve.rows(_about(curve, begin, until))
        return self.lane.reshaped(spliced(self.lane.curve, own, seen))


@worked_out(2)
def _near(curve: Curve, start: int, end: int) -> Curve:
    """From the node in force before some ticks to the next behind them, with all that lie on the same ticks."""
    first = max(int(curve.governing(start - 1)), 0)
    after = min(int(np.searchsorted(curve.ticks, end)), len(curve) - 1)
    return curve.rows(_about(curve, int(curve.ticks[first]), int(curve.ticks[after])))


def _about(curve: Curve, start: int, end: int) -> slice:
    """The nodes from one tick to another, both included."""
    return slice(int(np.searchsorted(curve.ticks, start)), int(np.searchsorted(curve.ticks, end, side="right")))


class LaneStroke(BaseStroke):
    """A stroke on lanes of the parts it names (of all that have them, where it names none)."""

    felt_by_each: ClassVar[bool] = False
    """On curves of notes: what becomes of one is a matter of none of the others."""

    lane: LaneKeys

    @field_validator("lane")
    @classmethod
    def _known(cls, lane: str | tuple[str, ...]) -> str | tuple[str, ...]:
        keys = [lane] if isinstance(lane, str) else lane
        if len({LANES[known_lane(key)].is_of_notes for key in keys}) > 1:
            raise ValueError("lane cannot be of notes and of a channel in one stroke; make two of it")
        return lane

    @property
    def of_notes(self) -> bool:
        """Whether it acts on curves of notes, each by itself."""
        return LANES[self.keys[0]].is_of_notes

    @property
    @override
    def stays(self) -> str:
        return "it lies on notes; choose others and do it once more there" if self.of_notes else ""

    @property
    def keys(self) -> tuple[str, ...]:
        """The lanes it acts on."""
        return (self.lane,) if isinstance(self.lane, str) else self.lane

    @property
    def makes(self) -> bool:
        """Whether it makes a lane where there is none."""
        return False

    @property
    def name(self) -> str:
        """What the lane is called."""
        return LANES[self.keys[0]].name if len(self.keys) == 1 else f"{len(self.keys)} lanes"

    def lanes(self, take: Take) -> list[Spot]:
        """The lanes it acts on, each once, however many parts share it. Raises NothingMatched."""
        wanted = self.where.parts
        named = [part for part in take.parts if wanted is None or part.id in wanted]
        found = [
            Spot(channel, [part for part in named if part.channel.id == channel.id], lane_of(take, channel, key))
            for channel in {part.channel.id: part.channel for part in named}.values()
            for key in self.keys
            if key in channel.lanes or (self.makes and wanted is not None)
        ]
        if not found:
            raise NothingMatched(self._no_lane)
        return found

    @override
    def apply(self, take: Take) -> Take:
        return self._on_notes(take) if self.of_notes else self._on_lanes(take)

    def _on_lanes(self, take: Take) -> Take:
        made = take
        matched = False
        for whole in self.lanes(take):
            spot = self._in_sight(take, whole)
            if spot is None:
                matched = True
                continue
            shaped = self.on_spot(take, spot)
            matched |= shaped is not None
            if shaped is not None and shaped is not spot.lane:
                made = made.with_lane(spot.channel.id, shaped)
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    def _in_sight(self, take: Take, spot: Spot) -> Spot | None:
        """As much of a lane as is looked at; None where nothing of what it does there is seen."""
        felt = self.felt(take, spot, self._sight) if self._sight else None
        if self._sight is None or felt is None:
            return spot
        start, end = self.span_of(take, spot.lane)
        near = spot.looked_at(self._sight, felt)
        return None if near is not spot and (end <= self._sight[0] or start >= self._sight[1]) else near

    def _on_notes(self, take: Take) -> Take:
        made, why = take, None
        there = matched = False
        for chosen in self.chosen(take):
            for key in self.keys:
                batch = self.batch(take, chosen, key)
                there |= len(batch) > 0
                try:
                    curve = self.shape(batch) if len(batch) else None
                except NothingMatched as reason:
                    why = why or reason
                    continue
                matched |= curve is not None
                if curve is not None and curve is not batch.nodes:
                    made = with_batch(made, batch, curve)
        if not there:
            raise NothingMatched(self._no_lane)
        if not matched:
            raise why or NothingMatched(self.nothing)
        return made

    @property
    def _no_lane(self) -> str:
        return f"No part that the stroke names has a lane {', '.join(self.keys)}."

    @property
    def nothing(self) -> str:
        """Why it matches nothing although there are lanes."""
        return f"{self.name} carries nothing in this span."

    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        """One lane as the stroke leaves it; the very same where nothing changes, None where there is nothing for it."""
        curve = self.shape(self.batch_of(take, spot))
        return None if curve is None else spot.reshaped(curve)

    def batch_of(self, take: Take, spot: Spot) -> Batch:
        """The curve of one lane, over the span that it acts on."""
        batch = Batch(take, spot.key, spot.curve, self.span_of(take, spot.lane), spot.limits)
        batch.bounds, batch.is_switch, batch.resumes = spot.bounds, spot.is_switch, self.where.span is not None
        batch.sight = spot.sight
        return batch

    def shape(self, batch: Batch) -> Curve | None:
        """Curves as the stroke leaves them: the very same where nothing changes, None where there is nothing for it."""
        raise NotImplementedError

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        """Where little around a moment decides on it: of very many nodes only those near to what is seen."""
        if self.of_notes:
            return self._seen_on_notes(take, start, end) if self.felt_by_each else self
        made, spots = self.looking(start, end), self.lanes(take)
        seen = [made._in_sight(take, spot) for spot in spots]
        return self if None in seen or all(near is spot for near, spot in zip(seen, spots, strict=True)) else made

    def _seen_on_notes(self, take: Take, start: int, end: int) -> Self:
        # The span of a curve of a note is counted from there.
        free = self.where.model_copy(update={"span": None})
        near = sounding_in(take, free, start, end)
        if near is free:
            return self
        return self.model_copy(update={"where": near.model_copy(update={"span": self.where.span})})

    def felt(self, take: Take, spot: Spot, sight: Sight) -> Sight | None:
        """Between which ticks a lane decides on what is seen between two of them; None where all of it may."""
        return None

    @property
    def furthest(self) -> int:
        """How far behind the start of a note it may lay something, where it names ticks of its own."""
        return 0

    @property
    def longer(self) -> float:
        """How many times as long it may make what a note says."""
        return 1.0

    def chosen(self, take: Take) -> Iterator[Chosen]:
        """The notes that it acts on, part by part. Raises NothingMatched where there are none."""
        whole = self.where.model_copy(update={"span": None})
        for number, mask in select(take, whole).masks.items():
            notes = take.parts[number].notes
            start = notes.start[mask]
            yield Chosen(number, notes.id[mask], start, np.maximum(notes.end[mask] - start, 1))

    def batch(self, take: Take, chosen: Chosen, key: str) -> Batch:
        """The curves of some notes that it acts on."""
        return Batch.of_notes(take, chosen, key, self.where.span, self.makes, self.furthest, self.longer)

    def span_of(self, take: Take, lane: Lane) -> tuple[int, int]:
        """The span it acts on: as given, otherwise all of the lane."""
        ticks = lane.curve.ticks
        return self.where.span or ((int(ticks[0]), int(ticks[-1]) + 1) if len(ticks) else (0, max(take.end, 1)))

    # ---- where it is; on curves of notes by the first of these, as if that were a lane

    def _first(self, take: Take) -> tuple[Self, Take, int]:
        """The stroke on the first of its notes, in a take in which that is a lane; and where that begins."""
        chosen = next(self.chosen(take))
        alone = Chosen(chosen.part, *(column[:1] for column in (chosen.id, chosen.start, chosen.length)))
        span = self.where.span or (0, int(alone.length[0]))
        where = Where.model_construct(parts=(0,), notes=None, span=span, pitches=None)
        made = self.model_copy(update={"where": where})
        batch = Batch.of_notes(take, alone, self.keys[0], self.where.span, True, self.furthest, self.longer)
        return made, batch.laid_out(batch.nodes), int(alone.start[0])

    @override
    def reach(self, take: Take) -> Reach:
        if not self.of_notes:
            return self.lane_reach(take)
        picked, masks = select(take, self.where.model_copy(update={"span": None}))
        return Reach(int(picked.start.min()), int(picked.end.max()), list(masks), len(picked.id))

    def lane_reach(self, take: Take) -> Reach:
        """Where it acts on lanes. Raises NothingMatched."""
        spots = self.lanes(take)
        spans = [self.span_of(take, spot.lane) for spot in spots]
        count = sum(len(spot.curve.within(*span)) for spot, span in zip(spots, spans, strict=True))
        start, end = min(span[0] for span in spans), max(span[1] for span in spans)
        return Reach(start, end, parts_of(spots), count)

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        if not self.of_notes:
            return self.lane_line(take)
        alone, only, start = self._first(take)
        return [(tick + start, value) for tick, value in alone.lane_line(only)]

    def lane_line(self, take: Take) -> list[tuple[int, float]]:
        """The stroke as a line over its lane."""
        return []

    @override
    def grips(self, take: Take) -> list[Grip]:
        if not self.of_notes:
            return self.lane_grips(take)
        alone, only, start = self._first(take)
        return [grip.later(start) for grip in alone.lane_grips(only)]

    def lane_grips(self, take: Take) -> list[Grip]:
        """Where it can be taken by hand on its lane."""
        return []

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        if not self.of_notes:
            return self.lane_fitted(take, tick, value)
        alone, only, start = self._first(take)
        made = alone.lane_fitted(only, max(tick - start, 0), value)
        return made.model_copy(update={"where": self.where})

    def lane_fitted(self, take: Take, tick: int, value: float) -> Self:
        """The stroke formed so that its line on the lane passes (tick, value)."""
        return self


class SlidingStroke(LaneStroke):
    """A stroke on lanes that slide: a lane that is off or on, by what it holds, is left as it is."""

    lane: LaneKeys
    stiff: ClassVar[str] = "there is nothing to smooth"
    """Why a switch is refused."""

    @override
    def lanes(self, take: Take) -> list[Spot]:
        found = super().lanes(take)
        sliding = [spot for spot in found if not spot.is_switch]
        if not sliding:
            raise NothingMatched(f"{LANES[found[0].key].name} is on or off here; {self.stiff}.", "lane")
        return sliding


def with_batch(take: Take, batch: Batch, curve: Curve) -> Take:
    """A take with the curves of a batch of notes as they are made."""
    known = take.parts[batch.part].curves.get(batch.key, NO_CURVES)
    return take.with_curves({batch.part: {batch.key: known.with_curves(batch.changed, batch.curves(curve))}})


def parts_of(spots: list[Spot]) -> list[int]:
    """The parts that a stroke on these lanes acts on."""
    return sorted({part.id for spot in spots for part in spot.parts})


def lane_of(take: Take, channel: Channel, key: str) -> Lane:
    """A lane of a channel. Where it has none, what Reset All Controllers makes of it: no node, or a value at each."""
    if key in channel.lanes:
        return channel.lanes[key]
    put_back = LANES[key].after_reset
    if put_back is None:
        return Lane.empty(key)
    which = channel.resets[take.rows.status[channel.resets] != SYSEX]
    return Lane.recorded(key, Curve.of(take.rows.tick[which], np.full(len(which), put_back)), which)


def switched(values: Floats) -> Floats:
    """Values as a switch takes them: on from 64."""
    return np.where(values >= THRESHOLD, ON, OFF)
