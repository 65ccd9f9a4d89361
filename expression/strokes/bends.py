"""Gestures of the bend wheel, each over the notes that are chosen: what is drawn there is added to what was there.

The wheel moves the whole channel, so that a gesture moves all that sounds there then; notes struck together are one.
"""

from abc import abstractmethod
from functools import lru_cache
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import piece
from expression.arrays import Flags, Floats, Ints, ranges, whole
from expression.chords import chord_onsets
from expression.curve import Curve, lift_between
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES
from expression.notes import Notes
from expression.piece import Piece
from expression.pitch import NOTE_NAMES
from expression.strokes.base import BaseStroke, Lift, Reach, Unit, masks_of, select
from expression.strokes.grips import Grip, Time
from expression.strokes.lane import lane_of
from expression.take import Channel, Lane, Take

RING_SECONDS = 1.0
"""A note rings on for so long after its end: until then, or until the next is struck, it keeps the pitch it came to."""
MOST_CYCLES = 20_000
LINE_POINTS = 13
MOST_LINE = 400
MOST_NAMED = 4
NEARLY = 1e-9
Beats = Annotated[float, Field(gt=0, le=1024)]
Interval = Annotated[float, Field(ge=-96, le=96)]
LIFT = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
EASE = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")


class Line(NamedTuple):
    """The chosen notes of a channel, one after another; notes struck together are one. Ticks."""

    start: Ints
    end: Ints
    """Where each ends, or the next of them begins."""
    ring: Ints
    """How long each keeps what it came to: until the next note of the channel is struck, or it has rung out."""


class Offsets(NamedTuple):
    """What is added to the bend: places (none over another), and the nodes of all of them one after another."""

    starts: Ints
    ends: Ints
    curve: Curve

    @classmethod
    def of(
        cls, places: tuple[Ints, Ints], ticks: list[Ints], values: list[Floats], lift: Floats | float, ease: float
    ) -> "Offsets":
        """From columns of nodes, the same number for each place: ways between them, and the last is held."""
        starts, ends = places
        lasting = ends > starts
        count = len(ticks)
        hold = np.zeros((int(lasting.sum()), count), dtype=bool)
        hold[:, -1] = True
        lifts = np.broadcast_to(np.atleast_1d(lift), hold.shape)
        columns = (np.stack(column, axis=1)[lasting] for column in (ticks, values))
        tick, value = (column.ravel() for column in columns)
        # What has no length is passed over: of several nodes at one tick the last goes on.
        curve = Curve.of(tick, value, hold.ravel(), np.where(hold, 0.0, lifts).ravel(), ease)
        return cls(starts[lasting], ends[lasting], curve)


class First(NamedTuple):
    """The first place of a gesture: the note that it is on, what it adds there, and to what."""

    start: int
    end: int
    own: Curve
    under: Curve

    def base(self, tick: int) -> float:
        """What is there without the gesture, in semitones."""
        return float(np.nan_to_num(self.under.at(tick))) if len(self.under) else 0.0

    def over(self, tick: int) -> float:
        """What the gesture makes of it."""
        return self.base(tick) + float(self.own.at(tick))

    def grip(
        self, field: str, name: str, node: int, number: float, time: Time | None = None, scale: float = 1.0
    ) -> Grip:
        """One at a node, which moves a number of the gesture up and down and another in time."""
        tick = int(self.own.ticks[node])
        value = self.base(tick) + float(self.own.values[node])
        return Grip(field, name, tick, value, number, scale, base=value - number * scale, time=time)

    def form(self, name: str, lift: float, first: int = 0) -> Grip:
        """One in the middle of a way, which forms it."""
        tick = int(self.own.ticks[first] + self.own.ticks[first + 1]) // 2
        return Grip("lift", name, tick, self.over(tick), lift, 0.0)


