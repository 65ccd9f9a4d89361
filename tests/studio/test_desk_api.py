import base64
import gzip
import json
import random
from typing import Any

import mido
import pytest

from demo.fog_signal import the_keepers_log
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.views.delta import Delta
from expression.views.facts import Facts
from studio.models import Step
from studio.services.answers import DeskView, Messages, Preview, Written
from studio.services.folding import cache
from tests.files import file_of, phrase
from tests.studio.conftest import Caller, holds_to

pytestmark = pytest.mark.django_db
SAME_NOTES: dict[str, Any] = {"added": [], "moved": [], "others": []}
HAIRPIN = {"kind": "velocity.hairpin", "start": 40, "end": 80}


def setting(value: int, **where: Any) -> dict[str, Any]:
    return {"kind": "velocity.set", "value": value, "where": where}


class Desk:
    """One take, and its newest revision."""

    def __init__(self, caller: Caller, data: bytes | None = None) -> None:
        self.caller = caller
        self.data = data or file_of(phrase([64] * 5))
        self.id = caller.add(self.data)
        self.revision = 0

    def send(self, method: str, path: str, **body: Any) -> Any:
        response = self.caller.call(method, f"takes/{self.id}/{path}", {"revision": self.revision, **body})
        answer = response.json()
        if response.status_code == 200 and "history" in answer:
            self.revision = answer["history"]["revision"]
        return answer | {"status": response.status_code}

    def velocities(self) -> list[int]:
        return list(self.caller.get(f"takes/{self.id}/view")["parts"][0]["velocity"])


@pytest.fixture
def desk(anna: Caller) -> Desk:
    return Desk(anna)


def test_answers_keep_to_the_contract(desk: Desk) -> None:
    """The long answers are sent past the schemas for speed; this is what holds them to it."""
    desk.send("post", "strokes", stroke=HAIRPIN)
    holds_to(DeskView, desk.caller.get(f"takes/{desk.id}/view"))
    holds_to(Preview, desk.send("post", "preview", stroke=setting(5)))
    holds_to(Written, desk.send("post", "strokes", stroke=setting(5)))
    holds_to(Facts, desk.send("post", "facts", where={}))
    holds_to(Delta, desk.caller.get(f"takes/{desk.id}/before"))
    holds_to(Messages, desk.caller.get(f"takes/{desk.id}/messages?end=2"))


def test_a_preview_changes_nothing_and_a_stroke_does(desk: Desk) -> None:
    tried = desk.send("post", "preview", stroke=HAIRPIN)
    assert tried["delta"]["changes"] == {"notes": [[0, 4]], "velocity": [40, 50, 60, 70, 80], "lanes": [], **SAME_NOTES}
    assert tried["mark"]["line"] == [[0, 40.0], [3840, 80.0]]
    assert tried["facts"]["mean"] == 60
    assert desk.velocities() == [64] * 5
    kept = desk.send("post", "strokes", stroke=HAIRPIN)
    assert kept["delta"]["changes"] == tried["delta"]["changes"]
    assert desk.velocities() == [40, 50, 60, 70, 80]


def test_a_pulled_preview_gives_the_numbers_back(desk: Desk) -> None:
    tried = desk.send("post", "preview", stroke=HAIRPIN, pull=[1920, 50])
    assert tried["stroke"]["lift"] == pytest.approx(0.275, abs=0.01)
    assert tried["delta"]["changes"]["velocity"][2] == 50


def test_the_download_is_the_cores_own_result(anna: Caller) -> None:
    desk = Desk(anna, the_keepers_log())
    strokes = [
        {**HAIRPIN, "lift": 0.4, "where": {"parts": [0], "span": [30720, 46080]}},
        setting(30, notes=[[700, 720]]),
    ]
    for stroke in strokes:
        desk.send("post", "strokes", stroke=stroke)
    expected = write(shape(read(desk.data), [parse_stroke(stroke) for stroke in strokes]))
    assert anna.call("get", f"takes/{desk.id}/file").content == expected


