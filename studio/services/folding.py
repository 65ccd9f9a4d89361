"""Shaped takes in memory: the most recently used ones of this process."""

from collections import OrderedDict
from threading import Lock
from uuid import UUID

from expression.history import Entry, History, Shaped
from expression.midi.read import read
from expression.strokes import parse_stroke
from studio.models import Take

MOST_BYTES = 512 * 2**20
"""About so much memory the takes of a process may use."""
EVENT_BYTES, FOLD_SHARE = 160, 0.05
"""What an event of a recording weighs in memory with all that is made of it, and a stroke's share of that."""


class ShapedCache:
    """An LRU of shaped takes: one place a take, at its newest revision, counted by weight."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[UUID, tuple[int, Shaped]] = OrderedDict()
        self._weight = 0
        self._lock = Lock()

    def get(self, take_id: UUID, revision: int) -> Shaped | None:
        """A shaped take, if it is here at that revision."""
        with self._lock:
            held = self._held.get(take_id)
            if held is None or held[0] != revision:
                return None
            self._held.move_to_end(take_id)
            return held[1]

    def put(self, take_id: UUID, revision: int, shaped: Shaped) -> None:
        """Keep a shaped take, unless a newer one is here; those unused for longest make room."""
        with self._lock:
            held = self._held.get(take_id)
            if held is not None and held[0] > revision:
                return
            self._weight += _weight(shaped) - (_weight(held[1]) if held is not None else 0)
            self._held[take_id] = (revision, shaped)
            self._held.move_to_end(take_id)
            while self._weight > self._most and len(self._held) > 1:
                _, (_, gone) = self._held.popitem(last=False)
                self._weight -= _weight(gone)

    def clear(self) -> None:
        """Forget all, as a new process would have."""
        with self._lock:
            self._held.clear()
            self._weight = 0


def _weight(shaped: Shaped) -> int:
    """About how many bytes a shaped take holds: its recording, and what its strokes have made anew."""
    events = len(shaped.recorded.rows.tick)
    return int(events * EVENT_BYTES * (1 + FOLD_SHARE * len(shaped.entries))) + len(shaped.recorded.source)


cache = ShapedCache(MOST_BYTES)


def shaped(take_id: UUID, revision: int) -> Shaped:
    """The take at its current revision, from memory or rebuilt from its rows (which gives the same take)."""
    found = cache.get(take_id, revision)
    if found is None:
        row = Take.objects.only("source", "done").get(pk=take_id)
        found = Shaped.of(read(bytes(row.source)), _history(row))
        cache.put(take_id, revision, found)
    return found


def _history(row: Take) -> History:
    steps = row.steps.values_list("number", "stroke", "on", "gone")
    return History(tuple(Entry(number, parse_stroke(stroke), on, gone) for number, stroke, on, gone in steps), row.done)
