"""All that serves Lull: as many processes as there are cores, a proxy before them, a worker; each looked after.

Each take is at home in one of the processes: the proxy (HAProxy, where it is on this machine) sends whatever is asked
about a take to the same one, so that it is kept in memory once. Without a proxy there is one process.
"""

import os
import resource
import shutil
import subprocess
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from launcher.base import STATE, say
from launcher.postgres import HOST, free_port
from launcher.serving import MEMORY, MOST_BODY_BYTES, answers, await_answer, begun, ended, server_words

MOST_PROCESSES = 8
SETTLED = 10
"""Seconds after which a process that ends was at least running."""
FREE_ENDS, LONGEST_REST = 3, 15
"""What ends again and again as soon as it was started rests before the next start: longer each time, up to so many
seconds. It is never given up: what it misses (a database, say) may come back."""
LOOK = 0.2
"""Seconds between two looks whether all of them are there."""
BETWEEN_LOOKS = 5
"""Seconds between two questions to a process whether it lives."""
LONGEST_SILENCE = 45
"""Seconds after which one that does not answer is ended, and started again."""
PULSE = "LULL_PULSE_PORT"
"""How a server is told on which port to tell whether it lives (see `studio/pulse.py`)."""
MOST_LINES = 1_500
"""Connections to one server."""


@dataclass
class Member:
    """One of the processes."""

    name: str
    command: tuple[str | Path, ...]
    env: Mapping[str, str]
    port: int | None = None
    """Where it answers; none: it is not asked."""
    pulse: tuple[int, str] | None = None
    """Where it tells whether it lives, whatever it has to do: a port, and a path."""
    process: subprocess.Popen[bytes] | None = None
    since: float = 0.0
    heard: float = 0.0
    quick_ends: int = 0
    again: float | None = None
    """When it is started again, where it has ended."""

    def start(self) -> None:
        """Begin it, or begin it anew."""
        self.again = None
        self.process = begun(*self.command, env=self.env)
        self.since = self.heard = time.monotonic()

    def look_after(self) -> None:
        """Start it again where it has ended, and end it where it has long been silent."""
        assert self.process is not None
        now = time.monotonic()
        if (code := self.process.poll()) is not None:
            if self.again is None:
                self.quick_ends = self.quick_ends + 1 if now - self.since < SETTLED else 0
                rest = min(2 ** (self.quick_ends - FREE_ENDS), LONGEST_REST) if self.quick_ends > FREE_ENDS else 0
                self.again = now + rest
                when = f"in {rest:.0f} s" if rest else "again"
                say(f"{self.name} has ended by itself (exit {code}); starting it {when} ...")
                _forget_metrics(self.process.pid, self.env)
            if now >= self.again:
                self.start()
        elif self.pulse is not None and now - self.heard > BETWEEN_LOOKS:
            # One that is busy is asked again at the next look, so that it holds up nobody.
            if answers(*self.pulse, 1):
                self.heard = time.monotonic()
            elif now - self.heard > LONGEST_SILENCE:
                say(f"{self.name} does not answer; starting it again ...")
                self.process.kill()


def supervised(members: list[Member], look_after: Callable[[], None], ready: Callable[[], None]) -> int:
    """Keep all of them running until the launcher is stopped.

    `look_after` is called again and again, beside it, and may take its time; `ready` once, as soon as all of them
    answer. Raises Trouble where one of them does not answer at first, and whatever `look_after` raises.
    """
    over = threading.Event()
    raised: list[BaseException] = []

    def look() -> None:
        try:
            while not over.wait(LOOK):
                look_after()
        except BaseException as error:
            raised.append(error)

    try:
        for member in members:
            member.start()
        await_all(members)
        ready()
        threading.Thread(target=look, daemon=True).start()
        while not raised:
            for member in members:
                member.look_after()
            time.sleep(LOOK)
        raise raised[0]
    finally:
        over.set()
        ended(*(member.process for member in members if member.process is not None))


def await_all(members: list[Member]) -> None:
    """Until all of them answer. Raises Trouble."""
    for member in members:
        if member.port is not None and member.process is not None:
            await_answer(member.port, member.process)


def proxy() -> str | None:
    """HAProxy, where it is on this machine."""
    return shutil.which("haproxy", path=os.pathsep.join((os.environ.get("PATH", ""), "/usr/sbin", "/usr/local/sbin")))


def processes() -> int:
    """How many serve: one a core, unless LULL_PROCESSES says otherwise; one where nothing can stand before them."""
    asked = os.environ.get("LULL_PROCESSES", "")
    count = int(asked) if asked.isdecimal() else os.cpu_count() or 1
    return min(max(count, 1), MOST_PROCESSES) if proxy() else 1


