"""What nobody sends who means well: it is refused in a sentence, and costs next to nothing."""

import io
import json
import os
import subprocess
import sys
import time
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.test import Client, RequestFactory
from django.utils import timezone

from expression import views
from expression.errors import BadFile
from expression.midi.read import read
from studio import signing_in
from studio.error_responses import UploadsOfPlayers
from studio.models import SignInTrouble
from tests.files import END, file_of, phrase, raw
from tests.studio.conftest import Caller

FAR = b"\xff\xff\xff\x7f"
"""The longest time between two events that a file can say: 2^28 - 1 ticks."""


def far(times: int, division: int, before: bytes = b"") -> bytes:
    """A file of a few bytes that claims to last for ages."""
    return raw(before + (FAR + b"\x90\x3c\x40") * times + END, division=division)


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (far(6, 1), "for years"),
        (far(6, 960), "hours"),
        (far(1, 24), "hours"),
        (far(4096, 1), "for years"),
        # A millisecond a quarter: not long, but very many bars.
        (far(1, 480, b"\x00\xff\x51\x03\x00\x00\x0a"), "bars"),
        (far(1, 32767, b"\x00\xff\x58\x04\x01\x06\x18\x08"), "bars"),
    ],
)
def test_a_file_that_lasts_for_ever_is_refused_at_once(data: bytes, told: str) -> None:
    begun = time.process_time()
    with pytest.raises(BadFile, match=f"The file says that it lasts .*{told}.*; Lull reads up to 24 hours"):
        read(data)
    assert time.process_time() - begun < 2


def test_a_long_night_is_read() -> None:
    take = read(raw(b"\x00\x90\x3c\x40" + b"\x83\xa9\x80\x00\x80\x3c\x00" + END, division=480))
    assert 2 < take.seconds / 3600 < 24


def test_it_does_not_stay_in_the_library(anna: Caller) -> None:
    answer = anna.upload(far(6, 1))
    assert answer.status_code == 422
    assert "Cut off what lies far behind its last note" in answer.json()["detail"]
    assert anna.get("takes") == []


@pytest.mark.django_db
@pytest.mark.parametrize("name", ["a\0b", "\ud800", "anna\udfff"])
def test_names_that_cannot_be_stored_do_not_sign_in(name: str) -> None:
    body = json.dumps({"name": name, "password": "x"})
    answer = Client().post("/api/session", body, content_type="application/json")
    assert answer.status_code in (401, 422)
    assert answer.json()["detail"].endswith(".")


@pytest.mark.django_db
@pytest.mark.parametrize("cookie", ["a\0b", "\x01", "ok\x7f"])
def test_cookies_that_cannot_be_looked_up_are_as_good_as_none(cookie: str) -> None:
    client = Client()
    client.cookies["sessionid"] = cookie
    assert client.get("/api/me").status_code == 401
    assert client.get("/").status_code in (302, 503)


def test_names_of_uploads_are_cleaned(anna: Caller) -> None:
    anna.upload(file_of(phrase([64])), "a\0b.mid")
    assert [take["name"] for take in anna.get("takes")] != []


