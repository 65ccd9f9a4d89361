"""Strokes on curves of notes: each by its own formula, written here once more, and what they leave alone."""

import itertools

import mido
import numpy as np
import pytest

from expression.curve import form
from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.strokes import parse_stroke
from expression.strokes.chords import least
from expression.take import Take
from tests.files import file_of

M = mido.Message


def chords(*struck: tuple[int, ...], gap: int = 480) -> Take:
    """Chords one after another, struck and let go together, of 480 ticks a quarter."""
    messages = []
    for chord in struck:
        messages += [M("note_on", note=pitch, velocity=64) for pitch in chord]
        messages += [M("note_off", note=pitch, time=0 if place else gap) for place, pitch in enumerate(chord)]
    return read(file_of(messages))


def lone(*lengths: int) -> Take:
    """Single notes of some lengths, one after another."""
    messages = []
    for pitch, length in enumerate(lengths, 60):
        messages += [M("note_on", note=pitch, velocity=10 * (pitch - 59)), M("note_off", note=pitch, time=length)]
    return read(file_of(messages))


def made(take: Take, **said: object) -> Take:
    return applied(parse_stroke(said), take)


def nodes(take: Take, note: int, lane: str = "note:pitch") -> list[tuple[int, float]]:
    curve = take.parts[0].curves[lane].curve(note)
    return list(zip((curve.ticks // take.header.factor).tolist(), np.round(curve.values, 4).tolist(), strict=True))


RISE = [{"at": 0, "value": 0}, {"at": 1, "value": 2}]


# ---- each over its own length


def test_a_curve_lies_over_the_length_of_each_note() -> None:
    take = made(lone(100, 400), kind="note.curve", lane="note:pitch", nodes=RISE)
    assert nodes(take, 0) == [(0, 0), (100, 2)]
    assert nodes(take, 1) == [(0, 0), (400, 2)]


def test_only_the_chosen_get_one_and_none_takes_it_away() -> None:
    take = made(lone(100, 400), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[1, 1]]})
    assert take.parts[0].curves["note:pitch"].ids.tolist() == [1]
    gone = made(take, kind="note.curve", lane="note:pitch", nodes=[])
    assert "note:pitch" not in gone.parts[0].curves


STROKES_ON_LANES: list[dict[str, object]] = [
    {"kind": "lane.ramp", "start": -1, "end": 3, "lift": 0.4},
    {"kind": "lane.wave", "rate": 0.25, "depth": 1, "mode": "add"},
    {"kind": "lane.reshape", "level": 1, "depth": 0.5, "lean": [0, 2]},
    {"kind": "lane.reshape", "bow": 1.5},
    {"kind": "lane.reshape", "drift": 0.4},
    {"kind": "lane.draw", "points": [[0, 1], [40, 5], [90, 2]], "tolerance": 0.05},
    {"kind": "lane.shape", "start": 0, "peak": 2, "end": 0},
    {"kind": "lane.fade", "start": 0, "end": 1},
    {"kind": "lane.smooth", "width": 60},
    {"kind": "lane.lead_in", "value": 3},
    {"kind": "lane.nodes", "nodes": [{"tick": 20, "value": 1}], "where": {"span": [10, 60]}},
    {"kind": "lane.clear", "where": {"span": [10, 60]}},
]


@pytest.mark.parametrize("said", STROKES_ON_LANES, ids=lambda said: str(said["kind"]))
def test_many_at_once_are_as_each_by_itself(said: dict[str, object]) -> None:
    """Whatever works on a lane works on curves of notes; of many the curve of each is as if it had been alone."""
    drawn = made(lone(300, 500, 280), kind="note.curve", lane="note:pitch", nodes=[*RISE[:1], {"at": 0.6, "value": 2}])
    span = said.get("where", {})
    whole = made(drawn, **{**said, "lane": "note:pitch"})
    for note in range(3):
        alone = made(drawn, **{**said, "lane": "note:pitch", "where": {**span, "notes": [[note, note]]}})  # type: ignore[dict-item]
        ticks = np.arange(0, [300, 500, 280][note] * take_factor(drawn))
        both = [one.parts[0].curves["note:pitch"].curve(note).at(ticks) for one in (whole, alone)]
        np.testing.assert_allclose(both[0], both[1], atol=1e-6)
        # The others are as they were.
        for other in {0, 1, 2} - {note}:
            assert nodes(alone, other) == nodes(drawn, other)


def take_factor(take: Take) -> int:
    return take.header.factor


def test_a_ramp_is_the_formula_over_each_length() -> None:
    take = made(lone(300, 500), kind="lane.ramp", lane="note:timbre", start=20, end=100, lift=0.3, ease=0.5)
    for note, length in ((0, 300), (1, 500)):
        share = np.linspace(0, 1, 50)[:-1]
        ticks = np.floor(share * length * take_factor(take)).astype(int)
        wanted = 20 + 80 * form(ticks / (length * take_factor(take)), 0.3, 0.5)
        np.testing.assert_allclose(take.parts[0].curves["note:timbre"].curve(note).at(ticks), wanted, atol=1e-9)


# ---- from one to many


def test_a_curve_is_given_by_share_or_in_its_own_time() -> None:
    take = made(lone(100, 400), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[0, 0]]})
    by_share = made(take, kind="note.copy", lane="note:pitch", source=0)
    assert nodes(by_share, 1) == [(0, 0), (400, 2)]
    by_beats = made(take, kind="note.copy", lane="note:pitch", source=0, by="beats")
    assert nodes(by_beats, 1) == [(0, 0), (100, 2)]


