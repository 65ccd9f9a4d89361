"""The facts of a selection."""

from collections.abc import Mapping

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Flags, Ints, contained
from expression.dynamics import dynamic
from expression.memo import worked_out
from expression.notes import HIGHEST, LOWEST
from expression.sounding import Times, sounding_times
from expression.strokes import Where, select
from expression.take import Rows, Take

BINS = 16


def _sounds(take: Take, ids: Ints, masks: Mapping[int, Flags]) -> float:
    """How long notes (ids, ascending) sound, in beats, pedals counted in: the mean; 0 where all are muted."""
    channels = dict.fromkeys(take.parts[part].channel.id for part in masks)
    times = (sounding_times(take, take.channels[number]) for number in channels)
    return _mean(take.rows, ids.tobytes(), *times) / take.resolution


@worked_out(2)
def _mean(_: Rows, ids: bytes, *times: Times) -> float:
    """Of notes that are struck otherwise, and no more, it is known already."""
    chosen = np.frombuffer(ids, np.int64)
    mine = [contained(one.id, chosen) for one in times]
    total = sum(int((one.end - one.start)[which].sum()) for one, which in zip(times, mine, strict=True))
    return total / max(sum(int(which.sum()) for which in mine), 1)


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
