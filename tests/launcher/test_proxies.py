"""The proxies before Lull, as the docs have them: HAProxy and nginx, with TLS, before waitress as it is served."""

import contextlib
import http.client
import json
import os
import re
import signal
import socket
import ssl
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from types import MappingProxyType
from typing import Any

import pytest

from launcher import install, proxying, serving
from launcher.base import ROOT
from launcher.postgres import free_port, port_in_use

MIB = 2**20
NOTHING: Mapping[str, str] = MappingProxyType({})


def test_the_docs_have_what_is_made() -> None:
    assert (ROOT / "docs/haproxy.cfg").read_text() == proxying.example()


@pytest.mark.parametrize("certificate", ["", "certificate"])
def test_the_proxy_takes_its_settings(tmp_path: Path, certificate: str) -> None:
    settings = tmp_path / "proxy.cfg"
    pem = str(_certificate(tmp_path)) if certificate else ""
    behind = [proxying.Behind("127.0.0.1:8001", 8003), proxying.Behind("10.0.0.2:8002", 8004)]
    settings.write_text(proxying.proxy_settings("127.0.0.1:8000", behind, pem))
    checked = subprocess.run([str(proxying.proxy()), "-c", "-q", "-f", settings], capture_output=True, text=True)
    assert (checked.returncode, checked.stdout, checked.stderr) == (0, "", "")


def test_what_the_proxy_refuses_is_written_down_and_counted(tmp_path: Path) -> None:
    port, settings = free_port(), tmp_path / "proxy.cfg"
    behind = [proxying.Behind(f"127.0.0.1:{free_port()}", free_port())]
    settings.write_text(proxying.proxy_settings(f"127.0.0.1:{port}", behind))
    words = [str(proxying.proxy()), "-db", "-f", str(settings)]
    env = {**os.environ, "LULL_METRICS_TOKEN": "secret"}
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=env) as running:

        def asked(path: str, body: bytes | None = None, **headers: str) -> tuple[int, str]:
            request = urllib.request.Request(f"http://127.0.0.1:{port}{path}", body, headers)
            try:
                with urllib.request.urlopen(request, timeout=10) as answer:
                    return answer.status, answer.read().decode()
            except urllib.error.HTTPError as refused:
                return refused.code, refused.read().decode()

        try:
            while not serving.answers(port, proxying.PROXY_LIVES):
                assert running.poll() is None
                time.sleep(0.05)
            assert asked("/enter/a-secret-token")[0] == 503
            assert asked("/api/takes", bytes(40_000), **{"content-length": str(2**30)})[0] == 413
            assert asked(proxying.PROXY_METRICS)[0] == 503
            status, told = asked(proxying.PROXY_METRICS, authorization="Bearer secret")
            assert (status, "haproxy_frontend_requests_denied_total" in told) == (200, True)
            # An answer is sent before its line is written: it ends once all is written that it has answered.
            running.send_signal(signal.SIGUSR1)
            assert running.stdout
            lines = running.stdout.read().splitlines()
        finally:
            running.kill()
    told_of = [line for line in lines if line.startswith("proxy: 127.0.0.1")]
    assert any("GET /enter/... 503" in line for line in told_of)
    assert any("/api/takes 413" in line for line in told_of)
    assert not any("a-secret-token" in line for line in lines)


def _certificate(folder: Path) -> Path:
    """One that signs itself, with its key, in one file."""
    made = ("-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2")
    files = ("-keyout", folder / "key.pem", "-out", folder / "certificate.pem", "-subj", "/CN=lull.example.org")
    subprocess.run(["openssl", "req", *made, *files], check=True, capture_output=True)
    both = folder / "both.pem"
    both.write_text((folder / "certificate.pem").read_text() + (folder / "key.pem").read_text())
    return both


@contextmanager
def _echo(port: int) -> Iterator[None]:
    """waitress as it serves Lull, with an application that tells how it was asked."""
    words = [
        word.replace("config.server:", "tests.launcher.echo:")
        for word in serving.server_words(port, serving.trusting())
    ]
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    with serving.process(sys.executable, *words, env=env):
        _until(lambda: port_in_use(port))
        yield


@contextmanager
def _haproxy(folder: Path, plain: int, tls: int) -> Iterator[None]:
    """The file of the docs as it stands, but for addresses and the certificate."""
    behind, pulse = free_port(), free_port()
    text = (ROOT / "docs/haproxy.cfg").read_text()
    text = text.replace("/etc/ssl/lull/both.pem", str(_certificate(folder)))
    text = text.replace("bind :80", f"bind 127.0.0.1:{plain}").replace("bind :443", f"bind 127.0.0.1:{tls}")
    text = re.sub(r"  server s\d .*8102.*\n", "", text)
    text = text.replace("127.0.0.1:8101 check port 8201", f"127.0.0.1:{behind} check port {pulse}")
    (folder / "haproxy.cfg").write_text(text)
    beat = "from studio import pulse; import time; pulse.beat(); pulse.ready(); time.sleep(600)"
    env = {**os.environ, "LULL_PULSE_PORT": str(pulse), "PYTHONPATH": str(ROOT)}
    with _echo(behind), serving.process(sys.executable, "-c", beat, env=env):
        # The proxy believes a server well until it has asked: what is not ready then would be left out later.
        _until(lambda: serving.answers(pulse))
        with serving.process(str(proxying.proxy()), "-db", "-f", folder / "haproxy.cfg", env=os.environ):
            yield


