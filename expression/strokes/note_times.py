"""Strokes on when notes begin and end: their lengths, strums, the grid, and a hand's own time."""

from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, whole
from expression.chords import chord_onsets
from expression.curve import form
from expression.errors import NothingMatched
from expression.memo import worked_out
from expression.records import Unit
from expression.strokes.base import Lift, counted
from expression.strokes.carried_lanes import Timing, stretched, warped
from expression.strokes.feel import chance, drifting
from expression.strokes.note_edits import OverKey
from expression.strokes.note_stroke import NotesStroke, Outcome, least_length, on_page, settle
from expression.strokes.spec import (
    ASK_LIFT,
    ASK_PAGE,
    ASK_ROLL,
    ASK_UNDER,
    Ask,
    Gesture,
    Spec,
    choice,
    entry,
    one_of,
    silent,
    told,
)
from expression.take import Part, Take
from expression.time import Sight

PAGE = Field(False, description="The written page follows.")
UNDER = Field(
    True,
    description="What lies under the notes goes along with their time: their own curves, and the lanes where no other "
    "note sounds.",
)
Beats = Annotated[float, Field(gt=0, le=1_000_000)]
Ms = Annotated[float, Field(ge=0, le=60_000)]
Grid = Literal[1, 2, 4, 6, 8, 12, 16, 24, 32, 48, 64]
LEFT = 4
"""A note that is struck later keeps at least one in so many parts of its length."""


class Times(NamedTuple):
    """When chosen notes begin and end now, in ticks, in their order."""

    start: Ints
    end: Ints


class TimeStroke(NotesStroke):
    """A stroke on the time of notes."""

    under: bool = UNDER
    page: bool = PAGE
    over: OverKey = "cut"

    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        """When the chosen notes of a part begin and end now. Raises NothingMatched."""
        raise NotImplementedError

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        return self.near(take, (start, end), self.over)

    @override
    def outcome(self, take: Take) -> Outcome:
        chosen, around = self.chosen(take), self.around(take)
        changed, timings, touched = {}, [], []
        for number, mask in chosen.masks.items():
            part = take.parts[number]
            notes = part.notes
            start, end = self.times(take, part, mask)
            start = np.maximum(start, 0)
            end = np.maximum(end, start + 1)
            timing = Timing(notes.id[mask], notes.start[mask], notes.end[mask], start, end)
            rows, seen = mask, timing
            if around:
                is_near = timing.between(*around)
                rows = mask.copy()
                rows[mask], seen = is_near, timing.only(is_near)
                touched.append(seen.id)
            differs = timing.differs
            if differs.any():
                changed[number] = notes.put(**on_page(notes, rows, seen.new_start, seen.new_end, self.page))
                timings.append((part, timing if differs.all() else timing.only(differs)))
        if not changed:
            return Outcome(take, ("All of these notes begin and end like that already.",))
        told: list[str] = []
        made = self._with_what_lies_under(take, timings, around) if self.under else take
        ids = np.sort(np.concatenate(touched)) if around else chosen.ids
        return Outcome(settle(made, changed, ids, self.over, told), tuple(told))

    def _with_what_lies_under(self, take: Take, timings: list[tuple[Part, Timing]], around: Sight | None) -> Take:
        made = take
        for channel in {part.channel.id: part.channel for part, _ in timings}.values():
            mine = [timing for part, timing in timings if part.channel.id == channel.id]
            together = Timing(*(np.concatenate(column) for column in zip(*mine, strict=True)))
            made = warped(made, channel, self.busy(take, channel), together, around)
        curves = {}
        for part, all_ in timings:
            if not part.curves:
                continue
            timing = all_.only(all_.between(*around)) if around else all_
            was, now = np.maximum(timing.end - timing.start, 1), timing.new_end - timing.new_start
            longer = was != now
            if longer.any():
                rate = now[longer] / was[longer]
                curves[part.id] = {key: stretched(one, timing.id[longer], rate) for key, one in part.curves.items()}
        return made.with_curves(curves) if curves else made


