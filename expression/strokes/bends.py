"""Gestures of the bend wheel on notes: scoop, fall, dip, shake and glide."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, ranges, whole
from expression.curve import NO_NODES, Curve
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.limits import MOST_CYCLES
from expression.memo import worked_out
from expression.notes import Notes
from expression.records import Unit
from expression.sounding import died_away
from expression.strokes.base import Lift, counted, masks_of
from expression.strokes.gestures import (
    EASE,
    LIFT,
    NEARLY,
    Beats,
    BendGesture,
    First,
    Interval,
    Line,
    Offsets,
    signed,
    until_struck,
)
from expression.strokes.grips import Grip, Time
from expression.strokes.spec import ASK_EASE, ASK_LIFT, ASK_TIME, Gesture, Spec, choice, entry
from expression.take import Channel, Take


class BendScoop(BendGesture):
    """Into the note: it begins away from its pitch and is there after a while."""

    kind: Literal["bend.scoop"] = "bend.scoop"
    spec = Spec(
        "bend",
        "Scoop",
        says="Each chosen note begins away from its pitch and comes to it.",
        asks=(
            entry("start", "From (semitones)", 0.5),
            ASK_TIME,
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture(
                "scoop", "Scoop", "Into the chosen notes, from below or above", "slide in bend up attack pitch", "Pitch"
            ),
        ),
        lane="bend",
    )
    start: Interval = Field(-2.0, description="Semitones from the note, where it begins.")
    time: Beats = Field(0.25, description="Beats until it is there; no longer than the note.")
    lift: Lift = LIFT
    ease: Unit = EASE

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        until = np.minimum(line.start + max(round(self.time * take.resolution), 1), line.end)
        begins = np.full(len(until), self.start)
        places = line.start, until
        return Offsets.of(places, [line.start, until], [begins, np.zeros(len(until))], self.lift, self.ease)

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        time = Time("time", first.start, take.resolution)
        return [
            first.grip("start", "Where it begins", 0, self.start),
            first.form("Lift of the scoop", self.lift),
            first.grip("time", "When it is there", 1, self.time, time),
        ]

    @override
    def label(self) -> str:
        return f"Scoop from {signed(self.start)}"


class BendFall(BendGesture):
    """Off the note: it leaves its pitch before its end, and has gone so far when it ends.

    There it stays until the note is heard no longer, pedals and what rings on counted in, or another is struck.
    """

    kind: Literal["bend.fall"] = "bend.fall"
    spec = Spec(
        "bend",
        "Fall",
        says="Each chosen note leaves its pitch before its end.",
        asks=(
            entry("end", "To (semitones)", 0.5),
            ASK_TIME,
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture(
                "fall",
                "Fall",
                "Off the end of the chosen notes",
                "drop doit slide off bend down release pitch",
                "Pitch",
            ),
        ),
        lane="bend",
    )
    end: Interval = Field(-2.0, description="Semitones from the note, where it ends.")
    time: Beats = Field(0.5, description="Beats before the end; no more than the note has.")
    lift: Lift = LIFT
    ease: Unit = EASE

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        leaves = np.maximum(line.end - max(round(self.time * take.resolution), 1), line.start)
        ends = np.full(len(leaves), self.end)
        places = leaves, np.maximum(line.ring, line.end)
        return Offsets.of(places, [leaves, line.end], [np.zeros(len(leaves)), ends], self.lift, self.ease)

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        return [
            first.grip("time", "When it leaves", 0, self.time, Time("time", first.end, -take.resolution)),
            first.form("Lift of the fall", self.lift),
            first.grip("end", "Where it ends", 1, self.end),
        ]

    @override
    def label(self) -> str:
        return f"Fall to {signed(self.end)}"


class BendDip(BendGesture):
    """There and back within the note; where it is furthest at the note's end, it goes back while the note rings on."""

    goes_back = True

    kind: Literal["bend.dip"] = "bend.dip"
    spec = Spec(
        "bend",
        "Dip",
        says="There and back within each chosen note.",
        asks=(
            entry("depth", "Depth (semitones)", 0.5),
            entry("at", "Where in it", 0.05),
            ASK_TIME,
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture("dip", "Dip", "There and back within the chosen notes", "bend there and back pitch", "Pitch"),
        ),
        lane="bend",
    )
    depth: Interval = Field(-1.0, description="Semitones from the note, at its furthest.")
    at: Unit = Field(0.5, description="Where in the note it is furthest, as a share of its length.")
    time: Beats = Field(0.5, description="Beats in all, half of it to either side; no longer than the note.")
    lift: Lift = LIFT
    ease: Unit = EASE

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        half = max(round(self.time * take.resolution / 2), 1)
        middle = line.start + whole(self.at * (line.end - line.start))
        # What is furthest at the very end has only what rings on to go back in.
        until = np.where(middle < line.end, line.end, line.ring)
        leaves, back = np.maximum(middle - half, line.start), np.minimum(middle + half, until)
        rest = np.zeros(len(middle))
        # The way back is the way there in a mirror.
        lift = np.array([self.lift, -self.lift, 0.0])
        return Offsets.of(
            (leaves, back), [leaves, middle, back], [rest, np.full(len(middle), self.depth), rest], lift, self.ease
        )

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        middle = int(first.own.ticks[1])
        length = max(first.end - first.start, 1)
        return [
            first.form("Lift of the dip", self.lift),
            first.grip("depth", "Depth of the dip", 1, self.depth, Time("at", first.start, length)),
            first.grip("time", "When it is back", 2, self.time, Time("time", middle, take.resolution / 2)),
        ]

    @override
    def label(self) -> str:
        return f"Dip to {signed(self.depth)}"


