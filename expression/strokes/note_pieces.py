"""Strokes that make several notes of one, one of several, and runs of notes that nobody wrote."""

from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Flags, Ints, contained, ranges, union, whole
from expression.chords import chord_onsets
from expression.curve import Curve, form
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.limits import MOST_COPIES
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.records import Unit
from expression.strokes.base import Lift, Tick
from expression.strokes.keys import PitchClasses
from expression.strokes.note_stroke import MakingStroke, NotesStroke, Outcome
from expression.strokes.note_times import Beats, Grid
from expression.strokes.notes import with_room
from expression.strokes.spec import ASK_EASE, ASK_LIFT, Ask, Gesture, Spec, entry, one_of, silent, told
from expression.take import Part, Take

Pieces = Annotated[int, Field(ge=2, le=256)]
WHITE = (0, 2, 4, 5, 7, 9, 11)


class Cuts(NamedTuple):
    """Where notes are cut: for each place the note (its row) and the ticks from its start; in the order of both."""

    row: Ints
    at: Ints


class NotesSplit(MakingStroke):
    """Each chosen note in pieces: at a place, into so many, or at the lines of a grid. Their curves divide with them.

    The first piece is the note as it was, only shorter; the velocity of all is the same. The written page follows.
    """

    kind: Literal["notes.split"] = "notes.split"
    spec = Spec(
        "notes",
        "Split",
        asks=(
            one_of("Cut", ("into", "evenly", {"into": 2}), ("grid", "at the grid", {"grid": "@grid"})).shown(
                silent("at")
            ),
            entry("at", "At tick", 60).shown(told("at")),
            entry("into", "Into").shown(told("into")),
            Ask("grid", "Lines of", "lines").shown(told("grid")),
        ),
        gestures=(
            Gesture(
                "split",
                "Split",
                "Into so many, or at the grid (x: at the pointer)",
                "cut divide scissors repeat",
                "Notes",
                where="chosen notes",
                given={"into": 2},
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    travels = ("at",)
    at: Tick | None = Field(None, description="The tick at which notes that sound there are cut.")
    into: Pieces | None = Field(None, description="So many pieces, of one length to a tick.")
    grid: Grid | None = Field(None, description="At the lines of a grid from the bar line on: 8 is eighths.")

    @model_validator(mode="after")
    def _one(self) -> Self:
        if sum(one is not None for one in (self.at, self.into, self.grid)) != 1:
            raise ValueError("a split needs exactly one of at, into and grid")
        return self

    @override
    def outcome(self, take: Take) -> Outcome:
        masks = self.chosen(take).masks
        cuts = {part: self._cuts(take, take.parts[part].notes, mask) for part, mask in masks.items()}
        count = sum(len(one.row) for one in cuts.values())
        if count > MOST_COPIES:
            raise NothingMatched(f"That would be {count:,} more notes; at most {MOST_COPIES:,} are made at once.")
        if not count:
            raise NothingMatched(self._nothing, "at" if self.at is not None else None)
        id_ = self.first_id(take, count)
        notes, curves = {}, {}
        for number, found in cuts.items():
            part = take.parts[number]
            names = id_ + np.arange(len(found.row))
            id_ += len(names)
            notes[number] = _split(part.notes, found, names)
            curves[number] = {key: _divided(key, one, part.notes, found, names) for key, one in part.curves.items()}
        return Outcome(take.with_notes(notes).with_curves(curves))

    @property
    def _nothing(self) -> str:
        if self.at is not None:
            return "None of these notes sounds on both sides of that place; cut inside of one, not at its edge."
        return "None of these notes is long enough for that."

    def _cuts(self, take: Take, notes: Notes, mask: Flags) -> Cuts:
        rows = np.flatnonzero(mask)
        start, length = notes.start[rows], notes.end[rows] - notes.start[rows]
        if self.at is not None:
            inside = (start < self.at) & (self.at < start + length)
            return Cuts(rows[inside], self.at - start[inside])
        if self.into is not None:
            enough = length >= self.into
            rows, length = rows[enough], length[enough]
            at = np.arange(1, self.into)[None, :] * length[:, None] / self.into
            return Cuts(np.repeat(rows, self.into - 1), whole(at).ravel())
        return self._at_lines(take, rows, start, length)

    def _at_lines(self, take: Take, rows: Ints, start: Ints, length: Ints) -> Cuts:
        step = 4 * take.resolution / (self.grid or 4)
        bar, _, bar_ticks = take.meter.bar_of(start)
        found_rows, found_at = [rows[:0]], [rows[:0]]
        # Bar by bar: at each bar line the grid begins anew.
        while len(rows):
            after = bar + bar_ticks
            first = np.floor((np.maximum(start, bar) - bar) / step).astype(np.int64) + 1
            last = np.ceil((np.minimum(start + length, after) - bar) / step).astype(np.int64)
            number, which = ranges(first, last)
            at = np.append(whole(bar[which] + number * step) - start[which], (after - start)[after < start + length])
            which = np.append(which, np.flatnonzero(after < start + length))
            inside = (at > 0) & (at < length[which])
            found_rows.append(rows[which[inside]])
            found_at.append(at[inside])
            on = after < start + length
            rows, start, length, after = rows[on], start[on], length[on], after[on]
            bar, _, bar_ticks = take.meter.bar_of(after)
        row, at = np.concatenate(found_rows), np.concatenate(found_at)
        order = np.lexsort((at, row))
        row, at = row[order], at[order]
        once = np.append(True, (np.diff(row) > 0) | (np.diff(at) > 0)) if len(row) else np.zeros(0, dtype=bool)
        return Cuts(row[once], at[once])

    @override
    def label(self) -> str:
        if self.into is not None:
            return f"Notes split into {self.into}"
        return "Notes split" if self.at is not None else f"Notes split at {self.grid}ths"


def _split(notes: Notes, cuts: Cuts, names: Ints) -> Notes:
    """Notes with more behind those that were cut."""
    row, at = cuts
    if not len(row):
        return notes
    is_last = np.append(row[1:] != row[:-1], True)
    until = np.where(is_last, notes.end[row] - notes.start[row], np.append(at[1:], 0))
    written = notes.page_start[row] >= 0
    # On the page the pieces are as long as they are heard, as far as there is room; the last ends where the note did.
    page_at = np.where(written, np.minimum(notes.page_start[row] + at, notes.page_end[row] - 1), -1)
    page_until = np.where(is_last, notes.page_end[row], np.minimum(notes.page_start[row] + until, notes.page_end[row]))
    new = notes.only(row).put(
        id=names,
        start=notes.start[row] + at,
        end=notes.start[row] + until,
        on=np.full(len(row), -1),
        off=np.where(is_last, notes.off[row], -1),
        page_start=page_at,
        page_end=np.where(written, np.maximum(page_until, page_at + 1), -1),
    )
    first = np.flatnonzero(np.append(True, row[1:] != row[:-1]))
    end, off, page_end = notes.end.copy(), notes.off.copy(), notes.page_end.copy()
    end[row[first]], off[row[first]] = notes.start[row[first]] + at[first], -1
    page_end[row[first]] = np.where(written[first], np.maximum(page_at[first], notes.page_start[row[first]] + 1), -1)
    return notes.put(end=end, off=off, page_end=page_end).merged(new)


def _divided(key: str, curves: NoteCurves, notes: Notes, cuts: Cuts, names: Ints) -> NoteCurves:
    """Curves of which each piece of a note has its own part."""
    has = contained(notes.id[cuts.row], curves.ids)
    if not has.any():
        return curves
    row, at, names = cuts.row[has], cuts.at[has], names[has]
    # All curves on one line, each far from the next; a node at each cut that has a value there.
    apart = int(max(curves.nodes.ticks.max(), (notes.end - notes.start).max())) + 2
    owner = np.searchsorted(curves.ids, notes.id[row])
    line = np.repeat(np.arange(len(curves)), np.diff(curves.first)) * apart
    whole_ = curves.nodes.timed(curves.nodes.ticks + line)
    begins = curves.nodes.ticks[curves.first[owner]]
    wanted = (owner * apart + at)[at > begins]
    whole_ = piece.opened(whole_, union(np.sort(wanted)), LANES[key].error)
    is_last = np.append(row[1:] != row[:-1], True)
    is_first = np.append(True, row[1:] != row[:-1])
    first_owner = owner[is_first]
    starts = np.concatenate((first_owner * apart, owner * apart + at))
    ends = np.concatenate(
        (
            first_owner * apart + at[is_first],
            np.where(is_last, (owner + 1) * apart, owner * apart + np.append(at[1:], 0)),
        )
    )
    ids = np.concatenate((curves.ids[first_owner], names))
    base = np.concatenate((first_owner * apart, owner * apart + at))
    ticks = whole_.ticks
    first, after = np.searchsorted(ticks, starts), np.searchsorted(ticks, ends)
    # Of several nodes where a piece begins the last goes on; what arrives at its end tells what its way comes to.
    going = np.searchsorted(ticks, starts, side="right") - 1
    first = np.where((going > first) & (ticks[np.maximum(going, 0)] == starts), going, first)
    there = np.minimum(after, len(ticks) - 1)
    arrives = (after > first) & (after < len(ticks)) & (ticks[there] == ends) & ~whole_.hold[np.maximum(after - 1, 0)]
    rows, which = ranges(first, after + arrives)
    nodes = whole_.rows(rows)
    made = NoteCurves.of(ids[which], nodes.timed(nodes.ticks - base[which]))
    return curves.with_curves(np.unique(ids), made)


class NotesJoin(NotesStroke):
    """Neighbours of one key among the chosen notes of a part become one, as loud as the first. The page follows."""

    kind: Literal["notes.join"] = "notes.join"
    spec = Spec(
        "notes",
        "Joined",
        says="Neighbours of one key become one note.",
        asks=(entry("rest", "Rest up to", 0.125),),
        gestures=(
            Gesture(
                "join",
                "Join",
                "Neighbours of one key into one note (o)",
                "glue merge tie together one",
                "Notes",
                where="chosen notes",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    rest: Annotated[float, Field(ge=0, le=1_000_000)] = Field(
        0.125, description="Beats: notes are joined across a rest no longer than this."
    )

    @override
    def outcome(self, take: Take) -> Outcome:
        masks = self.chosen(take).masks
        notes, curves = {}, {}
        widest = None
        for number, mask in masks.items():
            part = take.parts[number]
            others = [one.notes for one in take.parts_on(part.channel) if one is not part]
            first, last, gaps = _neighbours(part.notes, others, mask, whole(self.rest * take.resolution))
            if len(gaps):
                widest = min(int(gaps.min()), widest) if widest is not None else int(gaps.min())
            if not (first != last).any():
                continue
            notes[number], curves[number] = _joined(part, first, last)
        if not notes:
            if widest is None:
                raise NothingMatched("No two neighbours of one key are chosen that could be joined.")
            beats = widest / take.resolution
            offer = {"rest": float(np.ceil(beats * 1000) / 1000)}
            raise NothingMatched(f"There is a rest of {beats:.3g} beats between these notes.", "rest", offer)
        return Outcome(take.with_notes(notes).with_curves(curves))

    @override
    def label(self) -> str:
        return "Notes joined"


def _neighbours(notes: Notes, others: list[Notes], mask: Flags, rest: Ints) -> tuple[Ints, Ints, Ints]:
    """Of each note the first of those that it is joined to (rows), and the last; and rests that are too long.

    Notes of other parts of the channel that strike the key between two of them part these.
    """
    mine = len(notes)
    pitch, start, muted = (
        np.concatenate([getattr(one, name) for one in (notes, *others)]) for name in ("pitch", "start", "muted")
    )
    heard = np.flatnonzero(~muted)
    order = heard[np.lexsort((start[heard], pitch[heard]))]
    first, last = np.arange(mine), np.arange(mine)
    if not len(order):
        return first, last, order
    wanted = np.append(mask, np.zeros(len(pitch) - mine, dtype=bool))
    one, other = order[:-1], order[1:]
    beside = wanted[one] & wanted[other] & (pitch[one] == pitch[other])
    until = np.append(notes.end, np.zeros(len(pitch) - mine, dtype=np.int64))
    gap = start[other] - until[one]
    joins = beside & (gap <= rest)
    heads = np.flatnonzero(np.append(True, ~joins))
    tails = np.append(heads[1:], len(order)) - 1
    chain = np.cumsum(np.append(True, ~joins)) - 1
    own = order < mine
    first[order[own]], last[order[own]] = order[heads[chain]][own], order[tails[chain]][own]
    return first, last, gap[beside & ~joins]


def _joined(part: Part, first: Ints, last: Ints) -> tuple[Notes, dict[str, NoteCurves]]:
    notes = part.notes
    rows = np.arange(len(notes))
    heads = first == rows
    grows = heads & (last != rows)
    end, off, release, page_end = (np.array(column) for column in (notes.end, notes.off, notes.release, notes.page_end))
    for column in (end, off, release, page_end):
        column[grows] = column[last[grows]]
    # One that is nested in another ends before it.
    np.maximum.at(end, first, notes.end)
    page_end = np.where(notes.page_start >= 0, np.maximum(page_end, notes.page_start + 1), page_end)
    made = notes.put(end=end, off=off, release=release, page_end=page_end)
    curves = {}
    chained = first != last
    for key, known in part.curves.items():
        mine = known.only(notes.id[chained])
        if not len(mine):
            continue
        by_id = np.argsort(notes.id)
        row = by_id[np.searchsorted(notes.id[by_id], mine.owners())]
        shift = notes.start[row] - notes.start[first[row]]
        line = mine.nodes
        order = np.lexsort((np.arange(len(row)), line.ticks + shift, first[row]))
        owner = notes.id[first[row]][order]
        nodes = _fewer(owner, line.timed(line.ticks + shift).rows(order), LANES[key].error)
        curves[key] = known.with_curves(notes.id[chained], NoteCurves.of(*nodes))
    return made.only(heads), curves


def _fewer(owner: Ints, nodes: Curve, error: float) -> tuple[Ints, Curve]:
    """Nodes of several notes without those that say what is said anyway: held again, or arrived at and gone on from."""
    if len(owner) < 2:
        return owner, nodes
    same = owner[1:] == owner[:-1]
    again = same & (nodes.values[1:] == nodes.values[:-1]) & nodes.hold[1:] & nodes.hold[:-1]
    # What a way comes to, and what goes on from there at the same tick, is one.
    meets = same & (nodes.ticks[1:] == nodes.ticks[:-1]) & (np.abs(nodes.values[1:] - nodes.values[:-1]) < error)
    keep = ~(np.append(False, again) | np.append(meets, False))
    return owner[keep], nodes.rows(keep)


class NotesFill(MakingStroke):
    """A run from each chosen note to the next one of the line: heard, not written.

    The line are the chosen notes of a part, of each chord the highest; one alone goes on to what follows it.
    Keys lie strictly between the two. A note of the run is left out where its key is down.
    """

    kind: Literal["notes.fill"] = "notes.fill"
    spec = Spec(
        "notes",
        "Run",
        says="From each chosen note to the next: heard, not written.",
        asks=(
            entry("time", "Beats", 0.125, "all there is"),
            entry("ring", "Rings on", 0.125),
            entry("end_velocity", "Ends at", 1, "the next"),
            ASK_LIFT,
            ASK_EASE,
            Ask("by", "Through", "through"),
        ),
        gestures=(
            Gesture(
                "run",
                "Fill a run",
                "From each chosen note to the next, through keys between; heard, not written",
                "glissando gliss arpeggio scale run harp fill",
                "Notes",
                where="chosen notes",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    by: Literal["semitone", "scale", "white", "named"] = Field(
        "semitone", description="Which keys the run goes through."
    )
    scale: PitchClasses | None = Field(None, description="For `scale`: pitch classes, 0 is C.")
    named: Annotated[tuple[Annotated[int, Field(ge=0, le=127)], ...], Field(max_length=128)] = Field(
        (), description="For `named`: the keys that it may go through."
    )
    time: Beats | None = Field(None, description="Beats that the run takes, up to the next note; absent: all there is.")
    end_velocity: Annotated[int, Field(ge=1, le=127)] | None = Field(None, description="Absent: that of the next note.")
    lift: Lift = Field(0.0, description="Of the way of velocities.")
    ease: Unit = Field(0.0, description="Of the way of velocities.")
    ring: Annotated[float, Field(ge=0, le=1_000_000)] = Field(
        0.0, description="Beats that each rings on after the next has begun."
    )

    @model_validator(mode="after")
    def _has_keys(self) -> Self:
        if self.by == "scale" and self.scale is None:
            raise ValueError("a run by scale needs a scale")
        if self.by == "named" and not self.named:
            raise ValueError("a run by named keys needs some in named")
        return self

    @override
    def outcome(self, take: Take) -> Outcome:
        masks = self.chosen(take).masks
        made, told = take, []
        runs = {part: self._runs(take, take.parts[part], mask) for part, mask in masks.items()}
        count = sum(len(one[0]) for one in runs.values())
        if not count:
            raise NothingMatched("No key lies between these notes and the next that a run could go through.", "by")
        if count > MOST_COPIES:
            raise NothingMatched(f"That would be {count:,} notes; at most {MOST_COPIES:,} are made at once.")
        id_ = self.first_id(take, count)
        left = 0
        for part, (start, end, pitch, velocity) in runs.items():
            if not len(start):
                continue
            new = Notes.made(id_ + np.arange(len(start)), start, end, pitch, velocity, page_start=-1, page_end=-1)
            id_ += len(start)
            made, left_out = with_room(made, part, new)
            left += left_out
        if left == count:
            raise NothingMatched("Where the run would go, the keys are down already.")
        if left:
            told.append(f"{left:,} of {count:,} are left out: their keys are down.")
        return Outcome(made, tuple(told))

    def _keys(self) -> Ints:
        every = np.arange(128)
        if self.by == "named":
            return np.unique(self.named)
        classes = {"semitone": tuple(range(12)), "white": WHITE, "scale": self.scale or ()}[self.by]
        return every[np.isin(every % 12, classes)]

    def _runs(self, take: Take, part: Part, mask: Flags) -> tuple[Ints, Ints, Ints, Ints]:
        notes = part.notes
        heads = _tops(take, notes, mask)
        if len(heads) == 1:
            heard = notes.music & ~notes.muted & (notes.start > notes.start[heads[0]])
            following = _tops(take, notes, heard)[:1]
            heads = np.append(heads, following)
        one, other = heads[:-1], heads[1:]
        from_, to = (notes.pitch[rows].astype(np.int64) for rows in (one, other))
        there = notes.start[other]
        time = there - notes.start[one]
        if self.time is not None:
            time = np.minimum(time, round(self.time * take.resolution))
        keys = self._keys()
        # Of the keys in their order those that lie strictly between the two.
        first = np.searchsorted(keys, np.minimum(from_, to), side="right")
        after = np.searchsorted(keys, np.maximum(from_, to), side="left")
        there_is_room = (after > first) & (time > after - first)
        first, after = first[there_is_room], after[there_is_room]
        number, of = ranges(first, after)
        one, other, there, time = (column[there_is_room][of] for column in (one, other, there, time))
        step, steps = number - first[of] + 1, (after - first)[of] + 1
        upwards = notes.pitch[one] < notes.pitch[other]
        pitch = keys[np.where(upwards, number, first[of] + after[of] - 1 - number)]
        start, end = (whole(there - time + (step + later) / steps * time) for later in (0, 1))
        last = notes.velocity[other] if self.end_velocity is None else np.full(len(of), self.end_velocity)
        rise = (last.astype(np.float64) - notes.velocity[one]) * form(step / steps, self.lift, self.ease)
        velocity = np.clip(whole(notes.velocity[one] + rise), 1, 127)
        return start, end + round(self.ring * take.resolution), pitch, velocity

    @override
    def label(self) -> str:
        way = {"semitone": "every key", "scale": "a scale", "white": "white keys", "named": "named keys"}[self.by]
        return f"Run through {way}"


def _tops(take: Take, notes: Notes, mask: Flags) -> Ints:
    """The highest note of each chord among some, in the order of time (rows)."""
    rows = np.flatnonzero(mask)
    onsets = chord_onsets(notes.start[rows], take.resolution)
    order = np.lexsort((-notes.pitch[rows].astype(np.int64), onsets))
    first = np.append(True, np.diff(onsets[order]) > 0) if len(order) else np.zeros(0, dtype=bool)
    return np.asarray(rows[order[first]])
