"""Parts as they are written: staves with clefs, voices of chords and rests in note values, signs.

Only what stands on the page is written: no cues, nothing muted, no runs that nobody wrote.
"""

import itertools
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from typing import Literal, NamedTuple

import numpy as np

from expression import percussion
from expression.arrays import Flags, Ints
from expression.dynamics import dynamic
from expression.lanes import SUSTAIN
from expression.midi.status import META
from expression.sounding import pressed
from expression.staff.placing import QUARTER, ROUGH, Measures, Placed, placed
from expression.staff.spelling import signature
from expression.take import Part, Take

KEY_SIGNATURE = 0x59
"""The type of meta event that says it."""
MOST_PARTS = 16
MOST_VOICES = 2
SPLIT = 60
"""Of a part on two staves, what lies from middle C upwards goes to the upper."""
CHANGE = 7.0
"""A dynamic is written anew where the mean velocity of a bar is so far from where the last one was written."""
SMALL_GAP = 0.3
"""What is left of the time to the next note, as a share of it, that is no rest yet."""

VALUES = {96: ("whole", 0), 72: ("half", 1), 48: ("half", 0), 36: ("quarter", 1), 24: ("quarter", 0),
          18: ("eighth", 1), 12: ("eighth", 0), 9: ("16th", 1), 6: ("16th", 0), 3: ("32nd", 0)}  # fmt: skip
"""Note values by their divisions: what they are called, and their dots."""
IN_THREE = {16: ("quarter", 0), 8: ("eighth", 0), 4: ("16th", 0)}
WIDE = {144: ("whole", 1), 72: ("half", 1), 36: ("quarter", 1)}
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
    three: bool
    """One of three in the time of two."""
    heads: tuple[Head, ...]
    tied: bool
    """It goes on from the value before ..."""
    ties: bool
    """... and into the next."""


class Sign(NamedTuple):
    """What stands above or below: a dynamic, an end of a hairpin, the pedal down or up."""

    at: int
    kind: Literal["dynamic", "crescendo", "diminuendo", "stop", "pedal", "release"]
    word: str = ""


class Staff(NamedTuple):
    """A staff: its clef, and of each bar its voices."""

    clef: Literal["treble", "bass", "drum"]
    bars: list[list[list[Value]]]


class WrittenPart(NamedTuple):
    """A part as it is written."""

    part: Part
    name: str
    staves: list[Staff]
    signs: list[list[Sign]]
    """Of each bar."""
    is_drum: bool


class Written(NamedTuple):
    """What is written: parts over some bars."""

    measures: Measures
    fifths: int
    parts: list[WrittenPart]
    remarks: list[str]


class Hairpin(NamedTuple):
    """A hairpin of a part, in ticks; `rises` where it gets louder."""

    part: int
    start: int
    end: int
    rises: bool


def written(take: Take, parts: Sequence[int], first: int, count: int, hairpins: Sequence[Hairpin] = ()) -> Written:
    """Some parts over `count` bars from bar `first` (from 1) on."""
    measures = Measures.of(take.meter, take.resolution, take.end, first, count)
    known = [take.parts[part] for part in parts if part < len(take.parts)]
    remarks = []
    if len(known) > MOST_PARTS:
        remarks.append(f"The page shows {MOST_PARTS} parts at once; {len(known) - MOST_PARTS} more are left out.")
        known = known[:MOST_PARTS]
    fifths = key_of(take)
    made = []
    rough: list[tuple[float, int]] = []
    for part in known:
        one, off, notes = _part(take, part, measures, [pin for pin in hairpins if pin.part == part.id])
        made.append(one)
        rough.append((off, notes))
    notes = sum(notes for _, notes in rough)
    if notes and sum(off * notes for off, notes in rough) / notes > ROUGH:
        remarks.append("This was played freely, without the beat that the bars have: what is written is rough.")
    return Written(measures, fifths, made, remarks)


def key_of(take: Take) -> int:
    """The key signature of a take: fifths from C, as its file says, or by what is written and how long that lasts."""
    for track in take.tracks:
        for row in np.flatnonzero((track.status == META) & (track.data1 == KEY_SIGNATURE)).tolist():
            said = track.payloads[int(track.payload[row])]
            if len(said) == 2:
                # One signed byte: sharps, or flats below zero (SMF 1.0, Key Signature).
                fifths = said[0] - 256 if said[0] > 127 else said[0]
                if abs(fifths) <= 7:
                    return fifths
    pitch, weight = [np.zeros(0, dtype=np.int64)], [np.zeros(0)]
    for part in take.parts:
        if part.channel.number != percussion.CHANNEL:
            notes = part.notes.only(part.notes.written)
            pitch.append(notes.pitch.astype(np.int64))
            weight.append(np.minimum(notes.page_end - notes.page_start, take.resolution * 4).astype(np.float64))
    return signature(np.concatenate(pitch), np.concatenate(weight))


