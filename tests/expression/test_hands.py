"""A hand: what is measured of made playing, and what it makes of other notes."""

import json
from typing import Any

import numpy as np
import pytest

from demo.fog_signal import the_keepers_log
from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.measured import FEATURES, Hand, features, heard_of, measure
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.expression.test_rules import QUARTER, shaped, take_of
from tests.files import file_of


def told(hand: Hand) -> dict[str, Any]:
    return dict(json.loads(hand.model_dump_json(exclude_none=True)))


def like(take: Take, hand: Hand, **fields: Any) -> Take:
    return applied(parse_stroke({"kind": "play.like", "hand": told(hand), **fields}), take)


def metrical(bars: int = 16, late_ms: float = 0.0) -> Take:
    """Quarters of four, the first of each bar 20 steps louder; every second beat late."""
    late = late_ms / 500
    notes = [
        (step + (late if step % 2 else 0), 0.75, 60 + step % 3, 90 if step % 4 == 0 else 70) for step in range(4 * bars)
    ]
    return take_of(*notes)


def test_what_goes_with_the_metre_is_found_and_given() -> None:
    take = metrical()
    hand = measure(take, take.parts[0], "Made")
    assert hand.force.weights.bar == pytest.approx(20, abs=5)
    assert hand.force.spread < 3
    stiff = take_of(*((step, 1, 67, 80) for step in range(32)))
    made = like(stiff, hand, rest=0, length=0).parts[0].notes
    strong, weak = made.velocity[::4].astype(float), made.velocity[1::4].astype(float)
    assert strong.mean() - weak.mean() == pytest.approx(20, abs=6)


def test_lateness_is_milliseconds_from_the_grid_and_given_as_that() -> None:
    take = metrical(late_ms=24)
    hand = measure(take, take.parts[0], "Late")
    assert hand.time is not None
    stiff = take_of(*((step, 1, 67, 80) for step in range(32)))
    made = like(stiff, hand, rest=0, force=0, length=0)
    late = 1000 * (made.tempo.seconds(made.parts[0].notes.start) - 0.5 * np.arange(32))
    assert late[1::4].mean() - late[::4].mean() == pytest.approx(24, abs=8)


def test_lengths_are_against_what_is_written() -> None:
    take = metrical()
    assert heard_of(take, take.parts[0]).held[:-1] == pytest.approx(np.log2(0.75), abs=0.01)


def test_who_plays_to_no_grid_says_nothing_of_time() -> None:
    dice = np.random.default_rng(4)
    at = np.cumsum(dice.uniform(0.2, 0.9, 64))
    take = take_of(*((float(one), 0.1, 60, int(v)) for one, v in zip(at, dice.integers(40, 100, 64), strict=True)))
    hand = measure(take, take.parts[0], "Free")
    assert hand.time is None
    assert "says nothing of time" in " ".join(hand.lacks)


def test_the_same_music_is_carried_over_note_for_note() -> None:
    played = read(the_keepers_log())
    hand = measure(played, played.parts[0], "Keeper")
    where = {"parts": [0]}
    stiff = shaped(
        shaped(played, "velocity.set", value=80, where=where), "notes.place", grid=16, page=True, where=where
    )
    # Two notes are missing, and one has come.
    stiff = shaped(stiff, "notes.delete", where={"notes": [[7, 7], [30, 30]]})
    made = like(stiff, hand, where=where)
    was = dict(zip(played.parts[0].notes.id.tolist(), played.parts[0].notes.velocity.tolist(), strict=True))
    now = made.parts[0].notes
    same = [was[one] == velocity for one, velocity in zip(now.id.tolist(), now.velocity.tolist(), strict=True)]
    assert np.mean(same) > 0.98
    halfway = like(stiff, hand, force=0.5, where=where).parts[0].notes
    middle = [(80 + was[one]) / 2 for one in halfway.id.tolist()]
    assert np.mean(np.abs(halfway.velocity - np.array(middle)) <= 0.5) > 0.98


def test_amounts_of_nothing_are_byte_for_byte_the_recording() -> None:
    take = read(the_keepers_log())
    hand = measure(take, take.parts[1], "Reed")
    assert write(like(take, hand, amount=0)) == write(take)
    nothing = dict.fromkeys(("force", "time", "length", "swell", "vibrato", "scoop"), 0)
    assert write(like(take, hand, **nothing)) == write(take)


