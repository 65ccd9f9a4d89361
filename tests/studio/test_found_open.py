"""What stood open: guesses at passwords, one impossible date, a disk that is full, links in logs."""

import errno
import io
import json
import logging
import threading
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from django.contrib.auth.models import User
from django.test import Client

from studio import signing_in
from studio.models import Job
from studio.services import archives, jobs, places, spool
from studio.services.archives import StepTold, TakeTold
from studio.uploads import BoundedUpload
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

RIGHT = "a long enough one"


def sign_in(client: Client, name: str, password: str, address: str = "10.0.0.1") -> Any:
    body = json.dumps({"name": name, "password": password})
    return client.post("/api/session", body, content_type="application/json", REMOTE_ADDR=address)


def test_a_whole_school_is_not_locked_out_by_one_who_guesses(db: None) -> None:
    for name in ("anna", "bert"):
        User.objects.create_user(name, password=RIGHT)
    known = Client()
    assert sign_in(known, "anna", RIGHT).status_code == 200
    known.post("/sign-out")
    for number in range(24):
        sign_in(Client(), f"nobody {number}", "wrong")
    assert sign_in(Client(), "bert", RIGHT).status_code == 429
    # From a browser on which she has signed in before, the right password passes; there her own guesses count alone.
    assert sign_in(known, "anna", RIGHT).status_code == 200
    # The cookie says nothing of other names, and not what they are.
    cookie = known.cookies[signing_in.KNOWN]
    assert "anna" not in cookie.value
    assert cookie["httponly"]
    other = Client()
    other.cookies[signing_in.KNOWN] = cookie.value
    assert sign_in(other, "bert", RIGHT).status_code == 429
    forged = Client()
    forged.cookies[signing_in.KNOWN] = cookie.value[:-2] + "xx"
    assert sign_in(forged, "anna", RIGHT).status_code == 429


def test_guesses_from_a_known_browser_are_slowed_down_too(db: None) -> None:
    User.objects.create_user("anna", password=RIGHT)
    known = Client()
    assert sign_in(known, "anna", RIGHT).status_code == 200
    told = [sign_in(known, "anna", "wrong").status_code for _ in range(8)]
    assert 429 in told


def test_the_present_password_cannot_be_guessed_without_end(anna: Caller) -> None:
    body = {"old": "wrong", "new": "another long one"}
    told = [anna.call("post", "me/password", body).status_code for _ in range(10)]
    assert set(told[:5]) == {422}
    assert told[-1] == 429
    assert anna.call("post", "me/password", {"old": RIGHT, "new": "another long one"}).status_code == 429


def test_who_comes_while_another_is_checked_waits_and_more_are_told_to_ask_again(
    db: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    User.objects.create_user("anna", password=RIGHT)
    monkeypatch.setattr(signing_in, "QUEUE_SECONDS", 0.05)
    with signing_in.CHECKING:
        answer = sign_in(Client(), "anna", RIGHT)
    assert (answer.status_code, answer["Retry-After"]) == (429, "1")
    monkeypatch.setattr(signing_in, "QUEUE_SECONDS", 5.0)
    signing_in.CHECKING.acquire()
    threading.Timer(0.2, signing_in.CHECKING.release).start()
    assert sign_in(Client(), "anna", RIGHT).status_code == 200


@pytest.mark.parametrize("date", ["0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00", "yesterday", "", 7, None])
def test_an_impossible_date_is_told_as_none(date: Any) -> None:
    step = StepTold.model_validate({"number": 1, "stroke": {}, "made_at": date})
    assert step.made_at is None
    assert TakeTold.model_validate({"name": "x", "added_at": date, "steps": [], "done": 0}).added_at is None
    fine = StepTold.model_validate({"number": 1, "stroke": {}, "made_at": "2026-03-04T05:06:07Z"})
    assert fine.made_at is not None


def test_what_did_not_fit_on_the_disk_is_gone_again() -> None:
    upload = BoundedUpload(None)
    upload.handle_raw_input()
    upload.new_file("file", "a.mid", "audio/midi", 0, None, None)
    upload.receive_data_chunk(b"x" * 200_000, 0)
    held = upload._file
    with (
        mock.patch.object(held.file, "write", side_effect=OSError(errno.ENOSPC, "No space left on device")),
        pytest.raises(OSError, match="No space"),
    ):
        upload.receive_data_chunk(b"x" * 200_000, 200_000)
    assert held.closed


@pytest.mark.parametrize(
    ("code", "says"),
    [(errno.ENOSPC, places.NO_ROOM), (errno.EROFS, places.READ_ONLY), (errno.EACCES, places.READ_ONLY)],
)
def test_a_disk_that_takes_nothing_is_told_in_a_sentence(anna: Caller, code: int, says: str) -> None:
    anna.client.raise_request_exception = False
    big = file_of(phrase([64] * 30_000))
    with mock.patch.object(spool, "keep", side_effect=OSError(code, "not today")):
        answer = anna.client.post("/api/takes", {"file": io.BytesIO(big)})
    assert (answer.status_code, answer.json()["detail"]) == (503, says)
    assert not Job.objects.exists()


def test_an_archive_that_did_not_fit_leaves_nothing_and_says_why(anna: Caller) -> None:
    def half(_: object, target: Path, progress: object) -> None:
        target.write_bytes(b"half of it")
        raise OSError(errno.ENOSPC, "No space left on device")

    job = jobs.export(anna.user)
    with mock.patch.object(archives, "write", half):
        jobs.work(job.pk)
    job.refresh_from_db()
    assert (job.state, job.says) == (Job.State.REFUSED, places.NO_ROOM)
    assert spool.read(job.pk) is None


def test_links_are_not_written_down_and_answers_are_kept_by_nobody(
    anna: Caller, caplog: pytest.LogCaptureFixture
) -> None:
    with caplog.at_level(logging.INFO, "lull.requests"):
        anna.client.get("/enter/1-secret-token")
        anna.client.get("/invited/another-secret")
    assert "secret" not in caplog.text
    assert "/enter/" in caplog.text
    answer = anna.call("get", "me")
    assert answer["Cache-Control"] == "no-store"
    assert "Cookie" in answer["Vary"]
