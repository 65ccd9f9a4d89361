"""Strokes that make a recorded lane steadier or smaller: smoothing, distilling, and taking away what nobody played."""

import itertools
from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import piece, unplayed
from expression.arrays import Flags, Floats, Ints, contained, union
from expression.curve import Curve
from expression.distil import distil
from expression.lanes import LANES
from expression.memo import worked_out
from expression.midi.encoding import has_fine, lane_events, weight
from expression.piece import Piece
from expression.smoothing import smoothed
from expression.strokes.batch import Batch
from expression.strokes.lane import LaneStroke, SlidingStroke, Spot
from expression.strokes.spec import Gesture, Spec, entry
from expression.strokes.writing import Tolerance
from expression.take import Channel, Lane, Take
from expression.time import Sight

ROUNDING = 1e-6
"""Beyond its tolerance a value may be off by so much of a step: the rounding of numbers."""


class LaneSmooth(SlidingStroke):
    """Steady a jittery controller: each value becomes the mean over the width around it, so that nothing comes late.

    What is held for longer than the width is reached again, and a jump of more than `jump` stays a jump.
    """

    kind: Literal["lane.smooth"] = "lane.smooth"
    spec = Spec(
        "lane",
        "Smooth",
        says="Steadies a jittery hand. Nothing comes late, and what is held is reached again.",
        asks=(
            entry("width", "Width (ms)", 10),
            entry("jump", "Jumps stay from", 4, "¼ range"),
        ),
        gestures=(
            Gesture(
                "knee",
                "Smooth",
                "Steady a jittery controller",
                "jitter steady filter average soften",
                "Tidy",
                where="lane",
                on_notes=True,
            ),
        ),
        slides=True,
    )
    felt_by_each = True

    width: Annotated[float, Field(gt=0, le=10_000)] = Field(
        80.0, description="How much is looked at, in milliseconds: half of it before each moment, half after."
    )
    jump: Annotated[float | None, Field(ge=0, le=254)] = Field(
        None, description="Larger jumps stay, in the lane's unit; absent: a quarter of its range."
    )

    @override
    def shape(self, batch: Batch) -> Curve | None:
        spoken = batch.speaking(2)
        if not len(batch):
            return None
        low, high = batch.bounds
        jump = (high - low) / 4 if self.jump is None else self.jump
        before = batch.piece(spoken)
        made = smoothed(before, batch.clock, self.width / 1000, jump, batch.error, batch.walls(before.curve)).curve
        made = batch.parted(made, before.curve) if batch.on_notes else made
        return batch.laid(made, batch.resumes, batch.nodes)

    @override
    def felt(self, take: Take, spot: Spot, sight: Sight) -> Sight:
        begins, ends = take.tempo.seconds(sight).tolist()
        first, last = take.tempo.tick([max(begins - self.width / 500, 0.0), ends + self.width / 500]).tolist()
        return int(first), int(last) + 1

    @override
    def label(self) -> str:
        return f"{self.name} smoothed over {self.width:g} ms"


