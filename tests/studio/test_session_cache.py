"""Whoever was signed in a moment ago and is no longer is not let in, however well known the session was."""

from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import connection
from django.test import Client
from django.utils import timezone

from tests.studio.conftest import Caller


def ask(anna: Caller) -> int:
    return int(anna.call("get", "me").status_code)


@pytest.mark.parametrize(
    "end",
    [
        lambda user: Session.objects.all().delete(),
        lambda user: Session.objects.update(expire_date=timezone.now() - timedelta(seconds=1)),
        lambda user: Session.objects.update(session_data="other"),
        lambda user: User.objects.filter(pk=user.pk).update(is_active=False),
        lambda user: User.objects.filter(pk=user.pk).update(password="other"),
        lambda user: User.objects.filter(pk=user.pk).delete(),
    ],
    ids=["ended", "expired", "changed", "locked", "another password", "gone"],
)
def test_a_session_that_is_none_any_more(anna: Caller, end: Any) -> None:
    for _ in range(3):
        assert ask(anna) == 200
    end(anna.user)
    assert [ask(anna) for _ in range(2)] == [401, 401]


def test_known_sessions_cost_one_query(anna: Caller, django_assert_num_queries: Any) -> None:
    ask(anna)
    with django_assert_num_queries(1):
        assert anna.get("me") == {"name": "anna"}


def test_players_are_not_taken_for_each_other(anna: Caller, bert: Caller) -> None:
    for _ in range(3):
        assert [one.get("me")["name"] for one in (anna, bert)] == ["anna", "bert"]
    User.objects.filter(pk=anna.user.pk).update(username="clara")
    assert anna.get("me") == {"name": "clara"}


def test_another_who_signs_in_with_the_same_browser(anna: Caller, bert: Caller) -> None:
    ask(anna)
    anna.client.force_login(bert.user)
    assert anna.get("me") == {"name": "bert"}


@pytest.mark.parametrize("key", ["", "x", "x" * 5_000, "\xe9", "a\x7f", "%00"])
def test_keys_of_no_session(db: None, key: str) -> None:
    client = Client()
    client.cookies["sessionid"] = key
    assert client.get("/api/me").status_code == 401


@pytest.mark.django_db(transaction=True)
def test_a_connection_that_was_cut_is_noticed_without_a_question(anna: Caller) -> None:
    ask(anna)
    assert connection.is_usable()
    with connection.cursor() as cursor:
        cursor.execute("select pg_backend_pid()")
        pid = cursor.fetchone()[0]
    aside = connection.copy()
    try:
        with aside.cursor() as cursor:
            cursor.execute("select pg_terminate_backend(%s, 5000)", [pid])
    finally:
        aside.close()
    assert not connection.is_usable()
    connection.close()
    assert connection.is_usable() is False  # There is none yet.
    assert ask(anna) == 200
    assert connection.is_usable()
