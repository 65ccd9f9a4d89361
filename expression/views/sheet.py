"""What was done to a take, on paper: its strokes bar by bar, and its lanes before and after. A PDF, by ReportLab."""

import io
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from expression.arrays import Floats
from expression.history import Shaped
from expression.lanes import LANES
from expression.take import Part, Take
from expression.views.strokes import mark

WIDE, HIGH, MARGIN = 595.0, 842.0, 48.0
"""A4 in points."""
INK, FADED, WARM = (0.13, 0.11, 0.09), (0.45, 0.41, 0.36), (0.70, 0.20, 0.10)
RULE, PALE = (0.85, 0.81, 0.74), (0.68, 0.64, 0.57)
LINE, PLOT = 15.0, 74.0
POINTS = 480
"""Places of a lane that are looked at."""
SAID = {"→": "to", "−": "-", "’": "'"}


class Plot(NamedTuple):
    """A lane before and after over the whole take: (x, y) from 0 to 1; of velocity a dot a note."""

    name: str
    low: float
    high: float
    before: Floats
    after: Floats
    is_dots: bool


def sheet(shaped: Shaped, name: str) -> bytes:
    """The paper of a take, as a PDF; the same bytes each time."""
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    # Without the time of making in it.
    paper = _Paper(Canvas(out, pagesize=(WIDE, HIGH), invariant=True))
    recorded, now = shaped.recorded, shaped.now.take
    bars = now.meter.position(max(now.end - 1, 0)).bar
    paper.text(name, 20, INK)
    paper.text(f"What was done: {len(shaped.entries)} strokes, {bars} bars, {len(now.parts)} parts", 10.5, FADED)
    paper.room(6)
    for place, words, is_off in _done(shaped):
        paper.row(place, words, FADED if is_off else INK)
    if not shaped.entries:
        paper.text("It is as it was recorded.", 10.5, INK)
    for part in now.parts:
        plots = list(_plots(recorded, now, part))
        if plots:
            paper.heading(part.name or f"Part {part.id + 1}", PLOT + 2 * LINE)
        for plot in plots:
            paper.plot(plot, _bar_lines(now))
    paper.canvas.showPage()
    paper.canvas.save()
    return out.getvalue()


def _done(shaped: Shaped) -> Iterator[tuple[str, str, bool]]:
    """Of each stroke where it acts, what it is, and whether it does nothing now."""
    found = []
    for entry, met in zip(shaped.entries, shaped.folds, strict=False):
        told = mark(met.take, entry.stroke)
        names = ", ".join(met.take.parts[one].name or f"part {one + 1}" for one in told["parts"][:4])
        more = " ..." if len(told["parts"]) > 4 else ""
        switched = "" if entry.on else " (switched off)"
        words = f"{entry.number}. {entry.stroke.title}{switched}" + (f": {names}{more}" if names else "")
        found.append((told["start"], entry.number, told["place"], words, not entry.on))
    for _, _, place, words, off in sorted(found):
        yield place, words, off


def _plots(recorded: Take, now: Take, part: Part) -> Iterator[Plot]:
    """The velocities and the lanes of a part that are not as they were."""
    end = float(max(now.end, 1))
    old = recorded.parts[part.id] if part.id < len(recorded.parts) else None
    was = _velocities(old, end)
    is_ = _velocities(part, end)
    if was.shape != is_.shape or not np.array_equal(was, is_):
        yield Plot("Velocity", 0, 127, was, is_, True)
    ticks = np.linspace(0, end, POINTS)
    for key in part.lanes:
        before = old.lanes[key].curve if old and key in old.lanes else None
        after = part.lanes[key].curve
        if before is after or (before is not None and before.columns[1] is after.columns[1]):
            continue
        one, other = (
            np.full(POINTS, np.nan) if curve is None or not len(curve) else curve.at(ticks) for curve in (before, after)
        )
        if np.array_equal(one, other, equal_nan=True):
            continue
        both = np.concatenate((one, other))
        low, high = float(np.nanmin(both)), float(np.nanmax(both))
        low, high = (low, high) if high > low else (low - 1, high + 1)
        x = ticks / end
        yield Plot(LANES[key].name, low, high, _scaled(x, one, low, high), _scaled(x, other, low, high), False)


def _velocities(part: Part | None, end: float) -> Floats:
    if part is None:
        return np.zeros((0, 2))
    heard = part.notes.music & ~part.notes.muted
    return np.stack((part.notes.start[heard] / end, part.notes.velocity[heard] / 127), axis=1)


