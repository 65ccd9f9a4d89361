"""How a part is played, as a few numbers that a player knows by name; see docs/stiff.md."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from expression.errors import NothingMatched
from expression.measured import Hand, measure
from expression.memo import worked_out
from expression.take import Take


class Measure(NamedTuple):
    """One number of a hand: its key, what it is called, its unit, and how it is read; none where a hand lacks it."""

    key: str
    name: str
    unit: str
    of: Callable[[Hand], float | None]


def _between(hand: Hand, low: float, high: float) -> float:
    first, last = np.percentile(hand.played.force, (low, high))
    return float(last - first)


def _lengths(hand: Hand) -> float:
    return 100 * 2 ** float(np.median(hand.played.held))


def _swell(hand: Hand) -> float | None:
    return float(np.ptp(hand.swell.mean)) if hand.swell else None


MEASURES = (
    Measure("level", "Loudness", "velocity", lambda hand: float(np.median(hand.played.force))),
    Measure("range", "Range of loudness", "steps", lambda hand: _between(hand, 10, 90)),
    Measure("metre", "Accent of the bar", "steps", lambda hand: hand.force.weights.bar),
    Measure("phrase", "Bow of a phrase", "steps", lambda hand: hand.force.weights.phrase_bow),
    Measure("height", "Louder an octave up", "steps", lambda hand: hand.force.weights.height),
    Measure("free", "Loudness by chance", "steps", lambda hand: hand.force.spread),
    Measure("timing", "Looseness of time", "ms", lambda hand: hand.time.spread if hand.time else None),
    Measure("drift", "Drift of time", "memory", lambda hand: hand.time.memory if hand.time else None),
    Measure("lengths", "Held of what is written", "%", _lengths),
    Measure("swell", "Swell of long notes", "steps", _swell),
    Measure("vibrato", "Vibrato", "cents", lambda hand: hand.vibrato.cents if hand.vibrato else None),
    Measure("scoops", "Notes scooped into", "%", lambda hand: 100 * hand.scoop.share if hand.scoop else None),
)


def portrait(hand: Hand) -> dict[str, float]:
    """The numbers of a hand, without those that it lacks."""
    found = ((one.key, one.of(hand)) for one in MEASURES)
    return {key: round(value, 2) for key, value in found if value is not None}


@worked_out(4)
def portraits(take: Take) -> tuple[dict[str, float], ...]:
    """Of each part its numbers; none of a part that says too little."""
    return tuple(_portraits(take))


def _portraits(take: Take) -> Iterator[dict[str, float]]:
    for part in take.parts:
        try:
            yield portrait(measure(take, part, part.name or "A part"))
        except NothingMatched:
            yield {}
