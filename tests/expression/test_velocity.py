from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.errors import BadStroke, NothingMatched
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import events, file_of, phrase

BEAT = 960


def take_of(*velocities: int) -> Take:
    return read(file_of(phrase(velocities)))


def shaped(take: Take, **stroke: Any) -> list[int]:
    made = parse_stroke(stroke).apply(take)
    return [int(value) for part in made.parts for value in part.notes.velocity]


groups = st.lists(st.integers(1, 127), min_size=1, max_size=12)
steps = st.integers(-127, 127)


def nudged(group: list[int], by: int, limit: str) -> list[int]:
    return shaped(take_of(*group), kind="velocity.nudge", by=by, limit=limit)


class TestSetAndNudge:
    def test_set(self) -> None:
        assert shaped(take_of(10, 100), kind="velocity.set", value=64) == [64, 64]

    @pytest.mark.parametrize(
        ("limit", "by", "expected"),
        [
            ("pin", 20, [70, 120, 127]),
            ("stop", 20, [57, 107, 127]),
            ("squeeze", 20, [70, 111, 127]),
            ("pin", -60, [1, 40, 60]),
            ("stop", -60, [1, 51, 71]),
            ("squeeze", -60, [1, 43, 60]),
        ],
    )
    def test_at_the_end_of_the_range(self, limit: str, by: int, expected: list[int]) -> None:
        assert nudged([50, 100, 120], by, limit) == expected

    @given(groups, steps)
    def test_stop_keeps_every_difference(self, group: list[int], by: int) -> None:
        made = nudged(group, by, "stop")
        assert np.diff(made).tolist() == np.diff(group).tolist()
        assert min(made) >= 1
        assert max(made) <= 127

    @given(groups, steps)
    def test_squeeze_keeps_the_order(self, group: list[int], by: int) -> None:
        made = nudged(group, by, "squeeze")
        for one in range(len(group)):
            for other in range(len(group)):
                assert (group[one] < group[other]) == (made[one] < made[other])
        assert min(made) >= 1
        assert max(made) <= 127

    @given(groups, steps)
    def test_inside_the_range_all_limits_agree(self, group: list[int], by: int) -> None:
        if min(group) + by >= 1 and max(group) + by <= 127:
            expected = [value + by for value in group]
            assert all(nudged(group, by, limit) == expected for limit in ("stop", "pin", "squeeze"))


class TestHairpin:
    def test_a_straight_ramp_from_first_to_last_onset(self) -> None:
        assert shaped(take_of(64, 64, 64, 64, 64), kind="velocity.hairpin", start=40, end=80) == [40, 50, 60, 70, 80]

    def test_over_a_span_that_begins_before_the_notes_and_ends_after_them(self) -> None:
        stroke = {"kind": "velocity.hairpin", "start": 0, "end": 100, "where": {"span": [0, 10 * BEAT]}}
        assert shaped(take_of(64, 64, 64), **stroke) == [1, 10, 20]

    def test_notes_outside_the_span_stay(self) -> None:
        stroke = {"kind": "velocity.hairpin", "start": 20, "end": 40, "where": {"span": [BEAT, 3 * BEAT]}}
        assert shaped(take_of(64, 64, 64, 64), **stroke) == [64, 20, 30, 64]

    def test_accents_keep_the_deviation_from_the_line_through_the_notes(self) -> None:
        # An independent least-squares fit gives the deviations; half of each is added to the ramp.
        velocities = np.array([60, 70, 50, 60])
        line = np.polyval(np.polyfit(range(4), velocities, 1), range(4))
        expected = np.floor(np.array([40, 50, 60, 70]) + 0.5 * (velocities - line) + 0.5).astype(int).tolist()
        assert shaped(take_of(*velocities), kind="velocity.hairpin", start=40, end=70, accents=0.5) == expected

    @given(groups, st.floats(0, 127), st.floats(0, 127), st.floats(-1, 1), st.floats(0, 1), st.floats(0, 1))
    def test_results_are_velocities(
        self, group: list[int], start: float, end: float, lift: float, ease: float, accents: float
    ) -> None:
        numbers = {"start": start, "end": end, "lift": lift, "ease": ease, "accents": accents}
        made = shaped(take_of(*group), kind="velocity.hairpin", **numbers)
        assert all(1 <= value <= 127 for value in made)
        if accents == 0:
            assert made == sorted(made, reverse=end < start)

    @given(groups, st.floats(0, 3))
    def test_by_with_equal_ends_is_scaling(self, group: list[int], factor: float) -> None:
        made = shaped(take_of(*group), kind="velocity.hairpin", mode="by", start=factor, end=factor)
        assert made == [min(127, max(1, int(np.floor(value * factor + 0.5)))) for value in group]

    def test_floor_and_ceiling(self) -> None:
        stroke = {"kind": "velocity.hairpin", "start": 0, "end": 127, "floor": 30, "ceiling": 90}
        assert shaped(take_of(64, 64, 64), **stroke) == [30, 64, 90]

    def test_lift_starts_late(self) -> None:
        straight = shaped(take_of(*[64] * 9), kind="velocity.hairpin", start=40, end=112)
        late = shaped(take_of(*[64] * 9), kind="velocity.hairpin", start=40, end=112, lift=0.5)
        assert (late[0], late[-1]) == (40, 112)
        assert all(a < b for a, b in zip(late[1:-1], straight[1:-1], strict=True))

    def test_a_chord_moves_as_one(self) -> None:
        take = read(file_of([m.copy(time=0) for m in phrase([64, 64, 64])]))
        assert shaped(take, kind="velocity.hairpin", start=50, end=90) == [50, 50, 50]

    def test_pulled_through_a_point_its_line_passes_there(self) -> None:
        take = take_of(*[64] * 9)
        stroke = parse_stroke({"kind": "velocity.hairpin", "start": 40, "end": 112}).fitted(take, 4 * BEAT, 55)
        assert dict(stroke.line(take))[4 * BEAT] == pytest.approx(55, abs=0.5)


