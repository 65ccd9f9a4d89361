"""Stiff spots: what reads as programmed, each with its place, words, and strokes that mend it.

Each measure is one function, and its formula is told in docs/stiff.md. They are deaf to who made a take: a played one
raises few of them, and what they raise is to be listened to, not obeyed.
"""

import itertools
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Floats, Ints, runs
from expression.lanes import BEND, LANES, Form
from expression.living import long_rows, vibrato_of
from expression.measured import features, fitted, predicted
from expression.percussion import CHANNEL
from expression.phrases import heard_rows, line_of, onsets_of, phrases_of
from expression.strokes import AnyStroke, parse_stroke
from expression.take import Part, Take

Span = tuple[int, int]


class Spot(NamedTuple):
    """One thing that reads as programmed: why, on which part and lane, in words, where (ticks), and what mends it."""

    reason: str
    part: int
    lane: str
    says: str
    spans: tuple[Span, ...]
    mends: tuple[AnyStroke, ...]


class Music(NamedTuple):
    """The heard music of a part in the order of time: rows of its notes, and their columns."""

    take: Take
    part: Part
    rows: Ints
    start: Ints
    end: Ints
    pitch: Ints
    velocity: Ints

    def bar(self, tick: int) -> int:
        """The bar in which a tick lies."""
        return self.take.meter.position(tick).bar

    def places(self, spans: list[Span]) -> str:
        """Where some spans lie, in words."""
        first, last = self.bar(spans[0][0]), self.bar(max(spans[-1][1] - 1, spans[0][0]))
        if len(spans) == 1:
            return f"in bar {first}" if first == last else f"in bars {first} to {last}"
        return f"in {len(spans)} places, the first in bar {first}"

    def mend(self, kind: str, spans: list[Span] | None = None, **fields: object) -> AnyStroke:
        """A stroke on the part, from the first of some spans to the last."""
        where: dict[str, object] = {"parts": [self.part.id]}
        if spans:
            where["span"] = [spans[0][0], max(one[1] for one in spans)]
        return parse_stroke({"kind": kind, "where": where, **fields})

    def found(
        self, reason: str, says: str, spans: list[Span], *mends: AnyStroke, lane: str = "velocity"
    ) -> Iterator[Spot]:
        """One spot, where there is any place."""
        if spans:
            yield Spot(reason, self.part.id, lane, says.format(where=self.places(spans)), tuple(spans), mends)


def music_of(take: Take, part: Part) -> Music:
    """The heard music of a part."""
    notes = part.notes
    rows = heard_rows(part)
    columns = (notes.start, notes.end, notes.pitch, notes.velocity)
    return Music(take, part, rows, *(column[rows].astype(np.int64) for column in columns))


def runs_of(same: Flags, least: int) -> list[tuple[int, int]]:
    """Rows (first, last) from which on each is like the one before (`same` from the second on): so many at least."""
    return [(first, last + 1) for first, last in runs(np.flatnonzero(same)) if last + 2 - first >= least]


ALIKE, ALTERNATING = 12, 16
"""So many notes on end."""


def equal_velocities(music: Music) -> Iterator[Spot]:
    """Notes on end that are equally hard, or two velocities in turn."""
    velocity = music.velocity
    for reason, apart, least, says in (
        ("equal velocities", 1, ALIKE, "Every note is equally hard {where}."),
        ("two velocities in turn", 2, ALTERNATING, "Two velocities come in turn {where}."),
    ):
        if len(velocity) < least:
            continue
        same = velocity[apart:] == velocity[:-apart]
        if apart == 2:
            same &= velocity[1:-1] != velocity[:-2]
        spans = [(int(music.start[a]), int(music.end[min(b + apart - 1, len(velocity) - 1)])) for a, b in
                 runs_of(same, least - apart + 1)]  # fmt: skip
        spans = [(first, max(last, first + 1)) for first, last in spans]
        if spans:
            mends = music.mend("rule.arch", spans), music.mend("rule.metre", spans)
            yield from music.found(reason, says, spans, *mends)


FEWEST_FOLLOWED, LEAST_FOLLOWED, LEAST_SPREAD = 64, 0.04, 4.0


