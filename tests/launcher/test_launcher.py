"""The launcher, where it can be tried without setting up a machine."""

import os
import signal
import socket
import stat
import subprocess
import sys
import time
from collections.abc import Set
from pathlib import Path

import pytest

from launcher import base, fleet, install, main, postgres, serving, supervision
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


SLEEP = (sys.executable, "-c", "import time; time.sleep(60)")


def test_what_ends_by_itself_is_started_again_and_nothing_else() -> None:
    """Twice it is killed; what stands beside it goes on as it was. supervisord itself comes back as well."""
    killed, beside = (supervision.Member(name, SLEEP) for name in ("one of them", "the other"))
    with supervision.supervised([killed, beside], os.environ) as supervisor:
        first = other = another(supervisor, beside, set())
        seen: set[int | None] = {another(supervisor, killed, set())}
        for _ in range(2):
            os.kill(supervisor.pid(killed) or 0, signal.SIGKILL)
            seen.add(another(supervisor, killed, seen))
        assert len(seen) == 3
        assert supervisor.pid(beside) == other
        assert supervisor._process is not None
        supervisor._process.kill()
        supervisor._process.wait()
        supervisor.look_after()
        left = [another(supervisor, beside, {first}), another(supervisor, killed, seen)]
        assert not postgres._lives(first)
    assert not any(postgres._lives(pid) for pid in left)


def another(supervisor: supervision.Supervisor, member: supervision.Member, seen: Set[int | None]) -> int:
    """The process that runs as a member, from when it is none of those."""
    deadline = time.monotonic() + 60
    while (pid := supervisor.pid(member)) is None or pid in seen:
        assert time.monotonic() < deadline
        time.sleep(0.05)
    return pid


def test_what_is_silent_is_ended_and_started_again(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(supervision, "LONGEST_SILENCE", 1)
    monkeypatch.setattr(supervision, "SETTLED", 0)
    silent = supervision.Member("the silent one", SLEEP, pulse=(postgres.free_port(), "/"))
    with supervision.supervised([silent], os.environ) as supervisor:
        first = another(supervisor, silent, set())
        assert another(supervisor, silent, {first})


BROKEN = (sys.executable, "-c", "raise SystemExit(7)")


def test_what_others_may_not_open_is_no_place_for_what_they_say(tmp_path: Path) -> None:
    """A terminal or a file of whoever became another user (su), or a socket: logs lie in files then."""
    said = tmp_path / "said"
    ours, theirs = socket.socketpair()
    with said.open("w") as file, ours, theirs:
        assert supervision.can_be_opened(file.fileno())
        assert not supervision.can_be_opened(ours.fileno())
        if os.geteuid() == 0:
            said.chmod(0o600)
            if (child := os.fork()) == 0:
                os.setuid(65_534)
                os._exit(supervision.can_be_opened(file.fileno()))
            assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0


def test_what_cannot_run_is_told_at_the_start() -> None:
    broken = supervision.Member("the broken one", BROKEN, port=postgres.free_port())
    with (
        pytest.raises(base.Trouble, match="The server did not start"),
        supervision.supervised([broken], os.environ),
    ):
        raise AssertionError("it cannot have started")


def test_what_ends_again_and_again_rests_in_between_and_is_not_given_up(tmp_path: Path) -> None:
    """A database that is away ends every worker that looks for it; all else goes on meanwhile."""
    starts = tmp_path / "starts"
    broken = supervision.Member(
        "the broken one", (sys.executable, "-c", f"open({str(starts)!r}, 'a').write('x'); exit(7)")
    )
    begun = time.monotonic()
    with supervision.supervised([broken], {**os.environ, "LULL_LOGS": str(tmp_path / "logs")}):
        while not starts.exists() or len(starts.read_text()) < 4:
            assert time.monotonic() - begun < 120
            time.sleep(0.05)
    # At once, after 1, 2, 3 ... seconds.
    assert time.monotonic() - begun > 5
    assert "the-broken-one (exit status 7; not expected)" in (tmp_path / "logs" / "supervisord.log").read_text()


def test_there_is_a_process_a_core_where_a_proxy_can_stand_before_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("LULL_PROCESSES", raising=False)
    monkeypatch.setattr(os, "cpu_count", lambda: 3)
    assert fleet.processes() == 3
    members = fleet.fleet(postgres.free_port(), sys.executable)
    names = ["server 1", "server 2", "server 3", "the quick worker", "the slow worker", "the proxy"]
    assert [member.name for member in members] == names
    assert len({member.port for member in members if member.port}) == 4
    monkeypatch.setattr(fleet, "proxy", lambda: None)
    alone = fleet.fleet(postgres.free_port(), sys.executable)
    assert [member.name for member in alone] == ["the server", "the quick worker", "the slow worker"]


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


@pytest.mark.parametrize("name", main.LOCKS)
def test_the_locks_name_every_package_with_hashes_and_no_address(name: str) -> None:
    lock = (ROOT / f"{name}.lock").read_text()
    wanted = {
        line.split("[")[0].split("~")[0].strip().lower() for line in (ROOT / f"{name}.in").read_text().splitlines()
    }
    for package in {name for name in wanted if name and not name.startswith("#")}:
        assert f"\n{package}" in lock
    assert "://" not in lock
    assert '"resolved"' not in (ROOT / "web/package-lock.json").read_text()


def test_a_server_that_starts_slowly_is_waited_for_while_it_works(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr(serving, "PATIENCE", 1)
    port = postgres.free_port()
    busy = (
        "import time, http.server\n"
        "until = time.monotonic() + 4\n"
        "while time.monotonic() < until: pass\n"
        "class Ready(http.server.BaseHTTPRequestHandler):\n"
        "    def do_GET(self): self.send_response(200); self.end_headers()\n"
        f"http.server.HTTPServer(('127.0.0.1', {port}), Ready).serve_forever()"
    )
    with process(sys.executable, "-c", busy, env=os.environ) as server:
        serving.await_answer(port, lambda: server.pid)
    assert "still starting" in capsys.readouterr().out


def test_a_server_that_does_nothing_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(serving, "PATIENCE", 1)
    with (
        process(sys.executable, "-c", "import time; time.sleep(60)", env=os.environ) as server,
        pytest.raises(base.Trouble, match="does nothing any more"),
    ):
        serving.await_answer(postgres.free_port(), lambda: server.pid)
