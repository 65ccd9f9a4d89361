"""The algebra of curves: pieces cut, laid, changed and added, held against what the curves say at every tick."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from expression import piece
from expression.curve import Curve, form
from expression.piece import Piece
from expression.strokes.shapes import LaneShape
from expression.take import Lane
from expression.waves import SINE_WAYS, wave

ERROR = 0.1
NEAR = 0.126

nodes = st.lists(
    st.tuples(
        st.integers(0, 400), st.floats(0, 127), st.booleans(), st.floats(-1, 1), st.sampled_from([0.0, 0.0, 0.4, 1.0])
    ),
    min_size=1,
    max_size=10,
)


def curve_of(steps: list[tuple[int, float, bool, float, float]]) -> Curve:
    gaps, values, hold, lift, ease = zip(*steps, strict=True)
    return Curve.of(np.cumsum(gaps), values, hold, lift, ease)


curves = nodes.map(curve_of)
spans = st.tuples(st.integers(0, 2500), st.integers(1, 2500)).map(lambda one: (one[0], one[0] + one[1]))


def same(one: Curve, other: Curve, ticks: np.ndarray, error: float = 1e-6) -> bool:
    a, b = one.at(ticks), other.at(ticks)
    return bool(np.all((np.isnan(a) & np.isnan(b)) | (np.abs(a - b) <= error)))


def steepness(curve: Curve) -> float:
    """The largest change within a tick: nodes lie on whole ticks."""
    at = np.arange(0, int(curve.ticks[-1]) + 1)
    moving = ~curve.holds(at[:-1]) & ~np.isin(at[1:], curve.ticks) if len(at) > 1 else np.zeros(0, bool)
    return float(np.nan_to_num(np.abs(np.diff(curve.at(at))))[moving].max(initial=0.0))


@given(curves, st.lists(st.integers(0, 5000), max_size=6))
def test_opened_says_the_same(curve: Curve, ticks: list[int]) -> None:
    opened = piece.opened(curve, np.array(ticks, dtype=np.int64), ERROR)
    at = np.arange(0, 5000)
    assert same(opened, curve, at, NEAR)
    assert all(tick in opened.ticks for tick in ticks if tick > curve.ticks[0])
    if not curve.ease.any():
        # Without ease a part of a way is a way: exactly.
        assert same(opened, curve, at)


@given(curves, spans)
def test_cut_says_the_same_within_and_has_both_edges(curve: Curve, span: tuple[int, int]) -> None:
    start, end = span
    cut = piece.cut(curve, start, end, ERROR)
    at = np.arange(start, end)
    assert same(cut.curve, curve, at, NEAR)
    if not cut.empty:
        assert cut.curve.ticks[0] >= start
        assert cut.curve.ticks[-1] <= end
        assert np.isnan(curve.at(start)) or cut.curve.ticks[0] == start
        assert cut.curve.arriving(end) == pytest.approx(float(curve.arriving(end)), abs=NEAR)


@given(curves, spans)
def test_what_is_cut_and_laid_again_changes_nothing(curve: Curve, span: tuple[int, int]) -> None:
    laid = piece.laid(curve, piece.cut(curve, *span, ERROR), ERROR)
    assert same(laid, curve, np.arange(0, 6000), NEAR)
    if curve.hold.all():
        lane = Lane.recorded("cc:1", curve, np.arange(len(curve)))
        # Every node keeps its recorded event.
        assert not lane.reshaped(laid).touched[lane.reshaped(laid).origin >= 0].any()


@given(curves, curves, spans, st.booleans())
def test_laid_says_the_piece_within_and_the_curve_outside(
    curve: Curve, other: Curve, span: tuple[int, int], resumes: bool
) -> None:
    start, end = span
    made = piece.cut(other, start, end, ERROR)
    laid = piece.laid(curve, made, ERROR, resumes)
    within, before, after = np.arange(start, end), np.arange(0, start), np.arange(end, end + 3000)
    told = within[~np.isnan(made.curve.at(within))]
    assert same(laid, made.curve, told, NEAR)
    assert same(laid, curve, before, NEAR)
    if resumes:
        known = after[~np.isnan(curve.at(after))]
        assert same(laid, curve, known, NEAR)
    else:
        following = after[after >= min((tick for tick in curve.ticks.tolist() if tick >= end), default=9999)]
        assert same(laid, curve, following, NEAR)


@given(curves, st.floats(0, 100), st.floats(20, 127))
def test_clipped_stays_within_and_is_the_curve_held_there(curve: Curve, low: float, width: float) -> None:
    cut = piece.cut(curve, 0, 4000, ERROR)
    if cut.empty:
        return
    high = low + width
    clipped = piece.clipped(cut, low, high, ERROR).curve
    at = np.arange(0, 4000)
    assert np.nanmin(clipped.values) >= low
    assert np.nanmax(clipped.values) <= high
    expected = np.clip(curve.at(at), low, high)
    off = np.abs(clipped.at(at) - expected)
    assert np.nanmax(off, initial=0) <= NEAR + steepness(curve)


@given(curves, curves)
def test_added_and_multiplied(one: Curve, other: Curve) -> None:
    pieces = [piece.cut(curve, 0, 3000, ERROR) for curve in (one, other)]
    at = np.arange(max(int(one.ticks[0]), int(other.ticks[0])), 3000)
    if any(cut.empty for cut in pieces) or not len(at):
        return
    scaled = pieces[1].scaled(1 / 64)
    # Ways with jumps of slope are told on whole ticks.
    slack = NEAR + steepness(one) + steepness(other)
    assert np.abs(piece.added(pieces[0], pieces[1], ERROR).curve.at(at) - one.at(at) - other.at(at)).max() <= slack
    product = piece.multiplied(pieces[0], scaled, ERROR).curve.at(at)
    assert np.abs(product - one.at(at) * other.at(at) / 64).max() <= 2 * slack


@given(nodes)
def test_held_and_a_way_make_ways_of_the_same_form(steps: list[tuple[int, float, bool, float, float]]) -> None:
    held = Curve.of(np.cumsum([gap + 1 for gap, *_ in steps]), [value for _, value, *_ in steps])
    end = int(held.ticks[-1]) + 500
    ramp = Piece(int(held.ticks[0]), end, Curve.of([int(held.ticks[0]), end], [1.0, 0.2], [False, True], 0.5))
    made = piece.multiplied(piece.cut(held, ramp.start, end, ERROR), ramp, ERROR).curve
    at = np.arange(ramp.start, end)
    expected = held.at(at) * (1 - 0.8 * form((at - ramp.start) / (end - ramp.start), 0.5))
    assert np.abs(made.at(at) - expected).max() <= ERROR
    # A node where a value begins, one where its way arrives: no more.
    assert len(made) <= 2 * len(held)


@given(curves)
def test_backwards_and_back(curve: Curve) -> None:
    cut = piece.cut(curve, 0, 4000, ERROR)
    if cut.empty:
        return
    there = piece.backwards(cut)
    at = np.arange(int(cut.curve.ticks[0]), 4000)
    # Where nothing jumps, at the tick in the mirror.
    inner = at[~np.isin(4000 - at, there.curve.ticks) & ~np.isin(at, cut.curve.ticks)]
    assert np.allclose(there.curve.at(4000 - inner), cut.curve.at(inner), atol=1e-6)
    again = piece.backwards(there)
    assert np.allclose(again.curve.at(inner), cut.curve.at(inner), atol=1e-6)


@given(curves, st.floats(0.2, 3), st.integers(0, 3000))
def test_stretched_keeps_forms(curve: Curve, factor: float, start: int) -> None:
    cut = piece.cut(curve, 0, 4000, ERROR)
    made = piece.stretched(cut, start, factor)
    assert len(made.curve) == len(cut.curve)
    assert made.curve.values.tolist() == cut.curve.values.tolist()
    assert made.end - made.start == max(round(4000 * factor), 1)


def test_straight_ways_are_about_as_few_as_the_curvature_asks_for() -> None:
    # A sine of depth 40: the integral of sqrt(|y''| / (8 error)) over a cycle is 2 pi sqrt(40 / 0.8) 0.7628 = 33.9.
    made = piece.traced(0, 9600, np.zeros(0, dtype=np.int64), lambda at: 40 * np.sin(2 * np.pi * at / 9600), ERROR)
    at = np.arange(0, 9600)
    assert np.abs(made.curve.at(at) - 40 * np.sin(2 * np.pi * at / 9600)).max() <= ERROR * 1.05
    assert len(made.curve) <= 34 * 1.4


@pytest.mark.parametrize(("off", "ways"), SINE_WAYS)
def test_the_ways_of_a_sine_are_as_near_as_they_say(off: float, ways: tuple[tuple[float, float, float], ...]) -> None:
    ends = [*(begin for begin, _, _ in ways[1:]), 0.25]
    for (begin, lift, ease), end in zip(ways, ends, strict=True):
        u = np.linspace(0, 1, 200)
        low, high = np.sin(2 * np.pi * begin), np.sin(2 * np.pi * end)
        made = low + (high - low) * form(u, lift, ease)
        assert np.abs(made - np.sin(2 * np.pi * (begin + u * (end - begin)))).max() <= off


@pytest.mark.parametrize("straight", [False, True])
@pytest.mark.parametrize("depth", [0.5, 6, 20, 63])
def test_a_sine_is_within_its_error_at_every_depth(depth: float, straight: bool) -> None:
    made = wave(100, 9000, "sine", 1 / 2000, None, 0.3, (depth, depth), 0, ERROR, straight)
    at = np.arange(100, 9000)
    assert np.abs(made.curve.at(at) - depth * np.sin(2 * np.pi * (0.3 + (at - 100) / 2000))).max() <= NEAR


def test_a_shape_on_very_many_notes_is_laid_at_once() -> None:
    curve = Curve.of([0], [50.0])
    starts = np.arange(20_000) * 100
    shape = LaneShape.model_validate(
        {"kind": "lane.shape", "lane": "cc:1", "start": 0, "end": 100, "notes": True, "where": {"parts": [0]}}
    )
    made = Curve.of(np.stack((starts, starts + 90), 1).ravel(), [0.0, 100.0] * 20_000, [False, True] * 20_000)
    laid = piece.laid_all(curve, starts, starts + 90, made, ERROR, resumes=False)
    assert shape.notes
    assert laid.at([0, 45, 90, 99, 100, 145]).tolist() == [0, 50, 100, 100, 0, 50]
