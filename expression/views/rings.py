"""How long notes ring on after their keys are let go, as ribbons draw it."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import looked_up, runs
from expression.lanes import SOSTENUTO, SUSTAIN
from expression.sounding import pressed, sounding
from expression.take import Part, Take
from expression.views.columns import InRuns, in_runs


class Rings(TypedDict):
    """The music of a part that a pedal holds: ranges of its rows, and for how many ticks each sounds `on`."""

    row: list[tuple[int, int]]
    on: InRuns


def rings(take: Take, part: Part) -> Rings | None:
    """Of a part; None where no pedal holds any of its notes."""
    if not ({SUSTAIN, SOSTENUTO} & part.channel.lanes.keys()) or not len(part.notes):
        return None
    sounds = sounding(take, part.channel)
    notes = part.music.notes
    row, is_music = looked_up(sounds.id, notes.id)
    on = (sounds.part == part.id) & (sounds.end > sounds.key_up) & is_music
    if not on.any():
        return None
    rows = row[on]
    by_row = np.argsort(rows, kind="stable")
    rows = rows[by_row]
    return {"row": runs(rows), "on": in_runs(sounds.end[on][by_row] - notes.end[rows])}


def feet(take: Take, part: Part) -> list[tuple[int, int]]:
    """Where the sustain of a part is down: from one tick to another."""
    presses = pressed(take, part.channel, SUSTAIN)
    return list(zip(presses.down.tolist(), presses.up.tolist(), strict=True))
