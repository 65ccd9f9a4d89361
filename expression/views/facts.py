"""The facts of a selection."""

from collections.abc import Mapping

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Flags, Ints, contained
from expression.dynamics import dynamic
from expression.notes import HIGHEST, LOWEST
from expression.sounding import sounding
from expression.strokes import Where, select
from expression.take import Take

BINS = 16


def _sounds(take: Take, ids: Ints, masks: Mapping[int, Flags]) -> float:
    """How long notes (ids, ascending) sound, in beats, pedals counted in: the mean; 0 where all are muted."""
    total, count = 0, 0
    for number in {take.parts[part].channel.id for part in masks}:
        sounds = sounding(take, take.channels[number])
        mine = contained(sounds.id, ids)
        total += int((sounds.end - sounds.start)[mine].sum())
        count += int(mine.sum())
    return total / max(count, 1) / take.resolution


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
    picked, masks = select(take, where)
    velocity = picked.velocity
    held = float((picked.end - picked.start).mean()) / take.resolution
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
        "sounds": round(_sounds(take, np.sort(picked.id), masks) or held, 2),
        "at_end": int(((velocity == LOWEST) | (velocity == HIGHEST)).sum()),
    }