def _part(take: Take, part: Part, measures: Measures, hairpins: Sequence[Hairpin]) -> tuple[WrittenPart, float, int]:
    is_drum = part.channel.number == percussion.CHANNEL
    notes = part.notes.only(part.notes.written)
    clefs = _clefs(notes.pitch.astype(np.int64), is_drum)
    begins = np.cumsum(np.append(0, measures.length))
    end = measures.end(take.resolution)
    # What is played a little before a bar line may belong behind it: the bars beside are read as well.
    wide = Measures.of(take.meter, take.resolution, take.end, max(int(measures.number[0]) - 1, 1), len(begins) + 1)
    before = int(wide.length[0]) if wide.number[0] < measures.number[0] else 0
    first, last = int(wide.start[0]), wide.end(take.resolution)
    seen = notes.only((notes.page_start < last) & (notes.page_end > first))
    place = placed(
        wide,
        take.resolution,
        np.maximum(seen.page_start, first),
        np.minimum(seen.page_end, last),
        seen.pitch.astype(np.int64),
        is_drum,
    ).earlier(before)
    here = (place.end > 0) & (place.start < begins[-1])
    seen, place = seen.only(here), place.only(here)
    comes_in = seen.page_start < first
    pitch = seen.pitch.astype(np.int64)
    staves = []
    for number, clef in enumerate(clefs):
        mine = np.ones(len(seen), dtype=bool)
        if len(clefs) == 2:
            mine = (pitch >= SPLIT) if number == 0 else (pitch < SPLIT)
        staves.append(Staff(clef, _staff(seen.id, pitch, place, comes_in, mine, measures, begins)))
    signs = [*_dynamics(take, part, measures), *_pedals(take, part, measures, end), *_pins(hairpins, end)]
    per_bar: list[list[Sign]] = [[] for _ in measures.start]
    for tick, sign in signs:
        at = (tick - measures.start) * QUARTER / take.resolution
        bar = int(np.clip(np.searchsorted(measures.start, tick, side="right") - 1, 0, len(measures.start) - 1))
        snapped = min(max(round(float(at[bar]) / 6) * 6, 0), int(measures.length[bar]))
        per_bar[bar].append(sign._replace(at=snapped))
    for listed in per_bar:
        listed.sort(key=lambda sign: sign.at)
    return WrittenPart(part, part.name, staves, per_bar, is_drum), place.rough, len(seen)


def _clefs(pitch: Ints, is_drum: bool) -> list[Literal["treble", "bass", "drum"]]:
    """By the range: where much lies on both sides of middle C there are two staves."""
    if is_drum:
        return ["drum"]
    if not len(pitch):
        return ["treble"]
    low, high = np.quantile(pitch, [0.05, 0.95])
    below = float((pitch < SPLIT).mean())
    if low < 53 and high > 67 and 0.1 < below < 0.9:
        return ["treble", "bass"]
    return ["bass" if np.median(pitch) < SPLIT else "treble"]


# ---- voices


class _Chord(NamedTuple):
    start: int
    end: int
    heads: tuple[Head, ...]
    tied: bool


def _staff(
    ids: Ints, pitch: Ints, place: Placed, comes_in: Flags, mine: Flags, measures: Measures, begins: Ints
) -> list[list[list[Value]]]:
    start = place.start[mine]
    end = _let_go_together(pitch[mine], start, place.end[mine])
    voices = _voices(_chords(ids[mine], pitch[mine], start, end, comes_in[mine]))
    bars: list[list[list[Value]]] = [[] for _ in measures.start]
    edges = begins.tolist()
    for voice in voices:
        closed = _closed(voice)
        row = 0
        for bar, (low, high) in enumerate(itertools.pairwise(edges)):
            while row < len(closed) and closed[row].end <= low:
                row += 1
            inside = []
            at = row
            while at < len(closed) and closed[at].start < high:
                inside.append(closed[at])
                at += 1
            if inside:
                # Rests are told by the first voice that says anything in a bar.
                within = _Bar(low, high, measures.beat(bar), place.triplet)
                bars[bar].append(list(_values(inside, within, not bars[bar])))
    for bar, told in enumerate(bars):
        if not told:
            told.append([Value(0, int(measures.length[bar]), "bar", 0, False, (), False, False)])
    return bars


