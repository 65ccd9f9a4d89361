"""The bend range as a stroke: how far the wheel goes, from a place on or throughout."""

import itertools
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import AfterValidator, Field
from typing_extensions import override

from expression import piece
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.limits import MOST_SEMITONES
from expression.memo import worked_out
from expression.midi.ranges import by_hand, relaid, restated, with_range
from expression.midi.rpn import holding
from expression.strokes.base import Reach
from expression.strokes.spec import Gesture, Spec, choice, entry
from expression.strokes.wheel import WheelStroke, heard_by
from expression.take import Channel, Take

Semitones = Annotated[float, Field(ge=0.01, le=MOST_SEMITONES), AfterValidator(lambda semitones: round(semitones, 2))]
"""In hundredths, as they are said."""


_known = worked_out(4)(restated)


def ranges_kept(before: Take, after: Take) -> Take:
    """A take whose wheels a stroke has moved: the ranges that were set are said where they are in time for that."""
    for old, new in zip(before.channels, after.channels, strict=True):
        is_moved = old.lanes.get(BEND) is not new.lanes.get(BEND)
        if is_moved and new.statements and new.statements is old.statements:
            made = relaid(after, new)
            after = after if made is new else after.with_channel(with_range(new, made))
    return after


class BendRangeStroke(WheelStroke):
    """How far the wheel goes either way: from the start of the span to its end, or throughout.

    It is said in full by registered parameter 0, before the first bend that needs it and after the last that does not.
    """

    kind: Literal["bend.range"] = "bend.range"
    spec = Spec(
        "bend",
        "Bend range",
        says="How far the wheel goes either way; said in full to the instrument before the first bend that needs it.",
        asks=(
            entry("semitones", "Semitones"),
            choice("keep", "Keeps", ("sound", "pitch"), ("travel", "wheel")),
            entry("gap_ms", "Gap (ms)"),
        ),
        gestures=(
            Gesture(
                "range",
                "Range",
                "How far the wheel goes, from the start of the span or throughout",
                "sensitivity rpn semitones pitch wheel",
                "Wheel",
                where="span",
                given={"semitones": 12},
            ),
        ),
        lane="bend",
    )
    semitones: Semitones = Field(description="Either way; hundredths are cents.")
    keep: Literal["sound", "travel"] = Field(
        "sound",
        description="`sound`: the pitch stays as it is drawn. `travel`: the wheel moves as it did, the pitch with it.",
    )
    gap_ms: Annotated[float, Field(ge=0, le=1000)] = Field(
        5.0, description="Milliseconds between two of its messages, where the music leaves room for that."
    )

    @override
    def apply(self, take: Take) -> Take:
        for channel in self.channels(take):
            take = take.with_channel(self._set(take, channel))
        return take

    def _set(self, take: Take, channel: Channel) -> Channel:
        made = self._restated(take, channel)
        lane = channel.lanes.get(BEND)
        if lane is None:
            return made
        start, end = self.where.span or (0, max(take.end, int(lane.curve.ticks[-1])) + 1)
        old, new = channel.bend_range, made.bend_range
        if self.keep == "sound":
            self._fits(take, channel, start, end)
        else:
            last = max(take.end, int(lane.curve.ticks[-1])) + 1
            steps = np.unique(np.concatenate(([0, last], old.ticks, new.ticks)))
            curve = lane.curve
            for a, b in itertools.pairwise(steps[steps <= last].tolist()):
                factor = float(new.at(a)) / float(old.at(a)) if float(old.at(a)) else 1.0
                part = piece.cut(lane.curve, a, b, LANES[BEND].error / max(factor, 1.0))
                if factor != 1.0 and not part.empty:
                    # What is held last goes on for ever.
                    curve = piece.laid(curve, part.scaled(factor), LANES[BEND].error, resumes=b < last)
            lane = lane.reshaped(curve)
        return with_range(channel, replace(made, lanes={**made.lanes, BEND: lane}))

    def _restated(self, take: Take, channel: Channel) -> Channel:
        largest, is_told = channel.instrument
        if largest is not None and self.semitones > largest:
            raise NothingMatched(
                f"The instrument's range goes no further than {largest:g} semitones.",
                "semitones",
                {"semitones": largest},
            )
        if not is_told:
            if self.where.span:
                raise NothingMatched("The range of this instrument is set by hand: it has one for the whole take.")
            return by_hand(take, channel, self.semitones)
        # Known again when it is asked where the stroke acts.
        return _known(take, channel, self.where.span, self.semitones, self.gap_ms / 1000, self.keep == "travel")

    def _fits(self, take: Take, channel: Channel, start: int, end: int) -> None:
        curve = channel.lanes[BEND].curve
        part = piece.cut(curve, start, end, LANES[BEND].error)
        if part.empty:
            return
        furthest = float(np.abs(part.curve.values).max())
        # What was beyond the range before is not heard now either.
        if furthest > self.semitones * (1 + 1e-9):
            least = min(holding(furthest), MOST_SEMITONES)
            raise NothingMatched(
                f"The bend is drawn {furthest:.2f} semitones away; a range of {least} at least keeps the sound.",
                "semitones",
                {"semitones": least},
            )

    @override
    def reach(self, take: Take) -> Reach:
        channels = self.channels(take)
        start, end = self.where.span or (0, max(take.end, 1))
        for channel in channels:
            made = self._restated(take, channel)
            new = [tick for one in made.statements if one not in channel.statements for tick in one.ticks]
            start, end = min([start, *new]), max([end, *(tick + 1 for tick in new)])
        return Reach(start, end, heard_by(take, channels), len(channels))

    @override
    def label(self) -> str:
        kept = "" if self.keep == "sound" else ", the wheel as it was"
        return f"Bend range {self.semitones:g}{kept}"

    @override
    def mends(self) -> str:
        return f"Set the range to {self.semitones:g}"
