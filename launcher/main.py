"""The launcher's commands."""

import argparse
import hashlib
import json
import os
import secrets
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any

from launcher import backup, install, postgres, units
from launcher.base import PYTHON, ROOT, STATE, WEB, Trouble, django_command, private_text, run, say, with_path
from launcher.fleet import environment as serving_environment
from launcher.fleet import fleet, processes
from launcher.proxying import example, proxy
from launcher.serving import process, trusting, working
from launcher.supervision import supervised

HELP = """usage: ./lull COMMAND

  demo [--port N]   set up, load the demo takes, serve, and print a link that signs in
  test [...]        all checks, then all tests (further words go to pytest)
  serve [--port N]  serve in earnest, behind a proxy that speaks HTTPS (see docs/running.md)
  backup FILE       everything in one file (DIR --keep N: by a timer); restore FILE [--replace] brings it back
  units DIR         write systemd's units, for a server that starts at boot
  link              print another link that signs in to a Lull that runs
  invite            print a link with which somebody makes an account
  dev               serve with reload while you work on Lull itself
  bench             measure: previews, reading, folding, drawing
  pictures          take the pictures in docs/screenshots anew
  shape, play,      work on MIDI files without a server (./lull shape --help)
  check, inspect, receive
  manage ...        Django's own commands (createsuperuser, changepassword ...)
  format            bring Python and TypeScript into their format
  generate          make docs/strokes.md, docs/openapi.json and what the desk knows of the API anew
  lock              make the locks anew: requirements.in, requirements.dev.in, requirements.mutants.in
"""


def main(words: list[str]) -> int:
    """Run one command and give its exit code."""
    # Also where a shell started us with Ctrl-C ignored, as it does for background jobs.
    for stop in (signal.SIGINT, signal.SIGTERM):
        signal.signal(stop, _interrupt)
    command, rest = (words[0], words[1:]) if words else ("help", [])
    try:
        if command not in COMMANDS:
            print(HELP, end="")
            return 0 if command in ("help", "-h", "--help") else 2
        return COMMANDS[command](rest)
    except Trouble as trouble:
        say(str(trouble))
        return 1
    except KeyboardInterrupt:
        return 130


def _interrupt(_signal: int, _frame: FrameType | None) -> None:
    raise KeyboardInterrupt


def _environment(database: str, **more: str) -> dict[str, str]:
    return with_path(DATABASE_URL=database, LULL_SECRET_KEY=_secret(), **more)


def _secret() -> str:
    """Who serves others says it; what is done beside that has to be signed with the same."""
    return os.environ.get("LULL_SECRET_KEY") or private_text(STATE / "secret-key", secrets.token_urlsafe(48))


def _port(words: list[str], name: str) -> int:
    parser = argparse.ArgumentParser(prog=f"./lull {name}")
    parser.add_argument("--port", type=int, help="the port to serve on (default: 8000, or the next that is free)")
    asked: int | None = parser.parse_args(words).port
    if asked is not None:
        if postgres.port_in_use(asked):
            raise Trouble(f"Port {asked} is in use; choose another: ./lull {name} --port {asked + 1}")
        return asked
    port = next(port for port in range(8000, 8100) if not postgres.port_in_use(port))
    if port != 8000:
        say(f"port 8000 is in use; serving on {port}")
    return port


def _prepare(environment: dict[str, str], address: str) -> str:
    """Migrate and load the demo; the link that signs in."""
    run(*django_command("migrate", "--verbosity", "0"), env=environment, what="Migrating the database")
    run(*django_command("purge"), env=environment, what="Removing what was deleted long ago")
    return _demo(environment, address)


def _demo(environment: dict[str, str], address: str) -> str:
    """The demo account, made where it is missing; a link that signs in."""
    shown = subprocess.run(
        django_command("demo", "--address", address), cwd=ROOT, env=environment, capture_output=True, text=True
    )
    if shown.returncode:
        raise Trouble(f"Loading the demo failed: {shown.stderr.strip()[-600:]}")
    return shown.stdout.strip()


