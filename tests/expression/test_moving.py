"""Strokes that go to other bars: as long as they were, with all that lies along them."""

from typing import Any

import mido
import pytest

from expression.errors import BadStroke, NothingMatched
from expression.history import History, applied
from expression.midi.read import read
from expression.moving import moved
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import file_of

BAR = 3840


def line(bars: int = 8) -> Take:
    played = []
    for _ in range(bars * 4):
        played += [mido.Message("note_on", note=60, velocity=64), mido.Message("note_off", note=60, time=480)]
    return read(file_of(played))


def sent(take: Take, said: dict[str, Any], start: int) -> dict[str, Any]:
    return moved(parse_stroke(said), take, start).model_dump(mode="json", exclude_none=True)


def test_a_ramp_keeps_its_length_and_its_values() -> None:
    said = {
        "kind": "lane.ramp",
        "lane": "cc:11",
        "where": {"parts": [0], "span": [BAR, 2 * BAR]},
        "start": 3,
        "end": 90,
    }
    there = sent(line(), said, 5 * BAR)
    assert there["where"] == {"parts": [0], "span": [5 * BAR, 6 * BAR]}
    assert (there["start"], there["end"]) == (3, 90)


@pytest.mark.parametrize(
    ("said", "path"),
    [
        ({"kind": "lane.draw", "lane": "cc:1", "points": [[10, 5], [400, 80]]}, ("points", 0, 0)),
        ({"kind": "lane.nodes", "lane": "cc:1", "nodes": [{"tick": 10, "value": 7}]}, ("nodes", 0, "tick")),
        (
            {"kind": "notes.add", "notes": [{"start": 10, "length": 9, "pitch": 70, "velocity": 5}]},
            ("notes", 0, "start"),
        ),
        ({"kind": "pedal.press", "spans": [[10, 90], [200, 300]]}, ("spans", 0, 0)),
    ],
    ids=lambda case: case["kind"] if isinstance(case, dict) else "",
)
def test_what_lies_along_it_goes_along(said: dict[str, Any], path: tuple[Any, ...]) -> None:
    there: Any = sent(line(), {**said, "where": {"parts": [0], "span": [0, BAR]}}, 2 * BAR)
    for step in path:
        there = there[step]
    assert there == 2 * BAR + 10


def test_one_made_on_notes_acts_on_all_that_begin_there() -> None:
    take = line()
    said = {"kind": "velocity.set", "where": {"notes": [[0, 3]]}, "value": 100}
    made = applied(moved(parse_stroke(said), take, 4 * BAR), take)
    loud = [
        int(tick)
        for tick, force in zip(made.parts[0].notes.start, made.parts[0].notes.velocity, strict=True)
        if force == 100
    ]
    assert loud == [4 * BAR, 4 * BAR + 960, 4 * BAR + 1920, 4 * BAR + 2880]


def test_what_cannot_go_says_why() -> None:
    take = line()
    with pytest.raises(NothingMatched, match="lies on notes"):
        sent(take, {"kind": "lane.ramp", "lane": "note:pitch", "end": 2}, BAR)
    with pytest.raises(NothingMatched, match="stands for all"):
        sent(take, {"kind": "velocity.trim", "offset": 3}, BAR)
    with pytest.raises(NothingMatched, match="before the take begins"):
        said = {
            "kind": "lane.draw",
            "lane": "cc:1",
            "points": [[0, 5], [BAR, 80]],
            "where": {"parts": [0], "span": [960, BAR]},
        }
        sent(take, said, 0)


def test_a_name_is_told_and_is_no_other_stroke() -> None:
    take = line()
    said = {"kind": "velocity.set", "where": {"notes": [[0, 3]]}, "value": 100}
    history = History().add(parse_stroke(said)).change(1, parse_stroke({**said, "called": "Into the fog"}))
    assert history.says(2) == "Named: Into the fog"
    assert applied(history.entry(1).stroke, take).is_like(applied(parse_stroke(said), take))
    with pytest.raises(BadStroke, match="called"):
        parse_stroke({**said, "called": "x" * 61})
