"""Writing, framing, cleaning, shaping and copying lanes."""

from typing import Any

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.curve import form
from expression.distil import distil, line_through
from expression.errors import BadStroke, NothingMatched
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.views.faults import faults
from tests.files import events, file_of, phrase
from tests.lanes import BEAT, BUMP, SLOW, curve_of, exported, held, made, recorded, spoken


class TestDistil:
    @given(st.lists(st.tuples(st.integers(1, 60), st.integers(-9, 9)), min_size=2, max_size=60),
           st.sampled_from([0.0, 0.5, 1.0, 3.0]))  # fmt: skip
    def test_at_every_tick_what_was_held_is_kept_within_the_tolerance(
        self, steps: list[tuple[int, int]], tolerance: float
    ) -> None:
        ticks = np.cumsum([gap for gap, _ in steps])
        values = np.clip(64 + np.cumsum([step for _, step in steps]), 0, 127).astype(float)
        fit = distil(ticks, values, tolerance, 1.0)
        at = np.arange(ticks[0], ticks[-1] + 1)
        assert np.abs(fit.at(at) - held(ticks, values, at)).max() <= tolerance + 1e-6
        assert len(fit) <= len(values)
        # Sent as one event for each step that a way rises, and one for each jump: never more than there were.
        ways = ~fit.hold[:-1]
        assert np.abs(np.diff(fit.values))[ways].sum() + (~ways).sum() + 1 <= len(values) + 1e-6

    def test_at_no_tolerance_only_what_is_said_twice_goes(self) -> None:
        fit = distil(np.arange(6) * 30, np.array([10, 10, 11, 12, 12, 30.0]), 0.0, 1.0)
        assert (fit.ticks.tolist(), fit.values.tolist()) == ([0, 60, 90, 150], [10, 11, 12, 30])
        assert fit.hold.all()

    @pytest.mark.parametrize("lift", [-0.5, -0.2, 0.0, 0.2, 0.5])
    def test_a_way_of_our_own_form_comes_back_as_one_segment(self, lift: float) -> None:
        ticks = np.arange(101) * 10
        values = np.round(10 + 100 * form(ticks / 1000, lift))
        assert len(line_through(ticks, values, 1.0)) == 2

    def test_within_15_percent_of_the_fewest_that_can_be_found(self) -> None:
        from bench.fewest import fewest, made_up

        for seed in range(8):
            ticks, values = made_up(seed)
            ours, best = len(distil(ticks, values, 1.0, 1.0)), fewest(ticks, values, 1.0)
            assert ours <= 1.15 * best

    @pytest.mark.parametrize("tolerance", [0, 0.5, 1, 2, 5])
    def test_as_a_stroke_fewer_events_are_sent_within_the_bound(self, tolerance: float) -> None:
        take = recorded([*SLOW, 90, 30, 31, 30], gap=10)
        few = shape(take, [parse_stroke({"kind": "lane.distil", "lane": "cc:1", "tolerance": tolerance})])
        before, after = exported(take), exported(few)
        assert len(after) <= len(before)
        assert len(curve_of(few)) < (305 if tolerance == 0 else 120 if tolerance < 1 else 40)
        at = np.arange(0, 305 * 20)
        was, now = (held([tick for tick, _ in sent], [value for _, value in sent], at) for sent in (before, after))
        assert np.abs(was - now).max() <= tolerance

    def test_what_goes_in_coarse_steps_stays_as_it_is(self) -> None:
        # Five steps at a time: a way would have to send five events for one that is there.
        take = recorded(range(0, 100, 5), gap=24)
        assert exported(shape(take, [parse_stroke({"kind": "lane.distil", "lane": "cc:1"})])) == exported(take)

    @pytest.mark.parametrize("span", [None, [0, 2 * BEAT], [BEAT, 3 * BEAT]])
    def test_what_was_drawn_is_distilled_as_it_is_sent(self, span: list[int] | None) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 20, "end": 100, "ease": 0.5,
                "where": {"parts": [0], "span": [0, 4 * BEAT]}}  # fmt: skip
        wave = {"kind": "lane.wave", "lane": "cc:1", "rate": 1, "depth": 2, "mode": "add",
                "where": {"parts": [0], "span": [0, 2 * BEAT]}}  # fmt: skip
        take = shape(recorded([20]), [parse_stroke(ramp), parse_stroke(wave)])
        stroke = {"kind": "lane.distil", "lane": "cc:1", "tolerance": 3, "where": {"span": span} if span else {}}
        few = shape(take, [parse_stroke(stroke)])
        start, end = span or (0, 4 * BEAT)
        assert len(curve_of(few).within(start, end)) < len(curve_of(take).within(start, end)) / 2
        assert len(exported(few)) <= len(exported(take)) + 2
        at = np.arange(0, 4 * BEAT)
        assert np.abs(curve_of(few).at(at) - curve_of(take).at(at)).max() <= 3.5
        outside = (at < start) | (at >= end)
        assert np.allclose(curve_of(few).at(at[outside]), curve_of(take).at(at[outside]), atol=0.15)


