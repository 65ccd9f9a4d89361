"""Where a line breathes: phrases and smaller groups, by changes of interval, of time and of rest.

The local boundary detection model (E. Cambouropoulos, *The Local Boundary Detection Model (LBDM) and its application in
the study of expressive timing*, ICMC 2001): of each pair of neighbours in a line three intervals are looked at, that of
pitch, that between onsets, and the rest. Where an interval is large and unlike the ones beside it, the line divides.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from expression import percussion
from expression.arrays import Flags, Floats, Ints, frozen, union
from expression.chords import chord_onsets
from expression.memo import worked_out
from expression.notes import Notes
from expression.take import Part, PhraseMark, Take

WEIGHTS = (0.25, 0.5, 0.25)
"""Pitch, time between onsets, rest: 1:2:1."""
GROUP_ABOVE, PHRASE_ABOVE = 0.5, 1.5
"""A boundary is stronger than its neighbours, and than the mean by so many standard deviations."""
LONGEST = 32
"""Quarters. A phrase that goes on for longer is divided where it is weakest: nobody breathes so late."""
WIDEST = (12.0, 4.0, 4.0)
"""Semitones and quarters. Intervals beyond count as these, so that one long silence does not hide all others."""


class Line(NamedTuple):
    """The upper voice of a part. One element of each array a note (of chords the highest), in the order of time."""

    onset: Ints
    """That of the chord's first note, in ticks."""
    end: Ints
    pitch: Ints
    begins: Ints
    """When it begins on the written page: where a line breathes does not change with how it is played."""
    ends: Ints


class Phrases(NamedTuple):
    """Onsets (ticks) at which phrases and groups begin, ascending. A phrase begins with a group."""

    phrases: Ints
    groups: Ints

    def of(self, onsets: Ints, level: Ints) -> tuple[Ints, Ints]:
        """For each onset where its phrase or group (`level`) begins, and the number of it."""
        row = np.maximum(np.searchsorted(level, onsets, side="right") - 1, 0)
        return level[row], row


def line_of(take: Take, part: int) -> Line:
    """The upper voice of a part: of what is struck as one the highest. The keys of a drum kit are no pitches: all 0."""
    return _line(take.parts[part].notes, take.resolution, _is_drum(take, part))


def _is_drum(take: Take, part: int) -> bool:
    return take.parts[part].channel.number == percussion.CHANNEL


# What follows is kept with the notes, for as long as they are struck harder or softer and no more.
@worked_out(2, is_lasting=True)
def _line(notes: Notes, resolution: int, is_drum: bool) -> Line:
    heard = notes.music & ~notes.muted
    onsets = _onsets(notes, resolution)[heard]
    pitch, end = notes.pitch[heard].astype(np.int64), notes.end[heard]
    if is_drum:
        pitch = np.zeros_like(pitch)
    begins, ends = _written(notes)
    rows = _tops(onsets, pitch, begins[heard], notes.id[heard])
    columns = (onsets, end, pitch, begins[heard], ends[heard])
    return Line(*(frozen(column[rows], np.int64) for column in columns))


def _tops(onsets: Ints, pitch: Ints, begins: Ints, ids: Ints) -> Ints:
    """Of each onset the row of its highest note: of two as high the one written first, whichever is heard so."""
    order, heads, group = _together(onsets)
    if not len(order):
        return order
    is_top = pitch[order] == np.maximum.reduceat(pitch[order], heads)[group]
    rows, of = order[is_top], group[is_top]
    shared = np.bincount(of)[of] > 1
    some = np.flatnonzero(shared)
    some = some[np.lexsort((ids[rows[some]], begins[rows[some]], of[some]))]
    keep = ~shared
    keep[some[np.append(True, np.diff(of[some]) > 0)[: len(some)]]] = True
    return np.asarray(rows[keep])


