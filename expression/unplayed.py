"""What nobody played: controllers that flicker by themselves, or move while nothing sounds."""

from typing import Any, NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints
from expression.lanes import LANES
from expression.take import Lane, Part, Take

NEIGHBOURS = 2.0
"""A flicker stays within so many steps (three neighbouring values)."""
SHORTEST = 6
"""So many events at least make a flicker, or a movement that nobody hears."""
LONGEST_GAP = 0.5
"""In a flicker the next event comes within so many seconds."""
TURNS = 0.6
"""In a flicker at least this share of moves turn round; a hand that moves slowly goes one way."""
RING_SECONDS = 1.0
"""A note is heard for so long after it was let go."""
PARAMETERS = ("cc:0", "cc:6", "cc:32", "cc:38")


class Run(NamedTuple):
    """Nodes from `first` to `last`, both included, and the value that they amount to."""

    first: int
    last: int
    value: float


def flickers(take: Take, lane: Lane) -> list[Run]:
    """Runs of held nodes that flicker between two or three neighbouring values."""
    if LANES[lane.key].switch or len(lane.curve) < SHORTEST or lane.key == "bend":
        return []
    values = lane.curve.values
    gaps = np.diff(take.tempo.seconds(lane.curve.ticks), append=np.inf)
    follows = lane.curve.hold & (gaps <= LONGEST_GAP)
    found = []
    first = 0
    while first + SHORTEST <= len(values):
        last = _within(values, follows, first)
        if last - first + 1 >= SHORTEST and _turns(values[first : last + 1]) >= TURNS:
            found.append(Run(first, last, _usual(take, lane, first, last)))
            first = last + 1
        else:
            # What comes next can only be another run from the first value that is not like this one on.
            first += max(_leading(values, first) - 1, 1)
    return found


def _within(values: Floats, follows: Flags, first: int) -> int:
    """The last node up to which all come soon after each other, with values within the neighbourhood of each other."""
    low = high = values[first]
    last = first
    while last + 1 < len(values) and follows[last]:
        low, high = min(low, values[last + 1]), max(high, values[last + 1])
        if high - low > NEIGHBOURS:
            break
        last += 1
    return last


def _leading(values: Floats, first: int) -> int:
    """How many nodes from `first` on move the same way: none of them begins a flicker."""
    steps = np.sign(np.diff(values[first : first + 256]))
    turned = np.flatnonzero(steps != steps[0]) if len(steps) else np.zeros(0)
    return int(turned[0]) if len(turned) else max(len(steps), 1)


def _turns(values: Floats) -> float:
    """The share of moves that turn round."""
    steps = np.sign(np.diff(values))
    steps = steps[steps != 0]
    return float((steps[1:] != steps[:-1]).mean()) if len(steps) > 1 else 0.0


def _usual(take: Take, lane: Lane, first: int, last: int) -> float:
    """The value that lasted longest."""
    values = lane.curve.values[first : last + 1]
    seconds = np.diff(take.tempo.seconds(lane.curve.ticks[first : last + 1]), append=np.nan)
    seconds[-1] = 0.0
    known, which = np.unique(values, return_inverse=True)
    return float(known[np.bincount(which, weights=seconds + 1e-9).argmax()])


def unheard(take: Take, part: Part, lane: Lane) -> list[Run]:
    """Runs of nodes while no note of the part sounds; the last of each is the value that the next note finds."""
    if LANES[lane.key].switch or lane.key in PARAMETERS or not len(part.notes):
        return []
    quiet = ~_heard(take, part, lane.curve.ticks)
    edges = np.flatnonzero(np.diff(np.concatenate(([False], quiet, [False])).astype(np.int8)))
    return [
        Run(first, last - 1, float(lane.curve.values[last - 1]))
        for first, last in edges.reshape(-1, 2).tolist()
        if last - first >= SHORTEST
    ]


def _heard(take: Take, part: Part, ticks: Ints) -> Flags:
    """Whether any note sounds at each tick, or has just rung out."""
    start = part.notes.start
    end = np.ceil(take.tempo.tick(take.tempo.seconds(part.notes.end) + RING_SECONDS))
    reach = np.maximum.accumulate(end)
    note = np.searchsorted(start, ticks, side="right") - 1
    return np.asarray((note >= 0) & (ticks <= reach[np.maximum(note, 0)]))


def findings(take: Take) -> list[dict[str, Any]]:
    """What nobody played, lane by lane: how often, why it is thought so, where, and the stroke that takes it away."""
    found = []
    for part in take.parts:
        for key, lane in part.lanes.items():
            runs = {"flicker": flickers(take, lane), "unheard": unheard(take, part, lane)}
            for reason, places in runs.items():
                if not places:
                    continue
                events = sum(run.last - run.first + (reason == "flicker") for run in places)
                start, end = (int(lane.curve.ticks[row]) for row in (places[0].first, places[-1].last))
                found.append(
                    {
                        "part": part.id,
                        "lane": key,
                        "reason": reason,
                        "says": _says(take, lane, reason, places, events),
                        "spans": [(int(lane.curve.ticks[a]), int(lane.curve.ticks[b]) + 1) for a, b, _ in places[:500]],
                        "stroke": {
                            "kind": "lane.unplayed",
                            "lane": key,
                            "where": {"parts": [part.id], "span": [start, end + 1]},
                            "flicker": reason == "flicker",
                            "unheard": reason == "unheard",
                        },
                    }
                )
    return found


def _says(take: Take, lane: Lane, reason: str, places: list[Run], events: int) -> str:
    name, bar = LANES[lane.key].name, take.meter.position(int(lane.curve.ticks[places[0].first])).bar
    where = f"in {len(places)} places, the first in bar {bar}" if len(places) > 1 else f"in bar {bar}"
    if reason == "flicker":
        return f"{name} flickers between neighbouring values {where}: {events} events that no hand makes."
    return f"{name} moves while nothing sounds {where}: {events} events that nobody hears."
