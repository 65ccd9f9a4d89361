"""All that serves Lull, as it is served: two processes behind a proxy, a worker; and what is killed comes back."""

import os
import re
import signal
import threading
import time
from collections.abc import Callable, Iterator

import pytest
from django.contrib.auth.models import User
from django.db import connection

from bench.client import Player, session
from bench.performance import performance
from launcher import fleet
from launcher.base import PYTHON
from launcher.postgres import free_port
from launcher.supervision import Supervisor, supervised
from studio.services import takes
from tests.files import file_of, phrase

TOKEN = "only the test knows"
NUDGE = {"kind": "velocity.nudge", "by": 3}


class Fleet:
    """A fleet that runs, and a player of it."""

    def __init__(self, port: int, supervisor: Supervisor) -> None:
        self.port, self.supervisor = port, supervisor
        self.user = User.objects.create_user("anna")
        self.player = Player(port, session(self.user))

    def pid(self, name: str) -> int | None:
        return self.supervisor.pid(next(one for one in self.supervisor.members if one.name == name))

    def kill(self, name: str) -> int:
        pid = self.pid(name)
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        return pid

    def take(self, number: int) -> str:
        return str(takes.add(self.user, f"{number}.mid", file_of(phrase([60 + number] * 5))).pk)

    def preview(self, take: str) -> int:
        return self.player.call("POST", f"/api/takes/{take}/preview", {"revision": 0, "stroke": NUDGE}).status

    def metrics(self) -> dict[str, float]:
        import urllib.request

        asked = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/metrics", headers={"Authorization": f"Bearer {TOKEN}"}
        )
        with urllib.request.urlopen(asked, timeout=10) as answer:
            told = answer.read().decode()
        return {name: float(value) for name, value in re.findall(r"^(lull_[^ ]+) ([\d.e+]+)$", told, re.MULTILINE)}

    def until(self, ready: Callable[[], bool], seconds: float = 30) -> float:
        begun = time.monotonic()
        while not ready():
            assert time.monotonic() - begun < seconds
            time.sleep(0.05)
        return time.monotonic() - begun


@pytest.fixture
def running(transactional_db: None, monkeypatch: pytest.MonkeyPatch) -> Iterator[Fleet]:
    monkeypatch.setenv("LULL_PROCESSES", "2")
    url = "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**connection.settings_dict)
    given = {"DATABASE_URL": url, "DJANGO_SETTINGS_MODULE": "tests.settings", "LULL_METRICS_TOKEN": TOKEN}
    port = free_port()
    members = fleet.fleet(port, PYTHON)
    with supervised(members, fleet.environment(port, {**os.environ, **given})) as supervisor:
        yield Fleet(port, supervisor)


def test_takes_are_at_home_in_one_process_and_what_is_killed_comes_back(running: Fleet) -> None:
    mine = [running.take(number) for number in range(12)]
    for _ in range(3):
        assert [running.preview(take) for take in mine] == [200] * 12
    told = running.metrics()
    # Each in one of the processes, whichever connection it was asked on; and all of them tell of themselves.
    assert told["lull_shaped_takes"] == 12
    assert told['lull_answers_total{kind="preview",status="200"}'] == 36

    # One server less: its takes are taken up by the other, at once.
    gone = running.kill("server 1")
    running.player.leave()
    assert running.until(lambda: [running.preview(take) for take in mine] == [200] * 12) < 3
    running.until(lambda: running.pid("server 1") not in (None, gone))

    # A large file is read by the worker; killed while it does, another one does it again.
    sent = running.player.file("/api/takes", performance(20_000, 4_000), "A long night.mid")
    assert sent.status == 202
    running.kill("the quick worker")
    number = sent.json["id"]

    def is_read() -> bool:
        asked = running.player.call("GET", f"/api/jobs/{number}")
        return asked.status == 200 and asked.json["state"] == "done"

    running.until(is_read, 60)
    names = [card["name"] for card in running.player.call("GET", "/api/takes").json]
    assert names.count("A long night") == 1

    # Without the proxy nobody is reached, and a moment later everybody.
    running.kill("the proxy")
    running.until(lambda: running.preview(mine[0]) == 200)


def test_what_is_larger_than_anything_read_is_refused_unread(running: Fleet) -> None:
    answer = running.player.send("POST", "/api/takes", b"x" * (131 * 2**20), "multipart/form-data; boundary=b")
    assert answer.status in (0, 413)  # The proxy answers before all of it was sent, which a client may not listen for.
    assert running.player.call("GET", "/api/me").json == {"name": "anna"}


def test_one_who_asks_for_many_large_files_stops_nobody(running: Fleet) -> None:
    take = str(takes.add(running.user, "Long.mid", performance(6_000, 2_000)).pk)
    other = User.objects.create_user("bert")
    bert, small = Player(running.port, session(other)), running.take(1)
    assert running.preview(small) == 200
    before = running.supervisor.pids()
    over = threading.Event()
    told: list[int] = []

    def ask() -> None:
        player = Player(running.port, session(running.user))
        while not over.is_set():
            told.append(player.call("GET", f"/api/takes/{take}/page/pdf?count=16").status)

    greedy = [threading.Thread(target=ask) for _ in range(9)]
    for one in greedy:
        one.start()
    try:
        slowest, until = 0.0, time.monotonic() + 12
        while time.monotonic() < until:
            begun = time.monotonic()
            assert bert.call("GET", "/api/me").json == {"name": "bert"}
            slowest = max(slowest, time.monotonic() - begun)
            time.sleep(0.02)
    finally:
        over.set()
        for one in greedy:
            one.join(60)
    # Nobody was marked down, cut off or started again; and nobody else had to wait for them.
    assert slowest < 5
    assert set(told) <= {200, 503}
    assert running.preview(small) == 200
    assert running.supervisor.pids() == before
