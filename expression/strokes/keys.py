"""Notes on other keys: by so many of them, or by steps of a scale."""

from typing import Annotated

import numpy as np
from pydantic import Field

from expression.arrays import Flags, Ints
from expression.errors import NothingMatched
from expression.notes import Notes

PitchClasses = Annotated[
    tuple[Annotated[int, Field(ge=0, le=11)], ...],
    Field(min_length=1, max_length=12, description="Pitch classes, 0 is C; at least one."),
]
Keys = Annotated[int, Field(ge=-127, le=127)]


def transposed(notes: Notes, mask: Flags, keys: int, scale: tuple[int, ...] | None) -> Ints:
    """The pitches of notes of which some are so many keys, or steps of a scale, higher. Raises NothingMatched."""
    pitch = notes.pitch.astype(np.int64)
    made = pitch[mask] + keys if scale is None else stepped(pitch[mask], keys, scale)
    beyond = (made < 0) | (made > 127)
    if beyond.any():
        room = int(pitch[mask].min()) if keys < 0 else 127 - int(pitch[mask].max())
        offer = {"keys": float(room if keys > 0 else -room)} if scale is None and room else {}
        count = int(beyond.sum())
        raise NothingMatched(
            f"{'1 note' if count == 1 else f'{count:,} notes'} would leave the keyboard, which has keys 0 to 127; "
            + (f"move them by at most {room}." if room else "there is no room on that side."),
            "keys",
            offer,
        )
    pitch[mask] = made
    return pitch


def stepped(pitch: Ints, steps: int, scale: tuple[int, ...]) -> Ints:
    """Pitches so many steps of a scale higher; one beside the scale keeps its distance to the step below it."""
    degrees = np.array(sorted(set(scale)), dtype=np.int64)
    octave, within = np.divmod(pitch - degrees[0], 12)
    offsets = degrees - degrees[0]
    row = np.searchsorted(offsets, within, side="right") - 1
    beside = within - offsets[row]
    turns, row = np.divmod(row + steps, len(degrees))
    return np.asarray((octave + turns) * 12 + offsets[row] + degrees[0] + beside)
