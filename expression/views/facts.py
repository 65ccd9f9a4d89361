"""The facts of a selection."""

import numpy as np
from typing_extensions import TypedDict

from expression.dynamics import dynamic
from expression.notes import HIGHEST, LOWEST
from expression.strokes import Where, select
from expression.take import Take

BINS = 16


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


def facts(take: Take, where: Where) -> Facts:
    """The facts of what is selected. Raises NothingMatched."""
    velocity = select(take, where).picked.velocity
    spread = np.bincount(velocity * BINS // 128, minlength=BINS)
    lowest, highest = int(velocity.min()), int(velocity.max())
    return {
        "count": len(velocity),
        "lowest": lowest,
        "mean": round(float(velocity.mean()), 1),
        "highest": highest,
        "dynamic": dynamic(float(velocity.mean())),
        "spread": spread.tolist(),
        "at_end": int(((velocity == LOWEST) | (velocity == HIGHEST)).sum()),
    }
