"""The application served by waitress, and the worker beside it, each in a process that ends with the launcher."""

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

from launcher.base import ROOT, Trouble
from launcher.postgres import HOST

MOST_BODY_BYTES = 130 * 2**20
# Requests are read whole, however slowly they come, before any thread has to do with them; what stays half sent is
# dropped.
WAITRESS = (
    *("-m", "waitress", "--threads=8", "--connection-limit=2000", "--channel-timeout=20", "--cleanup-interval=5"),
    *(
        "--asyncore-use-poll",
        "--max-request-header-size=65536",
        f"--max-request-body-size={MOST_BODY_BYTES}",
        "--ident=",
    ),
)
CHROMIUM_FLAGS = [
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-background-networking"),
    *("--disable-component-update", "--disable-sync", "--no-first-run"),
]
PATIENCE = 30
"""So many seconds a server that is starting may do nothing at all."""
LONGEST = 600
"""So many it may take where it does something."""
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


def begun(*command: str | Path, cwd: Path = ROOT, env: Mapping[str, str]) -> subprocess.Popen[bytes]:
    """A process that ends with the launcher at the latest."""
    return subprocess.Popen(list(map(str, command)), cwd=cwd, env=env, preexec_fn=_end_with_launcher)


def ended(*processes: subprocess.Popen[bytes], patience: float = 15) -> None:
    """Have processes end, all at a time; those that do not are ended."""
    for one in processes:
        one.terminate()
        one.send_signal(signal.SIGCONT)
    deadline = time.monotonic() + patience
    for one in processes:
        try:
            one.wait(max(deadline - time.monotonic(), 0.1))
        except subprocess.TimeoutExpired:
            one.kill()
            one.wait()


@contextlib.contextmanager
def process(*command: str | Path, cwd: Path = ROOT, env: Mapping[str, str]) -> Iterator[subprocess.Popen[bytes]]:
    """A process for as long as it is needed."""
    started = begun(*command, cwd=cwd, env=env)
    try:
        yield started
    finally:
        ended(started)


def trusting(proxy: str = HOST) -> tuple[str, ...]:
    """Words for waitress: what a proxy says of who has asked, and how; what others say of it is not listened to."""
    return (
        *(f"--trusted-proxy={proxy}", "--trusted-proxy-count=1", "--clear-untrusted-proxy-headers"),
        "--trusted-proxy-headers=x-forwarded-for x-forwarded-proto x-forwarded-host",
    )


def server_words(port: int, more: tuple[str, ...] = (), address: str = HOST) -> tuple[str, ...]:
    """What Python is asked for to serve the application on a port, of loopback where nothing else is said."""
    return (*WAITRESS, *more, f"--listen={address}:{port}", "config.server:application")


def answers(port: int, path: str = "/ready", patience: float = 10) -> bool:
    """Whether a server on a port of loopback answers well (not merely holds the port)."""
    with contextlib.suppress(OSError), urllib.request.urlopen(f"http://{HOST}:{port}{path}", timeout=patience):
        return True
    return False


def worked(pid: int) -> int | None:
    """How much processor time a process has used, in ticks of the system; None where the system does not say."""
    with contextlib.suppress(OSError, ValueError, IndexError):
        # After the name, which may hold anything, in brackets: proc(5).
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        return int(fields[11]) + int(fields[12])
    return None


def await_answer(port: int, running: Callable[[], int | None]) -> None:
    """Until a server answers, however slow the machine is: it is waited for as long as something moves.

    `running` tells its process, None where it has ended. Raises Trouble where it has ended before it answers, or has
    done nothing for a while.
    """
    begin = moved = told = time.monotonic()
    before: int | None = None
    while not answers(port):
        if (pid := running()) is None:
            raise Trouble("The server did not start; see above.")
        now, uses = time.monotonic(), worked(pid)
        if uses != before:
            before, moved = uses, now
        if now - moved > PATIENCE or now - begin > LONGEST:
            raise Trouble(f"The server has not answered for {now - begin:.0f} seconds, and does nothing any more.")
        if now - told > PATIENCE:
            told = now
            print(f"The server is still starting ({now - begin:.0f} seconds so far); the machine is busy.", flush=True)
        time.sleep(0.05)


@contextlib.contextmanager
def serving(port: int, env: Mapping[str, str]) -> Iterator[subprocess.Popen[bytes]]:
    """The application in one process on a port of loopback, from when it answers a request."""
    with process(sys.executable, *server_words(port), env={**MEMORY, **env}) as server:
        await_answer(port, lambda: server.pid if server.poll() is None else None)
        yield server


def working(
    env: Mapping[str, str], python: str | Path = sys.executable, niceness: int = 10
) -> AbstractContextManager[object]:
    """A worker beside it, which gives way to it."""
    return process("nice", "-n", str(niceness), python, "manage.py", "work", env={**MEMORY, **env})
