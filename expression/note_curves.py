"""Curves that belong to notes: pitch, pressure, timbre and pan of each note by itself, timed from its start."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Flags, Floats, Ints, contained, frozen, ranges, union
from expression.curve import NO_NODES, Curve

APART = 2**40
"""Of a note's row times this, and a tick, is made one ascending number: no note lasts longer."""
FEW = 16
"""Stretches of nodes that are copied one by one."""
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
            return NO_CURVES
        return cls.of(
            np.repeat(np.array(ids, dtype=np.int64), [len(one) for one in curves]), curves[0].then(*curves[1:])
        )

    def __len__(self) -> int:
        return len(self.ids)

    def curve(self, note: int) -> Curve:
        """The curve of one note by its id; without nodes where it has none."""
        row = int(np.searchsorted(self.ids, note))
        if row == len(self.ids) or self.ids[row] != note:
            return NO_NODES
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
        return self._kept(self._of(notes))

    def without(self, notes: Ints) -> "NoteCurves":
        """The curves of all other notes; what was recorded of these (ids) is said no longer."""
        rest = self._kept(~self._of(notes))
        made = frozen(union(self.made, notes), np.int64)
        return replace(rest, rows=self.rows, notes_of_rows=self.notes_of_rows, made=made)

    def with_curves(self, notes: Ints, other: "NoteCurves") -> "NoteCurves":
        """With other curves for some notes (ids); one that has none in `other` has none any longer."""
        made = frozen(union(self.made, notes), np.int64)
        stays = np.flatnonzero(~self._of(notes))
        if not len(stays):
            # All that have any get others: nothing has to be put together.
            return replace(other, rows=self.rows, notes_of_rows=self.notes_of_rows, made=made)
        # Note by note, not node by node: of most there are many.
        ids = np.concatenate((self.ids[stays], other.ids))
        start, end = (
            np.concatenate((self.first[stays + after], other.first[after : len(other) + after] + len(self.nodes)))
            for after in (0, 1)
        )
        order = np.argsort(ids, kind="stable")
        both = _picked(self.nodes, ids[order], start[order], end[order], other.nodes)
        return replace(both, rows=self.rows, notes_of_rows=self.notes_of_rows, made=made)

    def renamed(self, notes: Ints, names: Ints) -> "NoteCurves":
        """The curves of some notes (ids, each as often as it is named) under other ids."""
        row = np.minimum(np.searchsorted(self.ids, notes), max(len(self.ids) - 1, 0))
        known = self.ids[row] == notes if len(self.ids) else np.zeros(len(notes), dtype=bool)
        row, names = row[known], names[known]
        nodes, which = ranges(self.first[row], self.first[row + 1])
        return NoteCurves.of(names[which], self.nodes.rows(nodes))

    def _of(self, notes: Ints) -> Flags:
        """Which of its notes are among others (ids, in any order)."""
        return contained(self.ids, np.sort(notes))

    def _kept(self, notes: Flags) -> "NoteCurves":
        if notes.all():
            return NoteCurves(self.ids, self.first, self.nodes)
        row = np.flatnonzero(notes)
        return _picked(self.nodes, self.ids[row], self.first[row], self.first[row + 1])


def _picked(nodes: Curve, ids: Ints, start: Ints, end: Ints, more: Curve = NO_NODES) -> NoteCurves:
    """The curves of notes (ids, ascending) that lie among others (with `more` behind), each from one node to before
    another.
    """
    first, count = np.append(0, np.cumsum(end - start)), len(nodes)
    # Notes that are chosen lie mostly together: a few stretches are copied sooner than node by node.
    breaks = np.flatnonzero((start[1:] != end[:-1]) | (start[1:] == count))
    if len(ids) and len(breaks) < FEW:
        edges = zip(start[np.append(0, breaks + 1)].tolist(), end[np.append(breaks, -1)].tolist(), strict=True)
        one, *others = (
            nodes.rows(slice(a, b)) if a < count else more.rows(slice(a - count, b - count)) for a, b in edges
        )
        made = one.then(*others)
    else:
        made = (nodes.then(more) if len(more) else nodes).rows(ranges(start, end)[0])
    return NoteCurves(frozen(ids, np.int64), frozen(first, np.int64), made)


NO_CURVES = NoteCurves.of(NOTHING, NO_NODES)
