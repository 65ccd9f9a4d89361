"""A PostgreSQL cluster of the project's own: unprivileged, on loopback, kept between starts."""

import contextlib
import fcntl
import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

from launcher.base import PYTHON, ROOT, STATE, Trouble, private_text, say
from launcher.install import debian

HOST = "127.0.0.1"
USERS = STATE / "postgres-users"
PORTS = range(20_000, 32_000)
"""Below the ports that Linux gives away by itself (`ip_local_port_range`)."""


def programs() -> Path | None:
    """The folder of the newest server programs on this machine."""
    folders = list(Path("/usr/lib/postgresql").glob("*/bin"))
    folders.sort(key=lambda folder: int("".join(filter(str.isdigit, folder.parent.name)) or 0))
    if beside := shutil.which("initdb"):
        folders.append(Path(beside).resolve().parent)
    return next((folder for folder in reversed(folders) if (folder / "initdb").exists()), None)


def free_port() -> int:
    """A port on loopback that nobody uses.

    None of those that the system gives to whoever connects: while a server is away, somebody who tries to reach it
    might be given its very port, and keep it.
    """
    while True:
        port = secrets.choice(PORTS)
        with socket.socket() as probe, contextlib.suppress(OSError):
            probe.bind((HOST, port))
            return port


def port_in_use(port: int) -> bool:
    """Whether something answers there."""
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex((HOST, port)) == 0


class Cluster:
    """The cluster and how to run its programs. As root they run as an ordinary user, as PostgreSQL demands."""

    def __init__(self) -> None:
        found = programs()
        if found is None:
            debian(("postgresql", False))
            found = programs()
        if found is None:
            raise Trouble("PostgreSQL is installed but its server programs were not found.")
        self._programs = found
        self._runner = self._unprivileged() if os.geteuid() == 0 else None
        self.data = self._folder()
        self.log = self.data.parent / f"{self.data.name}.log"

    @staticmethod
    def _unprivileged() -> pwd.struct_passwd:
        for name in ("postgres", "nobody"):
            with contextlib.suppress(KeyError):
                return pwd.getpwnam(name)
        raise Trouble("PostgreSQL will not run as root and there is no user 'postgres'; add one: adduser postgres")

    def _folder(self) -> Path:
        """A folder that the cluster's user can reach: in the project, or beside the system's own data where not."""
        STATE.mkdir(exist_ok=True)
        here = STATE / "postgres" / "data"
        if self._runner is None:
            here.parent.mkdir(exist_ok=True)
            return here
        here.parent.mkdir(exist_ok=True)
        os.chown(here.parent, self._runner.pw_uid, self._runner.pw_gid)
        if self._call("test", "-w", str(here.parent), check=False) == 0:
            return here
        tag = hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]
        there = Path("/var/lib") / f"lull-{tag}"
        there.mkdir(exist_ok=True)
        os.chown(there, self._runner.pw_uid, self._runner.pw_gid)
        return there / "data"

    def _call(self, *command: str, check: bool = True, **options: object) -> int:
        identity: dict[str, object] = {}
        if self._runner is not None:
            identity = {"user": self._runner.pw_uid, "group": self._runner.pw_gid, "extra_groups": []}
        program = self._programs / command[0]
        words = [str(program) if program.exists() else command[0], *command[1:]]
        pipes = {"stdin": subprocess.DEVNULL, "stdout": subprocess.PIPE, "stderr": subprocess.STDOUT}
        result = subprocess.run(words, cwd="/", text=True, **{**pipes, **identity, **options})  # type: ignore[call-overload]
        if check and result.returncode:
            raise Trouble(f"{command[0]} failed: {(result.stdout or '').strip()[-600:]}")
        return int(result.returncode)

    def running(self) -> bool:
        """Whether its server is up."""
        return self.alive and self._call("pg_ctl", "status", "-D", str(self.data), check=False) == 0

    def start(self) -> str:
        """Make it if needed, start it if needed; the DATABASE_URL of its database."""
        password = private_text(STATE / "postgres-password", secrets.token_urlsafe(24))
        ready = STATE / "postgres-ready"
        if not ready.exists() or not (self.data / "PG_VERSION").exists():
            self._make(password)
            ready.write_text(str(self.data))
        if not self.running():
            self.launch(free_port())
        port = self._port()
        return f"postgres://lull:{password}@{HOST}:{port}/lull"

    def _make(self, password: str) -> None:
        say("making a PostgreSQL cluster ...")
        if self.running():
            self.stop()
        if self.data.exists():  # Half made by a start that was cut off: nothing was ever in it.
            shutil.rmtree(self.data)
        given = self.data.parent / "password"
        given.write_text(password)
        if self._runner is not None:
            os.chown(given, self._runner.pw_uid, self._runner.pw_gid)
        given.chmod(0o600)
        try:
            self._call(
                *("initdb", "-D", str(self.data), "-U", "lull", "-A", "scram-sha-256", f"--pwfile={given}"),
                *("-E", "UTF8", "--locale=C", "--no-instructions"),
            )
        finally:
            given.unlink()

    def launch(self, port: int) -> None:
        """Start its server on a port of loopback."""
        # After a crash, what was written since the last checkpoint is gone through again: not much of it.
        settings = f"-h {HOST} -p {port} -k '' -c checkpoint_timeout=60 -c max_wal_size=256MB"
        deadline = time.monotonic() + 30
        while True:
            try:
                self._call(
                    *("pg_ctl", "start", "-w", "-t", "60", "-D", str(self.data), "-l", str(self.log), "-o", settings),
                    stdout=subprocess.DEVNULL,  # The server must not hold our pipe open.
                    stderr=subprocess.DEVNULL,
                )
                return
            except Trouble:
                # Where one was killed, what it has left running takes a moment to notice and to end.
                if time.monotonic() > deadline:
                    raise Trouble(
                        f"PostgreSQL did not start; its log is {self.log}. "
                        f"To begin with an empty one, move {self.data} away."
                    ) from None
                time.sleep(0.2)

    @property
    def alive(self) -> bool:
        """Whether the process that was started last is still there: asked often, so without asking PostgreSQL."""
        try:
            pid = int((self.data / "postmaster.pid").read_text().split("\n", 1)[0])
        except (OSError, ValueError):
            return False
        return _lives(pid)

    def _port(self) -> int:
        lines = (self.data / "postmaster.pid").read_text().splitlines()
        return int(lines[3])

    def stop(self) -> None:
        """Stop the server."""
        self._call("pg_ctl", "stop", "-m", "fast", "-w", "-D", str(self.data), check=False)


