from typing import Any

import pytest

from demo.fog_signal import the_keepers_log, the_stair
from expression.views.events import EventPage
from studio.services.answers import Chosen, Lanes
from tests.files import file_of, phrase
from tests.studio.conftest import Caller, holds_to

pytestmark = pytest.mark.django_db


@pytest.fixture
def take(anna: Caller) -> str:
    return anna.add(the_stair())


def select(anna: Caller, take: str, rule: Any, **where: Any) -> Any:
    response = anna.call("post", f"takes/{take}/select", {"revision": 0, "where": where, "rule": rule})
    return response.json() | {"status": response.status_code}


class TestSelect:
    def test_a_rule_gives_ranges_and_count(self, anna: Caller, take: str) -> None:
        found = select(anna, take, {"kind": "pitches", "pitches": [38]}, parts=[2])
        assert found["status"] == 200
        assert found["count"] == sum(last - first + 1 for first, last in found["notes"]) == 24
        holds_to(Chosen, found)

    @pytest.mark.parametrize(
        ("rule", "told"),
        [
            ({"kind": "velocity", "low": 1, "high": 2}, "No note fits this rule."),
            ({"kind": "velocity", "low": 90, "high": 10}, "low must not be above high"),
            ({"kind": "louder"}, "kind"),
            ({"kind": "every", "n": 0}, "n "),
            (7, "rule"),
        ],
    )
    def test_what_fits_nothing_or_makes_no_sense_says_so(self, anna: Caller, take: str, rule: Any, told: str) -> None:
        found = select(anna, take, rule)
        assert found["status"] == 422
        assert told in found["detail"]


def test_lanes_of_a_part(anna: Caller, take: str) -> None:
    found = anna.get(f"takes/{take}/lanes?part=1")
    holds_to(Lanes, found)
    assert {lane["key"] for lane in found["lanes"]} == {"cc:11", "cc:64"}
    assert anna.get(f"takes/{take}/lanes?part=99")["lanes"] == []
    kinds = anna.get("lanes")
    assert (len(kinds), kinds[0]["key"]) == (221, "velocity")


def test_the_event_list_by_pages_and_filters(anna: Caller, take: str) -> None:
    page = anna.get(f"takes/{take}/events?first=10&count=5")
    holds_to(EventPage, page)
    assert (page["first"], len(page["rows"])) == (10, 5)
    notes = anna.get(f"takes/{take}/events?kinds=note&parts=3")
    assert notes["total"] == 230
    assert {row["kind"] for row in notes["rows"]} == {"note"}
    for order in ("time", "part", "kind", "number", "value", "length"):
        rising, falling = (
            anna.get(f"takes/{take}/events?kinds=note&order={order}&falling={way}&count=500")
            for way in ("false", "true")
        )
        assert rising["total"] == falling["total"] == anna.get(f"takes/{take}/events?kinds=note")["total"]
        if order in ("time", "length"):
            told = [row["tick" if order == "time" else "length"] for row in rising["rows"]]
            assert told == sorted(told)
            told = [row["tick" if order == "time" else "length"] for row in falling["rows"]]
            assert told == sorted(told, reverse=True)
    assert anna.call("get", f"takes/{take}/events?order=colour").status_code == 422
    assert anna.get(f"takes/{take}/events?kinds=nothing&parts=x")["total"] == 0
    assert anna.call("get", f"takes/{take}/events?count=100000").status_code == 422


KEPT: dict[str, Any] = {
    "parts": {
        "2": {
            "name": "Drum of skin",
            "dye": "madder",
            "voices": {"38": "Open hand"},
            "routes": [{"lane": "cc:74", "target": "level", "amount": -0.5}],
            "split": 57,
        }
    },
    "lanes": {
        "1": [
            {"key": "cc:64", "hidden": False, "open": True, "height": 200},
            {"key": "cc:11", "hidden": True, "open": False, "height": 140},
        ]
    },
    "velocity_share": 0.5,
}
EMPTY: dict[str, Any] = {"parts": {}, "lanes": {}, "velocity_share": None}