def test_it_is_turned_alternately_and_scaled() -> None:
    take = made(lone(100, 100, 100, 100), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[0, 0]]})
    turned = made(take, kind="note.copy", lane="note:pitch", source=0, alternate=True)
    assert [nodes(turned, note)[-1][1] for note in range(4)] == [2, -2, 2, -2]
    touched = made(take, kind="note.copy", lane="note:pitch", source=0, scale="velocity")
    assert [nodes(touched, note)[-1][1] for note in range(4)] == [2, 4, 6, 8]
    high = made(take, kind="note.copy", lane="note:pitch", source=0, scale="pitch")
    np.testing.assert_allclose(
        [nodes(high, note)[-1][1] for note in range(4)], [2 * (1 + n / 12) for n in range(4)], atol=1e-4
    )
    mirrored = made(take, kind="note.copy", lane="note:pitch", source=0, flip="time")
    assert nodes(mirrored, 1) == [(0, 2), (100, 0)]


def test_pressure_upside_down_is_in_its_own_range_and_becomes_timbre() -> None:
    swell = [{"at": 0, "value": 0}, {"at": 0.5, "value": 100}, {"at": 1, "value": 0}]
    take = made(lone(100, 100), kind="note.curve", lane="note:pressure", nodes=swell, where={"notes": [[0, 0]]})
    turned = made(take, kind="note.copy", lane="note:pressure", source=0, flip="value")
    assert nodes(turned, 1, "note:pressure") == [(0, 127), (50, 27), (100, 127)]
    # Shaped as pressure, then the same numbers of timbre.
    other = made(take, kind="note.copy", lane="note:pressure", source=0, to="note:timbre", gain=0.5)
    assert nodes(other, 1, "note:timbre") == [(0, 0), (50, 50), (100, 0)]
    octave = made(take, kind="note.copy", lane="note:pressure", source=0, to="note:pitch", gain=1.27)
    assert nodes(octave, 1) == [(0, 0), (50, 12), (100, 0)]


