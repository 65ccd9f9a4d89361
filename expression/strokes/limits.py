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


def limited_between(values: Floats, wanted: Floats, limit: str, low: float, high: float, group: Ints) -> Floats:
    """The same for values of curves, which need not be whole: squeezed, they keep their proportions.

    Each curve is a group by itself: `group` tells of each value the number of its curve.
    """
    count = int(group.max(initial=-1)) + 1
    # What one group has for all is not looked up for each.
    of = slice(None) if count == 1 else group

    def extreme(of_groups: np.ufunc, of_all: float, numbers: Floats) -> Floats:
        if count == 1:
            return np.array([of_groups.reduce(numbers)])
        found = np.full(count, of_all)
        of_groups.at(found, group, numbers)
        return found

    if limit == "stop":
        share = extreme(np.minimum, np.inf, _share(values, wanted, low, high))
        wanted = values + (wanted - values) * np.clip(share, 0.0, 1.0)[of]
    elif limit == "squeeze":
        least, most = extreme(np.minimum, np.inf, wanted), extreme(np.maximum, -np.inf, wanted)
        outside = (least < low) | (most > high)
        bottom, top = np.maximum(least, low), np.minimum(most, high)
        spread = np.maximum(most - least, 1e-9)
        squeezed = bottom[of] + (wanted - least[of]) * (top - bottom)[of] / spread[of]
        wanted = np.where(outside[of], squeezed, wanted)
    return np.clip(wanted, low, high)


def _share(values: Floats | Ints, wanted: Floats, low: float, high: float) -> Floats:
    """How much of its way each can go before it is at an end."""
    way = wanted - values
    room = np.where(way > 0, high - values, low - values)
    return np.asarray(np.divide(room, way, out=np.ones_like(way), where=way != 0))


def _stopped(values: Ints, wanted: Floats, low: float, high: float) -> Floats:
    """All go the same share of their way: as much as the first to reach the end can."""
    share = float(_share(values, wanted, low, high).min())
    return np.asarray(values + (wanted - values) * min(max(share, 0.0), 1.0))


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
