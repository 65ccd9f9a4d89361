"""How bends go down the cable: what the instrument at its end can do, and how finely it is told."""

from dataclasses import replace
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.cable import Instrument, Pace
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.midi.ranges import by_hand, restated, with_range
from expression.status import BEND_CENTRE
from expression.strokes.base import Reach
from expression.strokes.bend_range import Semitones
from expression.strokes.spec import Gesture, Spec, choice, entry, one_of, told
from expression.strokes.wheel import StandingStroke, WheelStroke, throughout
from expression.take import Channel, Take


class BendInstrument(StandingStroke):
    """What the instrument can do with its bend range. Set by hand, it is told nothing of it, and has one throughout."""

    kind: Literal["bend.instrument"] = "bend.instrument"
    spec = Spec(
        "bend",
        "Instrument",
        says="What the instrument at the end of the cable can do with its range.",
        asks=(
            choice("range_by", "Takes it", ("messages", "by messages"), ("hand", "by hand")),
            entry("largest", "At most (semitones)", 1, "any"),
        ),
        gestures=(
            Gesture(
                "instrument",
                "Instrument",
                "What the instrument can do: its largest range, and whether it can be told",
                "rpn range hand capability largest device synth",
                "Wheel",
                where="part",
            ),
        ),
        lane="bend",
    )
    largest: Semitones | None = Field(None, description="Semitones, the largest range that it has; absent: any.")
    range_by: Literal["messages", "hand"] = Field(
        "messages", description="`messages`: it answers registered parameter 0; `hand`: nothing is sent about it."
    )

    @override
    def apply(self, take: Take) -> Take:
        for channel in self.channels(take):
            is_told = self.range_by == "messages"
            made = replace(channel, instrument=Instrument(self.largest, is_told))
            if not is_told:
                # One range for all: the widest that is needed.
                made = by_hand(take, made, float(channel.bend_range.semitones.max()))
            elif not channel.instrument.is_told:
                made = restated(take, made, None, float(channel.bend_range.at(0)), 0.005, False)
            take = take.with_channel(with_range(channel, made))
        return take

    @override
    def label(self) -> str:
        largest = "" if self.largest is None else f", at most {self.largest:g}"
        return f"Range set by {'hand' if self.range_by == 'hand' else 'messages'}{largest}"


class BendStream(WheelStroke):
    """How finely drawn bends are sent: to so many cents, or so many messages a second. Nodes are always sent."""

    stands = True

    kind: Literal["bend.stream"] = "bend.stream"
    spec = Spec(
        "bend",
        "Stream",
        says="How finely drawn bends are sent. Nodes are always sent; recorded wheels are thinned by distilling.",
        asks=(
            one_of(
                "By",
                ("cents", "how near it is", {"cents": 5}),
                ("per_second", "how many there are", {"per_second": 200}),
            ),
            entry("cents", "To ¢").shown(told("cents")),
            entry("per_second", "A second", 10).shown(told("per_second")),
        ),
        gestures=(
            Gesture(
                "stream",
                "Stream",
                "Fewer messages: to so many cents, or so many a second",
                "thin thinner dense cable bandwidth messages rate tolerance",
                "Wheel",
                where="part",
                given={"cents": 5},
            ),
        ),
        lane="bend",
        evidence=("sent",),
    )
    cents: Annotated[float | None, Field(ge=1, le=200)] = Field(
        None, description="What is heard is never further from what is drawn."
    )
    per_second: Annotated[float | None, Field(ge=1, le=1000)] = Field(
        None, description="Messages a second at most, whatever that makes of the drawing."
    )

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.cents is None) == (self.per_second is None):
            raise ValueError("a stream has either cents or per_second")
        return self

    def pace(self, channel: Channel) -> Pace:
        """The same as the encoding has it: what the rounding to 14 bits takes of the cents is left to that."""
        if self.per_second is not None:
            return Pace(LANES[BEND].step, 1 / self.per_second, np.inf)
        off = (self.cents or 0.0) / 100
        return Pace(2 * off - float(channel.bend_range.semitones.max()) / BEND_CENTRE, LANES[BEND].seconds, off)

    @override
    def apply(self, take: Take) -> Take:
        moving = self._moving(take)
        for channel in moving:
            take = take.with_channel(replace(channel, paces={**channel.paces, BEND: self.pace(channel)}))
        return take

    def _moving(self, take: Take) -> list[Channel]:
        """Those on which the wheel goes from one value to another. Raises NothingMatched."""
        found = [channel for channel in self.bent(take) if channel.lanes[BEND].curve.ways.any()]
        if not found:
            raise NothingMatched("The wheel is sent as it was recorded, event for event; distil it first.")
        return found

    @override
    def reach(self, take: Take) -> Reach:
        return throughout(take, self._moving(take))

    @override
    def label(self) -> str:
        if self.per_second is not None:
            return f"Bend sent {self.per_second:g} times a second"
        return f"Bend sent to {self.cents:g} cents"

    @override
    def mends(self) -> str:
        return f"Send {self.per_second:g} a second" if self.per_second is not None else self.label()
