"""A backup of a live database, and what is there after a restore; and settings for serving others."""

import hashlib
import json
import os
import subprocess
import sys
import tarfile
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from django.contrib.auth.models import User
from django.db import connection

from expression.strokes import parse_stroke
from launcher import backup
from launcher.base import PYTHON, ROOT, Trouble
from studio.models import Step, Take
from studio.services import shaping, sounds, takes
from tests.expression.test_sound import tone, wav
from tests.files import file_of, phrase

SECRET = "x" * 20 + "Only the test knows this one, and nobody else at all."


def url_of(name: str) -> str:
    return "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/".format(**connection.settings_dict) + name


def environment(url: str) -> dict[str, str]:
    return {**os.environ, "DATABASE_URL": url, "DJANGO_SETTINGS_MODULE": "tests.settings", "LULL_SECRET_KEY": SECRET}


@pytest.fixture
def empty() -> Iterator[str]:
    """A database with nothing in it, beside the one of the tests."""
    name = f"restored_{os.getpid()}"
    with psycopg.connect(url_of("postgres"), autocommit=True) as link:
        link.execute(f"drop database if exists {name} with (force)")
        link.execute(f"create database {name}")
        yield url_of(name)
        link.execute(f"drop database {name} with (force)")


@pytest.mark.django_db(transaction=True)
def test_what_was_backed_up_is_there_again_byte_for_byte(tmp_path: Path, empty: str) -> None:
    anna = User.objects.create_user("anna", password="a long enough one")
    files = [file_of(phrase([64 + n] * 5)) for n in range(3)]
    kept = [takes.add(anna, f"{n}.mid", data) for n, data in enumerate(files)]
    stroke = parse_stroke({"kind": "velocity.set", "value": 99})
    shaping.commit(anna, kept[0].pk, 0, stroke)
    sounds.add(kept[1], "hum.wav", wav(tone(0.3)))
    live = url_of(str(connection.settings_dict["NAME"]))
    target = tmp_path / "all.tar"
    assert backup.back_up(live, environment(live), target) == 3
    assert target.stat().st_mode & 0o077 == 0
    assert list(tmp_path.iterdir()) == [target]
    with tarfile.open(target) as tar:
        told = json.load(tar.extractfile(backup.TAKES))  # type: ignore[arg-type]
    assert {one["sha256"] for one in told.values()} == {hashlib.sha256(data).hexdigest() for data in files}
    assert sorted(one["steps"] for one in told.values()) == [0, 0, 1]
    # On another machine, where no sound is yet.
    elsewhere = {**environment(empty), "LULL_FILES": str(tmp_path / "files")}
    assert backup.restore(empty, elsewhere, target, replace=False) == 3
    (sound,) = (tmp_path / "files/sounds").iterdir()
    assert sound.read_bytes() == sounds.data(kept[1])
    with psycopg.connect(empty) as link:
        rows = link.execute("select source, revision from studio_take").fetchall()
        assert {bytes(source) for source, _ in rows} == set(files)
        assert link.execute("select stroke->>'value' from studio_step").fetchall() == [("99",)]
        assert link.execute("select username from auth_user").fetchall() == [("anna",)]
    # Where something is, nothing is overwritten unasked; asked, it is as it was.
    with pytest.raises(Trouble, match="in use: nothing was changed"):
        backup.restore(empty, environment(empty), target, replace=False)
    with psycopg.connect(empty, autocommit=True) as link:
        link.execute("delete from studio_step")
        assert backup.restore(empty, environment(empty), target, replace=True) == 3
        assert link.execute("select count(*) from studio_step").fetchall() == [(1,)]
    assert (Take.objects.count(), Step.objects.count()) == (3, 1)


