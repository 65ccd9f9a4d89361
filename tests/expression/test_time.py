import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.time import Meter, Position, TempoMap


def test_without_a_tempo_it_is_120() -> None:
    assert TempoMap.of(960, []).seconds(1920) == pytest.approx(1.0)


def test_seconds_through_changes() -> None:
    tempo = TempoMap.of(960, [(0, 500_000), (1920, 1_000_000), (2880, 250_000)])
    assert tempo.seconds([0, 960, 1920, 2880, 3840]).tolist() == pytest.approx([0, 0.5, 1.0, 2.0, 2.25])


def test_of_two_tempos_at_one_tick_the_last_holds() -> None:
    assert TempoMap.of(960, [(0, 400_000), (0, 600_000)]).seconds(960) == pytest.approx(0.6)


@given(
    st.lists(st.tuples(st.integers(0, 200_000), st.integers(100_000, 2_000_000)), max_size=8),
    st.lists(st.integers(0, 500_000), min_size=1, max_size=20),
)
def test_ticks_come_back_from_seconds(changes: list[tuple[int, int]], ticks: list[int]) -> None:
    tempo = TempoMap.of(960, changes)
    assert np.allclose(tempo.tick(tempo.seconds(ticks)), ticks, atol=1e-4)
    assert (np.diff(tempo.seconds(sorted(ticks))) >= 0).all()


def test_positions_through_a_change_of_metre() -> None:
    meter = Meter.of(960, [(0, 4, 4), (7680, 3, 4), (13440, 6, 8)])
    assert meter.position(0) == Position(1, 1, 0)
    assert meter.position(3839) == Position(1, 4, 959)
    assert meter.position(7680) == Position(3, 1, 0)
    assert meter.position(7680 + 2880) == Position(4, 1, 0)
    assert meter.position(13440 + 480) == Position(5, 2, 0)


def test_a_change_in_mid_bar_begins_a_new_bar() -> None:
    meter = Meter.of(960, [(0, 4, 4), (5000, 3, 4)])
    assert meter.position(5000) == Position(3, 1, 0)
    assert meter.bars(8000).start.tolist() == [0, 3840, 5000, 7880]


@given(st.lists(st.tuples(st.integers(0, 50_000), st.integers(1, 12), st.sampled_from([1, 2, 4, 8, 16])), max_size=6))
def test_every_bar_line_is_the_first_beat_of_its_bar(changes: list[tuple[int, int, int]]) -> None:
    meter = Meter.of(960, changes)
    bars = meter.bars(60_000)
    for number, start in enumerate(bars.start.tolist(), 1):
        assert meter.position(start) == Position(number, 1, 0)