def test_undo_redo_switch_change_and_delete(desk: Desk) -> None:
    desk.send("post", "strokes", stroke=HAIRPIN)
    desk.send("post", "strokes", stroke=setting(10, notes=[[0, 0]]))
    assert desk.velocities() == [10, 50, 60, 70, 80]
    desk.send("patch", "strokes/1", on=False)
    assert desk.velocities() == [10, 64, 64, 64, 64]
    desk.send("patch", "strokes/1", on=True)
    changed = desk.send("patch", "strokes/1", stroke={**HAIRPIN, "end": 120})
    assert changed["history"]["changed"][0]["mark"]["label"] == "Hairpin 40 → 120"
    assert desk.velocities() == [10, 60, 80, 100, 120]
    assert desk.send("delete", f"strokes/2?revision={desk.revision}")["history"]["can_undo"] == 6
    for expected in ([10, 60, 80, 100, 120], [10, 50, 60, 70, 80], [10, 64, 64, 64, 64], [10, 50, 60, 70, 80]):
        desk.send("post", "undo")
        assert desk.velocities() == expected
    desk.send("post", "redo")
    assert desk.velocities() == [10, 64, 64, 64, 64]


def test_history_survives_a_new_process(desk: Desk) -> None:
    desk.send("post", "strokes", stroke=HAIRPIN)
    desk.send("post", "strokes", stroke=setting(10))
    desk.send("post", "undo")
    before = desk.caller.get(f"takes/{desk.id}/view")
    cache.clear()
    assert desk.caller.get(f"takes/{desk.id}/view") == before
    desk.send("post", "redo")
    assert desk.velocities() == [10] * 5


def test_two_hundred_strokes_can_all_be_undone(desk: Desk) -> None:
    for value in range(1, 101):
        desk.send("post", "strokes", stroke=setting(value))
    for _ in range(100):
        desk.send("post", "undo")
    assert desk.velocities() == [64] * 5
    assert desk.send("post", "undo")["detail"] == "There is nothing to undo: the take is as it was recorded."


@pytest.mark.parametrize("undone", [0, 1, 2, 3])
def test_a_stroke_after_undo_writes_over_what_was_undone(desk: Desk, undone: int) -> None:
    other = Desk(desk.caller)
    other.send("post", "strokes", stroke=setting(99))
    for value in (10, 20, 30, 40):
        desk.send("post", "strokes", stroke=setting(value))
    for _ in range(undone):
        desk.send("post", "undo")
    desk.send("post", "strokes", stroke=setting(50))
    # Who knows an older revision writes nothing, over nothing.
    assert desk.send("post", "strokes", stroke=setting(60), revision=desk.revision - 1)["status"] == 409
    kept = [*[10, 20, 30, 40][: 4 - undone], 50]
    rows = Step.objects.filter(take_id=desk.id).values_list("position", "number", "stroke", "label")
    assert [(place, number, stroke["value"], label) for place, number, stroke, label in rows] == [
        (place, place + 1, value, f"Set to {value}") for place, value in enumerate(kept)
    ]
    cache.clear()
    assert desk.velocities() == [50] * 5
    assert desk.caller.get(f"takes/{desk.id}/view")["history"]["revision"] == 5 + undone
    assert other.velocities() == [99] * 5


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "preview", {"stroke": HAIRPIN}),
        ("post", "strokes", {"stroke": HAIRPIN}),
        ("patch", "strokes/1", {"on": False}),
        ("post", "facts", {"where": {}}),
        ("post", "undo", {}),
    ],
)
def test_a_stale_revision_gets_409_and_the_newer_history(
    desk: Desk, method: str, path: str, body: dict[str, Any]
) -> None:
    desk.send("post", "strokes", stroke=setting(10))
    stale = desk.send(method, path, **{**body, "revision": 0})
    assert stale["status"] == 409
    assert stale["history"]["revision"] == 1
    assert [one["mark"]["label"] for one in stale["history"]["strokes"]] == ["Set to 10"]
    assert desk.velocities() == [10] * 5


@pytest.mark.parametrize(
    ("stroke", "told", "field"),
    [
        ({**HAIRPIN, "end": 300}, "end must be a number from 0 to 127, not 300.", "end"),
        ({**HAIRPIN, "lift": "high"}, "lift must be a number from -1 to 1, not 'high'.", "lift"),
        ({**HAIRPIN, "where": {"notes": [[5, 1]]}}, "ranges from low to high", "where.notes"),
        ({**HAIRPIN, "where": {"span": [90000, 90001]}}, "No notes begin between bar 24", None),
        ({"kind": "velocity.sing"}, "kind must be one of", "kind"),
        (None, "stroke", None),
        ("x", "stroke", None),
    ],
)
@pytest.mark.parametrize("path", ["preview", "strokes"])
def test_numbers_out_of_range_are_refused_with_the_field(
    desk: Desk, path: str, stroke: Any, told: str, field: str | None
) -> None:
    answer = desk.send("post", path, stroke=stroke)
    assert answer["status"] == 422
    assert told in answer["detail"]
    if field:
        assert field.startswith(answer["field"])
    assert desk.velocities() == [64] * 5