def _chords(ids: Ints, pitch: Ints, start: Ints, end: Ints, comes_in: Flags) -> list[_Chord]:
    """What begins and ends together."""
    found: dict[tuple[int, int, bool], dict[int, Head]] = defaultdict(dict)
    columns = (column.tolist() for column in (ids, pitch, start, end, comes_in))
    for id_, key, begins, ends, tied in zip(*columns, strict=True):
        # Two notes of a key at one place are one head.
        found[begins, ends, tied].setdefault(key, Head(id_, key))
    return sorted(
        _Chord(begins, ends, tuple(heads[key] for key in sorted(heads)), tied)
        for (begins, ends, tied), heads in found.items()
    )


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


def _voices(chords: Iterable[_Chord]) -> list[list[_Chord]]:
    """Chords in as many voices as can be told apart, the higher one first: each in the voice that lay nearest to it.

    Where no voice is free, the one that has been held longest is ended; what begins with it joins it.
    """
    voices: list[list[_Chord]] = []
    for chord in sorted(chords, key=lambda one: (one.start, -one.end)):
        free = [voice for voice in voices if voice[-1].end <= chord.start]
        if not free and len(voices) < MOST_VOICES:
            voices.append([chord])
            continue
        if free:
            min(free, key=lambda voice: abs(_height(voice[-1]) - _height(chord))).append(chord)
            continue
        together = next((voice for voice in voices if voice[-1].start == chord.start), None)
        if together is not None:
            last = together[-1]
            heads = {head.pitch: head for head in (*last.heads, *chord.heads)}
            together[-1] = last._replace(heads=tuple(heads[key] for key in sorted(heads)))
            continue
        oldest = min(voices, key=lambda voice: voice[-1].start)
        oldest[-1] = oldest[-1]._replace(end=chord.start)
        oldest.append(chord)
    return sorted(voices, key=lambda voice: -sum(map(_height, voice)) / len(voice))


def _height(chord: _Chord) -> float:
    return sum(head.pitch for head in chord.heads) / len(chord.heads)


def _closed(voice: list[_Chord]) -> list[_Chord]:
    """Chords without the small gaps that fingers leave before the next."""
    found = []
    for chord, following in zip(voice, [*voice[1:], None], strict=True):
        if following is not None:
            gap, whole = following.start - chord.end, following.start - chord.start
            if 0 < gap <= 12 and gap <= SMALL_GAP * whole:
                chord = chord._replace(end=following.start)
        found.append(chord)
    return found


# ---- values


class _Bar(NamedTuple):
    """A bar from `low` to `high`, and of its beats which go in three."""

    low: int
    high: int
    beat: int
    triplet: dict[int, bool]

    def in_three(self, at: int) -> bool:
        """Whether the beat that begins at a place goes in three."""
        return self.triplet.get(at, False)


def _values(chords: list[_Chord], bar: _Bar, rests: bool) -> Iterator[Value]:
    """The values of a bar: chords, and rests between them where they are to be seen."""
    at = bar.low
    for chord in chords:
        begins, ends = max(chord.start, bar.low), min(chord.end, bar.high)
        if begins > at and rests:
            yield from _cut(at, begins, bar, (), False, False)
        tied = chord.tied or chord.start < bar.low
        yield from _cut(begins, ends, bar, chord.heads, tied, chord.end > bar.high)
        at = max(at, ends)
    if at < bar.high and rests:
        yield from _cut(at, bar.high, bar, (), False, False)


def _cut(start: int, end: int, bar: _Bar, heads: tuple[Head, ...], tied: bool, ties: bool) -> Iterator[Value]:
    """A stretch in note values, so that the beats are seen."""
    if not heads and start == bar.low and end == bar.high:
        yield Value(0, end - start, "bar", 0, False, (), False, False)
        return
    at = start
    while at < end:
        length, kind, dots, three = _largest(at, end, bar, not heads)
        comes, goes = tied or at > start, ties or at + length < end
        yield Value(at - bar.low, length, kind, dots, three, heads, bool(heads) and comes, bool(heads) and goes)
        at += length


Found = tuple[int, str, int, bool]
"""A value: its divisions, what it is called, its dots, and whether it is one of three."""


