"""Invitations: for one person, for a week, and nobody is in before they have asked for it."""

from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import Client
from django.utils import timezone

from expression.limits import MOST_INVITATIONS_EACH
from studio.models import Invitation
from tests.studio.conftest import Caller

GOOD = {"name": "clara", "password": "a lamp above the slip"}


def taken(token: str, **other: str) -> Any:
    client = Client()
    client.get("/api/session")
    return client, client.post("/api/session/invitation", {"token": token, **GOOD, **other}, "application/json")


def test_whoever_has_the_link_makes_an_account_once(anna: Caller) -> None:
    made = anna.call("post", "me/invitations", {}).json()
    assert made["token"] not in str(list(Invitation.objects.values()))
    client, answer = taken(made["token"])
    assert (answer.status_code, answer.json()) == (201, {"name": "clara"})
    assert client.get("/api/me").json() == {"name": "clara"}
    assert User.objects.get(username="clara").check_password(GOOD["password"])
    assert anna.get("me/invitations") == []
    _, again = taken(made["token"], name="dora")
    assert (again.status_code, "used before" in again.json()["detail"]) == (422, True)
    assert not User.objects.filter(username="dora").exists()


def test_to_look_at_the_link_spends_nothing(anna: Caller) -> None:
    token = anna.call("post", "me/invitations", {}).json()["token"]
    assert Client().get(f"/invited/{token}").status_code == 200
    assert Client().get("/api/session/invitation").status_code == 405
    assert taken(token)[1].status_code == 201


@pytest.mark.parametrize(
    ("other", "field", "sentence"),
    [
        ({"name": "anna"}, "name", "That name is taken"),
        ({"name": "ANNA"}, "name", "That name is taken"),
        ({"name": ""}, "name", "A name has 1 to 150 letters"),
        ({"name": "a b"}, "name", "A name has 1 to 150 letters"),
        ({"name": "n" * 151}, "name", "A name has 1 to 150 letters"),
        ({"name": "a\0"}, "name", "A name has 1 to 150 letters"),
        ({"password": "short"}, "password", "too short"),
        ({"password": "password123"}, "password", "too common"),
    ],
)
def test_a_name_or_a_password_that_will_not_do_leaves_it_open(
    anna: Caller, other: dict[str, str], field: str, sentence: str
) -> None:
    token = anna.call("post", "me/invitations", {}).json()["token"]
    _, refused = taken(token, **other)
    assert (refused.status_code, refused.json()["field"]) == (422, field)
    assert sentence in refused.json()["detail"]
    assert taken(token)[1].status_code == 201


def test_it_can_be_taken_back_and_does_not_last(anna: Caller, bert: Caller) -> None:
    first, second = (anna.call("post", "me/invitations", {}).json() for _ in range(2))
    assert [one["id"] for one in anna.get("me/invitations")] == [first["id"], second["id"]]
    assert bert.call("delete", f"me/invitations/{first['id']}").status_code == 204
    assert len(anna.get("me/invitations")) == 2
    anna.call("delete", f"me/invitations/{first['id']}")
    assert taken(first["token"])[1].status_code == 422
    Invitation.objects.update(until=timezone.now() - timedelta(seconds=1))
    assert taken(second["token"])[1].status_code == 422
    assert taken("\ud800")[1].status_code == 422


def test_there_are_not_too_many(anna: Caller) -> None:
    for _ in range(MOST_INVITATIONS_EACH):
        assert anna.call("post", "me/invitations", {}).status_code == 201
    assert anna.call("post", "me/invitations", {}).status_code == 422


def test_the_first_player_comes_by_a_link_from_the_command_line(db: None, capsys: pytest.CaptureFixture[str]) -> None:
    call_command("invite", address="https://lull.example.org")
    address, token = capsys.readouterr().out.strip().rsplit("/", 1)
    assert address == "https://lull.example.org/invited"
    assert taken(token)[1].status_code == 201
