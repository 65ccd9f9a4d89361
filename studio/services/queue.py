"""What is left to a worker. The queue is procrastinate's, on the same database.

What is asked for in a transaction is asked for when that has come through.
"""

import contextlib
from uuid import UUID

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

QUICK, SLOW = "quick", "slow"
"""Queues with a worker each: whoever brings a file does not wait for somebody's whole library."""
LATER = -100
"""The priority of what nobody waits for."""


def work(job_id: UUID, queue: str, priority: int) -> None:
    """Have a job done (see `jobs.work`); higher priorities come first."""
    app.configure_task("studio.work", queue=queue, priority=priority).defer(job=str(job_id))


def mail(to: str, subject: str, body: str) -> None:
    """Have a mail sent."""
    app.configure_task("studio.mail", queue=QUICK).defer(to=to, subject=subject, body=body)


def keep_checkpoint(take_id: UUID) -> None:
    """Have a take put away as it is then; once is enough, however often it is asked for before."""
    lock = f"checkpoint {take_id}"
    once = app.configure_task("studio.keep_checkpoint", queue=QUICK, priority=LATER, queueing_lock=lock)
    with contextlib.suppress(AlreadyEnqueued), transaction.atomic():
        once.defer(take=str(take_id))
