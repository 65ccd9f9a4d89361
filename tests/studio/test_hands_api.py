"""Hands of an account."""

import json
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from demo.fog_signal import the_keepers_log
from tests.files import file_of, phrase
from tests.studio.conftest import Caller


def measured(caller: Caller, part: int = 0) -> dict[str, Any]:
    take = caller.add(the_keepers_log())
    answer = caller.call("post", f"takes/{take}/hands", {"part": part, "name": "The keeper"})
    assert answer.status_code == 201, answer.json()
    return dict(answer.json())


def test_a_hand_is_measured_listed_given_on_and_let_go_of(anna: Caller, bert: Caller) -> None:
    hand = measured(anna)
    assert hand["name"] == "The keeper"
    assert hand["notes"] > 500
    assert "No lane swells" in " ".join(hand["lacks"])
    assert anna.get("hands") == [hand]
    given = anna.client.get(f"/api/hands/{hand['id']}")
    assert "keeper.hand.json" in given["Content-Disposition"]
    # Somebody else has nothing of it until it is given to them.
    assert bert.get("hands") == []
    assert bert.client.get(f"/api/hands/{hand['id']}").status_code == 404
    assert bert.call("delete", f"hands/{hand['id']}").status_code == 404
    answer = bert.client.post("/api/hands", {"file": SimpleUploadedFile("keeper.json", given.content)})
    assert answer.status_code == 201
    brought = answer.json()
    assert bert.client.get(f"/api/hands/{brought['id']}").json() == given.json()
    assert anna.call("delete", f"hands/{hand['id']}").status_code == 204
    assert anna.get("hands") == []


def test_a_hand_is_given_to_another_take_as_a_stroke(anna: Caller) -> None:
    hand = anna.client.get(f"/api/hands/{measured(anna)['id']}").json()
    take = anna.add(file_of(phrase([80] * 24)))
    body = {"revision": 0, "stroke": {"kind": "play.like", "hand": hand}}
    assert anna.call("post", f"takes/{take}/strokes", body).status_code == 200
    view = anna.get(f"takes/{take}/view")
    assert len(set(view["parts"][0]["velocity"])) > 6
    [stroke] = view["history"]["strokes"]
    assert stroke["mark"]["label"] == "Like The keeper"
    assert [dial["name"] for dial in stroke["dials"]][:3] == ["Force", "Time", "Length"]


def test_too_little_says_what_it_lacks(anna: Caller) -> None:
    take = anna.add(file_of(phrase([80] * 5)))
    answer = anna.call("post", f"takes/{take}/hands", {"part": 0, "name": "x"})
    assert answer.status_code == 422
    assert answer.json()["detail"] == "A hand needs 24 notes at least; this part has 5."
    answer = anna.call("post", f"takes/{take}/hands", {"part": 7, "name": "x"})
    assert answer.json()["detail"] == "This take has no part 7."


def test_what_is_no_hand_is_refused(anna: Caller) -> None:
    for data in (b"", b"[]", b"{}", b'{"lull_hand": 1}', b"\xff\xfe", json.dumps({"lull_hand": 2}).encode()):
        answer = anna.client.post("/api/hands", {"file": SimpleUploadedFile("x.json", data)})
        assert answer.status_code == 422
        assert "This is no hand of Lull's" in answer.json()["detail"] or "empty" in answer.json()["detail"]
    assert "Choose a hand" in anna.client.post("/api/hands").json()["detail"]
    large = SimpleUploadedFile("x.json", b" " * (2**20 + 1))
    assert "too large" in anna.client.post("/api/hands", {"file": large}).json()["detail"]
    assert anna.get("hands") == []
