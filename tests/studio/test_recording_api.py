"""Playing in over the API: takes from nothing, passes that come in pieces, and what becomes of them."""

import itertools
import uuid
from typing import Any

import pytest

from expression.limits import MOST_PASSES_WAITING
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

LINE = file_of(phrase([80] * 8))


def begun(anna: Caller, take: str, **more: Any) -> str:
    one = str(uuid.uuid4())
    asked = {"id": one, "part": 0, "start": 0, **more}
    assert anna.call("post", f"takes/{take}/passes", asked).status_code == 204
    return one


def played(anna: Caller, take: str, one: str, number: int, *events: tuple[int, float, str]) -> int:
    asked = {"number": number, "events": [list(event) for event in events]}
    return int(anna.call("post", f"takes/{take}/passes/{one}/pieces", asked).status_code)


def kept(anna: Caller, take: str, one: str, **more: Any) -> dict[str, Any]:
    answer = anna.call("post", f"takes/{take}/passes/{one}/keep", more)
    assert answer.status_code == 200, answer.content
    return dict(answer.json())


def struck(anna: Caller, take: str, part: int = 0) -> list[tuple[int, int, int]]:
    told = anna.get(f"takes/{take}/view")["parts"][part]
    return [*zip(itertools.accumulate(told["start"]), told["length"], told["pitch"], strict=True)]


def test_a_take_is_begun_from_nothing_and_played_into(anna: Caller) -> None:
    answer = anna.call("post", "takes/blank", {"name": "Fog", "bpm": 60, "beats": 3, "unit": 4, "fifths": -2})
    assert answer.status_code == 201
    take = answer.json()["id"]
    view = anna.get(f"takes/{take}/view")
    assert [part["name"] for part in view["parts"]] == ["Part 1"]
    assert view["bars"]["start"][:3] == [0, 2880, 5760]
    one = begun(anna, take)
    assert played(anna, take, one, 0, (0, 1.0, "903c40"), (0, 1.5, "803c40")) == 204
    assert kept(anna, take, one, end=4.0) == {"revision": 1, "numbers": [1]}
    assert struck(anna, take) == [(960, 480, 60)]
    stroke = anna.get(f"takes/{take}/view")["history"]["strokes"][0]["stroke"]
    assert (stroke["where"]["parts"], stroke["where"]["span"]) == ([0], [0, 3840])
    assert anna.get("takes")[0]["summary"]["notes"] == 1


def test_pieces_may_come_twice_and_out_of_order(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take)
    assert anna.call("post", f"takes/{take}/passes", {"id": one, "part": 0, "start": 0}).status_code == 204
    for number, event in ((1, (0, 0.3, "804840")), (0, (0, 0.1, "904840")), (1, (0, 0.3, "804840"))):
        assert played(anna, take, one, number, event) == 204
    kept(anna, take, one)
    assert (192, 384, 72) in struck(anna, take)


def test_round_a_loop_each_round_is_a_pass_of_which_the_last_sounds(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take, mode="replace", loop_end=3840)
    for number in range(3):
        played(
            anna, take, one, number, (number, 0.5, f"9{0}{72 + number:02x}40"), (number, 1.0, f"80{72 + number:02x}40")
        )
    told = kept(anna, take, one)
    assert told["numbers"] == [1, 2, 3]
    strokes = anna.get(f"takes/{take}/view")["history"]["strokes"]
    assert [stroke["on"] for stroke in strokes] == [False, False, True]
    assert [key for start, _, key in struck(anna, take) if start < 3840] == [74]


def test_a_round_that_was_broken_off_gives_way_to_the_one_before(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take, mode="replace", loop_end=3840)
    played(anna, take, one, 0, (0, 0.5, "904840"), (0, 1.0, "804840"))
    played(anna, take, one, 1, (1, 0.25, "904a40"))
    kept(anna, take, one, end=0.75)
    strokes = anna.get(f"takes/{take}/view")["history"]["strokes"]
    assert [stroke["on"] for stroke in strokes] == [True, False]
    assert [key for start, _, key in struck(anna, take) if start < 3840] == [72]
    # What was held when it was stopped ends there.
    last = {**strokes[1]["stroke"], "mode": "merge"}
    asked = {"revision": 1, "stroke": last, "on": True}
    assert anna.call("patch", f"takes/{take}/strokes/2", asked).status_code == 200
    assert (480, 960, 74) in struck(anna, take)


