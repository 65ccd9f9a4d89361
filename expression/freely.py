"""A take that was played freely, put into bars: it sounds as it did, and its beats lie on those of the page."""

from collections.abc import Sequence

import numpy as np

from expression import beats as beat
from expression.arrays import Ints
from expression.errors import BadStroke
from expression.history import Shaped
from expression.midi.blank import blank_at
from expression.played import repacked
from expression.strokes import AnyStroke, parse_stroke
from expression.strokes.passes import RecordPass


def in_bars(shaped: Shaped, taps: Sequence[float] | None, beats: int) -> tuple[bytes, list[tuple[AnyStroke, bool]]]:
    """The file and the passes of a take from nothing, with bars of `beats` quarters.

    They are fitted to taps (seconds), or to beats that are found in what was played. Raises BadStroke.

    The first beat begins the bar after what goes before it: all of it comes as much later as that takes.
    """
    entries = shaped.entries
    if any(len(part.paired) for part in shaped.recorded.parts) or not all(
        isinstance(entry.stroke, RecordPass) for entry in entries
    ):
        raise BadStroke("Bars are fitted to a take from nothing that holds nothing but what was played in.")
    before = shaped.recorded.tempo
    told = (
        np.asarray(sorted(taps), dtype=float)
        if taps is not None
        else beat.found_in(before, [part.notes for part in shaped.now.take.parts])
    )
    if len(told) < 2:
        raise BadStroke("Beats must be at least two.")
    gap = float(told[1] - told[0])
    bars = max(int(np.ceil(told[0] / (gap * beats) - 1e-9)), 1)
    lead = bars * beats
    after = beat.fitted(
        np.concatenate(([lead * gap], lead * gap + told[1:] - told[0])).tolist(), before.resolution, lead
    )
    later = lead * gap - float(told[0])

    def moved(ticks: Ints) -> Ints:
        return beat.moved(ticks, before, after, later)

    file = blank_at(
        before.resolution,
        after.steps,
        beats,
        [part.name for part in shaped.recorded.parts],
        int(moved(np.array([shaped.now.take.end]))[0]),
    )
    return file, [(_moved(entry.stroke, moved), entry.on) for entry in entries if isinstance(entry.stroke, RecordPass)]


def _moved(stroke: RecordPass, moved: "beat.Moving") -> AnyStroke:
    def span(ticks: tuple[int, int]) -> tuple[int, int]:
        start, end = moved(np.array(ticks)).tolist()
        return start, max(end, start + 1)

    said = stroke.model_dump(mode="json", exclude_none=True, exclude={"first"})
    said["where"]["span"] = span(stroke.span)
    said["events"] = repacked(stroke.events, moved)
    if stroke.only is not None:
        said["only"] = [span(one) for one in stroke.only]
    return parse_stroke(said)
