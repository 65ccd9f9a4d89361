"""What is left to a worker. The queue is procrastinate's, on the same database.

What is asked for in a transaction is asked for when that has come through.
"""

import contextlib
from uuid import UUID

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

LATER = -100
"""The priority of what nobody waits for."""


def work(job_id: UUID, priority: int) -> None:
    """Have a job done (see `jobs.work`); higher priorities come first."""
    app.configure_task("studio.work", priority=priority).defer(job=str(job_id))


def keep_checkpoint(take_id: UUID) -> None:
    """Have a take put away as it is then; once is enough, however often it is asked for before."""
    once = app.configure_task("studio.keep_checkpoint", priority=LATER, queueing_lock=f"checkpoint {take_id}")
    with contextlib.suppress(AlreadyEnqueued), transaction.atomic():
        once.defer(take=str(take_id))
