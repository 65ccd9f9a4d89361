"""Shaped takes in memory: the most recently used ones of this process; and taken up again from their checkpoints."""

import hashlib
import hmac
import time
from collections import OrderedDict
from threading import Lock
from typing import NamedTuple
from uuid import UUID

from django.conf import settings

from expression import checkpoint
from expression.history import Entry, History, Shaped
from expression.midi.files import opened
from expression.strokes import parse_stroke
from expression.take import Take as Recording
from expression.views.delta import Delta
from studio.models import Checkpoint, Take
from studio.services import queue

SLOW = 0.05
"""Seconds that a take may need to be made from its rows; what needs longer gets a checkpoint."""
WEIGHED_EVERY = 16
"""After so many steps what was worked out from a take is weighed again, also where nothing is tried."""
TRIES_BETWEEN = 64
"""So many tries weigh alike: while a hand moves, one weighs as much as the next."""
STEPS_BETWEEN = 16
"""A take that has gone on by so many steps gets another."""


class Told(NamedTuple):
    """What keeping a take that was tried will be answered with, to who looks at one of its parts."""

    take: Recording
    part: int | None
    delta: Delta
    weight: int


class _Place(NamedTuple):
    """What is kept of one take."""

    revision: int
    shaped: Shaped
    weights: tuple[int, ...]
    """Bytes of each take along its way, less what it shares with the one before."""
    tried: Shaped | None = None
    """What was tried on it last: kept, or heard, it need not be made again."""
    tried_weight: int = 0
    told: Told | None = None
    tries: int = 0
    worked: int = 0
    """Bytes of what was worked out from it."""

    @property
    def weight(self) -> int:
        return sum(self.weights) + self.tried_weight + self.worked + (self.told.weight if self.told else 0)