class TestDraw:
    LINE = (("lane", "cc:74"), ("where", {"parts": [0]}))

    def test_a_rise_drawn_has_no_stairs_in_the_file(self) -> None:
        points = [[bar * 4 * BEAT, 20 + 25 * bar] for bar in range(5)]
        stroke = {"kind": "lane.draw", **dict(self.LINE), "points": points, "tolerance": 0}
        shaped = shape(recorded([0]), [parse_stroke(stroke)])
        sent = exported(shaped, 74)
        steps = np.diff([value for _, value in sent])
        assert set(steps.tolist()) <= {0, 1}
        assert np.diff([tick for tick, _ in sent]).max() < BEAT / 4

    def test_as_steps_it_jumps(self) -> None:
        stroke = {"kind": "lane.draw", **dict(self.LINE), "points": [[0, 10], [BEAT, 90]], "steps": True}
        assert exported(shape(recorded([0]), [parse_stroke(stroke)]), 74) == [(0, 10), (BEAT, 90)]

    def test_a_switch_is_drawn_as_on_and_off_never_as_a_slope(self) -> None:
        points = [[0, 10], [BEAT, 60], [2 * BEAT, 70], [3 * BEAT, 100], [4 * BEAT, 20]]
        stroke = {"kind": "lane.draw", "lane": "cc:65", "where": {"parts": [0]}, "points": points}
        assert exported(shape(recorded([0]), [parse_stroke(stroke)]), 65) == [(0, 0), (2 * BEAT, 127), (4 * BEAT, 0)]
        ramp = {"kind": "lane.ramp", "lane": "cc:65", "where": {"parts": [0], "span": [0, 9]}, "start": 0, "end": 1}
        with pytest.raises(NothingMatched, match="Portamento on is on or off here; it cannot slide"):
            made(recorded([0]), ramp)

    def test_drawn_again_over_a_stretch_the_ramp_outside_keeps_its_form(self) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:74", "start": 0, "end": 120, "lift": 0.4,
                "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        over = {"kind": "lane.draw", **dict(self.LINE), "points": [[3 * BEAT, 90], [4 * BEAT, 10]]}
        before, after = (made(recorded([0]), *strokes, key="cc:74") for strokes in ((ramp,), (ramp, over)))
        outside = np.concatenate((np.arange(0, 3 * BEAT, 50), np.arange(4 * BEAT + 1, 8 * BEAT, 50)))
        assert np.allclose(after.at(outside), before.at(outside), atol=0.02)
        assert after.at([3 * BEAT, 4 * BEAT]).tolist() == pytest.approx([90, 10])

    def test_a_ramp_takes_the_values_that_are_there(self) -> None:
        take = recorded([40, 90], gap=960)
        stroke = {"kind": "lane.ramp", "lane": "cc:1", "where": {"parts": [0], "span": [BEAT, 3 * BEAT]}}
        curve = made(take, stroke)
        assert curve.at([0, BEAT, 2 * BEAT, 3 * BEAT]).tolist() == [40, 40, 65, 90]


