"""How far a job has come, written down for those who watch, and how long it may go on."""

import time
from typing import Self
from uuid import UUID

from django.db import connection

from expression.errors import BadFile

OFTEN = 0.4
"""Seconds between two words about it."""
LONGEST = 30 * 60
"""Seconds of work after which a job is given up."""


class Progress:
    """Told by whoever does the job; here nobody listens."""

    def tell(self, share: float) -> None:
        """So much of it is done (0 to 1). Raises BadFile where it has gone on for too long."""

    def part(self, first: float, last: float) -> "Progress":
        """For whoever does a part of it: all of that is from `first` to `last`."""
        return _Part(self, first, last)


NOBODY = Progress()


class _Part(Progress):
    def __init__(self, whole: Progress, first: float, last: float) -> None:
        self._whole, self._first, self._reach = whole, first, last - first

    def tell(self, share: float) -> None:
        self._whole.tell(self._first + share * self._reach)


class Watched(Progress):
    """Of a job: shown by the page."""

    def __init__(self, job_id: UUID) -> None:
        self._job = job_id
        self._begun = self._told = time.monotonic()
        # The job itself is one transaction, of which nobody sees anything before it has come through.
        self._aside = connection.copy()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._aside.close()

    def tell(self, share: float) -> None:
        """Write it down now and then."""
        now = time.monotonic()
        if now - self._begun > LONGEST:
            raise BadFile("Reading this has taken half an hour and was given up; nothing was changed.")
        if now - self._told >= OFTEN:
            self._told = now
            with self._aside.cursor() as cursor:
                cursor.execute("update studio_job set share = %s where id = %s", [share, self._job])
