"""The application served by waitress: for the demo, the tests, the bench and the pictures alike."""

import contextlib
import ctypes
import signal
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager
from pathlib import Path

from launcher.base import ROOT, Trouble, say
from launcher.postgres import HOST

# One process, so that every thread finds the folded takes in memory. Requests are read whole, however slowly they come,
# before any thread has to do with them; what stays half sent is dropped.
WAITRESS = (
    *("-m", "waitress", "--threads=8", "--connection-limit=1000", "--channel-timeout=20", "--cleanup-interval=5"),
    *("--asyncore-use-poll", "--max-request-header-size=65536", f"--max-request-body-size={130 * 2**20}", "--ident="),
)
TRUSTING = (
    *("--trusted-proxy=127.0.0.1", "--trusted-proxy-count=1", "--clear-untrusted-proxy-headers"),
    "--trusted-proxy-headers=x-forwarded-for x-forwarded-proto x-forwarded-host",
)
"""What a proxy on this machine says of who has asked, and how; what others say of it is not listened to."""
CHROMIUM_FLAGS = [
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking"),
    *("--disable-component-update", "--disable-sync", "--no-first-run"),
]
PATIENCE = 30
SETTLED = 10
"""Seconds after which a server that ends was at least running."""
# Columns of a long take are some hundred KiB each. Memory that was given back to the system is slow to get again, so
# that glibc is asked to keep what it has.
MEMORY = {
    "MALLOC_MMAP_THRESHOLD_": str(128 * 2**20),
    "MALLOC_TRIM_THRESHOLD_": str(256 * 2**20),
    "MALLOC_TOP_PAD_": str(64 * 2**20),
    "MALLOC_ARENA_MAX": "1",
}


def _end_with_launcher() -> None:
    """Have Linux end a process when the launcher goes, however it goes (PR_SET_PDEATHSIG)."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(1, signal.SIGTERM)


@contextlib.contextmanager
def process(*command: str | Path, cwd: Path = ROOT, env: Mapping[str, str]) -> Iterator[subprocess.Popen[bytes]]:
    """A process for as long as it is needed."""
    started = subprocess.Popen(list(map(str, command)), cwd=cwd, env=env, preexec_fn=_end_with_launcher)
    try:
        yield started
    finally:
        started.terminate()
        try:
            started.wait(15)
        except subprocess.TimeoutExpired:
            started.kill()
            started.wait()


@contextlib.contextmanager
def serving(
    port: int, env: Mapping[str, str], python: str | Path = sys.executable, more: tuple[str, ...] = ()
) -> Iterator[subprocess.Popen[bytes]]:
    """The application on a port of loopback, from when it answers a request (not merely holds the port)."""
    words = (*WAITRESS, *more, f"--listen={HOST}:{port}", "config.wsgi:application")
    with process(python, *words, env={**MEMORY, **env}) as server:
        deadline = time.monotonic() + PATIENCE
        while True:
            with contextlib.suppress(OSError), urllib.request.urlopen(f"http://{HOST}:{port}/ready", timeout=10):
                break
            if server.poll() is not None or time.monotonic() > deadline:
                raise Trouble("The server did not start; see above.")
            time.sleep(0.05)
        yield server


def supervised(
    start: Callable[[], AbstractContextManager[subprocess.Popen[bytes]]],
    look_after: Callable[[], None],
    ready: Callable[[], None],
) -> int:
    """Keep a server running until the launcher is stopped: what ends by itself is started again.

    `look_after` is called about every second; `ready` once, as soon as it answers. Raises Trouble where it ends again
    and again as soon as it was started.
    """
    quick = 0
    while True:
        begun = time.monotonic()
        with start() as server:
            ready()
            while server.poll() is None:
                look_after()
                with contextlib.suppress(subprocess.TimeoutExpired):
                    server.wait(1)
        ready = _nothing
        quick = quick + 1 if time.monotonic() - begun < SETTLED else 0
        if quick == 3:
            raise Trouble(f"The server ended by itself three times (exit {server.returncode}); see above.")
        say(f"the server has ended by itself (exit {server.returncode}); starting it again ...")


def _nothing() -> None:
    """What there is to say when it has been said."""