@pytest.mark.django_db(transaction=True)
def test_a_damaged_backup_is_told_and_one_that_lost_something_too(tmp_path: Path, empty: str) -> None:
    (tmp_path / "none").write_bytes(b"no backup")
    with pytest.raises(Trouble, match="no backup of Lull"):
        backup.restore(empty, environment(empty), tmp_path / "none", replace=False)
    live = url_of(str(connection.settings_dict["NAME"]))
    target = tmp_path / "all.tar"
    backup.back_up(live, environment(live), target)
    # One that is said to be in it and is not.
    with tarfile.open(target) as tar:
        tar.extractall(tmp_path / "out", filter="data")
    (tmp_path / "out" / backup.TAKES).write_text(json.dumps({"no-such-take": {"sha256": "", "steps": 0}}))
    with tarfile.open(target, "w") as tar:
        for name in (backup.TAKES, backup.DUMP, backup.FILES):
            tar.add(tmp_path / "out" / name, name)
    with pytest.raises(Trouble, match="Of 1 takes 1 are missing"):
        backup.restore(empty, environment(empty), target, replace=False)


@pytest.mark.django_db(transaction=True)
def test_of_many_backups_the_newest_stay_and_each_can_be_tried(tmp_path: Path) -> None:
    anna = User.objects.create_user("anna", password="a long enough one")
    take = takes.add(anna, "one.mid", file_of(phrase([64] * 5)))
    sounds.add(take, "hum.wav", wav(tone(0.3)))
    live = url_of(str(connection.settings_dict["NAME"]))
    folder = tmp_path / "backups"
    folder.mkdir()
    for name in ("lull-20200101-023000.tar", "lull-20200102-023000.tar", "of somebody else.tar"):
        (folder / name).write_bytes(b"")
    target, count = backup.into(live, environment(live), folder, 2)
    assert count == 1
    assert {file.name for file in folder.iterdir()} == {
        target.name, "lull-20200102-023000.tar", "of somebody else.tar",
    }  # fmt: skip
    assert backup.check(live, environment(live), target) == 1
    # A sound that is not as it was is found.
    with tarfile.open(target) as tar:
        tar.extractall(tmp_path / "out", filter="data")
    (sound,) = (tmp_path / "out" / backup.FILES / "sounds").iterdir()
    sound.write_bytes(sound.read_bytes()[:-1])
    with tarfile.open(tmp_path / "damaged.tar", "w") as tar:
        for name in (backup.TAKES, backup.DUMP, backup.FILES):
            tar.add(tmp_path / "out" / name, name)
    with pytest.raises(Trouble, match="1 hold other bytes"):
        backup.check(live, environment(live), tmp_path / "damaged.tar")
    with pytest.raises(Trouble, match="no backup of Lull"):
        backup.check(live, environment(live), folder / "lull-20200102-023000.tar")
    with psycopg.connect(url_of("postgres")) as link:
        assert link.execute("select datname from pg_database where datname like 'lull_check%'").fetchall() == []


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ({}, "LULL_SECRET_KEY is not set"),
        ({"LULL_SECRET_KEY": SECRET}, "LULL_HOSTS is not set"),
        ({"LULL_SECRET_KEY": "short", "LULL_HOSTS": "lull.example.org"}, "shorter than 50 letters"),
    ],
)
def test_lull_is_not_served_to_others_without_what_it_needs(given: dict[str, str], says: str) -> None:
    known = {name: value for name, value in os.environ.items() if not name.startswith("LULL_")}
    command = [sys.executable, str(ROOT / "launcher" / "__main__.py"), "serve", "--port", "0"]
    result = subprocess.run(command, env={**known, **given}, capture_output=True, text=True)
    assert result.returncode == 1
    assert says in result.stderr + result.stdout


def test_the_settings_for_others_have_nothing_to_be_warned_of() -> None:
    given = {**os.environ, "LULL_PRODUCTION": "1", "LULL_SECRET_KEY": SECRET, "LULL_HOSTS": "lull.example.org"}
    given["DJANGO_SETTINGS_MODULE"] = "config.settings"
    given.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)
    command = [str(PYTHON), "manage.py", "check", "--deploy", "--fail-level", "WARNING"]
    result = subprocess.run(command, cwd=ROOT, env=given, capture_output=True, text=True)
    assert result.returncode == 0, result.stderr
