"""The sounding shape of notes: pitch, loudness and brightness over time, as ribbons draw them."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Floats, Ints
from expression.lanes import BEND, EXPRESSION, LANES, PRESSURE, TIMBRE
from expression.take import Part

SHAPING = (BEND, EXPRESSION, TIMBRE, PRESSURE)
MOST_POINTS = 40
"""Points a note: more than a ribbon has pixels to show unless it is very long."""


class Contour(TypedDict):
    """The sounding shape of a part's notes in columns. `count` gives each note's points.

    Of each point: `tick` from the note's start, `bend` in hundredths of a semitone, `loud` (velocity is multiplied by
    it) and `ink` (brightness), both 0 to 100.
    """

    count: list[int]
    tick: list[int]
    bend: list[int]
    loud: list[int]
    ink: list[int]


def contours(part: Part) -> Contour | None:
    """The shape of every note of a part; None where no lane shapes them."""
    lanes = {key: part.lanes[key].curve for key in SHAPING if key in part.lanes}
    notes = part.notes
    if not lanes or not len(notes):
        return None
    moments = np.unique(np.concatenate([curve.ticks for curve in lanes.values()]))
    # What moves within a note: from the first moment after its start to the last before its end.
    first = np.searchsorted(moments, notes.start, side="right")
    after = np.searchsorted(moments, notes.end, side="left")
    step = np.maximum(-(-(after - first) // (MOST_POINTS - 1)), 1)
    count = 1 + np.maximum(-(-(after - first) // step), 0)
    owner = np.repeat(np.arange(len(notes)), count)
    place = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    inner = np.minimum(first[owner] + np.maximum(place - 1, 0) * step[owner], max(len(moments) - 1, 0))
    tick = np.where(place == 0, notes.start[owner], moments[inner])

    def value(key: str) -> Floats:
        otherwise = LANES[key].default
        if key not in lanes:
            return np.full(len(tick), otherwise)
        return np.nan_to_num(lanes[key].at(tick), nan=otherwise)

    def share(key: str) -> Floats:
        return value(key) / LANES[key].high

    loud, ink = share(EXPRESSION), (share(TIMBRE) + share(PRESSURE)) / 2
    return {
        "count": count.tolist(),
        "tick": (tick - notes.start[owner]).tolist(),
        "bend": _whole(value(BEND) * 100),
        "loud": _whole(loud * 100),
        "ink": _whole(ink * 100),
    }


def _whole(values: Floats) -> list[int]:
    rounded: Ints = np.rint(values).astype(np.int64)
    return list(rounded.tolist())
