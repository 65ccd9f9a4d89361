"""The notes of a staff in voices, bar by bar: what sounds on is told apart from what is struck meanwhile."""

import itertools
from collections import defaultdict
from collections.abc import Iterable, Mapping
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints
from expression.staff.placing import HALF, Measures, Placed
from expression.staff.values import Bar, Chord, Head, Value, values

MOST_VOICES = 4
SMALL_GAP = 0.3
"""What is left of the time to the next note, as a share of it, that is no rest yet."""
GRACE, LONGER, MOST_GRACES = 1 / 8, 3, 3
"""A small note lasts no longer than that share of a quarter, what it leads to is so many times as long at least ..."""
BEFORE, BEFORE_SECONDS = 1 / 6, 0.11
"""... and begins no later behind its start than that share of a quarter, and that many seconds."""


class Voices(NamedTuple):
    """Of each bar its voices, the higher one first; and bars (rows) in which more sounds than voices can tell."""

    bars: list[list[list[Value]]]
    crowded: list[int]


class Seen(NamedTuple):
    """The notes of a staff. One element of each array a note."""

    id: Ints
    pitch: Ints
    start: Ints
    end: Ints
    """In divisions from the first bar on."""
    comes_in: Flags
    """They began before."""


def graces(start: Ints, end: Ints, seconds: Floats, resolution: int) -> dict[int, int]:
    """Small notes that lead to others, of notes in the order of their starts (ticks, and seconds): by row the row of
    that. A run of more than a few is no ornament, but written as it is.
    """
    found: dict[int, int] = {}
    many: dict[int, list[int]] = defaultdict(list)
    length = end - start
    small = length <= GRACE * resolution
    for row in np.flatnonzero(small)[::-1].tolist():
        for other in range(row + 1, len(start)):
            if start[other] - start[row] > BEFORE * resolution or seconds[other] - seconds[row] > BEFORE_SECONDS:
                break
            if start[other] == start[row]:
                continue
            leads = not small[other] and length[other] >= LONGER * length[row]
            if leads or other in found:
                found[row] = found.get(other, other)
                many[found[row]].append(row)
            break
    return {row: to for row, to in found.items() if len(many[to]) <= MOST_GRACES}


def staff_voices(seen: Seen, leads_to: Mapping[int, int], place: Placed, measures: Measures, begins: Ints) -> Voices:
    """The voices of a staff. `leads_to`: small notes (rows) and what each is written before."""
    main = np.array([row not in leads_to for row in range(len(seen.id))], dtype=bool)
    small: dict[int, list[Head]] = defaultdict(list)
    for row, to in sorted(leads_to.items()):
        small[int(seen.id[to])].append(Head(int(seen.id[row]), int(seen.pitch[row])))
    pitch, start = seen.pitch[main], seen.start[main]
    kept = Seen(seen.id[main], pitch, start, _let_go_together(pitch, start, seen.end[main]), seen.comes_in[main])
    voices, late = _told_apart(_chords(kept, small))
    closed = [_closed(voice) for voice in voices]
    rows = [0] * len(voices)
    bars: list[list[list[Value]]] = []
    for number, (low, high) in enumerate(itertools.pairwise(begins.tolist())):
        within = Bar(low, high, measures.beat(number), place.tuplets)
        inside = []
        for which, voice in enumerate(closed):
            while rows[which] < len(voice) and voice[rows[which]].end <= low:
                rows[which] += 1
            after = rows[which]
            while after < len(voice) and voice[after].start < high:
                after += 1
            if after > rows[which]:
                inside.append(voice[rows[which] : after])
        inside.sort(key=lambda chords: -sum(map(_height, chords)) / len(chords))
        # Rests are told by the highest voice of a bar.
        told = [list(values(chords, within, not order)) for order, chords in enumerate(inside)]
        whole = [Value(0, high - low, "bar", 0, 0, (), False, False)]
        bars.append(told or [whole])
    crowded = sorted({int(np.searchsorted(begins, at, side="right")) - 1 for at in late})
    return Voices(bars, crowded)


def _chords(seen: Seen, small: Mapping[int, list[Head]]) -> list[Chord]:
    """What begins and ends together."""
    found: dict[tuple[int, int, bool], dict[int, Head]] = defaultdict(dict)
    for id_, key, begins, ends, tied in zip(*(column.tolist() for column in seen), strict=True):
        # Two notes of a key at one place are one head.
        found[begins, ends, tied].setdefault(key, Head(id_, key))
    made = []
    for (begins, ends, tied), heads in found.items():
        before = tuple(grace for head in heads.values() for grace in small.get(head.id, ()))
        made.append(Chord(begins, ends, tuple(heads[key] for key in sorted(heads)), tied, before))
    return sorted(made)


def _let_go_together(pitch: Ints, start: Ints, end: Ints) -> Ints:
    """Ends of notes, of which what is let go a little sooner lasts as long as the rest of its chord.

    Fingers do not leave at once. None lasts longer than until its key is struck again.
    """
    made = end.copy()
    by_key = np.lexsort((start, pitch))
    room = np.full(len(end), np.iinfo(np.int64).max)
    again = pitch[by_key][1:] == pitch[by_key][:-1]
    room[by_key[:-1][again]] = start[by_key[1:][again]]
    longest: dict[int, int] = {}
    for row in np.lexsort((-end, start)).tolist():
        begins, ends = int(start[row]), int(end[row])
        last = longest.get(begins)
        if last is None or last - ends > SMALL_GAP * (last - begins):
            longest[begins] = ends
        elif room[row] >= last:
            made[row] = last
    return made


def _told_apart(chords: Iterable[Chord]) -> tuple[list[list[Chord]], list[int]]:
    """Chords in as many voices as the music has, each in the one that lay nearest to it; and where that is too many.

    Where no voice is free, the one that has been held longest is ended; what begins with it joins it.
    """
    voices: list[list[Chord]] = []
    late: list[int] = []
    for chord in sorted(chords, key=lambda one: (one.start, -one.end)):
        free = [voice for voice in voices if voice[-1].end <= chord.start]
        if free:
            min(free, key=lambda voice: abs(_height(voice[-1]) - _height(chord))).append(chord)
            continue
        if len(voices) < MOST_VOICES:
            voices.append([chord])
            continue
        late.append(chord.start)
        together = next((voice for voice in voices if voice[-1].start == chord.start), None)
        if together is not None:
            last = together[-1]
            heads = {head.pitch: head for head in (*last.heads, *chord.heads)}
            together[-1] = last._replace(heads=tuple(heads[key] for key in sorted(heads)))
            continue
        oldest = min(voices, key=lambda voice: voice[-1].start)
        oldest[-1] = oldest[-1]._replace(end=chord.start)
        oldest.append(chord)
    return voices, late


def _height(chord: Chord) -> float:
    return sum(head.pitch for head in chord.heads) / len(chord.heads)


def _closed(voice: list[Chord]) -> list[Chord]:
    """Chords without the small gaps that fingers leave before the next."""
    found = []
    for chord, following in zip(voice, [*voice[1:], None], strict=True):
        if following is not None:
            gap, whole = following.start - chord.end, following.start - chord.start
            if 0 < gap <= HALF and gap <= SMALL_GAP * whole:
                chord = chord._replace(end=following.start)
        found.append(chord)
    return found
