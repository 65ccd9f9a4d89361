"""What looks after the processes that serve Lull: supervisord, with settings made here, and httpok beside it.

supervisord starts again what ends by itself, at once and then after longer and longer rests, writes down what all of
them say, and ends them together. httpok (of superlance) ends what no longer tells that it lives.
"""

import contextlib
import fcntl
import http.client
import os
import secrets
import shlex
import shutil
import socket
import stat
import subprocess
import tempfile
import xmlrpc.client
from base64 import b64encode
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from launcher.base import PYTHON, ROOT, STATE, say
from launcher.serving import await_answer, begun, ended

SETTLED = 5
"""Seconds after which a process that ends was at least running: it is started again at once."""
LONGEST_SILENCE = 45
"""Seconds after which one that does not tell that it lives is ended, and started again."""
PATIENCE = 15
"""Seconds in which one that is asked to end does so by itself."""
ENDED = (30, 100, 200)
"""supervisord's numbers for what rests before its next start, has ended, or is given up."""
AS_ROOT = "user=root\n" if os.geteuid() == 0 else ""
"""Said, so that it does not warn of it: what it runs here is what the launcher would run."""
NO_LOG = "/dev/null\nlogfile_maxbytes=0"
MOST_LOG_BYTES, LOGS_KEPT = 20 * 2**20, 10


@dataclass
class Member:
    """One of the processes."""

    name: str
    command: tuple[str | Path, ...]
    env: Mapping[str, str] = field(default_factory=dict)
    """What it is told beside what all of them are."""
    port: int | None = None
    """Where it answers; none: it is not asked."""
    pulse: tuple[int, str] | None = None
    """Where it tells whether it lives, whatever it has to do: a port, and a path."""
    is_quiet: bool = False
    """Whether what it says of itself (on its standard error) frightens for nothing."""

    @property
    def key(self) -> str:
        """Its name in the settings."""
        return self.name.replace(" ", "-")


class Supervisor:
    """supervisord, and what it looks after."""

    def __init__(self, members: list[Member], env: Mapping[str, str], logs: Path | None, folder: Path) -> None:
        self.members, self._env = members, dict(env)
        self._socket = folder / "asked"
        self._password = secrets.token_urlsafe(24)
        self._settings = folder / "supervisord.conf"
        self._settings.touch(mode=0o600)
        # Whoever is alone with it need not be told of what mends itself.
        level = "warn" if logs or env.get("LULL_PRODUCTION") else "error"
        self._settings.write_text(settings(members, self._socket, self._password, logs, level))
        self._process: subprocess.Popen[bytes] | None = None

    def look_after(self) -> None:
        """Start it where it does not run: at first, and should it be killed."""
        if self._process is not None and self._process.poll() is None:
            return
        if self._process is not None:
            say("supervisord has ended; starting it again ...")
        self._socket.unlink(missing_ok=True)
        self._process = begun(PYTHON, "-m", "supervisor.supervisord", "-c", self._settings, env=self._env)

    def end(self) -> None:
        """End it, and with it all of them."""
        if self._process is not None:
            ended(self._process, patience=PATIENCE + 5)

    def pid(self, member: Member) -> int | None:
        """The process that runs as a member just now; None where none does."""
        told = self._told(member)
        return int(told["pid"]) or None if told else None

    def pids(self) -> list[int]:
        """The processes of all of them that run just now."""
        return [pid for member in self.members if (pid := self.pid(member))]

    def restart(self, *members: Member) -> None:
        """End some of them, and start them again."""
        for member in members:
            self._asked().supervisor.stopProcess(member.key)
        for member in members:
            self._asked().supervisor.startProcess(member.key, False)

    def await_all(self) -> None:
        """Until all of them answer. Raises Trouble."""
        for member in self.members:
            if member.port is not None:
                await_answer(member.port, partial(self._first_run, member))

    def _first_run(self, member: Member) -> int | None:
        """The process of a member that is starting; None where it has ended already."""
        assert self._process is not None
        told = self._told(member)
        if self._process.poll() is not None or (told and told["state"] in ENDED):
            return None
        # supervisord itself is just beginning.
        return int(told["pid"]) or self._process.pid if told else self._process.pid

    def _told(self, member: Member) -> dict[str, Any] | None:
        with contextlib.suppress(OSError, http.client.HTTPException, xmlrpc.client.Error):
            told: dict[str, Any] = self._asked().supervisor.getProcessInfo(member.key)
            return told
        return None

    def _asked(self) -> Any:
        return xmlrpc.client.ServerProxy("http://lull/RPC2", _ToSocket(self._socket, f"lull:{self._password}"))


class _ToSocket(xmlrpc.client.Transport):
    """Asks over a socket of this machine, by a name and a password."""

    def __init__(self, path: Path, who: str) -> None:
        super().__init__(headers=[("Authorization", f"Basic {b64encode(who.encode()).decode()}")])
        self._path = path

    def make_connection(self, host: object) -> http.client.HTTPConnection:
        """A line to it."""
        line = http.client.HTTPConnection("lull", timeout=PATIENCE + 10)
        line.sock = socket.socket(socket.AF_UNIX)
        line.sock.connect(str(self._path))
        return line


