"""Chords and rests in note values, so that the beats of a bar are seen."""

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from expression.staff.placing import HALF, QUARTER

BY_THREES = 3 * HALF
"""A beat of three eighths."""
VALUES = {4 * QUARTER: ("whole", 0), 3 * QUARTER: ("half", 1), 2 * QUARTER: ("half", 0), BY_THREES: ("quarter", 1),
          QUARTER: ("quarter", 0), HALF * 3 // 2: ("eighth", 1), HALF: ("eighth", 0), HALF * 3 // 4: ("16th", 1),
          HALF // 2: ("16th", 0), HALF // 4: ("32nd", 0)}  # fmt: skip
"""Note values by their divisions: what they are called, and their dots."""
IN_TUPLETS = {
    3: {2 * QUARTER // 3: ("quarter", 0), QUARTER // 3: ("eighth", 0), QUARTER // 6: ("16th", 0)},
    5: {part * QUARTER // 5: value for part, value in (
        (4, ("quarter", 0)), (3, ("eighth", 1)), (2, ("eighth", 0)), (1, ("16th", 0)),
    )},
}  # fmt: skip
"""Of a quarter that goes in three or in five."""
WIDE = {4 * BY_THREES: ("whole", 1), 2 * BY_THREES: ("half", 1), BY_THREES: ("quarter", 1)}
"""Where beats are of three eighths."""


class Head(NamedTuple):
    """A note of a chord."""

    id: int
    pitch: int


class Value(NamedTuple):
    """A chord, or a rest, as one note value: from `at` (divisions from the bar line) on."""

    at: int
    length: int
    kind: str
    dots: int
    tuplet: int
    """One of three in the time of two, or of five in the time of four; otherwise 0."""
    heads: tuple[Head, ...]
    tied: bool
    """It goes on from the value before ..."""
    ties: bool
    """... and into the next."""
    graces: tuple[Head, ...] = ()
    """Small notes before it, which take no time of their own."""


class Chord(NamedTuple):
    """What begins and ends together, in divisions from the first bar on."""

    start: int
    end: int
    heads: tuple[Head, ...]
    tied: bool
    graces: tuple[Head, ...] = ()


class Bar(NamedTuple):
    """A bar from `low` to `high`, and of its beats which go in three or in five."""

    low: int
    high: int
    beat: int
    tuplets: Mapping[int, int]

    def tuplet(self, at: int) -> int:
        """What the beat that begins at a place goes in: 3, 5, or 0."""
        return self.tuplets.get(at, 0)


def values(chords: list[Chord], bar: Bar, rests: bool) -> Iterator[Value]:
    """The values of a bar: chords, and rests between them where they are to be seen."""
    at = bar.low
    for chord in chords:
        begins, ends = max(chord.start, bar.low), min(chord.end, bar.high)
        if begins > at and rests:
            yield from _cut(at, begins, bar, (), False, False)
        tied = chord.tied or chord.start < bar.low
        cut = _cut(begins, ends, bar, chord.heads, tied, chord.end > bar.high)
        yield from (value if tied or row else value._replace(graces=chord.graces) for row, value in enumerate(cut))
        at = max(at, ends)
    if at < bar.high and rests:
        yield from _cut(at, bar.high, bar, (), False, False)


def _cut(start: int, end: int, bar: Bar, heads: tuple[Head, ...], tied: bool, ties: bool) -> Iterator[Value]:
    """A stretch in note values, so that the beats are seen."""
    if not heads and start == bar.low and end == bar.high:
        yield Value(0, end - start, "bar", 0, 0, (), False, False)
        return
    at = start
    while at < end:
        length, kind, dots, tuplet = _largest(at, end, bar, not heads)
        comes, goes = tied or at > start, ties or at + length < end
        yield Value(at - bar.low, length, kind, dots, tuplet, heads, bool(heads) and comes, bool(heads) and goes)
        at += length


Found = tuple[int, str, int, int]
"""A value: its divisions, what it is called, its dots, and whether it is one of three or five."""


def _largest(at: int, end: int, bar: Bar, rest: bool) -> Found:
    """The largest value that may stand at a place. A rest is never dotted, and hides no beat."""
    into = (at - bar.low) % bar.beat
    begins = at - into
    size = min(bar.beat, bar.high - begins)
    if into == 0 and end - at >= size:
        return _over_beats(at, end, bar, rest)
    many = bar.tuplet(begins) if size == QUARTER else 0
    within = min(end - at, size - into)
    if many:
        for length, (kind, dots) in IN_TUPLETS[many].items():
            fits = length <= within and not (rest and dots)
            if fits and (length != 2 * QUARTER // 3 or into in (0, QUARTER // 3)):
                return length, kind, dots, many
        return within, "32nd", 0, many
    # From half a beat to the next half: one value, where it hides no middle of a bar.
    after = begins + size
    if size == QUARTER and into == HALF and end - at >= size and not rest and not bar.tuplet(after):
        is_middle = ((after - bar.low) // bar.beat) % 2 == 0
        if not is_middle and after + HALF <= bar.high:
            return QUARTER, "quarter", 0, 0
    for length, (kind, dots) in VALUES.items():
        if length > within or (length == BY_THREES and size != BY_THREES) or (rest and dots and size != BY_THREES):
            continue
        # A dotted value stands where its short half completes a part of the beat.
        if dots and into % (length // 3) != 0:
            continue
        if not dots and length < size and into % length not in (0, length // 2):
            continue
        return length, kind, dots, 0
    return within, "32nd", 0, 0


def _over_beats(at: int, end: int, bar: Bar, rest: bool) -> Found:
    """From a beat on: whole beats together where they lie even in the bar, and half a beat more."""
    place, room = (at - bar.low) // bar.beat, min(end, bar.high) - at
    if bar.beat == BY_THREES:
        for length, (kind, dots) in WIDE.items():
            if length <= room and place % (length // bar.beat) == 0:
                return length, kind, dots, 0
        return _short(room)
    beats = (bar.high - bar.low) // bar.beat
    for many, kind, dots in ((4, "whole", 0), (3, "half", 1), (2, "half", 0)):
        length = many * QUARTER
        even = place % many == 0 if many != 3 else not rest and (beats in (3, 6) or place % 4 in (0, 1))
        if length <= room and even:
            return length, kind, dots, 0
    if room >= BY_THREES and end - at < 2 * QUARTER and not rest and not bar.tuplet(at + bar.beat):
        return BY_THREES, "quarter", 1, 0
    return _short(room) if bar.high - at < bar.beat else (bar.beat, "quarter", 0, 0)


def _short(room: int) -> Found:
    for length, (kind, dots) in VALUES.items():
        if length <= room:
            return length, kind, dots, 0
    return room, "32nd", 0, 0
