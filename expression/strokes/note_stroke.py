"""What all strokes on notes themselves share: which they act on, what is in their way, and what becomes of the page."""

from collections.abc import Mapping
from typing import NamedTuple, Self

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Ints, union
from expression.chords import chord_onsets
from expression.errors import NothingMatched
from expression.memo import worked_out
from expression.notes import Notes
from expression.strokes.base import IDS_EACH, BaseStroke, Count, Reach, Where, Which, counted, masks_of, select
from expression.strokes.carried_lanes import Stretches, others
from expression.strokes.settling import Over, settled
from expression.take import Channel, Part, Take
from expression.time import Sight

LEAST_PART = 32
"""No note becomes shorter than a beat divided by this, unless it was, or is meant to be."""
MANY = 2_000
"""Of more notes a hand is shown what becomes of those in sight ..."""
AROUND = 32
"""... and so many beats around it."""
FIRST_MADE = Field(
    None,
    description="The id of the first note it makes, the others follow. A history gives it; absent: after all others.",
)


class Chosen(NamedTuple):
    """The notes a stroke acts on."""

    masks: dict[int, Flags]
    """Which of each part, of parts of which it reaches any."""
    ids: Ints
    """Ascending."""
    start: int
    """From the first start of any of them ..."""
    end: int
    """... to the last end, in ticks."""
    channels: list[Channel]
    """Those that they are on, each once."""

    def near(self, take: Take, around: Sight) -> "Chosen":
        """Those of them that sound between two ticks. (`start`, `end` and `channels` stay those of all.)"""
        masks = {part: mask & take.parts[part].notes.between(*around) for part, mask in self.masks.items()}
        masks = {part: mask for part, mask in masks.items() if mask.any()}
        ids = [take.parts[part].notes.id[mask] for part, mask in masks.items()]
        return self._replace(masks=masks, ids=np.sort(np.concatenate([*ids, np.array([], dtype=np.int64)])))


class Outcome(NamedTuple):
    """What a stroke on notes comes to."""

    take: Take
    told: tuple[str, ...] = ()
    """What it does besides, in sentences."""


class NotesStroke(BaseStroke):
    """A stroke on notes themselves."""

    def chosen(self, take: Take) -> "Chosen":
        """Which notes it acts on. Raises NothingMatched."""
        return _chosen(take, self.where, self.which)

    def next_of_line(self, take: Take, part: Part) -> Ints:
        """When the note that follows each chosen one of a part begins, in ticks; -1 where none does."""
        return _next_of_line(take, part.id, self.where, self.which)

    def busy(self, take: Take, channel: Channel) -> Stretches:
        """Where notes of a channel sound on which it does not act."""
        return _busy(take, channel.id, self.where, self.which)

    @property
    def which(self) -> Which:
        """Whether it acts on music, on cues, or both."""
        return "music"

    def near(self, take: Take, sight: Sight, over: Over) -> Self:
        """Where what comes of a note depends on its neighbours alone: of very many those that begin or end near to
        what is seen, before or after. Whether all are refused only all can say.
        """
        chosen = self.chosen(take)
        is_seen = sight[0] <= chosen.start and chosen.end <= sight[1]
        return self if over == "refuse" or is_seen or len(chosen.ids) <= MANY else self.looking(*sight)

    def around(self, take: Take) -> Sight | None:
        """From where to where it is made, where that is not everywhere."""
        if self._sight is None:
            return None
        return self._sight[0] - AROUND * take.resolution, self._sight[1] + AROUND * take.resolution

    def outcome(self, take: Take) -> Outcome:
        """The take as it leaves it, and what there is to say of that. Raises NothingMatched."""
        raise NotImplementedError

    @override
    def apply(self, take: Take) -> Take:
        return _outcome(self, take).take

    @override
    def also(self, take: Take) -> str:
        return " ".join(_outcome(self, take).told)

    @override
    def reach(self, take: Take) -> Reach:
        chosen = self.chosen(take)
        start, end = self.where.span or (chosen.start, chosen.end)
        return Reach(start, max(end, start + 1), list(chosen.masks), len(chosen.ids))


@worked_out(4)
def _chosen(take: Take, where: Where, which: Which) -> Chosen:
    """The same for as long as a hand tries other numbers."""
    masks = masks_of(take, where, which)
    if not masks:
        select(take, where, which)
    notes = [(take.parts[part].notes, mask) for part, mask in masks.items()]
    channels = {take.parts[part].channel.id: take.parts[part].channel for part in masks}
    return Chosen(
        masks,
        np.sort(np.concatenate([one.id[mask] for one, mask in notes])),
        min(int(one.start[mask].min()) for one, mask in notes),
        max(int(one.end[mask].max()) for one, mask in notes),
        [channels[number] for number in sorted(channels)],
    )