class BendGesture(BaseStroke):
    """What all gestures share."""

    @override
    def apply(self, take: Take) -> Take:
        selection = select(take, self.where)
        made = take
        matched = False
        for channel in take.channels:
            masks = {part.id: selection.masks[part.id] for part in take.parts_on(channel) if part.id in selection.masks}
            if not masks:
                continue
            _, offsets = _known(self, take, channel)
            if not len(offsets.starts):
                continue
            matched = True
            lane = added(lane_of(take, channel, BEND), offsets)
            made = made.with_lane(channel.id, lane)
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    @override
    def also(self, take: Take) -> str:
        masks = masks_of(take, self.where)
        others: list[tuple[int, int]] = []
        for channel in take.channels:
            parts = take.parts_on(channel)
            if not any(part.id in masks for part in parts):
                continue
            starts, ends, _ = _known(self, take, channel).offsets
            for part in parts:
                notes = part.notes
                place = np.minimum(np.searchsorted(ends, notes.start, side="right"), max(len(ends) - 1, 0))
                meets = (notes.start < ends[place]) & (notes.end > starts[place]) if len(ends) else notes.muted
                meets = meets & ~notes.muted & ~masks.get(part.id, np.zeros(len(notes), dtype=bool))
                meets &= ~self._takes_along(take, part.id)
                others += zip(notes.start[meets].tolist(), notes.pitch[meets].tolist(), strict=True)
        if not others:
            return ""
        others.sort()
        names = ", ".join(dict.fromkeys(NOTE_NAMES[pitch] for _, pitch in others[:MOST_NAMED]))
        more = " …" if len(others) > MOST_NAMED else ""
        count = f"{len(others):,} other notes" if len(others) > 1 else "another note"
        bar = take.meter.position(others[0][0]).bar
        return f"The wheel moves {count} of the channel with these, the first in bar {bar}: {names}{more}."

    def _takes_along(self, take: Take, part: int) -> Flags:
        """Notes that are not chosen, but are meant."""
        return np.zeros(len(take.parts[part].notes), dtype=bool)

    @property
    def nothing(self) -> str:
        """Why it matches nothing although notes are chosen."""
        return "None of the chosen notes is long enough for that."

    def _line(self, take: Take, channel: Channel) -> Line:
        parts = take.parts_on(channel)
        masks = masks_of(take, self.where)
        chosen = [part.notes.only(masks[part.id]) for part in parts if part.id in masks]
        start = np.concatenate([notes.start for notes in chosen])
        end = np.concatenate([notes.end for notes in chosen])
        heads, which = np.unique(chord_onsets(start, take.resolution), return_inverse=True)
        tails = np.zeros(len(heads), dtype=np.int64)
        np.maximum.at(tails, which, end)
        tails = np.minimum(tails, np.append(heads[1:], tails.max(initial=0)))
        onsets = np.unique(np.concatenate([part.notes.start[~part.notes.muted] for part in parts]))
        return Line(heads, tails, rung_out(take, tails, onsets))

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        first = _first(self, take)
        if first is None:
            return []
        own = first.own.rows(slice(MOST_LINE))
        shares = np.linspace(0, 1, LINE_POINTS)
        gap = np.diff(own.ticks)
        moves = ~own.hold[:-1] & (gap > 0)
        if moves.sum() > MOST_LINE // LINE_POINTS:
            moves &= (own.lift[:-1] != 0) | (own.ease[:-1] != 0)
        on_way = own.ticks[:-1][moves][:, None] + whole(shares * gap[moves][:, None])
        ticks = np.unique(np.concatenate((own.ticks, on_way.ravel())))[:MOST_LINE]
        under = np.nan_to_num(first.under.at(ticks)) if len(first.under) else np.zeros(len(ticks))
        return list(zip(ticks.tolist(), np.round(under + own.at(ticks), 3).tolist(), strict=True))

    @override
    def grips(self, take: Take) -> list[Grip]:
        first = _first(self, take)
        return self._grips(take, first) if first and len(first.own) > 1 else []

    @abstractmethod
    def _grips(self, take: Take, first: "First") -> list[Grip]:
        """Where the first place of the gesture can be taken."""

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        first = _first(self, take)
        ease: float | None = getattr(self, "ease", None)
        if first is None or ease is None:
            return self
        own = first.own
        row = min(max(int(np.searchsorted(own.ticks, tick, side="right")) - 1, 0), len(own) - 2)
        here, then = ((int(own.ticks[at]), float(own.values[at])) for at in (row, row + 1))
        lift = lift_between(tick, value - first.base(tick), here, then, ease)
        # The way back is the way there in a mirror.
        back = isinstance(self, BendDip) and row > 0
        return self if lift is None else self.model_copy(update={"lift": -lift if back else lift})

    @abstractmethod
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        """What is added to the bend."""

    @override
    def reach(self, take: Take) -> Reach:
        picked, masks = select(take, self.where)
        found = [
            _known(self, take, channel).offsets
            for channel in take.channels
            if any(part.id in masks for part in take.parts_on(channel))
        ]
        places = [one for one in found if len(one.starts)]
        if not places:
            raise NothingMatched(self.nothing)
        start, end = min(int(one.starts[0]) for one in places), max(int(one.ends[-1]) for one in places)
        return Reach(start, end, list(masks), len(picked.id))


