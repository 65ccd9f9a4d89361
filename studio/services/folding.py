"""Shaped takes in memory: the most recently used ones of this process."""

from collections import OrderedDict
from threading import Lock
from uuid import UUID

from expression.history import Entry, History, Shaped
from expression.limits import MOST_SHAPED_BYTES
from expression.midi.files import opened
from expression.strokes import parse_stroke
from studio.models import Take

EVENT_BYTES, FOLD_SHARE = 160, 0.05
"""What an event of a recording weighs in memory with all that is made of it, and a stroke's share of that."""


class ShapedCache:
    """An LRU of shaped takes: one place a take, at its newest revision, counted by weight."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[UUID, tuple[int, Shaped]] = OrderedDict()
        self._owners: dict[UUID, object] = {}
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
                other, (_, gone) = self._held.popitem(last=False)
                self._owners.pop(other, None)
                self._weight -= _weight(gone)

    def held(self) -> tuple[int, int]:
        """How many takes are here, and how many bytes they are reckoned to weigh."""
        with self._lock:
            return len(self._held), self._weight

    def lend(self, take_id: UUID, owner: object) -> None:
        """Remember whose a take is that is here: its owner need not be asked for again (see `lent`)."""
        with self._lock:
            if take_id in self._held:
                self._owners[take_id] = owner

    def lent(self, take_id: UUID, revision: int, owner: object) -> Shaped | None:
        """A shaped take at that revision, if it is here and known to be this owner's."""
        with self._lock:
            is_theirs = take_id in self._owners and self._owners[take_id] == owner
        return self.get(take_id, revision) if is_theirs else None

    def forget(self, take_id: UUID) -> None:
        """Let go of a take, as when it is deleted."""
        with self._lock:
            held = self._held.pop(take_id, None)
            self._owners.pop(take_id, None)
            self._weight -= _weight(held[1]) if held else 0

    def clear(self) -> None:
        """Forget all, as a new process would have."""
        with self._lock:
            self._held.clear()
            self._owners.clear()
            self._weight = 0


def _weight(shaped: Shaped) -> int:
    """About how many bytes a shaped take holds: its recording, and what its strokes have made anew."""
    events = len(shaped.recorded.rows.tick)
    return int(events * EVENT_BYTES * (1 + FOLD_SHARE * len(shaped.entries))) + len(shaped.recorded.source)


cache = ShapedCache(MOST_SHAPED_BYTES)


def shaped(take_id: UUID, revision: int) -> Shaped:
    """The take at its current revision, from memory or rebuilt from its rows (which gives the same take)."""
    found = cache.get(take_id, revision)
    if found is None:
        row = Take.objects.only("source", "done").get(pk=take_id)
        found = Shaped.of(opened(bytes(row.source)), _history(row))
        cache.put(take_id, revision, found)
    return found


def _history(row: Take) -> History:
    steps = row.steps.values_list("number", "stroke", "on", "gone")
    return History(tuple(Entry(number, parse_stroke(stroke), on, gone) for number, stroke, on, gone in steps), row.done)
