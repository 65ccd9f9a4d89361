"""Depth, knee, levelling, hairpins there and back, drawing, variation, accents, trims, and fades as volume."""

import itertools
from typing import Any, ClassVar

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.chords import chord_onsets
from expression.errors import BadStroke, NothingMatched
from expression.history import History, Shaped, shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.strokes.feel import chance
from tests.expression.test_velocity import BEAT, groups, shaped, take_of
from tests.files import events, file_of, phrase

LIMITS = ("stop", "pin", "squeeze")


class TestLevelAndDepth:
    @pytest.mark.parametrize(("value", "expected"), [("mean", 63), ("min", 40), ("max", 90), (55, 55)])
    def test_level_out_to_what_the_notes_give(self, value: object, expected: int) -> None:
        assert shaped(take_of(40, 60, 90), kind="velocity.set", value=value) == [expected] * 3

    @pytest.mark.parametrize(
        ("factor", "pivot", "expected"),
        [
            (0.5, "mean", [50, 60, 70]),
            (2, "mean", [20, 60, 100]),
            (0.5, "min", [40, 50, 60]),
            (0.5, "max", [60, 70, 80]),
            (0.8, 0, [32, 48, 64]),
            (1.5, 60, [30, 60, 90]),
            (0, "mean", [60, 60, 60]),
        ],
    )
    def test_widen_or_narrow_about_a_pivot(self, factor: float, pivot: object, expected: list[int]) -> None:
        assert shaped(take_of(40, 60, 80), kind="velocity.scale", factor=factor, pivot=pivot) == expected

    @pytest.mark.parametrize(
        ("limit", "expected"),
        # About 100: wanted are 0, 100, 140.  Stop: the loudest has 7 of 20 to go, so all go 0.35 of their way.
        [("pin", [1, 100, 127]), ("stop", [33, 100, 127]), ("squeeze", [1, 91, 127])],
    )
    def test_depth_at_the_ends_of_the_range(self, limit: str, expected: list[int]) -> None:
        assert shaped(take_of(50, 100, 120), kind="velocity.scale", factor=2, pivot=100, limit=limit) == expected

    @given(groups, st.floats(0, 8), st.sampled_from(["mean", "min", "max"]), st.sampled_from(LIMITS))
    def test_depth_never_turns_an_order_round(self, group: list[int], factor: float, pivot: str, limit: str) -> None:
        made = shaped(take_of(*group), kind="velocity.scale", factor=factor, pivot=pivot, limit=limit)
        assert all(1 <= value <= 127 for value in made)
        for one, other in itertools.pairwise(group):
            place = (group.index(one), group.index(other))
            assert (one <= other) == (made[place[0]] <= made[place[1]]) or made[place[0]] == made[place[1]]

    @pytest.mark.parametrize(
        ("side", "knee", "expected"),
        [
            # Past 80 by 20 and 40, halved; nothing below moves.
            ("loud", 0, [40, 80, 90, 100]),
            ("quiet", 0, [60, 80, 100, 120]),
            # At the threshold itself the parabola takes 32 / 8 x (1 - 1/2) = 2.
            ("loud", 32, [40, 78, 90, 100]),
            ("quiet", 32, [60, 82, 100, 120]),
        ],
    )
    def test_only_the_loud_or_only_the_quiet(self, side: str, knee: float, expected: list[int]) -> None:
        stroke = {"kind": "velocity.knee", "side": side, "threshold": 80, "ratio": 2, "knee": knee}
        assert shaped(take_of(40, 80, 100, 120), **stroke) == expected

    @given(st.sampled_from(["loud", "quiet"]), st.floats(0, 127), st.floats(1, 100), st.floats(0, 127))
    def test_the_knee_keeps_the_order(self, side: str, threshold: float, ratio: float, knee: float) -> None:
        stroke = {"kind": "velocity.knee", "side": side, "threshold": threshold, "ratio": ratio, "knee": knee}
        made = shaped(take_of(*range(1, 128)), **stroke)
        assert made == sorted(made)
        moved = np.array(made) - np.arange(1, 128)
        assert (moved <= 0).all() if side == "loud" else (moved >= 0).all()