def test_what_was_not_kept_is_there_on_the_next_visit(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take)
    assert anna.get(f"takes/{take}/passes") == []
    played(anna, take, one, 0, (0, 0.1, "904840"))
    (waiting,) = anna.get(f"takes/{take}/passes")
    assert (waiting["id"], waiting["pieces"], waiting["part"]) == (one, 1, 0)
    kept(anna, take, one)
    assert anna.get(f"takes/{take}/passes") == []


def test_a_pass_is_let_go(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take)
    played(anna, take, one, 0, (0, 0.1, "904840"))
    assert anna.call("delete", f"takes/{take}/passes/{one}").status_code == 204
    assert anna.get(f"takes/{take}/passes") == []
    assert len(struck(anna, take)) == 8


def test_a_pass_without_a_message_leaves_no_stroke(anna: Caller) -> None:
    take = anna.add(LINE)
    assert kept(anna, take, begun(anna, take), end=3.0) == {"revision": 0, "numbers": []}


def test_two_tabs_may_record_at_once_and_another_may_shape(anna: Caller) -> None:
    take = anna.add(LINE)
    one, other = begun(anna, take), begun(anna, take)
    played(anna, take, one, 0, (0, 0.1, "904840"), (0, 0.2, "804840"))
    played(anna, take, other, 0, (0, 0.1, "904a40"), (0, 0.2, "804a40"))
    nudge = {"revision": 0, "stroke": {"kind": "velocity.nudge", "by": 5}}
    assert anna.call("post", f"takes/{take}/strokes", nudge).status_code == 200
    assert kept(anna, take, one)["numbers"] == [2]
    assert kept(anna, take, other)["numbers"] == [3]
    assert {72, 74} <= {key for _, _, key in struck(anna, take)}


def test_broken_bytes_are_passed_over_and_nothing_else_is_lost(anna: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take)
    assert played(anna, take, one, 0, (0, 0.1, "9048"), (0, 0.1, "ff"), (0, 0.1, "904840"), (0, 0.2, "804840")) == 204
    kept(anna, take, one)
    assert (192, 192, 72) in struck(anna, take)


def test_a_part_more_takes_nothing_from_the_others(anna: Caller) -> None:
    take = anna.add(LINE)
    nudge = {"revision": 0, "stroke": {"kind": "velocity.nudge", "by": 5}}
    anna.call("post", f"takes/{take}/strokes", nudge)
    made = anna.call("post", f"takes/{take}/new-part", {"name": "Bells"})
    assert (made.status_code, made.json()) == (201, {"id": 1})
    view = anna.get(f"takes/{take}/view")
    assert [part["name"] for part in view["parts"]] == ["Track 1", "Bells"]
    assert set(view["parts"][0]["velocity"]) == {85}
    assert view["history"]["revision"] == 2
    one = begun(anna, take, part=1)
    played(anna, take, one, 0, (0, 0.1, "904840"), (0, 0.2, "804840"))
    kept(anna, take, one)
    assert struck(anna, take, 1) == [(192, 192, 72)]


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({"part": 5}, "There is no part 5"),
        ({"loop_end": 0}, "loop must end after it starts"),
        ({"mode": "over"}, "mode must be merge, replace or touch"),
    ],
)
def test_what_cannot_be_recorded_is_refused_in_a_sentence(anna: Caller, asked: dict[str, Any], says: str) -> None:
    take = anna.add(LINE)
    answer = anna.call("post", f"takes/{take}/passes", {"id": str(uuid.uuid4()), "part": 0, "start": 0, **asked})
    assert answer.status_code == 422
    assert says in answer.json()["detail"]


def test_a_pass_of_another_account_is_nobodys(anna: Caller, bert: Caller) -> None:
    take = anna.add(LINE)
    one = begun(anna, take)
    assert bert.call("get", f"takes/{take}/passes").status_code == 404
    assert played(bert, take, one, 0, (0, 0.1, "904840")) == 404
    assert bert.call("post", f"takes/{take}/passes/{one}/keep", {}).status_code == 404
    assert bert.call("delete", f"takes/{take}/passes/{one}").status_code == 404
    assert bert.call("post", f"takes/{take}/new-part", {}).status_code == 404


def test_passes_that_wait_are_bounded(anna: Caller) -> None:
    take = anna.add(LINE)
    for _ in range(MOST_PASSES_WAITING):
        begun(anna, take)
    answer = anna.call("post", f"takes/{take}/passes", {"id": str(uuid.uuid4()), "part": 0, "start": 0})
    assert answer.status_code == 422
    assert "wait to be kept or dropped" in answer.json()["detail"]
