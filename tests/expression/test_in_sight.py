"""What is tried on very many nodes and seen between two ticks is what all of it would be there."""

from types import SimpleNamespace
from typing import Any

import mido
import numpy as np
import pytest

from bench.performance import leaned
from expression.curve import Curve
from expression.history import over_each
from expression.midi.read import read
from expression.notes import Notes
from expression.piece import Piece
from expression.smoothing import smoothed
from expression.strokes import parse_stroke
from expression.take import Take
from expression.time import TempoMap
from expression.views import lanes
from tests.files import file_of, phrase
from tests.lanes import curve_of

WHOLE = {"parts": [0], "span": [0, 10**6]}
STROKES: list[dict[str, Any]] = [
    {"kind": "lane.reshape", "level": 20},
    {"kind": "lane.reshape", "depth": 1.7, "pivot": "mean"},
    {"kind": "lane.reshape", "depth": 0.2, "pivot": "max", "level": -9},
    {"kind": "lane.reshape", "lean": [1.8, 0.3]},
    {"kind": "lane.reshape", "bow": -40, "where": {"parts": [0], "span": [30_000, 150_000]}},
    {"kind": "lane.reshape", "drift": 0.8},
    {"kind": "lane.reshape", "drift": -0.4, "lean": [0.5, 1.5], "where": {"parts": [0], "span": [20_000, 110_000]}},
    {"kind": "lane.smooth", "width": 15},
    {"kind": "lane.smooth", "width": 250},
    {"kind": "lane.fade", "start": 1, "end": 0.2, "lift": 0.4, "where": WHOLE},
    {"kind": "lane.wave", "depth": 30, "rate": 4, "where": WHOLE},
    {"kind": "lane.wave", "depth": 30, "rate": 1.3, "per": "hz", "mode": "add", "phase": 0.3, "where": WHOLE},
    {"kind": "lane.wave", "depth": 9, "depth_end": 30, "form": "triangle", "rate": 2, "fade_in": 60, "where": WHOLE},
    {"kind": "lane.wave", "depth": 9, "form": "pulse", "rate": 0.5, "where": {"parts": [0], "span": [9_000, 99_000]}},
]
NEAR = 0.8
"""Straight ways stand for what has no form, by as much as they may be off; a corner lies on a whole tick."""


def long_lane(seed: int) -> Take:
    """A mod wheel that a hand moves: holds, jumps, several values at one tick, changes of tempo."""
    dice = np.random.default_rng(seed)
    gaps = dice.choice([0, 1, 8, 12, 15, 30, 200], p=[0.05, 0.05, 0.2, 0.3, 0.3, 0.08, 0.02], size=6_000)
    walk = np.cumsum(dice.integers(-3, 4, size=6_000)) + np.where(dice.random(6_000) < 0.02, 40, 0)
    values = 127 - np.abs(walk % 254 - 127)
    track = [
        mido.Message("control_change", control=1, value=int(value), time=int(gap))
        for gap, value in zip(gaps, values, strict=True)
    ]
    track.insert(3_000, mido.MetaMessage("set_tempo", tempo=700_000))
    return read(file_of(track))


@pytest.mark.parametrize("said", STROKES, ids=lambda said: "-".join(f"{value}" for value in said.values())[:40])
def test_in_sight_it_is_what_all_of_it_would_be(said: dict[str, Any]) -> None:
    take = long_lane(4)
    stroke = parse_stroke({"lane": "cc:1", **said})
    whole = curve_of(stroke.apply(take))
    for start, end in ((40_000, 45_000), (60_000, 60_500), (25_000, 55_000)):
        seen = stroke.seen(take, start, end)
        # It is no stroke that would be kept.
        assert seen != stroke
        near = curve_of(seen.apply(take))
        at = np.arange(start, end)
        for how in (Curve.at, Curve.arriving):
            np.testing.assert_allclose(how(near, at), how(whole, at), atol=NEAR)
        # Far from there the lane is as it was.
        was = curve_of(take)
        assert np.array_equal(near.at(np.arange(90_000, 120_000)), was.at(np.arange(90_000, 120_000)))


