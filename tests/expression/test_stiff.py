"""Stiff spots: each is found where it is planted in a played take, and what is played raises next to none."""

import json
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from command.__main__ import main
from demo.fog_signal import TAKES, the_keepers_log, the_watch_room
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.stiff import stiff_spots
from expression.strokes import parse_stroke
from expression.take import Take
from expression.views.checkup import checkup
from tests.expression.test_hands import bending
from tests.expression.test_rules import shaped, take_of

PLANTED = {
    "The fog signal: the stair": {(1, "stair steps"), (3, "equal velocities")},
    "The fog signal: the keeper's log": {(0, "equal velocities"), (1, "stair steps"), (1, "still notes")},
    "The fog signal: the bellows room": {(0, "still notes")},
}
"""Faults that the demo was made with."""


@pytest.mark.parametrize("name", [name for name in TAKES if "watch room" not in name])
def test_of_what_was_played_only_what_was_planted_is_told(name: str) -> None:
    found = {(one.part, one.reason) for one in stiff_spots(read(TAKES[name]()))}
    assert found == PLANTED.get(name, set())


def test_what_was_programmed_is_told_by_all_that_is_stiff_in_it() -> None:
    found = stiff_spots(read(the_watch_room()))
    assert {one.reason for one in found} >= {
        "equal velocities", "copied bars", "dead on the grid", "chords as one", "lengths alike",
    }  # fmt: skip
    assert {one.part for one in found} == {0, 1, 2}


REED = {"parts": [1]}
PLAYED = read(the_keepers_log())
BARS = [4 * 960 * 20, 4 * 960 * 28]


def lane_of(part: int, lane: str, nodes: list[tuple[float, float]], hold: bool) -> Callable[[Take], Take]:
    """A lane with nodes at quarters in the place of what it was."""
    told = [{"tick": round(at * 960), "value": value, "hold": hold} for at, value in nodes]
    return lambda take: shaped(take, "lane.nodes", lane=lane, nodes=told, where={"parts": [part]})


def gridded(take: Take) -> Take:
    return shaped(take, "notes.place", grid=16, under=False, where=REED)


def together(take: Take) -> Take:
    return shaped(take, "notes.place", grid=2, under=False, where=REED)


PLANTS: dict[str, Callable[[Take], Take]] = {
    "equal velocities": lambda take: shaped(take, "velocity.set", value=71, where={**REED, "span": BARS}),
    "dead on the grid": gridded,
    "chords as one": together,
    "stair steps": lane_of(1, "cc:1", [(at, 20 + 12 * at) for at in range(7)], hold=True),
    "straight swells": lane_of(1, "cc:1", [(2 * at, 20 + 70 * (at % 2)) for at in range(12)], hold=False),
}


@pytest.mark.parametrize("reason", PLANTS)
def test_what_is_planted_in_a_played_take_is_found(reason: str) -> None:
    before = {one.reason for one in stiff_spots(PLAYED) if one.part == 1}
    made = PLANTS[reason](PLAYED)
    found = [one for one in stiff_spots(made) if one.part == 1 and one.reason == reason]
    assert found, before
    for one in found:
        assert one.says.endswith(".")
        assert one.spans
        for mend in one.mends:
            # Each is a stroke that can be sent, and does something.
            again = parse_stroke(json.loads(mend.model_dump_json(exclude_none=True)))
            assert write(applied(again, made)) != write(made)


def test_the_same_vibrato_on_every_note_is_told_and_another_each_is_not() -> None:
    [spot] = [one for one in stiff_spots(bending()) if one.reason == "same vibrato"]
    assert "a second by" in spot.says
    assert len(spot.spans) >= 30
    take = take_of(*((step * 4, 3.8, 60 + step % 5, 70 + step) for step in range(8)))
    for step in range(8):
        fields = {"rate": 5 + step / 8, "depth": 20 + 4 * step, "where": {"notes": [[step, step]]}}
        take = shaped(take, "bend.shake", **fields)
    assert "same vibrato" not in {one.reason for one in stiff_spots(take)}


