"""What every stroke has: a kind, a place, and a pure `apply`."""

import itertools
from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, NamedTuple, Self, TypeVar

import numpy as np
from pydantic import AfterValidator, Field, PrivateAttr, model_validator
from typing_extensions import TypeAliasType

from expression.arrays import Flags, Ints, frozen, runs
from expression.errors import NothingMatched
from expression.limits import LAST_TICK, MOST_POINTS
from expression.memo import worked_out
from expression.notes import Notes
from expression.records import Record
from expression.strokes.grips import Grip
from expression.strokes.spec import Spec
from expression.take import Part, Take
from expression.time import Sight, TempoMap

Count = Annotated[int, Field(ge=0, le=2**53)]
Tick = Annotated[int, Field(ge=0, le=LAST_TICK)]
Called = TypeAliasType("Called", Annotated[str, Field(min_length=1, max_length=60)])
Lift = Annotated[float, Field(ge=-1, le=1)]
Height = TypeVar("Height")
IDS_EACH = 2**32
"""Ids that are set aside for the notes that one stroke of a history makes."""
Which = Literal["music", "cues", "all"]
"""Notes of the music, those that are cues, or both."""


FEW = 16
"""Ranges of notes: for so many it is kept which notes they name."""


def _ascending(points: tuple[tuple[int, Height], ...]) -> tuple[tuple[int, Height], ...]:
    if any(after[0] < point[0] for point, after in itertools.pairwise(points)):
        raise ValueError("points must ascend by tick")
    return points


Points = Annotated[
    tuple[tuple[Tick, Height], ...],
    Field(min_length=1, max_length=MOST_POINTS, description="Ticks and values of the line, ascending by tick."),
    AfterValidator(_ascending),
]


class Where(Record):
    """What a stroke acts on. The fields narrow each other; an absent one does not restrict."""

    parts: tuple[Count, ...] | None = Field(None, description="Part ids.")
    notes: tuple[tuple[Count, Count], ...] | None = Field(
        None, description="Inclusive ranges of note ids. Ids count through the whole take, part after part."
    )
    span: tuple[Tick, Tick] | None = Field(
        None, description="Ticks at the take's resolution: the start is included, the end is not."
    )
    pitches: tuple[Annotated[int, Field(ge=0, le=127)], ...] | None = Field(None, description="Note numbers.")
    each: Literal["phrases", "groups"] | None = Field(
        None, description="Once more over each phrase, or each group, of each part, as if that were the span."
    )

    @model_validator(mode="after")
    def _forwards(self) -> "Where":
        if self.span and self.span[0] >= self.span[1]:
            raise ValueError("span must end after it starts")
        for first, last in self.notes or ():
            if first > last:
                raise ValueError(f"notes must be ranges from low to high, not {first} to {last}")
        return self

    def within(self, start: int, end: int) -> "Where":
        """Narrowed to ticks from `start` to before `end`. Raises NothingMatched where nothing is left."""
        if self.span:
            start, end = max(start, self.span[0]), min(end, self.span[1])
        if start >= end:
            raise NothingMatched("The stroke lies outside the span that it is meant for.")
        return self.model_copy(update={"span": (start, end)})

    def notes_of(self, part: Part, which: Which = "music") -> Flags:
        """Which notes of a part are meant, by their onsets. Cue notes are only where they are asked for."""
        if self.parts is not None and part.id not in self.parts:
            return np.zeros(len(part.notes), dtype=bool)
        return self.among(part.notes, which)

    def among(self, notes: Notes, which: Which = "music") -> Flags:
        """Which of some notes are meant, whatever part they are of. How hard they are struck is not asked for."""
        mask = {"music": notes.music, "cues": notes.cue.copy(), "all": np.ones(len(notes), dtype=bool)}[which]
        if self.notes is not None:
            firsts, lasts = np.array(sorted(self.notes), dtype=np.int64).reshape(-1, 2).T
            mask &= _within(notes.id, firsts, lasts)
        if self.span is not None:
            mask &= (notes.start >= self.span[0]) & (notes.start < self.span[1])
        if self.pitches is not None:
            mask &= np.isin(notes.pitch, self.pitches)
        return mask


def counted(count: float, noun: str = "note") -> str:
    """So many notes, or others, in words; of beats also parts."""
    number = f"{count:g}" if isinstance(count, float) else f"{count:,}"
    return f"1 {noun}" if count == 1 else f"{number} {noun}s"