@pytest.mark.parametrize(
    "said",
    [
        {"kind": "lane.reshape", "level": 90, "limit": "squeeze"},
        {"kind": "lane.reshape", "level": 9, "join": "smooth"},
        {"kind": "lane.reshape", "length": 0.5},
        {"kind": "lane.distil", "tolerance": 2},
        {"kind": "lane.reshape", "bow": 9, "where": {"parts": [0], "span": [60_000, 90_000]}},
    ],
)
def test_what_all_of_a_lane_decides_on_is_made_of_all_of_it(said: dict[str, Any]) -> None:
    stroke = parse_stroke({"lane": "cc:1", **said})
    assert stroke.seen(long_lane(4), 1_000, 2_000) is stroke


def _told(curve: Curve) -> Any:
    return SimpleNamespace(lanes={"cc:1": SimpleNamespace(curve=curve)})


def _random(dice: np.random.Generator, start: int, end: int, count: int) -> Curve:
    ticks = np.sort(dice.integers(start, end + 1, count))
    hold = dice.random(count) < 0.7
    hold[-1:] = True
    return Curve.of(ticks, dice.integers(0, 9, count).astype(float), hold)


def _drawn(ticks: list[int], values: list[float], ways: list[bool], at: float) -> float | None:
    row = int(np.searchsorted(ticks, at, side="right")) - 1
    if row < 0 or not ways[row] or row + 1 == len(ticks):
        return values[row] if row >= 0 else None
    share = (at - ticks[row]) / max(ticks[row + 1] - ticks[row], 1)
    return values[row] + share * (values[row + 1] - values[row])


@pytest.mark.parametrize("seed", range(150))
def test_of_a_lane_as_much_is_told_as_is_drawn_in_sight(seed: int) -> None:
    dice = np.random.default_rng(seed)
    old = _random(dice, 0, 400, int(dice.integers(0, 60)))
    first, after = sorted(dice.integers(0, len(old) + 1, 2).tolist())
    start = int(old.ticks[first - 1]) if first else 0
    made = _random(dice, start, int(old.ticks[after]) if after < len(old) else 500, int(dice.integers(0, 30)))
    new = old.rows(slice(first)).then(made, old.rows(slice(after, None)))
    left = int(dice.integers(0, 450))
    right = left + int(dice.integers(1, 150))
    ticks, values, ways = old.ticks.tolist(), old.values.tolist(), old.ways.tolist()
    for one in lanes.lane_changes(_told(old), _told(new), (left, right)):
        moves = [any(begin <= row <= end for begin, end in one["ways"]) for row in range(len(one["value"]))]
        rows = slice(one["first"], one["after"])
        # Where no times are told, they are those that were there.
        at_times = ticks[rows] if one["tick"] is None else np.cumsum(one["tick"]).tolist()
        ticks[rows], values[rows], ways[rows] = at_times, one["value"], moves
    assert ticks == sorted(ticks)
    for at in np.arange(left, right, 0.5):
        wanted = _drawn(new.ticks.tolist(), new.values.tolist(), new.ways.tolist(), at)
        assert _drawn(ticks, values, ways, at) == pytest.approx(wanted, abs=1e-3)


def test_the_last_turns_of_a_lane_are_smoothed_as_well_as_the_others() -> None:
    """Of two that are close together at the very end one stays, whichever is the second."""
    dice = np.random.default_rng(1)
    tempo = TempoMap.of(480, [])
    for _ in range(60):
        ticks = np.concatenate(([0], 500 + np.cumsum(dice.integers(2, 60, 7))))
        curve = Curve.of(ticks, np.cumsum(dice.integers(-4, 5, 8)).astype(float))
        end = int(ticks[-1]) + 2_000
        made = smoothed(Piece(0, end, curve), tempo, 0.1, 40.0, 0.1).curve
        half = 0.05 * 960
        at = np.arange(int(ticks[1]) - 60, int(ticks[-1]) + 60)
        around = np.linspace(-half, half, 2_001)
        mean = curve.at(at[:, None] + around).mean(axis=1)
        assert np.abs(made.at(at) - mean).max() < 0.2


