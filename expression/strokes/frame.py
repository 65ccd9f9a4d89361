"""The frame: what its grips do to the stretch of a lane that it goes round."""

from typing import Annotated, ClassVar, Literal, Self

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression import piece
from expression.arrays import Floats, whole
from expression.curve import STEEPNESS, Curve, form
from expression.piece import Piece, share_at
from expression.strokes.batch import Batch, bows
from expression.strokes.lane import SlidingStroke, Spot
from expression.strokes.limits import Limit, limited_between
from expression.strokes.spec import Ask, Gesture, Spec, choice, entry
from expression.take import Take
from expression.time import Sight

MARGIN = 0.12
"""Over so much of the span, at either end, a change is led in and out where it joins smoothly."""
_STRAIGHT = np.zeros(())
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
    felt_by_each = True
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

    @property
    @override
    def longer(self) -> float:
        return self.length

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        made = super().seen(take, start, end)
        if made is self or self.of_notes or self.depth == 1 or not isinstance(self.pivot, str):
            return made
        # About what it turns is a matter of all that it goes round.
        spots = self.lanes(take)
        if len(spots) > 1:
            return self
        batch = self.batch_of(take, spots[0])
        inner = batch.cut()
        pivot = self.level + float(self._pivots(batch, inner.rows(batch.inner(inner)))[0])
        return made.model_copy(update={"pivot": pivot})

    @override
    def felt(self, take: Take, spot: Spot, sight: Sight) -> Sight | None:
        # Where the group stops, or is squeezed, and what the edges are led into, is a matter of all of it.
        if self.length != 1 or self.join == "smooth" or (self.limit != "pin" and self._moves_values):
            return None
        if not self.drift:
            return sight
        # What is drawn there has been moved there, within the span, and to whole ticks.
        start, end = self.span_of(take, spot.lane)
        within = np.clip((np.array((sight[0] - 1, sight[1] + 1)) - start) / (end - start), 0.0, 1.0)
        first, last = (
            np.floor(start + (end - start) * share_at(within, self._lift, _STRAIGHT)).astype(np.int64).tolist()
        )
        return min(first, sight[0]), max(last + 1, sight[1])

    @override
    def shape(self, batch: Batch) -> Curve | None:
        curve = batch.nodes
        if not batch.on_notes and (not len(curve) or curve.ticks[0] >= batch.ends[0]):
            return None
        if not self._moves_values and self.drift == 0 and self.length == 1:
            return curve
        # Where no way has to be cut, the nodes alone move.
        only_moves = batch.is_whole and self.lean == (1, 1) and not self.bow and self.limit == "pin"
        if only_moves and self.drift == 0 and self.length == 1 and self.join == "keep":
            return batch.moved(self._valued(batch, batch.within()))
        before = batch.cut()
        made = self._limited(batch, before, self._valued(batch, before))
        spans = batch.ends
        made = self._moved(batch, made)
        if self.join == "smooth":
            made = _joined(batch, made)
        # What the span covered and the piece no longer does is held; over all of a note nothing goes on behind it.
        if batch.is_whole:
            made = piece.within(piece.opened(made, spans, batch.error), batch.starts, spans)
        batch.ends = spans if batch.is_whole else np.maximum(batch.ends, spans)
        return batch.laid(made, batch.resumes)

    def _valued(self, batch: Batch, made: Curve) -> Curve:
        if self.level:
            made = made.valued(made.values + self.level)
        if self.depth != 1:
            # Each about its own pivot.
            pivot = self._pivots(batch, made.rows(batch.inner(made)))[batch.owner(made.ticks)]
            made = made.valued(made.values * self.depth + pivot * (1 - self.depth))
        if self.lean != (1, 1):
            made = piece.multiplied(batch.piece(made), batch.piece(batch.ramps(*self.lean)), batch.error).curve
        if self.bow:
            made = piece.added(batch.piece(made), batch.piece(bows(batch, self.bow)), batch.error).curve
        return made

    def _pivots(self, batch: Batch, inner: Curve) -> Floats:
        if not isinstance(self.pivot, str):
            return np.full(len(batch), self.pivot)
        if self.pivot == "mean":
            return batch.means(inner)
        return batch.extremes(inner.ticks, inner.values, self.pivot == "max")

    def _limited(self, batch: Batch, before: Curve, made: Curve) -> Curve:
        values = made.values
        low, high = batch.limits
        if not self._moves_values or (values.min() >= low and values.max() <= high):
            return made
        if self.limit == "pin":
            return piece.clipped(batch.piece(made), low, high, batch.error).curve
        was = values if self.limit == "squeeze" else _was(batch, before, made)
        return made.valued(limited_between(was, values, self.limit, low, high, batch.owner(made.ticks)))

    @property
    def _lift(self) -> Floats:
        """Of the form that drift moves by, which is `middle` at the middle: 1 / (1 + exp(4 lift)) = middle."""
        middle = 0.5 + FURTHEST * self.drift
        return np.array(np.log((1 - middle) / middle) / (STEEPNESS / 2))

    def _moved(self, batch: Batch, made: Curve) -> Curve:
        """Drift, then length: what is there at other times. The ends of the batch go along."""
        length = batch.ends - batch.starts
        if self.drift:
            lift = self._lift

            def going(ticks: Floats) -> tuple[Floats, Floats]:
                row = batch.owner(ticks.astype(np.int64))
                return batch.starts[row].astype(np.float64), length[row].astype(np.float64)

            def onto(ticks: Floats) -> Floats:
                start, lasts = going(ticks)
                return np.asarray(start + lasts * form((ticks - start) / lasts, lift))

            def back(ticks: Floats) -> Floats:
                start, lasts = going(ticks)
                return np.asarray(start + lasts * share_at(np.clip((ticks - start) / lasts, 0, 1), lift, _STRAIGHT))

            made = piece.timed(batch.piece(made), onto, back, batch.error).curve
        if self.length == 1:
            return made
        row = batch.owner(made.ticks)
        batch.ends = batch.starts + np.maximum(whole(length * self.length), 1)
        return made.timed(batch.starts[row] + whole((made.ticks - batch.starts[row]) * self.length))

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


