"""The facts of a selection."""

from typing import NamedTuple

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import contained
from expression.dynamics import dynamic
from expression.memo import worked_out
from expression.notes import HIGHEST, LOWEST, Notes
from expression.sounding import Times, sounding_times
from expression.strokes import Where
from expression.strokes.base import masks_of, select
from expression.take import Take

BINS = 16


class _Lengths(NamedTuple):
    """How many notes there are and for how many ticks their keys are held, and the same of those that sound."""

    notes: int
    held: int
    sounding: int
    sounds: int


@worked_out(4, is_lasting=True)
def _lengths(notes: Notes, meant: bytes, times: Times) -> _Lengths:
    """Of the notes of a part that are meant (a mask, eight in a byte). Of those that are struck otherwise, and no more,
    it is known already.
    """
    mask = np.unpackbits(np.frombuffer(meant, np.uint8), count=len(notes)).astype(bool)
    mine = contained(times.id, np.sort(notes.id[mask]))
    sounds = int((times.end - times.start)[mine].sum())
    return _Lengths(int(mask.sum()), int((notes.end - notes.start)[mask].sum()), int(mine.sum()), sounds)


class Facts(TypedDict):
    """How many notes are selected, their velocities in numbers, and how these are spread (16 bins of 8)."""

    count: int
    lowest: int
    mean: float
    highest: int
    dynamic: str
    spread: list[int]
    at_end: int
    """Notes at the lowest or the highest velocity there is."""
    held: float
    """How long their keys are held, in beats: the mean ..."""
    sounds: float
    """... and how long they sound, pedals counted in."""


def facts(take: Take, where: Where) -> Facts:
    """The facts of what is selected. Raises NothingMatched."""
    masks = masks_of(take, where)
    if not masks:
        select(take, where)
    parts = [take.parts[part] for part in masks]
    velocity = np.concatenate([part.notes.velocity[masks[part.id]] for part in parts]).astype(np.int64)
    found = [
        _lengths(part.notes, np.packbits(masks[part.id]).tobytes(), sounding_times(take, part.channel))
        for part in parts
    ]
    count, held, sounding, sounds = (sum(column) for column in zip(*found, strict=True))
    held = held / count / take.resolution
    spread = np.bincount(velocity * BINS // 128, minlength=BINS)
    lowest, highest = int(velocity.min()), int(velocity.max())
    return {
        "count": len(velocity),
        "lowest": lowest,
        "mean": round(float(velocity.mean()), 1),
        "highest": highest,
        "dynamic": dynamic(float(velocity.mean())),
        "spread": spread.tolist(),
        "held": round(held, 2),
        "sounds": round(sounds / sounding / take.resolution if sounding else held, 2),
        "at_end": int(((velocity == LOWEST) | (velocity == HIGHEST)).sum()),
    }
