"""Waves: periodic shapes over a stretch, by the beat or by the clock, with a depth that may change."""

from collections.abc import Callable
from functools import cache
from typing import Literal, NamedTuple

import numpy as np

from expression import piece
from expression.arrays import Floats, Ints, whole
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.limits import MOST_CYCLES
from expression.piece import Piece
from expression.time import Sight, TempoMap

WaveForm = Literal["sine", "triangle", "rise", "fall", "pulse"]
TURNS: dict[str, tuple[float, ...]] = {
    "sine": (0.25, 0.75), "triangle": (0.25, 0.75), "rise": (0.0,), "fall": (0.0,), "pulse": (0.0, 0.5),
}  # fmt: skip
"""Where in its cycle each form turns or jumps."""
LEAST_TURN = 0.01
"""Of less than that of a cycle no whole halves are made: their ends would lie beyond all time."""
JUST_BEFORE = 1e-9
"""Of a cycle: so far before a jump nothing of it is seen."""
CONTINUOUS = ("sine", "triangle")
Ways = tuple[tuple[float, float, float], ...]
"""Where in the cycle each begins, its lift and its ease."""
SINE_WAYS: tuple[tuple[float, Ways], ...] = (
    (0.0201, ((-0.25, 0.0, 1.0),)),
    (0.0050, ((-0.25, 0.23427, 0.37615), (-0.125, 0.0, 0.21881), (0.125, -0.23427, 0.37615))),
    (
        0.0013,
        (
            (-0.25, 0.24406, 0.35956),
            (-0.1875, 0.07336, 0.04204),
            (-0.125, 0.0, 0.21881),
            (0.125, -0.07336, 0.04204),
            (0.1875, -0.24406, 0.35956),
        ),
    ),
)
"""The rising half of a sine in ways of our form: how far off at most, as a share of its depth, and for each way where
in the cycle it begins, its lift and its ease (fitted once; a test holds them against the sine)."""


def wave(
    start: int,
    end: int,
    form: WaveForm,
    cycle: float,
    clock: TempoMap | None,
    phase: float,
    depths: tuple[float, float],
    fade: float,
    error: float,
    straight: bool = False,
    sight: Sight | None = None,
) -> Piece:
    """A wave about 0 from tick `start` to `end`.

    `cycle` cycles a tick, or a second where a `clock` is given; `phase` cycles further at the start. The depth changes
    evenly over the span from one of `depths` to the other, and grows from nothing over `fade` ticks. `error` is what
    it may be off, in units of depth; `straight` asks for straight ways, which can be added to others; with `sight`, no
    more of it is made than what lies between these ticks. Raises NothingMatched where there would be too many cycles.
    """

    def turn_of(ticks: Floats) -> Floats:
        passed = ticks - start if clock is None else clock.seconds(ticks) - float(clock.seconds(start))
        return np.asarray(phase + passed * cycle)

    def tick_of(turns: Floats) -> Floats:
        passed = (turns - phase) / cycle
        return start + passed if clock is None else clock.tick(float(clock.seconds(start)) + passed)

    def depth(ticks: Floats) -> Floats:
        ramped = depths[0] + (depths[1] - depths[0]) * (ticks - start) / (end - start)
        return np.asarray(ramped * np.clip((ticks - start) / fade, 0, 1) if fade else ramped)

    stretch = _Stretch(start, end, phase, float(turn_of(np.array(float(end)))))
    if stretch.last - phase > MOST_CYCLES:
        raise NothingMatched(f"That would be more than {MOST_CYCLES:,} cycles; choose a lower rate.", "rate")
    even = clock is None or not ((clock.ticks > start) & (clock.ticks < end)).any()
    if sight is not None:
        near = _corners(form, *turn_of(np.array(sight, dtype=np.float64)).tolist())
        stretch = stretch.about(near, whole(tick_of(near)))
    begin, until, first, last = stretch
    corners = _corners(form, first, last)
    turns = corners[(corners > first) & (corners < last)]
    changes = np.zeros(0, dtype=np.int64) if clock is None else clock.ticks
    # Less than a tick is nothing that could be heard.
    fade = fade if fade >= 1 else 0.0
    steady = depths[0] == depths[1] and not fade
    if form == "sine" and steady and even and last - first > LEAST_TURN:
        return _sine(begin, until, (first, last), turn_of, tick_of, depths[0], error, straight)
    # A fade that ends within a tick bends between two of them.
    faded = np.array([np.floor(start + fade), np.ceil(start + fade)], dtype=np.int64)
    breaks = np.concatenate((whole(tick_of(turns)), changes, faded))
    marks = np.unique(np.concatenate(([begin], breaks[(breaks > begin) & (breaks < until)])))
    level = _level(form, corners, np.append(marks, until), turn_of)
    return piece.traced(begin, until, breaks, lambda ticks: depth(ticks) * level(ticks), error)


