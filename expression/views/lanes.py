"""What a screen needs of lanes: their nodes, and what a stroke makes of them while it is held."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Floats, Ints, runs
from expression.curve import NO_NODES, Curve, differing
from expression.lanes import CHANNEL_LANES
from expression.midi.encoding import weight
from expression.take import Part, Take
from expression.time import Sight

MOST_DRAWN = 2000
"""Nodes of a lane that are sent while a gesture is held: two for each pixel of a stave on a common screen."""


class BentWays(TypedDict):
    """Ways from nodes to the next that are no straight lines: their forms, and how many ticks each takes.

    `line` has the values to draw them by, way after way, of each as many at even steps from its node to the next; none
    where there are too many.
    """

    node: list[int]
    lift: list[float]
    ease: list[float]
    time: list[int]
    line: list[float]


class Said(TypedDict):
    """What nodes of a lane say; `ways` tells which of them do not hold their value until the next."""

    value: list[float]
    ways: list[tuple[int, int]]
    bent: BentWays


class Nodes(Said):
    """Nodes of a lane; `tick` holds differences."""

    tick: list[int]


class LaneData(Nodes):
    """All nodes of a lane."""

    key: str


class LaneChange(Said):
    """Nodes that take the place of those from `first` to before `after`; without `tick`, at the times of those."""

    key: str
    tick: list[int] | None
    first: int
    after: int


class Saving(TypedDict):
    """Nodes and messages of lanes before and after a stroke, and how far they stray from the former nodes at most."""

    before: int
    after: int
    sent_before: int
    sent_after: int
    error: float


def lanes(part: Part) -> list[LaneData]:
    """The nodes of every lane of a part, as recorded or shaped."""
    return [{"key": key, **nodes_of(lane.curve, np.arange(len(lane.curve)))} for key, lane in part.lanes.items()]


def nodes_of(curve: Curve, rows: Ints) -> Nodes:
    """Some nodes of a curve."""
    return {"tick": _times(curve, rows), **_said(curve, rows)}


def _times(curve: Curve, rows: Ints) -> list[int]:
    """When some nodes are, as differences."""
    times: list[int] = np.diff(curve.ticks[rows], prepend=0).tolist()
    return times


def _said(curve: Curve, rows: Ints) -> Said:
    """Values of some nodes, runs of those that do not hold them, each bent way as a line."""
    ways = np.flatnonzero(curve.ways[rows])
    bent = ways[(curve.lift[rows[ways]] != 0) | (curve.ease[rows[ways]] != 0)]
    nodes = rows[bent]
    return {
        "value": _plain(np.round(curve.values[rows], 3)),
        "ways": runs(ways),
        "bent": {
            "node": bent.tolist(),
            "lift": _plain(curve.lift[nodes]),
            "ease": _plain(curve.ease[nodes]),
            "time": (curve.ticks[nodes + 1] - curve.ticks[nodes]).tolist(),
            "line": _plain(curve.lines(nodes).ravel()),
        },
    }


def lane_changes(before: Part, after: Part, sight: Sight | None = None) -> list[LaneChange]:
    """Of each lane of a part that differs: which of its nodes (from `first` to before `after`) are replaced, by which.

    With `sight`, what is drawn between two ticks while a gesture is held: of very many nodes the lowest and the highest
    of each stretch.
    """
    was, now = before.lanes, after.lanes
    if was is now:
        return []
    found: list[LaneChange] = []
    for key in CHANNEL_LANES:
        old, new = was.get(key), now.get(key)
        if old is new:
            continue
        curve = new.curve if new else NO_NODES
        known = old.curve if old else NO_NODES
        first, gone, until = differing(known, curve)
        rows = np.arange(first, until)
        if sight is not None:
            first, gone, rows = _in_sight(known, curve, (first, gone, until), sight)
            rows = _outline(curve, rows)
        if first < gone or len(rows):
            tick = None if np.array_equal(known.ticks[first:gone], curve.ticks[rows]) else _times(curve, rows)
            found.append({"key": key, "first": first, "after": gone, "tick": tick, **_said(curve, rows)})
    return found


def _plain(values: Floats) -> list[float]:
    """Numbers as they are told; where all are whole, without what would stand behind the point."""
    wholes = np.rint(values)
    told: list[float] = (wholes.astype(np.int64) if np.array_equal(wholes, values) else values).tolist()
    return told


def _in_sight(old: Curve, new: Curve, bounds: tuple[int, int, int], sight: Sight) -> tuple[int, int, Ints]:
    """Of nodes that differ (see `differing`) those with which the new curve is drawn between two ticks: from the one
    before them to the one behind. Which of the old give way to them, and the rows of the new."""
    first, gone, until = bounds
    start, end = (int(at) for at in np.searchsorted(new.ticks, sight))
    rows = np.arange(max(first, start - 1), min(until, end + 1))
    # Where nothing of the new is left out, nothing of the old stays.
    begins = first if start - 1 <= first else int(np.searchsorted(old.ticks, new.ticks[start - 1]))
    ends = gone if end + 1 >= until else int(np.searchsorted(old.ticks, new.ticks[end], side="right"))
    begins = min(max(begins, first), gone)
    return begins, min(max(ends, begins), gone), rows


def saving(before: Take, after: Take) -> Saving:
    """Of the lanes that differ: their nodes and messages before and after, and how far they stray at most."""
    counts, error = np.zeros(4, dtype=np.int64), 0.0
    for old, new in zip(before.channels, after.channels, strict=True):
        for key, lane in old.lanes.items():
            made = new.lanes.get(key)
            if made is lane or made is None:
                continue
            sent = weight(before, old, key), weight(after, new, key)
            counts += np.array((len(lane.curve), len(made.curve), *sent))
            # Where one of them has no value yet, nothing strays.
            strays = np.abs(made.curve.at(lane.curve.ticks) - lane.curve.at(lane.curve.ticks))
            error = float(np.fmax.reduce(strays, initial=error))
    nodes, made_nodes, sent_before, sent_after = counts.tolist()
    return {
        "before": nodes,
        "after": made_nodes,
        "sent_before": sent_before,
        "sent_after": sent_after,
        "error": round(error, 2),
    }


def _outline(curve: Curve, rows: Ints) -> Ints:
    """Of more rows than can be seen, those that bound the curve: the lowest and the highest of each even stretch."""
    if len(rows) <= MOST_DRAWN:
        return rows
    size = -(-len(rows) // (MOST_DRAWN // 2))
    starts = np.arange(0, len(rows), size)
    last = np.full(len(starts) * size - len(rows), curve.values[rows[-1]])
    values = np.concatenate((curve.values[rows], last)).reshape(-1, size)
    ends = np.stack((values.argmin(axis=1), values.argmax(axis=1)), axis=1)
    ends.sort(axis=1)
    flat = np.minimum(ends + starts[:, None], len(rows) - 1).ravel()
    return np.asarray(rows[flat[np.diff(flat, prepend=-1) > 0]])
