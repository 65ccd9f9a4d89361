"""Probes, what is written down of requests, and what browsers are told to allow."""

import logging
import re
from typing import Any

import pytest
from django.test import Client

from studio.services.folding import cache
from tests.studio.conftest import Caller


@pytest.mark.django_db
def test_probes_answer_whatever_the_host_is_called(
    settings: Any, tmp_path: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    client = Client(headers={"host": "nobody.example.org"})
    assert client.get("/health").content == b"alive\n"
    settings.STATIC_ROOT = tmp_path
    assert client.get("/ready").status_code == 503
    (tmp_path / "index.html").write_text("built")
    assert re.fullmatch(rb"ready\nspool: [\d,]+ MiB free, [\d,]+ MiB wait\n", client.get("/ready").content)
    # A folder that cannot be written: it is said, and everything else goes on.
    settings.SPOOL = tmp_path / "index.html"
    told = client.get("/ready")
    assert (told.status_code, b"cannot be written" in told.content) == (200, True)

    def away(*_: object) -> None:
        from django.db import OperationalError

        raise OperationalError

    monkeypatch.setattr("django.db.backends.utils.CursorWrapper.execute", away)
    response = client.get("/ready")
    assert (response.status_code, response.content) == (503, b"the database does not answer\n")
    assert client.get("/health").status_code == 200


def test_metrics_are_for_those_who_know_the_token(anna: Caller, settings: Any) -> None:
    take = anna.add()
    anna.get(f"takes/{take}/view")
    for token, given in (("", ""), ("", "Bearer "), ("secret", ""), ("secret", "Bearer other"), ("secret", "secret")):
        settings.METRICS_TOKEN = token
        assert anna.client.get("/metrics", headers={"authorization": given}).status_code == 404
    told = anna.client.get("/metrics", headers={"authorization": "Bearer secret"})
    assert told["Content-Type"].startswith("text/plain")
    lines = dict(line.rsplit(" ", 1) for line in told.content.decode().splitlines() if not line.startswith("#"))
    assert float(lines['lull_answers_total{kind="view",status="200"}']) >= 1
    assert float(lines['lull_answer_seconds_count{kind="view"}']) >= 1
    assert float(lines["lull_shaped_takes"]) == cache.held()[0] >= 1
    assert float(lines["lull_shaped_bytes"]) > 0
    assert not any(take in line for line in lines)


def test_each_request_is_a_line_with_id_account_and_duration(anna: Caller, caplog: pytest.LogCaptureFixture) -> None:
    with caplog.at_level(logging.INFO, "lull.requests"):
        answer = anna.call("get", "takes")
        Client().get("/sign-in")
        Client().get("/no\nsuch%0aplace")
    line = next(one for one in caplog.messages if " /api/takes " in one)
    found = re.fullmatch(r"([0-9a-f]{12}) GET /api/takes 200 \d+ ms account=(\d+)", line)
    assert found and (found[1], int(found[2])) == (answer["X-Request-ID"], anna.user.pk)
    assert any(one.endswith("account=-") for one in caplog.messages)
    # Whatever is asked for, it is one line.
    assert all("\n" not in one for one in caplog.messages)


@pytest.mark.parametrize("path", ["/sign-in", "/api/me", "/no-such-place", "/api/no-such-place"])
@pytest.mark.django_db
def test_no_script_is_run_that_does_not_ship(path: str) -> None:
    answer = Client().get(path)
    policy = dict(part.split(" ", 1) for part in answer["Content-Security-Policy"].split("; "))
    assert policy["default-src"] == "'none'"
    assert policy["script-src"] == "'self' 'wasm-unsafe-eval'"
    assert policy["frame-ancestors"] == "'none'"
    assert "microphone=()" in answer["Permissions-Policy"]
    assert "midi=(self)" in answer["Permissions-Policy"]
    assert answer["X-Frame-Options"] == "DENY"
