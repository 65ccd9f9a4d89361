"""What Lull stands on: Debian packages, Python packages, the built front end. Each step is skipped when up to date."""

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

from launcher.base import PYTHON, ROOT, STATE, VENV, WEB, Trouble, digest, run, say, up_to_date

LEAST_NODE = (20, 19)


def debian(*needs: tuple[str, bool]) -> None:
    """Install Debian packages of which something is missing: (package, is it there?)."""
    missing = [package for package, there in needs if not there]
    if not missing:
        return
    by_hand = f"sudo apt-get install {' '.join(missing)}"
    names = " and ".join(missing)
    if shutil.which("apt-get") is None:
        raise Trouble(f"{names} missing; install with your system's packages (on Debian: {by_hand}).")
    prefix: list[str] = [] if os.geteuid() == 0 else ["sudo", "-n"]
    if prefix and (shutil.which("sudo") is None or subprocess.run([*prefix, "true"], capture_output=True).returncode):
        raise Trouble(f"{names} missing and not yours to install; ask for: {by_hand}")
    say(f"installing {names} ...")
    # Debian would make and start a server of its own; Lull runs one in its own folder instead.
    silent = {**os.environ, "DEBIAN_FRONTEND": "noninteractive", "RUNLEVEL": "1"}
    try:
        run(*prefix, "apt-get", "-q", "update", quiet=True, env=silent)
        run(*prefix, "apt-get", "-q", "install", "-y", "--no-install-recommends", *missing, quiet=True, env=silent)
    except Trouble:
        raise Trouble(f"{names} could not be installed; see above, then try: {by_hand}") from None


def found(name: str) -> str | None:
    """A program that may be where only root looks for it."""
    return shutil.which(name, path=os.pathsep.join((os.environ.get("PATH", ""), "/usr/sbin", "/usr/local/sbin")))


def chromium() -> Path | None:
    """The browser that the tests and the bench drive."""
    found = shutil.which("chromium") or shutil.which("chromium-browser")
    return Path(found) if found else None


def python_packages() -> None:
    """A virtual environment with exactly what requirements.lock names."""
    stamp = VENV / "lull-stamp"
    mark = digest([ROOT / "requirements.lock"], sys.version)
    if PYTHON.exists() and up_to_date(stamp, mark):
        return
    say("installing Python packages ...")
    if not stamp.exists():  # Never finished: begin anew.
        shutil.rmtree(VENV, ignore_errors=True)
    stamp.unlink(missing_ok=True)
    STATE.mkdir(exist_ok=True)
    # Not by the Python of the environment itself, which may be what runs this: it is cleared.
    base = getattr(sys, "_base_executable", None) or sys.executable
    try:
        run(base, "-m", "venv", "--clear", VENV, quiet=True)
    except Trouble:
        debian(("python3-venv", False))
        run(base, "-m", "venv", "--clear", VENV, quiet=True)
    from_lock(ROOT / "requirements.lock", "Installing Python packages")
    stamp.write_text(mark)


def developer_packages() -> None:
    """Beside them what tests, checks and the bench need, exactly as requirements.dev.lock names it."""
    python_packages()
    stamp = VENV / "lull-dev-stamp"
    mark = digest([ROOT / "requirements.dev.lock"], sys.version)
    if up_to_date(stamp, mark):
        return
    say("installing packages for tests and checks ...")
    from_lock(ROOT / "requirements.dev.lock", "Installing packages for tests and checks")
    stamp.write_text(mark)


def from_lock(lock: Path, what: str, *options: str | Path) -> None:
    """Exactly what a lock names, into the environment or where the options of pip say."""
    pip = (PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes")
    run(*pip, *options, "-r", lock, quiet=True, what=what)


def node_packages() -> None:
    """The front end's packages, exactly as package-lock.json names them."""
    _check_node()
    stamp = WEB / "node_modules" / ".lull-stamp"
    mark = digest([WEB / "package-lock.json"])
    if up_to_date(stamp, mark):
        return
    say("installing front-end packages ...")
    run("npm", "ci", "--no-audit", "--no-fund", quiet=True, cwd=WEB, what="npm ci")
    stamp.write_text(mark)


def front_end() -> None:
    """The built front end."""
    stamp = STATE / "front-end-stamp"
    folders = (WEB / "src", WEB / "public", ROOT / "docs" / "guide", ROOT / "docs" / "screenshots")
    sources = [file for folder in folders for file in sorted(folder.rglob("*")) if file.is_file()]
    mark = digest(
        [*sources, *(WEB / name for name in ("index.html", "vite.config.ts", "guide.ts", "package-lock.json"))]
    )
    if up_to_date(stamp, mark) and (WEB / "dist" / "index.html").exists():
        return
    node_packages()
    say("building the front end ...")
    run("npm", "run", "--silent", "build", quiet=True, cwd=WEB, what="The front-end build")
    STATE.mkdir(exist_ok=True)
    stamp.write_text(mark)


def _check_node() -> None:
    if shutil.which("npm") is None:
        debian(("nodejs", shutil.which("node") is not None), ("npm", False))
    shown = subprocess.run(["node", "--version"], capture_output=True, text=True).stdout
    version = tuple(map(int, re.findall(r"\d+", shown)[:2]))
    if version < LEAST_NODE:
        wanted = ".".join(map(str, LEAST_NODE))
        raise Trouble(f"Node.js {wanted} or newer is needed to build the front end; this is {shown.strip() or 'none'}.")
