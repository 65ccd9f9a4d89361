"""What an answer tells of a change, laid over what was drawn, gives what is drawn: for strokes of every kind."""

import copy
from typing import Any

import numpy as np
import pytest

from expression import views
from expression.midi.files import opened
from expression.strokes import KINDS
from expression.take import Take
from tests.judging.strokes import stroke_of, tried
from tests.judging.takes import recording


def drawn(take: Take, part: int) -> dict[str, Any]:
    return copy.deepcopy(
        {
            "page": views.page.page(take),
            "lanes": {lane["key"]: unrolled(lane) for lane in views.lanes.lanes(take.parts[part])},
            "own": {lane["key"]: by_note(lane) for lane in views.own_lanes.own_lanes(take.parts[part])},
        }
    )


def unrolled(lane: Any, before: Any = ()) -> list[tuple[int, float, bool, Any]]:
    """Of each node its tick (where none is told, that of the node `before`), value, way, and how it is bent."""
    moves = {node for first, last in lane["ways"] for node in range(first, last + 1)}
    ways = lane["bent"]
    lines = np.reshape(ways["line"], (len(ways["node"]), -1)).tolist() if ways["node"] else []
    columns = zip(ways["node"], ways["lift"], ways["ease"], ways["time"], lines, strict=True)
    bent = {node: way for node, *way in columns}
    ticks = [node[0] for node in before] if lane["tick"] is None else np.cumsum(lane["tick"]).tolist()
    return [
        (tick, value, node in moves, bent.get(node))
        for node, (tick, value) in enumerate(zip(ticks, lane["value"], strict=True))
    ]


def by_note(lane: Any) -> dict[int, list[Any]]:
    nodes, found, at = unrolled(lane), {}, 0
    for note, count in zip(lane["ids"], lane["count"], strict=True):
        if count:
            found[note] = nodes[at : at + count]
        at += count
    return found


def changed(part: dict[str, Any], told: dict[str, Any]) -> dict[str, Any]:
    """A part after its notes have moved, come or gone."""

    def notes(one: dict[str, Any]) -> list[int]:
        return [note for first, last in one["ids"] for note in range(first, last + 1)]

    made, ids = dict(told), notes(told)
    for name in ("start", "length", "pitch", "velocity"):
        had = np.cumsum(part[name]).tolist() if name == "start" else part[name]
        by_id = dict(zip(notes(part), had, strict=True))
        values = [by_id.get(note, 0) + more for note, more in zip(ids, spread(told[name]), strict=True)]
        made[name] = np.diff(values, prepend=0).tolist() if name == "start" else values
    return made


def spread(told: Any) -> list[int]:
    """Numbers that are told in runs, one by one."""
    return np.repeat(told["value"], told["count"]).tolist() if told["count"] else list(told["value"])


def laid_over(known: dict[str, Any], delta: Any) -> dict[str, Any]:
    """As a page does it."""
    made = copy.deepcopy(known)
    parts = {part["id"]: part for part in made["page"]["parts"]}
    for told in delta["parts"]:
        parts[told["id"]].update(told)
    for told in delta["whole"]:
        parts[told["id"]] = changed(parts[told["id"]], told)
    velocities = iter(delta["changes"]["velocity"])
    by_id = {
        note: (part, row)
        for part in parts.values()
        for row, note in enumerate(n for first, last in part["ids"] for n in range(first, last + 1))
    }
    for first, last in delta["changes"]["notes"]:
        for note in range(first, last + 1):
            velocity = next(velocities)
            if note in by_id:
                part, row = by_id[note]
                part["velocity"][row] = velocity
    made["page"]["parts"] = list(parts.values())
    made["page"].update(delta["frame"] or {})
    for lane in delta["lanes"]:
        nodes = made["lanes"].get(lane["key"], [])
        rows = slice(lane["first"], lane["after"])
        nodes[rows] = unrolled(lane, nodes[rows])
        made["lanes"][lane["key"]] = nodes
    made["lanes"] = {key: nodes for key, nodes in made["lanes"].items() if nodes}
    for lane in delta["own"]:
        known_notes = made["own"].setdefault(lane["key"], {})
        for note in lane["ids"]:
            known_notes.pop(note, None)
        known_notes.update(by_note(lane))
    made["own"] = {key: notes for key, notes in made["own"].items() if notes}
    return made


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_a_delta_laid_over_what_was_drawn_gives_what_is_drawn(kind: str) -> None:
    for seed in range(3):
        dice = np.random.default_rng([seed, *kind.encode()])
        was = opened(recording(dice))
        tries = (tried(was, stroke_of(dice, kind, was)) for _ in range(20))
        now = next((made for made in tries if made is not None), was)
        part = int(dice.integers(len(was.parts)))
        assert laid_over(drawn(was, part), views.delta.delta(was, now, part)) == drawn(now, part)
        # And back: as undo tells it.
        assert laid_over(drawn(now, part), views.delta.delta(now, was, part)) == drawn(was, part)
