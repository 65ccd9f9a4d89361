"""The server as it runs: slow senders, a database that goes and comes back, links that sign in."""

import socket
import time
from contextlib import ExitStack
from urllib.parse import urlsplit

import pytest
from django.contrib.auth.models import User
from django.db import connection
from playwright.sync_api import Browser, Page, expect

from studio.signing_in import link_token

HALF_SENT = [
    b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 500\r\n\r\n{",
    b"GET /api/me HTTP/1.1\r\nHost: 127.0.0.1\r\n",
    b"POST /api/takes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=b\r\n"
    b"Content-Length: 100000000\r\n\r\n--b\r\n",
]


def test_half_sent_requests_hold_up_nobody(page: Page, address: str) -> None:
    place = urlsplit(address)
    with ExitStack() as open_:
        for number in range(60):
            line = open_.enter_context(socket.create_connection((place.hostname, place.port)))
            line.sendall(HALF_SENT[number % len(HALF_SENT)])
        begun = time.monotonic()
        for _ in range(5):
            assert page.request.get("/api/me").ok
        assert time.monotonic() - begun < 5


LONG = (
    b"POST /api/takes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=b\r\n%b\r\n\r\n--b\r\n"
)


@pytest.mark.parametrize("said", [b"Content-Length: 100000000", b"Transfer-Encoding: chunked"])
@pytest.mark.parametrize("cookie", [b"", b"\r\nCookie: sessionid=0123456789abcdef0123456789abcdef"])
def test_what_strangers_send_is_not_read(address: str, said: bytes, cookie: bytes, db: None) -> None:
    place = urlsplit(address)
    with socket.create_connection((place.hostname, place.port), timeout=10) as line:
        # Nothing of the body has come but its first line, and the answer is there.
        line.sendall(LONG % (said + cookie))
        answer = b""
        while more := line.recv(65536):
            answer += more
    assert answer.startswith(b"HTTP/1.1 401")
    assert b'{"detail": "You are signed out. Sign in to go on."}' in answer


def test_when_the_database_has_come_back_nothing_fails(page: Page) -> None:
    for _ in range(20):
        assert page.request.get("/api/me").ok
    with connection.cursor() as cursor:
        cursor.execute(
            "select count(pg_terminate_backend(pid, 5000)) from pg_stat_activity "
            "where datname = current_database() and pid <> pg_backend_pid()"
        )
        assert cursor.fetchone()[0] > 0
    for _ in range(20):
        answer = page.request.get("/api/me")
        assert answer.ok, answer.text()


def test_a_link_works_once_and_says_so(browser: Browser, page: Page, address: str, player: User) -> None:
    player.refresh_from_db()
    link = f"/enter/{link_token(player)}"
    other = browser.new_context(base_url=address).new_page()
    other.goto(link)
    other.wait_for_url("/")
    expect(other.get_by_role("heading", level=1)).to_be_visible()
    third = browser.new_context(base_url=address).new_page()
    third.goto(link)
    expect(third.get_by_role("alert")).to_contain_text("was used before, has expired or was cut off")


def test_a_link_asks_before_it_signs_another_player_out(page: Page) -> None:
    bert = User.objects.create_user("bert")
    page.goto(f"/enter/{link_token(bert)}")
    expect(page.get_by_text("You are signed in as anna")).to_be_visible()
    assert page.request.get("/api/me").json() == {"name": "anna"}
    page.get_by_role("link", name="Stay signed in as anna").click()
    page.wait_for_url("/")
    page.go_back()
    page.get_by_role("button", name="Sign in by the link").click()
    page.wait_for_url("/")
    assert page.request.get("/api/me").json() == {"name": "bert"}
