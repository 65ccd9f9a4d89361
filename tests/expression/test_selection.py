from typing import Any

import mido
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from expression.errors import NothingMatched
from expression.midi.read import read
from expression.selection import SelectionRule, select_by
from expression.strokes import Where
from expression.take import Take
from tests.files import NOTE, file_of

RULES: TypeAdapter[Any] = TypeAdapter(SelectionRule)


def played(*notes: tuple[float, float, int, int], meter: int = 4) -> Take:
    """Notes of (beat, length in beats, pitch, velocity), in the order of their beats."""
    events = [(beat, NOTE("note_on", note=pitch, velocity=velocity)) for beat, _, pitch, velocity in notes]
    events += [(beat + length, NOTE("note_off", note=pitch)) for beat, length, pitch, _ in notes]
    track, before = [mido.MetaMessage("time_signature", numerator=meter)], 0
    for beat, message in sorted(events, key=lambda event: (event[0], event[1].type == "note_on")):
        track.append(message.copy(time=round(beat * 480) - before))
        before = round(beat * 480)
    return read(file_of(track))


TAKE = played(
    (0, 1, 60, 50), (0.02, 1, 64, 60), (0.04, 1, 67, 70),  # a chord, slightly spread
    (1.5, 0.5, 60, 80),
    (2, 0.25, 62, 90),
    (3.95, 0.5, 60, 100),  # meant for the next downbeat
    (5, 2, 64, 110),
)  # fmt: skip


def chosen(rule: dict[str, Any], take: Take = TAKE, **where: Any) -> list[int]:
    ranges = select_by(take, Where.model_validate(where), RULES.validate_python(rule))
    return [id_ for first, last in ranges for id_ in range(first, last + 1)]


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        ({"kind": "beat"}, [0, 1, 2, 4, 5, 6]),
        ({"kind": "beat", "on": False}, [3]),
        ({"kind": "beat", "tolerance": 0}, [0, 4, 6]),
        ({"kind": "bar place", "beat": 1}, [0, 1, 2, 5]),
        ({"kind": "bar place", "beat": 2}, [6]),
        ({"kind": "bar place", "beat": 2.5}, [3]),
        ({"kind": "velocity", "low": 60, "high": 90}, [1, 2, 3, 4]),
        ({"kind": "length", "low": 0.5, "high": 1}, [0, 1, 2, 3, 5]),
        ({"kind": "chord", "edge": "top"}, [2, 3, 4, 5, 6]),
        ({"kind": "chord", "edge": "bottom"}, [0, 3, 4, 5, 6]),
        ({"kind": "every", "n": 3, "first": 2}, [1, 4]),
        ({"kind": "pitches", "pitches": [62, 67]}, [2, 4]),
        ({"kind": "span", "span": [1440, 3840]}, [3, 4, 5]),
    ],
)
def test_each_rule_by_hand(rule: dict[str, Any], expected: list[int]) -> None:
    assert chosen(rule) == expected


def test_same_pitch_reaches_beyond_what_is_chosen() -> None:
    assert chosen({"kind": "same pitch"}, notes=[[3, 3]]) == [0, 3, 5]


def test_rules_narrow_what_is_chosen() -> None:
    assert chosen({"kind": "every", "n": 2}, notes=[[2, 5]]) == [2, 4]
    assert chosen({"kind": "chord"}, notes=[[0, 1]]) == [1]


def test_the_beat_is_the_meters_own() -> None:
    waltz = played((0, 1, 60, 50), (3, 1, 60, 50), (4, 1, 60, 50), (6, 1, 60, 50), meter=3)
    assert chosen({"kind": "bar place", "beat": 1}, waltz) == [0, 1, 3]


def test_a_rule_that_fits_nothing_says_so() -> None:
    with pytest.raises(NothingMatched, match="No note fits this rule"):
        chosen({"kind": "velocity", "low": 1, "high": 2})
    with pytest.raises(NothingMatched):
        chosen({"kind": "chord"}, parts=[9])


@pytest.mark.parametrize(
    "rule",
    [
        {"kind": "velocity", "low": 90, "high": 60},
        {"kind": "every", "n": 0},
        {"kind": "louder"},
        {"kind": "length", "low": -1},
    ],
)
def test_rules_out_of_range_are_refused(rule: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        RULES.validate_python(rule)


@given(st.lists(st.tuples(st.integers(0, 200), st.integers(40, 60)), min_size=1, max_size=30))
def test_on_and_off_the_beat_are_all_notes_and_none_twice(raw: list[tuple[int, int]]) -> None:
    take = played(*[(eighth / 8, 0.1, pitch, 64) for eighth, pitch in sorted(set(raw))])

    def maybe(rule: dict[str, Any]) -> list[int]:
        try:
            return chosen(rule, take)
        except NothingMatched:
            return []

    on, off = maybe({"kind": "beat"}), maybe({"kind": "beat", "on": False})
    assert sorted(on + off) == list(range(take.note_count))
    tops = maybe({"kind": "chord"})
    assert len(tops) >= 1