def fleet(port: int, env: Mapping[str, str], python: str | Path, more: tuple[str, ...] = ()) -> list[Member]:
    """All that serves Lull on a port of loopback."""
    count = processes()
    metrics = STATE / f"metrics-{port}"
    shutil.rmtree(metrics, ignore_errors=True)
    metrics.mkdir(parents=True)
    env = {**MEMORY, **env, "LULL_PROCESSES": str(count), "PROMETHEUS_MULTIPROC_DIR": str(metrics)}
    # They let those go first who answer somebody, from their first breath on.
    workers = [
        Member(f"the {queue} worker", ("nice", "-n", "10", python, "manage.py", "work", "--queue", queue), env)
        for queue in ("quick", "slow")
    ]
    before = proxy() if count > 1 else None
    if before is None:
        return [_server("the server", port, python, more, env), *workers]
    servers = [_server(f"server {number}", free_port(), python, more, env) for number in range(1, count + 1)]
    written = STATE / f"proxy-{port}.cfg"
    behind = [(one.port or 0, one.pulse[0] if one.pulse else 0) for one in servers]
    written.write_text(proxy_settings(port, behind, env.get("LULL_METRICS_TOKEN", "")))
    # Its log goes to standard output; what it says besides, of servers that are just starting, frightens for nothing.
    words = ("sh", "-c", 'exec "$0" "$@" 2> /dev/null', before, "-db", "-f", written)
    return [*servers, *workers, Member("the proxy", words, env, port, (port, PROXY_LIVES))]


PROXY_METRICS = "/proxy-metrics"
"""Where it tells what it has answered, refused and waited for."""
PROXY_LIVES = "/proxy-lives"
"""Where the proxy tells of itself alone, whatever stands behind it."""


def _server(name: str, port: int, python: str | Path, more: tuple[str, ...], env: Mapping[str, str]) -> Member:
    pulse = free_port()
    return Member(name, (python, *server_words(port, more)), {**env, PULSE: str(pulse)}, port, (pulse, "/"))


def proxy_settings(port: int, servers: list[tuple[int, int]], token: str = "") -> str:
    """HAProxy's configuration, for servers by their ports, and by those on which they tell whether they live.

    Takes go by their ids, everything else in turn; who is away is gone round. What is no small thing to answer is asked
    for once: who has been cut off by one server does not fall on the next. What it refuses by itself is written down
    (without what signs somebody in), and counted for those who know the token.
    """
    listed = "\n".join(
        f"  server s{number} {HOST}:{one} check port {pulse}" for number, (one, pulse) in enumerate(servers, 1)
    )
    sentence = "Lull is just starting again; nothing was lost. Try again in a moment."
    page = f"<!doctype html><title>Lull</title><p>{sentence}</p>"
    # Each line needs two files of the system, which gives a process only so many.
    most = min(8_000, (resource.getrlimit(resource.RLIMIT_NOFILE)[1] - 200) // 2)
    known = f'{{ req.hdr(authorization) -m str "Bearer {token}" }}'
    counted = f"  http-request use-service prometheus-exporter if {{ path {PROXY_METRICS} }} {known}\n" if token else ""
    words = f'content-type application/json string \'{{"detail": "{sentence}"}}\''
    heavy = "http-request disable-l7-retry if { path_reg /(file|page|zoned|in-bars|data)(/|$) }"
    backends = (
        _backend("takes", listed, words, "balance hash path,field(4,/)", "hash-type consistent", heavy)
        + _backend("api", listed, words, "balance leastconn")
        + _backend("pages", listed, f"content-type text/html string '{page}'", "balance leastconn")
    )
    checked = f"inter 1s fastinter 200ms downinter 200ms fall 2 rise 1 maxconn {MOST_LINES}"
    return f"""# Made anew by ./lull at every start.
global
  maxconn {most}

defaults
  mode http
  option dontlog-normal
  log-format "proxy: %ci %HM %[var(txn.asked)] %ST %tsc %Ta ms"
  timeout connect 5s
  timeout client 30s
  timeout server 180s
  timeout queue 30s
  timeout check 5s
  timeout http-request 15s
  timeout http-keep-alive 75s
  option redispatch 1
  option http-buffer-request
  option http-keep-alive
  option httpchk GET /
  default-server {checked} on-marked-down shutdown-sessions
  retries 3
  retry-on conn-failure empty-response response-timeout
  http-reuse safe

frontend lull
  log stdout format raw local0
  bind {HOST}:{port}
  monitor-uri {PROXY_LIVES}
  http-request set-var(txn.asked) path,regsub(^/enter/.*,/enter/...),regsub(^/invited/.*,/invited/...)
{counted}  http-request deny deny_status 413 if {{ req.hdr_val(content-length) gt {MOST_BODY_BYTES} }}
  use_backend takes if {{ path_reg ^/api/takes/[0-9a-fA-F-]{{36}} }}
  use_backend api if {{ path_beg /api/ }}
  default_backend pages

{backends}"""


def _backend(name: str, servers: str, refusal: str, *options: str) -> str:
    """A part of HAProxy's configuration: what answers requests of one kind, and what is said where none can."""
    lines = *options, "http-request disable-l7-retry unless METH_GET", f"http-error status 503 {refusal}"
    return "\n".join((f"backend {name}", *(f"  {line}" for line in lines), servers, "", ""))


def _forget_metrics(pid: int, env: Mapping[str, str]) -> None:
    """What a process that has gone had in memory is there no longer."""
    if folder := env.get("PROMETHEUS_MULTIPROC_DIR"):
        for file in Path(folder).glob(f"gauge_live*_{pid}.db"):
            file.unlink(missing_ok=True)
