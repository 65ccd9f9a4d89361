"""Curves that belong to notes: pitch, pressure, timbre and pan of each note by itself, timed from its start."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Flags, Floats, Ints, frozen
from expression.curve import Curve

NOTE_PRESSURE = "note:pressure"
"""0 to 127, over what the channel's pressure is. Polyphonic pressure is this (MIDI 1.0, Polyphonic Key Pressure)."""
_APART = 2**40
"""Of a note's row times this, and a tick, is made one ascending number: no note lasts longer."""


@dataclass(frozen=True, eq=False)
class NoteCurves:
    """Curves of one kind, of those notes of a part that have one."""

    ids: Ints
    """Of the notes, ascending."""
    first: Ints
    """The node with which each note's curve begins; at the end, how many nodes there are."""
    nodes: Curve
    """Those of all notes, one note after another; ticks from the note's start. A note's last value is held."""

    @classmethod
    def of(cls, ids: Ints, nodes: Curve) -> "NoteCurves":
        """From the note of each node and the nodes, in any order of notes; those of one note in their order."""
        order = np.argsort(ids, kind="stable")
        known, first = np.unique(ids[order], return_index=True)
        first = np.append(first, len(order))
        rows = nodes.rows(order)
        hold = rows.hold.copy()
        hold[first[1:] - 1] = True
        curve = Curve.of(rows.ticks, rows.values, hold, rows.lift, rows.ease)
        return cls(frozen(known, np.int64), frozen(first, np.int64), curve)

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
        node = np.searchsorted(owner * _APART + self.nodes.ticks, row * _APART + at, side="right") - 1
        known &= (node >= 0) & (owner[np.maximum(node, 0)] == row)
        return np.where(known, self.nodes.along(np.maximum(node, 0), at.astype(np.float64)), np.nan)

    def owners(self) -> Ints:
        """The note of each node, by its id."""
        return np.asarray(np.repeat(self.ids, np.diff(self.first)))
