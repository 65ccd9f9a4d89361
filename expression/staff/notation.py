"""Parts as they are written: staves with clefs, voices of chords and rests in note values, signs.

Only what stands on the page is written: no cues, nothing muted, no runs that nobody wrote.
"""

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np

from expression import percussion
from expression.arrays import Ints
from expression.staff.placing import ROUGH, Measures, Placed, placed, swings
from expression.staff.signs import EARLY, Hairpin, Sign, signs
from expression.staff.spelling import signature
from expression.staff.values import Value
from expression.staff.voices import MOST_VOICES, Seen, graces, staff_voices
from expression.status import META
from expression.take import Part, Take

KEY_SIGNATURE = 0x59
"""The type of meta event that says it."""
MOST_PARTS = 16
SPLIT = 60
"""Of a part on two staves, what lies from middle C upwards goes to the upper."""
Clef = Literal["treble", "bass", "drum"]


class Staff(NamedTuple):
    """A staff: its clef, and of each bar its voices, the higher one first."""

    clef: Clef
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
    swings: bool = False
    """Pairs that are written even are to be played with a swing."""


class _Made(NamedTuple):
    """A part as it is written, with what there is to say of it."""

    part: WrittenPart
    rough: float
    notes: int
    crowded: list[int]
    """Bars, by their numbers."""


def written(
    take: Take,
    parts: Sequence[int],
    first: int,
    count: int,
    hairpins: Sequence[Hairpin] = (),
    splits: Mapping[int, int] | None = None,
) -> Written:
    """Some parts over `count` bars from bar `first` (from 1) on, none behind the last note of the take.

    `splits`: of parts whose hands a player has told apart, the key from which on notes go to the upper staff.
    """
    end = max(written_end(take), int(take.meter.bars(max(take.end, 1)).start[min(first, bars_of(take)) - 1]) + 1)
    measures = Measures.of(take.meter, take.resolution, end, first, count)
    known = [take.parts[part] for part in parts if part < len(take.parts)]
    remarks = []
    if len(known) > MOST_PARTS:
        remarks.append(f"The page shows {MOST_PARTS} parts at once; {len(known) - MOST_PARTS} more are left out.")
        known = known[:MOST_PARTS]
    fifths = key_of(take)
    swing = _swings(take)
    made = [
        _part(
            take, part, measures, [pin for pin in hairpins if pin.part == part.id], (splits or {}).get(part.id), swing
        )
        for part in known
    ]
    notes = sum(one.notes for one in made)
    if notes and sum(one.rough * one.notes for one in made) / notes > ROUGH:
        remarks.append("This was played freely, without the beat that the bars have: what is written is rough.")
    if crowded := sorted({bar for one in made for bar in one.crowded}):
        where = f"bar {crowded[0]}" if len(crowded) == 1 else f"{len(crowded)} bars, the first {crowded[0]}"
        remarks.append(f"In {where}, more than {MOST_VOICES} voices sound on a staff: some are written shorter.")
    return Written(measures, fifths, [one.part for one in made], remarks, swing)


