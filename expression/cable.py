"""What is said about the cable to an instrument: ranges of bend, zones, how finely and in which form it is sent."""

from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Floats, Ints


class BendRange(NamedTuple):
    """The range of the bend wheel over time: from each of `ticks` on, that many `semitones` either way."""

    ticks: Ints
    semitones: Floats

    def at(self, ticks: ArrayLike) -> Floats:
        """Semitones either way at `ticks` (any shape)."""
        return np.asarray(self.semitones[np.maximum(np.searchsorted(self.ticks, ticks, side="right") - 1, 0)])


class Pace(NamedTuple):
    """How finely the ways of a lane are sent."""

    grain: float
    """An event comes for each change by so much, in the lane's unit: what is heard is half of it off at most."""
    seconds: float
    """Events come no closer together than this ..."""
    worst: float
    """... unless what is heard were further off than this."""


class Instrument(NamedTuple):
    """What the instrument at the end of the cable can do with its bend range."""

    largest: float | None = None
    """Semitones; None: whatever can be said."""
    is_told: bool = True
    """It answers registered parameter 0; otherwise its range is set by hand, and nothing is said to it."""


class Zone(NamedTuple):
    """A zone of MPE (M1-100, 2.1): a manager channel, and members of which each carries one note at a time."""

    is_lower: bool = True
    """Managed by channel 1, with members upwards from 2; the upper one by channel 16, with members downwards."""
    members: int = 15
    reach: float = 48.0
    """Semitones: the bend range of the members."""

    @property
    def manager(self) -> int:
        """The channel (0 to 15) that says what all notes share."""
        return 0 if self.is_lower else 15

    @property
    def channels(self) -> tuple[int, ...]:
        """The member channels (0 to 15), from the manager's side on."""
        return tuple(range(1, 1 + self.members)) if self.is_lower else tuple(range(14, 14 - self.members, -1))


class Sending(NamedTuple):
    """How the curves of a channel's notes are sent."""

    way: Literal["auto", "plain", "mpe"] = "auto"
    """In messages of the one channel, or in a zone; by itself: in a zone where the one channel could not say them."""
    zone: Zone = Zone()
    replaces: frozenset[str] = frozenset()
    """Kinds of curves that stand in the place of the channel's lane; others are added to it."""


class Answers(NamedTuple):
    """What the instrument of a channel takes of each note by itself."""

    keys: frozenset[str] | None = None
    """Kinds of curves; None: all."""
    semitones: float | None = None
    """How far it bends a note; None: as far as it is told."""
    rings: float | None = None
    """Seconds that a note is heard after it was let go; None: nobody has said."""

    def takes(self, key: str) -> bool:
        """Whether it takes a kind of curve."""
        return self.keys is None or key in self.keys


class Statement(NamedTuple):
    """A bend range as it is said in full: the messages of registered parameter 0 and of the null parameter after it."""

    ticks: tuple[int, ...]
    controls: tuple[tuple[int, int], ...]
    """Controller and value of each message."""
    is_crowded: bool
    """The music leaves no room for the gap that was asked for between them."""
    at: int
    """The range is meant from this tick on; it may be said earlier, where no bend is told otherwise by that."""
    semitones: float
    since: int
    """It is said after this tick."""
    gap: float
    """Seconds asked for between two messages."""
