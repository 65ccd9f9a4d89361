"""The frame over a stretch of a lane, and how lanes are sent."""

import io
from typing import Any

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.arrays import whole
from expression.curve import Curve
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import events, file_of, phrase
from tests.lanes import BEAT, BUMP, curve_of, exported, made, recorded, wheel

values7 = st.lists(st.integers(0, 127), min_size=2, max_size=60)


def framed(take: Take, **grips: Any) -> Curve:
    return made(take, {"kind": "lane.reshape", "lane": "cc:1", **grips})


class TestFrame:
    def test_neutral_numbers_change_nothing_at_all(self) -> None:
        take = recorded(BUMP)
        shaped = shape(take, [parse_stroke({"kind": "lane.reshape", "lane": "cc:1"})])
        assert shaped.parts[0].lanes["cc:1"] is take.parts[0].lanes["cc:1"]
        assert write(shaped) == write(take)

    @pytest.mark.parametrize(
        ("grips", "expected"),
        [
            ({"level": 10}, [30, 50, 70]),
            ({"depth": 0.5, "pivot": "min"}, [20, 30, 40]),
            ({"depth": 2, "pivot": 40}, [0, 40, 80]),
            ({"depth": 0, "pivot": "mean"}, [40, 40, 40]),
            ({"level": 10, "depth": 2, "pivot": 0}, [60, 100, 127]),
        ],
    )
    def test_level_and_depth_by_hand(self, grips: dict[str, Any], expected: list[int]) -> None:
        assert framed(recorded([20, 40, 60], gap=20), **grips).values.tolist()[:3] == expected

    @pytest.mark.parametrize(
        ("limit", "expected"), [("pin", [50, 127, 127]), ("stop", [27, 107, 127]), ("squeeze", [50, 120.75, 127])]
    )
    def test_at_the_end_of_the_range(self, limit: str, expected: list[float]) -> None:
        if limit == "squeeze":  # Linear: 0 to 100 becomes 30 to 127.
            expected = [30, 30 + 80 * 0.97, 127]
            made_ = framed(recorded([0, 80, 100], gap=20), level=30, limit=limit)
        else:
            made_ = framed(recorded([20, 100, 120], gap=20), level=30, limit=limit)
        assert made_.values.tolist()[:3] == pytest.approx(expected)

    @given(values7, st.floats(0.2, 1), st.floats(0.2, 1))
    def test_lean_and_then_the_inverse_lean_is_back(self, values: list[int], left: float, right: float) -> None:
        take = recorded(values, gap=20)
        span = {"where": {"parts": [0], "span": [0, 40 * len(values)]}}
        there = {"kind": "lane.reshape", "lane": "cc:1", "lean": [left, right], **span}
        if left == right:
            return
        once = made(take, there)
        u = curve_of(take).ticks / (40 * len(values))
        assert once.at(curve_of(take).ticks) == pytest.approx(values * (left + (right - left) * u), abs=1.5)

    def test_what_is_held_for_long_slides_under_a_lean(self) -> None:
        take = recorded([100])
        curve = framed(take, lean=[1, 0], where={"parts": [0], "span": [0, 8 * BEAT]})
        at = np.linspace(0, 8 * BEAT - 1, 50)
        assert np.abs(curve.at(at) - 100 * (1 - at / (8 * BEAT))).max() < 0.5
        assert curve.at(8 * BEAT) == 100

    def test_bow_pushes_the_middle_and_drift_moves_it(self) -> None:
        take = recorded([50], notes=8)
        span = {"where": {"parts": [0], "span": [0, 4 * BEAT]}}
        bowed = framed(take, bow=40, **span)
        assert bowed.at([0, 2 * BEAT, 4 * BEAT]).tolist() == pytest.approx([50, 90, 50], abs=0.3)
        late = made(take, {"kind": "lane.reshape", "lane": "cc:1", "bow": 40, "drift": 0.5, **span})
        at = np.arange(0, 4 * BEAT)
        assert at[late.at(at).argmax()] == pytest.approx(4 * BEAT * 0.725, abs=100)
        assert late.at(4 * BEAT * 0.725) == pytest.approx(90, abs=0.2)

    def test_length_stretches_from_the_start_and_covers_what_it_reaches(self) -> None:
        take = recorded([10, 20, 30, 40, 50, 60], gap=120)
        longer = framed(take, length=2, where={"parts": [0], "span": [0, 480]})
        assert list(zip(longer.ticks.tolist(), longer.values.tolist(), strict=True))[:4] == [
            (0, 10), (480, 20), (960, 50), (1200, 60)
        ]  # fmt: skip
        shorter = framed(take, length=0.5, where={"parts": [0], "span": [0, 960]})
        assert shorter.ticks.tolist()[:4] == [0, 120, 240, 360]

    @given(values7, st.floats(-60, 60), st.floats(0, 2), st.floats(-40, 40))
    def test_a_smooth_join_is_continuous(self, values: list[int], level: float, depth: float, bow: float) -> None:
        take = recorded([*values, values[-1]], gap=20)
        start, end = 40 * (len(values) // 4), 40 * (len(values) - 1)
        if end - start < 200:
            return
        span = {"where": {"parts": [0], "span": [start, end]}}
        curve = framed(take, level=level, depth=depth, bow=bow, join="smooth", **span)
        was = curve_of(take)
        for edge in (start, end):
            jump = abs(float(was.at(edge) - was.at(edge - 1)))
            assert abs(float(curve.at(edge) - curve.at(edge - 1))) <= jump + 40

    @pytest.mark.parametrize("values", [[10, 100, 30], [10, 10, 100]])
    def test_a_smooth_join_that_ends_on_a_step_leaves_it_one(self, values: list[int]) -> None:
        take = recorded(values * 100, gap=20)
        was = curve_of(take)
        # The margins, 12 hundredths each, end on nodes.
        start, end = int(was.ticks[25]), int(was.ticks[275])
        curve = framed(take, level=7, join="smooth", where={"parts": [0], "span": [start, end]})
        still = np.arange(int(was.ticks[55]), int(was.ticks[245]))
        assert np.abs(curve.at(still) - was.at(still) - 7).max() < 0.6
        for edge in still[0] - 1, still[-1]:
            assert float(curve.at(edge)) == pytest.approx(float(was.at(edge)) + 7, abs=0.6)

    @pytest.mark.parametrize(("count", "gap", "level"), [(400, 12, 9), (400, 12, -30), (90, 40, 25), (7, 480, 20)])
    def test_a_smooth_join_leads_recorded_steps_in_and_out_within_the_tolerance(
        self, count: int, gap: int, level: float
    ) -> None:
        take = recorded([40 + (7 * step) % 23 for step in range(count)], gap=gap)
        was = curve_of(take)
        start, end = int(was.ticks[count // 7]), int(was.ticks[count - 2])
        curve = framed(take, level=level, join="smooth", where={"parts": [0], "span": [start, end]})
        ticks = np.arange(start, end)
        margin = round((end - start) * 0.12)
        along = np.clip(np.minimum(ticks - start, end - ticks) / margin, 0, 1)
        # (Nothing is led across a jump: what is led is the change.)
        jump_in = was.at(start) - was.at(start - 1)
        jump_out = was.at(end) - was.at(end - 1)
        off = np.where(ticks - start < end - ticks, -level - jump_in, -level + jump_out)
        wanted = was.at(ticks) + level + off * (1 - along * along * (3 - 2 * along))
        assert np.abs(curve.at(ticks) - wanted).max() <= 0.51

    def test_several_lanes_and_parts_at_once(self) -> None:
        tracks = [
            [
                *wheel([40, 50], gap=20, channel=channel),
                *wheel([60], control=11, channel=channel),
                *phrase([64], channel=channel),
            ]
            for channel in (0, 1)
        ]
        take = read(file_of(*tracks))
        shaped = shape(take, [parse_stroke({"kind": "lane.reshape", "lane": ["cc:1", "cc:11"], "level": 5})])
        for part in (0, 1):
            assert curve_of(shaped, "cc:1", part).values.tolist() == [45, 55]
            assert curve_of(shaped, "cc:11", part).values.tolist() == [65]


class TestEmission:
    @given(
        st.lists(
            st.tuples(st.integers(10, 4000), st.floats(0, 127), st.booleans(), st.floats(-1, 1), st.floats(0, 1)),
            min_size=1,
            max_size=12,
        )
    )
    def test_what_is_sent_stays_near_what_is_drawn(self, nodes: list[tuple[int, float, bool, float, float]]) -> None:
        ticks = np.cumsum([gap for gap, *_ in nodes]).tolist()
        written = [
            {"tick": tick, "value": value, "hold": hold, "lift": lift, "ease": ease}
            for tick, (_, value, hold, lift, ease) in zip(ticks, nodes, strict=True)
        ]
        stroke = {"kind": "lane.nodes", "lane": "cc:74", "where": {"parts": [0]}, "nodes": written}
        take = shape(recorded([0], notes=1), [parse_stroke(stroke)])
        curve = curve_of(take, "cc:74")
        sent = exported(take, 74)
        heard = Curve.of([tick for tick, _ in sent], [value for _, value in sent])
        assert heard.at(curve.ticks).tolist() == whole(curve.at(curve.ticks)).tolist()
        # Between events the curve goes on for one time step (5 ms, here 10 ticks) at most.
        at = np.arange(ticks[0], ticks[-1] + 1, 3)
        drawn = np.stack([curve.at(np.maximum(at - back, ticks[0])) for back in range(25)])
        assert (np.abs(heard.at(at) - drawn).min(axis=0) <= 0.5 + np.ptp(drawn, axis=0)).all()
        gaps = np.diff([tick for tick, _ in sent if tick not in set(ticks)])
        assert len(gaps) == 0 or gaps.min() >= 9 or (np.diff(ticks) > 0).all()

    @pytest.mark.parametrize("tolerance", [0, 2, 5])
    def test_a_tolerance_sends_fewer_events_and_keeps_its_bound(self, tolerance: int) -> None:
        ramp = {"kind": "lane.ramp", "lane": "cc:74", "start": 0, "end": 127, "lift": 0.3,
                "where": {"parts": [0], "span": [0, 8 * BEAT]}}  # fmt: skip
        take = shape(recorded([0]), [parse_stroke(ramp)])
        sent = [
            (tick, data[2])
            for tick, data in events(write(take, tolerance))[0]
            if data[0] & 0xF0 == 0xB0 and data[1] == 74
        ]
        scale = BEAT // mido.MidiFile(file=io.BytesIO(write(take, tolerance))).ticks_per_beat
        heard = Curve.of([tick * scale for tick, _ in sent], [value for _, value in sent])
        at = np.arange(0, 8 * BEAT, 11)
        # Half a step of rounding, and what the curve moves within a time step.
        assert np.abs(heard.at(at) - curve_of(take, "cc:74").at(at)).max() <= max(tolerance, 0.5) + 1
        assert len(sent) <= 128 / max(tolerance, 1) + 3
