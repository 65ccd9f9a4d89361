"""Of very many notes and nodes what is seen is tried first, and all of it once the hand rests."""

import itertools
from typing import Any

import mido
import pytest

from expression import views
from expression.take import Take
from expression.views.delta import Delta
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

pytestmark = pytest.mark.django_db


def test_of_very_many_notes_a_run_is_tried_where_it_is_seen_and_kept_everywhere(anna: Caller) -> None:
    steps = [message.copy(note=60 + 6 * (at // 2 % 2)) for at, message in enumerate(phrase([64] * 3000, gap=240))]
    take = anna.add(file_of(steps))
    stroke = {"kind": "notes.fill", "where": {"parts": [0]}, "by": "semitone"}
    sight = [480 * 1000, 480 * 1040]
    tried = anna.call("post", f"takes/{take}/preview", {"revision": 0, "stroke": stroke, "sight": sight}).json()
    (added,) = tried["delta"]["changes"]["added"]
    # All that would come to be seen: five keys between each two of the forty notes in sight.
    seen = [start for start in added["start"] if sight[0] <= start < sight[1]]
    assert len(seen) == 40 * 5
    assert tried["stroke"]["where"] == {"parts": [0], "notes": None, "span": None, "pitches": None, "each": None}
    assert tried["mark"]["count"] == 3000
    written = anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": tried["stroke"]})
    assert written.status_code == 200
    kept = anna.get(f"takes/{take}/view")["parts"][0]
    starts = list(itertools.accumulate(kept["start"]))
    assert sorted(seen) == [s for s, pitch in zip(starts, kept["pitch"], strict=True) if pitch % 6 and s in set(seen)]
    assert len(kept["pitch"]) == 3000 + 2999 * 5


def test_what_of_very_many_notes_is_tried_in_sight_is_worked_out_whole_where_that_is_asked_for(anna: Caller) -> None:
    take = anna.add(file_of([message.copy(note=60) for message in phrase([64] * 3000, gap=240)]))
    stroke = {"kind": "notes.length", "factor": 3, "where": {"parts": [0]}}
    body = {"revision": 0, "stroke": stroke, "part": 0, "sight": [480 * 1000, 480 * 1040]}
    seen, whole = (
        anna.call("post", f"takes/{take}/preview", {**body, **more}).json() for more in ({}, {"whole": True})
    )
    assert (seen["whole"], whole["whole"]) == (False, True)
    assert seen["also"].startswith("In sight: ")
    assert whole["also"] == "2,999 notes of these end where the key is struck again."
    # No more is told of it.
    assert seen["delta"]["changes"] == whole["delta"]["changes"]
    few = anna.call(
        "post", f"takes/{take}/preview", {**body, "stroke": {**stroke, "where": {"notes": [[0, 9]]}}}
    ).json()
    assert few["whole"]


@pytest.mark.parametrize("looked_at", [0, None, 1])
def test_what_was_worked_out_while_the_hand_rested_is_what_keeping_it_tells(
    anna: Caller, looked_at: int | None
) -> None:
    music = file_of([message.copy(note=60) for message in phrase([64] * 3000, gap=240)])
    stroke = {"kind": "notes.length", "factor": 3, "where": {"parts": [0]}}
    body = {"revision": 0, "stroke": stroke, "part": 0, "sight": [480 * 1000, 480 * 1040]}
    rested, at_once = anna.add(music), anna.add(music)
    assert anna.call("post", f"takes/{rested}/preview", {**body, "whole": True}).json()["whole"]
    told = [
        anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": stroke, "part": looked_at}).json()
        for take in (rested, at_once)
    ]
    assert told[0]["delta"] == told[1]["delta"]
    # Undone, and other numbers tried: what was told of the first counts no longer.
    other = {**stroke, "factor": 0.5}
    again = [
        [
            anna.call("post", f"takes/{take}/undo", {"revision": 1, "part": looked_at}).json()["delta"],
            anna.call("post", f"takes/{take}/strokes", {"revision": 2, "stroke": other, "part": looked_at}).json()[
                "delta"
            ],
        ]
        for take in (rested, at_once)
    ]
    assert again[0] == again[1] != told[0]["delta"]


def test_what_keeping_tells_is_not_worked_out_twice_also_where_it_is_heard_in_between(
    anna: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    take = anna.add(file_of([message.copy(note=60) for message in phrase([64] * 3000, gap=240)]))
    stroke = {"kind": "notes.length", "factor": 3, "where": {"parts": [0]}}
    rested = {"revision": 0, "stroke": stroke, "part": 0, "sight": [480 * 1000, 480 * 1040], "whole": True}
    made: list[int | None] = []
    worked_out = views.delta.delta

    def counted(was: Take, now: Take, part: int | None) -> Delta:
        made.append(part)
        return worked_out(was, now, part)

    monkeypatch.setattr(views.delta, "delta", counted)
    assert anna.call("post", f"takes/{take}/preview", rested).status_code == 200
    heard = {"revision": 0, "stroke": stroke, "span": [0, 8]}
    assert anna.call("post", f"takes/{take}/rehearse", heard).status_code == 200
    assert anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": stroke, "part": 0}).status_code == 200
    assert made == [0]
    # Undo is nothing that was tried.
    assert anna.call("post", f"takes/{take}/undo", {"revision": 1, "part": 0}).status_code == 200
    assert made == [0, 0]


def test_of_a_very_long_lane_a_stroke_is_tried_where_it_is_seen_and_kept_everywhere(anna: Caller) -> None:
    # Steps for long, then a rest, then steps.
    values = [*(10 + 2 * (n % 9) for n in range(5000)), *[77] * 1000, *(90 - n % 5 for n in range(1000))]
    wheel = [mido.Message("control_change", control=1, value=value, time=20) for value in values]
    take = anna.add(file_of(wheel, phrase([64] * 4)))
    stroke = {"kind": "lane.smooth", "lane": "cc:1", "width": 100, "where": {"parts": [0]}}

    def tried(*sight: int) -> dict[str, Any]:
        body = {"revision": 0, "stroke": stroke, "part": 0, "sight": sight}
        return dict(anna.call("post", f"takes/{take}/preview", body).json())

    def told(one: dict[str, Any]) -> list[tuple[int, float]]:
        (lane,) = one["delta"]["lanes"]
        return list(zip(itertools.accumulate(lane["tick"]), lane["value"], strict=True))

    seen = told(tried(60_000, 64_000))
    assert 50 < len(seen) < 500
    # Where nothing changes in sight it is told that it does elsewhere: it is not idle.
    rest = tried(220_000, 221_000)
    assert not rest["idle"]
    assert [value for _, value in told(rest)] == [77, 77]
    written = anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": stroke, "part": 0})
    kept = told(written.json())
    assert {node for node in seen if 60_000 <= node[0] < 64_000} <= set(kept)
    assert (kept[0][0], kept[-1][0]) < (200, 300_000) < (201, kept[-1][0])