def onsets_of(take: Take, part: int) -> Ints:
    """For each note of a part when its chord begins (ticks). What is written as one is one, however it is spread.

    Cues, and what is not heard, are in no chord: they begin where they begin.
    """
    return _onsets(take.parts[part].notes, take.resolution)


@worked_out(2, is_lasting=True)
def _onsets(notes: Notes, resolution: int) -> Ints:
    heard = notes.music & ~notes.muted
    begins, _ = _written(notes)
    rows = np.flatnonzero(heard)
    order, heads, group = _together(chord_onsets(begins[heard], resolution))
    found = notes.start.astype(np.int64)
    if len(order):
        found[rows[order]] = np.minimum.reduceat(notes.start[heard][order], heads)[group]
    return frozen(found, np.int64)


def _together(numbers: Ints) -> tuple[Ints, Ints, Ints]:
    """Rows in the order of their numbers; where in that each other number begins; and for each how many came before."""
    order = np.argsort(numbers, kind="stable")
    is_new = np.append(True, np.diff(numbers[order]) > 0)[: len(order)]
    return order, np.flatnonzero(is_new), np.cumsum(is_new) - 1


def heard_rows(part: Part) -> Ints:
    """Rows of the heard music of a part (no cues, nothing muted), by onset, of one onset from below."""
    notes = part.notes
    rows = np.flatnonzero(notes.music & ~notes.muted)
    return rows[np.lexsort((notes.pitch[rows], notes.start[rows]))]


LEAP = 5
"""Semitones: what is as far, or farther, is a leap."""


