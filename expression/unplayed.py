"""What nobody played: controllers that flicker by themselves, or move while nothing sounds."""

from collections import deque
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints
from expression.lanes import BANKS, LANES, Form
from expression.sounding import RING_SECONDS, sounding
from expression.take import Channel, Lane, Take

NEIGHBOURS = 2.0
"""A flicker stays within so many steps (three neighbouring values)."""
SHORTEST = 6
"""So many events at least make a flicker, or a movement that nobody hears."""
LONGEST_GAP = 0.5
"""In a flicker the next event comes within so many seconds."""
TURNS = 0.6
"""In a flicker at least this share of moves turn round; a hand that moves slowly goes one way."""


class Run(NamedTuple):
    """Nodes from `first` to `last`, both included, and the value that they amount to."""

    first: int
    last: int
    value: float


def flickers(take: Take, lane: Lane) -> list[Run]:
    """Runs of held nodes that flicker between two or three neighbouring values."""
    kind = LANES[lane.key]
    if kind.is_ranged or len(lane.curve) < SHORTEST or kind.form_of(lane.curve.values) is Form.SWITCH:
        return []
    values = lane.curve.values
    gaps = np.diff(take.tempo.seconds(lane.curve.ticks), append=np.inf)
    last = _reaches(values, lane.curve.hold & (gaps <= LONGEST_GAP))
    step = np.sign(np.diff(values))
    # Of a movement that goes one way only its first node, and the last before it turns, can begin a flicker.
    begins = np.ones(len(values), dtype=bool)
    begins[1:-2] = (step[1:-1] != step[:-2]) | (step[1:-1] != step[2:])
    flicker = (last - np.arange(len(values)) + 1 >= SHORTEST) & (_turns(step, last) >= TURNS)
    found: list[Run] = []
    first = 0
    starts = np.flatnonzero(flicker & begins)
    while True:
        if not (first < len(values) and flicker[first]):
            at = int(np.searchsorted(starts, first))
            if at == len(starts):
                return found
            first = int(starts[at])
        found.append(Run(first, int(last[first]), _usual(take, lane, first, int(last[first]))))
        first = int(last[first]) + 1


def _reaches(values: Floats, follows: Flags) -> Ints:
    """For each node the last up to which all come soon after each other, with values in one neighbourhood.

    Where that are fewer than make a flicker, the node itself.
    """
    last = np.arange(len(values))
    windows = np.lib.stride_tricks.sliding_window_view(values, SHORTEST)
    near = windows.max(axis=1) - windows.min(axis=1) <= NEIGHBOURS
    near &= np.lib.stride_tricks.sliding_window_view(follows[:-1], SHORTEST - 1).all(axis=1)
    edges = np.flatnonzero(np.diff(np.concatenate(([False], near, [False])).astype(np.int8)))
    for begin, end in edges.reshape(-1, 2).tolist():
        # No run that begins in here lasts longer than the last of these windows.
        after = end + SHORTEST - 1
        last[begin:end] = begin + np.array(_within(values[begin:after].tolist())[: end - begin])
    return last


def _within(values: list[float]) -> list[int]:
    """For each value the last up to which all lie in one neighbourhood: each is looked at once."""
    lows: deque[int] = deque()
    highs: deque[int] = deque()
    last: list[int] = []
    end = 0
    for first in range(len(values)):
        while end < len(values):
            value = values[end]
            low = min(value, values[lows[0]]) if lows else value
            high = max(value, values[highs[0]]) if highs else value
            if high - low > NEIGHBOURS:
                break
            while lows and values[lows[-1]] >= value:
                lows.pop()
            while highs and values[highs[-1]] <= value:
                highs.pop()
            lows.append(end)
            highs.append(end)
            end += 1
        last.append(end - 1)
        for extreme in (lows, highs):
            if extreme and extreme[0] == first:
                extreme.popleft()
    return last


def _turns(step: Floats, last: Ints) -> Floats:
    """From each node to its `last`: the share of moves that turn round, of those that follow another move."""
    moves = np.flatnonzero(step)
    turned = np.append(False, step[moves][1:] != step[moves][:-1])
    before = np.concatenate(([0], np.cumsum(turned)))
    # The moves from each node on, and those that are made by its last; the first of them follows none.
    first, end = np.searchsorted(moves, np.arange(len(last))), np.searchsorted(moves, last)
    count = end - first - 1
    turns = before[end] - before[np.minimum(first + 1, end)]
    return np.asarray(np.divide(turns, count, out=np.zeros(len(last)), where=count > 0))


def _usual(take: Take, lane: Lane, first: int, last: int) -> float:
    """The value that lasted longest."""
    values = lane.curve.values[first : last + 1]
    seconds = np.diff(take.tempo.seconds(lane.curve.ticks[first : last + 1]), append=np.nan)
    seconds[-1] = 0.0
    known, which = np.unique(values, return_inverse=True)
    return float(known[np.bincount(which, weights=seconds + 1e-9).argmax()])


def unheard(take: Take, channel: Channel, lane: Lane) -> list[Run]:
    """Runs of nodes while no note of the channel sounds; the last of each is the value that the next note finds."""
    # A pedal that comes up ends what it held: it acts at the very moment at which nothing sounds any longer. Banks take
    # effect with a program change, whether anything sounds or not.
    if LANES[lane.key].is_pressed or LANES[lane.key].wire.number in BANKS:
        return []
    notes = sounding(take, channel)
    if not len(notes.start):
        return []
    quiet = ~_heard(take, notes.start, notes.end, lane.curve.ticks)
    edges = np.flatnonzero(np.diff(np.concatenate(([False], quiet, [False])).astype(np.int8)))
    return [
        Run(first, last - 1, float(lane.curve.values[last - 1]))
        for first, last in edges.reshape(-1, 2).tolist()
        if last - first >= SHORTEST
    ]


def _heard(take: Take, start: Ints, end: Ints, ticks: Ints) -> Flags:
    """Whether any note sounds at each tick, or has just rung out."""
    reach = np.maximum.accumulate(np.ceil(take.tempo.tick(take.tempo.seconds(end) + RING_SECONDS)))
    note = np.searchsorted(start, ticks, side="right") - 1
    return np.asarray((note >= 0) & (ticks <= reach[np.maximum(note, 0)]))