@pytest.mark.parametrize("step", [0, 1])
def test_a_controller_that_never_rests_is_looked_through_in_time(step: int) -> None:
    """300,000 values that stand still, or go up by steps: each beginning of a run was looked at anew once."""
    moves = b"".join(b"\x03\xb0\x01" + bytes([number // 3 * step % 128]) for number in range(300_000))
    take = read(raw(b"\x00\x90\x3c\x40\x10\x80\x3c\x00" + moves + END))
    begun = time.process_time()
    assert [one["reason"] for one in views.faults.faults(take)] == ["unheard"]
    assert time.process_time() - begun < 10


def test_a_name_of_a_mebibyte_is_told_in_short(anna: Caller) -> None:
    """And once for each part, not in full: a listing stays a listing."""
    name = b"\x00\xff\x03\xc0\x80\x00" + b"n" * 2**20
    notes = b"".join(b"\x00" + bytes([0x90 | channel, 60, 64]) for channel in range(16))
    data = raw(name + notes + END)
    number = anna.add(data)
    for path in ("takes", f"takes/{number}/view"):
        assert len(anna.call("get", path).content) < 50_000
    assert anna.client.get(f"/api/takes/{number}/file").content == data


# ---- files of strangers, and many at once


class Unread(io.BytesIO):
    """A body that nobody is to read."""

    def read(self, *_: Any) -> bytes:
        raise AssertionError("the body was read")


def upload(client: Client, body: io.BytesIO, length: int, path: str = "/api/takes/x/sound") -> Any:
    kind = "multipart/form-data; boundary=b"
    given: dict[str, Any] = {"CONTENT_TYPE": kind, "CONTENT_LENGTH": length, "wsgi.input": body}
    return client.generic("POST", path, **given)


@pytest.mark.django_db
@pytest.mark.parametrize("path", ["/api/takes", "/api/takes/x/sound", "/sound", "/sign-in", "/api/session"])
def test_files_of_strangers_are_not_read(path: str) -> None:
    answer = upload(Client(enforce_csrf_checks=True), Unread(), 10 * 100 * 2**20, path)
    assert answer.status_code == 401
    assert b"Sign in" in answer.content


def test_many_files_in_one_request_count_together(anna: Caller) -> None:
    piece = file_of(phrase([64])).ljust(12 * 2**20, b"\0")
    many = {f"file{number}": SimpleUploadedFile("a.mid", piece) for number in range(3)}
    answer = anna.client.post("/api/takes", {**many, "file": SimpleUploadedFile("a.mid", file_of(phrase([64])))})
    assert (answer.status_code, "32 MiB" in answer.json()["detail"]) == (422, True)


def test_so_many_bytes_are_read_at_once_and_no_more(anna: Caller, settings: Any) -> None:
    """While one file is being read, others that are too much together with it are told to come again."""
    settings.MOST_BYTES_UNDER_WAY = 10_000
    told: list[Any] = []

    def busy(request: HttpRequest) -> HttpResponse:
        if not told:
            told.append(None)
            told[0] = door(sent)
        return HttpResponse("read")

    door = UploadsOfPlayers(busy)
    sent = RequestFactory().post("/api/takes", {"file": SimpleUploadedFile("a.mid", b"x" * 6_000)})
    sent.user = anna.user
    assert door(sent).content == b"read"
    assert told[0].status_code == 503
    assert b"Try again in a moment" in told[0].content
    assert door(sent).content == b"read"


# ---- guesses


def guess(name: str, password: str, address: str = "192.0.2.1") -> Any:
    body = json.dumps({"name": name, "password": password})
    return Client(REMOTE_ADDR=address).post("/api/session", body, content_type="application/json")


def test_guesses_are_slowed_down_and_written_down(
    anna: Caller, caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    # On a machine that is busy a guess can take longer than the wait that the one before has cost.
    at = timezone.now()
    monkeypatch.setattr("django.utils.timezone.now", lambda: at)
    answers = [guess("anna", f"guess {number}").status_code for number in range(8)]
    assert answers == [401] * 5 + [429] * 3
    assert "wrong password for 'anna' from 192.0.2.1" in caplog.text
    # The right one has to wait as well, or else it would be found out; from elsewhere it goes on.
    late = guess("Anna", "a long enough one")
    assert (late.status_code, "Try again in" in late.json()["detail"]) == (429, True)
    assert guess("anna", "a long enough one", "192.0.2.2").status_code == 200


def test_each_wrong_guess_more_waits_twice_as_long(anna: Caller) -> None:
    waits = []
    for _ in range(18):
        SignInTrouble.objects.update(until=None)
        guess("anna", "wrong")
        until = SignInTrouble.objects.filter(failures__gte=5, until__isnull=False).order_by("-until").first()
        # By what was written down: a machine that is busy looks at it late.
        waits.append((until.until - until.last).total_seconds() if until and until.until else 0.0)
    assert [round(wait) for wait in waits[3:9]] == [0, 1, 2, 4, 8, 16]
    assert round(waits[-1]) == 900


def test_the_right_password_makes_good(anna: Caller) -> None:
    for _ in range(3):
        guess("anna", "wrong")
        guess("anna", "a long enough one")
        guess("anna", "wrong")
    assert guess("anna", "wrong").status_code == 401


def test_one_password_is_checked_at_a_time(anna: Caller) -> None:
    with signing_in.CHECKING:
        answer = guess("anna", "a long enough one")
    assert (answer.status_code, "in a moment" in answer.json()["detail"]) == (429, True)
    assert guess("anna", "a long enough one").status_code == 200


# ---- what the framework would answer for itself


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("get", "/api/nowhere", 404),
        ("get", "/api/takes/not-a-number/view", 404),
        ("delete", "/api/me", 405),
        ("put", "/api/takes", 405),
    ],
)
def test_refusals_of_the_api_are_sentences(anna: Caller, method: str, path: str, status: int) -> None:
    answer = getattr(anna.client, method)(path)
    assert answer.status_code == status
    assert answer["Content-Type"] == "application/json"
    assert answer.json()["detail"].endswith(".")


def test_a_page_that_is_too_old_is_told_so(anna: Caller) -> None:
    client = Client(enforce_csrf_checks=True)
    client.force_login(anna.user)
    answer = client.post("/api/takes/x/undo", {}, content_type="application/json")
    assert answer.status_code in (403, 404)
    assert answer.json()["detail"].endswith(".")


@pytest.mark.django_db
@pytest.mark.parametrize("path", ["/sign-in", "/api/me", "/nowhere"])
def test_other_hosts_are_not_answered(path: str) -> None:
    answer = Client().get(path, HTTP_HOST="evil.example")
    assert answer.status_code == 400
    assert b"evil" not in answer.content


@pytest.mark.parametrize("path", ["/", "/api/me", "/api/takes"])
def test_without_the_database_each_page_says_so(anna: Caller, path: str, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(*_: Any, **__: Any) -> None:
        raise OperationalError("the connection is closed")

    client = Client(raise_request_exception=False)
    client.cookies = anna.client.cookies
    with monkeypatch.context() as patched:
        patched.setattr("django.db.backends.base.base.BaseDatabaseWrapper.cursor", away)
        answer = client.get(path)
    assert answer.status_code == 503
    assert b"cannot reach its database" in answer.content


@pytest.mark.parametrize("secret", ["", "only-for-checks-and-tests"])
def test_nothing_is_served_with_a_secret_that_all_know(secret: str) -> None:
    environment = {**os.environ, "LULL_SECRET_KEY": secret, "DJANGO_SETTINGS_MODULE": "config.settings"}
    ran = subprocess.run([sys.executable, "-c", "import config.wsgi"], env=environment, capture_output=True, text=True)
    assert ran.returncode == 1
    assert "set LULL_SECRET_KEY" in ran.stderr
    assert "Traceback" not in ran.stderr


@pytest.mark.parametrize("odd", [False, True, "0", 0.5, None, [0], 2**60])
def test_what_is_no_whole_number_is_none_beside_a_stroke_either(anna: Caller, odd: Any) -> None:
    take = anna.add()
    stroke = {"kind": "velocity.set", "value": 5}
    for path, body in (
        ("undo", {"revision": odd}),
        ("jump", {"revision": 0, "step": odd}),
        ("strokes", {"revision": odd, "stroke": stroke}),
        ("facts", {"revision": odd, "where": {}}),
        ("preview", {"revision": odd, "stroke": stroke}),
        ("preview", {"revision": 0, "stroke": stroke, "sight": [0, odd]}),
    ):
        answer = anna.call("post", f"takes/{take}/{path}", body)
        assert answer.status_code == 422, (path, answer.content)
        assert answer.json()["detail"].endswith(".")
