from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.test import Client
from django.utils import timezone

from demo.fog_signal import TAKES, the_stair
from studio.models import Take
from studio.signing_in import link_token
from tests.expression.test_damaged import DAMAGED
from tests.files import END, events, file_of, phrase, raw
from tests.studio.conftest import Caller

pytestmark = pytest.mark.django_db


def test_an_upload_is_read_listed_and_given_back(anna: Caller) -> None:
    take = anna.add(the_stair(), "The stair.mid")
    (card,) = anna.get("takes")
    assert (card["id"], card["name"]) == (take, "The stair")
    assert card["summary"]["notes"] == 788
    response = anna.call("get", f"takes/{take}/file")
    assert events(response.content) == events(the_stair())
    assert response["Content-Disposition"] == 'attachment; filename="The stair.mid"'


def test_a_file_is_judged_by_content_not_by_name(anna: Caller) -> None:
    assert anna.upload(file_of(phrase([1])), "holiday.jpg").status_code == 201
    assert anna.upload(b"\xff\xd8\xff", "song.mid").status_code == 422


@pytest.mark.parametrize("name", DAMAGED)
def test_a_damaged_file_is_refused_with_its_sentence_and_nothing_is_stored(anna: Caller, name: str) -> None:
    data, told = DAMAGED[name]
    response = anna.upload(data)
    assert response.status_code == 422
    # The upload itself stops at the limit, before the reader could count.
    assert ("larger than 32 MiB" if name == "33 MiB" else told) in response.json()["detail"]
    assert not Take.objects.exists()


def test_remarks_come_with_the_new_take(anna: Caller) -> None:
    body = anna.upload(raw(b"\x00\x90\x3c\x40\x60\x3c\x00" + END, count=3)).json()
    assert body["remarks"] == ["The header speaks of 3 tracks; 1 are there and were read."]


def test_no_file_at_all(anna: Caller) -> None:
    response = anna.client.post("/api/takes", {})
    assert response.status_code == 422
    assert "No file came" in response.json()["detail"]


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("  Fog \n horn ", "Fog horn"),
        ("<script>alert(1)</script>", "<script>alert(1)</script>"),
        ("霧笛 🎐", "霧笛 🎐"),
        ("a\x00b", "a b"),
        ("\ud800", "take"),
        ("x" * 500, "x" * 200),
        ("   ", "take"),
    ],
)
def test_names_are_any_text(anna: Caller, name: str, shown: str) -> None:
    take = anna.add()
    response = anna.call("patch", f"takes/{take}", {"name": name})
    assert response.status_code == 200
    assert response.json()["name"] == shown
    assert anna.call("get", f"takes/{take}/file").status_code == 200


def test_a_deleted_take_is_gone_until_it_is_restored(anna: Caller) -> None:
    take = anna.add()
    assert anna.call("delete", f"takes/{take}").status_code == 204
    assert anna.get("takes") == []
    assert anna.call("get", f"takes/{take}/view").status_code == 404
    assert [one["id"] for one in anna.get("takes/deleted")] == [take]
    assert anna.call("post", f"takes/{take}/restore").status_code == 200
    assert anna.call("get", f"takes/{take}/view").status_code == 200
    assert anna.get("takes/deleted") == []


STROKE = {"revision": 0, "stroke": {"kind": "velocity.set", "value": 9}}
PASS = "11111111-1111-4111-8111-111111111111"
REQUESTS: list[tuple[str, str, Any]] = [
    ("get", "view", None),
    ("get", "file", None),
    ("post", "forms", {}),
    ("get", "before", None),
    ("get", "messages?end=1", None),
    ("patch", "", {"name": "mine now"}),
    ("delete", "", None),
    ("post", "restore", None),
    ("post", "facts", {"revision": 0, "where": {}}),
    ("post", "own-facts", {"revision": 0, "where": {}, "lane": "note:pitch"}),
    ("post", "zoned", None),
    ("post", "preview", STROKE),
    ("post", "strokes", STROKE),
    ("post", "reasons", {"revision": 0, "note": 0}),
    ("get", "wire", None),
    ("post", "back", None),
    ("get", "comparison", None),
    ("get", "range?part=0", None),
    ("get", "sheet", None),
    ("post", "hands", {"part": 0, "name": "mine"}),
    ("post", "rehearse", {**STROKE, "span": [0, 1]}),
    ("patch", "strokes/1", {"revision": 0, "on": False}),
    ("delete", "strokes/1", {"revision": 0}),
    ("post", "undo", {"revision": 0}),
    ("post", "redo", {"revision": 0}),
    ("post", "jump", {"revision": 0, "step": 0}),
    ("post", "select", {"revision": 0, "where": {}, "rule": {"kind": "beat"}}),
    ("get", "lanes?part=0", None),
    ("get", "proof?part=0", None),
    ("get", "page", None),
    ("get", "page/musicxml", None),
    ("get", "unplayed", None),
    ("get", "checkup", None),
    ("get", "unsent", None),
    ("get", "sound", None),
    ("post", "sound", None),
    ("patch", "sound", {"offset": 1}),
    ("delete", "sound", None),
    ("get", "sound/data", None),
    ("post", "sound/follow", None),
    ("post", "sound/sing", {"part": 0}),
    ("post", "sound/shine", {"part": 0, "lane": "cc:74"}),
    ("post", "sound/attacks", {"where": {}}),
    ("post", "sound/trace", {"part": 0, "lane": "cc:1"}),
    ("get", "events", None),
    ("put", "arrangement", {}),
    ("get", "strokes/1/gear", None),
    ("post", "new-part", {}),
    ("post", "in-bars", {}),
    ("get", "passes", None),
    ("post", "passes", {"id": PASS, "part": 0, "start": 0}),
    ("post", f"passes/{PASS}/pieces", {"number": 0, "events": []}),
    ("post", f"passes/{PASS}/keep", {}),
    ("delete", f"passes/{PASS}", None),
]


