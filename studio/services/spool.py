"""Files that wait: those that a worker is to read, and archives that their players are to fetch."""

import errno
import os
import shutil
import time
from pathlib import Path
from typing import NamedTuple
from uuid import UUID

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile

NO_ROOM = "Lull has no room left on its disk; nothing was changed. Whoever runs it has to make some."
READ_ONLY = "Lull cannot keep files just now: its disk lets nothing be written. Whoever runs it has to see to that."
TROUBLE = {
    **dict.fromkeys((errno.ENOSPC, errno.EDQUOT), NO_ROOM),
    **dict.fromkeys((errno.EROFS, errno.EACCES, errno.EPERM), READ_ONLY),
}


def trouble(error: BaseException | None) -> str | None:
    """What is wrong with the disk, in a sentence for the player; None where it is something else."""
    return TROUBLE.get(error.errno or 0) if isinstance(error, OSError) else None


class State(NamedTuple):
    """How it is with the folder: bytes free on its disk, bytes that wait in it, and whether it can be written."""

    free: int
    waiting: int
    is_writable: bool


def state() -> State:
    """How it is just now."""
    folder = Path(settings.SPOOL)
    try:
        held = sum(file.stat().st_size for file in folder.iterdir())
        free = shutil.disk_usage(folder).free
        probe = folder / f".written-{os.getpid()}"
        probe.write_bytes(b"")
        probe.unlink()
    except OSError:
        return State(0, 0, False)
    return State(free, held, True)


def path(job_id: UUID) -> Path:
    """Where a job's file is."""
    return Path(settings.SPOOL) / str(job_id)


def keep(job_id: UUID, file: "UploadedFile[bytes] | None" = None) -> None:
    """Keep an uploaded file (or begin one that is to come in pieces) so that it outlives the machine's power."""
    target = path(job_id)
    written = getattr(file, "temporary_file_path", None)
    if written is not None:
        os.link(written(), target)
    with target.open("ab") as kept:
        if file is not None and written is None:
            kept.write(file.read())
        kept.flush()
        os.fsync(kept.fileno())


def add(job_id: UUID, piece: bytes) -> None:
    """Another piece at the end of a file."""
    with path(job_id).open("ab") as kept:
        kept.write(piece)


def size(job_id: UUID) -> int:
    """How many bytes of a file are here: none where it is not."""
    try:
        return path(job_id).stat().st_size
    except OSError:
        return 0


def read(job_id: UUID) -> bytes | None:
    """A file; None where it is gone."""
    try:
        return path(job_id).read_bytes()
    except OSError:
        return None


def drop(job_id: UUID) -> None:
    """A file is needed no longer."""
    path(job_id).unlink(missing_ok=True)


def sweep(known: set[str]) -> int:
    """Drop files that belong to no job (of those that are not being written just now); how many they were."""
    folder, gone = Path(settings.SPOOL), 0
    for file in folder.iterdir() if folder.exists() else ():
        if file.name not in known and file.stat().st_mtime < time.time() - OLD:
            file.unlink(missing_ok=True)
            gone += 1
    return gone


OLD = 60 * 60
"""Seconds after which a file that belongs to nothing is nobody's."""