def aimless_velocities(music: Music) -> Iterator[Spot]:
    """Velocities that go with neither metre, phrase nor height: the share of their variance that these explain."""
    level = music.velocity.astype(np.float64)
    if len(level) < FEWEST_FOLLOWED or level.std() < LEAST_SPREAD:
        return
    place = features(music.take, music.part, music.rows)
    if music.part.channel.number == CHANNEL:
        # Each voice of a kit has its own level.
        level = level - _mean_by(music.pitch, level)
    explained = 1 - (level - level.mean() - predicted(fitted(place, level), place)).var() / max(level.var(), 1e-9)
    if explained < LEAST_FOLLOWED:
        says = "Loud and soft follow neither the metre, the phrases nor the height of the notes."
        whole = [(int(music.start[0]), int(music.end.max()))]
        yield from music.found("aimless velocities", says, whole, music.mend("rule.metre"), music.mend("rule.arch"))


def _mean_by(keys: Ints, values: Floats) -> Floats:
    _, row = np.unique(keys, return_inverse=True)
    return np.asarray((np.bincount(row, values) / np.bincount(row))[row])


FEWEST_IN_BAR = 4


def copied_bars(music: Music) -> Iterator[Spot]:
    """Bars that are the same as the one before, to the velocity."""
    if not len(music.start):
        return
    begins, _, _ = music.take.meter.bar_of(music.start)
    bars, first = np.unique(begins, return_index=True)
    told = [
        (music.start[a:b] - bar, music.end[a:b] - bar, music.pitch[a:b], music.velocity[a:b])
        for bar, a, b in zip(bars.tolist(), first.tolist(), [*first[1:].tolist(), len(begins)], strict=True)
    ]
    same = np.array(
        [
            len(one[0]) >= FEWEST_IN_BAR
            and len(one[0]) == len(before[0])
            and all(np.array_equal(x, y) for x, y in zip(one, before, strict=True))
            for before, one in itertools.pairwise(told)
        ],
        dtype=bool,
    )
    lengths = np.append(np.diff(bars), 0)
    spans = [(int(bars[a + 1]), int(bars[b] + max(lengths[b], 1))) for a, b in runs_of(same, 3)]
    if spans:
        mends = music.mend("velocity.vary", spans, amount=6), music.mend("rule.loose", spans)
        yield from music.found("copied bars", "Bars are copies of the one before {where}.", spans, *mends)


GRID, FEWEST_ONSETS, MOST_ON_GRID = 24, 24, 0.97
"""Lines a quarter: sixteenths, triplets and what is finer by half."""


def dead_on_the_grid(music: Music) -> Iterator[Spot]:
    """Onsets that all lie on lines of the grid, to the tick."""
    if len(music.start) < FEWEST_ONSETS:
        return
    on = (music.start * GRID) % music.take.resolution == 0
    spans = []
    for a, b in runs_of(on, FEWEST_ONSETS):
        spans.append((int(music.start[a]), int(music.end[min(b, len(on)) - 1])))
    if spans and on.mean() >= MOST_ON_GRID:
        says = "Every note begins on its line of the grid, to the tick, {where}."
        yield from music.found("dead on the grid", says, spans, music.mend("rule.loose", spans))


FEWEST_CHORDS, MOST_AS_ONE = 6, 0.9


def chords_as_one(music: Music) -> Iterator[Spot]:
    """Chords of three notes and more whose notes begin at one tick."""
    if music.part.channel.number == CHANNEL or not len(music.rows):
        return
    onsets = onsets_of(music.take, music.part.id)[music.rows]
    chord, row, size = np.unique(onsets, return_inverse=True, return_counts=True)
    last = np.full(len(chord), -1)
    np.maximum.at(last, row, music.start)
    wide = size >= 3
    as_one = wide & (last == chord)
    if wide.sum() >= FEWEST_CHORDS and as_one.sum() >= MOST_AS_ONE * wide.sum():
        where = [(int(chord[as_one][0]), int(chord[as_one][-1]) + 1)]
        says = f"All notes of a chord begin at one tick: {int(as_one.sum())} chords {{where}}."
        yield from music.found("chords as one", says, where, music.mend("rule.lead", where))


FEWEST_LENGTHS, LEAST_LENGTHS = 24, 0.01


def lengths_alike(music: Music) -> Iterator[Spot]:
    """Notes that are all held for the same share of the time until the next."""
    line = line_of(music.take, music.part.id)
    if music.part.channel.number == CHANNEL or len(line.onset) < FEWEST_LENGTHS:
        return
    share = (line.end[:-1] - line.onset[:-1]) / np.maximum(np.diff(line.onset), 1)
    near = share[(share > 0.1) & (share < 1.2)]
    if len(near) >= 0.9 * len(share) and near.std() < LEAST_LENGTHS:
        where = [(int(line.onset[0]), int(line.end[-1]))]
        says = f"Every note is held for {near.mean():.0%} of the time until the next, {{where}}."
        yield from music.found("lengths alike", says, where, music.mend("rule.gaps", where))


