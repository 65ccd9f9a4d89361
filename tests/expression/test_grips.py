"""The grips of open strokes: each lies where its number says, on the stroke's own line."""

from typing import Any

import numpy as np
import pytest

from demo.fog_signal import the_stair
from expression.midi.read import read
from expression.strokes import parse_stroke

TAKE = read(the_stair())
SPAN = {"parts": [0], "span": [15360, 19200]}
LINES: list[dict[str, Any]] = [
    {"kind": "velocity.hairpin", "start": 30, "end": 90, "lift": -0.4, "ease": 0.3},
    {"kind": "velocity.hairpin", "start": 30, "peak": 110, "peak_at": 0.25, "end": 60, "lift": 0.5},
    {"kind": "velocity.hairpin", "mode": "by", "start": 1, "end": 0.25},
    {"kind": "lane.fade", "lane": "cc:11", "start": 1, "end": 0.5, "lift": 0.6},
    {"kind": "lane.ramp", "lane": "cc:11", "start": 20, "end": 100, "ease": 1},
    {"kind": "lane.ramp", "lane": "bend", "start": -1, "end": 1.5},
]


@pytest.mark.parametrize("said", LINES, ids=lambda said: said["kind"])
def test_grips_lie_on_the_line_where_their_numbers_say(said: dict[str, Any]) -> None:
    stroke = parse_stroke({**said, "where": SPAN})
    line = np.array(stroke.line(TAKE))
    for grip in stroke.grips(TAKE):
        assert grip.value == pytest.approx(np.interp(grip.tick, line[:, 0], line[:, 1]), abs=0.6)
        assert grip.number == pytest.approx(getattr(stroke, grip.field))
        if grip.scale:
            assert grip.value == pytest.approx(grip.number * grip.scale)
    ticks = [grip.tick for grip in stroke.grips(TAKE)]
    assert ticks == sorted(ticks)


def test_a_ramp_from_what_is_there_is_taken_where_it_begins() -> None:
    kept = parse_stroke({"kind": "lane.ramp", "lane": "cc:11", "start": 33, "end": 33, "where": SPAN}).apply(TAKE)
    stroke = parse_stroke({"kind": "lane.ramp", "lane": "cc:11", "end": 90, "where": SPAN})
    start = stroke.grips(kept)[0]
    assert (start.field, start.number, start.value) == ("start", 33, 33)


def test_a_shape_has_grips_only_where_it_is_there_once() -> None:
    shape = {"kind": "lane.shape", "lane": "cc:1", "start": 0, "peak": 90, "end": 10, "where": SPAN}
    once = parse_stroke(shape).grips(TAKE)
    assert [(grip.field, grip.tick, grip.value) for grip in once] == [
        ("start", 15360, 0), ("peak", 17280, 90), ("end", 19200, 10),
    ]  # fmt: skip
    assert parse_stroke({**shape, "every": 1}).grips(TAKE) == []
    assert parse_stroke({**shape, "notes": True}).grips(TAKE) == []


def test_what_has_no_line_has_no_grips() -> None:
    assert parse_stroke({"kind": "velocity.nudge", "by": 3}).grips(TAKE) == []