def written_end(take: Take) -> int:
    """The tick at which the last note that is written ends, or a little before: nothing is written behind it."""
    ends = [int(notes.page_end[notes.written].max(initial=0)) for notes in (part.notes for part in take.parts)]
    return max(max(ends, default=0) - take.resolution // EARLY, 1)


def bars_of(take: Take) -> int:
    """How many bars a take is written in."""
    return len(take.meter.bars(written_end(take)).start)


def _swings(take: Take) -> bool:
    """Whether a take is swung, by all that it writes."""
    starts = [part.notes.page_start[part.notes.written] for part in take.parts]
    every = np.concatenate([*starts, np.zeros(0, dtype=np.int64)])
    if not len(every):
        return False
    return swings(Measures.of(take.meter, take.resolution, take.end, 1, bars_of(take)), take.resolution, every)


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


def _part(
    take: Take, part: Part, measures: Measures, hairpins: Sequence[Hairpin], split: int | None, swing: bool
) -> _Made:
    is_drum = part.channel.number == percussion.CHANNEL
    notes = part.notes.only(part.notes.written)
    clefs = _clefs(notes.pitch.astype(np.int64), is_drum, split)
    begins = np.cumsum(np.append(0, measures.length))
    # What is played a little before a bar line may belong behind it: the bars beside are read as well.
    wide = Measures.of(take.meter, take.resolution, take.end, max(int(measures.number[0]) - 1, 1), len(begins) + 1)
    before = int(wide.length[0]) if wide.number[0] < measures.number[0] else 0
    first, last = int(wide.start[0]), wide.end(take.resolution)
    seen = notes.only((notes.page_start < last) & (notes.page_end > first))
    seen = seen.only(np.argsort(seen.page_start, kind="stable"))
    pitch = seen.pitch.astype(np.int64)
    upper = pitch >= (SPLIT if split is None else split)
    on = [np.ones(len(seen), dtype=bool)] if len(clefs) == 1 else [upper, ~upper]
    leads = [_graces(take, seen.page_start, seen.page_end, np.flatnonzero(mine)) for mine in on]
    small = np.zeros(len(seen), dtype=bool)
    small[[row for found in leads for row in found]] = True
    place = _placed(wide, take.resolution, seen.page_start, seen.page_end, pitch, small, is_drum, swing).earlier(before)
    comes_in = seen.page_start < first
    here = (place.end > 0) & (place.start < begins[-1])
    staves, crowded = [], set[int]()
    for clef, mine, found in zip(clefs, on, leads, strict=True):
        rows = np.flatnonzero(mine & here)
        at = {row: number for number, row in enumerate(rows.tolist())}
        leads_to = {at[row]: at[to] for row, to in found.items() if row in at and to in at}
        shown = Seen(seen.id[rows], pitch[rows], place.start[rows], place.end[rows], comes_in[rows])
        voices = staff_voices(shown, leads_to, place, measures, begins)
        staves.append(Staff(clef, voices.bars))
        crowded |= {int(measures.number[bar]) for bar in voices.crowded if 0 <= bar < len(measures.number)}
    listed = signs(take, part, measures, begins, np.sort(place.start[here & ~small]), hairpins)
    return _Made(WrittenPart(part, part.name, staves, listed, is_drum), place.rough, int(here.sum()), sorted(crowded))


def _graces(take: Take, start: Ints, end: Ints, rows: Ints) -> dict[int, int]:
    """The small notes among some rows, and what each leads to, by their rows."""
    found = graces(start[rows], end[rows], take.tempo.seconds(start[rows]), take.resolution)
    return {int(rows[row]): int(rows[to]) for row, to in found.items()}


def _placed(
    wide: Measures,
    resolution: int,
    start: Ints,
    end: Ints,
    pitch: Ints,
    small: np.ndarray,
    is_drum: bool,
    swing: bool,
) -> Placed:
    """Notes onto the divisions of notation; small ones take no time, and stand where they are struck."""
    first, last = int(wide.start[0]), wide.end(resolution)
    start, end = np.maximum(start, first), np.minimum(end, last)
    main = ~small
    place = placed(wide, resolution, start[main], end[main], pitch[main], is_drum, swing)
    if not small.any():
        return place
    begins, ends = np.zeros(len(start), dtype=np.int64), np.zeros(len(start), dtype=np.int64)
    begins[main], ends[main] = place.start, place.end
    # A small note has the place of the next that is none.
    following = np.minimum(np.searchsorted(start[main], start[small], side="right"), max(int(main.sum()) - 1, 0))
    begins[small], ends[small] = place.start[following], place.end[following]
    return place._replace(start=begins, end=ends)


def _clefs(pitch: Ints, is_drum: bool, split: int | None) -> list[Clef]:
    """By the range: where much lies on both sides of middle C there are two staves; or as a player has told hands
    apart.
    """
    if is_drum:
        return ["drum"]
    if split is not None:
        upper, lower = pitch[pitch >= split], pitch[pitch < split]
        return [
            "bass" if len(upper) and np.median(upper) < SPLIT - 5 else "treble",
            "treble" if len(lower) and np.median(lower) >= SPLIT + 5 else "bass",
        ]
    if not len(pitch):
        return ["treble"]
    low, high = np.quantile(pitch, [0.05, 0.95])
    below = float((pitch < SPLIT).mean())
    if low < 53 and high > 67 and 0.1 < below < 0.9:
        return ["treble", "bass"]
    return ["bass" if np.median(pitch) < SPLIT else "treble"]
