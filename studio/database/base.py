"""The backend by that name (`ENGINE = "studio.database"`)."""

import select

from django.db.backends.postgresql import base


class DatabaseWrapper(base.DatabaseWrapper):
    """Asks the system whether the server has hung up, rather than the server whether it is there.

    Django asks `SELECT 1` before the first query of every request, which costs as much as the query.
    """

    def is_usable(self) -> bool:
        """Whether a query may be sent on the connection."""
        line = self.connection
        if line is None or line.closed or line.broken:
            return False
        if self.errors_occurred or self._has_something_to_say():
            return bool(super().is_usable())
        return True

    def _has_something_to_say(self) -> bool:
        """A server speaks unasked only as it goes, or to give notice."""
        poll = select.poll()
        poll.register(self.connection.fileno(), select.POLLIN | select.POLLPRI)
        return bool(poll.poll(0))
