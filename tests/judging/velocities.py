"""Strokes on velocities, and copies of notes, as they are documented."""

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.bends import struck
from tests.judging.comparing import MEASURES
from tests.judging.drawn import way


def velocities(formula: Callable[..., Any]) -> Callable[[Take, Take, dict[str, Any]], tuple[float, str]]:
    """A formula for velocities: takes those of the notes reached, their onsets, the take and the stroke."""

    def compared(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
        where = said["where"]
        notes, now = (take.parts[where["parts"][0]].notes for take in (before, after))
        start, end = where.get("span") or (0, math.inf)
        if said["kind"] == "velocity.draw":
            start, end = max(start, said["points"][0][0]), min(end, said["points"][-1][0] + 1)
        reached = (notes.start >= start) & (notes.start < end)
        if not np.array_equal(now.velocity[~reached], notes.velocity[~reached]):
            return 99.0, "a note that was not meant has another velocity"
        wanted = formula(notes.velocity[reached].astype(float), notes.start[reached].astype(float), before, said)
        if wanted is None:
            return 0.0, ""
        off = np.abs(np.clip(wanted, 1, 127) - now.velocity[reached]).max()
        return float(off) / 0.501, f"a velocity is {off:.2f} off the formula"

    return compared


def measured(level: Any, values: Any) -> float:
    return float(MEASURES[level](values)) if isinstance(level, str) else level


def _chords(starts: Any, resolution: int) -> Any:
    """The onset of each note's chord: notes within a sixteenth of a quarter of its first."""
    found, head = [], -math.inf
    for start in starts:
        head = start if start - head > resolution // 16 else head
        found.append(head)
    return np.array(found)


def _own_deviation(velocity: Any, start: Any) -> Any:
    """From the least-squares line through velocities over onsets."""
    if len(set(start.tolist())) < 2:
        return velocity - velocity.mean()
    slope, level = np.polyfit(start - start.mean(), velocity, 1)
    return velocity - (level + slope * (start - start.mean()))


def hairpin(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    first, last = said["where"].get("span") or (start.min(), start.max())
    u = np.clip((_chords(start, take.resolution) - first) / max(last - first, 1), 0, 1)
    lift, ease, peak, at = said.get("lift", 0.0), said.get("ease", 0.0), said.get("peak"), said.get("peak_at", 0.5)
    if peak is None:
        line = said["start"] + (said["end"] - said["start"]) * way(u, lift, ease)
    else:
        there = said["start"] + (peak - said["start"]) * way(np.clip(u / max(at, 1e-9), 0, 1), lift, ease)
        back = said["end"] + (peak - said["end"]) * way(np.clip((1 - u) / max(1 - at, 1e-9), 0, 1), lift, ease)
        line = np.where(u < at, there, back)
    made = (
        velocity * line
        if said.get("mode") == "by"
        else line + said.get("accents", 0.0) * _own_deviation(velocity, start)
    )
    return np.clip(made, said.get("floor", 1), said.get("ceiling", 127))


def knee(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    sign, width = (1 if said.get("side", "loud") == "loud" else -1), said.get("knee", 16.0)
    past = sign * (velocity - said["threshold"])
    slope = 1 - 1 / said.get("ratio", 2.0)
    less = np.where(
        past >= width / 2, past, np.where(past <= -width / 2, 0, (past + width / 2) ** 2 / (2 * max(width, 1e-9)))
    )
    return velocity - sign * slope * less


def by_hand(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    ticks, values = zip(*said["points"], strict=True)
    if len(set(ticks)) < len(ticks):
        return None
    return np.interp(start, ticks, values) + said.get("accents", 0.0) * _own_deviation(velocity, start)


def varied(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    # By chance: no formula, but never by more than twice the amount.
    return velocity if said["amount"] == 0 else None


def nudged(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    return velocity + said["by"] if said.get("limit", "pin") == "pin" else None


def scaled(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    pivot = measured(said.get("pivot", "mean"), velocity)
    return pivot + said["factor"] * (velocity - pivot) if said.get("limit", "pin") == "pin" else None


def notes_copied(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Every new note is one of those that were meant, at a whole number of steps from where it was."""
    part = said["where"]["parts"][0]
    was = {(n.start, n.pitch, n.velocity) for n in struck(before, part)}
    now = struck(after, said["to"].get("part") if said["to"].get("part") is not None else part)
    start, end = said["where"].get("span") or (0, math.inf)
    meant = [n for n in struck(before, part) if start <= n.start < end]
    keys = said.get("keys", 0)
    for note in now:
        if (note.start, note.pitch, note.velocity) in was:
            continue
        if not any((one.pitch + keys, one.velocity) == (note.pitch, note.velocity) for one in meant):
            return 99.0, f"a note of {note.pitch} at {note.start} that nobody copied"
        if note.start < said["to"]["at"]:
            return 99.0, f"a copy at {note.start}, before {said['to']['at']}"
    return 0.0, ""