class Known(NamedTuple):
    """What a gesture is on, on a channel, and what it adds there."""

    line: Line
    offsets: Offsets


@lru_cache(maxsize=8)
def _known(gesture: BendGesture, take: Take, channel: Channel) -> Known:
    """Asked for to apply a gesture, to mark it, and to say what else it moves."""
    line = gesture._line(take, channel)
    return Known(line, gesture.offsets(take, channel, line))


@lru_cache(maxsize=4)
def _first(gesture: BendGesture, take: Take) -> First | None:
    """The first place of a gesture, by which it is shown and taken; None where it has none."""
    masks = masks_of(take, gesture.where)
    try:
        for channel in take.channels:
            if not any(part.id in masks for part in take.parts_on(channel)):
                continue
            line, offsets = _known(gesture, take, channel)
            if len(offsets.starts):
                own = offsets.curve.within(int(offsets.starts[0]), int(offsets.ends[0]) + 1)
                row = max(int(np.searchsorted(line.start, own.ticks[0], side="right")) - 1, 0)
                return First(int(line.start[row]), int(line.end[row]), own, lane_of(take, channel, BEND).curve)
    except NothingMatched:
        return None
    return None


def rung_out(take: Take, ends: Ints, onsets: Ints) -> Ints:
    """Until when notes that end at `ends` keep their pitch: until one is struck, or they have rung out."""
    ring = whole(take.tempo.tick(take.tempo.seconds(ends) + RING_SECONDS))
    following = np.append(onsets, np.iinfo(np.int64).max)[np.searchsorted(onsets, ends)]
    return np.asarray(np.minimum(ring, following))


def added(lane: Lane, offsets: Offsets) -> Lane:
    """A lane with something added in some places. Where it says nothing yet, the wheel is taken to be at rest."""
    starts, ends, curve = offsets
    error = LANES[BEND].error
    base = lane.curve
    if not len(base) or base.ticks[0] > starts[0]:
        base = Curve.of(starts[:1], [0.0]).then(base)
    first, last = int(starts[0]), int(ends[-1])
    rests = ends[:-1][starts[1:] > ends[:-1]]
    order = np.argsort(np.concatenate((curve.ticks * 2, rests * 2 + 1)), kind="stable")
    moving = curve.then(Curve.of(rests, np.zeros(len(rests)))).rows(order)
    under = piece.cut(base, first, last, error)
    # On a wheel at rest there is nothing to add to.
    total = piece.added(under, Piece(first, last, moving), error).curve if under.curve.values.any() else moving
    return lane.reshaped(piece.laid_all(base, starts, ends, within(total, starts, ends), error))


def within(curve: Curve, starts: Ints, ends: Ints) -> Curve:
    """What a curve says in some places, as pieces: what comes in is left out, and what goes out arrives."""
    ticks = curve.ticks
    first = np.searchsorted(ticks, starts, side="right") - 1
    after = np.searchsorted(ticks, ends)
    arrives = (after < len(ticks)) & (after > first)
    arrives[arrives] = ~curve.hold[after[arrives] - 1] & (ticks[after[arrives]] == ends[arrives])
    return curve.rows(ranges(first, after + arrives)[0])


def signed(value: float) -> str:
    """A number with its sign."""
    return f"{value:+g}".replace("-", "−")


