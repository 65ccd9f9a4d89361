"""What stands above and below the staves: dynamics, hairpins, the pedal."""

from collections.abc import Iterator, Sequence
from typing import Literal, NamedTuple

import numpy as np

from expression.arrays import Ints
from expression.dynamics import dynamic
from expression.lanes import SUSTAIN
from expression.sounding import pressed
from expression.staff.placing import QUARTER, Measures
from expression.take import Part, Take

CHANGE = 7.0
"""A dynamic is written anew where the mean velocity of a bar is so far from where the last one was written."""
EARLY = 8
"""What is struck less than such a part of a quarter before a bar line is meant for the bar behind it."""


class Sign(NamedTuple):
    """What stands above or below, at some divisions from the bar line: a dynamic, an end of a hairpin, the pedal."""

    at: int
    kind: Literal["dynamic", "crescendo", "diminuendo", "stop", "pedal", "release"]
    word: str = ""


class Hairpin(NamedTuple):
    """A hairpin of a part, in ticks; `rises` where it gets louder."""

    part: int
    start: int
    end: int
    rises: bool


def signs(
    take: Take, part: Part, measures: Measures, begins: Ints, written: Ints, hairpins: Sequence[Hairpin]
) -> list[list[Sign]]:
    """The signs of each bar. `begins`, `written`: where bars and what is written in them begin, in divisions."""
    end = measures.end(take.resolution)
    per_bar: list[list[Sign]] = [[] for _ in measures.start]
    for bar, word in _dynamics(take, part, measures):
        first = np.searchsorted(written, begins[bar])
        inside = first < len(written) and written[first] < begins[bar + 1]
        per_bar[bar].append(Sign(int(written[first] - begins[bar]) if inside else 0, "dynamic", word))
    for tick, sign in (*_pedals(take, part, measures, end), *_pins(hairpins, end)):
        at = (tick - measures.start) * QUARTER / take.resolution
        bar = int(np.clip(np.searchsorted(measures.start, tick, side="right") - 1, 0, len(measures.start) - 1))
        grid = QUARTER // 4
        per_bar[bar].append(
            sign._replace(at=min(max(round(float(at[bar]) / grid) * grid, 0), int(measures.length[bar])))
        )
    for listed in per_bar:
        listed.sort(key=lambda sign: sign.at)
    return per_bar


def _dynamics(take: Take, part: Part, measures: Measures) -> Iterator[tuple[int, str]]:
    """Bars (rows) in which the mean velocity is another than where the last dynamic was written; the first has one."""
    notes = part.notes.only(part.notes.written)
    bars = take.meter.bars(max(take.end, 1)).start
    bar = np.searchsorted(bars, notes.page_start + take.resolution // EARLY, side="right") - 1
    count = np.bincount(bar, minlength=len(bars))
    mean = np.bincount(bar, notes.velocity, minlength=len(bars)) / np.maximum(count, 1)
    word, level = "", -1e9
    first, last = int(measures.number[0]) - 1, int(measures.number[-1]) - 1
    for at in np.flatnonzero(count).tolist():
        if at > last:
            break
        now = dynamic(float(mean[at]))
        changes = now != word and abs(mean[at] - level) >= CHANGE
        if changes:
            word, level = now, float(mean[at])
        if at >= first and (changes or not any(count[first:at])):
            yield at - first, word


def _pedals(take: Take, part: Part, measures: Measures, end: int) -> Iterator[tuple[int, Sign]]:
    feet = pressed(take, part.channel, SUSTAIN)
    start = int(measures.start[0])
    for down, up in zip(feet.down.tolist(), feet.up.tolist(), strict=True):
        if start <= down < end:
            yield down, Sign(0, "pedal")
        if start < up <= end:
            yield up - 1, Sign(0, "release")


def _pins(hairpins: Sequence[Hairpin], end: int) -> Iterator[tuple[int, Sign]]:
    for _, start, until, rises in hairpins:
        if start < end:
            yield start, Sign(0, "crescendo" if rises else "diminuendo")
            yield min(until, end) - 1, Sign(0, "stop")