def _serve(words: list[str]) -> int:
    port = _port(words, "demo")
    install.python_packages()
    install.front_end()
    address = f"http://127.0.0.1:{port}"
    with postgres.database() as url:
        environment = _environment(url)
        link = _prepare(environment, address)

        def ready() -> None:
            print(f"\n  Lull is ready. Sign in with this link, once:\n\n    {link}\n", flush=True)
            print("  For another: ./lull link. Ctrl-C stops Lull.\n", flush=True)

        return _kept_running(port, environment, url, ready)


LOOK = 0.2
"""Seconds between two looks whether the database, and what looks after all else, are there."""


def _kept_running(
    port: int, env: dict[str, str], url: str, ready: Callable[[], None], more: tuple[str, ...] = ()
) -> int:
    _told_served(port)
    members = fleet(port, PYTHON, more)
    try:
        with supervised(members, serving_environment(port, env)) as supervisor:
            ready()
            while True:
                postgres.revive(url)
                supervisor.look_after()
                time.sleep(LOOK)
    except KeyboardInterrupt:
        say("stopping ...")
        return 0


def _serve_in_earnest(words: list[str]) -> int:
    """For others, by settings from the environment alone: none of them is made up here."""
    port = _port(words, "serve")
    install.python_packages()
    install.front_end()
    for name, what in (
        ("LULL_SECRET_KEY", "a long random text that nobody knows"),
        ("LULL_HOSTS", "the name that it is served under, lull.example.org (several: with commas)"),
    ):
        if not os.environ.get(name):
            raise Trouble(f"{name} is not set. Lull is not served to others without it: {what}.")
    if len(os.environ["LULL_SECRET_KEY"]) < 50:
        raise Trouble("LULL_SECRET_KEY is shorter than 50 letters; make one with: openssl rand -base64 48")
    with postgres.database() as url:
        environment = with_path(DATABASE_URL=url, LULL_PRODUCTION="1")
        run(*django_command("migrate", "--verbosity", "0"), env=environment, what="Migrating the database")
        deploy = ("check", "--deploy", "--fail-level", "WARNING")
        run(PYTHON, "manage.py", *deploy, env=environment, quiet=True, what="The check of the settings")
        run(*django_command("purge"), env=environment, what="Removing what was deleted long ago")

        def ready() -> None:
            say(f"serving {os.environ['LULL_HOSTS']} on http://127.0.0.1:{port}, for a proxy that speaks HTTPS")

        return _kept_running(port, environment, url, ready, trusting())


