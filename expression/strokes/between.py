"""Strokes between the levels: a lane as curves of its notes, curves of notes as a lane, and a trim above both."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Ints
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import BEND, BESIDE, LANES, NOTE_PITCH
from expression.levels import line, of_lane, summed
from expression.note_curves import NO_CURVES
from expression.piece import Piece
from expression.strokes.base import BaseStroke, Reach, select
from expression.strokes.batch import Batch
from expression.strokes.lane import LaneKey, Spot, known_lane, lane_of
from expression.strokes.own_stroke import NoteLane, known_note_lane
from expression.strokes.spec import Gesture, Spec, entry, yes_no
from expression.strokes.wheel import heard_by
from expression.strokes.writing import WritingStroke
from expression.take import Lane, Take

_NOTE_OF = {beside: key for key, beside in BESIDE.items()}


class NoteToLane(BaseStroke):
    """What the chosen notes say one after another becomes what the lane says: theirs is added to it, and they rest."""

    kind: Literal["note.to_lane"] = "note.to_lane"
    spec = Spec(
        "own",
        "To the lane",
        says="What the notes say one after another is said by the part's lane instead.",
        asks=(yes_no("keep", "Notes keep theirs"),),
        gestures=(
            Gesture(
                "level",
                "To the lane",
                "The curves of a line become the lane of its part",
                "merge flatten level part channel",
                "Sent",
                where="own",
            ),
        ),
    )
    lane: NoteLane
    to: LaneKey | None = Field(None, description="Absent: the lane on which this kind of curve stands.")
    keep: bool = Field(False, description="The notes keep their curves as well.")

    @model_validator(mode="after")
    def _known(self) -> Self:
        known_note_lane(self.lane)
        if self.to is not None:
            of_notes = LANES[known_lane(self.to, "to")].is_of_notes
            if of_notes or (self.to == BEND) != (self.lane == NOTE_PITCH):
                raise ValueError("to must be bend for note:pitch, and for others pressure or a controller")
        return self

    @override
    def apply(self, take: Take) -> Take:
        _, masks = select(take, self.where)
        beside = self.to or BESIDE[self.lane]
        made, matched = take, False
        for channel in take.channels:
            parts = [part for part in take.parts_on(channel) if part.id in masks and self.lane in part.curves]
            if not parts:
                continue
            chosen = [(part, part.notes.id[masks[part.id]]) for part in parts]
            # Only what is chosen counts; the others keep theirs.
            none = {part.id: {self.lane: NO_CURVES} for part in take.parts_on(channel)}
            own = {part.id: {self.lane: part.curves[self.lane].only(known)} for part, known in chosen}
            found = line(take.with_curves(none | own), channel, self.lane)
            if not len(found.starts):
                continue
            matched = True
            if len(lost := np.intersect1d(found.inexpressible, np.concatenate([known for _, known in chosen]))):
                raise NothingMatched(
                    f"{len(lost):,} of these notes sound together and say different things; a lane says one at a time. "
                    "Choose one voice, or send the part in a zone."
                )
            lane = summed(lane_of(take, channel, beside), found.starts, found.ends, found.curve)
            made = made.with_lane(channel.id, lane)
            if not self.keep:
                rest = {part.id: {self.lane: part.curves[self.lane].without(known)} for part, known in chosen}
                made = made.with_curves(rest)
        if not matched:
            raise NothingMatched(f"None of the chosen notes has a curve of its own here ({LANES[self.lane].name}).")
        return made

    @override
    def label(self) -> str:
        onto = LANES[self.to or BESIDE[self.lane]].name
        return f"{LANES[self.lane].name} to {onto}" + (", kept" if self.keep else "")


class LaneToNotes(BaseStroke):
    """What the lane says while each of the chosen notes sounds becomes that note's own; the lane rests there."""

    kind: Literal["lane.to_notes"] = "lane.to_notes"
    spec = Spec(
        "lane",
        "To the notes",
        says="What the lane says while a note sounds becomes that note's own.",
        asks=(yes_no("keep", "The lane keeps it"),),
        gestures=(
            Gesture(
                "accent",
                "To the notes",
                "What the lane says while a note sounds becomes that note's own",
                "polyphonic each note split level",
                "Onto",
                where="own",
            ),
        ),
    )
    lane: str = Field(description="`bend`, `pressure`, or `cc:0` to `cc:119`.")
    to: NoteLane | None = Field(None, description="Absent: the kind of curve that stands on this lane.")
    keep: bool = Field(False, description="The lane keeps what it says as well.")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if LANES[known_lane(self.lane)].is_of_notes:
            raise ValueError("lane must be one of a channel")
        if self.lane not in _NOTE_OF:
            raise ValueError(f"{LANES[self.lane].name} cannot be a note's own")
        if self.to is not None and (known_note_lane(self.to, "to") == NOTE_PITCH) != (self.lane == BEND):
            raise ValueError("to must be note:pitch for the bend, and another kind for other lanes")
        return self

    @property
    def target_lane(self) -> str:
        """The kind of curve that the notes get."""
        return self.to or _NOTE_OF[self.lane]

    @override
    def apply(self, take: Take) -> Take:
        _, masks = select(take, self.where)
        made, changed, matched = take, {}, False
        default = LANES[self.lane].default
        for channel in take.channels:
            parts = [part for part in take.parts_on(channel) if part.id in masks]
            lane = channel.lanes.get(self.lane)
            if not parts or lane is None:
                continue
            matched = True
            starts, ends = [], []
            for part in parts:
                notes = part.notes.only(masks[part.id])
                until = np.maximum(notes.end, notes.start + 1)
                found = of_lane(lane.curve, self.target_lane, notes.id, notes.start, until)
                known = part.curves.get(self.target_lane, NO_CURVES)
                changed[part.id] = {self.target_lane: known.with_curves(notes.id, found)}
                starts.append(notes.start)
                ends.append(until)
            if not self.keep:
                made = made.with_lane(channel.id, _rested(take, channel.id, self.lane, starts, ends, default))
        if not matched:
            raise NothingMatched(f"No part of the chosen notes has a lane {self.lane}.", "lane")
        return made.with_curves(changed)

    @override
    def label(self) -> str:
        return f"{LANES[self.lane].name} to {LANES[self.target_lane].name}" + (", kept" if self.keep else "")


