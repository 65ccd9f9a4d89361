"""Where files are kept: folders of this machine or buckets, and what is said where they cannot be."""

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings
from django.core.files.base import File
from django.core.files.storage import FileSystemStorage

NO_ROOM = "Lull has no room left on its disk; nothing was changed. Whoever runs it has to make some."
READ_ONLY = "Lull cannot keep files just now: its disk lets nothing be written. Whoever runs it has to see to that."
AWAY = "Lull cannot reach the place where it keeps files just now; nothing was changed. Try again in a moment."
TROUBLE = {
    **dict.fromkeys((errno.ENOSPC, errno.EDQUOT), NO_ROOM),
    **dict.fromkeys((errno.EROFS, errno.EACCES, errno.EPERM), READ_ONLY),
    errno.EREMOTEIO: AWAY,
}


def trouble(error: BaseException | None) -> str | None:
    """What is wrong with the disk, in a sentence for the player; None where it is something else."""
    return TROUBLE.get(error.errno or 0) if isinstance(error, OSError) else None


class Folder(FileSystemStorage):
    """A folder of this machine, named by a setting: what is kept there outlives its power."""

    def __init__(self, setting: str, below: str = "") -> None:
        super().__init__()
        self._setting, self._below = setting, below

    @property
    def location(self) -> str:
        """The folder, as the settings have it now."""
        return str(Path(getattr(settings, self._setting)) / self._below)

    def _save(self, name: str, content: "File[bytes]") -> str:
        saved: str = super()._save(name, content)  # type: ignore[misc]
        with self.open(saved) as kept:
            os.fsync(kept.fileno())
        return saved


@contextmanager
def reached() -> Iterator[None]:
    """A bucket that is away is trouble as a disk's is."""
    try:
        yield
    except OSError:
        raise
    except Exception as error:
        if type(error).__module__.partition(".")[0] in ("botocore", "boto3", "s3transfer"):
            raise OSError(errno.EREMOTEIO, str(error)) from error
        raise