def _backup(words: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./lull backup")
    parser.add_argument("file", type=Path, help="the file to write; with --keep, the folder to write one into")
    parser.add_argument("--keep", type=_count, help="so many of the newest stay in the folder")
    parser.add_argument("--check", action="store_true", help="bring it back into a database of its own, and compare")
    asked = parser.parse_args(words)
    target: Path = asked.file.absolute()
    install.python_packages()
    with postgres.database() as url:
        if asked.keep:
            target, count = backup.into(url, _environment(url), target, asked.keep)
        else:
            count = backup.back_up(url, _environment(url), target)
        backup.tell(count, f"in {target}")
        if asked.check:
            backup.tell(backup.check(url, _environment(url), target), "could be brought back, and hold their bytes")
    return 0


def _count(word: str) -> int:
    if not word.isdecimal() or not int(word):
        raise argparse.ArgumentTypeError(f"{word} is no number from 1")
    return int(word)


def _restore(words: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./lull restore")
    parser.add_argument("file", type=Path)
    parser.add_argument("--replace", action="store_true", help="in place of what the database holds")
    asked = parser.parse_args(words)
    install.python_packages()
    with postgres.database() as url:
        count = backup.restore(url, _environment(url), asked.file.absolute(), asked.replace)
    backup.tell(count, "are back, and hold the bytes that they held")
    return 0


def _units(words: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./lull units")
    parser.add_argument("folder", type=Path, help="the folder to write into: /etc/systemd/system, or one to look at")
    parser.add_argument("--user", default="lull", help="the user as whom Lull runs (default: lull)")
    parser.add_argument("--listen", default=postgres.HOST, help="this machine's address, where the proxy is elsewhere")
    parser.add_argument("--proxy", default=postgres.HOST, help="the address of the machine of the proxy")
    parser.add_argument("--behind", nargs="*", default=[], help="machines that serve: ADDRESS or ADDRESS:PROCESSES")
    asked = parser.parse_args(words)
    install.python_packages()
    install.front_end()
    files = units.written(asked.folder, asked.user, asked.listen, asked.proxy, asked.behind, processes())
    units.verify(files)
    say(f"{len(files)} files in {asked.folder}; what they are told stands in {units.SETTINGS} (docs/running.md)")
    return 0


def _told_served(port: int) -> None:
    """Where Lull is served, and a trace of the secret that it signs with: for links that are asked for beside it."""
    (STATE / "served").write_text(json.dumps({"port": port, "secret": _trace(_secret())}))


def _trace(secret: str) -> str:
    return hashlib.blake2b(secret.encode(), digest_size=8, person=b"lull served").hexdigest()


def _served() -> dict[str, Any]:
    try:
        told = json.loads((STATE / "served").read_text())
    except (OSError, ValueError):
        return {}
    return told if isinstance(told, dict) else {}


def _served_port() -> int:
    return int(_served().get("port", 8000))


def _same_secret() -> None:
    """Raises Trouble where what is made here would be signed with another secret than the Lull that runs takes."""
    trace = _trace(_secret())
    if _served().get("secret", trace) != trace:
        raise Trouble("The Lull that runs here has another secret: set LULL_SECRET_KEY as it was set for ./lull serve.")


def _link(words: list[str]) -> int:
    """Another link for the demo account of a Lull that runs."""
    parser = argparse.ArgumentParser(prog="./lull link")
    parser.add_argument("--port", type=int, help="the port that it is served on (default: that of the latest start)")
    asked: int | None = parser.parse_args(words).port
    port = asked if asked is not None else _served_port()
    if not postgres.port_in_use(port):
        raise Trouble(f"Nothing is served on port {port}. Start Lull with ./lull demo, or name its port: --port N.")
    _same_secret()
    install.python_packages()
    with postgres.database() as url:
        print(_demo(_environment(url), f"http://127.0.0.1:{port}"))
    return 0


def _invite(words: list[str]) -> int:
    """A link with which one person makes an account."""
    parser = argparse.ArgumentParser(prog="./lull invite")
    parser.add_argument("--address", help="where it is served (default: on loopback, as it was started last)")
    address: str = parser.parse_args(words).address or f"http://127.0.0.1:{_served_port()}"
    _same_secret()
    install.python_packages()
    with postgres.database() as url:
        run(*django_command("migrate", "--verbosity", "0"), env=_environment(url), what="Migrating the database")
        run(*django_command("invite", "--address", address.rstrip("/")), env=_environment(url), what="Inviting")
    return 0


def _hold(process: subprocess.Popen[bytes]) -> int:
    """Until Ctrl-C, or until the process ends by itself."""
    try:
        code = process.wait()
    except KeyboardInterrupt:
        say("stopping ...")
        return 0
    raise Trouble(f"The server ended by itself (exit {code}); see above.")


def _dev(words: list[str]) -> int:
    port = _port(words, "dev")
    install.python_packages()
    install.node_packages()
    vite_port = postgres.free_port()
    with postgres.database() as url:
        environment = _environment(url, LULL_DEBUG="1", LULL_ORIGINS=f"http://127.0.0.1:{vite_port}")
        link = _prepare(environment, f"http://127.0.0.1:{vite_port}")
        django = (PYTHON, "manage.py", "runserver", f"127.0.0.1:{port}")
        vite = ("npm", "run", "dev", "--", "--host", "127.0.0.1", "--port", str(vite_port), "--strictPort")
        with (
            process(*django, env=environment) as server,
            working(environment, PYTHON),
            process(*vite, cwd=WEB, env={**environment, "LULL_API": f"http://127.0.0.1:{port}"}),
        ):
            say(f"sign in with {link}")
            return _hold(server)


def _test(words: list[str]) -> int:
    proxies = ((name, install.found(name) is not None) for name in ("nginx", "openssl"))
    install.debian(("chromium", install.chromium() is not None), ("haproxy", proxy() is not None), *proxies)
    install.developer_packages()
    install.node_packages()
    install.front_end()
    tools = PYTHON.parent
    environment = _environment("")
    for what, command, folder in (
        ("format", (tools / "ruff", "format", "--check", "--quiet", "."), ROOT),
        ("lint", (tools / "ruff", "check", "--quiet", "."), ROOT),
        ("import rule", (tools / "lint-imports", "--no-cache"), ROOT),
        ("types", (tools / "mypy", "--no-error-summary"), ROOT),
        ("web format and lint", ("npm", "run", "--silent", "check"), WEB),
        ("web types", ("npm", "run", "--silent", "types"), WEB),
        ("the page's pure rooms", ("npm", "run", "--silent", "test"), WEB),
    ):
        say(f"checking {what} ...")
        run(*command, cwd=folder, env=environment, quiet=True, what=f"The check of {what}")
    with postgres.database() as url:
        beside = () if {"-n", "-x", "-s"} & set(words) else ("-n", "2", "--dist", "worksteal")
        command = (PYTHON, "-m", "pytest", *beside, *words)
        return subprocess.run(command, cwd=ROOT, env=_environment(url)).returncode


def _in_the_browser(module: str) -> Callable[[list[str]], int]:
    """A command that drives the built application in Chromium."""

    def command(words: list[str]) -> int:
        install.debian(("chromium", install.chromium() is not None))
        install.developer_packages()
        install.front_end()
        with postgres.database() as url:
            return subprocess.run([PYTHON, "-m", module, *words], cwd=ROOT, env=_environment(url)).returncode

    return command


def _manage(words: list[str]) -> int:
    install.python_packages()
    with postgres.database() as url:
        return subprocess.run([PYTHON, "manage.py", *words], cwd=ROOT, env=_environment(url)).returncode


def _format(_: list[str]) -> int:
    install.developer_packages()
    install.node_packages()
    run(PYTHON.parent / "ruff", "format", ".")
    run(PYTHON.parent / "ruff", "check", "--fix", ".")
    run("npm", "run", "--silent", "format", cwd=WEB)
    return 0


def _generate(_: list[str]) -> int:
    install.python_packages()
    install.node_packages()
    environment = _environment("")
    for module, file in (
        (("-m", "command", "strokes-doc"), "docs/strokes.md"),
        (("-m", "command", "strokes-table"), "web/src/api/generated/strokes.json"),
        (("-m", "command", "limits-doc"), "docs/limits.md"),
        (("manage.py", "openapi"), "docs/openapi.json"),
    ):
        made = subprocess.run([PYTHON, *module], cwd=ROOT, env=environment, capture_output=True, check=True).stdout
        (ROOT / file).write_bytes(made)
    (ROOT / "docs/haproxy.cfg").write_text(example())
    run("npm", "run", "--silent", "api", cwd=WEB)
    return 0


LOCKS = ("requirements", "requirements.dev", "requirements.mutants")


def _lock(_: list[str]) -> int:
    install.python_packages()
    run(PYTHON, "-m", "pip", "install", "--quiet", "uv")
    options = ("--generate-hashes", "--no-header", "--no-annotate", "--python-version", "3.11", "--quiet")
    for at, name in enumerate(LOCKS):
        # What is taken beside others agrees with those.
        beside = (word for other in LOCKS[:at] for word in ("-c", f"{other}.lock"))
        target = ROOT / f"{name}.lock"
        run(PYTHON, "-m", "uv", "pip", "compile", f"{name}.in", *beside, *options, "-o", target)
        target.write_text(f"# Made by ./lull lock from {name}.in; do not edit.\n" + target.read_text())
    return 0


COMMANDS = {
    "demo": _serve,
    "serve": _serve_in_earnest,
    "backup": _backup,
    "restore": _restore,
    "units": _units,
    "link": _link,
    "invite": _invite,
    "dev": _dev,
    "test": _test,
    "bench": _in_the_browser("bench"),
    "pictures": _in_the_browser("docs.pictures"),
    "manage": _manage,
    "format": _format,
    "generate": _generate,
    "lock": _lock,
}
