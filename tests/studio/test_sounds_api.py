from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from demo.fog_signal import the_watch_room
from demo.hum import hummed
from studio.models import TakeSound
from tests.expression.test_sound import tone, wav
from tests.studio.conftest import Caller

pytestmark = pytest.mark.django_db


def send(caller: Caller, take: str, data: bytes, name: str = "Foghorn.wav") -> Any:
    return caller.client.post(f"/api/takes/{take}/sound", {"file": SimpleUploadedFile(name, data)})


def test_a_sound_is_kept_with_its_take_moved_traced_and_taken_off(anna: Caller) -> None:
    take = anna.add()
    assert anna.get(f"takes/{take}/sound") is None
    kept = send(anna, take, wav(tone(1.0)))
    assert kept.status_code == 201
    assert (kept.json()["name"], kept.json()["seconds"], kept.json()["offset"]) == ("Foghorn.wav", 1.0, 0.0)
    assert anna.call("patch", f"takes/{take}/sound", {"offset": 0.25}).json()["offset"] == 0.25
    assert anna.client.get(f"/api/takes/{take}/sound/data").content[:4] == b"fLaC"
    asked = {"part": 0, "lane": "cc:11", "attack": 5, "release": 60, "low": 10, "high": 90}
    stroke = anna.call("post", f"takes/{take}/sound/trace", asked).json()["stroke"]
    assert (stroke["kind"], stroke["lane"], stroke["where"]["parts"]) == ("lane.draw", "cc:11", [0])
    assert anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": stroke}).status_code == 200
    assert send(anna, take, wav(tone(0.5)), "Other.wav").json()["seconds"] == 0.5
    assert TakeSound.objects.count() == 1
    assert anna.call("delete", f"takes/{take}/sound").status_code == 204
    assert anna.get(f"takes/{take}/sound") is None


def test_what_cannot_be_read_leaves_the_old_one(anna: Caller) -> None:
    take = anna.add()
    send(anna, take, wav(tone(0.2)))
    refused = send(anna, take, b"no sound at all")
    assert (refused.status_code, "not a WAV file" in refused.json()["detail"]) == (422, True)
    assert anna.client.post(f"/api/takes/{take}/sound").status_code == 422
    assert anna.get(f"takes/{take}/sound")["seconds"] == 0.2


@pytest.mark.parametrize(
    ("asked", "field"), [({"attack": -1}, "attack"), ({"low": 200}, "low"), ({"lane": "cc:999"}, "lane")]
)
def test_numbers_out_of_range_are_named(anna: Caller, asked: dict[str, Any], field: str) -> None:
    take = anna.add()
    send(anna, take, wav(tone(0.2)))
    refused = anna.call("post", f"takes/{take}/sound/trace", {"part": 0, "lane": "cc:1", **asked})
    assert (refused.status_code, field in refused.json()["detail"]) == (422, True)


def test_nobody_else_hears_it(anna: Caller, bert: Caller) -> None:
    take = anna.add()
    send(anna, take, wav(tone(0.2)))
    for method, path in (("get", ""), ("get", "/data"), ("delete", ""), ("patch", ""), ("post", "/trace")):
        body = {"offset": 1} if method == "patch" else {"part": 0, "lane": "cc:1"} if method == "post" else None
        assert bert.call(method, f"takes/{take}/sound{path}", body).status_code == 404
    assert send(bert, take, wav(tone(0.2))).status_code == 404
    assert anna.get(f"takes/{take}/sound") is not None


def test_a_hum_is_followed_and_becomes_bends_brightness_and_places_of_notes(anna: Caller) -> None:
    take = anna.add(the_watch_room())
    answer = send(anna, take, hummed(), "hum.wav")
    if answer.status_code == 202:
        anna.worked(answer)
    assert anna.get(f"takes/{take}/sound")["followed"] is False
    early = anna.call("post", f"takes/{take}/sound/sing", {"part": 0})
    assert (early.status_code, early.json()["detail"]) == (422, "The pitch of this sound has not been followed yet.")
    done = anna.worked(anna.call("post", f"takes/{take}/sound/follow"))
    assert done["state"] == "done"
    assert anna.get(f"takes/{take}/sound")["followed"] is True
    sung = anna.call("post", f"takes/{take}/sound/sing", {"part": 0, "correction": 1}).json()["stroke"]
    assert (sung["kind"], sung["lane"]) == ("lane.draw", "bend")
    written = anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": sung})
    assert written.status_code == 200
    own = anna.call("post", f"takes/{take}/sound/sing", {"part": 0, "lane": "note:pitch"}).json()["stroke"]
    assert (own["lane"], own["in_take"]) == ("note:pitch", True)
    kept = anna.call("post", f"takes/{take}/strokes", {"revision": 1, "stroke": own})
    assert kept.status_code < 300, kept.json()
    assert anna.call("post", f"takes/{take}/sound/sing", {"part": 0, "lane": "cc:1"}).status_code == 422
    chords = anna.call("post", f"takes/{take}/sound/sing", {"part": 1})
    assert "Several notes sound at a time" in chords.json()["detail"]
    assert anna.call("post", f"takes/{take}/sound/sing", {"part": 9}).json()["detail"] == "This take has no part 9."
    shone = anna.call("post", f"takes/{take}/sound/shine", {"part": 0, "lane": "cc:74", "low": 20, "high": 100})
    assert {20, 100} <= {value for _, value in shone.json()["stroke"]["points"]}
    struck = anna.call("post", f"takes/{take}/sound/attacks", {"where": {"parts": [2]}}).json()["stroke"]
    assert struck["kind"] == "notes.follow"
    # Another sound is another thing.
    send(anna, take, wav(tone(0.2)))
    assert anna.get(f"takes/{take}/sound")["followed"] is False


def test_without_a_sound_nothing_is_followed(anna: Caller) -> None:
    take = anna.add()
    assert anna.call("post", f"takes/{take}/sound/follow").status_code == 404
