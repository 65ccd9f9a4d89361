"""Answers that take long: so many of them at once, and one for each account, so that nobody waits for another's.

Who finds no place waits a little, and then is told when to ask again. Most threads of a server stay free for what is
answered at once.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Condition

MOST_AT_ONCE = 2
MOST_WAITING = 2
PATIENCE = 8.0
"""Seconds that are waited for a place."""
AGAIN = 3
"""Seconds after which to ask again."""


class Busy(Exception):
    """There is no place just now."""


class Places:
    """Where long answers are made."""

    def __init__(self, most: int = MOST_AT_ONCE, waiting: int = MOST_WAITING, patience: float = PATIENCE) -> None:
        self._most, self._most_waiting, self._patience = most, waiting, patience
        self._held: list[object] = []
        self._waiting = 0
        self._change = Condition()

    @contextmanager
    def one(self, owner: object) -> Iterator[None]:
        """A place for an account. Raises Busy."""
        with self._change:
            if not self._is_free(owner):
                if self._waiting >= self._most_waiting:
                    raise Busy
                self._waiting += 1
                try:
                    if not self._change.wait_for(lambda: self._is_free(owner), self._patience):
                        raise Busy
                finally:
                    self._waiting -= 1
            self._held.append(owner)
        try:
            yield
        finally:
            with self._change:
                self._held.remove(owner)
                self._change.notify_all()

    def _is_free(self, owner: object) -> bool:
        return len(self._held) < self._most and owner not in self._held


places = Places()
