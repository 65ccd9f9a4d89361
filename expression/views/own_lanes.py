"""What a screen needs of the curves of notes: their nodes note by note, and how their values are spread."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Ints, contained, union
from expression.errors import BadStroke
from expression.lanes import BESIDE, LANES
from expression.note_curves import NO_CURVES, NoteCurves
from expression.strokes import Where, select
from expression.take import Part, Take
from expression.views.lanes import MOST_DRAWN, Nodes, nodes_of

BINS = 16
MOST_NOTES = 300
"""Notes whose curves are told while a gesture is held."""


class OwnLane(Nodes):
    """Curves of one kind, note after note: of `ids`, with `count` nodes each; ticks from each note's start."""

    key: str
    ids: list[int]
    count: list[int]


class OwnFacts(TypedDict):
    """How the values of the nodes of chosen notes are spread (16 bins from `low` to `high`)."""

    notes: int
    nodes: int
    lowest: float
    mean: float
    highest: float
    deviation: float
    spread: list[int]
    low: float
    high: float


def own_lanes(part: Part) -> list[OwnLane]:
    """All curves of the notes of a part."""
    return [_own_lane(key, part.curves[key]) for key in BESIDE if key in part.curves and len(part.curves[key])]


def _own_lane(key: str, curves: NoteCurves) -> OwnLane:
    nodes = nodes_of(curves.nodes, np.arange(len(curves.nodes)))
    return {"key": key, "ids": curves.ids.tolist(), "count": np.diff(curves.first).tolist(), **nodes}


def own_changes(before: Part, after: Part, sight: tuple[int, int] | None = None) -> list[OwnLane]:
    """The curves that a stroke gives the notes of a part, of each kind that it changes; between two ticks not of too
    many, as they are drawn while a gesture is held.
    """
    found: list[OwnLane] = []
    if before.curves is after.curves:
        return found
    known = before.curves.keys() | after.curves.keys()
    for key in (one for one in BESIDE if one in known):
        old, new = (part.curves.get(key, NO_CURVES) for part in (before, after))
        if old is new:
            continue
        near, seen = _in_sight(before, new, sight) if sight else (union(old.ids, new.ids), new)
        lane = _own_lane(key, seen)
        # One that has none any longer is told as well.
        gone = np.sort(near[~contained(near, seen.ids)])
        lane["ids"] += gone.tolist()
        lane["count"] += [0] * len(gone)
        found.append(lane)
    return found


def _in_sight(part: Part, curves: NoteCurves, sight: tuple[int, int]) -> tuple[Ints, NoteCurves]:
    """Ids of the notes between two ticks, not too many, nor with too many nodes; and their curves."""
    notes = part.notes
    near = notes.id[np.flatnonzero(notes.between(*sight))[:MOST_NOTES]]
    known = curves.only(near)
    most = int(np.searchsorted(known.first, MOST_DRAWN, side="right")) - 1
    if most >= len(known):
        return near, known
    near = np.intersect1d(near, known.ids[: max(most, 1)])
    return near, known.only(near)


def own_facts(take: Take, where: Where, key: str) -> OwnFacts:
    """The values of the nodes of chosen notes in numbers; where there are none, of rest.

    Raises NothingMatched, and BadStroke for what is no kind of curve that notes have.
    """
    if key not in BESIDE:
        raise BadStroke(f"lane must be one that notes have, such as note:pitch, not {key[:40]!r}.", "lane")
    _, masks = select(take, where)
    kept = [
        part.curves[key].only(part.notes.id[masks[part.id]])
        for part in take.parts
        if part.id in masks and key in part.curves
    ]
    values = np.concatenate([np.zeros(0), *(one.nodes.values for one in kept)])
    kind = LANES[key]
    told = values if len(values) else np.array([kind.default])
    lowest, highest = float(told.min()), float(told.max())
    low, high = (min(lowest, -1.0), max(highest, 1.0)) if kind.least else (kind.low, kind.high)
    spread = np.bincount(np.minimum((values - low) / (high - low) * BINS, BINS - 1).astype(int), minlength=BINS)
    return {
        "notes": sum(map(len, kept)),
        "nodes": len(values),
        "lowest": round(lowest, 2),
        "mean": round(float(told.mean()), 2),
        "highest": round(highest, 2),
        "deviation": round(float(told.std()), 2),
        "spread": spread.tolist(),
        "low": round(low, 2),
        "high": round(high, 2),
    }
