"""What a worker does, by the names under which it is asked for in `services/queue.py`."""

import contextlib
from collections.abc import Iterator
from uuid import UUID

from django.db import connections
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from studio.services import folding, jobs, mail, purging
from studio.services.queue import QUICK, SLOW

AGAIN = RetryStrategy(max_attempts=20, wait=3)
"""Where the database went away meanwhile."""
SILENT = 8
"""Seconds after which a worker that says nothing is not there any more."""


@contextlib.contextmanager
def connected() -> Iterator[None]:
    """With a connection that was not there before, and is not afterwards: none grows old in a worker."""
    connections.close_all()
    try:
        yield
    finally:
        connections.close_all()


@app.task(name="studio.work", queue=QUICK, retry=AGAIN)
def work(job: str) -> None:
    """A job that a player waits for."""
    with connected():
        jobs.work(UUID(job))


@app.task(name="studio.keep_checkpoint", queue=QUICK)
def keep_checkpoint(take: str) -> None:
    """Put a take away, to be taken up again quickly."""
    with connected():
        folding.keep_checkpoint(UUID(take))


@app.task(name="studio.mail", queue=QUICK, retry=RetryStrategy(max_attempts=8, exponential_wait=4))
def send(to: str, subject: str, body: str) -> None:
    """A mail; where its server is away, again later and later."""
    mail.sent(to, subject, body)


@app.periodic(cron="17 3 * * *")
@app.task(name="studio.purge", queue=SLOW, queueing_lock="purge")
def purge(timestamp: int) -> None:
    """What was deleted a month ago goes for good, every night."""
    with connected():
        purging.purge()


@app.periodic(cron="* * * * * */4")
@app.task(name="studio.take_over", queue=QUICK, queueing_lock="take over", pass_context=True)
async def take_over(context: JobContext, timestamp: int) -> None:
    """What a worker had begun that has gone is begun again."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=SILENT):
        await manager.retry_job(job)