def test_chance_is_that_of_the_seed() -> None:
    take = read(the_keepers_log())
    hand = measure(take, take.parts[1], "Reed")
    stiff = take_of(*((step, 1, 60, 80) for step in range(40)))
    assert write(like(stiff, hand, seed=3)) == write(like(stiff, hand, seed=3))
    assert write(like(stiff, hand, seed=3)) != write(like(stiff, hand, seed=4))


def bending(rate: float = 6.0, cents: float = 30.0, scoop: float = -1.0) -> Take:
    """Long notes of a line that are scooped into and tremble after 0.4 s, and swell on expression; 120 a minute."""
    import mido

    events: list[tuple[float, mido.Message]] = []
    for note in range(32):
        at = note * 2.0
        events.append((at, mido.Message("note_on", note=60 + note % 5, velocity=70 + note)))
        events.append((at + 1.9, mido.Message("note_off", note=60 + note % 5)))
        for step in range(180):
            now = step / 100
            bend = scoop * max(1 - now / 0.1, 0)
            if now > 0.4:
                bend += cents / 100 * np.sin(2 * np.pi * rate * (now - 0.4))
            events.append((at + now, mido.Message("pitchwheel", pitch=round(bend / 2 * 8191))))
        for step in range(20):
            level = 40 + 60 * np.sin(np.pi * step / 19)
            events.append((at + step / 11, mido.Message("control_change", control=11, value=round(level))))
    track, before = [], 0
    for at, message in sorted(events, key=lambda one: one[0]):
        tick = round(at * 2 * QUARTER)
        track.append(message.copy(time=tick - before))
        before = tick
    return read(file_of(track, ticks=QUARTER))


def test_swells_vibrato_and_scoops_are_measured_and_given() -> None:
    take = bending()
    hand = measure(take, take.parts[0], "Singing")
    assert hand.vibrato is not None
    assert hand.vibrato.rate == pytest.approx(6, abs=0.2)
    assert hand.vibrato.cents == pytest.approx(30, abs=6)
    assert hand.vibrato.delay == pytest.approx(0.4, abs=0.15)
    assert hand.scoop is not None
    assert hand.scoop.semitones == pytest.approx(-1, abs=0.1)
    assert hand.swell is not None
    assert hand.swell.lane == "cc:11"
    assert max(hand.swell.mean) == pytest.approx(100, abs=5)
    stiff = take_of(*((step * 4, 4, 60 + step % 5, 80) for step in range(30)))
    made = like(stiff, hand)
    part = made.parts[0]
    assert {"cc:11", "bend"} <= set(part.lanes)
    again = measure(made, part, "Again")
    assert again.vibrato is not None
    assert again.vibrato.rate == pytest.approx(6, abs=0.3)
    assert again.swell is not None
    # Steps eleven times a second are now ways between them.
    assert again.swell.mean == pytest.approx(hand.swell.mean, abs=8)