class TestClearAndLeadIn:
    def test_a_span_and_all(self) -> None:
        take = recorded(BUMP)
        curve = made(take, {"kind": "lane.clear", "lane": "cc:1", "where": {"span": [480, 960]}})
        assert not ((curve.ticks >= 480) & (curve.ticks < 960)).any()
        assert len(curve) == 41 - 10
        cleared = shape(take, [parse_stroke({"kind": "lane.clear", "lane": ["cc:1", "cc:2"]})])
        assert not cleared.parts[0].lanes
        assert exported(cleared) == []
        with pytest.raises(NothingMatched, match="Mod wheel carries nothing in this span"):
            made(take, {"kind": "lane.clear", "lane": "cc:1", "where": {"span": [90_000, 90_001]}})

    @pytest.mark.parametrize(("value", "sent"), [(None, 33), (64, 64)])
    def test_the_lead_in_comes_before_the_first_note(self, value: int | None, sent: int) -> None:
        take = recorded([33, 40], start=480)
        shaped = shape(take, [parse_stroke({"kind": "lane.lead_in", "lane": "cc:1", "value": value})])
        assert exported(shaped)[0] == (0, sent)
        first = [data[0] & 0xF0 for tick, data in events(write(shaped))[0] if tick == 0]
        assert first.index(0xB0) < first.index(0x90)

    def test_without_data_it_is_the_standards_default(self) -> None:
        stroke = {"kind": "lane.lead_in", "lane": "cc:7", "where": {"parts": [0]}}
        assert exported(shape(recorded([0]), [parse_stroke(stroke)]), 7) == [(0, 100)]


class TestSmooth:
    def test_jitter_is_less_and_nothing_comes_late(self) -> None:
        dice = np.random.default_rng(5)
        clean = 64 + 40 * np.sin(np.arange(200) / 20)
        take = recorded(np.round(clean + dice.normal(0, 2, 200)), gap=10)
        at = curve_of(take).ticks
        smooth = made(take, {"kind": "lane.smooth", "lane": "cc:1", "width": 160}).at(at)
        raw = curve_of(take).values
        assert np.abs(np.diff(smooth, 2)).mean() < 0.2 * np.abs(np.diff(raw, 2)).mean()
        lags = [float(np.corrcoef(clean[20:-20], np.roll(smooth, -lag)[20:-20])[0, 1]) for lag in (-3, 0, 3)]
        assert lags[1] == max(lags)

    def test_a_line_stays_a_line(self) -> None:
        take = recorded(range(0, 120, 2), gap=10)
        at = curve_of(take).ticks
        smooth = made(take, {"kind": "lane.smooth", "lane": "cc:1", "width": 100}).at(at)
        # A held value is heard until the next: the mean lies half a step lower at every place but the ends.
        assert np.abs(np.diff(smooth)[8:-8] - 2).max() < 0.1

    @pytest.mark.parametrize("jump", [None, 127, 0])
    def test_what_is_held_is_reached_again_and_nothing_beyond_the_width_is_felt(self, jump: float | None) -> None:
        take = recorded([40, 100, 40], gap=960)
        smooth = made(take, {"kind": "lane.smooth", "lane": "cc:1", "jump": jump})
        # 40 ms are 76.8 ticks here.
        for tick, value in ((0, 40), (1843, 40), (1997, 100), (3000, 100), (3763, 100), (3917, 40), (9999, 40)):
            assert smooth.at(tick) == pytest.approx(value, abs=0.01)
        if jump == 127:
            assert smooth.at(1920) == pytest.approx(70, abs=0.2)
            assert smooth.at([1882, 1958]) == pytest.approx([55, 85], abs=0.5)
        else:
            assert smooth.at([1919, 1920]).tolist() == [40, 100]

    def test_a_drawn_ramp_stays_a_ramp(self) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:1", "start": 0, "end": 100, "where": {"parts": [0], "span": [0, 9600]}}
        smoothing = {"kind": "lane.smooth", "lane": "cc:1", "where": {"span": [2000, 7000]}}
        smooth = made(recorded([0]), ramp, smoothing)
        at = np.arange(0, 9600, 50)
        assert np.abs(smooth.at(at) - at / 96).max() < 0.15


