"""Bar lines for what was played freely: beats that were tapped, or found, and the tempo that goes with them.

Beats are found as Ellis does (Beat Tracking by Dynamic Programming, 2007): a pulse is estimated from the
autocorrelation of the onsets, weighted towards two a second, and then that sequence of beats is taken which meets
strong onsets and keeps near to the pulse.
"""

from collections.abc import Callable, Sequence

import numpy as np

from expression.arrays import Floats, Ints, frozen, whole
from expression.errors import BadStroke
from expression.notes import Notes
from expression.time import TempoMap

FRAME = 0.01
"""Seconds of one step in which onsets are looked for."""
USUAL, SPREAD = 0.5, 0.9
"""The pulse that is likeliest, in seconds, and how many octaves around it are likely."""
SHORTEST, LONGEST = 0.25, 1.5
TIGHT = 100.0
"""How dear it is to leave the pulse (Ellis: alpha)."""
LEAST_ONSETS = 4
FASTEST, SLOWEST = 0.1, 6.0
"""Seconds of a beat that can be tapped."""


def found(onsets: Floats, forces: Floats) -> Floats:
    """The seconds of beats through some onsets (seconds, ascending) of some forces. Raises BadStroke for too few."""
    if len(onsets) < LEAST_ONSETS or onsets[-1] - onsets[0] < 2 * SHORTEST:
        raise BadStroke("There is too little to find beats in; tap them instead.")
    start = float(onsets[0])
    count = int((onsets[-1] - start) / FRAME) + 2
    strength = np.zeros(count)
    np.add.at(strength, ((onsets - start) / FRAME).astype(int), forces / 127)
    width = np.exp(-0.5 * (np.arange(-4, 5) / 1.5) ** 2)
    strength = np.convolve(strength, width, mode="same")
    return np.asarray(start + FRAME * _followed(strength, _pulse(strength)), dtype=np.float64)


def found_in(tempo: TempoMap, notes: Sequence[Notes]) -> Floats:
    """The seconds of beats through the notes of some parts. Raises BadStroke for too few."""
    if not notes:
        return found(np.zeros(0), np.zeros(0))
    onsets = tempo.seconds(np.concatenate([one.start for one in notes]))
    forces = np.concatenate([one.velocity for one in notes]).astype(float)
    order = np.argsort(onsets, kind="stable")
    return found(onsets[order], forces[order])


def _pulse(strength: Floats) -> int:
    """The likeliest number of frames from beat to beat."""
    lags = np.arange(int(SHORTEST / FRAME), min(int(LONGEST / FRAME), len(strength) - 1) + 1)
    alike = np.array([float(strength[lag:] @ strength[:-lag]) for lag in lags])
    likely = np.exp(-0.5 * (np.log2(lags * FRAME / USUAL) / SPREAD) ** 2)
    return int(lags[np.argmax(alike * likely)])


def _followed(strength: Floats, pulse: int) -> Ints:
    """The frames of the best sequence of beats."""
    score, before = strength.copy(), np.full(len(strength), -1)
    back = np.arange(-2 * pulse, -pulse // 2)
    dear = -TIGHT * np.log(-back / pulse) ** 2 * strength.std()
    for frame in range(len(strength)):
        at = frame + back
        known = at >= 0
        if known.any():
            reached = score[at[known]] + dear[known]
            best = int(np.argmax(reached))
            if reached[best] > 0:
                score[frame] = strength[frame] + reached[best]
                before[frame] = at[known][best]
    last = len(score) - 1 - int(np.argmax(score[::-1][: 2 * pulse]))
    beats = [last]
    while before[beats[-1]] >= 0:
        beats.append(int(before[beats[-1]]))
    return np.array(beats[::-1])


def fitted(beats: Sequence[float], resolution: int, lead: int = 0) -> TempoMap:
    """The tempo by which beats (seconds, ascending) lie a quarter apart, the first at `lead`. Raises BadStroke.

    Before the first and behind the last beat it goes on as it does next to them.
    """
    gaps = np.diff(np.asarray(beats, dtype=float))
    if len(gaps) < 1 or gaps.min() < FASTEST or gaps.max() > SLOWEST:
        raise BadStroke("Beats must be at least two, and from a tenth of a second to six seconds apart.")
    if lead and beats[0] <= 0:
        raise BadStroke("The first beat is at the very beginning: nothing can go before it.")
    micros = [round(gap * 1e6) for gap in gaps.tolist()]
    changes = [(resolution * (lead + row), one) for row, one in enumerate(micros)]
    # What goes before the first beat takes as long as it took.
    first = round(beats[0] * 1e6 / lead) if lead else micros[0]
    return TempoMap.of(resolution, [(0, first), *changes] if lead else changes)


Moving = Callable[[Ints], Ints]
"""Other ticks for some ticks: never back in time, and the same for the same."""


def moved(ticks: Ints, before: TempoMap, after: TempoMap, later: float = 0.0) -> Ints:
    """The same seconds by another tempo, so many `later`."""
    return frozen(np.maximum(whole(after.tick(before.seconds(ticks) + later)), 0), np.int64)