def test_a_loop_that_is_cut_at_its_end_is_told() -> None:
    saw = lane_of(1, "cc:1", [(4 * bar + at, 30 + 20 * at) for bar in range(8) for at in range(4)], hold=False)
    loop = saw(PLAYED)
    cut = lane_of(1, "cc:1", [(4 * bar + at, 20 + 20 * at) for bar in range(8) for at in (0, 1, 2, 3.99)], hold=False)
    [spot] = [one for one in stiff_spots(cut(PLAYED)) if one.reason == "loop ends"]
    assert len(spot.spans) >= 6
    assert "loop ends" not in {one.reason for one in stiff_spots(loop)}


def runs(values: list[int], apart: int, least: int) -> int:
    """How many runs of so many there are in which each is what the one so far before it was: a plain loop."""
    count = length = 0
    for at, value in enumerate(values):
        same = at >= apart and values[at - apart] == value and (apart == 1 or values[at - 1] != value)
        length = length + 1 if same else 0
        count += length == least - apart
    return count


@pytest.mark.parametrize("seed", range(6))
def test_runs_of_velocities_are_those_of_a_plain_loop(seed: int) -> None:
    dice = np.random.default_rng(seed)
    values: list[int] = []
    for _ in range(12):
        kind, length = dice.integers(0, 3), int(dice.integers(5, 30))
        one, two = (int(v) for v in dice.choice(np.arange(30, 120), 2, replace=False))
        values += {
            0: [one] * length,
            1: [one if at % 2 else two for at in range(length)],
            2: [int(v) for v in dice.integers(30, 120, length)],
        }[int(kind)]
    take = take_of(*((step * 0.31, 0.2, 60 + step % 7, value) for step, value in enumerate(values)))
    found = {one.reason: len(one.spans) for one in stiff_spots(take)}
    assert found.get("equal velocities", 0) == runs(values, 1, 12)
    assert found.get("two velocities in turn", 0) == runs(values, 2, 16)


def test_bars_that_are_copies_are_told_where_they_are() -> None:
    bar = [(0, 0.4, 60, 90), (1, 0.4, 62, 70), (2.1, 0.4, 64, 85), (3, 0.4, 65, 71)]
    other = [(0, 0.4, 60, 91), (1.1, 0.4, 62, 60), (2, 0.4, 67, 85), (3, 0.4, 65, 77)]
    order = [bar, bar, bar, other, bar, other, other]
    take = take_of(*((4 * at + start, *rest) for at, one in enumerate(order) for start, *rest in one))  # type: ignore[arg-type]
    [spot] = [one for one in stiff_spots(take) if one.reason == "copied bars"]
    # The second and the third; one alone, as at the end, may be meant.
    assert spot.spans == ((4 * 960, 12 * 960),)


def test_held_notes_move_or_are_told_unless_they_are_struck() -> None:
    take = take_of((0, 5, 60, 80), (8, 2, 62, 80), (12, 6, 64, 80))
    [spot] = stiff_spots(take)
    assert (spot.reason, len(spot.spans)) == ("still notes", 2)
    swelling = applied(spot.mends[0], take)
    assert [one for one in stiff_spots(swelling) if one.reason == "still notes"] == []


def test_a_take_without_notes_has_nothing_to_tell() -> None:
    muted = shaped(PLAYED, "notes.mute")
    assert stiff_spots(muted) == []


def test_the_checkup_tells_what_is_broken_first_and_both_with_mends() -> None:
    found = checkup(read(the_keepers_log()))
    assert {one["kind"] for one in found} == {"broken", "stiff"}
    assert [one["part"] for one in found] == sorted(one["part"] for one in found)
    assert all(one["says"] for one in found)


def test_the_command_line_tells_the_same_and_whether_anything_is_broken(
    tmp_path: Any, capsys: pytest.CaptureFixture[str]
) -> None:
    log, watch = tmp_path / "log.mid", tmp_path / "watch.mid"
    log.write_bytes(the_keepers_log())
    watch.write_bytes(the_watch_room())
    assert main(["check", str(log)]) == 1
    assert "Thumb piano: stiff: Every note is equally hard in bars 9 to 13." in capsys.readouterr().out
    assert main(["check", str(watch), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert {one["kind"] for one in told} == {"stiff"}
    assert all(parse_stroke(mend["stroke"]) for one in told for mend in one["mends"])
    (tmp_path / "no.mid").write_bytes(b"no")
    assert main(["check", str(tmp_path / "no.mid")]) == 2
