"""Two takes beside each other: what differs is told, and nothing else."""

import numpy as np
import pytest

from demo.fog_signal import the_keepers_log
from expression.alike import matched
from expression.midi.read import read
from expression.portrait import MEASURES, portraits
from expression.take import Take
from expression.views.compare import comparison
from tests.expression.test_rules import shaped, take_of

LOG = read(the_keepers_log())


def test_a_take_beside_itself_differs_in_nothing() -> None:
    again = read(the_keepers_log())
    for by_ids in (True, False):
        assert comparison(LOG, again, by_ids) == {"measures": [], "notes": [], "notes_in_all": 0, "lanes": []}


def test_notes_that_differ_are_told_one_by_one() -> None:
    take = take_of((0, 1, 60, 80), (1, 1, 62, 80), (2, 1, 64, 80), (3, 1, 65, 80))
    ids = take.parts[0].notes.id.tolist()
    other = shaped(take, "velocity.set", value=100, where={"notes": [[ids[0], ids[0]]]})
    other = shaped(other, "notes.move", ticks=96, where={"notes": [[ids[1], ids[1]]]})
    other = shaped(other, "notes.delete", where={"notes": [[ids[2], ids[2]]]})
    told = comparison(take, other, by_ids=True)
    assert told["notes_in_all"] == 3
    first, second, third = told["notes"]
    assert (first["what"], first["says"]) == ("other", "C4: by 80, then 100")
    assert (second["what"], second["says"]) == ("other", "D4: 50 ms later")
    assert (third["what"], third["says"]) == ("gone", "E4, struck by 80")
    back = comparison(other, take, by_ids=True)
    assert [note["what"] for note in back["notes"]] == ["other", "other", "new"]


def test_notes_of_two_takes_are_found_by_pitch_and_order() -> None:
    one = take_of(*((step, 1, 60 + step % 7, 80) for step in range(40)))
    other = take_of(*((2 * step, 1, 60 + step % 7, 90) for step in range(40) if step != 11))
    mine, theirs = matched(one.parts[0], other.parts[0], by_ids=False)
    assert len(mine) == 39
    assert (one.parts[0].notes.pitch[mine] == other.parts[0].notes.pitch[theirs]).all()
    assert [note["what"] for note in comparison(one, other, False)["notes"]].count("gone") == 1


def test_lanes_are_held_against_each_other_over_time() -> None:
    quarter = LOG.resolution
    other = shaped(LOG, "lane.ramp", lane="cc:11", start=0, end=100, where={"parts": [1], "span": [0, 8 * quarter]})
    told = comparison(LOG, other, by_ids=True)
    [lane] = told["lanes"]
    before, after = (take.parts[1].lanes["cc:11"].curve for take in (LOG, other))
    ticks = np.arange(0, 8 * quarter, 7)
    wanted = np.abs(np.nan_to_num(before.at(ticks), nan=127) - np.nan_to_num(after.at(ticks), nan=127)).max()
    assert lane["lane"] == "cc:11"
    assert lane["most"] == pytest.approx(wanted, abs=1)
    assert all(span[0] <= 8 * quarter + 1 for span in lane["spans"])
    assert told["notes"] == []


def test_measures_are_those_of_a_hand_and_differ_where_it_does() -> None:
    keys = {one.key for one in MEASURES}
    for found in portraits(LOG):
        assert set(found) <= keys
    louder = shaped(LOG, "velocity.set", value=100, where={"parts": [0]})
    told = {one["key"]: one for one in comparison(LOG, louder, True)["measures"]}
    assert told["level"]["other"] == 100
    assert told["range"]["other"] == 0
    assert {one["part"] for one in told.values()} == {0}


def test_a_part_that_is_in_one_alone_is_all_gone_or_new() -> None:
    alone: Take = take_of((0, 1, 60, 80))
    told = comparison(alone, LOG, by_ids=False)
    assert told["notes_in_all"] >= len(LOG.parts[1].notes)
    assert {note["what"] for note in told["notes"] if note["part"] == 1} == {"new"}
