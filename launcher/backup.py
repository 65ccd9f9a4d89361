"""Everything in one file, and back again: the database as PostgreSQL's own tools write it, and what its takes weigh.

The file is a tar of `database.dump` (pg_dump, custom format), `files/` (sounds and SoundFonts, wherever they are kept)
and `takes.json` (of each take the SHA-256 of its recording and of its sound, and how many steps its history has), by
which a restore is checked.
"""

import json
import os
import subprocess
import tarfile
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import urlsplit

from launcher.base import PYTHON, ROOT, Trouble, django_command, say
from launcher.postgres import programs

DUMP, TAKES, FILES = "database.dump", "takes.json", "files"


def back_up(url: str, environment: dict[str, str], target: Path) -> int:
    """Write the file; how many takes are in it. Raises Trouble. No half of one is ever seen."""
    beside = target.with_name(f".{target.name}.{os.getpid()}")
    with tempfile.TemporaryDirectory() as folder:
        # Told before the dump is made: recordings never change, so what is in the one is in the other.
        told = _digests(environment)
        (Path(folder) / TAKES).write_text(json.dumps(told))
        # Checkpoints are made anew from what the rest of it says.
        ways = ("--format=custom", "--no-owner", "--exclude-table-data=studio_checkpoint")
        (Path(folder) / FILES).mkdir()
        # Before it and after it: those that give way to others meanwhile, and those that come.
        _manage(environment, "files", "--to", Path(folder) / FILES)
        _tool("pg_dump", url, *ways, f"--file={Path(folder) / DUMP}")
        _manage(environment, "files", "--to", Path(folder) / FILES)
        try:
            with tarfile.open(beside, "w") as tar:
                for name in (TAKES, DUMP, FILES):
                    tar.add(Path(folder) / name, name)
            beside.chmod(0o600)
            beside.replace(target)
        except OSError as error:
            beside.unlink(missing_ok=True)
            raise Trouble(f"{target} cannot be written: {(error.strerror or str(error)).lower()}.") from None
    return len(told)


def into(url: str, environment: dict[str, str], folder: Path, keep: int) -> tuple[Path, int]:
    """Write one named after this moment into a folder, of which so many of the newest stay. Raises Trouble.

    Its path, and how many takes are in it.
    """
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    target = folder / f"lull-{datetime.now(UTC):%Y%m%d-%H%M%S}.tar"
    count = back_up(url, environment, target)
    for old in sorted(folder.glob("lull-????????-??????.tar"))[:-keep]:
        old.unlink()
    return target, count


def check(url: str, environment: dict[str, str], source: Path) -> int:
    """Bring one back into a database of its own, which is dropped again; how many takes were found as they were.

    Raises Trouble where it is damaged, or where the database lets nobody make another one.
    """
    name = f"lull_check_{os.getpid()}"
    server, _, _ = url.rpartition("/")
    _statement(f"{server}/postgres", f"create database {name}")
    try:
        scratch = f"{server}/{name}"
        with tempfile.TemporaryDirectory() as files:
            beside = {**environment, "DATABASE_URL": scratch, "LULL_FILES": files, "LULL_S3_BUCKET": ""}
            return restore(scratch, beside, source, False)
    finally:
        _statement(f"{server}/postgres", f"drop database {name} with (force)")


def _statement(url: str, statement: str) -> None:
    code = (
        "import os, psycopg\n"
        "with psycopg.connect(os.environ['DATABASE_URL'], autocommit=True) as link:\n"
        f"    link.execute({statement!r})\n"
    )
    made = subprocess.run(
        [str(PYTHON), "-c", code], env={**os.environ, "DATABASE_URL": url}, capture_output=True, text=True
    )
    if made.returncode:
        raise Trouble(
            "The backup is written, and could not be checked, since no database can be made beside this one: "
            f"{(made.stderr.strip().splitlines() or ['no answer'])[-1]}"
        )


