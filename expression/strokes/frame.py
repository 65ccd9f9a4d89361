"""The frame: what its grips do to the stretch of a lane that it goes round."""

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import piece
from expression.arrays import Floats
from expression.curve import STEEPNESS, Curve, form
from expression.note_curves import NoteCurves
from expression.piece import Piece, share_at
from expression.strokes.lane import SlidingStroke, Spot
from expression.strokes.limits import Limit, limited_between
from expression.strokes.many import Many, bows
from expression.strokes.spec import Ask, Gesture, Spec, choice, entry
from expression.strokes.velocity import measured
from expression.take import Lane, Take

MARGIN = 0.12
"""Over so much of the span, at either end, a change is led in and out where it joins smoothly."""
FURTHEST = 0.45
"""How far a drift of 1 moves the middle, as a share of the span."""

Factor = Annotated[float, Field(ge=0, le=16)]
Steps = Annotated[float, Field(ge=-127, le=127)]


class LaneReshape(SlidingStroke):
    """The grips of a frame, in this order: level, depth, lean, bow, drift, length. On recorded data and on nodes.

    With u from 0 to 1 over the span:
    (pivot + depth (value + level - pivot)) (left + (right - left) u) + 4 bow u (1 - u).
    """

    kind: Literal["lane.reshape"] = "lane.reshape"
    spec = Spec(
        "lane",
        "Frame",
        says="Grips on the lane, or numbers here; all act together, in this order.",
        asks=(
            entry("level", "Level"),
            entry("depth", "Depth", 0.05),
            Ask("pivot", "Pivot", "measure"),
            entry("lean.0", "Lean L", 0.05),
            entry("lean.1", "Lean R", 0.05),
            entry("bow", "Bow"),
            entry("drift", "Drift", 0.05),
            entry("length", "Length", 0.05),
            choice("join", "At the edges", ("keep", "may jump"), ("smooth", "smooth")),
        ),
        gestures=(
            Gesture(
                "depth",
                "Frame",
                "Grips round the span: level, depth, lean, bow, drift, length",
                "scale stretch offset transform raise lower",
                "Shape",
                where="lane",
                on_notes=True,
            ),
        ),
        slides=True,
    )
    stiff: ClassVar[str] = "it has no shape to be changed"

    level: Steps = Field(0.0, description="Added to every value.")
    depth: Factor = Field(1.0, description="Distances from the pivot times this.")
    pivot: Steps | Literal["mean", "min", "max"] = Field(
        "mean", description="What depth leaves where it is: a value, or what the stretch itself gives."
    )
    lean: tuple[Factor, Factor] = Field((1.0, 1.0), description="Values times a ramp: its factors at left and right.")
    bow: Steps = Field(0.0, description="Added in the middle, and less and less towards both ends.")
    drift: Annotated[float, Field(ge=-1, le=1)] = Field(
        0.0, description="-1 moves the middle early, 1 late; both ends stay."
    )
    length: Annotated[float, Field(gt=0, le=16)] = Field(
        1.0, description="Times this, from the start of the span on; what it then covers is replaced."
    )
    limit: Limit = "pin"
    join: Literal["keep", "smooth"] = Field(
        "keep", description="At the edges `keep` a jump that the change makes, or lead it in and out: `smooth`."
    )

    @property
    def _moves_values(self) -> bool:
        return self.level != 0 or self.depth != 1 or self.lean != (1, 1) or self.bow != 0

    @override
    def shaped(self, take: Take, spot: Spot) -> Lane | None:
        start, end = self.span_of(take, spot.lane)
        if not len(spot.curve) or spot.curve.ticks[0] >= end:
            return None
        if not self._moves_values and self.drift == 0 and self.length == 1:
            return spot.lane
        before = spot.cut(start, end)
        made = self._limited(before, self._valued(before, spot.error), spot)
        made = self._moved(made, spot.error)
        if self.join == "smooth":
            made = _joined(made, spot)
        # What the span covered and the piece no longer does is held.
        made = made._replace(end=max(made.end, end))
        return spot.laid(made, resumes=self.where.span is not None)

    @override
    def on_many(self, many: Many) -> NoteCurves | None:
        if self.drift or self.length != 1 or self.join == "smooth" or self.limit != "pin":
            return None
        # Where no way has to be cut, the nodes alone move.
        only_moves = many.is_whole and self.lean == (1, 1) and not self.bow
        made = many.within() if only_moves else many.cut()
        made = made.valued(made.values + self.level)
        if self.depth != 1:
            # Each about its own pivot, as if it were alone.
            pivots = (
                np.full(len(many), self.pivot)
                if not isinstance(self.pivot, str)
                else (many.means(made) if self.pivot == "mean" else many.extremes(made, self.pivot == "max"))
            )
            pivot = pivots[many.owner(made.ticks)]
            made = made.valued(pivot + (made.values - pivot) * self.depth)
        if only_moves:
            return many.moved(made)
        if self.lean != (1, 1):
            made = piece.multiplied(many.piece(made), many.piece(many.ramps(*self.lean)), many.error).curve
        if self.bow:
            made = piece.added(many.piece(made), many.piece(bows(many, self.bow)), many.error).curve
        return many.laid(made, resumes=True)

    def _valued(self, before: Piece, error: float) -> Piece:
        made = before.scaled(1.0, self.level) if self.level else before
        if self.depth != 1:
            inner = made.curve.ticks < made.end
            pivot = measured(self.pivot, made.curve.values[inner])
            made = made.scaled(self.depth, pivot * (1 - self.depth))
        if self.lean != (1, 1):
            ramp = Curve.of([made.start, made.end], self.lean, [False, True])
            made = piece.multiplied(made, made._replace(curve=ramp), error)
        if self.bow:
            made = piece.added(made, _bowed(made.start, made.end, self.bow, error), error)
        return made

    def _limited(self, before: Piece, made: Piece, spot: Spot) -> Piece:
        values = made.curve.values
        low, high = spot.limits
        if not self._moves_values or (values.min() >= low and values.max() <= high):
            return made
        if self.limit == "pin":
            return piece.clipped(made, low, high, spot.error)
        was = values if self.limit == "squeeze" else _was(before, made)
        return made.valued(limited_between(was, values, self.limit, low, high))

    def _moved(self, made: Piece, error: float) -> Piece:
        """Drift, then length: what is there at other times."""
        length = made.end - made.start
        if self.drift:
            # The form that is `middle` at the middle: 1 / (1 + exp(4 lift)) = middle.
            middle = 0.5 + FURTHEST * self.drift
            lift = np.array(np.log((1 - middle) / middle) / (STEEPNESS / 2))
            start, straight = made.start, np.zeros(())
            made = piece.timed(
                made,
                lambda ticks: start + length * form((ticks - start) / length, lift),
                lambda ticks: start + length * share_at(np.clip((ticks - start) / length, 0, 1), lift, straight),
                error,
            )
        return made if self.length == 1 else piece.stretched(made, made.start, self.length)

    @override
    def label(self) -> str:
        words = []
        if self.level:
            words.append(f"level {self.level:+g}")
        if self.depth != 1:
            words.append(f"depth {self.depth * 100:.0f}%")
        if self.lean != (1, 1):
            words.append(f"lean {self.lean[0] * 100:.0f}–{self.lean[1] * 100:.0f}%")
        words += [f"{name} {value:+g}" for name, value in (("bow", self.bow), ("drift", self.drift)) if value]
        if self.length != 1:
            words.append(f"length {self.length * 100:.0f}%")
        return f"{self.name}: {', '.join(words) or 'as it was'}".replace("-", "−")


