"""What the rules did to one note, rule by rule."""

from typing import Any

import numpy as np

from demo.fog_signal import the_lamp_room
from expression.history import History, Shaped
from expression.midi.read import read
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.reasons import reasons
from tests.expression.test_rules import SCALE, take_of


def shaped(take: Take, *strokes: dict[str, Any]) -> Shaped:
    history = History()
    for stroke in strokes:
        history = history.add(parse_stroke(stroke))
    return Shaped.of(take, history)


def test_each_rule_says_what_it_did_and_others_say_nothing() -> None:
    made = shaped(SCALE, {"kind": "rule.metre"}, {"kind": "velocity.nudge", "by": 5}, {"kind": "rule.high"})
    first, last = (reasons(made, note) for note in (0, 7))
    assert [one["rule"] for one in first] == ["Metre"]
    assert [one["rule"] for one in last] == ["High is loud"]
    assert first[0]["velocity"] == made.folds[1].take.parts[0].notes.velocity[0] - 80


def test_a_first_shape_says_it_by_each_of_its_rules_and_they_add_up() -> None:
    take = read(the_lamp_room())
    made = shaped(take, {"kind": "play.as", "as": "bowed"})
    notes, played = take.parts[0].notes, made.now.take.parts[0].notes
    for row in range(0, len(notes), 3):
        found = reasons(made, int(notes.id[row]))
        assert sum(one["velocity"] for one in found) == int(played.velocity[row]) - int(notes.velocity[row])
        late = 1000 * float(np.diff(take.tempo.seconds(np.array([notes.start[row], played.start[row]])))[0])
        assert abs(sum(one["begins_ms"] for one in found) - late) < 1
    long = int(np.argmax(notes.end - notes.start))
    assert "Late vibrato" in {one["rule"] for one in reasons(made, int(notes.id[long])) if one["moves"]}


def test_what_is_off_idle_or_elsewhere_says_nothing() -> None:
    made = shaped(SCALE, {"kind": "rule.metre", "where": {"notes": [[3, 3]]}})
    assert reasons(made, 0) == []
    assert reasons(made, 99) == []
    off = made.with_history(made.history.change(1, on=False))
    assert reasons(off, 3) == []
    idle = shaped(SCALE, {"kind": "rule.metre", "where": {"span": [10**6, 10**6 + 1]}})
    assert reasons(idle, 0) == []


def test_times_are_milliseconds() -> None:
    take = take_of((1, 1, 60, 80), (1, 1, 64, 80))
    [found] = reasons(shaped(take, {"kind": "rule.lead"}), 1)
    # To the nearest tick.
    assert abs(found["begins_ms"] + 20) < 0.6
    assert {**found, "begins_ms": 0.0} == {
        "rule": "Melody leads", "velocity": 0, "begins_ms": 0.0, "ends_ms": 0.0, "moves": False,
    }  # fmt: skip