class TestUnplayed:
    def test_flicker_becomes_one_value_and_the_hand_stays(self) -> None:
        hand = list(range(20, 60, 2))
        flicker = [64, 65] * 6 + [64, 66, 65]
        take = recorded([*hand, *flicker, 90], gap=12)
        (found,) = [one for one in faults(take) if one["reason"] == "flicker"]
        assert "Mod wheel flickers between neighbouring values in bar" in found["says"]
        curve = made(take, found["stroke"])
        assert curve.values.tolist() == [*hand, 64, 90]
        assert not [one for one in faults(shape(take, [parse_stroke(found["stroke"])])) if one["reason"] == "flicker"]

    def test_a_movement_that_nobody_hears_leaves_where_it_ends(self) -> None:
        quiet = [mido.Message("control_change", control=1, value=value, time=30) for value in range(30, 60)]
        notes = phrase([64])
        later = [m.copy(time=m.time + (1920 if m.type == "note_on" else 0)) for m in phrase([64])]
        wait = [mido.Message("control_change", control=1, value=9, time=2400)]
        take = read(file_of([*notes, *wait, *quiet, *later]))
        (found,) = faults(take)
        assert found["reason"] == "unheard"
        assert made(take, found["stroke"]).values.tolist() == [59]

    def test_a_slow_hand_is_no_flicker(self) -> None:
        take = recorded([10, 10, 11, 11, 12, 12, 12, 13, 13, 14, 14, 15, 15, 16], gap=24)
        assert faults(take) == []
        with pytest.raises(NothingMatched, match="nothing that nobody played"):
            made(take, {"kind": "lane.unplayed", "lane": "cc:1"})


