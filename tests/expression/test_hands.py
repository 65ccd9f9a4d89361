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
    assert again.swell.mean == pytest.approx(hand.swell.mean, abs=6)


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
        {"lull_hand": 2},
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
