"""Strokes that put notes where there were none."""

from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression import piece
from expression.arrays import Flags, Ints, frozen
from expression.errors import NothingMatched
from expression.limits import MOST_COPIES
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.strokes.base import BaseStroke, Count, Reach, Record, Tick, masks_of
from expression.strokes.copying import converted, repeated
from expression.strokes.lane import Spot, lane_of
from expression.take import Part, Take

"""Notes that one stroke makes at most: as many as the longest takes have."""
LEAST_SHARE = 4
"""Of a copy that has to end early at least a quarter is left, or it is left out."""
IDS_EACH = 2**32
"""Ids that are set aside for the copies of one stroke of a history."""


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
    to: NotesTarget
    under: bool = Field(True, description="What the lanes hold under the notes comes along, over what is there.")
    repeat: Annotated[int, Field(ge=1, le=1000)] = Field(1, description="So many copies one after another.")
    first: Count | None = Field(
        None, description="The id of the first copy, the others follow. A history gives it; absent: after all others."
    )

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
        stretch = self._stretch(take)
        ids = [part.notes.id for part in take.parts]
        id_ = self.first if self.first is not None else 1 + max(int(known.max(initial=-1)) for known in ids)
        if any(((known >= id_) & (known < id_ + stretch.notes * self.repeat)).any() for known in ids):
            raise NothingMatched("Other notes have these ids already; leave `first` out.", "first")
        made = take
        for part, mask in stretch.masks.items():
            target = self._target(part)
            copies = self._copies(take.parts[part].notes, mask, stretch, id_)
            id_ += int(mask.sum())
            there = made.parts[target].notes
            # A key is the channel's: whoever else plays it there has it down as well.
            sharing = [other.notes for other in made.parts_on(made.parts[target].channel)]
            room = _room(sharing, copies)
            made = made.with_notes({target: there.merged(room)})
            made = _with_curves(made, target, take.parts[part], mask, copies.id, room)
        if self.under:
            made = self._with_lanes(take, made, stretch)
        if all(len(new.notes) == len(old.notes) for new, old in zip(made.parts, take.parts, strict=True)):
            raise NothingMatched("Where the copy would go, the keys are down already or struck again at once.", "to")
        return made

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
        new = np.full(len(rows), -1)
        return Notes(
            id=frozen(id_ + turn * stretch.notes + np.tile(np.arange(int(mask.sum())), self.repeat), np.int64),
            start=frozen(start, np.int64),
            end=frozen(np.maximum(notes.end[rows] + shift, start + 1), np.int64),
            pitch=frozen(notes.pitch[rows], np.uint8),
            velocity=frozen(notes.velocity[rows], np.uint8),
            release=frozen(notes.release[rows], np.uint8),
            muted=frozen(notes.muted[rows], bool),
            cue=frozen(notes.cue[rows], bool),
            on=frozen(new, np.int64),
            off=frozen(new, np.int64),
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


def _with_curves(made: Take, target: int, part: Part, mask: Flags, copied: Ints, room: Notes) -> Take:
    """The curves of the notes that were copied, for those copies for which there is room."""
    sources = np.tile(part.notes.id[mask], len(copied) // max(int(mask.sum()), 1))
    stays = np.isin(copied, room.id)
    changed = {}
    for key, curves in part.curves.items():
        theirs = curves.renamed(sources[stays], copied[stays])
        if len(theirs):
            known = made.parts[target].curves.get(key, NoteCurves.each([], []))
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


def _room(sharing: list[Notes], copies: Notes) -> Notes:
    """The copies for which there is room among the notes of a channel: one key sounds one note at a time."""
    there = sharing[0]
    for other in sharing[1:]:
        there = there.merged(other)
    # One number for key and tick: the notes of a key lie together, in the order of time.
    span = int(max(there.end.max(initial=0), copies.end.max(initial=0))) + 1

    def keyed(notes: Notes, ticks: Ints) -> Ints:
        return np.asarray(notes.pitch.astype(np.int64) * span + ticks)

    sounding = ~there.muted
    order = np.argsort(keyed(there, there.start)[sounding], kind="stable")
    starts = keyed(there, there.start)[sounding][order]
    ends = np.maximum.accumulate(keyed(there, there.end)[sounding][order])
    wanted = keyed(copies, copies.start)
    before = np.searchsorted(starts, wanted, side="right") - 1
    down = (before >= 0) & (ends[np.maximum(before, 0)] > wanted) if len(ends) else np.zeros(len(wanted), dtype=bool)
    copies = copies.only(~down)
    strikes = np.unique(np.concatenate((starts, keyed(copies, copies.start))))
    following = np.append(strikes, np.iinfo(np.int64).max)[
        np.searchsorted(strikes, keyed(copies, copies.start), side="right")
    ]
    until = np.minimum(keyed(copies, copies.end), following) - copies.pitch.astype(np.int64) * span
    enough = (until - copies.start) * LEAST_SHARE >= copies.end - copies.start
    return copies.until(until).only(enough)