STAIR, STAIR_SECONDS, STAIRS = 6.0, 0.08, 4
"""Steps of 127 (of a bend semitones times 24); seconds between them; so many one way."""


def stair_steps(music: Music) -> Iterator[Spot]:
    """Lanes that go up or down in steps that are wide in value and in time."""
    for key, lane in music.part.lanes.items():
        curve = lane.curve
        if LANES[key].form_of(curve.values) is Form.SWITCH or len(curve) <= STAIRS:
            continue
        unit = 24.0 if key == BEND else 1.0
        step = np.diff(curve.values) * unit
        apart = np.diff(music.take.tempo.seconds(curve.ticks))
        wide = (np.abs(step) >= STAIR) & (apart >= STAIR_SECONDS) & (apart < 2) & curve.hold[:-1]
        way = np.sign(step)
        goes_on = wide[1:] & wide[:-1] & (way[1:] == way[:-1])
        spans = [(int(curve.ticks[a]), int(curve.ticks[b + 1]) + 1) for a, b in runs_of(goes_on, STAIRS)]
        if spans:
            mend = music.mend("lane.smooth", spans, lane=key, width=400)
            says = f"{LANES[key].name} goes in stair steps {{where}}."
            yield from music.found("stair steps", says, spans, mend, lane=key)


LEAST_STRAIGHT, FEWEST_STRAIGHT, STRAIGHT_VALUE = 1.0, 4, 12.0
"""Beats; ways; steps."""


def straight_swells(music: Music) -> Iterator[Spot]:
    """Ways of lanes that are straight lines, over a beat and more."""
    for key, lane in music.part.lanes.items():
        curve = lane.curve
        if key == BEND or len(curve) < 2:
            continue
        long = np.diff(curve.ticks) >= LEAST_STRAIGHT * music.take.resolution
        straight = ~curve.hold[:-1] & (curve.lift[:-1] == 0) & (curve.ease[:-1] == 0) & long
        straight &= np.abs(np.diff(curve.values)) >= STRAIGHT_VALUE
        at = np.flatnonzero(straight)
        if len(at) >= FEWEST_STRAIGHT:
            spans = [(int(curve.ticks[row]), int(curve.ticks[row + 1])) for row in at.tolist()]
            mend = music.mend("lane.smooth", spans, lane=key, width=600)
            says = f"{LANES[key].name} swells in straight lines {{where}}."
            yield from music.found("straight swells", says, spans, mend, lane=key)


DECAYING = frozenset((*range(16), *range(24, 32)))
"""Programs of General MIDI that are struck or plucked: what they hold dies away by itself."""
STILL = 2.0
"""Steps of 127, or 1/24 of a semitone each."""


def still_notes(music: Music) -> Iterator[Spot]:
    """Notes of more than a bar on which nothing moves."""
    if music.part.channel.number == CHANNEL or music.part.program in DECAYING or not len(music.start):
        return
    _, _, bar = music.take.meter.bar_of(music.start)
    long = np.flatnonzero(music.end - music.start > bar)
    curved = {int(one) for curves in music.part.curves.values() for one in curves.owners()}
    still = [row for row in long.tolist() if int(music.part.notes.id[music.rows[row]]) not in curved
             and not _moves(music, row)]  # fmt: skip
    spans = [(int(music.start[row]), int(music.end[row])) for row in still]
    if spans:
        ids = music.part.notes.id[music.rows[still]].tolist()
        where = {"parts": [music.part.id], "notes": [[int(one), int(one)] for one in ids]}
        mends = [parse_stroke({"kind": kind, "where": where}) for kind in ("rule.swell", "rule.vibrato")]
        says = "Notes are held for more than a bar, and nothing moves on them, {where}."
        yield from music.found("still notes", says, spans, *mends)


def _moves(music: Music, row: int) -> bool:
    """Whether any lane goes otherwise while a note sounds; a pedal that goes up or down shapes nothing."""
    ticks = np.linspace(int(music.start[row]), int(music.end[row]) - 1, 65).astype(np.int64)
    for key, lane in music.part.lanes.items():
        if LANES[key].form_of(lane.curve.values) in (Form.PEDAL, Form.SWITCH):
            continue
        values = lane.curve.at(ticks) * (24 if key == BEND else 1)
        if np.isfinite(values).any() and np.nanmax(values) - np.nanmin(values) > STILL:
            return True
    return False


JUMP, FEWEST_JUMPS = 24.0, 3


