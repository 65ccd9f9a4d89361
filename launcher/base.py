"""Places, stamps and running commands."""

import hashlib
import os
import subprocess
import sys
from collections.abc import Iterable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
STATE = ROOT / ".lull"
VENV = STATE / "venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"


class Trouble(Exception):
    """What stands in the way, and what to do about it, in one line."""


def say(line: str) -> None:
    """One line of progress. On stderr, so that what a command prints stays clean."""
    print(f"lull: {line}", file=sys.stderr, flush=True)


def run(*command: str | Path, quiet: bool = False, what: str = "", **options: object) -> None:
    """Run a command; Trouble when it fails. `quiet` holds its output back unless it does."""
    try:
        result = subprocess.run(  # type: ignore[call-overload]
            list(map(str, command)),
            stdout=subprocess.PIPE if quiet else None,
            stderr=subprocess.STDOUT if quiet else None,
            stdin=subprocess.DEVNULL,
            **{"cwd": ROOT, **options},
        )
    except OSError as error:
        raise Trouble(f"{what or command[0]} could not be started: {error.strerror}.") from None
    if result.returncode:
        if quiet:
            sys.stderr.buffer.write(result.stdout[-4000:])
        raise Trouble(f"{what or ' '.join(map(str, command[:3]))} failed (exit {result.returncode}); see above.")


def django_command(*words: object) -> list[str]:
    """A command of Django's. What it looks over before each (all of the site) is looked over by `check` alone."""
    return [str(PYTHON), "manage.py", *map(str, words), "--skip-checks"]


def digest(files: Iterable[Path], *more: str) -> str:
    """A fingerprint of files by name and content."""
    seen = hashlib.sha256("\0".join(more).encode())
    for file in sorted(files):
        seen.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return seen.hexdigest()


def up_to_date(stamp: Path, mark: str) -> bool:
    """Whether a step was finished for just this input."""
    return stamp.exists() and stamp.read_text() == mark


def with_path(**more: str) -> dict[str, str]:
    """The environment in which Lull's own modules are found, and what Python compiles is kept apart from them."""
    paths = [str(ROOT), *filter(None, [os.environ.get("PYTHONPATH")])]
    known = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    return {**known, "PYTHONPATH": os.pathsep.join(paths), "PYTHONPYCACHEPREFIX": str(STATE / "bytecode"), **more}


def private_text(path: Path, make: str) -> str:
    """The content of a file that only its owner can read; written with `make` when it is not there."""
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
        with os.fdopen(handle, "w") as file:
            file.write(make)
    return path.read_text()
