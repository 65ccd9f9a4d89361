"""Files that wait: those that a worker is to read, and archives that their players are to fetch.

They are kept by Django's storage "spool": a folder of this machine, or a bucket that all machines reach. A file is kept
in pieces, as it came: `{job}/{number of the piece}`.
"""

import io
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO, TYPE_CHECKING, NamedTuple
from uuid import UUID

from django.conf import settings
from django.core.files.base import ContentFile, File
from django.core.files.storage import FileSystemStorage, Storage, storages

from studio.services.places import reached

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer

OLD = 60 * 60
"""Seconds after which a file that belongs to nothing is nobody's."""


class State(NamedTuple):
    """How it is with the spool: bytes free on its disk, bytes that wait, and whether files can be kept.

    None: it is a bucket, where nobody counts.
    """

    free: int | None
    waiting: int | None
    is_writable: bool


def state() -> State:
    """How it is just now."""
    kept = _storage()
    try:
        if not isinstance(kept, FileSystemStorage):
            with reached():
                kept.exists("a probe")
            return State(None, None, True)
        folder = Path(settings.SPOOL)
        held = sum(file.stat().st_size for file in folder.rglob("*") if file.is_file())
        free = shutil.disk_usage(folder).free
        probe = folder / f".written-{os.getpid()}"
        probe.write_bytes(b"")
        probe.unlink()
    except OSError:
        return State(0, 0, False)
    return State(free, held, True)


def keep(job_id: UUID, file: "File[bytes]") -> None:
    """Keep an uploaded file, or one that was made here, so that it outlives the machine's power."""
    with reached():
        _storage().save(_piece(job_id, 0), file)


def add(job_id: UUID, piece: bytes) -> None:
    """Another piece at the end of a file."""
    with reached():
        _storage().save(_piece(job_id, len(_pieces(job_id))), ContentFile(piece))


def size(job_id: UUID) -> int:
    """How many bytes of a file are here: none where it is not."""
    with reached():
        return sum(_storage().size(name) for name in _pieces(job_id))


def read(job_id: UUID) -> bytes | None:
    """A file; None where it is gone."""
    names = _pieces(job_id)
    return b"".join(_bytes(name) for name in names) if names else None


def opened(job_id: UUID) -> IO[bytes]:
    """A file to read from any place on: one piece at a time is here."""
    return io.BufferedReader(_Pieces(job_id))


@contextmanager
def making(job_id: UUID) -> Iterator[Path]:
    """A path to write a file to, which is kept when all of it is there."""
    handle, name = tempfile.mkstemp(dir=settings.FILE_UPLOAD_TEMP_DIR, prefix="made-")
    os.close(handle)
    path = Path(name)
    try:
        yield path
        with path.open("rb") as made:
            keep(job_id, _Made(made, name))
    finally:
        path.unlink(missing_ok=True)


def drop(job_id: UUID) -> None:
    """A file is needed no longer."""
    with reached():
        for name in _pieces(job_id):
            _storage().delete(name)
        with suppress(OSError):  # A bucket has no folders.
            _storage().delete(str(job_id))


def sweep(known: set[str]) -> int:
    """Drop files that belong to no job (of those that are not being written just now); how many they were."""
    gone = 0
    # Where nothing was kept yet there is no folder.
    with reached(), suppress(FileNotFoundError):
        for name in _storage().listdir("")[0]:
            with suppress(ValueError):
                job_id = UUID(name)
                times = [_storage().get_modified_time(piece).timestamp() for piece in _pieces(job_id)]
                if name not in known and max(times, default=0.0) < time.time() - OLD:
                    drop(job_id)
                    gone += 1
    # What was arriving at a process that was killed.
    folder = Path(settings.FILE_UPLOAD_TEMP_DIR)
    for file in folder.iterdir() if folder.exists() else ():
        if file.is_file() and file.stat().st_mtime < time.time() - OLD:
            file.unlink(missing_ok=True)
            gone += 1
    return gone


class _Made(File):  # type: ignore[type-arg]
    """A file that was made here, and can be moved to where it is kept."""

    def __init__(self, file: IO[bytes], path: str) -> None:
        super().__init__(file)
        self._path = path

    def temporary_file_path(self) -> str:
        """As Django's own temporary files tell it."""
        return self._path


class _Pieces(io.RawIOBase):
    """The pieces of a file, one after another."""

    def __init__(self, job_id: UUID) -> None:
        with reached():
            self._names = _pieces(job_id)
            sizes = [_storage().size(name) for name in self._names]
        self._starts = [sum(sizes[:at]) for at in range(len(sizes))]
        self._size, self._at = sum(sizes), 0
        self._held: tuple[int, IO[bytes]] | None = None

    def readable(self) -> bool:
        """It can be read."""
        return True

    def seekable(self) -> bool:
        """It can be read from any place on."""
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        """Go on elsewhere."""
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence]
        if base + offset < 0:
            raise ValueError("There is nothing before the beginning.")
        self._at = base + offset
        return self._at

    def tell(self) -> int:
        """Where it goes on."""
        return self._at

    def readinto(self, buffer: "WriteableBuffer") -> int:
        """The next bytes, of one piece."""
        if self._at >= self._size:
            return 0
        number = max(at for at, start in enumerate(self._starts) if start <= self._at)
        with reached():
            if self._held is None or self._held[0] != number:
                self._let_go()
                self._held = number, _storage().open(self._names[number])
            piece = self._held[1]
            piece.seek(self._at - self._starts[number])
            view = memoryview(buffer)
            found = piece.read(len(view))
        view[: len(found)] = found
        self._at += len(found)
        return len(found)

    def close(self) -> None:
        """Let go of it."""
        self._let_go()
        super().close()

    def _let_go(self) -> None:
        if self._held is not None:
            self._held[1].close()
            self._held = None


def _storage() -> Storage:
    return storages["spool"]


def _piece(job_id: UUID, number: int) -> str:
    return f"{job_id}/{number:06}"


def _pieces(job_id: UUID) -> list[str]:
    try:
        with reached():
            return [f"{job_id}/{name}" for name in sorted(_storage().listdir(str(job_id))[1])]
    except (FileNotFoundError, NotADirectoryError):
        return []


def _bytes(name: str) -> bytes:
    with reached(), _storage().open(name) as file:
        data: bytes = file.read()
        return data