class TestThereAndBack:
    def test_a_swell_by_hand(self) -> None:
        made = shaped(take_of(*[64] * 5), kind="velocity.hairpin", start=40, peak=100, end=60)
        assert made == [40, 70, 100, 80, 60]

    def test_a_dip_with_its_turn_moved(self) -> None:
        made = shaped(take_of(*[64] * 5), kind="velocity.hairpin", start=100, peak=40, end=100, peak_at=0.25)
        assert made == [100, 40, 60, 80, 100]

    @given(st.floats(1, 127), st.floats(1, 127), st.floats(-1, 1), st.floats(0, 1), st.integers(3, 12))
    def test_with_equal_ends_it_is_symmetric(self, ends: float, peak: float, lift: float, ease: float, n: int) -> None:
        numbers = {"start": ends, "end": ends, "peak": peak, "lift": lift, "ease": ease}
        line = parse_stroke({"kind": "velocity.hairpin", **numbers}).line(take_of(*[64] * n))
        values = [value for _, value in line]
        assert values == pytest.approx(values[::-1], abs=0.02)

    @pytest.mark.parametrize("peak_at", [0, 1])
    def test_with_its_turn_at_an_end_it_is_a_ramp(self, peak_at: float) -> None:
        made = shaped(take_of(*[64] * 5), kind="velocity.hairpin", start=20, peak=100, end=60, peak_at=peak_at)
        assert made == ([100, 90, 80, 70, 60] if peak_at == 0 else [20, 40, 60, 80, 60])

    def test_its_grip_bends_the_way_to_the_peak(self) -> None:
        take = take_of(*[64] * 9)
        stroke = parse_stroke({"kind": "velocity.hairpin", "start": 40, "end": 40, "peak": 120})
        line = dict(stroke.fitted(take, 2 * BEAT, 60).line(take))
        assert line[2 * BEAT] == pytest.approx(60, abs=1)
        assert line[4 * BEAT] == 120

    def test_a_strummed_chord_moves_as_one_across_parts(self) -> None:
        on, off = mido.Message("note_on", velocity=64), mido.Message("note_off")
        strum = [on.copy(note=60), on.copy(note=64, time=10), off.copy(note=60, time=400), off.copy(note=64)]
        other = [
            on.copy(note=70, time=15),
            off.copy(note=70, time=400),
            on.copy(note=40, time=960),
            off.copy(note=40, time=9),
        ]
        take = read(file_of(strum, [message.copy(channel=1) for message in other]))
        made = shape(take, [parse_stroke({"kind": "velocity.hairpin", "start": 50, "end": 90})])
        assert [part.notes.velocity.tolist() for part in made.parts] == [[50, 50], [50, 90]]

    @given(st.lists(st.integers(0, 4000), max_size=60), st.sampled_from([960, 480]))
    def test_a_chord_is_measured_from_its_first_note(self, starts: list[int], resolution: int) -> None:
        expected, began = {}, None
        for start in sorted(starts):
            if began is None or start - began > resolution // 16:
                began = start
            expected[start] = began
        made = chord_onsets(np.array(starts, dtype=np.int64), resolution)
        assert made.tolist() == [expected[start] for start in starts]


class TestDraw:
    def test_notes_follow_the_line_and_only_where_it_is(self) -> None:
        made = shaped(take_of(*[64] * 5), kind="velocity.draw", points=[[BEAT, 30], [3 * BEAT, 90]])
        assert made == [64, 30, 60, 90, 64]

    def test_drawn_again_over_a_stretch_only_that_changes(self) -> None:
        first = parse_stroke({"kind": "velocity.draw", "points": [[0, 20], [4 * BEAT, 100]]})
        again = parse_stroke({"kind": "velocity.draw", "points": [[2 * BEAT, 1], [3 * BEAT, 127]]})
        made = shape(take_of(*[64] * 5), [first, again])
        assert made.parts[0].notes.velocity.tolist() == [20, 40, 1, 127, 100]

    def test_accents_are_kept_as_much_as_wanted(self) -> None:
        line = {"kind": "velocity.draw", "points": [[0, 60], [3 * BEAT, 60]]}
        # The least-squares line through 50, 70, 50, 70 rises by 4 a note from 54.
        assert shaped(take_of(50, 70, 50, 70), **line, accents=1) == [56, 72, 48, 64]
        assert shaped(take_of(50, 70, 50, 70), **line) == [60] * 4

    def test_points_have_to_ascend(self) -> None:
        with pytest.raises(BadStroke, match="points must ascend by tick"):
            parse_stroke({"kind": "velocity.draw", "points": [[9, 60], [3, 60]]})

    def test_a_line_beside_its_span_is_refused(self) -> None:
        stroke = {"kind": "velocity.draw", "points": [[0, 60], [9, 60]], "where": {"span": [100, 200]}}
        with pytest.raises(NothingMatched, match="outside the span"):
            shaped(take_of(64), **stroke)


