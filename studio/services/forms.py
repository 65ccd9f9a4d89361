"""Every form of a take in one archive: MIDI files and a clip, the page, what was done. A worker makes it.

What a take cannot be is no fault of the others: it is said in a text beside them.
"""

import zipfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from expression.errors import Refused
from expression.limits import MOST_PAGE_BARS, MOST_THINNING
from expression.midi.excerpt import Asked
from expression.midi.files import FileKind
from expression.staff.notation import bars_of
from expression.take import Take as Shown
from studio.models import Take
from studio.services import engraving, shaping, takes
from studio.services.folding import folded
from studio.services.progress import NOBODY, Progress

KINDS: tuple[FileKind | None, ...] = (None, "plain", "mpe", "clip")
Number = Annotated[int, Field(ge=0, le=10**12)]
File = tuple[str, bytes]


class FormsAsked(BaseModel):
    """What of a take is wanted: some parts, some bars (ticks, from the first to before the second), one track."""

    model_config = ConfigDict(extra="forbid")

    cues: bool = True
    thin: Annotated[float, Field(ge=0, le=MOST_THINNING)] = 0.0
    parts: Annotated[list[Annotated[int, Field(ge=0, le=9_999)]], Field(max_length=256)] | None = None
    span: tuple[Number, Number] | None = None
    format: Literal[0, 1] | None = None


def write(take: Take, asked: FormsAsked, target: Path, progress: Progress = NOBODY) -> None:
    """Write the archive to a file: the same bytes for the same take."""
    makers = list(_makers(take, asked, folded(take.pk, take.revision).now.take))
    missing: list[str] = []
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as archive:
        for done, (what, make) in enumerate(makers, 1):
            try:
                _put(archive, *make())
            except Refused as refused:
                missing.append(f"{what}: {refused}")
            progress.tell(done / len(makers))
        if missing:
            _put(archive, "not made.txt", "\n".join([*missing, ""]).encode())


def _makers(take: Take, asked: FormsAsked, now: Shown) -> Iterator[tuple[str, Callable[[], File]]]:
    parts = asked.parts or []
    first, after = asked.span or (0, 0)
    span = (first, max(after, first + 1)) if asked.span else None
    some = Asked(tuple(sorted(set(parts))) or None, span, asked.format)
    for kind in KINDS:
        # A clip holds all bars, in one sequence.
        wanted = Asked(some.parts) if kind == "clip" else some
        thin = 0.0 if kind == "clip" else asked.thin
        yield kind or "as its parts are sent", partial(takes.file, take, kind, asked.cues, thin, wanted)
    yield "MusicXML", partial(page, take, parts, 1, 1, "musicxml")
    first_bar, last_bar = _bars(now, span)
    for begin in range(first_bar, last_bar + 1, MOST_PAGE_BARS):
        count = min(last_bar + 1 - begin, MOST_PAGE_BARS)
        bars = f"bars {begin} to {begin + count - 1}"
        for drawn in ("svg", "pdf"):
            yield f"{drawn.upper()} of {bars}", partial(page, take, parts, begin, count, drawn)
    yield "what was done", partial(sheet, take)


def page(take: Take, parts: list[int], first: int, count: int, kind: str) -> File:
    """The page as a file, and what that is called: the whole take as MusicXML, or some bars of it as SVG or PDF."""
    if kind == "musicxml":
        return f"{take.name}.musicxml", engraving.document(take, parts).encode()
    name = f"{take.name}, bars {first} to {first + count - 1}.{kind}"
    return name, engraving.drawing(take, parts, first, count, kind)


def sheet(take: Take) -> File:
    """What was done to a take, as a PDF, and what that is called."""
    return f"{take.name}, what was done.pdf", shaping.sheet(take)


def _bars(now: Shown, span: tuple[int, int] | None) -> tuple[int, int]:
    if span is None:
        return 1, bars_of(now)
    return now.meter.position(span[0]).bar, now.meter.position(span[1] - 1).bar


def _put(archive: zipfile.ZipFile, name: str, data: bytes) -> None:
    """Under a name that every system takes, dated by nothing."""
    safe = "".join("-" if letter in '\\/:*?"<>|' else letter for letter in name)
    if safe not in archive.namelist():
        archive.writestr(zipfile.ZipInfo(safe), data, zipfile.ZIP_DEFLATED)