@worked_out(4)
def _busy(take: Take, channel: int, where: Where, which: Which) -> Stretches:
    return others(take, take.channels[channel], _chosen(take, where, which).ids)


@worked_out(8)
def _outcome(stroke: NotesStroke, take: Take) -> Outcome:
    """Known while a hand tries a stroke: what it says besides is asked for after it has been applied."""
    return stroke.outcome(take)


class CuesToo(NotesStroke):
    """A stroke that may act on cue notes instead."""

    cues: bool = Field(False, description="It acts on the cue notes that `where` reaches, in place of the music.")

    @property
    @override
    def which(self) -> Which:
        return "cues" if self.cues else "music"


class MakingStroke(NotesStroke):
    """A stroke that makes notes."""

    first: Count | None = FIRST_MADE

    @override
    def numbered(self, number: int) -> Self:
        return self.model_copy(update={"first": number * IDS_EACH})

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        """What comes of each note depends on its neighbours alone: of very many only those near to what is seen."""
        if len(self.chosen(take).ids) <= MANY:
            return self
        near = AROUND * take.resolution
        try:
            where = self.where.within(max(start - near, 0), end + near)
        except NothingMatched:
            return self
        # Too few of them would mean something else: one alone goes on to what nobody chose.
        masks = masks_of(take, where, self.which)
        if sum(int(mask.sum()) for mask in masks.values()) < 2:
            return self
        return self.model_copy(update={"where": where})

    def first_id(self, take: Take, count: int) -> int:
        """The id of the first of so many notes. Raises NothingMatched where others have it."""
        return free_ids(take, self.first, count)


def free_ids(take: Take, first: int | None, count: int) -> int:
    """The first of so many ids that no note has: as given, otherwise after all others. Raises NothingMatched."""
    ids = [part.notes.id for part in take.parts]
    if first is None:
        return 1 + max(int(known.max(initial=-1)) for known in ids)
    if any(((known >= first) & (known < first + count)).any() for known in ids):
        raise NothingMatched("Other notes have these ids already; leave `first` out.", "first")
    return first


def least_length(take: Take) -> int:
    """Ticks that a note keeps at least."""
    return max(take.resolution // LEAST_PART, 1)


def settle(take: Take, changed: Mapping[int, Notes], touched: Ints, over: Over, told: list[str]) -> Take:
    """`settled`, and what it does to others in words. Raises NothingMatched."""
    made, ended, short, gone = settled(take, changed, touched, over)
    if gone:
        told.append(f"{counted(gone)} {'gives' if gone == 1 else 'give'} way to another of the same key.")
    if ended:
        told.append(f"{counted(ended)} {'ends' if ended == 1 else 'end'} sooner, where the same key is struck.")
    if short:
        told.append(f"{counted(short)} of these {'ends' if short == 1 else 'end'} where the key is struck again.")
    return made


def on_page(notes: Notes, rows: Flags, start: Ints, end: Ints, page: bool) -> dict[str, Ints]:
    """Columns of notes of which some (a mask) begin and end at other times; the written page follows where told."""
    columns: dict[str, Ints] = {"start": notes.start.copy(), "end": notes.end.copy()}
    columns["start"][rows], columns["end"][rows] = start, end
    if page:
        written = rows & (notes.page_start >= 0)
        shift = columns["start"] - notes.start, columns["end"] - notes.end
        page_start = np.where(written, np.maximum(notes.page_start + shift[0], 0), notes.page_start)
        columns["page_start"] = page_start
        columns["page_end"] = np.where(written, np.maximum(notes.page_end + shift[1], page_start + 1), notes.page_end)
    return columns


@worked_out(4)
def _next_of_line(take: Take, number: int, where: Where, which: Which) -> Ints:
    """When the note that follows each chosen one of a part begins, in ticks; -1 where none does.

    The line is made of the chosen notes; after the last of them the part goes on. What is struck as one chord follows
    nothing of itself.
    """
    notes, mask = take.parts[number].notes, _chosen(take, where, which).masks[number]
    heard = notes.music & ~notes.muted
    onsets = chord_onsets(notes.start[mask], take.resolution)
    line, every = union(onsets), union(notes.start[heard])
    row = np.searchsorted(line, onsets, side="right")
    following = np.append(line, -1)[row]
    # Behind the last chord of the line: what begins after all of that.
    last = int(notes.start[mask].max())
    after = every[every > last]
    return np.where(following < 0, after[0] if len(after) else -1, following)
