"""`manage.py work`: a worker, which reads large files and does whatever else nobody should have to wait for."""

import resource

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector
from procrastinate.exceptions import ConnectorException

from studio.services.queue import QUICK, SLOW
from studio.tasks import SILENT

MOST_MEMORY = 4 * 2**30
"""Bytes of address space: a file that takes more is refused, and takes no other process with it."""


class Command(BaseCommand):
    """Runs until it is told to stop."""

    help = "Do the jobs that wait, and those to come."

    def add_arguments(self, parser: CommandParser) -> None:
        """What it does."""
        parser.add_argument("--queue", nargs="*", choices=(QUICK, SLOW), default=[QUICK, SLOW], help="of these queues")

    def handle(self, *args: object, **options: object) -> None:
        """Work."""
        resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
        assert isinstance(app.connector, DjangoConnector)
        try:
            with app.replace_connector(app.connector.get_worker_connector()) as at_work:
                at_work.run_worker(
                    name="lull",
                    queues=options["queue"],
                    concurrency=1,
                    delete_jobs="always",
                    fetch_job_polling_interval=2,
                    update_heartbeat_interval=2,
                    stalled_worker_timeout=SILENT,
                    shutdown_graceful_timeout=2,
                )
        except (ConnectorException, DatabaseError):
            raise CommandError("The worker cannot reach the database.") from None