class TestArrangement:
    def test_names_dyes_voices_and_lanes_are_kept_with_the_take(self, anna: Caller, take: str) -> None:
        assert anna.call("put", f"takes/{take}/arrangement", KEPT).status_code == 200
        assert anna.get(f"takes/{take}/view")["arrangement"] == KEPT
        assert anna.get(f"takes/{anna.add(the_keepers_log())}/view")["arrangement"] == EMPTY

    def test_names_are_any_text_and_unknown_lanes_are_left_out(self, anna: Caller, take: str) -> None:
        odd = {
            "parts": {"0": {"name": " a\x00b\n<i> "}},
            "lanes": {"0": [{"key": "cc:999"}, {"key": "bend"}]},
        }
        kept = anna.call("put", f"takes/{take}/arrangement", odd).json()
        assert kept["parts"]["0"]["name"] == "a b <i>"
        assert [lane["key"] for lane in kept["lanes"]["0"]] == ["bend"]

    @pytest.mark.parametrize(
        "bad",
        [
            {"parts": {"x": {}}},
            {"lanes": {"0": [{"key": "bend", "height": -1}]}},
            {"colour": 1},
            {"velocity_share": 2},
            [],
            {"parts": {"0": 3}},
            {"parts": {"0": {"split": 128}}},
        ],
    )
    def test_nonsense_is_refused(self, anna: Caller, take: str, bad: Any) -> None:
        assert anna.call("put", f"takes/{take}/arrangement", bad).status_code == 422

    def test_a_stroke_does_not_touch_it(self, anna: Caller, take: str) -> None:
        anna.call("put", f"takes/{take}/arrangement", KEPT)
        anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": {"kind": "velocity.set", "value": 9}})
        assert anna.get(f"takes/{take}/view")["arrangement"] == KEPT


class TestPreferences:
    def test_wishes_belong_to_the_account(self, anna: Caller, bert: Caller) -> None:
        wishes: dict[str, Any] = {
            "middle_c": 3,
            "favourites": [{"key": "cc:74", "label": "Filter", "dye": "weld"}],
            "sounds": False,
            "letters": False,
            "metronome": True,
            "metronome_level": 0.25,
            "walked": True,
            "gear": {"Old keys": {"ignore": ["cc:7"], "thinned": [], "rest": 37, "slack": 6, "turned": True}},
        }
        wishes["gear"]["Old keys"]["forces"] = None
        assert anna.call("put", "preferences", wishes).json() == wishes
        assert anna.get("preferences") == wishes
        usual = {
            "middle_c": 4,
            "favourites": [],
            "sounds": True,
            "letters": True,
            "metronome": False,
            "metronome_level": 0.5,
            "walked": False,
            "gear": {},
        }
        assert bert.get("preferences") == usual

    def test_nonsense_is_refused(self, anna: Caller) -> None:
        refused = anna.call("put", "preferences", {"middle_c": 9})
        assert refused.status_code == 422
        assert "middle_c" in refused.json()["detail"]


def test_jumping_to_any_point_of_the_history(anna: Caller) -> None:
    take = anna.add(file_of(phrase([64])))
    for revision, value in enumerate((10, 20, 30)):
        stroke = {"kind": "velocity.set", "value": value}
        anna.call("post", f"takes/{take}/strokes", {"revision": revision, "stroke": stroke})

    def jump(step: int, revision: int) -> Any:
        return anna.call("post", f"takes/{take}/jump", {"revision": revision, "step": step}).json()

    assert jump(1, 3)["delta"]["changes"]["velocity"] == [10]
    history = anna.get(f"takes/{take}/view")["history"]
    assert [one["step"] for one in history["strokes"]] == [1]
    assert history["undone"] == [{"label": "Set to 20", "step": 2}, {"label": "Set to 30", "step": 3}]
    assert jump(3, 4)["delta"]["changes"]["velocity"] == [30]
    assert "there is no step 9" in jump(9, 5)["detail"]