def _was(before: Piece, made: Piece) -> Floats:
    """What each node of the new curve was before: of several at one tick the last goes on, the others come in."""
    ticks = made.curve.ticks
    lasts = np.append(ticks[1:] != ticks[:-1], ticks[-1] != made.end)
    was = np.where(lasts, before.curve.at(ticks), before.curve.arriving(ticks))
    return np.where(np.isnan(was), before.curve.at(ticks), was)


def _bowed(start: int, end: int, bow: float, error: float) -> Piece:
    """A parabola over the span: 0 at both ends, `bow` in the middle."""
    length = end - start

    def height(ticks: np.ndarray) -> np.ndarray:
        u = (ticks - start) / length
        return bow * 4 * u * (1 - u)

    return piece.traced(start, end, np.zeros(0, dtype=np.int64), height, error)


def _joined(made: Piece, spot: Spot) -> Piece:
    """The changed stretch, led into what is before it and out into what is after it over a margin at either end."""
    margin = max(round((made.end - made.start) * MARGIN), 1)
    if made.empty or 2 * margin >= made.end - made.start:
        return made
    before, after = float(spot.curve.arriving(made.start)), float(spot.curve.at(made.end))
    offs = [before - float(made.curve.values[0]), after - float(made.curve.arriving(made.end))]
    # Where the lane says nothing before or after, there is nothing to be led into.
    if made.curve.ticks[0] > made.start or np.isnan(offs[0]):
        offs[0] = 0.0
    offs[1] = 0.0 if np.isnan(offs[1]) else offs[1]
    lead = Curve.of(
        [made.start, made.start + margin, made.end - margin, made.end],
        [offs[0], 0.0, 0.0, offs[1]],
        [False, True, False, True],
        0.0,
        1.0,
    )
    return piece.added(made, made._replace(curve=lead), spot.error)