def _rested(take: Take, channel: int, key: str, starts: list[Ints], ends: list[Ints], default: float) -> Lane:
    """The lane of a channel at rest from where any of some notes starts until none sounds."""
    start, end = np.concatenate(starts), np.concatenate(ends)
    order = np.argsort(start)
    start, reach = start[order], np.maximum.accumulate(end[order])
    opens = np.append(True, start[1:] > reach[:-1])
    first, last = start[opens], reach[np.append(np.flatnonzero(opens)[1:] - 1, len(reach) - 1)]
    lane = take.channels[channel].lanes[key]
    spot = Spot(take.channels[channel], [], lane)
    pieces = [Piece(int(a), int(b), Curve.of([a], [default])) for a, b in zip(first, last, strict=True)]
    return spot.laid(pieces, resumes=True)


class LaneTrim(WritingStroke):
    """A trim of a part: so much is added to all that its lane says, and stands above what lane and notes say."""

    stands = True

    kind: Literal["lane.trim"] = "lane.trim"
    spec = Spec(
        "lane",
        "Trim of the lane",
        says="Stands above what the lane and the notes say; opened again, not stacked.",
        asks=(entry("by", "By"),),
        gestures=(
            Gesture(
                "trim",
                "Trim lane",
                "So much more or less on all of it, standing above what it and the notes say",
                "offset level whole part",
                "Tidy",
                where="part",
                given={"by": 0},
            ),
        ),
    )
    by: Annotated[float, Field(ge=-127, le=127)] = Field(description="In the lane's unit; bend in semitones.")

    @override
    def lanes(self, take: Take) -> list[Spot]:
        return self.sliding(take)

    @override
    def shape(self, batch: Batch) -> Curve:
        made = batch.cut()
        return batch.laid(made.valued(made.values + self.by), batch.resumes)

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane:
        start, curve = self.where.span[0] if self.where.span else 0, spot.curve
        if not len(curve) or curve.ticks[0] > start:
            lane = spot.laid(Piece(0, 1, Curve.of([0], [LANES[spot.key].default])), resumes=False)
            spot = spot._replace(lane=lane)
        span = self.where.span or (0, int(spot.curve.ticks[-1]) + 1)
        return spot.laid(spot.cut(*span).scaled(1.0, self.by), resumes=self.where.span is not None)

    @override
    def lane_reach(self, take: Take) -> Reach:
        spots = self.lanes(take)
        start, end = self.where.span or (0, max(take.end, 1))
        return Reach(start, end, heard_by(take, [spot.channel for spot in spots]), len(spots))

    @override
    def label(self) -> str:
        return f"{self.name} trim {self.by:+g}".replace("-", "−")
