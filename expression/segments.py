"""Segments that follow one another as a curve again: in straight ways where no form of ours says them."""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints, constant, joined, taken, whole
from expression.curve import Curve

SAMPLES = 33
"""Places of a way at which its curvature is taken."""
MANY, FEW_SAMPLES = 500, 9
JUMP = 1e-5
"""What differs by less is no jump, but the rounding of numbers."""
Values = Callable[[Ints, Floats], Floats]
"""Of segments (by number) at some ticks: the values."""


class Segments(NamedTuple):
    """Stretches that follow one another: from `a` to `b` in ticks, from `first` to `last` in value.

    `moves` where the value is on its way, of that `lift` and `ease`; `broken` where the way has no form of ours.
    """

    a: Ints
    b: Ints
    first: Floats
    last: Floats
    moves: Flags
    lift: Floats
    ease: Floats
    broken: Flags


def assembled(segments: Segments, values: Values, error: float) -> Curve:
    """Segments that follow one another as a curve; those that have no form of ours in straight ways.

    Where a way ends and what follows begins elsewhere, or nothing follows, a node of its own tells what it came to.
    """
    a, b, first, last, moves, lift, ease, broken = segments
    if not moves.any():
        return Curve.of(a, first)
    broken = broken & moves & (b > a)
    rows = np.flatnonzero(broken)
    owner, inner = refined(a[rows], b[rows], lambda number, ticks: values(rows[number], ticks), error)
    owner = rows[owner]
    follows = np.append((np.abs(first[1:] - last[:-1]) < JUMP) & (a[1:] == b[:-1]), False)
    arrives = np.flatnonzero(moves & (b > a) & ~follows)
    count = len(a)
    formed = moves & ~broken
    lift, ease = (np.where(formed, form, 0.0) if form.any() else constant(0, count, float) for form in (lift, ease))
    if not len(owner) + len(arrives):
        return Curve.of(a, first, ~moves, lift, ease)
    # Each segment has its first node, then its inner ones, then the one that tells what it came to.
    size = np.ones(count, dtype=np.int64)
    inside = np.bincount(owner, minlength=count)
    size += inside
    size[arrives] += 1
    place = np.cumsum(size) - size
    within = np.arange(len(owner)) - (np.cumsum(inside) - inside)[owner] + 1
    where = np.concatenate((place, place[owner] + within, place[arrives] + size[arrives] - 1))
    order = np.empty(len(where), dtype=np.int64)
    order[where] = np.arange(len(where))
    ticks = np.concatenate((a, inner, b[arrives]))
    straight = constant(0, len(owner) + len(arrives), float)
    columns = (
        ticks,
        np.concatenate((first, values(owner, inner.astype(np.float64)) if len(owner) else straight[:0], last[arrives])),
        np.concatenate((~moves, np.zeros(len(owner), bool), np.ones(len(arrives), bool))),
        joined(lift, straight),
        joined(ease, straight),
    )
    return Curve.of(*(taken(column, order) for column in columns))


def refined(a: Ints, b: Ints, values: Values, error: float) -> tuple[Ints, Ints]:
    """Where straight ways have to meet that follow `values` from each `a` to each `b` to within `error`.

    Segment numbers and ticks, in order. Equal shares of the integral of sqrt(|y''| / (8 error)) give every straight way
    the same error, so that no other choice needs fewer.
    """
    count = np.ones(len(a), dtype=np.int64)
    if not len(a):
        return count, count
    # Very many ways are short ones: fewer places tell their curvature well enough.
    samples = SAMPLES if len(a) <= MANY else FEW_SAMPLES
    u = np.linspace(0, 1, samples)
    number = np.arange(len(a))
    width = (b - a).astype(np.float64)
    y = values(np.broadcast_to(number[:, None], (len(a), samples)), a[:, None] + u * width[:, None])
    bend = np.abs(np.diff(y, 2)) * (samples - 1) ** 2
    density = np.sqrt(np.concatenate((bend[:, :1], bend, bend[:, -1:]), axis=1) / (8 * error)) + 1e-9
    mass = np.zeros_like(density)
    np.cumsum((density[:, 1:] + density[:, :-1]) / 2 / (samples - 1), axis=1, out=mass[:, 1:])
    count = np.minimum(np.maximum(np.ceil(mass[:, -1] * 1.02 - 0.02), 1), np.maximum(width, 1)).astype(np.int64)
    for _ in range(6):
        owner, ticks = _shares(a, b, mass, u, count)
        off = _worst(a, b, values, owner, ticks)
        again = (off > error) & (count < width)
        if not again.any():
            break
        count = np.where(again, np.minimum(count + np.maximum(count // 3, 1), np.maximum(width, 1)), count).astype(
            np.int64
        )
    return owner, ticks


def _shares(a: Ints, b: Ints, mass: Floats, u: Floats, count: Ints) -> tuple[Ints, Ints]:
    """Inner ticks that part each segment into `count` pieces of equal mass."""
    inner = count - 1
    owner = np.repeat(np.arange(len(a)), inner)
    step = np.arange(len(owner)) - np.repeat(np.cumsum(inner) - inner, inner) + 1
    # All segments one after another, so that one interpolation serves them all.
    base = np.concatenate(([0.0], np.cumsum(mass[:, -1] + 1e-6)[:-1]))
    wanted = base[owner] + mass[owner, -1] * step / count[owner]
    place = np.interp(wanted, (mass + base[:, None]).ravel(), (u + np.arange(len(a))[:, None]).ravel()) - owner
    ticks = whole(a[owner] + np.clip(place, 0, 1) * (b - a)[owner])
    inside = (ticks > a[owner]) & (ticks < b[owner])
    inside[1:] &= (ticks[1:] != ticks[:-1]) | (owner[1:] != owner[:-1])
    return owner[inside], ticks[inside]


def _worst(a: Ints, b: Ints, values: Values, owner: Ints, ticks: Ints) -> Floats:
    """How far the straight ways of each segment stray from its values, looked at in three places of each."""
    number = np.concatenate((np.arange(len(a)), owner))
    order = np.lexsort((np.concatenate((a, ticks)), number))
    number, left = number[order], np.concatenate((a, ticks))[order]
    last = np.append(number[1:] != number[:-1], True)
    right = np.where(last, b[number], np.append(left[1:], 0))
    # At both ends and at three places between, all asked for at once.
    shares = np.array([0.0, 0.25, 0.5, 0.75, 1.0])[:, None]
    found = values(np.broadcast_to(number, (5, len(number))), left + shares * (right - left))
    off = np.abs(found - (found[0] + shares * (found[-1] - found[0]))).max(axis=0)
    worst = np.zeros(len(a))
    np.maximum.at(worst, number, off)
    return worst
