"""Mail: a link where the password is forgotten, an address that shows to be its account's, and invitations."""

import re
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core import mail as outgoing
from django.db import connection
from django.test import Client
from procrastinate.contrib.django.models import ProcrastinateJob

from studio.services import mail
from studio.tasks import send
from tests.studio.conftest import Caller

NEW = "quite another one, and longer"
FORGOTTEN = "If there is such an account, and it has a mail address, a link is on its way there."
Mails = list[outgoing.EmailMessage]


def sent() -> Mails:
    """What a worker sends of what waits."""
    outgoing.outbox.clear()
    for job in ProcrastinateJob.objects.filter(task_name="studio.mail").order_by("id"):
        send.func(**job.args)
    # The queue's own rows are not Django's to delete.
    with connection.cursor() as cursor:
        cursor.execute("delete from procrastinate_jobs where task_name = 'studio.mail'")
    return list(outgoing.outbox)


def link(message: outgoing.EmailMessage) -> str:
    found = re.search(r"http://testserver(/\S+)", str(message.body))
    assert found
    return found[1]


def asked(client: Client, path: str, body: dict[str, object]) -> Any:
    return client.post(f"/api/{path}", body, content_type="application/json")


def test_an_address_is_an_accounts_once_it_has_shown_to_be(anna: Caller) -> None:
    wrong = anna.call("post", "me/mail", {"mail": "anna@example.org", "password": "not this one"})
    assert (wrong.status_code, wrong.json()["field"]) == (422, "password")
    none = anna.call("post", "me/mail", {"mail": "anna at home", "password": "a long enough one"})
    assert (none.status_code, none.json()["field"]) == (422, "mail")
    assert (
        anna.call("post", "me/mail", {"mail": " anna@example.org ", "password": "a long enough one"}).status_code == 202
    )
    (message,) = sent()
    assert message.to == ["anna@example.org"]
    assert anna.get("me/account") == {"name": "anna", "mail": "", "can_mail": True, "needs_password": True}
    # To look at the address changes nothing; what its page asks does.
    token = link(message).rpartition("/")[2]
    assert asked(Client(), "session/mail", {"token": token[:-2]}).status_code == 422
    assert asked(Client(), "session/mail", {"token": token}).json() == {"name": "anna"}
    assert anna.get("me/account")["mail"] == "anna@example.org"
    assert anna.call("delete", "me/mail").status_code == 204
    assert anna.get("me/account")["mail"] == ""


def test_who_has_forgotten_the_password_chooses_another(anna: Caller, bert: Caller) -> None:
    User.objects.filter(pk=anna.user.pk).update(email="anna@example.org")
    for name in ("nobody", "bert", "nobody@example.org"):
        assert asked(Client(), "session/forgotten", {"name": name}).json() == {"says": FORGOTTEN}
    assert sent() == []
    for name in ("Anna", "ANNA@example.org"):
        assert asked(Client(), "session/forgotten", {"name": name}).json() == {"says": FORGOTTEN}
    messages = sent()
    assert [message.to for message in messages] == [["anna@example.org"]] * 2
    client = Client()
    token = link(messages[1]).rpartition("/")[2]
    assert asked(client, "session/link", {"token": token}).status_code == 200
    assert client.get("/api/me/account").json()["needs_password"] is False
    # Neither is it asked for where the address is to be another.
    assert asked(client, "me/mail", {"mail": "anna@example.com"}).status_code == 202
    assert asked(client, "me/password", {"new": NEW}).status_code == 200
    assert User.objects.get(pk=anna.user.pk).check_password(NEW)
    # Once: the next time the password is known.
    assert client.get("/api/me/account").json()["needs_password"] is True
    assert asked(client, "me/password", {"new": "a third one, longer still"}).status_code == 422
    # The other link is spent with the first.
    other = link(messages[0]).rpartition("/")[2]
    assert asked(Client(), "session/link", {"token": other}).status_code == 401


def test_nobody_is_flooded(anna: Caller) -> None:
    User.objects.filter(pk=anna.user.pk).update(email="anna@example.org")
    told = [asked(Client(), "session/forgotten", {"name": "anna"}).status_code for _ in range(12)]
    assert told[:5] == [202] * 5
    assert told[-1] == 429
    assert len(sent()) == told.count(202) < 8


def test_an_invitation_is_sent(anna: Caller) -> None:
    assert anna.call("post", "me/invitations", {"mail": "not one"}).status_code == 422
    assert anna.get("me/invitations") == []
    made = anna.call("post", "me/invitations", {"mail": "clara@example.org"}).json()
    (message,) = sent()
    assert (message.to, message.subject) == (["clara@example.org"], "anna invites you to Lull")
    assert link(message) == f"/invited/{made['token']}"
    assert anna.call("post", "me/invitations", {"mail": ""}).status_code == 201
    assert sent() == []


def test_where_no_mail_is_sent_that_is_said(anna: Caller, settings: Any) -> None:
    settings.CAN_MAIL = False
    assert anna.get("me/account")["can_mail"] is False
    for answer in (
        asked(Client(), "session/forgotten", {"name": "anna"}),
        anna.call("post", "me/mail", {"mail": "anna@example.org", "password": "a long enough one"}),
        anna.call("post", "me/invitations", {"mail": "clara@example.org"}),
    ):
        assert (answer.status_code, answer.json()["detail"]) == (422, mail.NO_MAIL)
    assert anna.call("post", "me/invitations", {}).status_code == 201


@pytest.mark.django_db
def test_a_stale_link_is_told() -> None:
    assert "expired or was cut off" in asked(Client(), "session/mail", {"token": "x"}).json()["detail"]