class TestWhere:
    def test_its_fields_narrow_each_other(self) -> None:
        take = read(file_of(phrase([64] * 4), phrase([64] * 4, channel=1)))
        where = {"parts": [1], "notes": [[0, 5], [7, 7]], "span": [0, 3 * BEAT], "pitches": [61, 63]}
        assert shaped(take, kind="velocity.set", value=1, where=where) == [64] * 4 + [64, 1, 64, 64]

    def test_a_stroke_changes_only_what_it_names(self) -> None:
        data = file_of(phrase([64, 65, 66]), phrase([70], channel=1))
        made = shape(read(data), [parse_stroke({"kind": "velocity.set", "value": 9, "where": {"notes": [[1, 1]]}})])
        before, after = events(data), events(write(made))
        differing = [
            (a, b) for old, new in zip(before, after, strict=True) for a, b in zip(old, new, strict=True) if a != b
        ]
        assert differing == [((480, bytes([0x90, 61, 65])), (480, bytes([0x90, 61, 9])))]

    def test_nothing_matched_is_refused_with_the_place(self) -> None:
        stroke = parse_stroke({"kind": "velocity.set", "value": 9, "where": {"span": [7680, 7690]}})
        with pytest.raises(NothingMatched, match="between bar 3 beat 1 and bar 3 beat 1"):
            stroke.apply(take_of(64))

    def test_an_empty_list_of_notes_is_no_note(self) -> None:
        with pytest.raises(NothingMatched):
            parse_stroke({"kind": "velocity.set", "value": 9, "where": {"notes": []}}).apply(take_of(64))


@pytest.mark.parametrize(
    ("stroke", "sentence", "field"),
    [
        (
            {"kind": "velocity.set", "value": 300},
            "value must be a whole number from 1 to 127, or one of mean, min, max, not 300.",
            "value",
        ),
        ({"kind": "velocity.set", "value": "loud"}, "or one of mean, min, max, not 'loud'.", "value"),
        ({"kind": "velocity.set"}, "value is missing.", "value"),
        ({"kind": "velocity.hairpin", "start": 1, "end": 2, "lift": 3}, "lift must be a number from -1 to 1", "lift"),
        ({"kind": "velocity.hairpin", "start": float("nan"), "end": 2}, "start must be a number from 0", "start"),
        ({"kind": "velocity.hairpin", "start": 1, "end": float("inf")}, "end must be a number from 0 to 127", "end"),
        ({"kind": "velocity.nudge", "by": 1, "limit": "bounce"}, "limit must be one of stop, pin, squeeze", "limit"),
        ({"kind": "velocity.set", "value": 1, "colour": 2}, "colour is not a field of this stroke.", "colour"),
        (
            {"kind": "velocity.sing"},
            "kind must be one of velocity.hairpin, velocity.set, velocity.nudge, ",
            "kind",
        ),
        ({"kind": "velocity.set", "value": 1, "where": {"span": [9, 3]}}, "span must end after it starts", "where"),
        ({"kind": "velocity.hairpin", "start": 1, "end": 2, "floor": 9, "ceiling": 3}, "floor must not be above", None),
        ("velocity.set", "", None),
        (None, "", None),
    ],
)
def test_a_stroke_that_breaks_its_contract_is_refused_with_field_and_range(
    stroke: Any, sentence: str, field: str | None
) -> None:
    with pytest.raises(BadStroke) as refused:
        parse_stroke(stroke)
    assert sentence in str(refused.value)
    if field:
        assert refused.value.field == field