def test_of_the_same_music_the_swells_are_carried_over_note_for_note() -> None:
    take = bending(cents=0, scoop=0)
    hand = measure(take, take.parts[0], "Singing")
    stiff = shaped(take, "lane.clear", lane="cc:11", where={"parts": [0]})
    # Every second one was pressed half as far.
    quiet = shaped(
        take,
        "lane.reshape",
        lane="cc:11",
        depth=0.5,
        level=-20,
        where={"parts": [0], "span": [0, int(take.parts[0].notes.start[1]) - 1]},
    )
    hand = measure(quiet, quiet.parts[0], "Singing")
    made = like(stiff, hand, rest=0)
    notes = take.parts[0].notes
    middles = ((notes.start[:3] + notes.end[:3]) // 2).astype(np.int64)
    was, now = (one.parts[0].lanes["cc:11"].curve.at(middles) for one in (quiet, made))
    assert now == pytest.approx(was, abs=4)
    assert was[0] < was[1] - 20


def test_of_the_same_music_bends_are_carried_over_note_for_note() -> None:
    take = bending()
    hand = measure(take, take.parts[0], "Singing")
    stiff = shaped(take, "lane.clear", lane="bend", where={"parts": [0]})
    notes = take.parts[0].notes
    inside = (notes.start[:, None] + np.linspace(0.05, 0.9, 120) * (notes.end - notes.start)[:, None]).ravel()
    was = take.parts[0].lanes["bend"].curve.at(inside)

    def off(**fields: Any) -> tuple[float, float]:
        now = like(stiff, hand, **fields).parts[0].lanes["bend"].curve.at(inside)
        return float(np.corrcoef(was, now)[0, 1]), float(np.abs(was - now).max())

    together, farthest = off()
    assert together > 0.99
    assert farthest < 0.12  # of a vibrato of 30 cents and a scoop of 100, recorded a hundred times a second
    # What is quick alone: nothing is left of the scoops, and all of the vibrato.
    quick = like(stiff, hand, scoop=0).parts[0].lanes["bend"].curve
    start = notes.start[:, None] + np.round(np.linspace(0.5, 0.9, 200) * (notes.end - notes.start)[:, None])
    assert np.ptp(quick.at(start), axis=1) == pytest.approx(0.6, abs=0.1)
    assert np.abs(quick.at(notes.start + 40)).max() < 0.6
    slow = like(stiff, hand, vibrato=0).parts[0].lanes["bend"].curve
    assert np.ptp(slow.at(start), axis=1).max() < 0.12
    assert "bend" not in like(stiff, hand, scoop=0, vibrato=0).parts[0].lanes


def test_a_hand_changes_nothing_in_what_it_has_played_itself() -> None:
    take = read(the_keepers_log())
    for part in take.parts[:2]:
        hand = measure(take, part, "Keeper")
        mine = {"force": 1, "time": 1, "length": 1, "swell": 0, "vibrato": 0, "scoop": 0}
        made = like(take, hand, **mine, where={"parts": [part.id]}).parts[part.id].notes
        assert made.velocity.tolist() == part.notes.velocity.tolist()
        assert np.abs(made.start - part.notes.start).max() <= 1
        assert np.abs(made.end - part.notes.end).max() <= 2


def test_before_a_lane_says_anything_it_is_at_its_default() -> None:
    """A wheel that is first moved in the middle of a take was at rest before."""
    take = bending(cents=0, scoop=0)
    notes, quarter = take.parts[0].notes, take.resolution
    take = shaped(take, "lane.clear", lane="bend", where={"parts": [0]})
    begins = int(notes.start[10])
    points = [[begins, -2.0], [begins + quarter, 0.0]]
    take = shaped(take, "lane.draw", lane="bend", points=points, where={"parts": [0]}, tolerance=0)
    hand = measure(take, take.parts[0], "Late")
    made = like(shaped(take, "lane.clear", lane="bend", where={"parts": [0]}), hand).parts[0].lanes["bend"].curve
    assert np.abs(np.nan_to_num(made.at(np.arange(0, begins, 60)))).max() == 0
    assert made.at(np.array([begins])) == pytest.approx([-2.0])


def test_of_the_same_music_only_the_chosen_notes_are_bent() -> None:
    take = bending()
    hand = measure(take, take.parts[0], "Singing")
    stiff = shaped(take, "lane.clear", lane="bend", where={"parts": [0]})
    made = like(stiff, hand, where={"parts": [0], "notes": [[4, 5]]}).parts[0]
    moved = made.lanes["bend"].curve
    heard = [one for one in range(32) if np.ptp(moved.at(np.arange(made.notes.start[one], made.notes.end[one]))) > 0.1]
    assert heard == [4, 5]


def test_curves_of_notes_are_carried_over_too() -> None:
    take = bending(cents=0, scoop=0)
    ids = take.parts[0].notes.id.tolist()
    for lane, points in (("note:pressure", [[0, 20], [960, 110]]), ("note:pitch", [[0, -0.5], [240, 0], [960, 0.25]])):
        take = shaped(
            take, "lane.draw", lane=lane, points=points, where={"parts": [0], "notes": [[ids[3], ids[20]]]}, tolerance=0
        )
    hand = measure(take, take.parts[0], "Fingers")
    assert {"note:pressure", "note:pitch"} <= {one.lane for one in hand.played.curves}
    stiff = take_of(*((note * 4, 3.8, 60 + note % 5, 80) for note in range(32)))
    made, was = like(stiff, hand, length=0, time=0).parts[0], take.parts[0]
    at = np.arange(20, 900, 40)
    for lane, near in (("note:pressure", 2.0), ("note:pitch", 0.03)):
        for one in ids[3:21]:
            mine = made.curves[lane].curve(made.notes.id[ids.index(one)].item())
            assert mine.at(at) == pytest.approx(was.curves[lane].curve(one).at(at), abs=near)


def test_vibrato_and_scoops_differ_along_their_first_principal_curve() -> None:
    """Half of the notes tremble twice as deep at their end, the other half as deep all along."""
    take = bending(cents=0, scoop=-1)
    notes = take.parts[0].notes
    for begins, grows in ((0, 60), (1, 20)):
        ids = notes.id[begins::2].tolist()
        told = {"depth": 20, "depth_end": grows, "rate": 5, "rate_end": 7}
        where = {"parts": [0], "notes": [[one, one] for one in ids]}
        take = shaped(take, "bend.shake", **told, where=where)
    hand = measure(take, take.parts[0], "Two ways")
    assert hand.vibrato is not None
    depth, pace = hand.vibrato.depth, hand.vibrato.pace
    # The mean grows from 20 to 40 cents, and faster; a deviation is half of what lies between both ways, at the end.
    assert depth.mean[8] == pytest.approx(30, abs=4)
    assert depth.mean[14] == pytest.approx(37.5, abs=5)
    assert abs(depth.curve[14] * depth.spread) == pytest.approx(17.5, abs=4)
    assert pace.mean[14] - pace.mean[4] == pytest.approx(1.25, abs=0.4)
    assert hand.scoop is not None
    assert hand.scoop.shape.mean[0] == pytest.approx(-1, abs=0.1)
    assert hand.scoop.shape.mean[-1] == 0
    # Given to other notes they differ as much.
    stiff = take_of(*((step * 4, 4, 60 + (step * 7) % 11, 80) for step in range(60)))
    again = measure(made := like(stiff, hand), made.parts[0], "Again")
    assert again.vibrato is not None
    assert again.vibrato.depth.mean[8] == pytest.approx(30, abs=8)
    assert again.vibrato.depth.spread == pytest.approx(depth.spread, rel=0.6)


def test_a_hand_of_the_first_form_is_still_read() -> None:
    take = bending()
    now = told(measure(take, take.parts[0], "Singing"))
    before = now | {"lull_hand": 1}
    before["vibrato"] = {"rate": 6.0, "cents": 30.0, "delay": 0.4, "share": 1.0}
    before["scoop"] = {"semitones": -1.0, "seconds": 0.1, "share": 1.0}
    shapes = [{"lane": "cc:11", "of": [0], "shapes": [[float(level) for level in range(17)]]}]
    before["played"] = now["played"] | {"curves": shapes}
    read_again = Hand.model_validate(before)
    assert read_again.vibrato is not None
    assert read_again.vibrato.depth.mean[-1] == 30
    assert read_again.vibrato.depth.mean[0] == 0
    assert read_again.played.curves[0].curves[0][-1] == 16
    stiff = take_of(*((step * 4, 4, 60 + (step * 7) % 11, 80) for step in range(30)))
    assert np.ptp(like(stiff, read_again).parts[0].lanes["bend"].curve.values) > 0.9


def test_a_wheel_that_rests_does_not_tremble() -> None:
    take = bending(cents=0, scoop=0)
    hand = measure(take, take.parts[0], "Plain")
    assert hand.vibrato is None
    assert hand.scoop is None


def test_too_few_notes_say_what_they_lack() -> None:
    take = take_of(*((step, 1, 60, 80) for step in range(10)))
    with pytest.raises(NothingMatched, match="A hand needs 24 notes at least; this part has 10"):
        measure(take, take.parts[0], "x")


@pytest.mark.parametrize(
    "change",
    [
        {"lull_hand": 3},
        {"notes": 3},
        {"name": ""},
        {"more": 1},
        {"force": {"weights": {"beats": 1}, "spread": 0, "memory": 0}},
    ],
)
def test_what_is_no_hand_is_refused_in_a_sentence(change: dict[str, Any]) -> None:
    take = metrical()
    hand = told(measure(take, take.parts[0], "Made"))
    with pytest.raises(BadStroke, match="hand"):
        parse_stroke({"kind": "play.like", "hand": hand | change})


def test_each_note_says_its_place_in_every_feature() -> None:
    take = read(the_keepers_log())
    for part in take.parts:
        rows = heard_of(take, part).rows
        found = features(take, part, rows)
        assert found.shape == (len(rows), len(FEATURES))
        assert np.isfinite(found).all()
        assert np.abs(found).max() <= 8