def _within(ids: Ints, firsts: Ints, lasts: Ints) -> Flags:
    """Which ids lie in any of the ranges (ascending by their first; they may overlap)."""
    if not len(firsts):
        return np.zeros(len(ids), dtype=bool)
    reach = np.maximum.accumulate(lasts)
    at = np.searchsorted(firsts, ids, side="right") - 1
    return (at >= 0) & (ids <= reach[at])


class Reach(NamedTuple):
    """Where a stroke acts: ticks (the end not included), parts, and how many notes or nodes."""

    start: int
    end: int
    parts: list[int]
    matched: int


class Thread(NamedTuple):
    """A voice of one chord and its partner in the next: rows of the part's notes, when it goes (ticks), and how."""

    one: int
    other: int
    leaves: int
    arrives: int
    lift: float
    ease: float


class Wedge(NamedTuple):
    """A hairpin as the written page has it: ticks, and whether it opens."""

    start: int
    end: int
    grows: bool


class Picked(NamedTuple):
    """The notes a stroke acts on, of all its parts together. One element of each array a note."""

    id: Ints
    start: Ints
    end: Ints
    velocity: Ints


class Selection(NamedTuple):
    """Notes picked from a take, with what is needed to put them back."""

    picked: Picked
    masks: dict[int, Flags]


def masks_of(take: Take, where: Where, which: Which = "music") -> dict[int, Flags]:
    """Which notes `where` reaches, of each part of which it reaches any."""
    parts = [part for part in take.parts if where.parts is None or part.id in where.parts]
    # Very many ranges are found as soon as they are compared with those that were asked for before.
    find = _known_mask if len(where.notes or ()) <= FEW else _mask
    masks = {part.id: find(part.notes, where, which) for part in parts}
    return {part: mask for part, mask in masks.items() if mask.any()}


def sounding_in(take: Take, where: Where, start: int, end: int) -> Where:
    """`where`, narrowed to its notes that sound between two ticks; itself where these are most of them, or none."""
    masks = masks_of(take, where)
    ids = []
    for number, mask in masks.items():
        notes = take.parts[number].notes
        ids.append(notes.id[mask & notes.between(start, end)])
    count = sum(int(mask.sum()) for mask in masks.values())
    near = np.sort(np.concatenate([*ids, frozen([], np.int64)]))
    if not len(near) or 2 * len(near) > count or len(ranges := runs(near)) > FEW:
        return where
    return where.model_copy(update={"notes": tuple(ranges)})


def _mask(notes: Notes, where: Where, which: Which) -> Flags:
    return frozen(where.among(notes, which), bool)


_known_mask = worked_out(2, is_lasting=True)(_mask)


@worked_out(2)
def select(take: Take, where: Where, which: Which = "music") -> Selection:
    """The notes that `where` reaches. Raises NothingMatched when there are none."""
    masks = masks_of(take, where, which)
    if not masks:
        raise NothingMatched(_why_nothing(take, where))
    chosen = [(take.parts[part].notes, mask) for part, mask in masks.items()]
    columns = (
        frozen(np.concatenate([getattr(notes, name)[mask] for notes, mask in chosen]), np.int64)
        for name in Picked._fields
    )
    return Selection(Picked(*columns), masks)


def _why_nothing(take: Take, where: Where) -> str:
    if where.parts and not any(part < len(take.parts) for part in where.parts):
        return f"The stroke names parts that are not there; this take has parts 0 to {len(take.parts) - 1}."
    if where.span:
        first, last = (take.meter.position(tick) for tick in (where.span[0], where.span[1] - 1))
        return f"No notes begin between bar {first.bar} beat {first.beat} and bar {last.bar} beat {last.beat}."
    if where.notes and not any(
        where.model_copy(update={"parts": None}).notes_of(part, "all").any() for part in take.parts
    ):
        return _no_such_notes(take, where.notes)
    return "The stroke reaches no notes in this take."


def _no_such_notes(take: Take, ranges: Sequence[tuple[int, int]]) -> str:
    """Why no note has any of some ids: they are gone, or never were."""
    recorded = sum(len(part.paired) for part in take.parts) // 2
    if any(first < recorded or last >= IDS_EACH for first, last in ranges):
        return "The stroke reaches no notes in this take: those that it was made for are gone."
    if not recorded:
        return "The stroke names notes, and this take was recorded without any."
    return f"There is no note {ranges[0][0]}: the notes of this recording are numbered from 0 to {recorded - 1:,}."


