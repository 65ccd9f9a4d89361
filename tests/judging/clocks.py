"""Tempo and metre, as they are documented."""

import itertools
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.note_curves import same_drawing
from tests.judging.rows import WRONG


def retimed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Notes keep their ticks and sound by the tempo that was asked for; or their seconds, in ticks as they round."""
    keeps_bars = said.get("keeps", "bars") == "bars"
    start, end = said["where"].get("span") or (0, before.end + 1)
    end = end if end <= before.end else before.end + 10_000_000
    for old, new in zip(before.parts, after.parts, strict=True):
        if keeps_bars and old.notes.start.tolist() != new.notes.start.tolist():
            return WRONG, "notes have left their bars"
        if not keeps_bars:
            was, now = (take.tempo.seconds(part.notes.start) for take, part in ((before, old), (after, new)))
            longest = float(after.tempo.micros.max()) / 1e6 / after.resolution
            off = float(np.abs(was - now).max(initial=0.0)) / max(longest, 1e-9)
            if off > 1:
                return off, f"a note sounds {off:.2f} ticks from where it sounded"
    if not keeps_bars or "bpm" not in said:
        return 0.0, ""
    # Beat by beat, as a plain sum: what is asked for within, what was there without.
    quarter = before.resolution
    edges = sorted(
        {
            *range(0, before.end + quarter, max(quarter // 8, 1)),
            start,
            min(end, before.end),
            *before.tempo.ticks.tolist(),
        }
    )
    expected = 0.0
    for low, high in itertools.pairwise(edges):
        middle = (low + high) / 2
        step = int(np.searchsorted(before.tempo.ticks, middle, side="right")) - 1
        bpm = 60e6 / float(before.tempo.micros[step])
        if "end_bpm" in said and start <= middle < end:
            bpm = said["bpm"] + (said["end_bpm"] - said["bpm"]) * (middle - start) / (end - start)
        elif start <= middle < end:
            bpm = said["bpm"]
        expected += (high - low) / quarter * 60 / bpm
    found = float(after.tempo.seconds(edges[-1]))
    off = abs(found - expected) / max(expected * 2e-3, 0.005)
    return off, f"it lasts {found:.3f} s and not {expected:.3f}" if off > 1 else ""


def barred(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Bar lines come so many beats apart from the start of the span on; nothing else is otherwise."""
    off, why = same_drawing(before, after, said)
    if off > 1:
        return off, why
    start, end = said["where"].get("span") or (0, before.end + 1)
    length = said["beats"] * 4 * after.resolution // said.get("unit", 4)
    lines = after.meter.bars(max(after.end, 1)).start.tolist()
    for line in range(start, min(end, after.end + 1), max(length, 1)):
        if line <= after.end and line not in lines:
            return WRONG, f"there is no bar line at {line}"
    return 0.0, ""
