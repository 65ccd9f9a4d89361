"""The page of a take: written by the core, engraved in a process of its own so that nobody waits for another's page."""

import multiprocessing
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures import TimeoutError as TooLong
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from threading import Lock
from typing import Any

from typing_extensions import TypedDict

from expression import views
from expression.errors import NothingMatched
from expression.history import Shaped
from expression.staff.engrave import as_pdf, engraved, ready
from expression.staff.musicxml import musicxml
from expression.staff.notation import Written, bars_of, written
from expression.staff.signs import Hairpin
from expression.take import Take as Recording
from studio.child_process import end_with_the_server
from studio.models import Take
from studio.services import arrangement, shaping
from studio.services.folding import folded

SECONDS = 30
"""No page is waited for longer."""
KEPT = 48
"""Pages that are kept, each a few hundred kilobytes."""
PDF_PIXELS = 1000


class SheetView(TypedDict):
    """Parts as staff notation over some bars: a drawing (SVG) whose heads are groups with the ids of their notes.

    `first` and `count`: the bars that are there. `remarks` are sentences.
    """

    revision: int
    svg: str
    first: int
    count: int
    remarks: list[str]


def sheet(
    take: Take,
    parts: list[int],
    first: int,
    count: int,
    width: int,
    before: int | None,
    splits: dict[int, int] | None = None,
) -> SheetView:
    """Some parts over some bars as they are, or as they were before a stroke (0: the newest)."""
    splits = _splits(take) if splits is None else splits
    key = (take.pk, take.revision, tuple(parts), first, count, width, before, tuple(splits.items()))
    known = _kept.get(key)
    if known is None:
        page = _written(take, parts, first, count, before, splits)
        svg = _drawn(engraved, musicxml(page), width)
        numbers = page.measures.number.tolist()
        known = SheetView(revision=take.revision, svg=svg, first=numbers[0], count=len(numbers), remarks=page.remarks)
        _kept.put(key, known)
    return known


def document(take: Take, parts: list[int]) -> str:
    """The whole take as MusicXML."""
    now = folded(take.pk, take.revision).now.take
    return musicxml(_written(take, parts, 1, bars_of(now), None, _splits(take)), take.name)


def drawing(take: Take, parts: list[int], first: int, count: int, kind: str) -> bytes:
    """Some bars as a file: SVG, or PDF."""
    svg = sheet(take, parts, first, count, PDF_PIXELS, None)["svg"]
    return bytes(_drawn(as_pdf, svg)) if kind == "pdf" else svg.encode()


def _written(
    take: Take, parts: list[int], first: int, count: int, before: int | None, splits: dict[int, int]
) -> Written:
    known, seen = folded(take.pk, take.revision), shaping.seen(take, before)
    wanted = [part for part in parts if part < len(seen.parts)] or [part.id for part in seen.parts]
    if not wanted:
        raise NothingMatched("This take has no part that could be written.")
    looks = arrangement.of(take).parts.items()
    names = {int(part): one.name for part, one in looks if one.name}
    page = written(seen, wanted, min(max(first, 1), bars_of(seen)), count, _hairpins(known, seen), splits)
    return page._replace(parts=[one._replace(name=names.get(one.part.id, one.part.name)) for one in page.parts])


def _splits(take: Take) -> dict[int, int]:
    """Where a player has told the hands of parts apart: the keys from which on notes are for the right."""
    return {int(part): one.split for part, one in arrangement.of(take).parts.items() if one.split is not None}


def _hairpins(known: Shaped, seen: Recording) -> list[Hairpin]:
    """The hairpins that the take as it is seen has been given, and that are heard."""
    found = []
    for entry, met, made in zip(known.entries, known.folds, known.folds[1:], strict=False):
        if entry.on and entry.number not in known.now.idle:
            mark = views.strokes.mark(met.take, entry.stroke)
            wedges = entry.stroke.wedges(mark["start"], mark["end"])
            found += [Hairpin(part, *wedge) for part in mark["parts"] for wedge in wedges]
        if made.take is seen:
            break
    return found


class _Kept:
    """The pages that were asked for last."""

    def __init__(self) -> None:
        self._held: OrderedDict[object, SheetView] = OrderedDict()
        self._lock = Lock()

    def get(self, key: object) -> SheetView | None:
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
            return self._held.get(key)

    def put(self, key: object, view: SheetView) -> None:
        with self._lock:
            self._held[key] = view
            while len(self._held) > KEPT:
                self._held.popitem(last=False)


_kept = _Kept()
_lock = Lock()
_pool: ProcessPoolExecutor | None = None


def _engravers() -> ProcessPoolExecutor:
    global _pool
    with _lock:
        if _pool is None:
            spawning = multiprocessing.get_context("spawn")
            _pool = ProcessPoolExecutor(1, spawning, initializer=end_with_the_server)
        return _pool


def warm() -> None:
    """Have the engraver ready before it is asked for: nobody waits for that."""
    with suppress(BrokenProcessPool):
        _engravers().submit(ready)


def _drawn(draw: Callable[..., Any], *given: object) -> Any:
    """What the engraver makes of it. Raises NothingMatched where it cannot be drawn, or not in time."""
    global _pool
    for _ in range(2):
        pool = _engravers()
        try:
            return pool.submit(draw, *given).result(SECONDS)
        except BrokenProcessPool:
            # It has died; another takes its place.
            with _lock:
                _pool = None if _pool is pool else _pool
        except TooLong:
            raise NothingMatched("The page takes too long to be drawn; ask for fewer bars.") from None
        except ValueError:
            break
    raise NothingMatched("The page cannot be drawn; ask for other bars or fewer parts.")