@pytest.mark.parametrize("path", ["messages?end=1&start=nan", "messages?end=-1", "messages", "before?number=9"])
def test_bad_questions_are_refused_in_a_sentence(desk: Desk, path: str) -> None:
    response = desk.caller.call("get", f"takes/{desk.id}/{path}")
    assert response.status_code == 422
    assert response.json()["detail"].endswith(".")


def test_a_body_that_is_no_json_is_refused(desk: Desk) -> None:
    response = desk.caller.client.post(f"/api/takes/{desk.id}/strokes", data=b"{nope", content_type="application/json")
    assert response.status_code == 400


def test_before_is_what_was_otherwise(desk: Desk) -> None:
    desk.send("post", "strokes", stroke=setting(10))
    desk.send("post", "strokes", stroke=setting(20, notes=[[1, 2]]))
    assert desk.caller.get(f"takes/{desk.id}/before")["changes"] == {
        "notes": [[1, 2]],
        "velocity": [10, 10],
        "lanes": [],
        **SAME_NOTES,
    }
    assert desk.caller.get(f"takes/{desk.id}/before?number=1")["changes"]["velocity"] == [64] * 5


def test_parts_are_sent_in_the_way_of_their_instruments(desk: Desk) -> None:
    nodes = [{"at": 0, "value": 0}, {"at": 1, "value": 1}]
    curve = {"kind": "note.curve", "lane": "note:pitch", "where": {"parts": [0]}, "nodes": nodes}
    desk.send("post", "strokes", stroke=curve)

    def channels(answer: dict[str, Any]) -> set[int]:
        messages = mido.parse_all(base64.b64decode(answer["bytes"]))
        return {message.channel for message in messages if message.type == "note_on"}

    plain = channels(desk.caller.get(f"takes/{desk.id}/messages?end=9&plain=0"))
    zoned = channels(desk.caller.get(f"takes/{desk.id}/messages?end=9&mpe=0"))
    assert len(plain) == 1
    assert plain.isdisjoint(zoned)
    # Whatever the part says, and while a stroke is tried, too.
    desk.send("post", "strokes", stroke={"kind": "note.send", "where": {"parts": [0]}, "as": "mpe"})
    assert channels(desk.caller.get(f"takes/{desk.id}/messages?end=9&plain=0")) == plain
    tried = desk.send("post", "rehearse", stroke=setting(9), span=[0, 9], plain="0")
    assert channels(tried) == plain
    as_said = desk.send("post", "rehearse", stroke=setting(9), span=[0, 9])
    assert channels(as_said).isdisjoint(plain)


def test_messages_are_the_bytes_of_the_take_as_it_is_or_was(desk: Desk) -> None:
    desk.send("post", "strokes", stroke=HAIRPIN)

    def heard(query: str) -> list[int]:
        answer = desk.caller.get(f"takes/{desk.id}/messages?{query}")
        messages = mido.parse_all(base64.b64decode(answer["bytes"]))
        assert len(messages) == len(answer["seconds"]) == len(answer["parts"])
        return [message.velocity for message in messages if message.type == "note_on"]

    assert heard("end=9") == [40, 50, 60, 70, 80]
    assert heard("start=0.9&end=1.6") == [60, 70]
    assert heard("end=9&before=0") == [64] * 5


def test_the_view_is_packed_for_those_who_can_unpack_it(desk: Desk) -> None:
    path = f"/api/takes/{desk.id}/view"
    packed = desk.caller.client.get(path, headers={"accept-encoding": "gzip"})
    assert gzip.decompress(packed.content) == desk.caller.client.get(path).content