@contextmanager
def _nginx(folder: Path, plain: int, tls: int) -> Iterator[None]:
    """The same of nginx."""
    behind = free_port()
    _certificate(folder)
    text = (ROOT / "docs/nginx.conf").read_text()
    text = text.replace("/etc/ssl/lull", str(folder)).replace("/var/log/nginx", str(folder))
    text = text.replace("listen 80;", f"listen 127.0.0.1:{plain};").replace("listen 443", f"listen 127.0.0.1:{tls}")
    text = text.replace("127.0.0.1:8000", f"127.0.0.1:{behind}")
    # Where it puts things by itself is the system's; here it has a folder of its own.
    temporary = "".join(
        f"{kind}_temp_path {folder}/{kind};" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    text = text.replace("http {", f"http {{ {temporary}", 1)
    (folder / "nginx.conf").write_text(
        f"user root; daemon off; pid {folder}/pid; error_log {folder}/error.log;\n{text}"
    )
    words = (str(install.found("nginx")), "-p", folder, "-c", folder / "nginx.conf", "-e", folder / "error.log")
    with _echo(behind), serving.process(*words, env=os.environ):
        yield


def _until(ready: Callable[[], bool]) -> None:
    deadline = time.monotonic() + 60
    while not ready():
        assert time.monotonic() < deadline
        time.sleep(0.05)


def _asked(port: int, path: str, body: bytes | None = None, more: Mapping[str, str] = NOTHING) -> tuple[int, Any]:
    """What is answered by HTTPS: the status, and what was told."""
    line = http.client.HTTPSConnection("127.0.0.1", port, timeout=60, context=ssl._create_unverified_context())
    try:
        line.request("POST" if body is not None else "GET", path, body, {"Host": "lull.example.org", **more})
        answer = line.getresponse()
        told = answer.read()
        return answer.status, json.loads(told) if answer.status == 200 else told
    finally:
        line.close()


@pytest.mark.parametrize("proxy", [_haproxy, _nginx])
def test_the_files_of_the_docs_hold_as_they_stand(proxy: Callable[..., Any], tmp_path: Path) -> None:
    plain, tls = free_port(), free_port()
    with proxy(tmp_path, plain, tls):
        _until(lambda: port_in_use(tls) and _asked(tls, "/api/me")[0] == 200)
        # Who has asked, and how: what a stranger says of it is not believed.
        lies = {"X-Forwarded-For": "6.6.6.6", "X-Forwarded-Proto": "http", "X-Forwarded-Host": "elsewhere"}
        _, told = _asked(tls, "/api/takes/0b6e4e57-2f3c-4b11-9c92-5a04b5f0a6b1/view", more=lies)
        assert (told["scheme"], told["from"], told["host"]) == ("https", "127.0.0.1", "lull.example.org")
        # A file of 120 MiB comes through whole; a larger one than is ever taken does not.
        status, told = _asked(tls, "/api/takes", bytes(120 * MIB))
        assert (status, told["bytes"]) == (200, 120 * MIB)
        assert _refused(tls, 131 * MIB) == 413
        # Plain HTTP is sent on.
        line = http.client.HTTPConnection("127.0.0.1", plain, timeout=20)
        line.request("GET", "/take?x=1", headers={"Host": "lull.example.org"})
        answer = line.getresponse()
        assert (answer.status, answer.headers["Location"]) == (308, "https://lull.example.org/take?x=1")
        line.close()
        # What is sent by halves is dropped in time.
        with socket.create_connection(("127.0.0.1", tls), 40) as half:
            halved = ssl._create_unverified_context().wrap_socket(half)
            halved.sendall(b"GET /api/me HTTP/1.1\r\nHost: lull.example.org\r\n")
            begun = time.monotonic()
            while halved.recv(4096):
                pass
            assert time.monotonic() - begun < 25
        assert _asked(tls, "/enter/a-secret")[1]["path"] == "/enter/a-secret"


def _refused(port: int, size: int) -> int:
    """The status of something whose size is told, and of which just the beginning is sent."""
    head = f"POST /api/takes HTTP/1.1\r\nHost: lull.example.org\r\nContent-Length: {size}\r\n\r\n"
    with socket.create_connection(("127.0.0.1", port), 20) as plain:
        line = ssl._create_unverified_context().wrap_socket(plain)
        # It may be cut off before it has read the answer.
        with contextlib.suppress(OSError):
            line.sendall(head.encode() + bytes(32_768))
            return int(line.recv(4096).split()[1])
        return 413
