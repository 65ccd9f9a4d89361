"""Notes by their ids, and what holds for them."""

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from expression.take import Take

Found = tuple[float, str]


RIGHT: Found = (0.0, "")


WRONG = 99.0


class Row(NamedTuple):
    """A note."""

    id: int
    start: int
    end: int
    pitch: int
    velocity: int
    muted: bool
    cue: bool


def rows(take: Take, part: int) -> dict[int, Row]:
    notes = take.parts[part].notes
    columns = (notes.id, notes.start, notes.end, notes.pitch, notes.velocity, notes.muted, notes.cue)
    return {row[0]: Row(*row) for row in zip(*(column.tolist() for column in columns), strict=True)}


def chosen(take: Take, said: dict[str, Any]) -> dict[int, Row]:
    """The notes that a stroke is meant for, of the one part that it names."""
    first, after = said["where"].get("span") or (0, math.inf)
    cues = bool(said.get("cues"))
    every = rows(take, said["where"]["parts"][0])
    both = said["kind"] == "notes.cue"
    return {id_: row for id_, row in every.items() if first <= row.start < after and (both or row.cue == cues)}


def rounded(value: float) -> int:
    return math.floor(value + 0.5)


def on_key(take: Take, part: int) -> dict[int, list[int]]:
    """By key, when it is struck on the channel of a part."""
    found: dict[int, list[int]] = {}
    for one in take.parts_on(take.parts[part].channel):
        for row in rows(take, one.id).values():
            if not row.muted:
                found.setdefault(row.pitch, []).append(row.start)
    return {key: sorted(ticks) for key, ticks in found.items()}


def stands(
    before: Take, after: Take, said: dict[str, Any], wanted: Callable[[Row], tuple[int, int, int] | None]
) -> Found:
    """Each chosen note begins, ends and sounds where a formula wants it; it may end sooner where its key is struck, or
    have given way to another that is struck there at its time.
    """
    part = said["where"]["parts"][0]
    now, strikes = rows(after, part), on_key(after, part)
    mine = chosen(before, said)
    for id_, row in rows(before, part).items():
        want = wanted(row) if id_ in mine else (row.start, row.end, row.pitch)
        if want is None:
            continue
        start, end, pitch = want
        near = strikes.get(pitch, [])
        if id_ not in now:
            if not any(abs(tick - start) <= 1 for tick in near):
                return WRONG, f"note {id_} is gone, and nothing is struck at {start} on {pitch}"
            continue
        made = now[id_]
        if (made.start, made.pitch, made.velocity) != (start, pitch, row.velocity):
            return WRONG, f"note {id_} is {made}, and was to begin at {start} on {pitch}"
        cut = made.end < end and any(tick - made.end in (0, 1) for tick in near)
        if made.end != end and not cut and not row.muted:
            return WRONG, f"note {id_} ends at {made.end}, and was to end at {end}"
    return RIGHT