@pytest.mark.parametrize(("method", "path", "body"), REQUESTS)
def test_another_accounts_take_is_not_there(anna: Caller, bert: Caller, method: str, path: str, body: object) -> None:
    take = anna.add()
    response = bert.call(method, f"takes/{take}/{path}".rstrip("/"), body)
    assert response.status_code == 404
    assert response.json()["detail"] == "There is no such take in your library."
    assert Take.objects.get().deleted_at is None


@pytest.mark.parametrize(("method", "path", "body"), REQUESTS)
def test_signed_out_nothing_is_there(anna: Caller, method: str, path: str, body: object) -> None:
    take = anna.add()
    anna.client.logout()
    assert anna.call(method, f"takes/{take}/{path}".rstrip("/"), body).status_code == 401


def _named(path: str) -> str:
    plain = path.split("?")[0].replace(PASS, "{pass_id}")
    return plain.replace("strokes/1", "strokes/{number}").replace("page/musicxml", "page/{kind}")


def test_every_path_of_the_contract_that_names_a_take_is_tried_above() -> None:
    from studio.api import api

    tried = {(method, _named(path)) for method, path, _ in REQUESTS}
    named = {
        (method, path.partition("{take_id}")[2].lstrip("/"))
        for path, methods in api.get_openapi_schema()["paths"].items()
        for method in methods
        if "{take_id}" in path
    }
    assert tried == named


def enter(client: Client, token: str) -> Any:
    return client.post("/api/session/link", {"token": token}, content_type="application/json")


class TestPages:
    @pytest.mark.parametrize("path", ["/", "/takes/00000000-0000-0000-0000-000000000000"])
    def test_need_a_sign_in(self, path: str) -> None:
        response = Client().get(path)
        assert response.status_code == 302
        assert response["Location"].startswith("/sign-in")

    def test_a_link_signs_in_once(self, anna: Caller) -> None:
        token = link_token(anna.user)
        client = Client()
        # To look at it, as a mail program does, changes nothing.
        assert client.get(f"/enter/{token}").status_code in (200, 503)
        assert client.get("/api/me").status_code == 401
        assert enter(client, token).json() == {"name": "anna"}
        assert client.get("/api/me").json() == {"name": "anna"}
        client.post("/sign-out")
        spent = enter(client, token)
        assert (spent.status_code, "used before" in spent.json()["detail"]) == (401, True)

    def test_an_old_link_does_not(self, anna: Caller, settings: Any) -> None:
        token = link_token(anna.user)
        settings.PASSWORD_RESET_TIMEOUT = -1
        assert enter(Client(), token).status_code == 401

    @pytest.mark.parametrize("spoilt", ["", "x", "1-", "-", "9" * 30 + "-a", "\u0663-abc", "{}xx", "0{}"])
    def test_a_forged_link_does_not(self, anna: Caller, spoilt: str) -> None:
        client = Client()
        assert enter(client, spoilt.format(link_token(anna.user)[:-2])).status_code == 401
        assert client.get("/api/me").status_code == 401

    def test_name_and_password(self, anna: Caller) -> None:
        client = Client()
        good = {"name": "anna", "password": "a long enough one"}
        bad = client.post("/api/session", {**good, "password": "no"}, content_type="application/json")
        assert (bad.status_code, "do not go together" in bad.json()["detail"]) == (401, True)
        assert client.post("/api/session", good, content_type="application/json").status_code == 200
        assert client.get("/api/me").json() == {"name": "anna"}

    def test_writing_needs_the_token_of_the_page(self, anna: Caller) -> None:
        client = Client(enforce_csrf_checks=True)
        client.force_login(anna.user)
        for path in ("/api/takes", "/sign-out"):
            answer = client.post(path, {})
            assert answer.status_code == 403
            assert b"This page is no longer valid. Load it again and try once more." in answer.content
            assert b"CSRF" not in answer.content

    def test_what_was_deleted_long_ago_is_removed_for_good(self, anna: Caller) -> None:
        from django.core.management import call_command

        kept, lately, long_ago = (anna.add() for _ in range(3))
        for number, days in ((lately, 29), (long_ago, 31)):
            Take.objects.filter(pk=number).update(deleted_at=timezone.now() - timedelta(days=days))
        call_command("purge")
        assert {str(take.pk) for take in Take.objects.all()} == {kept, lately}

    def test_the_demo_account_is_made_once(self, db: None, capsys: pytest.CaptureFixture[str]) -> None:
        from django.core.management import call_command

        for _ in range(2):
            call_command("demo", address="http://here")
        assert Take.objects.count() == len(TAKES)
        assert capsys.readouterr().out.startswith("http://here/enter/")


def test_the_front_end_refuses_at_the_same_size_as_the_server() -> None:
    from django.conf import settings

    from expression.limits import MOST_FILE_BYTES

    upload = (Path(settings.BASE_DIR) / "web/src/library/upload.ts").read_text()
    assert settings.MOST_UPLOAD_BYTES == MOST_FILE_BYTES
    assert "MIB = 2 ** 20;" in upload
    assert "MOST_BYTES = 32 * MIB;" in upload
