"""systemd's units: what is written, and that systemd takes it."""

import configparser
import os
import socket
import subprocess
import sys
import time
from pathlib import Path

import pytest

from launcher import install, units
from launcher.base import ROOT, Trouble
from launcher.postgres import HOST, free_port


def written(folder: Path, listen: str = HOST, proxy: str = HOST, *behind: str) -> dict[str, str]:
    files = units.written(folder, "root", listen, proxy, behind, 2)
    units.verify(files)
    return {file.name: file.read_text() for file in files}


def test_one_machine_has_all_of_it(tmp_path: Path) -> None:
    found = written(tmp_path)
    wanted = {name for name in found if name.endswith((".service", ".timer"))} - {
        "lull-setup.service",
        "lull-backup.service",
    }
    (wants,) = (line for line in found["lull.target"].splitlines() if line.startswith("Wants="))
    assert set(wants.removeprefix("Wants=").split()) == wanted
    assert len(wanted) == 6
    first, second = (found[f"lull-server-{number}.service"] for number in (1, 2))
    assert "--listen=127.0.0.1:8101 " in first and "LULL_PULSE_PORT=8201 " in first
    assert "--listen=127.0.0.1:8102 " in second and "LULL_PULSE_PORT=8202 " in second
    assert "server s2 127.0.0.1:8102 check port 8202" in found["haproxy.cfg"]
    # No secret stands in what all may read.
    assert "LULL_SECRET_KEY=\n" in found["lull.env.example"]
    for text in found.values():
        if text.startswith("["):
            configparser.RawConfigParser(strict=False).read_string(text)


def test_several_machines_share_it(tmp_path: Path) -> None:
    machine = written(tmp_path / "serves", "10.0.0.2", "10.0.0.1", "10.0.0.2", "10.0.0.3:4")
    assert "--listen=10.0.0.2:8101 " in machine["lull-server-1.service"]
    assert "--trusted-proxy=10.0.0.1 " in machine["lull-server-1.service"]
    assert not any("proxy" in name for name in machine)
    before = written(tmp_path / "before", HOST, HOST, "10.0.0.2", "10.0.0.3:4")
    assert not any("server" in name or "worker" in name for name in before)
    listed = [line.split()[2] for line in before["haproxy.cfg"].splitlines() if line.startswith("  server ")]
    assert listed[:6] == ["10.0.0.2:8101", "10.0.0.2:8102", *(f"10.0.0.3:{port}" for port in range(8101, 8105))]
    with pytest.raises(Trouble, match="no ADDRESS:PROCESSES"):
        units.written(tmp_path, "root", HOST, HOST, ["10.0.0.2:many"], 2)


@pytest.mark.skipif(not install.found("systemd-analyze"), reason="systemd is not on this machine")
def test_what_systemd_does_not_take_is_told(tmp_path: Path) -> None:
    broken = tmp_path / "lull-server-1.service"
    broken.write_text("[Service]\nExecStart=/nowhere/at/all\n")
    with pytest.raises(Trouble, match="systemd does not take these units"):
        units.verify([broken])


def test_systemd_is_told_that_a_server_is_ready_and_lives(tmp_path: Path) -> None:
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as told:
        told.bind(str(tmp_path / "told"))
        told.settimeout(20)
        code = "from studio import pulse; import time; pulse.beat(); time.sleep(0.5); pulse.ready(); time.sleep(60)"
        more = {"NOTIFY_SOCKET": str(tmp_path / "told"), "WATCHDOG_USEC": "300000", "LULL_PULSE_PORT": str(free_port())}
        with subprocess.Popen([sys.executable, "-c", code], cwd=ROOT, env={**os.environ, **more}) as process:
            try:
                begun, heard = time.monotonic(), [told.recv(99)]
                while b"READY=1" not in heard or heard[-1] != b"WATCHDOG=1":
                    heard.append(told.recv(99))
                assert time.monotonic() - begun >= 0.4
                assert heard[0] == b"WATCHDOG=1"
            finally:
                process.kill()
