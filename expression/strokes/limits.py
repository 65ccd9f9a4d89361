"""What a group of velocities does at the end of the range: one rule for every stroke that moves a group."""

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from expression.arrays import Floats, Ints, whole
from expression.notes import HIGHEST, LOWEST

Limit = Annotated[
    Literal["stop", "pin", "squeeze"],
    Field(
        description=(
            "At the end of the range: `stop` halts the whole group when its first note is at the end, `pin` leaves "
            "each note at the end, `squeeze` compresses the group so that louder stays louder."
        ),
    ),
]


def limited(velocity: Ints, wanted: Floats | Ints, limit: str) -> Ints:
    """Velocities that a group on its way from `velocity` to `wanted` comes to; whole, all within the range."""
    wanted = np.asarray(wanted, dtype=np.float64)
    if whole(wanted.max()) <= HIGHEST and whole(wanted.min()) >= LOWEST:
        return whole(wanted)
    return np.clip(_LIMITS[limit](velocity, wanted), LOWEST, HIGHEST)


def limited_between(values: Floats, wanted: Floats, limit: str, low: float, high: float) -> Floats:
    """The same for values of a lane, which need not be whole: squeezed, they keep their proportions."""
    if wanted.min() >= low and wanted.max() <= high:
        return wanted
    if limit == "stop":
        wanted = _stopped(values, wanted, low, high)
    elif limit == "squeeze":
        bottom, top = max(float(wanted.min()), low), min(float(wanted.max()), high)
        spread = max(float(np.ptp(wanted)), 1e-9)
        wanted = bottom + (wanted - wanted.min()) * (top - bottom) / spread
    return np.clip(wanted, low, high)


def _stopped(values: Floats | Ints, wanted: Floats, low: float, high: float) -> Floats:
    """All go the same share of their way: as much as the first to reach the end can."""
    way = wanted - values
    room = np.where(way > 0, high - values, low - values)
    share = np.divide(room, way, out=np.ones_like(way), where=way != 0)
    return np.asarray(values + way * min(max(float(share.min()), 0.0), 1.0))


def _pin(velocity: Ints, wanted: Floats) -> Ints:
    return whole(wanted)


def _stop(velocity: Ints, wanted: Floats) -> Ints:
    return whole(_stopped(velocity, wanted, LOWEST, HIGHEST))


def _squeeze(velocity: Ints, wanted: Floats) -> Ints:
    """What lies past an end is drawn in evenly, as far as the other end of the group; steps stay steps."""
    steps, step = np.unique(whole(wanted), return_inverse=True)
    if steps[-1] <= HIGHEST:  # Only past the low end: the same, seen in a mirror.
        return LOWEST + HIGHEST - _drawn_in(LOWEST + HIGHEST - steps[::-1])[::-1][step]
    return _drawn_in(steps)[step]


def _drawn_in(steps: Ints) -> Ints:
    """Ascending steps, the last past the high end, within the range; each above the one before while there is room."""
    # The softest stays where it is unless the others need its room; the rest is spread evenly up to the end.
    low = max(min(int(steps[0]), HIGHEST - (len(steps) - 1)), LOWEST)
    made = whole(low + (steps - steps[0]) * (HIGHEST - low) / max(int(steps[-1] - steps[0]), 1))
    if len(steps) <= HIGHEST - low + 1:
        count = np.arange(len(steps))
        made = np.minimum(np.maximum.accumulate(made - count) + count, HIGHEST - count[::-1])
    return made


_LIMITS: dict[str, Callable[[Ints, Floats], Ints]] = {"stop": _stop, "pin": _pin, "squeeze": _squeeze}
