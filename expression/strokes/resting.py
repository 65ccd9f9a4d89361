"""The wheel at rest: brought home after phrases, and centred where it is worn."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import piece
from expression.arrays import Ints
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.sounding import sounding
from expression.strokes.base import Reach
from expression.strokes.gestures import NEARLY, signed
from expression.strokes.spec import Gesture, Spec, entry
from expression.strokes.wheel import WheelStroke, heard_by, throughout
from expression.take import Channel, Take


def rests_out(take: Take, channel: Channel, time: float) -> tuple[Ints, Ints]:
    """Rests in which the wheel is out: from `time` beats after the last note has stopped sounding, pedals counted in,
    to before the next begins.
    """
    sounds = sounding(take, channel)
    start, end = sounds.start, sounds.end
    if not len(start):
        return start, start
    curve = channel.lanes[BEND].curve
    home = np.maximum.accumulate(end) + round(time * take.resolution)
    after = np.append(start[1:], max(take.end, int(curve.ticks[-1]), int(home[-1])) + 1)
    rests = (after > home) & (home >= curve.ticks[0])
    home, after = home[rests], after[rests]
    away = np.concatenate(([0], np.cumsum(np.abs(curve.values) > NEARLY)))
    nodes = away[np.searchsorted(curve.ticks, after)] - away[np.searchsorted(curve.ticks, home)]
    # It may be at the centre at both ends, or only set out within the rest.
    out = (np.abs(curve.at(home)) > NEARLY) | (np.abs(curve.at(after - 1)) > NEARLY) | (nodes > 0)
    return home[out], after[out]


class BendHome(WheelStroke):
    """The wheel comes back to the centre in the rests: some time after nothing sounds any longer, pedals counted in."""

    kind: Literal["bend.home"] = "bend.home"
    spec = Spec(
        "bend",
        "Wheel home",
        says="In the rests the wheel comes back to the centre.",
        asks=(entry("time", "After the note (beats)", 0.125),),
        gestures=(
            Gesture(
                "home",
                "Home",
                "Back to the centre in the rests after phrases",
                "centre return rest reset wheel pitch",
                "Wheel",
                where="span",
            ),
        ),
        lane="bend",
    )
    time: Annotated[float, Field(ge=0, le=1024)] = Field(
        0.25, description="Beats after the last note has stopped sounding."
    )

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for channel in self.bent(take):
            lane = channel.lanes[BEND]
            starts, ends = self._rests(take, channel)
            if len(starts):
                # Where the wheel is put somewhere for the next note, it is there when that begins.
                inner = np.searchsorted(lane.curve.ticks, ends) > np.searchsorted(lane.curve.ticks, starts, "right")
                home = lane.curve
                for which, resumes in ((inner, True), (~inner, False)):
                    if which.any():
                        rest = Curve.of(starts[which], np.zeros(int(which.sum())))
                        home = piece.laid_all(home, starts[which], ends[which], rest, LANES[BEND].error, resumes)
                made = made.with_lane(channel.id, lane.reshaped(home))
        if made is take:
            raise NothingMatched("In the rests the wheel is at the centre already.")
        return made

    def _rests(self, take: Take, channel: Channel) -> tuple[Ints, Ints]:
        home, after = rests_out(take, channel, self.time)
        low, high = self.where.span or (0, np.iinfo(np.int64).max)
        meant = (home >= low) & (home < high)
        return home[meant], after[meant]

    @override
    def reach(self, take: Take) -> Reach:
        channels = self.bent(take)
        places = [self._rests(take, channel) for channel in channels]
        places = [one for one in places if len(one[0])]
        if not places:
            raise NothingMatched("In the rests the wheel is at the centre already.")
        start, end = min(int(one[0][0]) for one in places), max(int(one[1][-1]) for one in places)
        return Reach(start, end, heard_by(take, channels), sum(len(one[0]) for one in places))

    @override
    def label(self) -> str:
        return "Wheel home in the rests"

    @override
    def mends(self) -> str:
        return "Bring it home"


class BendCentre(WheelStroke):
    """Take away what a worn wheel is off at rest: the whole lane is moved by it."""

    kind: Literal["bend.centre"] = "bend.centre"
    spec = Spec(
        "bend",
        "Wheel centred",
        says="What a worn wheel is off at rest is taken away from the whole lane.",
        asks=(entry("offset", "Offset ¢", 1, "as measured"),),
        lane="bend",
    )
    offset: Annotated[float | None, Field(ge=-200, le=200)] = Field(
        None, description="Cents that are taken away; absent: as measured at rest."
    )

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for channel in self.bent(take):
            off = self._off(take, channel)
            if off:
                lane = channel.lanes[BEND]
                start, end = self.where.span or (int(lane.curve.ticks[0]), int(lane.curve.ticks[-1]) + 1)
                moved = piece.cut(lane.curve, start, end, LANES[BEND].error)
                if not moved.empty:
                    resumes = self.where.span is not None
                    curve = piece.laid(lane.curve, moved.scaled(1.0, -off), LANES[BEND].error, resumes)
                    made = made.with_lane(channel.id, lane.reshaped(curve))
        if made is take:
            raise NothingMatched("At rest the wheel is at the centre.")
        return made

    def _off(self, take: Take, channel: Channel) -> float:
        """Semitones."""
        return off_centre(take, channel) if self.offset is None else self.offset / 100

    @override
    def reach(self, take: Take) -> Reach:
        return throughout(take, self.bent(take), self.where.span)

    @override
    def label(self) -> str:
        return "Wheel centred" if self.offset is None else f"Wheel centred by {signed(self.offset)} cents"

    @override
    def mends(self) -> str:
        return "Centre it"


WORN = 0.5
"""A wheel that rests further out, in semitones, is held there on purpose."""


def off_centre(take: Take, channel: Channel) -> float:
    """How far out the wheel rests, in semitones: the value near the centre that is held for the longest in all."""
    curve = channel.lanes[BEND].curve
    seconds = np.diff(take.tempo.seconds(curve.ticks), append=float(take.tempo.seconds(max(take.end, 1))))
    rests = curve.hold & (np.abs(curve.values) <= WORN) & (seconds > 0)
    if not rests.any():
        return 0.0
    known, which = np.unique(curve.values[rests], return_inverse=True)
    return float(known[np.bincount(which, weights=seconds[rests]).argmax()])