OWN: list[dict[str, Any]] = [
    {"kind": "note.scatter", "lane": "note:pressure", "amount": 9, "seed": 3},
    {"kind": "note.copy", "lane": "note:pressure", "source": 3, "gain": 0.7, "scale": "velocity"},
    {"kind": "note.start", "lane": "note:pressure", "value": 20, "time_ms": 40},
    {"kind": "note.curve", "lane": "note:timbre", "nodes": [{"at": 0, "value": 9}, {"at": 1, "value": 99}]},
    {"kind": "lane.reshape", "lane": "note:pressure", "depth": 1.6, "limit": "squeeze", "join": "smooth"},
    {"kind": "lane.smooth", "lane": "note:pressure", "width": 30},
]


@pytest.mark.parametrize("said", OWN, ids=lambda said: str(said["kind"]))
def test_of_very_many_notes_those_in_sight_get_the_curves_that_they_would_get(said: dict[str, Any]) -> None:
    take = read(leaned(notes=400))
    stroke = parse_stroke({**said, "where": {"parts": [0]}})
    whole, sight = stroke.apply(take).parts[0], (20_000, 24_000)
    part_of = stroke.seen(take, *sight)
    assert part_of != stroke
    near = part_of.apply(take).parts[0]
    key = said["lane"]
    seen = whole.notes.only((whole.notes.start < sight[1]) & (whole.notes.end > sight[0])).id
    assert 15 < len(seen) < 40
    for one in seen.tolist():
        mine, theirs = (part.curves[key].curve(one).at(np.arange(800)) for part in (near, whole))
        np.testing.assert_allclose(mine, theirs, atol=0.2 if said["kind"].startswith("lane") else 1e-6)
    # Others are as they were.
    was = take.parts[0].curves.get(key)
    if was:
        assert np.array_equal(near.curves[key].curve(390).values, was.curve(390).values)


@pytest.mark.parametrize("more", [{"alternate": True}, {"scale": "chord"}])
def test_what_each_gets_by_its_place_among_others_is_made_of_all(more: dict[str, Any]) -> None:
    stroke = {"kind": "note.copy", "lane": "note:pressure", "source": 3, "where": {"parts": [0]}, **more}
    made = parse_stroke(stroke)
    assert made.seen(read(leaned(notes=400)), 20_000, 24_000) is made


def test_of_a_swell_on_each_of_very_many_notes_those_in_sight_are_made() -> None:
    take = read(file_of(phrase([64] * 4_500, gap=200)))
    stroke = parse_stroke({
        "kind": "lane.shape", "lane": "cc:11", "start": 10, "peak": 90, "end": 20, "notes": True, "delay": 10,
        "where": {"parts": [0]},
    })  # fmt: skip
    sight = (400_000, 410_000)
    whole, near = (curve_of(one.apply(take), "cc:11") for one in (stroke, stroke.seen(take, *sight)))
    assert len(near) < 100 < 9_000 < len(whole)
    for how in (Curve.at, Curve.arriving):
        np.testing.assert_array_equal(how(near, np.arange(*sight)), how(whole, np.arange(*sight)))


@pytest.mark.parametrize("form", ["sine", "rise", "pulse"])
def test_a_wave_over_each_phrase_is_tried_in_those_that_are_seen(form: str) -> None:
    # Four notes and a rest, again and again, under a wheel that moves all the time.
    notes = [one.copy(time=one.time + 900 * (row % 8 == 0)) for row, one in enumerate(phrase([64] * 200, gap=240))]
    moved = [mido.Message("control_change", control=1, value=n % 90, time=12) for n in range(6_000)]
    take = read(file_of([*moved], notes))
    stroke = parse_stroke({
        "kind": "lane.wave", "lane": "cc:1", "form": form, "depth": 20, "rate": 0.7, "where": {"each": "phrases"},
    })  # fmt: skip
    whole = curve_of(over_each(stroke, take))
    for sight in ((30_000, 33_000), (0, 4_000), (56_000, 58_000)):
        seen = stroke.seen(take, *sight)
        assert seen != stroke
        near, at = curve_of(over_each(seen, take)), np.arange(*sight)
        np.testing.assert_allclose(near.at(at), whole.at(at), atol=NEAR)