class BendShake(BendGesture):
    """A vibrato, about the pitch; it comes to rest at a whole swing."""

    kind: Literal["bend.shake"] = "bend.shake"
    spec = Spec(
        "bend",
        "Shake",
        says="A vibrato that comes to rest at a whole swing.",
        asks=(
            choice("per", "Rate", ("hz", "swings a second"), ("beats", "beats a swing")),
            entry("rate", "Rate", 0.1),
            entry("depth", "Depth ¢", 5),
            entry("depth_end", "Grows to ¢", 5, "the same"),
            entry("rate_end", "Quickens to", 0.1, "the same"),
            entry("grown_at", "Grown at", 0.05, "its end"),
            entry("delay", "After (beats)", 0.125),
            entry("settle", "Rest (beats)", 0.125),
        ),
        gestures=(Gesture("shake", "Shake", "A vibrato on the chosen notes", "vibrato wobble lfo pitch", "Pitch"),),
        lane="bend",
    )
    rate: Annotated[float, Field(gt=0, le=50)] = Field(5.5, description="By `per`: swings a second, or beats a swing.")
    rate_end: Annotated[float | None, Field(gt=0, le=50)] = Field(
        None, description="The rate at its end, to which it changes evenly; absent: the same."
    )
    grown_at: Unit | None = Field(
        None, description="Where in the note it has come to both, as a share of its length; absent: at its end."
    )
    per: Literal["hz", "beats"] = "hz"
    depth: Annotated[float, Field(ge=0, le=1200)] = Field(30.0, description="Cents to either side.")
    depth_end: Annotated[float | None, Field(ge=0, le=1200)] = Field(
        None, description="Cents at its end, to which it grows or fades evenly; absent: the same."
    )
    delay: Annotated[float, Field(ge=0, le=1024)] = Field(0.0, description="Beats after the note's start.")
    settle: Annotated[float, Field(ge=0, le=1024)] = Field(0.0, description="Beats before its end, at rest.")

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        start = line.start + round(self.delay * take.resolution)
        until = line.end - round(self.settle * take.resolution)
        tempo = take.tempo
        by_clock = self.per == "hz"
        begins = tempo.seconds(start) if by_clock else start.astype(np.float64)
        lasts = (tempo.seconds(until) if by_clock else until) - begins
        first, last = (self._a_tick(take, rate) for rate in (self.rate, self.rate_end or self.rate))
        grows = self._grows(take, line, begins, lasts)
        # So many swings it makes while it grows.
        growing = (first + last) / 2 * grows
        halves = np.floor(2 * (growing + last * (lasts - grows)) + NEARLY).astype(np.int64)
        swings = halves >= 1
        start, begins, halves, lasts = start[swings], begins[swings], halves[swings], lasts[swings]
        grows, growing = grows[swings], growing[swings]
        if halves.sum() > 2 * MOST_CYCLES:
            raise NothingMatched(f"That would be more than {MOST_CYCLES:,} swings; choose a lower rate.", "rate")
        deepest = max(self.depth, self.depth if self.depth_end is None else self.depth_end) / 100
        # So many straight ways a half that none is further off than the error: depth (1 - cos(pi / 2n)).
        each = max(int(np.ceil(np.pi / 2 / np.arccos(max(1 - LANES[BEND].error / max(deepest, 1e-6), 0.0)))), 2)
        step, note = ranges(np.zeros(len(halves), dtype=np.int64), halves * each + 1)
        # So many swings by then: first t + (last - first) t² / 2 over its growing, then as many as at its end.
        gains = ((last - first) / np.maximum(grows, NEARLY))[note]
        turn = step / (2 * each)
        after = np.maximum(turn - growing[note], 0.0)
        turning = turn - after
        moment = begins[note] + 2 * turning / (first + np.sqrt(first**2 + 2 * gains * turning)) + after / last
        ticks = whole(tempo.tick(moment) if by_clock else moment)
        halves_growing = np.where(grows < lasts, np.maximum(2 * growing, NEARLY), halves)
        share = np.minimum(step / (halves_growing * each)[note], 1.0)
        depth = self.depth + ((self.depth if self.depth_end is None else self.depth_end) - self.depth) * share
        rests = step == (halves * each)[note]
        passed = (tempo.seconds(ticks) if by_clock else ticks) - begins[note]
        grown = np.minimum(passed, grows[note])
        turns = (first + gains * grown / 2) * grown + last * (passed - grown)
        values = np.where(rests, 0.0, depth / 100 * np.sin(2 * np.pi * turns))
        curve = Curve.of(ticks, values, rests)
        return Offsets(start, ticks[rests], curve) if len(start) else Offsets(start, start, curve)

    def _grows(self, take: Take, line: Line, begins: Floats, lasts: Floats) -> Floats:
        """How long it changes, of each note: seconds, or ticks, from where it begins."""
        if self.grown_at is None:
            return lasts
        at = line.start + self.grown_at * (line.end - line.start)
        there = take.tempo.seconds(whole(at)) if self.per == "hz" else at
        return np.asarray(np.clip(there - begins, 0, np.maximum(lasts, 0)))

    def _a_tick(self, take: Take, rate: float) -> float:
        """Swings a second, or a tick."""
        return rate if self.per == "hz" else 1 / (rate * take.resolution)

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        own = first.own
        below = np.flatnonzero(own.values < -NEARLY)
        top = int(np.argmax(own.values[: int(below[0]) if len(below) else len(own)]))
        per_cent = float(own.values[top]) / self.depth if self.depth else 0.01
        last = len(own) - 1
        return [
            first.grip("delay", "When it begins", 0, self.delay, Time("delay", first.start, take.resolution)),
            first.grip("depth", "Depth of the shake", top, self.depth, scale=per_cent),
            first.grip("settle", "When it is at rest", last, self.settle, Time("settle", first.end, -take.resolution)),
        ]

    @override
    def label(self) -> str:
        rate = f"{self.rate:g} Hz" if self.per == "hz" else f"every {counted(self.rate, 'beat')}"
        grows = "" if self.depth_end is None else f" → {self.depth_end:g}"
        return f"Shake {rate}, ±{self.depth:g}{grows} cents"