def test_what_is_at_rest_in_the_middle_is_so_upside_down_and_backwards() -> None:
    wander = [{"at": 0.25, "value": 64}, {"at": 0.5, "value": 127}, {"at": 0.75, "value": 44, "hold": True}]
    take = made(lone(100, 100), kind="note.curve", lane="note:pan", nodes=wander, where={"notes": [[0, 0]]})
    turned = made(take, kind="note.copy", lane="note:pan", source=0, flip="value")
    assert nodes(turned, 1, "note:pan") == [(25, 64), (50, 1), (75, 84)]
    back = made(take, kind="note.copy", lane="note:pan", source=0, flip="time").parts[0].curves["note:pan"].curve(1)
    np.testing.assert_allclose(back.at(np.array([0, 24, 50, 76, 99]) * take_factor(take)), [44, 44, 127, 64, 64])


def test_what_leaves_the_range_goes_as_far_as_its_end_and_stays_there() -> None:
    rise = [{"at": 0, "value": 0}, {"at": 1, "value": 100}]
    take = made(lone(127, 127), kind="note.curve", lane="note:pressure", nodes=rise, where={"notes": [[0, 0]]})
    twice = made(take, kind="note.copy", lane="note:pressure", source=0, gain=2.54)
    at = np.array([10, 30, 63, 65, 100, 126])
    found = twice.parts[0].curves["note:pressure"].curve(1).at(at * take_factor(take))
    np.testing.assert_allclose(found, np.minimum(2 * at, 127), atol=0.5)


def test_in_a_chord_the_share_that_is_not_above() -> None:
    take = made(chords((60, 64, 67)), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[2, 2]]})
    scaled = made(take, kind="note.copy", lane="note:pitch", source=2, scale="chord")
    np.testing.assert_allclose([nodes(scaled, note)[-1][1] for note in (0, 1)], [2 / 3, 4 / 3], atol=1e-4)


# ---- spread, starts


def test_scatter_is_a_nodes_own_and_stays_within_its_amount() -> None:
    take = made(
        lone(100, 100, 100),
        kind="note.curve",
        lane="note:pressure",
        nodes=[{"at": 0, "value": 60}, {"at": 1, "value": 80}],
    )
    every = made(take, kind="note.scatter", lane="note:pressure", amount=5, seed=3)
    one = made(take, kind="note.scatter", lane="note:pressure", amount=5, seed=3, where={"notes": [[1, 1]]})
    assert nodes(every, 1, "note:pressure") == nodes(one, 1, "note:pressure")
    off = every.parts[0].curves["note:pressure"].nodes.values - take.parts[0].curves["note:pressure"].nodes.values
    assert 0 < np.abs(off).max() <= 5
    assert len(set(np.round(off, 6))) == 6
    other = made(take, kind="note.scatter", lane="note:pressure", amount=5, seed=4)
    assert nodes(other, 1, "note:pressure") != nodes(every, 1, "note:pressure")
    ends = made(take, kind="note.scatter", lane="note:pressure", amount=5, seed=3, nodes="last")
    assert nodes(ends, 0, "note:pressure")[0] == (0, 60) and nodes(ends, 0, "note:pressure")[1][1] != 80


def test_a_curve_begins_where_it_is_told_to() -> None:
    take = made(lone(200), kind="note.curve", lane="note:pitch", nodes=[{"at": 0, "value": 3}, {"at": 1, "value": 5}])
    assert nodes(made(take, kind="note.start", lane="note:pitch"), 0) == [(0, 0), (200, 2)]
    # 480 ticks a quarter at 120 a minute: 100 ms are 96 ticks.
    led = made(take, kind="note.start", lane="note:pitch", value=1, time_ms=100)
    assert nodes(led, 0) == [(0, 1), (96, 3.96), (200, 5)]


# ---- chord into chord


