"""What strokes on the curves of notes share: the chosen notes, and what becomes of their curves."""

from abc import abstractmethod
from typing import Annotated, NamedTuple, Self

import numpy as np
from pydantic import Field, field_validator
from typing_extensions import override

from expression.arrays import Flags, Ints
from expression.errors import NothingMatched
from expression.lanes import LANES, NOTE_LANES
from expression.note_curves import NO_CURVES, NoteCurves
from expression.piece import Piece
from expression.piece import clipped as piece_clipped
from expression.strokes.base import BaseStroke, masks_of, select, sounding_in
from expression.take import Part, Take

ALL = "`note:pitch`, `note:pressure`, `note:timbre`, `note:pan`, or `note:cc:1` to `note:cc:119`."
NoteLane = Annotated[str, Field(description=ALL)]


def known_note_lane(key: str, field: str = "lane") -> str:
    """The key of a kind of curve that notes have. Raises ValueError where there is none."""
    if key in NOTE_LANES:
        return key
    raise ValueError(
        f"{field} must be note:pitch, note:pressure, note:timbre, note:pan or note:cc:1 to note:cc:119 (but no pedal), "
        f"not {key[:40]!r}"
    )


class Chosen(NamedTuple):
    """The chosen notes of a part. One element of each array a note."""

    part: Part
    id: Ints
    start: Ints
    length: Ints
    pitch: Ints
    velocity: Ints

    @classmethod
    def of(cls, part: Part, mask: Flags) -> "Chosen":
        """By a mask of the notes of a part."""
        notes = part.notes.only(mask)
        length = np.maximum(notes.end - notes.start, 1)
        return cls(part, notes.id, notes.start, length, notes.pitch.astype(np.int64), notes.velocity.astype(np.int64))


class NoteStroke(BaseStroke):
    """A stroke on the curves of chosen notes."""

    lane: NoteLane

    @field_validator("lane")
    @classmethod
    def _known_lane(cls, lane: str) -> str:
        return known_note_lane(lane)

    @property
    def target_lane(self) -> str:
        """The kind of curve that it makes."""
        return self.lane

    @property
    def name(self) -> str:
        """What the kind is called."""
        return LANES[self.lane].name

    @override
    def apply(self, take: Take) -> Take:
        _, masks = select(take, self.where)
        changed: dict[int, dict[str, NoteCurves]] = {}
        for number, mask in masks.items():
            chosen = Chosen.of(take.parts[number], mask)
            made = self.curves(take, chosen)
            if made is None:
                continue
            ids, curves = made
            known = chosen.part.curves.get(self.target_lane, NO_CURVES)
            changed[number] = {self.target_lane: known.with_curves(ids, clipped(curves, self.target_lane))}
        if not changed:
            raise NothingMatched(self.nothing)
        return take.with_curves(changed)

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        near = sounding_in(take, self.where, start, end)
        return self if near is self.where else self.model_copy(update={"where": near})

    @property
    def nothing(self) -> str:
        """Why it matches nothing although notes are chosen."""
        return f"None of the chosen notes has a curve of its own here ({self.name})."

    @abstractmethod
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves] | None:
        """The notes (ids) that get other curves, and these; None where there is nothing for the stroke to do."""

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        """The curve of the first of the notes, as it becomes."""
        for number, mask in masks_of(take, self.where).items():
            # Two are enough: one of them may be the one whose curve is given.
            few = np.zeros(len(mask), dtype=bool)
            few[np.flatnonzero(mask)[:2]] = True
            chosen = Chosen.of(take.parts[number], few)
            made = self.curves(take, chosen)
            if made is None or not len(made[1]):
                continue
            curve = made[1].curve(int(made[1].ids[0]))
            ticks = curve.places(8)
            values = np.round(np.nan_to_num(curve.at(ticks)), 3)
            start = int(chosen.start[chosen.id == made[1].ids[0]][0])
            return list(zip((ticks + start).tolist(), values.tolist(), strict=True))
        return []


def clipped(curves: NoteCurves, key: str) -> NoteCurves:
    """Curves held within the range of their kind; a way that leaves it stays at the end of the range."""
    kind, nodes = LANES[key], curves.nodes
    if not len(nodes) or (nodes.values.min() >= kind.low and nodes.values.max() <= kind.high):
        return curves
    # On one line, one note after another.
    apart = 1 << (2 * int(nodes.ticks.max(initial=0)) + 2).bit_length()
    base = np.repeat(np.arange(len(curves)) * apart, np.diff(curves.first))
    line = Piece(0, apart * len(curves), nodes.timed(nodes.ticks + base))
    held = piece_clipped(line, kind.low, kind.high, kind.error).curve
    return NoteCurves.of(curves.ids[held.ticks // apart], held.timed(held.ticks % apart))