def crowd(seed: int) -> Take:
    """Thousands of notes that overlap and meet on their keys, a wheel and a pedal under them, two parts."""
    dice = np.random.default_rng(seed)
    tracks = []
    for channel in (0, 1):
        found: list[tuple[int, int, mido.Message]] = []
        tick = 0
        for _ in range(2_400):
            tick += int(dice.choice([0, 60, 120, 240], p=[0.3, 0.2, 0.3, 0.2]))
            pitch, length = int(dice.integers(50, 74)), int(dice.choice([40, 120, 500]))
            found += [(tick, 1, mido.Message("note_on", note=pitch, channel=channel))]
            found += [(tick + length, 0, mido.Message("note_off", note=pitch, channel=channel))]
        for number, gap in ((1, 90), (64, 700)):
            for at in range(0, tick, gap):
                value = int(dice.integers(0, 128))
                found.append((at, 2, mido.Message("control_change", control=number, value=value, channel=channel)))
        found.sort(key=lambda one: one[:2])
        waits = np.diff([0, *(at for at, _, _ in found)])
        tracks.append([message.copy(time=int(wait)) for wait, (_, _, message) in zip(waits, found, strict=True)])
    return read(file_of(*tracks))


TIMES: list[dict[str, Any]] = [
    {"kind": "notes.move", "ticks": 777},
    {"kind": "notes.move", "ticks": -120, "keys": 2, "where": {"parts": [1]}},
    {"kind": "notes.move", "ticks": 60_000, "where": {"parts": [0]}},
    {"kind": "notes.move", "ticks": -333, "where": {"parts": [0], "span": [1_000, 400_000]}},
    {"kind": "notes.transpose", "keys": 7},
    {"kind": "notes.length", "factor": 3},
    {"kind": "notes.length", "gap_ms": 20, "where": {"parts": [0]}},
    {"kind": "notes.length", "by": -0.3, "edge": "start"},
    {"kind": "notes.place", "grid": 8, "swing": 1},
    {"kind": "notes.loosen", "amount_ms": 60},
    {"kind": "notes.spread", "time_ms": 40, "order": "out"},
]


@pytest.mark.parametrize("said", TIMES, ids=lambda said: "-".join(f"{value}" for value in said.values())[:40])
def test_of_very_many_notes_those_in_sight_get_the_times_that_they_would_get(said: dict[str, Any]) -> None:
    take = crowd(3)
    stroke = parse_stroke(said)
    # (At 400,000 one of the spans ends: there the lanes come back to what was in force before all of it.)
    for sight in ((80_000, 90_000), (0, 5_000), (200_000, 204_000), (396_000, 402_000)):
        seen = stroke.seen(take, *sight)
        assert seen != stroke
        whole, near = stroke.apply(take), seen.apply(take)
        assert not near.is_like(whole)
        ticks = np.arange(*sight)
        for one, other in zip(whole.parts, near.parts, strict=True):
            told = [_there(part.notes.only(part.notes.between(*sight)), sight[1]) for part in (one, other)]
            assert told[0] == told[1]
            for key in one.lanes:
                np.testing.assert_allclose(other.lanes[key].curve.at(ticks), one.lanes[key].curve.at(ticks), atol=NEAR)


def _there(notes: Notes, end: int) -> list[tuple[int, ...]]:
    columns = notes.id, notes.start, np.minimum(notes.end, end), notes.pitch
    return sorted(zip(*(column.tolist() for column in columns), strict=True))


@pytest.mark.parametrize("more", [{"over": "refuse"}, {"where": {"parts": [0], "span": [10_000, 20_000]}}])
def test_what_only_all_can_say_is_made_of_all_notes(more: dict[str, Any]) -> None:
    stroke = parse_stroke({"kind": "notes.move", "ticks": 240, **more})
    assert stroke.seen(crowd(3), 80_000, 90_000) is stroke