def test_voices_are_held_and_go_to_their_partners() -> None:
    take = made(chords((60, 64, 67), (62, 65, 69)), kind="note.glide", time=0.25)
    notes = take.parts[0].notes
    assert notes.pitch.tolist() == [60, 64, 67]
    assert (notes.end // take_factor(take)).tolist() == [960, 960, 960]
    assert nodes(take, 0) == [(0, 0), (480, 0), (600, 2)]
    assert nodes(take, 1) == [(0, 0), (480, 0), (600, 1)]


def test_of_a_progression_each_voice_goes_on() -> None:
    take = made(chords((60, 64), (62, 65), (59, 62)), kind="note.glide", time=0.5, start=1.0)
    assert nodes(take, 0) == [(0, 0), (480, 0), (720, 2), (960, 2), (1200, -1)]


def test_a_voice_without_a_partner_begins_or_ends_as_before() -> None:
    take = made(chords((60, 64, 67), (62,)), kind="note.glide")
    assert take.parts[0].notes.pitch.tolist() == [60, 64, 67]
    assert sorted((take.parts[0].notes.end // take_factor(take)).tolist()) == [480, 480, 960]
    grown = made(chords((60,), (55, 59, 62, 65, 69, 72, 76, 79, 83, 86)), kind="note.glide")
    assert len(grown.parts[0].notes) == 10


def test_threads_are_hung_by_hand_and_voices_have_their_own_time() -> None:
    crossed = made(chords((60, 64), (62, 65)), kind="note.glide", pairs=[[0, 3], [1, 2]], time=0.25)
    assert [nodes(crossed, note)[-1][1] for note in (0, 1)] == [5, -2]
    alone = made(chords((60, 64), (62, 65)), kind="note.glide", pairs=[[0, None]])
    assert alone.parts[0].notes.pitch.tolist() in ([60, 64, 62], [60, 64, 65])
    lazy = made(chords((60, 64), (62, 65)), kind="note.glide", time=0.25, voices=[{"note": 1, "late_ms": 125}])
    assert nodes(lazy, 1) == [(0, 0), (600, 0), (720, 1)]
    way = {"note": 1, "time": 0.5, "lift": 0.5, "ease": 0.0}
    own = made(chords((60, 64), (62, 66)), kind="note.glide", time=0.25, ease=0.0, voices=[way])
    assert [nodes(own, note)[-1] for note in (0, 1)] == [(600, 2), (720, 2)]
    half = own.parts[0].curves["note:pitch"].curve(1).at(600 * take_factor(own))
    assert half == pytest.approx(2 * np.expm1(8 * 0.5 * 0.5) / np.expm1(8 * 0.5))


def test_late_spreads_the_voices_by_height_or_by_chance() -> None:
    high = made(chords((60, 64, 67), (62, 65, 69)), kind="note.glide", late_ms=100, time=0.25)
    assert [nodes(high, note)[1][0] for note in range(3)] == [480, 528, 576]
    seeded = [made(chords((60, 64, 67), (62, 65, 69)), kind="note.glide", late_ms=100, seed=seed) for seed in (1, 1, 2)]
    left = [[nodes(take, note)[1][0] for note in range(3)] for take in seeded]
    assert left[0] == left[1] != left[2]
    assert all(480 <= tick <= 576 for tick in left[0])


def test_one_chord_is_nothing_to_glide_to() -> None:
    with pytest.raises(NothingMatched, match="two chords"):
        made(chords((60, 64, 67)), kind="note.glide")


def test_pairing_is_least_by_brute_force() -> None:
    dice = np.random.default_rng(5)
    for _ in range(300):
        one, other = (np.sort(dice.integers(30, 90, dice.integers(1, 7))) for _ in range(2))
        found = least(one, other)
        assert len(found) == min(len(one), len(other))
        small, large = (one, other) if len(one) <= len(other) else (other, one)
        brute = min(
            sum(abs(int(a) - int(b)) for a, b in zip(small, chosen, strict=True))
            for chosen in itertools.permutations(large, len(small))
        )
        assert sum(abs(int(one[a]) - int(other[b])) for a, b in found) == brute


def test_outer_voices_stay_outer_where_the_movement_is_the_same() -> None:
    # The middle voice of the larger chord is as near as its top.
    assert least(np.array([60, 66]), np.array([60, 64, 68])) == [(0, 0), (1, 2)]


# ---- between levels


def test_a_line_becomes_the_lane_and_the_lane_the_notes() -> None:
    take = made(lone(240, 240), kind="note.curve", lane="note:pitch", nodes=RISE)
    lane = made(take, kind="note.to_lane", lane="note:pitch")
    assert "note:pitch" not in lane.parts[0].curves
    at = np.arange(0, 480) * take_factor(take)
    wanted = np.concatenate([np.arange(240) / 120, np.arange(240) / 120])
    np.testing.assert_allclose(lane.parts[0].lanes["bend"].curve.at(at), wanted, atol=1e-6)
    back = made(lane, kind="lane.to_notes", lane="bend")
    for note in (0, 1):
        curve = back.parts[0].curves["note:pitch"].curve(note)
        np.testing.assert_allclose(curve.at(np.arange(0, 239) * take_factor(take)), np.arange(239) / 120, atol=1e-6)
    np.testing.assert_allclose(np.nan_to_num(back.parts[0].lanes["bend"].curve.at(at)), 0, atol=1e-9)


def test_a_chord_of_different_curves_is_no_lane() -> None:
    take = made(chords((60, 64)), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[0, 0]]})
    with pytest.raises(NothingMatched, match="one at a time"):
        made(take, kind="note.to_lane", lane="note:pitch")
    alike = made(chords((60, 64)), kind="note.curve", lane="note:pitch", nodes=RISE)
    assert "bend" in made(alike, kind="note.to_lane", lane="note:pitch").parts[0].lanes


def test_a_trim_stands_above_both() -> None:
    take = made(lone(240), kind="lane.trim", lane="bend", by=0.5, where={"parts": [0]})
    assert take.parts[0].lanes["bend"].curve.values.tolist() == [0.5]


def test_a_copied_note_brings_its_curve() -> None:
    take = made(lone(240, 240), kind="note.curve", lane="note:pitch", nodes=RISE, where={"notes": [[0, 0]]})
    copied = made(take, kind="notes.copy", to={"at": 9600}, where={"notes": [[0, 1]]}, repeat=2)
    ids = copied.parts[0].notes.id.tolist()
    assert len(ids) == 6
    assert [note for note in ids if len(copied.parts[0].curves["note:pitch"].curve(note))] == [ids[0], ids[2], ids[4]]
    assert nodes(copied, ids[2]) == [(0, 0), (240, 2)]


# ---- bad input


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"kind": "note.curve", "lane": "bend", "nodes": []}, "lane must be note:pitch"),
        ({"kind": "note.curve", "lane": "note:cc:64", "nodes": []}, "no pedal"),
        ({"kind": "note.curve", "lane": "note:timbre", "nodes": [{"at": 0, "value": -3}]}, "from 0 to 127"),
        ({"kind": "note.curve", "lane": "note:pan", "nodes": [{"at": 1, "value": 3}, {"at": 0, "value": 3}]}, "ascend"),
        ({"kind": "lane.reshape", "lane": ["bend", "note:pitch"]}, "make two of it"),
        ({"kind": "lane.move", "lane": "note:pitch", "to": "bend"}, "note.to_lane"),
        ({"kind": "lane.to_notes", "lane": "cc:64"}, "cannot be a note's own"),
        ({"kind": "note.send", "as": "mpe", "members": 0}, "members must be"),
        ({"kind": "note.glide", "pairs": [[0, 1], [0, 2]]}, "each note once"),
    ],
)
def test_bad_input_is_told(said: dict[str, object], why: str) -> None:
    with pytest.raises(BadStroke, match=why):
        parse_stroke(said)


def test_what_matches_nothing_is_told() -> None:
    take = lone(100)
    for said, why in (
        ({"kind": "note.copy", "lane": "note:pitch", "source": 99}, "no note 99"),
        ({"kind": "note.copy", "lane": "note:pitch", "source": 0}, "has none"),
        ({"kind": "note.scatter", "lane": "note:pitch", "amount": 1}, "None of the chosen notes"),
        ({"kind": "lane.smooth", "lane": "note:pitch"}, "has a lane note:pitch"),
    ):
        with pytest.raises(NothingMatched, match=why):
            made(take, **said)