class ShapedCache:
    """An LRU of shaped takes: one place a take, at its newest revision, counted in bytes."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[UUID, _Place] = OrderedDict()
        self._owners: dict[UUID, object] = {}
        self._weight = 0
        self._lock = Lock()

    def get(self, take_id: UUID, revision: int) -> Shaped | None:
        """A shaped take, if it is here at that revision."""
        with self._lock:
            held = self._held.get(take_id)
            if held is None or held.revision != revision:
                return None
            self._held.move_to_end(take_id)
            return held.shaped

    def put(self, take_id: UUID, revision: int, shaped: Shaped) -> None:
        """Keep a shaped take, unless a newer one is here; those unused for longest make room."""
        known = self._held.get(take_id)
        weights = checkpoint.weight(shaped, *((known.shaped, known.weights) if known else ()))
        checkpoint.let_go(shaped)
        # What was worked out is weighed when something is tried: here only where that may not have been for long.
        worked = known.worked if known and revision % WEIGHED_EVERY else checkpoint.worked_weight(shaped)
        place = _Place(revision, shaped, weights, worked=worked)
        with self._lock:
            held = self._held.get(take_id)
            if held is not None and held.revision > revision:
                return
            self._weight += place.weight - (held.weight if held is not None else 0)
            self._held[take_id] = place
            self._held.move_to_end(take_id)
            while self._weight > self._most and len(self._held) > 1:
                other, gone = self._held.popitem(last=False)
                self._owners.pop(other, None)
                self._weight -= gone.weight

    def try_out(self, take_id: UUID, known: Shaped, tried: Shaped) -> None:
        """Keep what was tried on a take that is here, until something else is, or the take goes on."""
        with self._lock:
            held = self._held.get(take_id)
        if held is None or held.shaped is not known:
            return
        told = held.told if held.told is not None and held.told.take is tried.now.take else None
        made = held._replace(tried=tried, tries=held.tries + 1, told=told)
        if held.tries % TRIES_BETWEEN == 0:
            weight = sum(checkpoint.weight(tried, held.shaped, held.weights)) - sum(held.weights)
            worked = checkpoint.worked_weight(held.shaped) + checkpoint.worked_weight(tried)
            made = made._replace(tried_weight=max(weight, 0), worked=worked)
        self._put(take_id, held, made)

    def _put(self, take_id: UUID, held: _Place, made: _Place) -> None:
        with self._lock:
            if self._held.get(take_id) is held:
                self._held[take_id] = made
                self._weight += made.weight - held.weight

    def foretell(self, take_id: UUID, tried: Shaped, part: int | None, delta: Delta) -> None:
        """What keeping what was tried last will tell, worked out while the hand rests."""
        with self._lock:
            held = self._held.get(take_id)
        if held is not None and held.tried is tried:
            told = Told(tried.now.take, part, delta, checkpoint.plain_weight(delta))
            self._put(take_id, held, held._replace(told=told))

    def foretold(self, take_id: UUID, made: Recording, part: int | None) -> Delta | None:
        """What was told of a take before it is kept, to who looks at the same part."""
        with self._lock:
            held = self._held.get(take_id)
        told = held.told if held is not None else None
        return told.delta if told is not None and told.take is made and told.part == part else None

    def tried(self, take_id: UUID, known: Shaped) -> Shaped | None:
        """What was tried last on a take that is known."""
        with self._lock:
            held = self._held.get(take_id)
        return held.tried if held is not None and held.shaped is known else None

    def held(self) -> tuple[int, int]:
        """How many takes are here, and how many bytes they weigh."""
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
            self._weight -= held.weight if held else 0

    def clear(self) -> None:
        """Forget all, as a new process would have."""
        with self._lock:
            self._held.clear()
            self._owners.clear()
            self._weight = 0


cache = ShapedCache(settings.MOST_SHAPED_BYTES)


def folded(take_id: UUID, revision: int) -> Shaped:
    """The take at its current revision: from memory, or brought on from its checkpoint, or rebuilt from its rows.

    All of these give the same take.
    """
    found = cache.get(take_id, revision)
    if found is None:
        found = made(take_id)
        cache.put(take_id, revision, found)
    return found


def made(take_id: UUID) -> Shaped:
    """The same, and not kept in memory."""
    row = Take.objects.only("done").get(pk=take_id)
    history = _history(row)
    kept = Checkpoint.objects.filter(take_id=take_id, made_by=checkpoint.MADE_BY).first()
    if kept is not None and hmac.compare_digest(bytes(kept.seal), _seal(take_id, bytes(kept.data))):
        return checkpoint.taken_up(bytes(kept.data), history)
    begun = time.perf_counter()
    found = Shaped.of(opened(bytes(row.source)), history)
    if time.perf_counter() - begun > SLOW:
        queue.keep_checkpoint(take_id)
    return found


def _history(row: Take) -> History:
    steps = row.steps.values_list("number", "stroke", "on", "gone")
    return History(tuple(Entry(number, parse_stroke(stroke), on, gone) for number, stroke, on, gone in steps), row.done)


def went_on(take_id: UUID, revision: int) -> None:
    """A take has another step: now and then it gets a checkpoint, from which a later start need not go far."""
    if revision % STEPS_BETWEEN == 0:
        queue.keep_checkpoint(take_id)


def forget(take: Take) -> None:
    """Its recording is another now: nothing that was made of it counts any longer."""
    Checkpoint.objects.filter(take_id=take.pk).delete()
    cache.forget(take.pk)


def keep_checkpoint(take_id: UUID, known: Shaped | None = None) -> None:
    """Put a take away as it is now (or as it is known to be), if it is still there."""
    row = Take.objects.filter(pk=take_id).only("done").first()
    if row is None:
        return
    shaped_now = known or made(take_id)
    data = checkpoint.put_away(shaped_now)
    Checkpoint.objects.update_or_create(
        take_id=take_id,
        defaults={
            "done": shaped_now.history.done,
            "made_by": checkpoint.MADE_BY,
            "seal": _seal(take_id, data),
            "data": data,
        },
    )


def _seal(take_id: UUID, data: bytes) -> bytes:
    """That Lull has written these bytes for this take: nobody else's are ever taken up."""
    key = hashlib.blake2b(settings.SECRET_KEY.encode(), digest_size=32).digest()
    return hashlib.blake2b(take_id.bytes + data, key=key, digest_size=32).digest()
