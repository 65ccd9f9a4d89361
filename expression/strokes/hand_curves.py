"""What a hand does while notes sound, given to other notes: swells, vibrato, scoops; in its own music as it did."""

from abc import abstractmethod
from collections.abc import Sequence

import numpy as np
from typing_extensions import override

from expression.arrays import Floats, Ints, ranges, whole
from expression.curve import Curve
from expression.lanes import BEND, is_pitch
from expression.living import LONG_SECONDS, SCOOP_SECONDS, SHAPE, Scoop, Swell, Vibrato
from expression.note_curves import NoteCurves
from expression.piece import laid_all
from expression.strokes.base import BaseStroke, Reach
from expression.strokes.feel import chance
from expression.strokes.gestures import BendGesture, First, Line, Offsets
from expression.strokes.grips import Grip
from expression.strokes.lane import Spot
from expression.strokes.own_stroke import Chosen, NoteStroke
from expression.strokes.spec import Spec
from expression.strokes.writing import WritingStroke
from expression.take import Channel, Lane, Part, Take

Own = tuple[tuple[int, tuple[float, ...]], ...]
"""Notes (ids), and what was played of each at even times."""


class _OverNotes(WritingStroke):
    """A lane over notes: of a chord once, and up to the next that it is over."""

    def over(self, part: Part, take: Take) -> Ints:
        """Rows of the notes of a part."""
        raise NotImplementedError

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane:
        found = []
        for part in take.parts_on(spot.channel):
            rows = self.over(part, take)
            found.append((part.notes.start[rows], part.notes.end[rows], part.notes.id[rows]))
        starts, ends, ids = (np.concatenate(column) for column in zip(*found, strict=True))
        starts, first = np.unique(starts, return_index=True)
        ends, ids = ends[first], ids[first]
        ends[:-1] = np.minimum(ends[:-1], starts[1:])
        if not len(starts):
            return spot.lane
        made = self.shaped(take, spot, starts, ends, ids)
        return spot.lane.reshaped(laid_all(spot.curve, starts, ends, made, spot.error, resumes=False))

    @abstractmethod
    def shaped(self, take: Take, spot: Spot, starts: Ints, ends: Ints, ids: Ints) -> Curve:
        """The nodes over all of the notes."""

    @override
    def lane_reach(self, take: Take) -> Reach:
        return BaseStroke.reach(self, take)


class HandSwells(_OverNotes):
    """What a lane does over long notes, as a hand has it."""

    spec = Spec("play", "Swells")
    swell: Swell
    share: float
    seed: int

    @override
    def over(self, part: Part, take: Take) -> Ints:
        notes = part.notes
        long = take.tempo.seconds(notes.end) - take.tempo.seconds(notes.start) >= LONG_SECONDS
        return np.flatnonzero(self.where.notes_of(part) & ~notes.muted & long & (notes.end - notes.start >= SHAPE))

    @override
    def shaped(self, take: Take, spot: Spot, starts: Ints, ends: Ints, ids: Ints) -> Curve:
        shapes = self.swell.drawn(chance(ids, self.seed))
        middle = shapes.mean(axis=1, keepdims=True)
        levels = np.clip(middle + (shapes - middle) * self.share, *spot.bounds)
        return _spread(starts, ends, np.full(len(ids), SHAPE), np.round(levels.ravel(), 2))

    @override
    def label(self) -> str:
        return "Swells"


class HandCarried(_OverNotes):
    """What a lane did over notes when they were played."""

    spec = Spec("play", "As it was played")
    own: Own
    slow: float
    quick: float

    @override
    def over(self, part: Part, take: Take) -> Ints:
        known = np.array([one for one, _ in self.own], dtype=np.int64)
        return np.flatnonzero(self.where.notes_of(part) & ~part.notes.muted & np.isin(part.notes.id, known))

    @override
    def shaped(self, take: Take, spot: Spot, starts: Ints, ends: Ints, ids: Ints) -> Curve:
        by_id = dict(self.own)
        lasts = (take.tempo.seconds(ends) - take.tempo.seconds(starts)).tolist()
        curves = [
            weighed(by_id[one], spot.key, seconds, self.slow, self.quick)
            for one, seconds in zip(ids.tolist(), lasts, strict=True)
        ]
        counts = np.array([len(one) for one in curves])
        return _spread(starts, ends, counts, np.clip(np.concatenate(curves), *spot.bounds))

    @override
    def label(self) -> str:
        return f"{self.name} as it was played"


class HandCarriedNotes(NoteStroke):
    """What notes' own curves did when they were played."""

    spec = Spec("play", "As it was played")
    own: Own
    slow: float
    quick: float

    @override
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves] | None:
        by_id = dict(self.own)
        rows = np.array([row for row, one in enumerate(chosen.id.tolist()) if one in by_id], dtype=np.int64)
        if not len(rows):
            return None
        starts, lasts = chosen.start[rows], chosen.length[rows]
        seconds = take.tempo.seconds(starts + lasts) - take.tempo.seconds(starts)
        ids = chosen.id[rows]
        made = [
            weighed(by_id[one], self.lane, length, self.slow, self.quick)
            for one, length in zip(ids.tolist(), seconds.tolist(), strict=True)
        ]
        counts = np.array([len(one) for one in made])
        none = np.zeros(len(rows), dtype=np.int64)
        return ids, NoteCurves.of(np.repeat(ids, counts), _spread(none, lasts, counts, np.concatenate(made)))

    @override
    def label(self) -> str:
        return f"{self.name} as it was played"