class _Stretch(NamedTuple):
    """As much of a wave as is made: from tick to tick, and where in its cycles that begins and ends."""

    begin: int
    until: int
    first: float
    last: float

    def about(self, corners: Floats, ticks: Ints) -> "_Stretch":
        """No more than what lies between corners: each way there is what it is where all of the wave is made."""
        begin, until, first, last = self
        if corners[0] > first:
            begin, first = int(ticks[0]), float(corners[0])
        if corners[-1] < last:
            until, last = int(ticks[-1]), float(corners[-1])
        return _Stretch(begin, until, first, last)


def _corners(form: WaveForm, first: float, last: float) -> Floats:
    """Where a form turns or jumps (in cycles), from before `first` to after `last`."""
    cycles = np.arange(np.floor(first) - 1, np.ceil(last) + 1)
    return np.unique((cycles[:, None] + np.array(TURNS[form])).ravel())


_LEVELS: dict[str, Callable[[Floats], Floats]] = {
    "sine": lambda share: np.sin(2 * np.pi * share),
    "triangle": lambda share: np.where(share < 0.25, 4 * share, np.where(share < 0.75, 2 - 4 * share, 4 * share - 4)),
    "rise": lambda share: 2 * share - 1,
    "fall": lambda share: 1 - 2 * share,
    "pulse": lambda share: np.where(share < 0.5, 1.0, -1.0),
}
"""From -1 to 1, by the share of the cycle (0 to 1) that has passed."""


def _level(
    form: WaveForm, corners: Floats, marks: Ints, turn_of: Callable[[Floats], Floats]
) -> Callable[[Floats], Floats]:
    """From -1 to 1 at ticks from the first of `marks` to the last; between two of them the form does not turn."""
    # Where a form jumps, it is the stretch that says between which corners a tick lies, not a rounded product.
    corner = np.searchsorted(corners, turn_of((marks[:-1] + marks[1:]) / 2.0), side="right") - 1

    def level(ticks: Floats) -> Floats:
        turn = turn_of(ticks)
        if form in CONTINUOUS:
            return _LEVELS[form](turn - np.floor(turn))
        own = corner[np.searchsorted(marks[:-1], ticks, side="right") - 1]
        inside = np.clip(turn, corners[own], corners[own + 1] - JUST_BEFORE)
        return _LEVELS[form](inside - np.floor(corners[own]))

    return level


@cache
def _straight_ways(count: int) -> tuple[float, Ways]:
    """The rising half of a sine in so many straight ways, each as far off as the others (see `segments.refined`).

    How far off they are, as a share of its depth, and where in the cycle each begins.
    """
    share = np.linspace(-0.25, 0.25, 513)
    level = np.sin(2 * np.pi * share)
    mass = np.cumsum(np.sqrt(np.abs(level) + 0.02))
    at = np.interp(np.linspace(0, mass[-1], count + 1), mass, share)
    off = float(np.abs(np.interp(share, at, np.sin(2 * np.pi * at)) - level).max())
    return off, tuple((place, 0.0, 0.0) for place in at[:-1].tolist())


def _straight(depth: float, error: float) -> Ways:
    """The rising half of a sine in as few straight ways as are off by no more than the error."""
    # The integral of sqrt(|y''| / (8 error)) over half a cycle: with fewer it cannot be done.
    count = max(int(np.pi * np.sqrt(depth / (8 * error)) * 0.763), 1)
    while _straight_ways(count)[0] * depth > error:
        count += 1
    return _straight_ways(count)[1]


def _sine(
    start: int,
    end: int,
    turns: tuple[float, float],
    turn_of: Callable[[Floats], Floats],
    tick_of: Callable[[Floats], Floats],
    depth: float,
    error: float,
    straight: bool,
) -> Piece:
    """A sine of one depth at an even pace, in ways of our form; in straight ones where its ends cut a half of it."""
    fits = (ways for off, ways in SINE_WAYS if off * abs(depth) <= error and not straight)
    lines = _straight(abs(depth), error)
    formed = next(fits, lines)
    halves = np.arange(np.floor(2 * turns[0]) - 2, np.ceil(2 * turns[1]) + 2) / 2
    begin, until = (whole(tick_of(halves + edge)) for edge in (-0.25, 0.25))
    cut = ((begin < start) & (start < until)) | ((begin < end) & (end < until))
    begins, lift, ease = np.concatenate((_told(halves[~cut], formed), _told(halves[cut], lines)), axis=1)
    order = np.argsort(begins)
    ticks = whole(tick_of(begins[order]))
    inside = slice(np.searchsorted(ticks, start, side="right") - 1, np.searchsorted(ticks, end))
    # The levels are those of the whole ticks, not of the places in the cycle that these are near to.
    level = depth * np.sin(2 * np.pi * turn_of(ticks.astype(np.float64)))
    nodes = np.concatenate(([start], ticks[inside][1:], [end]))
    forms = (np.append(form[order][inside], 0.0) for form in (lift, ease))
    return Piece(start, end, Curve.of(nodes, np.interp(nodes, ticks, level), nodes == end, *forms))


def _told(halves: Floats, ways: Ways) -> Floats:
    """Where each way of each half begins, its lift and its ease: three rows."""
    begins, lift, ease = np.array(ways).T
    return np.stack([column.ravel() for column in np.broadcast_arrays(halves[:, None] + begins, lift, ease)])