@contextlib.contextmanager
def supervised(members: list[Member], env: Mapping[str, str]) -> Iterator[Supervisor]:
    """All of them, looked after, from when they answer. Raises Trouble where one of them does not at first."""
    # Not beside the rest of what is Lull's: the name of a socket may have no more than a hundred letters.
    folder = Path(tempfile.mkdtemp(prefix="lull-"))
    supervisor = Supervisor(members, env, _logs(env), folder)
    try:
        supervisor.look_after()
        supervisor.await_all()
        yield supervisor
    finally:
        supervisor.end()
        shutil.rmtree(folder, ignore_errors=True)


def settings(members: list[Member], asked: Path, password: str, logs: Path | None, level: str = "warn") -> str:
    """supervisord's configuration: what it looks after, and where it is asked (a socket, and its password).

    From a level on (`warn`: what has ended by itself) it writes down what it sees.
    """
    who = f"username=lull\npassword={password}\n"
    parts = [
        f"[supervisord]\nnodaemon=true\nloglevel={level}\n{AS_ROOT}"
        f"directory={_said(ROOT)}\npidfile={_said(asked)}.pid\nchildlogdir={_said(asked.parent)}\n"
        # Standard output it writes to anyway.
        f"logfile={_log(logs, 'supervisord') if logs else NO_LOG}\n",
        f"[unix_http_server]\nfile={asked}\nchmod=0700\n{who}",
        "[rpcinterface:supervisor]\nsupervisor.rpcinterface_factory=supervisor.rpcinterface:make_main_rpcinterface\n",
    ]
    for member in members:
        told = ",".join(f'{name}="{_said(value)}"' for name, value in member.env.items())
        errors = "stderr_logfile=NONE" if member.is_quiet else "redirect_stderr=true"
        parts.append(
            f"[program:{member.key}]\ncommand={_words(*_ending_with_its_parent(), *member.command)}\n"
            f"environment={told}\nautorestart=true\nstartsecs={SETTLED}\nstartretries=1000000\n"
            f"stopwaitsecs={PATIENCE}\nstopasgroup=false\nkillasgroup=true\n"
            f"{errors}\nstdout_logfile={_log(logs, member.key, 'stdout_')}\n"
        )
    parts += [_watching(member, password) for member in members if member.pulse]
    return "\n".join(parts)


def _watching(member: Member, password: str) -> str:
    assert member.pulse
    port, path = member.pulse
    ask = ("-E", "-p", member.key, "-t", LONGEST_SILENCE, f"http://127.0.0.1:{port}{path}")
    words = _words(*_ending_with_its_parent(), PYTHON, "-m", "superlance.httpok", *ask)
    return (
        f"[eventlistener:watching-{member.key}]\ncommand={words}\nevents=TICK_5\nbuffer_size=100\nautorestart=true\n"
        f'startretries=1000000\nenvironment=SUPERVISOR_USERNAME="lull",SUPERVISOR_PASSWORD="{password}"\n'
        # What it does supervisord tells as well.
        "stderr_logfile=NONE\n"
    )


def _words(*words: object) -> str:
    return _said(shlex.join([str(word) for word in words if word]))


def _said(value: object) -> str:
    """As it stands in the settings, in which a percent sign begins a name."""
    return str(value).replace("%", "%%")


def _ending_with_its_parent() -> tuple[str, ...]:
    """Words before a command with which Linux ends it when supervisord goes, however it goes."""
    found = shutil.which("setpriv")
    return (found, "--pdeathsig", "TERM") if found else ()


def _logs(env: Mapping[str, str]) -> Path | None:
    """The folder of the logs, which change places there when they are full; None: all is said on standard output."""
    folder = Path(env["LULL_LOGS"]) if env.get("LULL_LOGS") else None
    if folder is None and not can_be_opened(1):
        folder = STATE / "logs"
    if folder is not None:
        folder.mkdir(parents=True, exist_ok=True)
        say(f"what is said is written down in {folder}")
    for one in (1, 2):
        if stat.S_ISREG(os.fstat(one).st_mode):  # Whoever writes to it as well, nobody writes over others.
            fcntl.fcntl(one, fcntl.F_SETFL, fcntl.fcntl(one, fcntl.F_GETFL) | os.O_APPEND)
    return folder


def can_be_opened(number: int) -> bool:
    """Whether what is said there can be said by others too: not where it is a socket, or a terminal of another user."""
    try:
        os.close(os.open(f"/dev/fd/{number}", os.O_WRONLY | os.O_APPEND))
    except OSError:
        return False
    return True


def _log(folder: Path | None, name: str, of: str = "") -> str:
    if folder is None:
        return f"/dev/fd/1\n{of}logfile_maxbytes=0"
    return f"{_said(folder / name)}.log\n{of}logfile_maxbytes={MOST_LOG_BYTES}\n{of}logfile_backups={LOGS_KEPT}"