class TestWaveAndShape:
    def test_a_sine_in_step_with_the_beat(self) -> None:
        stroke = {"kind": "lane.wave", "lane": "cc:1", "rate": 2, "depth": 40, "centre": 64,
                  "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        curve = made(recorded([0]), stroke)
        at = np.linspace(0, 8 * BEAT - 1, 400)
        assert np.abs(curve.at(at) - (64 + 40 * np.sin(2 * np.pi * at / (2 * BEAT)))).max() < 0.125
        # Five ways of our form for each half of a cycle.
        assert len(curve) < 60

    @pytest.mark.parametrize(
        ("kind", "expected"),
        [
            ("triangle", [64, 104, 64, 24, 64, 104]),
            ("rise", [24, 44, 64, 84, 24, 44]),
            ("fall", [104, 84, 64, 44, 104, 84]),
            ("pulse", [104, 104, 24, 24, 104, 104]),
        ],
    )
    def test_the_other_forms(self, kind: str, expected: list[int]) -> None:
        stroke = {"kind": "lane.wave", "lane": "cc:1", "form": kind, "rate": 4, "depth": 40,
                  "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        curve = made(recorded([0]), stroke)
        assert curve.at([beat * BEAT for beat in range(6)]).tolist() == pytest.approx(expected, abs=0.01)

    def test_in_hertz_it_follows_the_clock_through_a_change_of_tempo(self) -> None:
        slower = [
            mido.MetaMessage("set_tempo", tempo=500_000),
            mido.MetaMessage("set_tempo", tempo=1_000_000, time=1920),
        ]
        take = read(file_of(slower, phrase([64] * 16)))
        stroke = {"kind": "lane.wave", "lane": "cc:1", "form": "triangle", "rate": 2, "per": "hz", "depth": 20,
                  "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        curve = made(take, stroke)
        seconds = take.tempo.seconds(curve.ticks[curve.values > 83.5])
        assert np.diff(seconds) == pytest.approx(0.5, abs=0.002)

    def test_fade_in_and_a_depth_that_ramps_itself(self) -> None:
        stroke = {"kind": "lane.wave", "lane": "cc:1", "form": "pulse", "rate": 1, "depth": 40, "depth_end": 0,
                  "fade_in": 2, "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        curve = made(recorded([0]), stroke)
        peaks = curve.at([beat * BEAT for beat in range(8)]) - 64
        assert peaks.tolist() == pytest.approx([0, 17.5, 30, 25, 20, 15, 10, 5])

    def test_added_to_what_is_there(self) -> None:
        take = recorded([30, 90], gap=1920)
        stroke = {"kind": "lane.wave", "lane": "cc:1", "form": "triangle", "rate": 4, "depth": 10, "mode": "add",
                  "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        curve = made(take, stroke)
        assert curve.at([0, BEAT, 3 * BEAT, 5 * BEAT]).tolist() == pytest.approx([30, 40, 20, 100])

    def test_a_swell_on_every_held_note_at_once(self) -> None:
        notes = [m.copy(time=m.time * 2) for m in phrase([64] * 4)]
        take = read(file_of(notes))
        stroke = {"kind": "lane.shape", "lane": "pressure", "start": 0, "peak": 100, "end": 0, "notes": True,
                  "delay": 100, "where": {"parts": [0]}}  # fmt: skip
        curve = made(take, stroke, key="pressure")
        for start, end in zip(take.parts[0].notes.start, take.parts[0].notes.end, strict=True):
            begin = start + 0.1 * 2 * BEAT
            assert curve.at([begin, (begin + end) // 2, end - 1]).tolist() == pytest.approx([0, 100, 0], abs=1)

    def test_repeated_to_fill_the_span(self) -> None:
        stroke = {"kind": "lane.shape", "lane": "cc:74", "start": 10, "end": 90, "every": 2,
                  "where": {"parts": [0], "span": [0, 7 * BEAT]}}  # fmt: skip
        curve = made(recorded([0]), stroke, key="cc:74")
        assert curve.at([0, BEAT, 2 * BEAT - 1, 2 * BEAT, 6 * BEAT]).tolist() == pytest.approx(
            [10, 50, 90, 10, 10], abs=0.1
        )


class TestCopyAndMove:
    def test_to_another_time_as_it_is(self) -> None:
        take = recorded([10, 20, 30], gap=240)
        stroke = {"kind": "lane.copy", "lane": "cc:1", "where": {"parts": [0], "span": [0, 1440]}, "to": {"at": 4800}}
        curve = made(take, stroke)
        assert curve.at([0, 480, 960, 4799, 4800, 5280, 5760, 6240]).tolist() == [10, 20, 30, 30, 10, 20, 30, 30]

    def test_fitted_scaled_repeated_onto_another_lane(self) -> None:
        take = recorded([40, 80], gap=480)
        stroke = {"kind": "lane.copy", "lane": "cc:1", "where": {"parts": [0], "span": [0, 1920]}, "fit": 960,
                  "to": {"lane": "cc:11", "at": 0}, "gain": 0.5, "repeat": 2}  # fmt: skip
        curve = made(take, stroke, key="cc:11")
        assert curve.at([0, 480, 960, 1440]).tolist() == [20, 40, 20, 40]

    @given(st.lists(st.integers(0, 127), min_size=1, max_size=12), st.sampled_from(["time", "value"]))
    def test_flipped_twice_is_back(self, values: list[int], flip: str) -> None:
        length = 200 * len(values)
        take = recorded([*values, 127 if values[0] < 64 else 0], gap=100)
        there = {"kind": "lane.copy", "lane": "cc:1", "where": {"parts": [0], "span": [0, length]}, "flip": flip,
                 "to": {"at": 20 * BEAT}}  # fmt: skip
        back = {**there, "where": {"parts": [0], "span": [20 * BEAT, 20 * BEAT + length]}, "to": {"at": 40 * BEAT}}
        curve = made(take, there, back)
        at = np.arange(0, length, 37)
        assert curve.at(at + 40 * BEAT).tolist() == curve_of(take).at(at).tolist()

    def test_a_way_flipped_in_time_runs_backwards(self) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:74", "start": 0, "end": 100, "lift": 0.5,
                "where": {"parts": [0], "span": [0, 960]}}  # fmt: skip
        copy = {"kind": "lane.copy", "lane": "cc:74", "where": {"parts": [0], "span": [0, 960]}, "flip": "time",
                "to": {"at": 4800}}  # fmt: skip
        curve = made(recorded([0]), ramp, copy, key="cc:74")
        at = np.arange(1, 960, 60)
        assert np.allclose(curve.at(4800 + 960 - at), curve.at(at), atol=0.01)

    def test_the_wheel_becomes_expression_and_comes_back(self) -> None:
        take = recorded(BUMP)
        there, back = ({"kind": "lane.move", "lane": a, "to": b} for a, b in (("cc:1", "cc:11"), ("cc:11", "cc:1")))
        moved = shape(take, [parse_stroke(there)])
        assert exported(moved) == []
        # What the wheel said twice is said once, now that it is sent anew.
        assert exported(moved, 11) == spoken(exported(take))
        assert spoken(exported(shape(take, [parse_stroke(there), parse_stroke(back)]))) == spoken(exported(take))
        kept = shape(take, [parse_stroke({**there, "keep": True})])
        assert spoken(exported(kept)) == exported(kept, 11)

    def test_pressure_becomes_bend_over_its_full_range(self) -> None:
        track = [mido.Message("aftertouch", value=value, time=100) for value in (0, 127)]
        curve = made(
            read(file_of([*phrase([64]), *track])), {"kind": "lane.move", "lane": "pressure", "to": "bend"}, key="bend"
        )
        assert curve.values.tolist() == [-2, 2]

    @pytest.mark.parametrize(
        ("stroke", "sentence"),
        [
            (
                {"kind": "lane.copy", "where": {"parts": [0], "span": [0, 9]}, "to": {"at": 0}},
                "exactly on the original",
            ),
            ({"kind": "lane.copy", "where": {"parts": [0]}, "to": {"at": 0}}, "needs the span that is copied"),
            ({"kind": "lane.copy", "where": {"span": [0, 9]}, "to": {"at": 0}}, "made from one part"),
            ({"kind": "lane.move", "to": "cc:1"}, "moved onto itself"),
            ({"kind": "lane.move", "to": "cc:999"}, "to must be bend, pressure or cc:0"),
            ({"kind": "lane.wave", "where": {"span": [0, 9]}, "rate": 0, "depth": 9}, "rate must be a number above 0"),
            ({"kind": "lane.wave", "rate": 1, "depth": 9}, "a wave needs a span"),
            ({"kind": "lane.distil", "tolerance": -1}, "tolerance must be a number from 0 to 64, not -1"),
            ({"kind": "lane.smooth", "width": 0}, "width must be a number above 0"),
            ({"kind": "lane.reshape", "length": 0}, "length must be a number above 0"),
            (
                {"kind": "lane.ramp", "lane": "cc:6", "where": {"span": [0, 9]}},
                "cc:6: Data entry is a message",
            ),
            ({"kind": "lane.ramp", "lane": "cc:121", "where": {"span": [0, 9]}}, "Reset controllers is a message"),
            ({"kind": "lane.reshape", "lane": []}, "lane"),
            ({"kind": "lane.shape", "start": 0, "end": 9}, "needs a span, or notes"),
            ({"kind": "lane.draw", "points": []}, "points must have at least 1"),
        ],
    )
    def test_what_makes_no_sense_is_refused(self, stroke: dict[str, Any], sentence: str) -> None:
        with pytest.raises(BadStroke, match=sentence):
            parse_stroke({"lane": "cc:1", **stroke})

    def test_a_copy_to_a_part_that_is_not_there(self) -> None:
        stroke = {"kind": "lane.copy", "lane": "cc:1", "where": {"parts": [0], "span": [0, 99]}, "to": {"part": 7}}
        with pytest.raises(NothingMatched, match="There is no part 7 to copy to"):
            made(recorded([1]), stroke)

    def test_a_line_that_its_span_cuts_begins_and_ends_on_the_line(self) -> None:
        drawn = {"kind": "lane.draw", "lane": "cc:1", "points": [[0, 0], [1000, 100]], "tolerance": 0}
        curve = made(recorded(BUMP), {**drawn, "where": {"parts": [0], "span": [250, 751]}})
        assert curve.at([250, 500, 750]).tolist() == pytest.approx([25, 50, 75])

    def test_a_span_outside_the_take_says_so(self) -> None:
        where = {"parts": [0], "span": [10**9, 10**9 + 1]}
        for kind in ("lane.smooth", "lane.clear", "lane.unplayed"):
            with pytest.raises(NothingMatched):
                made(recorded(BUMP), {"kind": kind, "lane": "cc:1", "where": where})