def _largest(at: int, end: int, bar: _Bar, rest: bool) -> Found:
    """The largest value that may stand at a place. A rest is never dotted, and hides no beat."""
    into = (at - bar.low) % bar.beat
    begins = at - into
    size = min(bar.beat, bar.high - begins)
    if into == 0 and end - at >= size:
        return _over_beats(at, end, bar, rest)
    three = bar.in_three(begins) and size == QUARTER
    within = min(end - at, size - into)
    if three:
        for length, (kind, dots) in IN_THREE.items():
            if length <= within and (length != 16 or into in (0, 8)):
                return length, kind, dots, True
        return within, "32nd", 0, True
    # From half a beat to the next half: one value, where it hides no middle of a bar.
    after = begins + size
    if size == QUARTER and into == 12 and end - at >= size and not rest and not bar.in_three(after):
        is_middle = ((after - bar.low) // bar.beat) % 2 == 0
        if not is_middle and after + 12 <= bar.high:
            return 24, "quarter", 0, False
    for length, (kind, dots) in VALUES.items():
        if length > within or (length == 36 and size != 36) or (rest and dots and size != 36):
            continue
        # A dotted value stands where its short half completes a part of the beat.
        if dots and into % (length // 3) != 0:
            continue
        if not dots and length < size and into % length not in (0, length // 2):
            continue
        return length, kind, dots, False
    return within, "32nd", 0, False


def _over_beats(at: int, end: int, bar: _Bar, rest: bool) -> Found:
    """From a beat on: whole beats together where they lie even in the bar, and half a beat more."""
    place, room = (at - bar.low) // bar.beat, min(end, bar.high) - at
    if bar.beat == 36:
        for length, (kind, dots) in WIDE.items():
            if length <= room and place % (length // bar.beat) == 0:
                return length, kind, dots, False
        return _short(room)
    beats = (bar.high - bar.low) // bar.beat
    for many, (length, (kind, dots)) in ((4, (96, ("whole", 0))), (3, (72, ("half", 1))), (2, (48, ("half", 0)))):
        even = place % many == 0 if many != 3 else not rest and (beats in (3, 6) or place % 4 in (0, 1))
        if length <= room and even:
            return length, kind, dots, False
    if room >= 36 and end - at < 48 and not rest and not bar.in_three(at + bar.beat):
        return 36, "quarter", 1, False
    return _short(room) if bar.high - at < bar.beat else (bar.beat, "quarter", 0, False)


def _short(room: int) -> Found:
    for length, (kind, dots) in VALUES.items():
        if length <= room:
            return length, kind, dots, False
    return room, "32nd", 0, False


# ---- signs


def _dynamics(take: Take, part: Part, measures: Measures) -> Iterator[tuple[int, Sign]]:
    """Where the mean velocity of a bar is another than where the last was written; the first bar always has one."""
    notes = part.notes.only(part.notes.written)
    bars = take.meter.bars(max(take.end, 1)).start
    bar = np.searchsorted(bars, notes.page_start, side="right") - 1
    count = np.bincount(bar, minlength=len(bars))
    mean = np.bincount(bar, notes.velocity, minlength=len(bars)) / np.maximum(count, 1)
    word, level = "", -1e9
    first, last = int(measures.number[0]) - 1, int(measures.number[-1]) - 1
    for at in np.flatnonzero(count).tolist():
        if at > last:
            break
        now = dynamic(float(mean[at]))
        changes = now != word and abs(mean[at] - level) >= CHANGE
        if changes:
            word, level = now, float(mean[at])
        if at >= first and (changes or not any(count[first:at])):
            yield int(bars[at]), Sign(0, "dynamic", word)


def _pedals(take: Take, part: Part, measures: Measures, end: int) -> Iterator[tuple[int, Sign]]:
    feet = pressed(take, part.channel, SUSTAIN)
    start = int(measures.start[0])
    for down, up in zip(feet.down.tolist(), feet.up.tolist(), strict=True):
        if start <= down < end:
            yield down, Sign(0, "pedal")
        if start < up <= end:
            yield up - 1, Sign(0, "release")


def _pins(hairpins: Sequence[Hairpin], end: int) -> Iterator[tuple[int, Sign]]:
    for _, start, until, rises in hairpins:
        if start < end:
            yield start, Sign(0, "crescendo" if rises else "diminuendo")
            yield min(until, end) - 1, Sign(0, "stop")