class NotesLength(TimeStroke):
    """Other lengths: set, scaled, by so much, or up to a gap before the next note of the line (staccato and legato).

    The line is made of the chosen notes of a part; after the last of them the part goes on. By a factor, by so much or
    up to a gap no note becomes shorter than a thirty-second of a beat.
    """

    kind: Literal["notes.length"] = "notes.length"
    spec = Spec(
        "notes",
        "Lengths",
        says="The written page stays as it is, unless it is told to follow.",
        asks=(
            one_of(
                "Lengths are",
                ("to", "set", {"to": 0.5}),
                ("by", "added", {"by": 0.25}),
                ("factor", "scaled", {"factor": 0.5}),
                ("gap_ms", "to the next", {"gap_ms": 0, "edge": "end"}),
            ),
            choice("edge", "Moves", ("end", "the end"), ("start", "the beginning")).shown(silent("gap_ms")),
            entry("to", "Beats", 0.125).shown(told("to")),
            entry("by", "Longer by", 0.125).shown(told("by")),
            entry("factor", "Times", 0.05).shown(told("factor")),
            entry("gap_ms", "Gap (ms)", 5).shown(told("gap_ms")),
            ASK_UNDER,
            ASK_PAGE,
        ),
        gestures=(
            Gesture(
                "short",
                "Staccato",
                "Half as long, for the ear only",
                "short detached length shorten duration gate",
                "Time",
                where="chosen notes",
                given={"factor": 0.5},
                for_selection=True,
            ),
            Gesture(
                "bound",
                "Legato",
                "Each up to the next of the line, for the ear only",
                "bound slur connected length extend fill gaps",
                "Time",
                where="chosen notes",
                given={"gap_ms": 0},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    to: Beats | None = Field(None, description="Beats.")
    by: Annotated[float, Field(ge=-1_000_000, le=1_000_000)] | None = Field(
        None, description="Beats longer; negative: shorter."
    )
    factor: Annotated[float, Field(gt=0, le=1000)] | None = Field(None, description="Times as long.")
    gap_ms: Annotated[float, Field(ge=-60_000, le=60_000)] | None = Field(
        None, description="Ends so long before the next of the line begins; negative: after."
    )
    edge: Literal["start", "end"] = Field("end", description="The edge that moves.")

    @model_validator(mode="after")
    def _one(self) -> Self:
        given = [name for name in ("to", "by", "factor", "gap_ms") if getattr(self, name) is not None]
        if len(given) != 1:
            raise ValueError("a length needs exactly one of to, by, factor and gap_ms")
        if self.gap_ms is not None and self.edge == "start":
            raise ValueError("a gap before the next note moves the end; leave edge out")
        return self

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        start, end = part.notes.start[mask], part.notes.end[mask]
        was = end - start
        if self.gap_ms is not None:
            following = self.next_of_line(take, part)
            if (following < 0).all():
                raise NothingMatched("No note follows that these could last up to.", "gap_ms")
            wanted = whole(take.tempo.tick(take.tempo.seconds(np.maximum(following, 0)) - self.gap_ms / 1000)) - start
            wanted = np.where(following < 0, was, wanted)
        elif self.to is not None:
            wanted = np.full(len(was), max(round(self.to * take.resolution), 1))
        elif self.by is not None:
            wanted = was + round(self.by * take.resolution)
        else:
            wanted = whole(was * (self.factor or 1.0))
        if self.to is None:
            wanted = np.maximum(wanted, np.minimum(was, least_length(take)))
            wanted = np.maximum(wanted, 1)
        return Times(end - wanted, end) if self.edge == "start" else Times(start, start + wanted)

    @override
    def label(self) -> str:
        if self.gap_ms is not None:
            return f"Lengths up to {self.gap_ms:g} ms before the next" if self.gap_ms else "Lengths up to the next"
        if self.to is not None:
            return f"Lengths {counted(self.to, 'beat')}"
        if self.by is not None:
            return f"Lengths {'+' if self.by > 0 else '−'}{counted(abs(self.by), 'beat')}"
        return f"Lengths times {self.factor:g}"


class NotesSpread(TimeStroke):
    """A strum: the notes of each chord one after another. They end where they ended.

    A note that would begin near its end, or after it, keeps a quarter of its length.
    """

    kind: Literal["notes.spread"] = "notes.spread"
    spec = Spec(
        "notes",
        "Strum",
        says="Each chord one note after another; the written page stays as it is.",
        asks=(
            entry("time_ms", "Each (ms)", 2),
            ASK_LIFT,
            choice("order", "Goes", ("up", "up"), ("down", "down"), ("out", "outwards")),
            choice("anchor", "On the beat", ("first", "the first"), ("last", "the last")),
            ASK_UNDER,
            ASK_PAGE,
        ),
        gestures=(
            Gesture(
                "strum",
                "Strum",
                "The notes of each chord one after another, for the ear only",
                "arpeggio arpeggiate roll spread chord guitar harp",
                "Time",
                where="chosen notes",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    time_ms: Ms = Field(20.0, description="Milliseconds from one note to the next; with a lift, on average.")
    order: Literal["up", "down", "out"] = Field(
        "up", description="From below, from above, or from the middle outwards."
    )
    anchor: Literal["first", "last"] = Field("first", description="The note that is struck where the chord was.")
    lift: Lift = Field(0.0, description="-1: ever slower; 0: even; 1: ever faster.")

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        start, end = part.notes.start[mask], part.notes.end[mask]
        begins, rank, size = _ranked(self.model_copy(update={"time_ms": 0.0, "lift": 0.0}), take, part.id)
        if (size < 2).all():
            raise NothingMatched("No two of these notes are struck together; a strum needs chords.")
        share = rank / np.maximum(size - 1, 1)
        # Ever slower is the form that is fast first in reverse: it tells how far along in time each note comes.
        late = (size - 1) * self.time_ms / 1000 * form(share, -self.lift)
        if self.anchor == "last":
            late = late - (size - 1) * self.time_ms / 1000
        moved = whole(take.tempo.tick(np.maximum(begins + late, 0)))
        moved = np.where(size < 2, start, moved)
        left = np.maximum((end - start) // LEFT, 1)
        return Times(moved, np.maximum(end, moved + left))

    @override
    def label(self) -> str:
        way = {"up": "up", "down": "down", "out": "outwards"}[self.order]
        return f"Strummed {way}, {self.time_ms:g} ms each"


@worked_out(4)
def _ranked(stroke: NotesSpread, take: Take, number: int) -> tuple[Floats, Ints, Ints]:
    """Of each chosen note of a part when its chord begins, in seconds; its place (from 0) among those of its chord; and
    how many these are.
    """
    notes, mask = take.parts[number].notes, stroke.chosen(take).masks[number]
    onsets, order = chord_onsets(notes.start[mask], take.resolution), stroke.order
    by = np.lexsort((notes.pitch[mask], onsets))
    chord = np.cumsum(np.append(True, np.diff(onsets[by]) > 0)) - 1
    size = np.bincount(chord)
    first = np.cumsum(size) - size
    place = np.arange(len(by)) - first[chord]
    many = size[chord]
    if order == "down":
        place = many - 1 - place
    elif order == "out":
        # From the middle: how far from it, the lower of two first.
        away = np.abs(2 * place - (many - 1)) * 2 + (2 * place > many - 1)
        again = np.lexsort((away, chord))
        place = np.empty(len(by), dtype=np.int64)
        place[again] = np.arange(len(by)) - first[chord]
    rank, sizes = np.empty(len(by), dtype=np.int64), np.empty(len(by), dtype=np.int64)
    rank[by], sizes[by] = place, many
    return take.tempo.seconds(onsets), rank, sizes


class NotesPlace(TimeStroke):
    """Towards a grid, or away from it: how far from its line each note was played is kept, and scaled.

    Lines count from the bar line. Of several notes of a key that would come to one line on the grid only the nearest
    goes; the others stay.
    """

    kind: Literal["notes.place"] = "notes.place"
    spec = Spec(
        "notes",
        "Towards the grid",
        says="How far from its line each note was played is kept: 0 none of it, 1 all, 2 twice.",
        asks=(
            entry("keep", "Kept", 0.05),
            entry("swing", "Swing", 0.05),
            entry("window", "Within", 0.05, "all"),
            ASK_UNDER,
            ASK_PAGE,
            Ask("grid", "Lines of", "lines"),
        ),
        gestures=(
            Gesture(
                "grid",
                "To the grid",
                "Towards the lines of a grid, or further away from them",
                "quantize quantise quantizing swing groove tighten grid strength",
                "Time",
                where="chosen notes",
                given={"grid": "@grid"},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    grid: Grid = Field(16, description="The step: 8 is eighths, 12 eighth triplets.")
    keep: Annotated[float, Field(ge=0, le=2)] = Field(
        0.0, description="How much of the distance from the line stays: 0 on it, 1 as played, 2 twice as far."
    )
    swing: Annotated[float, Field(ge=0, le=1.5)] = Field(
        0.0, description="Every second line later: 1 as in triplets, 1.5 as in dotted notes."
    )
    window: Beats | None = Field(None, description="Beats: notes further from their line are left alone.")
    page: bool = Field(True, description="The written page follows.")

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        start, end = part.notes.start[mask], part.notes.end[mask]
        line = _lines(self.model_copy(update={"keep": 0.0, "window": None}), take, part.id)
        moved = whole(line + self.keep * (start - line))
        if self.window is not None:
            moved = np.where(np.abs(start - line) <= self.window * take.resolution, moved, start)
        pitch = part.notes.pitch[mask].astype(np.int64)
        moved = np.where(meets(pitch, moved, start), start, moved)
        return Times(moved, end + moved - start)

    @override
    def label(self) -> str:
        how = "onto the grid" if not self.keep else f"{self.keep:.0%} as far from the grid"
        return f"Notes {how} of {self.grid}ths"


@worked_out(4)
def _lines(stroke: NotesPlace, take: Take, number: int) -> Floats:
    """The nearest line of each chosen note of a part, in ticks and fractions, however much of the way is kept."""
    start = take.parts[number].notes.start[stroke.chosen(take).masks[number]]
    bar, _, length = take.meter.bar_of(start)
    step = 4 * take.resolution / stroke.grid
    pair = np.floor((start - bar) / (2 * step)) * 2 * step
    middle = step + stroke.swing * step / 3
    lines = np.stack([bar + np.minimum(pair + at, length) for at in (0.0, middle, 2 * step)])
    nearest = np.abs(lines - start).argmin(axis=0)
    return np.asarray(np.take_along_axis(lines, nearest[None], axis=0)[0])


def meets(pitch: Ints, at: Ints, start: Ints) -> Flags:
    """Which notes would be struck with a nearer one of their key, that was struck at another time before."""
    place = pitch * (int(at.max(initial=0)) + 2) + at
    # Key by key first: what is nearly in order is soon in order.
    order = np.argsort(pitch.astype(np.uint8), kind="stable")
    order = order[np.argsort(place[order], kind="stable")]
    same = np.diff(place[order]) == 0
    found = np.zeros(len(at), dtype=bool)
    if same.any():
        order = order[np.append(False, same) | np.append(same, False)]
        order = order[np.lexsort((np.abs(start - at)[order], place[order]))]
        first = np.append(True, np.diff(place[order]) != 0)
        nearest = order[np.maximum.accumulate(np.where(first, np.arange(len(order)), 0))]
        found[order] = start[order] != start[nearest]
    return found


class NotesLoosen(TimeStroke):
    """Small deviations in time, as a hand makes them: some by chance, and some with a drift that comes and goes slowly.

    What a note gets depends on the seed, the part, the note and its time alone. Notes of a key stay in their order.
    """

    kind: Literal["notes.loosen"] = "notes.loosen"
    spec = Spec(
        "notes",
        "Loosened",
        says="A little early and late, as a hand is, with a drift that is slow.",
        asks=(
            entry("amount_ms", "Amount (ms)"),
            entry("drift", "Drift", 0.05),
            ASK_ROLL,
            ASK_UNDER,
            ASK_PAGE,
        ),
        gestures=(
            Gesture(
                "loosen",
                "Loosen",
                "Small deviations in time, for the ear only",
                "humanise humanize random timing feel loose dice",
                "Time",
                where="chosen notes",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    amount_ms: Annotated[float, Field(ge=0, le=500)] = Field(
        8.0, description="Standard deviation in milliseconds; none deviates by more than twice that."
    )
    drift: Unit = Field(0.5, description="How much of it is drift: 0 each note by itself, 1 all of it slow.")
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = Field(1, description="Another seed is another roll of the dice.")

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        start, end = part.notes.start[mask], part.notes.end[mask]
        at, away, keys = _deviations(self.model_copy(update={"amount_ms": 0.0}), take, part.id)
        moved = keys.in_order(whole(take.tempo.tick(np.maximum(at + away * self.amount_ms / 1000, 0))))
        return Times(moved, end + moved - start)

    @override
    def label(self) -> str:
        return f"Loosened by {self.amount_ms:g} ms"


@worked_out(4)
def _deviations(stroke: NotesLoosen, take: Take, number: int) -> tuple[Floats, Floats, "_Keys"]:
    """When the chosen notes of a part begin, in seconds, how far each deviates, in times of the amount, and how they
    follow one another.
    """
    notes, mask = take.parts[number].notes, stroke.chosen(take).masks[number]
    at = take.tempo.seconds(notes.start[mask])
    quick, slow = chance(notes.id[mask], stroke.seed), drifting(at, stroke.seed, number)
    # Two that are independent add up to one of the same spread.
    away = np.clip(np.sqrt(1 - stroke.drift) * quick + np.sqrt(stroke.drift) * slow, -2, 2)
    keys = _Keys.of(notes.pitch[mask].astype(np.int64), notes.start[mask])
    return at, away[keys.doubled], keys


class _Keys(NamedTuple):
    """Notes key by key: in which order those of one key are struck. One element of each array a note."""

    order: Ints
    """Rows, by key and by time."""
    key: Ints
    """Of each in that order how many other keys come before its own."""
    strike: Ints
    """... and how many strikes it is from the first."""
    doubled: Ints
    """Of each row the first that is struck on its key at its tick: notes that are doubled are one."""

    @classmethod
    def of(cls, pitch: Ints, start: Ints) -> "_Keys":
        """Of notes by their pitch and time."""
        order = np.lexsort((start, pitch))
        is_other = np.append(0, np.diff(pitch[order]) != 0)[: len(order)]
        is_new = np.append(True, (is_other[1:] > 0) | (np.diff(start[order]) != 0))[: len(order)]
        strike = np.cumsum(is_new)
        doubled = np.empty(len(order), dtype=np.int64)
        doubled[order] = order[np.flatnonzero(is_new)][strike - 1]
        return cls(order, np.cumsum(is_other), strike, doubled)

    def in_order(self, ticks: Ints) -> Ints:
        """Times of the notes of which those of a key keep their order, a tick apart at least where they were apart."""
        made = ticks[self.order]
        # Of each key by itself: later keys lie far above earlier ones.
        lift = self.key * (int(made.max(initial=0)) + 2 * len(made) + 2)
        found = np.empty(len(made), dtype=np.int64)
        found[self.order] = np.maximum.accumulate(made + lift - self.strike) - lift + self.strike
        return found