class LaneDistil(SlidingStroke):
    """The fewest nodes with which what is heard stays within a tolerance of what was heard, at every moment.

    It is never sent in more events than before: where a way would need more, what was recorded stays. Where it comes to
    no fewer nodes, all stays.
    """

    kind: Literal["lane.distil"] = "lane.distil"
    spec = Spec(
        "lane",
        "Distil",
        says="As few nodes as stay within the tolerance of what was heard, in no more events than before.",
        asks=(entry("tolerance", "Tolerance", 0.5),),
        gestures=(
            Gesture(
                "fadeIn",
                "Distil",
                "Few nodes instead of hundreds of recorded values",
                "thin reduce simplify fewer data",
                "Tidy",
                where="lane",
                given={"tolerance": "@tolerance"},
                on_notes=True,
            ),
        ),
        slides=True,
        evidence=("saving",),
    )
    tolerance: Tolerance = Field(1.0, description="In steps; bend in semitones.")

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        start, end = self.span_of(take, spot.lane)
        inner = spot.curve.within(start, end)
        if not len(inner):
            return None
        ticks, values = lane_events(take, spot.channel, spot.lane, start, end)
        # What a reset makes of the lane comes in no event of its own, and no way can take its place.
        breaks = np.intersect1d(ticks, spot.curve.ticks[spot.channel.implied(spot.lane)])
        edges = np.unique(np.concatenate((ticks[:1], breaks)))
        rows = np.append(np.searchsorted(ticks, edges), len(ticks)).tolist()
        step = LANES[spot.key].step
        stretches = [distil(ticks[a:b], values[a:b], self.tolerance, step) for a, b in itertools.pairwise(rows)]
        if sum(map(len, stretches)) >= len(inner):
            return spot.lane
        made = self._as_heard(take, spot, Piece(start, end, stretches[0].then(*stretches[1:])), ticks, values)
        lane = spot.laid(made, resumes=self.where.span is not None)
        if len(lane.curve) >= len(spot.curve):
            return spot.lane
        # Of steps each is a message. With fine halves one may be two, and of ways some messages say nothing new: there
        # it is counted what is sent.
        plain = spot.curve.hold.all() and not has_fine(take, spot.channel, spot.key)
        return lane if plain or not self._grows(take, spot, lane) else spot.lane

    @override
    def shape(self, batch: Batch) -> Curve | None:
        inner = batch.speaking()
        if not len(batch):
            return None
        take = batch.laid_out(inner)
        spot = Spot(take.channels[0], [], take.channels[0].lanes[batch.key])
        span = int(batch.starts[0]), int(batch.ends[-1])
        ticks, values = lane_events(take, spot.channel, spot.lane, *span)
        firsts = np.searchsorted(batch.owner(ticks), np.arange(len(batch)))
        few = distil(ticks, values, self.tolerance, batch.kind.step, firsts)
        made = self._as_heard(take, spot, Piece(*span, few), ticks, values).curve
        lane = Lane.recorded(batch.key, made, np.full(len(made), -1))
        sent, _ = lane_events(take, spot.channel, lane, *span)
        fewer = batch.counts(made) < batch.counts(inner)
        batch.touched = fewer & (batch.counted(sent) <= batch.counted(ticks))
        if not batch.touched.any():
            return batch.nodes
        return batch.laid(made, batch.resumes, batch.nodes)

    @override
    def apply(self, take: Take) -> Take:
        return _distilled(self, take)

    @override
    def also(self, take: Take) -> str:
        if self.of_notes:
            return ""
        after = _distilled(self, take)
        counts = np.zeros(4, dtype=np.int64)
        for channel, made in zip(take.channels, after.channels, strict=True):
            for key in self.keys:
                old, new = channel.lanes.get(key), made.lanes.get(key)
                if old is not None and new is not None and old is not new:
                    sent = weight(take, channel, key), weight(after, made, key)
                    counts += np.array((len(old.curve), len(new.curve), *sent))
        if not counts.any():
            return "Within this tolerance it cannot be said in fewer nodes: it stays as it is."
        nodes, less, messages, fewer = counts.tolist()
        return f"{nodes:,} nodes become {less:,}, {messages:,} messages {fewer:,}."

    def distilled(self, take: Take) -> Take:
        """The take as it leaves it."""
        return super().apply(take)

    def _grows(self, take: Take, spot: Spot, made: Lane) -> bool:
        """Whether it would be sent in more messages than before."""
        after = take.with_lane(spot.channel.id, made)
        channel = next(one for one in after.channels if one.id == spot.channel.id)
        return weight(after, channel, spot.key) > weight(take, spot.channel, spot.key)

    def _as_heard(self, take: Take, spot: Spot, made: Piece, ticks: Ints, values: Floats) -> Piece:
        """The piece with what was sent again wherever a way is too far off, or needs more.

        A steep one may be further off: its events come no closer together than the time step.
        """
        curve = made.curve
        lane = Lane.recorded(spot.key, curve, np.full(len(curve), -1))
        sent, heard = lane_events(take, spot.channel, lane, made.start, made.end)
        at = union(ticks, ticks[1:] - 1, sent, sent[1:] - 1)
        at = at[at >= ticks[0]]
        was, now = (
            level[np.searchsorted(when, at, side="right") - 1] for when, level in ((ticks, values), (sent, heard))
        )
        astray = np.abs(was - now) > self.tolerance + LANES[spot.key].step * ROUNDING
        bad = np.zeros(len(curve), dtype=bool)
        bad[curve.governing(at[astray])] = True
        nodes = len(curve)
        needs, needed = (np.bincount(curve.governing(one), minlength=nodes) for one in (sent, ticks))
        bad |= needs > needed
        bad &= ~curve.hold
        if not bad.any():
            return made
        inside = bad[curve.governing(ticks)] & ~contained(ticks, curve.ticks)
        hold = curve.hold | bad
        held = Curve.of(curve.ticks, curve.values, hold, np.where(hold, 0.0, curve.lift), curve.ease)
        return made._replace(curve=held.among(Curve.of(ticks[inside], values[inside])))

    @override
    def label(self) -> str:
        return f"{self.name} distilled within {self.tolerance:g}"


