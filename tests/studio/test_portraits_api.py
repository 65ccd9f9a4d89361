"""A part beside how others play, and two takes beside each other, over the API."""

import io
from typing import Any

import mido
from django.core.files.uploadedfile import SimpleUploadedFile

from demo.fog_signal import the_keepers_log, the_watch_room
from studio.services.portraits import Strip
from tests.studio.conftest import Caller, holds_to


def test_a_part_stands_beside_the_demo_s_hands_and_ones_own_takes(anna: Caller) -> None:
    stiff = anna.add(the_watch_room())
    strips = anna.get(f"takes/{stiff}/range?part=0")
    for one in strips:
        holds_to(Strip, one)
        assert len(one["demo"]) <= 2
        assert one["own"] == []
    played = anna.add(the_keepers_log())
    beside = {one["key"]: one for one in anna.get(f"takes/{stiff}/range?part=0")}
    assert len(beside["level"]["own"]) == 2
    # What is changed is measured again.
    anna.call("post", f"takes/{played}/strokes", {"revision": 0, "stroke": {"kind": "velocity.set", "value": 9}})
    assert {one["key"]: one for one in anna.get(f"takes/{stiff}/range?part=0")}["level"]["own"] == [9, 9]
    assert anna.call("get", f"takes/{stiff}/range?part=40").status_code == 422


def test_two_takes_and_two_points_of_a_history_are_compared(anna: Caller, bert: Caller) -> None:
    one, other = anna.add(the_keepers_log()), anna.add(the_keepers_log())
    assert anna.get(f"takes/{one}/comparison?beside={other}")["notes"] == []
    anna.call("post", f"takes/{one}/strokes", {"revision": 0, "stroke": {"kind": "velocity.set", "value": 9}})
    now = anna.get(f"takes/{one}/comparison?before=0")
    assert now["notes_in_all"] == anna.get(f"takes/{one}/comparison?beside={other}")["notes_in_all"] > 500
    assert now["notes"][0]["says"].endswith("then 9")
    # Two points of the history: up to the second stroke only the first one has acted.
    anna.call("post", f"takes/{one}/strokes", {"revision": 1, "stroke": {"kind": "velocity.set", "value": 99}})
    assert anna.get(f"takes/{one}/comparison?before=1&until=2")["notes"][0]["says"].endswith("then 9")
    assert anna.get(f"takes/{one}/comparison?before=1")["notes"][0]["says"].endswith("then 99")
    # Somebody else's take is nowhere.
    assert anna.call("get", f"takes/{one}/comparison?beside={bert.add(the_keepers_log())}").status_code == 404


def test_a_file_that_was_changed_elsewhere_comes_back_as_a_stroke(anna: Caller) -> None:
    take = anna.add(the_keepers_log())
    file = mido.MidiFile(file=io.BytesIO(anna.call("get", f"takes/{take}/file").content))
    struck = [m for track in file.tracks for m in track if m.type == "note_on" and m.velocity]
    for message in struck[:30]:
        message.velocity = 99
    out = io.BytesIO()
    file.save(file=out)

    def back(data: bytes) -> Any:
        return anna.client.post(f"/api/takes/{take}/back", {"file": SimpleUploadedFile("x.mid", data)})

    stroke = back(out.getvalue()).json()["stroke"]
    assert stroke["kind"] == "take.back"
    assert anna.call("post", f"takes/{take}/strokes", {"revision": 0, "stroke": stroke}).status_code == 200
    now = mido.MidiFile(file=io.BytesIO(anna.call("get", f"takes/{take}/file").content))
    assert sum(m.velocity == 99 for track in now.tracks for m in track if m.type == "note_on") >= 29
    assert "Nothing in this file" in back(out.getvalue()).json()["detail"]
    assert back(b"no music").status_code == 422
    assert back(the_watch_room()).status_code == 422
