"""Strokes that go to other bars: the same one, from another tick on."""

from typing import Any

from expression.errors import NothingMatched
from expression.strokes import AnyStroke, parse_stroke
from expression.take import Take


def moved(stroke: AnyStroke, take: Take, start: int) -> AnyStroke:
    """A stroke as it acts from tick `start` on, for as long as it did; on `take`, which it meets.

    One that was made on notes by their ids acts on all that begin there in its parts. Raises NothingMatched where it
    reaches nothing, or cannot go there.
    """
    if stroke.stays:
        raise NothingMatched(f"{stroke.stays[0].upper()}{stroke.stays[1:]}.")
    reach = stroke.reach(take)
    first, last = stroke.where.span or (reach.start, max(reach.end, reach.start + 1))
    said = stroke.model_dump(mode="json", exclude_none=True)
    where = {name: value for name, value in said.get("where", {}).items() if name != "notes"}
    said["where"] = {"parts": reach.parts, **where, "span": [start, start + last - first]}
    for path in stroke.travels:
        _later(said, path.split("."), start - first)
    return parse_stroke(said)


def _later(within: Any, path: list[str], ticks: int) -> None:
    """Add ticks to every number at a path; `*` is each of a list."""
    step, *rest = path
    keys = range(len(within)) if step == "*" else [int(step) if step.isdigit() else step]
    for key in keys:
        if isinstance(key, str) and within.get(key) is None:
            continue
        if rest:
            _later(within[key], rest, ticks)
            continue
        within[key] += ticks
        if within[key] < 0:
            raise NothingMatched("Some of it would lie before the take begins; choose later bars.")
