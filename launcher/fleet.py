"""All that serves Lull: as many processes as there are cores, a proxy before them, a worker; each looked after.

Each take is at home in one of the processes: the proxy (HAProxy, where it is on this machine) sends whatever is asked
about a take to the same one, so that it is kept in memory once. Without a proxy there is one process.
"""

import os
import shutil
from collections.abc import Mapping
from pathlib import Path

from launcher.base import STATE
from launcher.postgres import HOST, free_port
from launcher.proxying import PROXY_LIVES, Behind, proxy, proxy_settings
from launcher.serving import MEMORY, server_words
from launcher.supervision import Member

MOST_PROCESSES = 8
PULSE = "LULL_PULSE_PORT"
"""How a server is told on which port to tell whether it lives (see `studio/pulse.py`)."""


def processes() -> int:
    """How many serve: one a core, unless LULL_PROCESSES says otherwise; one where nothing can stand before them."""
    asked = os.environ.get("LULL_PROCESSES", "")
    count = int(asked) if asked.isdecimal() else os.cpu_count() or 1
    return min(max(count, 1), MOST_PROCESSES) if proxy() else 1


def environment(port: int, env: Mapping[str, str]) -> dict[str, str]:
    """What all are told that serve on a port: beside what is given, how many they are, and where they count."""
    metrics = STATE / f"metrics-{port}"
    shutil.rmtree(metrics, ignore_errors=True)
    metrics.mkdir(parents=True)
    return {**MEMORY, **env, "LULL_PROCESSES": str(processes()), "PROMETHEUS_MULTIPROC_DIR": str(metrics)}


def fleet(port: int, python: str | Path, more: tuple[str, ...] = ()) -> list[Member]:
    """All that serves Lull on a port of loopback."""
    count = processes()
    # They let those go first who answer somebody, from their first breath on.
    workers = [
        Member(f"the {queue} worker", ("nice", "-n", "10", python, "manage.py", "work", "--queue", queue))
        for queue in ("quick", "slow")
    ]
    before = proxy() if count > 1 else None
    if before is None:
        return [_server("the server", port, python, more), *workers]
    servers = [_server(f"server {number}", free_port(), python, more) for number in range(1, count + 1)]
    written = STATE / f"proxy-{port}.cfg"
    behind = [Behind(f"{HOST}:{one.port}", one.pulse[0] if one.pulse else 0) for one in servers]
    written.write_text(proxy_settings(f"{HOST}:{port}", behind))
    # Its log goes to standard output; what it says besides, of servers that are just starting, frightens for nothing.
    standing = Member("the proxy", (before, "-db", "-f", written), {}, port, (port, PROXY_LIVES), is_quiet=True)
    return [*servers, *workers, standing]


def _server(name: str, port: int, python: str | Path, more: tuple[str, ...]) -> Member:
    pulse = free_port()
    return Member(name, (python, *server_words(port, more)), {PULSE: str(pulse)}, port, (pulse, "/"))