class BendScoop(BendGesture):
    """Into the note: it begins away from its pitch and is there after a while."""

    kind: Literal["bend.scoop"] = "bend.scoop"
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
    """Off the note: it leaves its pitch before its end, and has gone so far when it ends."""

    kind: Literal["bend.fall"] = "bend.fall"
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
    """There and back within the note."""

    kind: Literal["bend.dip"] = "bend.dip"
    depth: Interval = Field(-1.0, description="Semitones from the note, at its furthest.")
    at: Unit = Field(0.5, description="Where in the note it is furthest, as a share of its length.")
    time: Beats = Field(0.5, description="Beats in all, half of it to either side; no longer than the note.")
    lift: Lift = LIFT
    ease: Unit = EASE

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        half = max(round(self.time * take.resolution / 2), 1)
        middle = line.start + whole(self.at * (line.end - line.start))
        leaves, back = np.maximum(middle - half, line.start), np.minimum(middle + half, line.end)
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
    rate: Annotated[float, Field(gt=0, le=50)] = Field(5.5, description="By `per`: swings a second, or beats a swing.")
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
        length = 1 / self.rate if by_clock else self.rate * take.resolution
        halves = np.floor(2 * lasts / length + NEARLY).astype(np.int64)
        swings = halves >= 1
        start, begins, halves = start[swings], begins[swings], halves[swings]
        if halves.sum() > 2 * MOST_CYCLES:
            raise NothingMatched(f"That would be more than {MOST_CYCLES:,} swings; choose a lower rate.", "rate")
        deepest = max(self.depth, self.depth if self.depth_end is None else self.depth_end) / 100
        # So many straight ways a half that none is further off than the error: depth (1 - cos(pi / 2n)).
        each = max(int(np.ceil(np.pi / 2 / np.arccos(max(1 - LANES[BEND].error / max(deepest, 1e-6), 0.0)))), 2)
        step, note = ranges(np.zeros(len(halves), dtype=np.int64), halves * each + 1)
        moment = begins[note] + step * (length / 2 / each)
        ticks = whole(tempo.tick(moment) if by_clock else moment)
        share = step / (halves * each)[note]
        depth = self.depth + ((self.depth if self.depth_end is None else self.depth_end) - self.depth) * share
        last = step == (halves * each)[note]
        turn = ((tempo.seconds(ticks) if by_clock else ticks) - begins[note]) / length
        values = np.where(last, 0.0, depth / 100 * np.sin(2 * np.pi * turn))
        curve = Curve.of(ticks, values, last)
        return Offsets(start, ticks[last], curve) if len(start) else Offsets(start, start, curve)

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
        rate = f"{self.rate:g} Hz" if self.per == "hz" else f"every {self.rate:g} beats"
        grows = "" if self.depth_end is None else f" → {self.depth_end:g}"
        return f"Shake {rate}, ±{self.depth:g}{grows} cents"


class BendGlide(BendGesture):
    """From each chosen note to the one that follows it in its part."""

    kind: Literal["bend.glide"] = "bend.glide"
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
                until = np.where(ends, rung_out(take, until, np.setdiff1d(onsets, notes.start[follows])), until)
                starts = np.flatnonzero(~chained)
                places.append((leave[starts], np.maximum.reduceat(until, starts)))
            else:
                origin = pitch
                places.append((leave, rung_out(take, end, onsets)))
            tick = np.stack((leave, there), axis=1).ravel()
            value = np.stack((pitch - origin, target - origin), axis=1).ravel()
            hold = np.tile([False, True], len(rows))
            curves.append(Curve.of(tick, value, hold, np.where(hold, 0.0, self.lift), np.where(hold, 0.0, self.ease)))
        if not curves:
            return Offsets(np.zeros(0, np.int64), np.zeros(0, np.int64), Curve.of([], []))
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


@lru_cache(maxsize=32)
def _paired(glide: BendGlide, take: Take, part: int) -> tuple[Ints, Ints]:
    """Asked for to apply a glide, and to say what else it moves."""
    return glide.pairs(take, part)


LONGEST_REST = 16
"""Beats between two notes that can become one."""


def _merged(notes: Notes, rows: Ints, follows: Ints) -> Notes:
    """Notes of which some go on as those that follow them, which are no longer struck."""
    if not len(rows):
        return notes
    # From the last to the first, so that a chain of notes goes on to the end of all of them.
    end = notes.end.tolist()
    for row, following in zip(rows[::-1].tolist(), follows[::-1].tolist(), strict=True):
        if end[following] > end[row]:
            end[row] = end[following]
    keep = np.ones(len(notes), dtype=bool)
    keep[follows] = False
    return notes.until(np.array(end, dtype=np.int64)).only(keep)
