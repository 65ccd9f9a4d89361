"""What whoever runs Lull has: commands for accounts, and Django's admin where it is asked for."""

import os
import subprocess
import sys
from io import StringIO

import pytest
from django.contrib.auth.models import User
from django.core.management import CommandError, call_command
from django.test import Client

from studio.models import Take
from tests.files import file_of, phrase
from tests.launcher.test_backup import SECRET
from tests.studio.conftest import Caller


def told(*words: str) -> str:
    out = StringIO()
    call_command("accounts", *words, stdout=out)
    return out.getvalue()


def test_accounts_are_listed_with_what_they_keep(anna: Caller, bert: Caller) -> None:
    anna.add()
    User.objects.filter(pk=bert.user.pk).update(is_active=False, email="bert@example.org")
    lines = [line.split() for line in told("list").splitlines()]
    assert [line[0] for line in lines] == ["name", "anna", "bert"]
    assert lines[1][1] == "open" and lines[1][-3] == "1"
    assert lines[2][1] == "disabled" and lines[2][-1] == "bert@example.org"
    assert [line.split()[0] for line in told("list", "--disabled").splitlines()] == ["name", "bert"]


def test_an_account_is_shut_and_opened_again(anna: Caller) -> None:
    assert anna.client.get("/api/me").status_code == 200
    assert "anna is disabled. 1 sessions ended." in told("disable", "anna")
    assert anna.client.get("/api/me").status_code == 401
    credentials = {"name": "anna", "password": "a long enough one"}
    assert Client().post("/api/session", credentials, content_type="application/json").status_code == 401
    assert "anna is enabled." in told("enable", "anna")
    assert Client().post("/api/session", credentials, content_type="application/json").status_code == 200


def test_a_player_is_let_in_again(anna: Caller) -> None:
    link = told("reset", "anna", "--address", "https://lull.example.org").strip()
    assert link.startswith("https://lull.example.org/enter/")
    client = Client()
    token = {"token": link.rpartition("/")[2]}
    assert client.post("/api/session/link", token, content_type="application/json").status_code == 200
    new = {"new": "quite another one, and longer"}
    assert client.post("/api/me/password", new, content_type="application/json").status_code == 200


def test_an_account_has_more_or_less_room_than_others(anna: Caller, bert: Caller) -> None:
    assert "of 1e-05 GiB" in told("room", "anna", "0.00001")
    full = anna.upload(file_of(phrase([64] * 3_000)))
    assert (full.status_code, "1e-05 GiB, which is the most" in full.json()["detail"]) == (422, True)
    assert bert.upload(file_of(phrase([64] * 3_000))).status_code == 201
    told("room", "anna", "0")
    assert anna.upload(file_of(phrase([64] * 3_000))).status_code == 201
    with pytest.raises(CommandError, match="up to 1000 GiB"):
        told("room", "anna", "-1")


def test_an_account_goes_when_its_name_is_told_twice(anna: Caller) -> None:
    anna.add()
    with pytest.raises(CommandError, match="nothing was deleted"):
        told("delete", "anna", "ana")
    assert "anna is gone" in told("delete", "anna", "anna")
    assert (User.objects.count(), Take.objects.count()) == (0, 0)
    with pytest.raises(CommandError, match="There is no account anna"):
        told("disable", "anna")


ADMIN = """
import django
from django.conf import settings
django.setup()
from django.test import Client
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test.utils import setup_test_environment
from django.db import connection, transaction
setup_test_environment()
call_command("migrate", verbosity=0)
print(Client().get("/keeper/").status_code, Client().get("/static/admin/css/base.css").status_code)
with transaction.atomic():
    keeper = User.objects.create_superuser("keeper of the admin", password="a long enough one")
    client = Client()
    client.force_login(keeper)
    ours = ("studio/room/add/", "studio/job/", "studio/invitation/", "studio/signintrouble/")
    for page in ("", "auth/user/", "auth/user/add/", *ours):
        print(page, client.get(f"/keeper/{page}").status_code)
    player = Client()
    player.force_login(User.objects.create_user("a player"))
    print("player", player.get("/keeper/auth/user/").status_code)
    transaction.set_rollback(True)
"""


@pytest.mark.django_db(transaction=True)
def test_the_admin_is_where_it_is_asked_for_and_nowhere_else() -> None:
    from django.db import connection

    assert Client().get("/keeper/").status_code == 404
    url = "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**connection.settings_dict)
    more = {
        "DATABASE_URL": url,
        "DJANGO_SETTINGS_MODULE": "tests.settings",
        "LULL_SECRET_KEY": SECRET,
        "LULL_ADMIN": "keeper",
    }
    run = subprocess.run([sys.executable, "-c", ADMIN], env={**os.environ, **more}, capture_output=True, text=True)
    assert run.returncode == 0, run.stderr
    first, *pages, player = run.stdout.splitlines()
    assert first == "302 200"
    assert len(pages) == 7
    assert {line.split()[-1] for line in pages} == {"200"}
    assert player == "player 302"
    with connection.cursor() as cursor:
        cursor.execute("drop table django_admin_log; delete from django_migrations where app = 'admin'")
        ours = "select id from django_content_type where app_label = 'admin'"
        cursor.execute(f"delete from auth_permission where content_type_id in ({ours})")
        cursor.execute("delete from django_content_type where app_label = 'admin'")