def metre_levels(take: Take, onsets: Ints) -> tuple[Flags, Flags, Flags, Flags]:
    """Whether onsets lie on a bar line, a half bar (of an even count of beats), a beat, and half a beat."""
    start, beat, bar = take.meter.bar_of(onsets)
    near = take.resolution / 8

    def on(length: Floats | Ints) -> Flags:
        away = (onsets - start) % length
        return np.asarray(np.minimum(away, length - away) <= near)

    return on(bar), on(np.where((bar // beat) % 2 == 0, bar / 2, bar)), on(beat), on(beat / 2)


def _written(notes: Notes) -> tuple[Ints, Ints]:
    """Where notes stand on the page; where they are heard, of those that do not."""
    stands = notes.page_start >= 0
    return np.where(stands, notes.page_start, notes.start), np.where(stands, notes.page_end, notes.end)


def strengths(line: Line, resolution: int) -> Floats:
    """How much the line divides before each note (0 to 1); before the first it begins anyway, and there it is 0."""
    if len(line.onset) < 2:
        return np.zeros(len(line.onset))
    gaps = np.abs(np.diff(line.begins)) / resolution
    rests = np.maximum(line.begins[1:] - line.ends[:-1], 0) / resolution
    columns = np.abs(np.diff(line.pitch)).astype(np.float64), gaps, rests
    total = np.zeros(len(gaps))
    for column, weight, widest in zip(columns, WEIGHTS, WIDEST, strict=True):
        total += weight * _profile(np.minimum(column, widest))
    return np.append(0.0, total)


def _profile(intervals: Floats) -> Floats:
    """The strength of each interval: its size, times the degrees to which it differs from its neighbours; at most 1."""
    before, after = intervals[:-1], intervals[1:]
    both = before + after
    change = np.abs(after - before) / np.where(both > 0, both, 1.0)
    strength = intervals * (np.append(0.0, change) + np.append(change, 0.0))
    highest = float(strength.max(initial=0.0))
    return np.asarray(strength / highest if highest > 0 else strength)


def phrases_of(take: Take, part: int) -> Phrases:
    """Where the phrases and the groups of a part's upper voice begin: as they are found, but for what was said by hand.

    Of a phrase that is made to go on over a boundary the groups stay, and with a phrase a group begins.
    """
    marks = tuple(mark for mark in take.phrase_marks if mark.part == part)
    return _phrases(take.parts[part].notes, take.resolution, _is_drum(take, part), marks)


@worked_out(2, is_lasting=True)
def _phrases(notes: Notes, resolution: int, is_drum: bool, marks: tuple[PhraseMark, ...]) -> Phrases:
    line = _line(notes, resolution, is_drum)
    if not len(line.onset):
        return Phrases(line.onset, line.onset)
    strength = strengths(line, resolution)
    inner = strength[1:]
    # Stronger than the one before, and no weaker than the one after: of equals the first.
    peak = np.append(False, (inner > np.append(-1.0, inner[:-1])) & (inner >= np.append(inner[1:], -1.0)))
    mean, spread = (float(inner.mean()), float(inner.std())) if len(inner) else (0.0, 0.0)

    def begins(above: float) -> Ints:
        found = peak & (strength > mean + above * spread)
        found[0] = True
        return np.flatnonzero(found)

    found = _breathing(line, strength, begins(PHRASE_ABOVE), LONGEST * resolution)
    phrases = _by_hand(line, found, [mark for mark in marks if mark.level == "phrases"])
    groups = _by_hand(line, union(found, begins(GROUP_ABOVE)), [mark for mark in marks if mark.level == "groups"])
    groups = union(phrases, groups)
    return Phrases(frozen(line.onset[phrases], np.int64), frozen(line.onset[groups], np.int64))


def stretches(take: Take, part: int, level: str) -> tuple[Ints, Ints]:
    """Of each phrase or group of a part (`level`) where it begins and where its last note ends, or the next begins, in
    ticks.
    """
    line, found = line_of(take, part), phrases_of(take, part)
    begins = found.phrases if level == "phrases" else found.groups
    if not len(begins):
        return begins, begins
    ends = np.maximum.reduceat(line.end, np.searchsorted(line.onset, begins))
    ends[:-1] = np.minimum(ends[:-1], begins[1:])
    return begins, ends


def nearest(line: Line, ticks: Ints) -> Ints:
    """The rows of a line (of one note at least) that begin nearest to some ticks; of two as near the earlier."""
    after = np.clip(np.searchsorted(line.onset, ticks), 1, max(len(line.onset) - 1, 1))
    after = np.minimum(after, len(line.onset) - 1)
    before = np.maximum(after - 1, 0)
    return np.where(ticks - line.onset[before] <= line.onset[after] - ticks, before, after)


def _by_hand(line: Line, rows: Ints, marks: Sequence[PhraseMark]) -> Ints:
    """Rows at which phrases begin, with what was said by hand in the place of what was found there.

    Ticks mean the note of the line that is nearest now: what strokes move in time keeps its phrase.
    """
    for mark in marks:
        first, last, *bounds = nearest(line, np.array([mark.first, mark.last, *mark.bounds], dtype=np.int64)).tolist()
        # With the first note something begins in any case.
        rows = union(np.array([0, *bounds], dtype=np.int64), rows[(rows < first) | (rows > last)])
    return rows


def _breathing(line: Line, strength: Floats, rows: Ints, longest: int) -> Ints:
    """Rows at which phrases begin, with more of them where one would last too long: at its strongest inner boundary."""
    edge = np.append(line.onset, line.end[-1:])
    ends = np.append(rows[1:], len(line.onset))
    late = edge[ends] - edge[rows] > longest
    waiting, found = list(zip(rows[late].tolist(), ends[late].tolist(), strict=True)), []
    while waiting:
        first, after = waiting.pop()
        start, until = edge[[first, after]].tolist()
        if after - first < 4 or until - start <= longest:
            continue
        # Of equals the one nearest to the middle.
        inner = strength[first + 2 : after - 1]
        strongest = np.flatnonzero(inner == inner.max()) + first + 2
        at = int(strongest[np.abs(line.onset[strongest] - (start + until) / 2).argmin()])
        found.append(at)
        waiting += [(first, at), (at, after)]
    return union(rows, np.array(sorted(found), dtype=np.int64))