class TestVary:
    def test_a_note_gets_the_same_whatever_else_is_chosen(self) -> None:
        take = take_of(*[64] * 40)
        every = shaped(take, kind="velocity.vary", amount=6, seed=3)
        some = shaped(take, kind="velocity.vary", amount=6, seed=3, where={"notes": [[5, 9], [20, 20]]})
        assert [some[i] for i in (5, 6, 7, 8, 9, 20)] == [every[i] for i in (5, 6, 7, 8, 9, 20)]
        assert set(some) - {64}
        assert some[0] == 64

    def test_another_roll_is_another_deviation_and_the_same_roll_the_same(self) -> None:
        take = take_of(*[64] * 40)
        rolls = [shaped(take, kind="velocity.vary", amount=6, seed=seed) for seed in (1, 2, 1)]
        assert rolls[0] == rolls[2] != rolls[1]

    def test_the_deviations_are_normal_and_cut_at_two(self) -> None:
        found = chance(np.arange(50_000), 9)
        assert np.abs(found).max() <= 2
        assert abs(found.mean()) < 0.02
        # Of a normal distribution cut at two, 71.5% lie within one (0.6827 / 0.9545).
        assert (np.abs(found) < 1).mean() == pytest.approx(0.7152, abs=0.01)
        assert abs(np.corrcoef(found[:-1], found[1:])[0, 1]) < 0.02
        assert abs(np.corrcoef(found, chance(np.arange(50_000), 10))[0, 1]) < 0.02

    @given(groups, st.floats(0, 64), st.integers(0, 2**31 - 1), st.sampled_from(LIMITS))
    def test_results_are_velocities(self, group: list[int], amount: float, seed: int, limit: str) -> None:
        made = shaped(take_of(*group), kind="velocity.vary", amount=amount, seed=seed, limit=limit)
        assert all(1 <= value <= 127 for value in made)


class TestAccent:
    def test_a_pattern_goes_round_with_the_bars(self) -> None:
        made = shaped(take_of(*[64] * 8), kind="velocity.accent", grid=4, pattern=[1, 0, 0.5, -0.5], amount=20)
        assert made == [84, 64, 74, 54] * 2

    def test_a_note_played_early_has_the_accent_of_the_beat_it_is_meant_for(self) -> None:
        early = [m.copy(time=m.time + (4 * 480 - 30) * (m.type == "note_on")) for m in phrase([64])]
        take = read(file_of(early))
        assert shaped(take, kind="velocity.accent", grid=4, pattern=[1, 0, 0, -1], amount=20) == [84]

    def test_a_pattern_of_the_wrong_length_is_refused_with_both_lengths(self) -> None:
        with pytest.raises(NothingMatched, match="The pattern has 3 steps, but bar 1 has 4 of 1/4") as refused:
            shaped(take_of(64), kind="velocity.accent", grid=4, pattern=[1, 0, 0])
        assert refused.value.field == "pattern"

    def test_a_waltz_takes_a_pattern_of_three(self) -> None:
        waltz = [mido.MetaMessage("time_signature", numerator=3, denominator=4), *phrase([64] * 6)]
        made = shaped(read(file_of(waltz)), kind="velocity.accent", grid=4, pattern=[1, 0, 0], amount=10)
        assert made == [74, 64, 64] * 2


