"""Notes of a part, as arrays of one length."""

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Bytes, Flags, Ints, frozen, joined

LOWEST, HIGHEST = 1, 127
"""Velocities a note can have. Note-on with velocity 0 is a note-off (MIDI 1.0, Note-Off)."""


@dataclass(frozen=True, eq=False)
class Notes:
    """Notes in the order of their onsets. One element of each array a note."""

    id: Ints
    """Unlike any other in the take, for ever."""
    start: Ints
    end: Ints
    """Ticks."""
    pitch: Bytes
    velocity: Bytes
    release: Bytes
    muted: Flags
    cue: Flags
    """Heard by the instrument but no part of the music (a keyswitch)."""
    on: Ints
    off: Ints
    """Rows of the source track's events that start and end the note; -1 where it is no recorded one."""

    def __len__(self) -> int:
        return len(self.id)

    def with_velocity(self, velocity: ArrayLike) -> "Notes":
        """The same notes at other velocities; all else is shared."""
        return replace(self, velocity=frozen(np.asarray(velocity, dtype=np.uint8), np.uint8))

    def only(self, rows: Flags | Ints | slice) -> "Notes":
        """Some of the notes, by mask, by rows or by a slice of these."""
        return Notes(*(_picked(getattr(self, field.name), rows) for field in fields(self)))

    def until(self, end: Ints) -> "Notes":
        """The same notes with other ends."""
        return replace(self, end=frozen(end, np.int64))

    def moved(self, start: Ints, end: Ints) -> "Notes":
        """The same notes at other times."""
        return replace(self, start=frozen(start, np.int64), end=frozen(end, np.int64))

    def merged(self, others: "Notes") -> "Notes":
        """These and others together, in the order of their onsets."""
        both = Notes(*(joined(getattr(self, field.name), getattr(others, field.name)) for field in fields(self)))
        return both.only(np.argsort(both.start, kind="stable"))

    def shared_with(self, others: "Notes") -> Flags:
        """Which of these have their ids among others."""
        return np.isin(self.id, others.id)

    @property
    def music(self) -> Flags:
        """Which notes are part of the music."""
        return ~self.cue


def _picked(column: np.ndarray, rows: Flags | Ints | slice) -> np.ndarray:
    return frozen(column[rows], column.dtype)
