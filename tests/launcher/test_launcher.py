"""The launcher, where it can be tried without setting up a machine."""

import os
import socket
import stat
import subprocess
import sys
from pathlib import Path

import pytest

from launcher import base, install, main, postgres
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
    monkeypatch.setattr(install.shutil, "which", lambda name: None)
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


def test_the_lock_names_every_package_with_hashes_and_no_address() -> None:
    lock = (ROOT / "requirements.lock").read_text()
    wanted = {
        line.split("[")[0].split("~")[0].strip().lower() for line in (ROOT / "requirements.in").read_text().splitlines()
    }
    for package in {name for name in wanted if name and not name.startswith("#")}:
        assert f"\n{package}" in lock
    assert "://" not in lock
    assert '"resolved"' not in (ROOT / "web/package-lock.json").read_text()
