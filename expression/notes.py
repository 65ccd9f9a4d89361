"""Notes of a part, as arrays of one length."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Bytes, Flags, Ints, frozen

LOWEST, HIGHEST = 1, 127
"""Velocities a note can have. Note-on with velocity 0 is a note-off (MIDI 1.0, Note-Off)."""


@dataclass(frozen=True, eq=False)
class Notes:
    """Notes in the order of their onsets in the source. One element of each array a note."""

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
    """Rows of the source track's events that start and end the note."""

    def __len__(self) -> int:
        return len(self.id)

    def with_velocity(self, velocity: ArrayLike) -> "Notes":
        """The same notes at other velocities; all else is shared."""
        return replace(self, velocity=frozen(np.asarray(velocity, dtype=np.uint8), np.uint8))

    @property
    def music(self) -> Flags:
        """Which notes are part of the music."""
        return ~self.cue