def jumping_lanes(music: Music) -> Iterator[Spot]:
    """Lanes that jump where phrases begin: a curve that was cut and put on end."""
    if not len(music.rows):
        return
    begins = phrases_of(music.take, music.part.id).phrases[1:]
    near = music.take.resolution // 16
    for key, lane in music.part.lanes.items():
        curve = lane.curve
        if LANES[key].form_of(curve.values) is Form.SWITCH or not len(begins) or key == BEND:
            continue
        before, after = curve.at(np.maximum(begins - near, 0)), curve.at(begins + near)
        jumps = np.abs(np.nan_to_num(after - before)) >= JUMP
        if jumps.sum() >= FEWEST_JUMPS and jumps.mean() >= 0.5:
            half = music.take.resolution // 2
            spans = [(int(tick) - half, int(tick) + half) for tick in begins[jumps].tolist() if tick >= half]
            mend = music.mend("lane.smooth", spans, lane=key, width=300)
            says = f"{LANES[key].name} jumps where phrases begin, {{where}}."
            yield from music.found("jumping lane", says, spans, mend, lane=key)


LOOP_JUMP, FEWEST_LOOPS = 16.0, 3


def loop_ends(music: Music) -> Iterator[Spot]:
    """Lanes that jump on bar lines again and again, each time as far: a loop that was cut and put on end."""
    bars = music.take.meter.bars(max(music.take.end, 1)).start[1:]
    near = max(music.take.resolution // 32, 1)
    for key, lane in music.part.lanes.items():
        curve = lane.curve
        if LANES[key].form_of(curve.values) is Form.SWITCH or len(curve) < FEWEST_LOOPS or not len(bars):
            continue
        unit = 24.0 if key == BEND else 1.0
        jump = np.nan_to_num(curve.at(bars + near) - curve.at(np.maximum(bars - near, 0))) * unit
        far = np.abs(jump) >= LOOP_JUMP
        # It moves within the bars as well: what only changes on bar lines was meant to.
        inner = np.isin(curve.ticks, bars) | (np.abs(np.append(0, np.diff(curve.values)) * unit) < 1)
        if far.sum() < FEWEST_LOOPS or inner.mean() > 0.5:
            continue
        same = far & (np.abs(jump - np.median(jump[far])) <= 2)
        if same.sum() >= FEWEST_LOOPS and same.sum() >= 0.75 * far.sum():
            half = music.take.resolution // 4
            spans = [(int(tick) - half, int(tick) + half) for tick in bars[same].tolist()]
            mend = music.mend("lane.smooth", spans, lane=key, width=250)
            says = f"{LANES[key].name} jumps as a loop does at its end {{where}}."
            yield from music.found("loop ends", says, spans, mend, lane=key)


FEWEST_SHAKEN, ALIKE_SHAKEN = 4, 0.02


def same_vibrato(music: Music) -> Iterator[Spot]:
    """Long notes that all tremble as fast, as deep and as late as each other."""
    if BEND not in music.part.lanes or music.part.channel.number == CHANNEL:
        return
    rows = long_rows(music.take, music.part, music.rows)[:MOST_SHAKEN]
    told = [(row, found) for row in rows.tolist() if (found := vibrato_of(music.take, music.part, row))]
    if len(told) < FEWEST_SHAKEN:
        return
    rate, cents, _ = np.array([found for _, found in told]).T
    if rate.std() < ALIKE_SHAKEN * rate.mean() and cents.std() < 2 * ALIKE_SHAKEN * cents.mean():
        notes = music.part.notes
        spans = [(int(notes.start[row]), int(notes.end[row])) for row, _ in told]
        says = (
            f"Every long note has the same vibrato, {rate.mean():.1f} a second by {cents.mean():.0f} cents, {{where}}."
        )
        yield from music.found("same vibrato", says, spans, music.mend("rule.vibrato", spans, amount=0.4), lane=BEND)


MOST_SHAKEN = 200

MEASURES: tuple[Callable[[Music], Iterator[Spot]], ...] = (
    equal_velocities, copied_bars, dead_on_the_grid, chords_as_one, lengths_alike, still_notes, aimless_velocities,
    stair_steps, straight_swells, jumping_lanes, loop_ends, same_vibrato,
)  # fmt: skip
"""In the order of how soon they are heard."""


def stiff_spots(take: Take) -> list[Spot]:
    """All that reads as programmed, part by part."""
    found: list[Spot] = []
    for part in take.parts:
        music = music_of(take, part)
        if len(music.rows):
            found += [spot for measure in MEASURES for spot in measure(music)]
    return found