class TestTrim:
    def test_scale_then_offset(self) -> None:
        assert shaped(take_of(40, 100, 127), kind="velocity.trim", scale=0.5, offset=10) == [30, 60, 74]

    def test_a_second_trim_of_a_part_takes_the_place_of_the_first(self) -> None:
        trim = {"kind": "velocity.trim", "where": {"parts": [0]}}
        history = History().add(parse_stroke({**trim, "offset": 10}))
        history = history.add(parse_stroke({"kind": "velocity.nudge", "by": 1}))
        history = history.add(parse_stroke({**trim, "offset": -5}))
        assert [(entry.number, entry.stroke.label()) for entry in history.entries()] == [
            (1, "Trim 100% −5"),
            (2, "Nudge by +1"),
        ]
        assert Shaped.of(take_of(64), history).now.take.parts[0].notes.velocity.tolist() == [60]
        assert len(history.undo().entries()) == 2
        other = history.add(parse_stroke({**trim, "where": {"parts": [1]}, "offset": 3}))
        assert len(other.entries()) == 3


def heard(take: Any, controller: int = 11) -> list[tuple[int, int]]:
    """What another reader finds of a controller: (tick of the file, value)."""
    return [
        (tick, data[2]) for tick, data in events(write(take))[-1] if data[0] & 0xF0 == 0xB0 and data[1] == controller
    ]


class TestFadeAsVolume:
    FADE: ClassVar[dict[str, Any]] = {
        "kind": "lane.fade",
        "start": 1,
        "end": 0,
        "where": {"parts": [0], "span": [2 * BEAT, 4 * BEAT]},
    }

    def test_without_data_the_default_fades_and_is_there_from_the_start(self) -> None:
        made = shape(take_of(*[64] * 8), [parse_stroke(self.FADE)])
        found = heard(made)
        assert found[0] == (0, 127)
        # At the start of the fade it is 127 already, and is not said again.
        assert found[1][0] > 2 * BEAT
        assert found[1][1] < 127
        assert (4 * BEAT, 127) in found  # The next note begins at full level again.
        falling = [value for tick, value in found if 2 * BEAT <= tick < 4 * BEAT]
        assert falling == sorted(falling, reverse=True)
        assert falling[-1] <= 1
        assert made.parts[0].notes.velocity.tolist() == [64] * 8

    def test_what_is_there_is_multiplied_and_comes_back_afterwards(self) -> None:
        pedal = [
            mido.Message("control_change", control=11, value=value, time=time)
            for time, value in ((0, 100), (960, 80), (480, 120), (480, 60))
        ]
        take = read(file_of(pedal + phrase([64] * 2, gap=960)))
        curve = shape(take, [parse_stroke(self.FADE)]).parts[0].lanes["cc:11"].curve
        was = take.parts[0].lanes["cc:11"].curve
        inside = np.arange(2 * BEAT, 4 * BEAT, 60)
        factor = 1 - (inside - 2 * BEAT) / (2 * BEAT)
        assert np.abs(curve.at(inside) - was.at(inside) * factor).max() < 1.5
        outside = np.array([0, 2 * BEAT - 1, 4 * BEAT, 5 * BEAT])
        assert curve.at(outside).tolist() == was.at(outside).tolist()

    def test_silence_lasts_until_the_next_note_begins(self) -> None:
        late = [*phrase([64] * 3), *(m.copy(time=m.time + 1440 * (m.type == "note_on")) for m in phrase([64]))]
        take = read(file_of(late))
        curve = shape(take, [parse_stroke(self.FADE)]).parts[0].lanes["cc:11"].curve
        restart = int(take.parts[0].notes.start[-1])
        assert curve.at([4 * BEAT, restart - 1, restart]).tolist() == [0, 0, 127]

    @pytest.mark.parametrize(
        ("stroke", "sentence"),
        [
            ({"where": {}}, "a fade needs a span"),
            ({"lane": "bend"}, "not a level that could fade"),
            ({"lane": "cc:64"}, "Sustain pedal is not a level that could fade"),
            ({"lane": "cc:999"}, "lane must be bend, pressure or cc:0 to cc:119"),
            ({"end": -1}, "end must be a number from 0 to 4, not -1"),
        ],
    )
    def test_what_cannot_fade_is_refused(self, stroke: dict[str, Any], sentence: str) -> None:
        with pytest.raises(BadStroke, match=sentence):
            parse_stroke({**self.FADE, **stroke})