def _was(batch: Batch, before: Curve, made: Curve) -> Floats:
    """What each node of the new curve was before: of several at one tick the last goes on, the others come in."""
    ticks = made.ticks
    lasts = np.append(ticks[1:] != ticks[:-1], True) & (ticks != batch.ends[batch.owner(ticks)])
    was = np.where(lasts, before.at(ticks), before.arriving(ticks))
    return np.where(np.isnan(was), before.at(ticks), was)


def _joined(batch: Batch, made: Curve) -> Curve:
    """Changed stretches, led into what is before them and out into what is after them over a margin at either end."""
    if not len(made):
        return made
    starts, ends, curve = batch.starts, batch.ends, batch.curve
    margin = np.maximum(np.rint((ends - starts) * MARGIN).astype(np.int64), 1)
    first = np.searchsorted(made.ticks, starts)
    begins = first < len(made)
    begins[begins] = made.ticks[first[begins]] == starts[begins]
    into = batch.before(curve, starts) - made.values[np.minimum(first, len(made) - 1)]
    out = np.where(batch.has(curve, ends), curve.at(ends), np.nan) - batch.before(made, ends)
    wide = 2 * margin < ends - starts
    # Where the lane says nothing before or after, there is nothing to be led into.
    into, out = (np.where(there & wide, np.nan_to_num(off), 0.0) for there, off in ((begins, into), (True, out)))
    margin = np.where(wide, margin, 0)
    ticks = np.stack((starts, starts + margin, ends - margin, ends), axis=1)
    values = np.stack((into, np.zeros(len(into)), np.zeros(len(into)), out), axis=1)
    hold = np.broadcast_to(np.array([False, True, False, True]), ticks.shape)
    lead = Curve.of(ticks.ravel(), values.ravel(), hold.ravel(), 0.0, 1.0)
    if not batch.on_notes:
        return _led(batch.piece(made), batch.piece(lead), (int(ticks[0, 1]), int(ticks[0, 2])), batch.error)
    # What each comes to at its end is one node.
    return piece.within(piece.added(batch.piece(made), batch.piece(lead), batch.error).curve, starts, ends)


def _led(made: Piece, lead: Piece, still: Sight, error: float) -> Curve:
    """The sum of two pieces, of which the other is nothing between two ticks.

    Steps by which it hardly goes on, as those of a recording, are steps still: of what it comes to in their middle.
    """
    curve, way = made.curve, lead.curve
    a, b = curve.ticks, np.append(curve.ticks[1:], made.end)
    # (What lies across all of the middle is led twice.)
    if curve.moves or (a >= b).any() or ((a < still[0]) & (b > still[1])).any():
        return piece.added(made, lead, error).curve
    first, last = np.zeros((2, len(a)))
    for rows in (slice(0, np.searchsorted(a, still[0])), slice(np.searchsorted(b, still[1], side="right"), None)):
        # It has no jumps.
        first[rows] = way.at(a[rows])
        last[rows] = np.append(first[rows][1:], way.arriving(b[rows][-1:]))
    if (np.abs(last - first) > error).any():
        return piece.added(made, lead, error).curve
    return curve.valued(curve.values + (first + last) / 2)
