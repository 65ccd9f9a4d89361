"""What `./lull bench --harm` does to all of Lull beside kills.

A disk that is full, a database without a connection left, everybody signing in at once, and what of somebody who asks
for nothing but large files is asked for.
"""

import contextlib
import http.client
import itertools
import json
import os
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import psycopg

from bench.client import Answer, Player

DISK = "48m"
FULL_FOR = 6.0
SIGN_INS = 12
LONGEST_SIGN_IN = 60.0
HEAVY = ("page/pdf?count=64", "page/musicxml", "page/svg?count=64", "file?kind=clip", "file?kind=mpe", "sheet", "file")


@contextlib.contextmanager
def small_disk() -> Iterator[Path | None]:
    """A folder on a disk of its own that is soon full; None where none can be made (only root can)."""
    with TemporaryDirectory() as folder:
        made = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={DISK}", "tmpfs", folder], capture_output=True)
        try:
            yield Path(folder) if made.returncode == 0 else None
        finally:
            if made.returncode == 0:
                subprocess.run(["umount", "--lazy", folder], check=False)


def filled(folder: Path, sends: bytes, player: Player, over: threading.Event) -> list[tuple[str, Answer]]:
    """Fill a disk, send a large file meanwhile, and one when there is room again: what was answered."""
    filler = folder / "filler"
    # It may be full already.
    with contextlib.suppress(OSError), filler.open("wb") as file:
        while True:
            file.write(bytes(65_536))
            file.flush()
    full = player.file("/api/takes", sends, "no room.mid")
    over.wait(FULL_FOR)
    filler.unlink(missing_ok=True)
    return [("full disk", full), ("room again", player.file("/api/takes", sends, "room again.mid"))]


def used_up(url: str, over: threading.Event, seconds: float = 4.0) -> int:
    """Take every connection that the database has left, and hold them: how many there were."""
    held: list[psycopg.Connection] = []
    try:
        with contextlib.suppress(psycopg.Error):
            while len(held) < 1_000:
                held.append(psycopg.connect(url, connect_timeout=5))
        over.wait(seconds)
    finally:
        for one in held:
            with contextlib.suppress(psycopg.Error):
                one.close()
    return len(held)


class Known:
    """A browser on which a name has signed in before."""

    def __init__(self, port: int, name: str, password: str) -> None:
        self._port, self._name, self._password = port, name, password
        self._known = ""

    def sign_in(self) -> tuple[int, float]:
        """The status in the end, and the seconds until then: it asks again as the page does."""
        begun = time.perf_counter()
        for _ in itertools.count():
            status, again = self._asked()
            taken = time.perf_counter() - begun
            if status == 200 or taken > LONGEST_SIGN_IN:
                return status, taken
            time.sleep(again)
        raise AssertionError

    def _asked(self) -> tuple[int, float]:
        line = http.client.HTTPConnection("127.0.0.1", self._port, timeout=30)
        token = "b" * 32
        try:
            line.request(
                "POST",
                "/api/session",
                json.dumps({"name": self._name, "password": self._password}),
                {
                    "Content-Type": "application/json",
                    "X-CSRFToken": token,
                    "Cookie": f"csrftoken={token}; lull_known={self._known}",
                },
            )
            answer = line.getresponse()
            answer.read()
            for name, value in answer.getheaders():
                if name.lower() == "set-cookie" and value.startswith("lull_known="):
                    self._known = value.partition("=")[2].partition(";")[0]
            return answer.status, float(answer.headers.get("Retry-After") or 0.5)
        except (OSError, http.client.HTTPException):
            return 0, 0.5
        finally:
            line.close()


def all_at_once(browsers: list[Known]) -> list[tuple[int, float]]:
    """Everybody signs in at the same moment."""
    told: list[tuple[int, float]] = []
    threads = [threading.Thread(target=lambda one=one: told.append(one.sign_in())) for one in browsers]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return told


def spool_of(folder: Path | None) -> dict[str, str]:
    """What Lull is told of it."""
    return {**os.environ, "LULL_SPOOL": str(folder)} if folder else dict(os.environ)
