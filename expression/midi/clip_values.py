"""What writing and reading a MIDI 2.0 clip file (M2-116-U) have in common: its numbers, and the order at a tick."""

from enum import IntEnum

NOTE_RANGE = (0, 7)
"""The registered controller that says how far bends of single notes go, in 1/2^25 of a semitone (M2-104, 7.4.11)."""
RANGE = (0, 0)
REGISTERED = frozenset((1, 2, 7, 8, 10, 11, *range(70, 80), 91, 92, 93, 94, 95))
"""Numbers of registered controllers of notes (M2-104, appendix A.5); others go as assignable ones."""
ITS_PITCH = 3
"""The registered controller that says the pitch of a note itself, in 1/2^25 of a semitone (M2-104, appendix A.5); and
the attribute of a note that does, in 1/2^9 (7.4.2)."""
HALF = 1 << 31
SEMITONE = 1 << 25
"""Of pitches in 32 bits."""
SEVENTH = 18
"""Of a value of 32 bits, where the lower of two data bytes of MIDI 1.0 stands; the upper is 7 bits higher."""
DETACH, AT_REST = 2, 1
"""Flags of the management of notes (M2-104, 7.4.6): what sounds on the key listens no longer to what is said to the
key; what is struck on it next begins at rest.
"""
WHOLE, BEGINS, GOES_ON, ENDS = range(4)
"""What a packet is of a message in several (M2-104, 7.5 and 7.7)."""


class At(IntEnum):
    """The order at one tick."""

    EXCLUSIVE = 0
    SET = 1
    """Programs, ranges and other parameters."""
    VALUE = 2
    OVER = 3
    """Ends of notes."""
    STRUCK = 4


def named(group: int, number: int, groups: int) -> str:
    """What a channel is called that has no name."""
    return f"Channel {number + 1}" if groups < 2 else f"Group {group + 1}, {number + 1}"
