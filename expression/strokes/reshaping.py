"""A stretch of a curve in nodes close enough together that its values can be changed one by one."""

import numpy as np

from expression.arrays import whole
from expression.curve import Curve
from expression.take import Take

SLIDE_SECONDS = 0.02
PIECES = 64
"""Straight pieces over a span: enough for any of our forms to stay within a quarter of a step."""


def knots(take: Take, curve: Curve, start: int, end: int) -> Curve:
    """The curve from `start` to `end`, for a change of values that itself moves in time. It has values all along.

    Ways become straight pieces, and so do values that are held for long: they have to slide. Where one of those ends,
    a second node of the same tick keeps its jump. Denser data stay the steps that they are.
    """
    inner = curve.within(start, end)
    if not len(inner) or inner.ticks[0] > start:
        inner = inner.spliced(0, 0, Curve.of([start], curve.at([start]), curve.holds([start])))
    held = inner.hold | (inner.ticks == curve.ticks[-1])
    a, b = inner.ticks, np.append(inner.ticks[1:], end)
    piece = max((end - start) / PIECES, 1.0)
    steady = held & (b - a <= piece)
    longer = np.flatnonzero(held & ~steady)
    steady[longer] = take.tempo.seconds(b[longer]) - take.tempo.seconds(a[longer]) <= SLIDE_SECONDS
    if steady.all():
        return Curve.of(a, inner.values)
    pieces = np.where(steady, 1, np.maximum(np.ceil((b - a) / piece), 1)).astype(np.int64)
    slides = held & ~steady
    count = pieces + slides
    node = np.repeat(np.arange(len(inner)), count)
    step = np.arange(len(node)) - np.repeat(np.cumsum(count) - count, count)
    ticks = a[node] + whole(step * (b - a)[node] / pieces[node])
    values = inner.values[node]
    moving = np.flatnonzero(~held[node] & (step > 0))
    values[moving] = curve.at(ticks[moving])
    return Curve.of(ticks, values, steady[node] | (slides[node] & (step == pieces[node])))
