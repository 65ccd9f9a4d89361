"""What is written down, and what is not."""

import logging

from django.db.utils import InterfaceError, OperationalError


class NotAway(logging.Filter):
    """Leaves out what is said of every request while the database is away; each is a line of its own already."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether it is written down."""
        error = record.exc_info[1] if isinstance(record.exc_info, tuple) else None
        return getattr(record, "status_code", 500) != 503 and not isinstance(error, (OperationalError, InterfaceError))
