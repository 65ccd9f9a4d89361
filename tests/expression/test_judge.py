"""Every kind of stroke before the judge. A longer run, with other seeds, is `./lull bench --judge MINUTES`."""

from typing import Any

import numpy as np
import pytest

from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import receive
from expression.strokes import KINDS, parse_stroke
from tests.clip_judge import clip_faults
from tests.judge import NEUTRAL, Judge
from tests.judging.takes import recording

CASES = 30
"""Of each kind: about a minute for all of them together."""


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_what_is_heard_is_what_is_drawn_and_what_is_documented(kind: str) -> None:
    judge = Judge()
    # What notes say is listened to note by note, which takes longer.
    for seed in range(CASES // 3 if kind.startswith("note.") else CASES):
        judge.case(seed, kind)
    faults = [fault for verdict in judge.verdicts.values() for fault in verdict.faults]
    assert not faults, "\n".join(faults[:5])


def test_most_kinds_are_met_in_most_cases() -> None:
    judge = Judge()
    for kind in ("lane.ramp", "lane.reshape", "lane.copy", "lane.wave", "velocity.vary"):
        for seed in range(6):
            judge.case(seed, kind)
    assert all(verdict.cases >= 2 for verdict in judge.verdicts.values())
    assert len(judge.verdicts) == 5


@pytest.mark.parametrize("neutral", NEUTRAL, ids=lambda one: one["kind"])
@pytest.mark.parametrize("seed", range(6))
def test_neutral_numbers_are_the_identity_in_sound_and_bytes(neutral: dict[str, Any], seed: int) -> None:
    take = read(recording(np.random.default_rng([seed, 77])))
    if any((take.rows.status[channel.resets] == 0xF0).any() for channel in take.channels):
        # What such a reset would put back is said again behind it, once a lane is shaped.
        return
    said = dict(neutral)
    if said["kind"].startswith("lane."):
        keys = [key for key in take.parts[0].lanes if not key.startswith("cc:6")]
        if not keys:
            return
        said.setdefault("lane", keys[seed % len(keys)])
        said["where"] = {"parts": [0], "span": [0, max(take.end, 2)]}
        if said["lane"] not in take.parts[0].lanes or said["lane"] == "bend":
            said["lane"] = keys[0]
        if said["kind"] == "lane.fade" and said["lane"] == "bend":
            return
    made = applied(parse_stroke(said), take)
    if said["kind"] in ("lane.distil", "lane.smooth"):
        # These take away what is said twice: what is heard is the same, from no more bytes.
        was, now = (receive(write(one)) for one in (take, made))
        for line, channel in was.channels.items():
            other = now.channels[line]
            at = np.arange(0, was.end + 1)
            assert np.array_equal(channel.bend.at(at), other.bend.at(at), equal_nan=True)
            for number, steps in channel.controllers.items():
                assert np.array_equal(steps.at(at), other.controllers[number].at(at), equal_nan=True)
        assert len(write(made)) <= len(write(take))
        return
    assert write(made) == write(take)


@pytest.mark.parametrize(
    ("kind", "seed", "salt"),
    [
        # What a node that stands for a recorded event does to the time step was not known to the distilling.
        ("lane.distil", 182, 2),
        # With fine halves a place of a way takes two messages, where a recorded node may be one.
        ("lane.distil", 77139, 2),
        # A way drawn before, whose messages say nothing new here and there.
        ("lane.distil", 500001, 2),
        ("lane.distil", 500132, 2),
        # An event that waited for its time step left the grain that the others keep to.
        ("lane.wave", 2500106, 13),
        # Edges and peaks of steep shapes lie on whole ticks.
        ("lane.shape", 2500021, 10),
        # The edge of a pulse within the last ticks of its span.
        ("lane.wave", 77239, 13),
        # A wave on what moves itself: what both are off added up.
        ("lane.wave", 181, 13),
    ],
)
def test_what_a_longer_run_has_found(kind: str, seed: int, salt: int) -> None:
    judge = Judge()
    judge.case(seed, kind, salt)
    assert judge.verdicts[kind].faults == []


@pytest.mark.parametrize("seed", range(40))
def test_clips_hold_what_is_drawn_there_and_back(seed: int) -> None:
    assert clip_faults(seed) == []