@worked_out(4)
def _distilled(stroke: LaneDistil, take: Take) -> Take:
    """Asked for to apply a stroke, and to say what it saves."""
    return stroke.distilled(take)


class LaneUnplayed(LaneStroke):
    """Take away what nobody played: flicker between neighbouring values, and movement while nothing sounds."""

    kind: Literal["lane.unplayed"] = "lane.unplayed"
    spec = Spec(
        "lane",
        "What nobody played",
    )
    flicker: bool = Field(True, description="A run that flickers between two or three neighbouring values becomes one.")
    unheard: bool = Field(True, description="Of a movement while no note sounds, only where it ends is kept.")

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane | None:
        batch = Batch(take, spot.key, spot.curve, self.span_of(take, spot.lane), spot.limits)
        batch.resumes = self.where.span is not None
        made = self._without(take, spot.channel, spot.lane, batch)
        return None if made is None else spot.lane.reshaped(made)

    @override
    def shape(self, batch: Batch) -> Curve | None:
        take = batch.laid_out(batch.nodes)
        (channel,) = take.channels
        return self._without(take, channel, channel.lanes[batch.key], batch) if len(batch.nodes) else None

    def _without(self, take: Take, channel: Channel, lane: Lane, batch: Batch) -> Curve | None:
        curve, values = batch.nodes, batch.nodes.values.copy()
        owner = batch.owner(curve.ticks)
        gone: Flags = np.zeros(len(curve), dtype=bool)
        inside = (curve.ticks >= batch.starts[owner]) & (curve.ticks < batch.ends[owner])
        flickers = unplayed.flickers(take, lane) if self.flicker else []
        unheard = unplayed.unheard(take, channel, lane) if self.unheard else []
        # What goes on from one curve to the next is nobody's.
        for run in (run for run in flickers if owner[run.first] == owner[run.last]):
            gone[run.first + 1 : run.last + 1] = True
            if inside[run.first]:
                values[run.first] = run.value
        for run in (run for run in unheard if owner[run.first] == owner[run.last]):
            gone[run.first : run.last] = True
        gone &= inside & ~channel.implied(lane)
        if not gone.any():
            return None
        kept = curve.valued(values).rows(~gone)
        batch.touched = batch.counted(curve.ticks[gone]) > 0
        if not batch.resumes:
            return kept
        # Outside the span all stays as it is, also where a run goes on there.
        ends = batch.ends[batch.touched]
        back = ends[curve.holds(ends) & (kept.at(ends) != curve.at(ends))]
        held = Curve.of(back, curve.at(back))
        return piece.laid_all(kept, back, back + 1, held, batch.error, resumes=False) if len(back) else kept

    @property
    @override
    def nothing(self) -> str:
        return f"{self.name} carries nothing that nobody played."

    @override
    def label(self) -> str:
        return f"{self.name}: what nobody played is gone"
