"""Shaped takes in memory: the most recently used ones of this process."""

from collections import OrderedDict
from threading import Lock
from uuid import UUID

from expression.history import Entry, History, Shaped
from expression.midi.read import read
from expression.strokes import parse_stroke
from studio.models import Take

MOST_TAKES = 24


class Shelf:
    """An LRU of shaped takes, keyed by take and revision. One revision of a take never changes, so none grows stale."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[tuple[UUID, int], Shaped] = OrderedDict()
        self._lock = Lock()

    def get(self, key: tuple[UUID, int]) -> Shaped | None:
        """A shaped take, if it is here."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def put(self, key: tuple[UUID, int], shaped: Shaped) -> None:
        """Keep a shaped take; the one unused for longest makes room."""
        with self._lock:
            self._held[key] = shaped
            self._held.move_to_end(key)
            while len(self._held) > self._most:
                self._held.popitem(last=False)

    def clear(self) -> None:
        """Forget all, as a new process would have."""
        with self._lock:
            self._held.clear()


shelf = Shelf(MOST_TAKES)


def shaped(take_id: UUID, revision: int) -> Shaped:
    """The take at its current revision, from memory or rebuilt from its rows (which gives the same take)."""
    found = shelf.get((take_id, revision))
    if found is None:
        row = Take.objects.only("source", "done").get(pk=take_id)
        found = Shaped.of(read(bytes(row.source)), _history(row))
        shelf.put((take_id, revision), found)
    return found


def _history(row: Take) -> History:
    steps = row.steps.values_list("number", "stroke", "on", "gone")
    return History(tuple(Entry(number, parse_stroke(stroke), on, gone) for number, stroke, on, gone in steps), row.done)
