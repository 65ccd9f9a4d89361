"""Curves that belong to notes: pitch, pressure, timbre and pan of each note by itself, timed from its start."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Flags, Floats, Ints, frozen, ranges
from expression.curve import Curve

APART = 2**40
"""Of a note's row times this, and a tick, is made one ascending number: no note lasts longer."""
NOTHING = frozen([], np.int64)


@dataclass(frozen=True, eq=False)
class NoteCurves:
    """Curves of one kind, of those notes of a part that have one."""

    ids: Ints
    """Of the notes, ascending."""
    first: Ints
    """The node with which each note's curve begins; at the end, how many nodes there are."""
    nodes: Curve
    """Those of all notes, one note after another; ticks from the note's start. A note's last value is held."""
    rows: Ints = field(default_factory=lambda: NOTHING)
    """Rows of the part's track that said what these curves say, as they were recorded ..."""
    notes_of_rows: Ints = field(default_factory=lambda: NOTHING)
    """... and of each the note for which it did."""
    made: Ints = field(default_factory=lambda: NOTHING)
    """Notes whose curves strokes have made, or taken away: what was recorded of these is not sent any longer."""

    @classmethod
    def of(cls, ids: Ints, nodes: Curve) -> "NoteCurves":
        """From the note of each node and the nodes, in any order of notes; those of one note in their order."""
        if len(ids) and (ids[1:] < ids[:-1]).any():
            order = np.argsort(ids, kind="stable")
            ids, nodes = ids[order], nodes.rows(order)
        first = (
            np.append(np.flatnonzero(np.diff(ids, prepend=-1)), len(ids)) if len(ids) else np.zeros(1, dtype=np.int64)
        )
        known = ids[first[:-1]]
        hold = nodes.hold.copy()
        hold[first[1:] - 1] = True
        curve = Curve.of(nodes.ticks, nodes.values, hold, nodes.lift, nodes.ease)
        return cls(frozen(known, np.int64), frozen(first, np.int64), curve)

    def recorded(self, rows: Ints, notes_of_rows: Ints) -> "NoteCurves":
        """The same, said by rows of the part's track, each for the note that is its heir."""
        return replace(self, rows=frozen(rows, np.int64), notes_of_rows=frozen(notes_of_rows, np.int64))

    @classmethod
    def each(cls, ids: Sequence[int], curves: Sequence[Curve]) -> "NoteCurves":
        """From the curve of each note."""
        if not len(ids):
            return cls.of(NOTHING, Curve.of([], []))
        return cls.of(
            np.repeat(np.array(ids, dtype=np.int64), [len(one) for one in curves]), curves[0].then(*curves[1:])
        )

    def __len__(self) -> int:
        return len(self.ids)

    def curve(self, note: int) -> Curve:
        """The curve of one note by its id; without nodes where it has none."""
        row = int(np.searchsorted(self.ids, note))
        if row == len(self.ids) or self.ids[row] != note:
            return Curve.of([], [])
        return self.nodes.rows(slice(int(self.first[row]), int(self.first[row + 1])))

    def at(self, notes: Ints, ticks: ArrayLike) -> Floats:
        """Values at `ticks` from the starts of `notes` (ids; both of one shape); NaN where a note has none yet."""
        at = np.asarray(ticks, dtype=np.int64)
        row = np.minimum(np.searchsorted(self.ids, notes), max(len(self.ids) - 1, 0))
        known: Flags = self.ids[row] == notes if len(self.ids) else np.zeros(at.shape, dtype=bool)
        if not known.any():
            return np.full(at.shape, np.nan)
        owner = np.repeat(np.arange(len(self.ids)), np.diff(self.first))
        node = np.searchsorted(owner * APART + self.nodes.ticks, row * APART + at, side="right") - 1
        known &= (node >= 0) & (owner[np.maximum(node, 0)] == row)
        return np.where(known, self.nodes.along(np.maximum(node, 0), at.astype(np.float64)), np.nan)

    def owners(self) -> Ints:
        """The note of each node, by its id."""
        return np.asarray(np.repeat(self.ids, np.diff(self.first)))

    def only(self, notes: Ints) -> "NoteCurves":
        """The curves of some notes (ids)."""
        return self._kept(np.isin(self.ids, notes))

    def without(self, notes: Ints) -> "NoteCurves":
        """The curves of all other notes; what was recorded of these (ids) is said no longer."""
        rest = self._kept(~np.isin(self.ids, notes))
        made = frozen(np.union1d(self.made, notes), np.int64)
        return replace(rest, rows=self.rows, notes_of_rows=self.notes_of_rows, made=made)

    def with_curves(self, notes: Ints, other: "NoteCurves") -> "NoteCurves":
        """With other curves for some notes (ids); one that has none in `other` has none any longer."""
        if not len(np.setdiff1d(self.ids, notes, assume_unique=True)):
            # All that have any get others: nothing has to be put together.
            made = frozen(np.union1d(self.made, notes), np.int64)
            return replace(other, rows=self.rows, notes_of_rows=self.notes_of_rows, made=made)
        rest = self.without(notes)
        both = NoteCurves.of(np.concatenate((rest.owners(), other.owners())), rest.nodes.then(other.nodes))
        return replace(both, rows=rest.rows, notes_of_rows=rest.notes_of_rows, made=rest.made)

    def renamed(self, notes: Ints, names: Ints) -> "NoteCurves":
        """The curves of some notes (ids, each as often as it is named) under other ids."""
        row = np.minimum(np.searchsorted(self.ids, notes), max(len(self.ids) - 1, 0))
        known = self.ids[row] == notes if len(self.ids) else np.zeros(len(notes), dtype=bool)
        row, names = row[known], names[known]
        nodes, which = ranges(self.first[row], self.first[row + 1])
        return NoteCurves.of(names[which], self.nodes.rows(nodes))

    def _kept(self, notes: Flags) -> "NoteCurves":
        if notes.all():
            return NoteCurves(self.ids, self.first, self.nodes)
        nodes = np.repeat(notes, np.diff(self.first))
        return NoteCurves.of(self.owners()[nodes], self.nodes.rows(nodes))