def weighed(values: Sequence[float], lane: str, seconds: float, slow: float, quick: float) -> Floats:
    """A curve that was played, by how much is wanted: of pitch what is slow (scoops, slides) and what is quick
    (vibrato) apart, about the pitch; of levels all of it, about its middle.
    """
    played = np.array(values, dtype=np.float64)
    if not is_pitch(lane):
        return np.asarray(played.mean() + (played - played.mean()) * slow)
    # As vibrato is looked for: about a running mean of a third of a second.
    width = int(len(played) / max(3 * seconds, 1)) | 1
    padded = np.pad(played, width // 2, mode="edge")
    mean = np.convolve(padded, np.ones(width) / width, mode="valid")
    return np.asarray(mean * slow + (played - mean) * quick)


def _spread(starts: Ints, ends: Ints, counts: Ints, values: Floats) -> Curve:
    """Straight ways over so many even times from each start to the tick before the end, where the last is held."""
    step, note = ranges(np.zeros(len(counts), dtype=np.int64), counts)
    share = step / np.maximum(counts[note] - 1, 1)
    ticks = starts[note] + whole(share * np.maximum(ends - 1 - starts, 0)[note])
    return Curve.of(ticks, values, step == counts[note] - 1)


STEP_SECONDS = 1 / 64
"""Between two nodes of what trembles."""
REST_SECONDS = 0.1
"""It comes to rest over so long."""


class _HandBend(BendGesture):
    """What a hand does with pitch over notes, added to what is there; at the end of each it is at rest."""

    seed: int

    @override
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        begins, ends = take.tempo.seconds(line.start), take.tempo.seconds(line.end)
        lasting = (line.end > line.start) & (ends > begins)
        starts, until, begins, ends = line.start[lasting], line.end[lasting], begins[lasting], ends[lasting]
        counts = np.maximum(np.ceil((ends - begins) / STEP_SECONDS).astype(np.int64), 1) + 1
        step, note = ranges(np.zeros(len(counts), dtype=np.int64), counts)
        share = step / (counts - 1)[note]
        values = self.semitones(starts, note, share, share * (ends - begins)[note])
        rests = step == (counts - 1)[note]
        ticks = whole(take.tempo.tick(begins[note] + share * (ends - begins)[note]))
        ticks = np.where(rests, until[note], np.where(step == 0, starts[note], ticks))
        return Offsets(starts, until, Curve.of(ticks, np.where(rests, 0.0, values), rests))

    @abstractmethod
    def semitones(self, starts: Ints, note: Ints, share: Floats, passed: Floats) -> Floats:
        """Of each node how far it is bent: by its note (a row of `starts`), the share of it and the seconds passed."""

    @override
    def _grips(self, take: Take, first: First) -> list[Grip]:
        return []


def _between(shapes: Floats, note: Ints, place: Floats) -> Floats:
    """Curves (a row each) where `place` says, from 0 to 1 of their length."""
    at = np.clip(place, 0, 1) * (SHAPE - 1)
    before = np.minimum(at.astype(np.int64), SHAPE - 2)
    low, high = shapes[note, before], shapes[note, before + 1]
    return np.asarray(low + (at - before) * (high - low))


class HandVibrato(_HandBend):
    """Long notes tremble, as deep and as fast as a hand has it from their start to their end."""

    spec = Spec("play", "Vibrato", lane=BEND)
    vibrato: Vibrato
    much: float

    @override
    def semitones(self, starts: Ints, note: Ints, share: Floats, passed: Floats) -> Floats:
        depth = np.maximum(self.vibrato.depth.drawn(chance(starts, self.seed)), 0)
        pace = np.clip(self.vibrato.pace.drawn(chance(starts, self.seed + 1)), *PACES)
        rates = _between(pace, note, share)
        first = np.flatnonzero(np.diff(note, prepend=-1))
        turns = np.cumsum(rates * np.diff(passed, prepend=0.0) * (share > 0))
        turns -= turns[first][note]
        last = np.append(first[1:], len(note)) - 1
        rest = np.minimum((passed[last][note] - passed) / REST_SECONDS, 1)
        return np.asarray(self.much * rest * _between(depth, note, share) / 100 * np.sin(2 * np.pi * turns))

    @override
    def label(self) -> str:
        return "Vibrato"


PACES = 1.0, 20.0
"""Swings a second that are vibrato."""


class HandScoops(_HandBend):
    """Notes are come to, from where and on the way that a hand has for it."""

    spec = Spec("play", "Scoops", lane=BEND)
    scoop: Scoop
    much: float

    @override
    def semitones(self, starts: Ints, note: Ints, share: Floats, passed: Floats) -> Floats:
        shapes = self.scoop.shape.drawn(chance(starts, self.seed))
        # Where it is there, it stays.
        return np.where(passed < SCOOP_SECONDS, self.much * _between(shapes, note, passed / SCOOP_SECONDS), 0.0)

    @override
    def label(self) -> str:
        return "Scoops"
