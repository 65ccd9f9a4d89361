"""What the library tells of a take: in numbers, and as a small drawing."""

import itertools

import numpy as np
from typing_extensions import TypedDict

from expression.take import Take
from expression.views.looks import dye, seal

SKETCH_COLUMNS, SKETCH_ROWS = 96, 16


class PartName(TypedDict):
    """A part as the library names it."""

    name: str
    dye: str
    seal: str


class Summary(TypedDict):
    """What the library tells of a take. `sketch`: runs on a grid of 96 by 16 (column, row, width, part)."""

    seconds: float
    bars: int
    notes: int
    parts: list[PartName]
    sketch: list[tuple[int, int, int, int]]


def summary(take: Take) -> Summary:
    """What the library tells of a take."""
    return {
        "seconds": round(take.seconds, 3),
        "bars": take.meter.position(take.end).bar,
        "notes": take.note_count,
        "parts": [{"name": part.name, "dye": dye(part.id), "seal": seal(part.id)} for part in take.parts],
        "sketch": _sketch(take),
    }


def _sketch(take: Take) -> list[tuple[int, int, int, int]]:
    """Which part has the last word in each cell, as runs."""
    parts = [part for part in take.parts if len(part.notes)]
    if not parts:
        return []
    low = min(int(part.notes.pitch.min()) for part in parts)
    height = max(max(int(part.notes.pitch.max()) for part in parts) - low, 1)
    owner = np.full((SKETCH_ROWS, SKETCH_COLUMNS), -1)
    for part in parts:
        notes = part.notes
        level = (SKETCH_ROWS - 1) - (notes.pitch.astype(np.int64) - low) * (SKETCH_ROWS - 1) // height
        left = notes.start * (SKETCH_COLUMNS - 1) // max(take.end, 1)
        right = notes.end * (SKETCH_COLUMNS - 1) // max(take.end, 1)
        # +1 where a note starts and -1 after it ends: the running sum is how many sound in a cell.
        steps = np.zeros((SKETCH_ROWS, SKETCH_COLUMNS + 1), dtype=np.int64)
        np.add.at(steps, (level, left), 1)
        np.add.at(steps, (level, right + 1), -1)
        owner[np.cumsum(steps, axis=1)[:, :-1] > 0] = part.id
    cells: list[tuple[int, int, int, int]] = []
    for row, line in enumerate(owner):
        edges = np.concatenate(([0], np.flatnonzero(np.diff(line)) + 1, [SKETCH_COLUMNS]))
        for left, right in itertools.pairwise(edges.tolist()):
            if line[left] >= 0:
                cells.append((left, row, right - left, int(line[left])))
    return cells
