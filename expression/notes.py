"""Notes of a part, as arrays of one length."""

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Bytes, Flags, Ints, frozen, joined
from expression.memo import Remembers, passed_on

LOWEST, HIGHEST = 1, 127
"""Velocities a note can have. Note-on with velocity 0 is a note-off (MIDI 1.0, Note-Off)."""


@dataclass(frozen=True, eq=False)
class Notes(Remembers):
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
    page_start: Ints
    page_end: Ints
    """Where it is written, in ticks; a start of -1: it is heard, but not written."""

    @classmethod
    def made(
        cls, id: Ints, start: Ints, end: Ints, pitch: ArrayLike, velocity: ArrayLike, **more: ArrayLike
    ) -> "Notes":
        """New notes, which no recorded event stands for, in the order of their onsets. `more`: other columns."""
        columns = {
            "release": 64,
            "muted": False,
            "cue": False,
            "on": -1,
            "off": -1,
            "page_start": start,
            "page_end": end,
        }
        columns |= {"id": id, "start": start, "end": end, "pitch": pitch, "velocity": velocity, **more}
        kinds = {"pitch": np.uint8, "velocity": np.uint8, "release": np.uint8, "muted": bool, "cue": bool}
        made = {
            name: frozen(np.array(np.broadcast_to(np.asarray(column), (len(id),))), kinds.get(name, np.int64))
            for name, column in columns.items()
        }
        return cls(**made).in_order()

    def __len__(self) -> int:
        return len(self.id)

    def with_velocity(self, velocity: ArrayLike) -> "Notes":
        """The same notes at other velocities; all else is shared."""
        made = replace(self, velocity=frozen(np.asarray(velocity, dtype=np.uint8), np.uint8))
        passed_on(self, made)
        return made

    def only(self, rows: Flags | Ints | slice) -> "Notes":
        """Some of the notes, by mask, by rows or by a slice of these."""
        return Notes(*(_picked(getattr(self, field.name), rows) for field in fields(self)))

    def until(self, end: Ints) -> "Notes":
        """The same notes with other ends."""
        return replace(self, end=frozen(end, np.int64))

    def moved(self, start: Ints, end: Ints) -> "Notes":
        """The same notes at other times."""
        return replace(self, start=frozen(start, np.int64), end=frozen(end, np.int64))

    def put(self, **columns: ArrayLike) -> "Notes":
        """The same notes with other columns, in the order of their onsets."""
        made = {name: frozen(column, getattr(self, name).dtype) for name, column in columns.items()}
        return replace(self, **made).in_order()

    def in_order(self) -> "Notes":
        """The same notes in the order of their onsets."""
        if bool((self.start[1:] >= self.start[:-1]).all()):
            return self
        return self.only(np.argsort(self.start, kind="stable"))

    def merged(self, others: "Notes") -> "Notes":
        """These and others together, in the order of their onsets."""
        return Notes(
            *(joined(getattr(self, field.name), getattr(others, field.name)) for field in fields(self))
        ).in_order()

    def between(self, start: int, end: int) -> Flags:
        """Which notes are there at any time from one tick to before another."""
        return np.asarray((self.start < end) & (self.end > start))

    @property
    def written(self) -> Flags:
        """Which notes stand on the page."""
        return np.asarray((self.page_start >= 0) & ~self.cue & ~self.muted)

    @property
    def music(self) -> Flags:
        """Which notes are part of the music."""
        return ~self.cue


def _picked(column: np.ndarray, rows: Flags | Ints | slice) -> np.ndarray:
    return frozen(column[rows], column.dtype)
