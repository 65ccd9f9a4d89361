"""The launcher, where it can be tried without setting up a machine."""

import os
import socket
import stat
import subprocess
import sys
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path

import pytest

from launcher import base, install, main, postgres, serving
from launcher.serving import process

ROOT = Path(__file__).parents[2]


def lull(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([ROOT / "lull", *words], capture_output=True, text=True, cwd="/")


def test_help_lists_every_command() -> None:
    shown = lull("help")
    assert shown.returncode == 0
    for command in (*main.COMMANDS, "shape", "inspect"):
        assert command in shown.stdout


def test_an_unknown_command_shows_the_help() -> None:
    assert lull("dance").returncode == 2


def test_a_port_in_use_is_told_with_another_to_try() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        shown = lull("demo", "--port", str(port))
    assert shown.returncode == 1
    assert shown.stderr == f"lull: Port {port} is in use; choose another: ./lull demo --port {port + 1}\n"


def test_a_free_port_is_free() -> None:
    assert not postgres.port_in_use(postgres.free_port())


def test_a_step_is_done_again_when_its_input_or_its_stamp_changes(tmp_path: Path) -> None:
    stamp = tmp_path / "stamp"
    first = base.digest([ROOT / "requirements.lock"], "3.11")
    assert not base.up_to_date(stamp, first)
    stamp.write_text(first)
    assert base.up_to_date(stamp, first)
    assert not base.up_to_date(stamp, base.digest([ROOT / "requirements.lock"], "3.12"))
    assert first != base.digest([ROOT / "requirements.in"], "3.11")


def test_secrets_are_made_once_and_are_their_owners_alone(tmp_path: Path) -> None:
    path = tmp_path / "deep" / "secret"
    assert base.private_text(path, "one") == "one"
    assert base.private_text(path, "two") == "one"
    assert stat.S_IMODE(path.stat().st_mode) == 0o600


def test_a_command_that_fails_is_one_line_of_trouble(capfd: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(base.Trouble, match=r"Measuring failed \(exit 3\)"):
        base.run(sys.executable, "-c", "print('why'); raise SystemExit(3)", quiet=True, what="Measuring")
    assert "why" in capfd.readouterr().err
    with pytest.raises(base.Trouble, match="could not be started"):
        base.run("/no/such/program")


def test_missing_packages_that_cannot_be_installed_are_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("shutil.which", lambda name: None)
    with pytest.raises(base.Trouble, match=r"postgresql missing.*sudo apt-get install postgresql"):
        install.debian(("postgresql", False), ("chromium", True))
    install.debian(("chromium", True))


def test_launchers_that_died_are_forgotten(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    for name in (str(gone.pid), str(os.getpid()), str(os.getppid()), "nonsense"):
        (tmp_path / name).touch()
    monkeypatch.setattr(postgres, "USERS", tmp_path)
    assert postgres._others() == [os.getppid()]
    assert {file.name for file in tmp_path.iterdir()} == {str(os.getpid()), str(os.getppid())}


def test_a_process_ends_with_its_block() -> None:
    with process(sys.executable, "-c", "import time; time.sleep(60)", env=os.environ) as started:
        assert started.poll() is None
    assert started.poll() is not None


def test_what_ends_by_itself_is_started_again() -> None:
    """Three times: the first two were killed, and each time something was looked after in between."""
    started: list[subprocess.Popen[bytes]] = []
    said: list[str] = []

    def start() -> AbstractContextManager[subprocess.Popen[bytes]]:
        @contextmanager
        def sleeper() -> Iterator[subprocess.Popen[bytes]]:
            with process(sys.executable, "-c", "import time; time.sleep(60)", env=os.environ) as one:
                started.append(one)
                yield one

        return sleeper()

    def look_after() -> None:
        said.append("looked")
        if len(started) == 3:
            raise KeyboardInterrupt
        started[-1].kill()

    with pytest.raises(KeyboardInterrupt):
        serving.supervised(start, look_after, lambda: said.append("ready"))
    assert said == ["ready", "looked", "looked", "looked"]
    assert [one.poll() is not None for one in started] == [True] * 3


def test_what_cannot_run_is_given_up() -> None:
    with pytest.raises(base.Trouble, match=r"three times \(exit 7\)"):
        serving.supervised(
            lambda: process(sys.executable, "-c", "raise SystemExit(7)", env=os.environ), lambda: None, lambda: None
        )


def test_a_cluster_that_was_killed_is_started_again_where_it_was() -> None:
    """With a cluster of its own, in a copy of the project that holds nothing but the launcher."""
    code = (
        "import os, shutil, signal, tempfile, pathlib\n"
        "from launcher import base, postgres\n"
        "place = pathlib.Path(tempfile.mkdtemp())\n"
        "os.chmod(place, 0o755)\n"
        "for module in (base, postgres): module.STATE = place\n"
        "postgres.ROOT, postgres.USERS = place, place / 'users'\n"
        "with postgres.database() as url:\n"
        "    cluster = postgres.Cluster()\n"
        "    assert cluster.alive\n"
        "    postgres.revive(url)\n"
        "    os.kill(int((cluster.data / 'postmaster.pid').read_text().split()[0]), signal.SIGKILL)\n"
        "    while cluster.alive: pass\n"
        "    postgres.revive(url)\n"
        "    assert cluster.alive and f':{cluster._port()}/' in url\n"
        "    print('again')\n"
        "shutil.rmtree(place)\n"
    )
    environment = {name: value for name, value in os.environ.items() if name != "DATABASE_URL"}
    ran = subprocess.run([sys.executable, "-c", code], cwd=ROOT, env=environment, capture_output=True, text=True)
    assert ran.stdout.endswith("again\n"), ran.stderr


def test_the_lock_names_every_package_with_hashes_and_no_address() -> None:
    lock = (ROOT / "requirements.lock").read_text()
    wanted = {
        line.split("[")[0].split("~")[0].strip().lower() for line in (ROOT / "requirements.in").read_text().splitlines()
    }
    for package in {name for name in wanted if name and not name.startswith("#")}:
        assert f"\n{package}" in lock
    assert "://" not in lock
    assert '"resolved"' not in (ROOT / "web/package-lock.json").read_text()