def test_a_stroke_on_a_lane_is_previewed_kept_listed_and_undone(anna: Caller) -> None:
    desk = Desk(anna, the_keepers_log())
    where = {"parts": [1], "span": [20_000, 20_001]}
    stroke = {"kind": "lane.nodes", "lane": "cc:11", "where": where, "nodes": [{"tick": 20_000, "value": 9}]}
    tried = desk.send("post", "preview", stroke=stroke)
    assert tried["delta"]["changes"] == {"notes": [], "velocity": [], "lanes": [1], **SAME_NOTES}
    assert tried["facts"] is None
    holds_to(Preview, tried)
    before = anna.get(f"takes/{desk.id}/lanes?part=1")["lanes"]
    kept = desk.send("post", "strokes", stroke=stroke)
    assert kept["history"]["changed"][0]["mark"]["label"] == "Expression to 9"
    holds_to(Written, kept)
    written = read(anna.call("get", f"takes/{desk.id}/file").content).parts[1].lanes["cc:11"].curve
    assert written.at([20_000]).tolist() == [9]
    desk.send("post", "undo")
    assert anna.get(f"takes/{desk.id}/lanes?part=1")["lanes"] == before


FADE = {"kind": "lane.fade", "lane": "cc:7", "start": 1, "end": 0, "where": {"parts": [0], "span": [0, 3840]}}


class TestGesturesUnderTheHand:
    def test_a_preview_tells_the_lanes_of_one_part_node_by_node(self, desk: Desk) -> None:
        answer = desk.send("post", "preview", stroke=FADE, part=0)
        holds_to(Preview, answer)
        (lane,) = answer["delta"]["lanes"]
        assert (lane["key"], lane["first"], lane["after"]) == ("cc:7", 0, 0)
        assert lane["value"] == [100, 0, 100]
        assert lane["ways"] == [[0, 0]]
        assert answer["facts"] is None
        assert desk.send("post", "preview", stroke=FADE)["delta"]["lanes"] == []
        assert desk.send("post", "preview", stroke=FADE, part=99)["delta"]["lanes"] == []

    def test_a_stroke_is_heard_before_it_is_kept(self, desk: Desk) -> None:
        asked = {"stroke": setting(99), "span": [0, 1.2], "chase": True}
        answer = desk.send("post", "rehearse", **asked)
        holds_to(Messages, answer)
        heard = mido.parse_all(base64.b64decode(answer["bytes"]))
        assert [message.velocity for message in heard if message.type == "note_on"] == [99, 99, 99]
        assert desk.velocities() == [64] * 5
        nothing = desk.send("post", "rehearse", **{**asked, "stroke": setting(9, parts=[7])})
        assert (nothing["status"], "parts that are not there" in nothing["detail"]) == (422, True)
        assert desk.send("post", "rehearse", **{**asked, "span": [0, float("1e300")]})["status"] == 422

    def test_a_pattern_of_the_wrong_length_names_its_field(self, desk: Desk) -> None:
        answer = desk.send("post", "preview", stroke={"kind": "velocity.accent", "grid": 4, "pattern": [1, 0]})
        assert (answer["status"], answer["field"]) == (422, "pattern")
        assert "The pattern has 2 steps, but bar 1 has 4 of 1/4." in answer["detail"]
        assert (
            desk.send("post", "strokes", stroke={"kind": "velocity.accent", "grid": 4, "pattern": [1]})["status"] == 422
        )
        assert desk.revision == 0

    def test_a_trim_made_twice_is_one_stroke(self, desk: Desk) -> None:
        for offset in (5, -5):
            trim = {"kind": "velocity.trim", "offset": offset, "where": {"parts": [0]}}
            history = desk.send("post", "strokes", stroke=trim)["history"]
        assert [one["number"] for one in history["changed"]] == [1]
        assert desk.velocities() == [59] * 5
        cache.clear()
        assert desk.velocities() == [59] * 5

    def test_an_answer_grows_with_the_change_and_not_with_the_past(self, desk: Desk) -> None:
        line = [[tick, 60 + tick % 7] for tick in range(0, 1500)]
        for _ in range(12):
            draw = {"kind": "lane.draw", "lane": "cc:11", "where": {"parts": [0]}, "points": line, "tolerance": 0}
            long = len(json.dumps(desk.send("post", "strokes", stroke=draw)))
        short = desk.send("post", "strokes", stroke=setting(5))
        assert len(json.dumps(short)) < 3000 < 10_000 < long
        assert len(json.dumps(desk.send("post", "undo"))) < 3000

    def test_the_history_put_together_from_answers_is_the_history(self, desk: Desk) -> None:
        dice = random.Random(6)
        known = desk.caller.get(f"takes/{desk.id}/view")["history"]
        for _ in range(60):
            number = dice.randint(1, 6)
            act = dice.choice(["add", "add", "add", "change", "switch", "delete", "undo", "redo", "jump"])
            match act:
                case "add":
                    answer = desk.send("post", "strokes", stroke=setting(dice.randint(1, 127)))
                case "change":
                    answer = desk.send("patch", f"strokes/{number}", stroke=setting(dice.randint(1, 127)))
                case "switch":
                    answer = desk.send("patch", f"strokes/{number}", on=dice.random() < 0.5)
                case "delete":
                    answer = desk.send("delete", f"strokes/{number}")
                case "jump":
                    answer = desk.send("post", "jump", step=dice.randint(0, 8))
                case _:
                    answer = desk.send("post", act)
            if answer["status"] != 200:
                continue
            change = answer["history"]
            other = {*change["gone"], *(one["number"] for one in change["changed"])}
            kept = [one for one in known["strokes"] if one["number"] not in other]
            undone = known["undone"][len(known["undone"]) - change["still_undone"] :]
            known = {
                "revision": change["revision"],
                "strokes": sorted([*kept, *change["changed"]], key=lambda one: one["number"]),
                "undone": [*change["undone"], *undone],
                "can_undo": change["can_undo"],
                "can_redo": change["can_redo"],
            }
            assert known == desk.caller.get(f"takes/{desk.id}/view")["history"]

    def test_what_lanes_make_of_the_notes_comes_with_the_change(self, desk: Desk) -> None:
        kept = desk.send("post", "strokes", stroke={**FADE, "lane": "cc:11"}, part=0, where={"parts": [0]})
        holds_to(Written, kept)
        view = desk.caller.get(f"takes/{desk.id}/view")
        (part,) = kept["delta"]["parts"]
        assert part == {name: view["parts"][0][name] for name in part}
        assert part["contour"]["loud"][0] == 100
        assert [lane["key"] for lane in kept["delta"]["lanes"]] == ["cc:11"]
        assert kept["facts"]["count"] == 5
        assert (kept["delta"]["whole"], kept["delta"]["frame"]) == ([], None)


