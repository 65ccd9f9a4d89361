"""An account in its player's hands: another password, every other session ended, all of it deleted, and its limits."""

from typing import Any

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.test import Client

from studio.models import Take
from studio.services import quota
from tests.files import file_of, phrase
from tests.studio.conftest import Caller

OLD, NEW = "a long enough one", "quite another one, and longer"


def elsewhere(player: Caller) -> Client:
    client = Client()
    client.force_login(player.user)
    return client


def test_another_password_signs_out_everywhere_else(anna: Caller) -> None:
    other = elsewhere(anna)
    wrong = anna.call("post", "me/password", {"old": "not this one", "new": NEW})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "old")
    weak = anna.call("post", "me/password", {"old": OLD, "new": "short"})
    assert weak.status_code == 422 and "too short" in weak.json()["detail"]
    assert other.get("/api/me").status_code == 200
    assert anna.call("post", "me/password", {"old": OLD, "new": NEW}).status_code == 200
    assert anna.call("get", "me").status_code == 200
    assert other.get("/api/me").status_code == 401
    assert User.objects.get(pk=anna.user.pk).check_password(NEW)


def test_who_signed_in_by_a_link_sets_a_first_password(anna: Caller) -> None:
    anna.user.set_unusable_password()
    anna.user.save()
    anna.client.force_login(anna.user)
    assert anna.call("post", "me/password", {"new": NEW}).status_code == 200
    assert User.objects.get(pk=anna.user.pk).check_password(NEW)


def test_every_other_session_is_ended_and_nobody_elses(anna: Caller, bert: Caller) -> None:
    others = [elsewhere(anna) for _ in range(2)]
    assert anna.call("post", "me/end-others").json() == {"sessions": 2}
    assert [client.get("/api/me").status_code for client in others] == [401, 401]
    assert anna.call("get", "me").status_code == bert.call("get", "me").status_code == 200
    assert anna.call("post", "me/end-others").json() == {"sessions": 0}


def test_an_account_is_deleted_with_everything_in_it(anna: Caller, bert: Caller) -> None:
    anna.add()
    kept = bert.add()
    assert anna.call("post", "me/delete", {"name": "Anna?"}).status_code == 422
    assert Take.objects.count() == 2
    assert anna.call("post", "me/delete", {"name": "anna"}).status_code == 204
    assert [str(take.pk) for take in Take.objects.all()] == [kept]
    assert not User.objects.filter(username="anna").exists()
    assert anna.client.get("/api/me").status_code == 401
    assert Session.objects.count() == 1


@pytest.mark.parametrize("path", ["me/password", "me/end-others", "me/delete"])
def test_signed_out_nothing_is_changed(anna: Caller, path: str) -> None:
    anna.client.logout()
    assert anna.call("post", path, {"new": NEW, "name": "anna"}).status_code == 401
    assert User.objects.get(pk=anna.user.pk).check_password(OLD)


def test_an_account_keeps_so_many_takes_and_bytes_and_no_more(anna: Caller, bert: Caller, monkeypatch: Any) -> None:
    data = file_of(phrase([64] * 5))
    monkeypatch.setattr(quota, "MOST_TAKES_EACH", 2)
    first = anna.add(data)
    anna.add(data)
    full = anna.upload(data)
    assert (full.status_code, "which is the most" in full.json()["detail"]) == (422, True)
    # What another has does not count; what is deleted makes room for a take, but weighs what it did.
    bert.add(data)
    anna.call("delete", f"takes/{first}")
    anna.add(data)
    monkeypatch.setattr(quota, "MOST_TAKES_EACH", 99)
    monkeypatch.setattr(quota, "MOST_BYTES_EACH", 3 * len(data) + 1)
    heavy = anna.upload(data)
    assert (heavy.status_code, "30 days" in heavy.json()["detail"]) == (422, True)
    assert Take.objects.filter(owner=anna.user).count() == 3