def restore(url: str, environment: dict[str, str], source: Path, replace: bool) -> int:
    """Bring everything back; how many takes were found as they were. Raises Trouble, also where one is not.

    A database that holds anything is left alone, unless it is to be replaced; what cannot be read changes nothing.
    """
    with tempfile.TemporaryDirectory() as folder:
        try:
            with tarfile.open(source) as tar:
                tar.extractall(folder, filter="data")
            told = json.loads((Path(folder) / TAKES).read_text())
        except (OSError, tarfile.TarError, KeyError, ValueError):
            raise Trouble(f"{source} is no backup of Lull, or is damaged.") from None
        if not replace and _holds_anything(url, environment):
            raise Trouble("This database is in use: nothing was changed. To put the backup in its place: --replace")
        ways = ("--clean", "--if-exists") if replace else ()
        dump = str(Path(folder) / DUMP)
        _tool("pg_restore", url, "--no-owner", "--single-transaction", "--exit-on-error", *ways, dump, dbname=True)
        if (Path(folder) / FILES).is_dir():  # Before they were there, the database held them.
            _manage(environment, "files", "--from", Path(folder) / FILES)
    # What came after the backup was made: tables that it does not know yet.
    _manage(environment, "migrate", "--verbosity", "0")
    found = _digests(environment)
    lost = [take for take in told if take not in found]
    other = [
        take
        for take, one in told.items()
        if take in found and any(found[take].get(what) != one.get(what) for what in ("sha256", "sound") if what in one)
    ]
    shorter = [take for take, one in told.items() if take in found and found[take]["steps"] < one["steps"]]
    if lost or other or shorter:
        raise Trouble(
            f"Of {len(told)} takes {len(lost)} are missing, {len(other)} hold other bytes and {len(shorter)} have lost "
            "steps: the backup is damaged."
        )
    return len(told)


def _manage(environment: dict[str, str], *words: object) -> str:
    result = subprocess.run(django_command(*words), cwd=ROOT, env=environment, capture_output=True, text=True)
    if result.returncode:
        raise Trouble(f"manage.py {words[0]} failed: {result.stderr.strip()[-300:]}")
    return result.stdout


def _digests(environment: dict[str, str]) -> dict[str, dict[str, object]]:
    told: dict[str, dict[str, object]] = json.loads(_manage(environment, "digests"))
    return told


def _holds_anything(url: str, environment: dict[str, str]) -> bool:
    code = (
        "import os, psycopg\n"
        "with psycopg.connect(os.environ['DATABASE_URL']) as link:\n"
        "    print(link.execute(\"select count(*) from pg_tables where schemaname = 'public'\").fetchone()[0])\n"
    )
    result = subprocess.run([str(PYTHON), "-c", code], env={**environment, "DATABASE_URL": url}, capture_output=True)
    if result.returncode:
        raise Trouble("The database does not answer.")
    return int(result.stdout) > 0


def _tool(name: str, url: str, *words: str, dbname: bool = False) -> None:
    """A program of PostgreSQL's on a database. Its password goes by the environment, which others cannot read."""
    folder = programs()
    if folder is None or not (folder / name).exists():
        raise Trouble(f"{name} is not on this machine; install it with: sudo apt-get install postgresql-client")
    at = urlsplit(url)
    environment = {
        **os.environ,
        "PGHOST": at.hostname or "",
        "PGPORT": str(at.port or 5432),
        "PGUSER": at.username or "",
        "PGPASSWORD": at.password or "",
        "PGDATABASE": at.path.lstrip("/"),
    }
    named = (f"--dbname={at.path.lstrip('/')}",) if dbname else ()
    result = subprocess.run([str(folder / name), *named, *words], env=environment, capture_output=True, text=True)
    if result.returncode:
        raise Trouble(f"{name} failed: {result.stderr.strip()[-400:]}")


def tell(count: int, what: str) -> None:
    """How it went, in a line."""
    say(f"{count:,} take{'' if count == 1 else 's'} {what}")