def _scaled(x: Floats, values: Floats, low: float, high: float) -> Floats:
    return np.stack((x, (values - low) / (high - low)), axis=1)


def _bar_lines(take: Take) -> list[tuple[float, int]]:
    """Where bars begin (0 to 1) that are numbered: some twelve of them."""
    starts = take.meter.bars(take.end).start
    every = max(-(-len(starts) // 12), 1)
    return [(float(tick) / max(take.end, 1), row + 1) for row, tick in enumerate(starts.tolist()) if row % every == 0]


@cache
def _font() -> str:
    import reportlab
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    pdfmetrics.registerFont(TTFont("Sheet", str(Path(reportlab.__file__).parent / "fonts" / "Vera.ttf")))
    return "Sheet"


class _Paper:
    """Pages that are filled from above."""

    def __init__(self, canvas: Any) -> None:
        self.canvas = canvas
        self.y = HIGH - MARGIN

    def room(self, high: float) -> None:
        """Go down by so much; to another page where there is none left."""
        if self.y - high < MARGIN:
            self.canvas.showPage()
            self.y = HIGH - MARGIN
        self.y -= high

    def _say(self, x: float, words: str, size: float, colour: tuple[float, float, float]) -> None:
        from reportlab.pdfbase.pdfmetrics import stringWidth

        for sign, said in SAID.items():
            words = words.replace(sign, said)
        font, room = _font(), WIDE - MARGIN - x
        while len(words) > 4 and stringWidth(words, font, size) > room:
            words = words[:-4].rstrip() + "..."
        self.canvas.setFillColorRGB(*colour)
        self.canvas.setFont(font, size)
        self.canvas.drawString(x, self.y, words)

    def text(self, words: str, size: float, colour: tuple[float, float, float]) -> None:
        """A line of words."""
        self.room(size * 1.5)
        self._say(MARGIN, words, size, colour)

    def heading(self, words: str, with_: float) -> None:
        """A line that is not left alone: what comes under it is so high."""
        if self.y - with_ < MARGIN:
            self.room(HIGH)
        self.room(LINE)
        self.text(words, 12, INK)

    def row(self, place: str, words: str, colour: tuple[float, float, float]) -> None:
        """A place, and what was done there."""
        self.room(LINE)
        self._say(MARGIN, place, 9, FADED)
        self._say(MARGIN + 92, words, 9, colour)

    def plot(self, plot: Plot, bars: list[tuple[float, int]]) -> None:
        """A lane: what it was pale, what it is dark, under the numbers of the bars."""
        self.room(PLOT + LINE)
        self._say(MARGIN, f"{plot.name} ({plot.low:.4g} to {plot.high:.4g})", 8, FADED)
        left, wide, foot, high = MARGIN, WIDE - 2 * MARGIN, self.y + LINE, PLOT - LINE
        canvas = self.canvas
        canvas.setLineWidth(0.4)
        canvas.setStrokeColorRGB(*RULE)
        canvas.rect(left, foot, wide, high)
        canvas.setFont(_font(), 6)
        for share, number in bars:
            canvas.line(left + share * wide, foot, left + share * wide, foot + high)
            canvas.drawString(left + share * wide + 1.5, foot + high + 2, str(number))
        for points, colour in ((plot.before, PALE), (plot.after, WARM)):
            placed = np.stack((left + points[:, 0] * wide, foot + points[:, 1] * high), axis=1)
            (self._dots if plot.is_dots else self._line)(placed, colour)

    def _dots(self, placed: Floats, colour: tuple[float, float, float]) -> None:
        self.canvas.setFillColorRGB(*colour)
        # Of very many that lie on one another one is enough.
        for x, y in np.unique(np.round(placed, 1), axis=0).tolist():
            self.canvas.rect(x - 0.5, y - 0.5, 1, 1, stroke=0, fill=1)

    def _line(self, placed: Floats, colour: tuple[float, float, float]) -> None:
        self.canvas.setStrokeColorRGB(*colour)
        self.canvas.setLineWidth(0.8)
        path, is_open = self.canvas.beginPath(), False
        for x, y in placed.tolist():
            if np.isnan(y):
                is_open = False
                continue
            (path.lineTo if is_open else path.moveTo)(x, y)
            is_open = True
        self.canvas.drawPath(path)