def _lives(pid: int) -> bool:
    """Whether there is such a process, and not merely one that was killed and waits to be buried."""
    try:
        os.kill(pid, 0)
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except PermissionError:
        return True
    except FileNotFoundError:
        return not Path("/proc/self").exists()  # Not all systems tell.
    except OSError:
        return False


@contextlib.contextmanager
def database() -> Iterator[str]:
    """A database for as long as it is needed: DATABASE_URL where it is set, otherwise the project's own cluster.

    Several launchers may share the cluster; the last to leave stops it.
    """
    if given := os.environ.get("DATABASE_URL"):
        yield given
        return
    cluster = Cluster()
    USERS.mkdir(parents=True, exist_ok=True)
    mine = USERS / str(os.getpid())
    with _lock():
        mine.touch()
        try:
            url = cluster.start()
            _create(url)
        except BaseException:
            mine.unlink()
            if not _others():
                cluster.stop()
            raise
    try:
        yield url
    finally:
        with _lock():
            mine.unlink(missing_ok=True)
            if not _others():
                cluster.stop()


def revive(url: str) -> None:
    """Start the project's own cluster again, on the port that its users know, if it has gone since."""
    if not os.environ.get("DATABASE_URL"):
        revive_own(url)


def revive_own(url: str) -> None:
    """The same, for whoever knows that it is the project's own."""
    cluster = Cluster()
    if cluster.alive:
        return
    with _lock():
        if not cluster.running():
            say("PostgreSQL has ended; starting it again ...")
            cluster.launch(urlsplit(url).port or 0)


@contextlib.contextmanager
def _lock() -> Iterator[None]:
    with (STATE / "postgres-lock").open("w") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


def _others() -> list[int]:
    """Other launchers that use the cluster; those that died without a word are forgotten."""
    alive = []
    for file in USERS.iterdir():
        if file.name.isdecimal() and _lives(int(file.name)):
            alive.append(int(file.name))
        else:
            file.unlink(missing_ok=True)
    return [pid for pid in alive if pid != os.getpid()]


def _create(url: str) -> None:
    """The database itself, by the virtual environment's driver."""
    code = (
        "import os, psycopg\n"
        "url = os.environ['DATABASE_URL']\n"
        "with psycopg.connect(url.rsplit('/', 1)[0] + '/postgres', autocommit=True) as link:\n"
        "    if not link.execute(\"select 1 from pg_database where datname='lull'\").fetchone():\n"
        "        link.execute('create database lull')\n"
    )
    deadline = time.monotonic() + 20
    while True:
        # By the environment, which others cannot read, not in the list of processes, which all can.
        environment = {**os.environ, "DATABASE_URL": url}
        result = subprocess.run([str(PYTHON), "-c", code], env=environment, capture_output=True, text=True)
        if result.returncode == 0:
            return
        if time.monotonic() > deadline:
            raise Trouble(f"PostgreSQL does not answer: {result.stderr.strip().splitlines()[-1]}")
        time.sleep(0.3)
