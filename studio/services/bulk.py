"""What weighs much and is not in the database: sounds beside takes, and SoundFonts, in Django's storage "files".

A file is never changed. One that belongs to nothing any more goes at night, so that a backup finds all that the
database names, whatever is done meanwhile.
"""

import time
from collections.abc import Iterator
from pathlib import Path
from uuid import uuid4

from django.core.files.base import ContentFile, File
from django.core.files.storage import Storage, storages

from expression.errors import BadFile
from studio.models import SoundBank, TakeSound
from studio.services.places import reached

GONE = "This file is no longer where Lull keeps files; bring it again."
SOUNDS, BANKS = FOLDERS = ("sounds", "banks")
OLD = 60 * 60
"""Seconds in which what has come is surely told to the database."""


def keep(data: bytes, folder: str, kind: str) -> str:
    """Keep a file; its name, for the row that it belongs to."""
    with reached():
        return _storage().save(f"{folder}/{uuid4().hex}.{kind}", ContentFile(data))


def read(name: str) -> bytes:
    """All of a file. Raises BadFile where it has gone."""
    try:
        with reached(), _storage().open(name) as file:
            data: bytes = file.read()
            return data
    except FileNotFoundError:
        raise BadFile(GONE) from None


def drop(names: list[str]) -> None:
    """These are needed no longer, and are not to wait for the night."""
    with reached():
        for name in names:
            _storage().delete(name)


def sweep() -> int:
    """Drop what belongs to nothing; how many files they were."""
    known = _known()
    gone = [name for name in _all() if name not in known and _age(name) > OLD]
    drop(gone)
    return len(gone)


def copied_to(folder: Path) -> int:
    """Copy those that the database names, and that are not there yet, into a folder; how many they were."""
    names = [name for name in _known() if not (folder / name).exists()]
    for name in names:
        target = folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        with reached(), _storage().open(name) as kept, target.open("wb") as copy:
            for piece in kept.chunks():
                copy.write(piece)
    return len(names)


def copied_from(folder: Path) -> int:
    """Take in what is in such a folder and is not here yet; how many they were."""
    files = [file for name in FOLDERS if (folder / name).is_dir() for file in sorted((folder / name).iterdir())]
    for file in files:
        name = file.relative_to(folder).as_posix()
        with reached(), file.open("rb") as opened:
            if not _storage().exists(name):
                _storage().save(name, File(opened))
    return len(files)


def _known() -> set[str]:
    return {name for row in (TakeSound, SoundBank) for name in row.objects.values_list("file", flat=True)}


def _all() -> Iterator[str]:
    with reached():
        for folder in FOLDERS:
            try:
                yield from (f"{folder}/{name}" for name in _storage().listdir(folder)[1])
            except FileNotFoundError:
                continue


def _age(name: str) -> float:
    return time.time() - _storage().get_modified_time(name).timestamp()


def _storage() -> Storage:
    return storages["files"]
