import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression.curve import Curve, differing, form, lift_through, ramp, spliced

lifts = st.floats(-1, 1)
eases = st.floats(0, 1)


@given(lifts, eases)
def test_the_form_never_turns_back_and_is_exact_at_both_ends(lift: float, ease: float) -> None:
    way = form(np.linspace(0, 1, 200), lift, ease)
    assert way[0] == 0
    assert way[-1] == 1
    assert (np.diff(way) >= -1e-12).all()


def test_the_form_by_hand() -> None:
    assert form(0.5, 0.0, 0.0) == 0.5
    assert form(0.25, 0.0, 1.0) == pytest.approx(0.25**2 * 2.5)
    # lift 0.5: (e^2 - 1) / (e^4 - 1)
    assert form(0.5, 0.5) == pytest.approx((np.e**2 - 1) / (np.e**4 - 1))


@given(lifts)
def test_opposite_lifts_mirror_each_other(lift: float) -> None:
    u = np.linspace(0, 1, 33)
    assert np.allclose(form(u, lift), 1 - form(1 - u, -lift), atol=1e-9)


@given(st.floats(-0.95, 0.95), eases, st.floats(0.1, 0.9))
def test_the_lift_through_a_point_passes_it(lift: float, ease: float, u: float) -> None:
    y = float(form(u, lift, ease))
    assert form(u, lift_through(u, y, ease), ease) == pytest.approx(y, abs=2e-3)


def test_beyond_reach_the_lift_stays_in_its_range() -> None:
    assert lift_through(0.5, 0.0) == 1.0
    assert lift_through(0.5, 1.0) == -1.0


def test_a_ramp_holds_beyond_its_ends() -> None:
    assert ramp([-1, 0, 0.5, 1, 2], 10, 20).tolist() == [10, 10, 15, 20, 20]


def test_a_lane_has_no_value_before_its_first_node() -> None:
    curve = Curve.of([100, 200], [10, 20], hold=False)
    values = curve.at([0, 99, 100, 150, 200, 500])
    assert np.isnan(values[:2]).all()
    assert values[2:].tolist() == [10, 15, 20, 20]


def test_hold_keeps_until_the_next_node_and_the_last_of_two_at_one_tick_holds() -> None:
    curve = Curve.of([0, 10, 10], [1, 2, 3])
    assert curve.at([0, 9, 10, 11]).tolist() == [1, 1, 3, 3]


def test_an_empty_curve_has_no_value() -> None:
    assert np.isnan(Curve.of([], []).at([0, 5])).all()


def test_nodes_in_place_of_others_differ_where_they_do() -> None:
    rng = np.random.default_rng(20261202)
    for _ in range(300):
        count = int(rng.integers(0, 200))
        old = Curve.of(np.sort(rng.integers(0, 99, count)), rng.integers(0, 3, count), rng.random(count) < 0.5)
        first, after = np.sort(rng.integers(0, count + 1, 2)).tolist()
        place = slice(first, after)
        # Some of the nodes that stood there, with others among them.
        own = old.rows(place)
        kept = own.rows(rng.random(len(own)) < rng.random())
        nodes = kept.among(Curve.of(kept.ticks[:1], [5])) if rng.random() < 0.3 else kept
        made = spliced(old, place, nodes)
        assert [column.tolist() for column in made.columns] == [
            [*before[:first].tolist(), *between.tolist(), *before[after:].tolist()]
            for before, between in zip(old.columns, nodes.columns, strict=True)
        ]
        is_same = [column.tolist() for column in nodes.columns] == [column.tolist() for column in own.columns]
        assert (made is old) == is_same
        if is_same:
            continue
        begins, gone, until = differing(old, made)
        # All around it is as it was, and what is told is no longer than what was put in.
        assert first <= begins <= gone <= after and begins <= until <= first + len(nodes)
        assert len(old) - gone == len(made) - until
        for before, now in zip(old.columns, made.columns, strict=True):
            assert before[:begins].tolist() == now[:begins].tolist()
            assert before[gone:].tolist() == now[until:].tolist()