class Dial(NamedTuple):
    """An amount of a stroke: its field, what it is called, how much there is of it, and how much is usual."""

    field: str
    name: str
    amount: float
    usual: float


class BaseStroke(Record, ABC):
    """One edit: what was done, to what, with which numbers."""

    stands: ClassVar[bool] = False
    """Of a stroke that stands there is one at each `where`: made again, it takes the place of the one before."""

    spec: ClassVar[Spec]
    """What it is called, where it is offered, how it is asked for."""

    is_beyond: ClassVar[bool] = False
    """It may lie behind the end of the take."""

    travels: ClassVar[tuple[str, ...]] = ()
    """Its fields that are places in the take besides `where`, as paths (`points.*.0`): they go along to other bars."""

    called: Called | None = Field(None, description="A name that the player gave it.")
    where: Where = Field(default_factory=lambda: Where.model_validate({}), description="What the stroke acts on.")
    _sight: Sight | None = PrivateAttr(None)
    """Where it is tried on very much: what is to be seen of it."""

    @model_validator(mode="after")
    def _takes_each(self) -> Self:
        if self.where.each and all(ask.widget != "each" for ask in self.spec.asks):
            raise ValueError("where.each is for strokes that are drawn over a span")
        return self

    @property
    def title(self) -> str:
        """What it is called in the history and on the page: the player's name for it, or what it does."""
        return self.called or self.label()

    @property
    def stays(self) -> str:
        """Why it cannot be moved to other bars; empty where it can."""
        return "it stands for all of its part, wherever that is" if self.stands else ""

    @property
    def target(self) -> Where:
        """What the stroke acts on in the end: `where`, narrowed by the place that its own numbers have."""
        return self.where

    def numbered(self, number: int) -> Self:
        """The stroke as the one of that number in a history."""
        return self

    @abstractmethod
    def apply(self, take: Take) -> Take:
        """The take as this stroke leaves it. Pure and deterministic; raises NothingMatched."""

    @abstractmethod
    def label(self) -> str:
        """What was done, in a few words with its numbers."""

    def sign(self) -> str:
        """What stands for it among the marks: its words, or `<` and `>` for what is drawn as a hairpin."""
        return self.label()

    def mends(self) -> str:
        """What it does where it is offered as the mend of a fault."""
        return "Take it away"

    def wedges(self, start: int, end: int) -> list[Wedge]:
        """The hairpins that the written page has for it, where it lies between two ticks."""
        return []

    def threads(self, take: Take, part: int) -> list[Thread]:
        """The voices of a part that it leads from chord to chord, in the order of time."""
        return []

    def messages(self, tempo: TempoMap) -> list[tuple[float, str]]:
        """What was played in with it: seconds of the take and messages in hexadecimal figures."""
        return []

    def reach(self, take: Take) -> Reach:
        """Where the stroke acts. Raises NothingMatched."""
        picked, masks = select(take, self.target)
        start, end = self.target.span or (int(picked.start.min()), int(picked.end.max()))
        return Reach(start, end, list(masks), len(picked.id))

    def pieces(self, take: Take) -> "list[BaseStroke]":
        """The strokes that it comes to on a take, where it comes to several; none where it is one of its own."""
        return []

    def dials(self) -> "list[Dial]":
        """The amounts that it is put together from, each of which can be switched off by itself."""
        return []

    def seen(self, take: Take, start: int, end: int) -> Self:
        """As much of the stroke as is to be seen between two ticks; all of it where that is as soon worked out."""
        return self

    def looking(self, start: int, end: int) -> Self:
        """The stroke, of which what is seen between two ticks is made: no stroke that is kept."""
        made = self.model_copy()
        made._sight = (start, end)
        return made

    def also(self, take: Take) -> str:
        """What it moves besides what it is meant for, in a sentence; empty where it moves nothing else."""
        return ""

    def line(self, take: Take) -> list[tuple[int, float]]:
        """The stroke as a line over the lane it acts on, (tick, value); empty where it draws none."""
        return []

    def grips(self, take: Take) -> list[Grip]:
        """Where it can be taken by hand; nowhere, unless it says so."""
        return []

    def fitted(self, take: Take, tick: int, value: float) -> Self:
        """The stroke formed so that its line passes (tick, value) as nearly as it can; itself where it has no form."""
        return self