COPY = {"kind": "notes.copy", "where": {"notes": [[0, 1]]}, "to": {"at": 9600}}


class TestCopiedNotes:
    def test_a_preview_shows_what_would_come_and_a_stroke_brings_it(self, desk: Desk) -> None:
        tried = desk.send("post", "preview", stroke=COPY, part=0)
        holds_to(Preview, tried)
        (added,) = tried["delta"]["changes"]["added"]
        assert (added["start"], tried["delta"]["changes"]["others"]) == ([9600, 10560], [0])
        kept = desk.send("post", "strokes", stroke=COPY)
        assert kept["history"]["changed"][0]["stroke"]["first"] == 2**32
        cache.clear()
        part = desk.caller.get(f"takes/{desk.id}/view")["parts"][0]
        assert part["ids"] == [[0, 4], [2**32, 2**32 + 1]]
        assert part["velocity"] == [64] * 7

    def test_a_copy_is_moved_and_keeps_its_ids(self, desk: Desk) -> None:
        desk.send("post", "strokes", stroke=COPY)
        desk.send("post", "strokes", stroke=setting(9, notes=[[2**32, 2**32]]))
        moved = {**COPY, "to": {"at": 19200}}
        tried = desk.send("post", "preview", stroke=moved, number=1)
        assert tried["delta"]["changes"]["moved"][0]["start"] == [19200, 20160]
        desk.send("patch", "strokes/1", stroke=moved)
        part = desk.caller.get(f"takes/{desk.id}/view")["parts"][0]
        assert part["velocity"] == [64] * 5 + [9, 64]
        assert part["ids"] == [[0, 4], [2**32, 2**32 + 1]]

    def test_what_cannot_be_copied_says_why(self, desk: Desk) -> None:
        onto = desk.send("post", "strokes", stroke={**COPY, "to": {"at": 0}})
        assert (onto["status"], onto["field"]) == (422, "to")
        assert "the keys are down already" in onto["detail"]
        far = desk.send("post", "strokes", stroke={**COPY, "to": {"at": 2**40}})
        assert (far["status"], "far past the end" in far["detail"]) == (422, True)
        assert desk.send("post", "strokes", stroke={**COPY, "to": {"at": 2**41}})["status"] == 422
        assert desk.revision == 0