class BendGlide(BendGesture):
    """From each chosen note to the one that follows it in its part."""

    kind: Literal["bend.glide"] = "bend.glide"
    spec = Spec(
        "bend",
        "Glide",
        says="From each chosen note to the one that follows it.",
        asks=(
            choice("as", "As", ("tail", "a tail of the note"), ("one", "one long note")),
            entry("start", "Leaves at", 0.05),
            entry("time", "Time (beats)", 0.125, "to its end"),
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture(
                "glide",
                "Glide",
                "From the chosen notes to those that follow",
                "portamento glissando slide legato pitch",
                "Pitch",
                given={"lift": 0.4},
            ),
        ),
        lane="bend",
    )
    # The field is called `as`, which Python keeps for itself.
    vars()["__annotations__"]["as"] = Literal["tail", "one"]
    vars()["as"] = Field(
        "tail",
        description="`tail`: the end leans to the next, which is struck as before; `one`: both are one note.",
    )
    start: Unit = Field(0.5, description="Where in the note it leaves, as a share of its length.")
    time: Beats | None = Field(None, description="Beats until it is there; absent: at the note's end.")
    lift: Lift = LIFT
    ease: Unit = EASE

    @property
    def is_one(self) -> bool:
        """Whether both notes become one."""
        return bool(getattr(self, "as") == "one")

    @override
    def _takes_along(self, take: Take, part: int) -> Flags:
        along = super()._takes_along(take, part)
        along[self._pairs(take, part)[1]] = True
        return along

    @override
    def apply(self, take: Take) -> Take:
        if not self.is_one:
            return super().apply(take)
        made = super().apply(take)
        merged = {part.id: _merged(part.notes, *self._pairs(take, part.id)) for part in take.parts}
        changed = {part: notes for part, notes in merged.items() if notes is not take.parts[part].notes}
        return made.with_notes(changed)

    def _pairs(self, take: Take, part: int) -> tuple[Ints, Ints]:
        return _paired(self, take, part)

    def pairs(self, take: Take, part: int) -> tuple[Ints, Ints]:
        """Rows of chosen notes of a part and of those that follow them. Raises NothingMatched where none does."""
        masks = masks_of(take, self.where)
        notes = take.parts[part].notes
        if part not in masks:
            return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
        rows = np.flatnonzero(masks[part] & ~notes.muted)
        start = notes.start[rows]
        twice = np.flatnonzero(np.diff(start) == 0)
        if len(twice):
            bar = take.meter.position(int(start[twice[0]])).bar
            raise NothingMatched(
                f"Two of the chosen notes start together in bar {bar}, and the wheel moves both. Choose one voice."
            )
        heard = np.flatnonzero(~notes.muted & ~notes.cue)
        onsets = notes.start[heard]
        first, after = np.searchsorted(onsets, start, side="right"), len(heard)
        follows_any = first < after
        if not follows_any.all():
            if len(rows) == 1:
                bar = take.meter.position(int(start[0])).bar
                raise NothingMatched(f"No note follows the one in bar {bar}; choose the note before it.")
            # The last of a line has nothing to glide to.
            rows, first = rows[follows_any], first[follows_any]
        last = np.searchsorted(onsets, onsets[first], side="right")
        chosen = first.copy()
        for at in np.flatnonzero(last - first > 1).tolist():
            together = np.arange(first[at], last[at])
            away = np.abs(notes.pitch[heard[together]].astype(int) - int(notes.pitch[rows[at]]))
            chosen[at] = together[np.argmin(away)]
        follows = heard[chosen]
        rests = notes.start[follows] - notes.end[rows]
        if self.is_one and (rests > LONGEST_REST * take.resolution).any():
            bar = take.meter.position(int(notes.end[rows[np.argmax(rests)]])).bar
            raise NothingMatched(
                f"After bar {bar} there are more than {LONGEST_REST} beats of rest; let it glide as a tail instead."
            )
        return rows, follows

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        places: list[tuple[Ints, Ints]] = []
        curves: list[Curve] = []
        for part in take.parts_on(channel):
            notes = part.notes
            rows, follows = self._pairs(take, part.id)
            if not len(rows):
                continue
            begin, end = notes.start[rows], np.minimum(notes.end[rows], notes.start[follows])
            leave = begin + whole(self.start * (end - begin))
            there = end if self.time is None else np.minimum(leave + max(round(self.time * take.resolution), 1), end)
            leave = np.where(there > leave, leave, np.maximum(there - 1, begin))
            pitch, target = notes.pitch[rows].astype(np.int64), notes.pitch[follows].astype(np.int64)
            onsets = np.unique(notes.start[~notes.muted])
            if self.is_one:
                # Pitches are counted from the note that is struck: in a chain from its first.
                chained = np.append(False, follows[:-1] == rows[1:])
                head = np.maximum.accumulate(np.where(chained, -1, np.arange(len(rows))))
                origin = pitch[head]
                until = np.maximum(notes.end[follows], notes.end[rows])
                ends = np.append(~chained[1:], True)
                gone = np.maximum(*(died_away(take, channel, notes.id[one], notes.end[one]) for one in (rows, follows)))
                until = np.where(ends, until_struck(until, gone, np.setdiff1d(onsets, notes.start[follows])), until)
                starts = np.flatnonzero(~chained)
                places.append((leave[starts], np.maximum.reduceat(until, starts)))
            else:
                origin = pitch
                gone = died_away(take, channel, notes.id[rows], notes.end[rows])
                places.append((leave, until_struck(end, gone, onsets)))
            tick = np.stack((leave, there), axis=1).ravel()
            value = np.stack((pitch - origin, target - origin), axis=1).ravel()
            hold = np.tile([False, True], len(rows))
            curves.append(Curve.of(tick, value, hold, np.where(hold, 0.0, self.lift), np.where(hold, 0.0, self.ease)))
        if not curves:
            return Offsets(np.zeros(0, np.int64), np.zeros(0, np.int64), NO_NODES)
        if len(curves) > 1:
            raise NothingMatched("The chosen notes lie in several parts of one channel; the wheel moves them all.")
        (begins, ends), curve = places[0], curves[0]
        # The next gesture cuts short what is held still.
        return Offsets(begins, np.minimum(ends, np.append(begins[1:], ends[-1])), curve)

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        leaves = int(first.own.ticks[0])
        length = max(first.end - first.start, 1)
        until = (int(first.own.ticks[1]) - leaves) / take.resolution if self.time is None else self.time
        return [
            first.grip("start", "When it leaves", 0, self.start, Time("start", first.start, length)),
            first.form("Lift of the glide", self.lift),
            first.grip("time", "When it is there", 1, until, Time("time", leaves, take.resolution)),
        ]

    @override
    def label(self) -> str:
        return "Glide as one" if self.is_one else "Glide"


@worked_out(32)
def _paired(glide: BendGlide, take: Take, part: int) -> tuple[Ints, Ints]:
    """Asked for to apply a glide, and to say what else it moves."""
    return glide.pairs(take, part)


LONGEST_REST = 16
"""Beats between two notes that can become one."""


def _merged(notes: Notes, rows: Ints, follows: Ints) -> Notes:
    """Notes of which some go on as those that follow them, which are no longer struck."""
    if not len(rows):
        return notes
    end, goes_on = notes.end, np.arange(len(notes))
    goes_on[rows] = follows
    # A chain of notes goes on to the end of all of them: each looks twice as far along it as the last time.
    while True:
        end, further = np.maximum(end, end[goes_on]), goes_on[goes_on]
        if np.array_equal(further, goes_on):
            break
        goes_on = further
    keep = np.ones(len(notes), dtype=bool)
    keep[follows] = False
    return notes.until(end).only(keep)
