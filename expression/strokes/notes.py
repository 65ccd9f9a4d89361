"""Strokes that put notes where there were none."""

from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Flags, Ints
from expression.errors import NothingMatched
from expression.limits import MOST_COPIES
from expression.memo import worked_out
from expression.note_curves import NO_CURVES
from expression.notes import Notes
from expression.records import Record
from expression.strokes.base import IDS_EACH, BaseStroke, Count, Reach, Tick, counted, masks_of
from expression.strokes.copying import converted, repeated
from expression.strokes.keys import Keys, transposed
from expression.strokes.lane import Spot, lane_of
from expression.strokes.note_stroke import FIRST_MADE, Outcome, free_ids
from expression.strokes.spec import Ask, Gesture, Spec, entry
from expression.take import Part, Take

LEAST_SHARE = 4
"""Of a copy that has to end early at least a quarter is left, or it is left out."""


class NotesTarget(Record):
    """Where copied notes go. Without a part each note stays in its own."""

    part: Count | None = None
    at: Tick = Field(description="The tick at which the copy begins.")


class NotesCopy(BaseStroke):
    """Notes put down again: at another time or in another part, among those that are there.

    What is copied begins with the span of `where`, or with the first of the notes; copies follow one another by the
    length of that, told from beat to beat where its edges lie within an eighth of a quarter of one. A copy ends where
    its key is struck again; one is left out whose key is down already when it would begin, or that would not get a
    quarter of its length.
    """

    kind: Literal["notes.copy"] = "notes.copy"
    spec = Spec(
        "notes",
        "Copy of notes",
        says="They join the notes that are there; a key that is down is not struck again.",
        asks=(
            entry("repeat", "Repeated"),
            entry("keys", "Keys"),
            Ask("to", "To", "place", parts=True),
            Ask("under", "What lies under them comes along", "flag"),
        ),
        gestures=(
            Gesture(
                "copy",
                "Copy notes",
                "The chosen notes again, at another time or in another part, with what lies under them",
                "duplicate double repeat paste",
                "Notes",
                begins="copy",
                for_selection=True,
            ),
        ),
        evidence=("counts",),
    )
    to: NotesTarget
    under: bool = Field(True, description="What the lanes hold under the notes comes along, over what is there.")
    repeat: Annotated[int, Field(ge=1, le=1000)] = Field(1, description="So many copies one after another.")
    keys: Keys = Field(0, description="So many keys higher; negative: lower.")
    first: Count | None = FIRST_MADE

    @model_validator(mode="after")
    def _placed(self) -> Self:
        if self.to.part is not None and (self.where.parts is None or len(self.where.parts) != 1):
            raise ValueError("to copy to another part, name the one part in where that is copied")
        return self

    @override
    def numbered(self, number: int) -> Self:
        return self.model_copy(update={"first": number * IDS_EACH})

    @override
    def apply(self, take: Take) -> Take:
        return _copied(self, take).take

    @override
    def also(self, take: Take) -> str:
        return " ".join(_copied(self, take).told)

    def outcome(self, take: Take) -> Outcome:
        """The take with the copies, and what there is to say of that. Raises NothingMatched."""
        stretch = self._stretch(take)
        id_ = first = free_ids(take, self.first, stretch.notes * self.repeat)
        made, left, short = take, 0, 0
        for part, mask in stretch.masks.items():
            target = self._target(part)
            copies = self._copies(take.parts[part].notes, mask, stretch, id_)
            id_ += int(mask.sum())
            room = _room(made, target, copies, (copies.id - first) // stretch.notes)
            left += len(copies) - len(room)
            short += int((room.end < copies.end[np.isin(copies.id, room.id)]).sum())
            made = made.with_notes({target: made.parts[target].notes.merged(room)})
            made = _with_curves(made, target, take.parts[part], mask, copies.id, room)
        if self.under:
            made = self._with_lanes(take, made, stretch)
        if all(len(new.notes) == len(old.notes) for new, old in zip(made.parts, take.parts, strict=True)):
            raise NothingMatched("Where the copy would go, the keys are down already or struck again at once.", "to")
        told = [f"{left:,} of {stretch.notes * self.repeat:,} are left out: their keys are down."] if left else []
        return Outcome(made, (*told, *([f"{counted(short)} cut short where a key is struck."] if short else [])))

    def _target(self, part: int) -> int:
        return part if self.to.part is None else self.to.part

    def _stretch(self, take: Take) -> "Stretch":
        masks = masks_of(take, self.where)
        if self.to.part is not None and self.to.part >= len(take.parts):
            raise NothingMatched(f"There is no part {self.to.part} to copy to; this take has {len(take.parts)}.", "to")
        if not masks:
            raise NothingMatched("No notes are chosen that could be copied.")
        chosen = [(take.parts[part].notes, mask) for part, mask in masks.items()]
        start = min(int(notes.start[mask].min()) for notes, mask in chosen)
        end = max(int(notes.end[mask].max()) for notes, mask in chosen)
        each = sum(int(mask.sum()) for mask in masks.values())
        if (count := each * self.repeat) > MOST_COPIES:
            raise NothingMatched(
                f"That would be {count:,} notes; at most {MOST_COPIES:,} are copied at once.", "repeat"
            )
        start, end = self.where.span or (start, max(end, start + 1))
        lines = [_on_beat(take, tick) for tick in (start, end)]
        return Stretch(start, end, max(lines[1] - lines[0], 1) if self.where.span else end - start, masks)

    def _copies(self, notes: Notes, mask: Flags, stretch: "Stretch", id_: int) -> Notes:
        """The copies with the times they have at the target, turn after turn.

        So are their ids counted, through all parts: those of the first turns stay if the copy is repeated more often.
        """
        rows = np.tile(np.flatnonzero(mask), self.repeat)
        turn = np.repeat(np.arange(self.repeat), int(mask.sum()))
        shift = self.to.at - stretch.start + turn * stretch.step
        start = notes.start[rows] + shift
        written = notes.page_start[rows] >= 0
        return Notes.made(
            id_ + turn * stretch.notes + np.tile(np.arange(int(mask.sum())), self.repeat),
            start,
            np.maximum(notes.end[rows] + shift, start + 1),
            transposed(notes, mask, self.keys, None)[rows] if self.keys else notes.pitch[rows],
            notes.velocity[rows],
            release=notes.release[rows],
            muted=notes.muted[rows],
            cue=notes.cue[rows],
            page_start=np.where(written, np.maximum(notes.page_start[rows] + shift, 0), -1),
            page_end=np.where(written, np.maximum(notes.page_end[rows] + shift, 1), -1),
        )

    def _with_lanes(self, take: Take, made: Take, stretch: "Stretch") -> Take:
        """What lies under the notes, once for each channel that they are on."""
        routes = {(take.parts[part].channel.id, made.parts[self._target(part)].channel.id) for part in stretch.masks}
        for source, target in sorted(routes):
            for key, lane in take.channels[source].lanes.items():
                spot = Spot(take.channels[source], [], lane)
                found = spot.cut(stretch.start, stretch.start + stretch.step)
                if found.empty:
                    continue
                channel = made.channels[target]
                onto = Spot(channel, [], lane_of(made, channel, key))
                copy = piece.stretched(converted(found, spot, onto, 1.0), self.to.at, 1.0)
                made = made.with_lane(target, repeated(onto, copy, self.repeat))
        return made

    @override
    def reach(self, take: Take) -> Reach:
        stretch = self._stretch(take)
        end = self.to.at + stretch.step * self.repeat
        return Reach(
            self.to.at, end, sorted({self._target(part) for part in stretch.masks}), stretch.notes * self.repeat
        )

    @override
    def label(self) -> str:
        count = sum(last - first + 1 for first, last in self.where.notes or ())
        what = ("1 note" if count == 1 else f"{count:,} notes") if self.where.notes else "Notes"
        return f"{what} copied" + (f", {self.repeat} times" if self.repeat > 1 else "")


@worked_out(4)
def _copied(stroke: NotesCopy, take: Take) -> Outcome:
    """Asked for to apply a copy, and to say what it leaves out."""
    return stroke.outcome(take)


def _with_curves(made: Take, target: int, part: Part, mask: Flags, copied: Ints, room: Notes) -> Take:
    """The curves of the notes that were copied, for those copies for which there is room."""
    sources = np.tile(part.notes.id[mask], len(copied) // max(int(mask.sum()), 1))
    stays = np.isin(copied, room.id)
    changed = {}
    for key, curves in part.curves.items():
        theirs = curves.renamed(sources[stays], copied[stays])
        if len(theirs):
            known = made.parts[target].curves.get(key, NO_CURVES)
            changed[key] = known.with_curves(copied[stays], theirs)
    return made.with_curves({target: changed}) if changed else made


class Stretch(NamedTuple):
    """What is copied: its ticks (the end not included), how far its copies are apart, and the notes of each part."""

    start: int
    end: int
    step: int
    masks: dict[int, Flags]

    @property
    def notes(self) -> int:
        """The notes of all parts."""
        return sum(int(mask.sum()) for mask in self.masks.values())


def _on_beat(take: Take, tick: int) -> int:
    """The beat that a tick is meant for, where it lies within an eighth of a quarter of one; otherwise itself."""
    position = take.meter.position(tick)
    _, beat_ticks, _ = (int(column[0]) for column in take.meter.bar_of(np.array([tick])))
    near = take.resolution // 8
    if position.tick <= near:
        return tick - position.tick
    return tick - position.tick + beat_ticks if beat_ticks - position.tick <= near else tick


def with_room(take: Take, part: int, notes: Notes) -> tuple[Take, int]:
    """The take with new notes in a part where their keys are not down already; and how many had no room."""
    room = _room(take, part, notes, None)
    return take.with_notes({part: take.parts[part].notes.merged(room)}), len(notes) - len(room)


def _room(take: Take, part: int, copies: Notes, of_turn: Ints | None) -> Notes:
    """The copies for which there is room among the notes of a part's channel: one key sounds one note at a time.

    Those of one turn were made together: they keep what they had to each other.
    """
    if not len(copies):
        return copies
    # A key is the channel's: whoever else plays it there has it down as well.
    sharing = take.parts_on(take.parts[part].channel)
    near = [one.notes.between(int(copies.start.min()) - 1, int(copies.end.max()) + 2) for one in sharing]
    start, end, pitch, muted = (
        np.concatenate([getattr(one.notes, name)[rows] for one, rows in zip(sharing, near, strict=True)])
        for name in ("start", "end", "pitch", "muted")
    )
    track = np.repeat([one.track for one in sharing], [int(rows.sum()) for rows in near])
    mine = take.parts[part].track
    # One number for key and tick: the notes of a key lie together, in the order of time.
    span = int(max(end.max(initial=0), copies.end.max(initial=0))) + 2
    key, wanted_key = pitch.astype(np.int64) * span, copies.pitch.astype(np.int64) * span
    # At one tick the tracks are told in their order: what ends in a later one ends after a copy has begun.
    by_start = np.argsort(start, kind="stable") if len(sharing) > 1 else np.arange(len(start))
    order = by_start[~muted[by_start]]
    order = order[np.argsort(pitch[order], kind="stable")]
    starts = (key + start)[order]
    ends = np.maximum.accumulate((key + end + (track > mine))[order])
    # Copies in the same order: what is asked for in order is found sooner.
    turn = np.argsort(copies.pitch, kind="stable")
    wanted = (wanted_key + copies.start)[turn]
    before = np.searchsorted(starts, wanted, side="right") - 1
    down = (before >= 0) & (ends[np.maximum(before, 0)] > wanted) if len(ends) else np.zeros(len(wanted), dtype=bool)
    turn, wanted = turn[~down], wanted[~down]
    # And what is struck in an earlier one is struck before a copy has ended.
    strikes = np.sort(starts - (track[order] < mine), kind="stable")
    following = _next(strikes, wanted + 1)
    if of_turn is None:
        following = np.minimum(following, _next(wanted, wanted + 1))
    else:
        # Only the next turn cuts them short.
        begins = np.full(int(of_turn.max(initial=0)) + 2, span)
        np.minimum.at(begins, of_turn, copies.start)
        following = np.minimum(following, _next(wanted, wanted_key[turn] + begins[of_turn[turn] + 1]))
    last = copies.end.copy()
    last[turn] = np.minimum((wanted_key + copies.end)[turn], following) - wanted_key[turn]
    keep = np.zeros(len(copies), dtype=bool)
    keep[turn] = True
    keep &= (last - copies.start) * LEAST_SHARE >= copies.end - copies.start
    made = copies.until(last)
    return made if keep.all() else made.only(keep)


def _next(ascending: Ints, ticks: Ints) -> Ints:
    """The first of some ticks from each of others on; beyond all where there is none."""
    return np.append(ascending, np.iinfo(np.int64).max)[np.searchsorted(ascending, ticks)]
