"""How bends go down the cable: what the instrument at its end can do, and how finely it is told."""

from dataclasses import replace
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.midi.ranges import by_hand, restated, with_range
from expression.status import BEND_CENTRE
from expression.strokes.base import Reach
from expression.strokes.bend_range import Semitones
from expression.strokes.wheel import StandingStroke, WheelStroke, throughout
from expression.take import Channel, Instrument, Pace, Take


class BendInstrument(StandingStroke):
    """What the instrument can do with its bend range. Set by hand, it is told nothing of it, and has one throughout."""

    kind: Literal["bend.instrument"] = "bend.instrument"
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
