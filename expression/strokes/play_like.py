"""As somebody played: what was measured of a hand, given to other notes; note for note where the music is the same."""

from collections.abc import Iterator
from difflib import SequenceMatcher
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, looked_up, whole
from expression.curve import Curve
from expression.hands import MOST_AMOUNT
from expression.measured import LONG_SECONDS, SHAPE, Hand, Shape, Sum, Swell, features, predicted
from expression.memo import worked_out
from expression.notes import HIGHEST
from expression.phrases import heard_rows
from expression.piece import laid_all
from expression.strokes.base import BaseStroke, Dial, Picked, Reach, masks_of, select
from expression.strokes.bends import BendScoop, BendShake
from expression.strokes.feel import chance
from expression.strokes.lane import Spot
from expression.strokes.long_rules import SEED, Seed
from expression.strokes.made_of import MadeOf, bendable, by_ids
from expression.strokes.note_times import Times, TimeStroke, drifting
from expression.strokes.rules import AMOUNT, ASK_AMOUNT, Amount
from expression.strokes.spec import ASK_ROLL, Ask, Gesture, Spec, entry
from expression.strokes.velocity import VelocityStroke
from expression.strokes.writing import WritingStroke
from expression.take import Lane, Part, Take

ALIKE = 0.8
"""Music of which so much is found again in the same order is the same."""
FEWEST_ALIKE = 8
MOST_COMPARED = 5_000
MOST_LATE_MS = 1_000.0
Share = Annotated[float, Field(ge=0, le=MOST_AMOUNT)]
PIECES = ("force", "time", "length", "rest", "swell", "vibrato", "scoop")
NAMES = ("Force", "Time", "Length", "Chance", "Swells", "Vibrato", "Scoops")


class Given(NamedTuple):
    """What a hand says of the notes of a part: steps of velocity, milliseconds later, log2 of their length."""

    force: Floats
    late: Floats
    held: Floats


@worked_out(8)
def matched(take: Take, part: int, pitches: tuple[int, ...]) -> tuple[Ints, Ints] | None:
    """Rows of the notes of a part, and which of the hand's they are, where both are the same music."""
    notes = take.parts[part].notes
    rows = heard_rows(take.parts[part])
    mine = notes.pitch[rows].tolist()
    fewest = min(len(mine), len(pitches))
    if fewest < FEWEST_ALIKE or max(len(mine), len(pitches)) > MOST_COMPARED:
        return None
    blocks = SequenceMatcher(None, mine, pitches, autojunk=False).get_matching_blocks()
    if sum(block.size for block in blocks) < ALIKE * fewest:
        return None
    here = np.concatenate([rows[block.a : block.a + block.size] for block in blocks])
    there = np.concatenate([np.arange(block.b, block.b + block.size) for block in blocks])
    return here, there


class Weighed(NamedTuple):
    """How much of each is wanted."""

    force: float
    time: float
    length: float
    rest: float
    seed: int


@worked_out(4)
def _given(take: Take, number: int, hand: Hand, weighed: Weighed, ids: tuple[int, ...]) -> Given:
    """What a hand says of some notes (ids) of a part, with the amounts."""
    part = take.parts[number]
    rows, _ = looked_up(np.array(ids, dtype=np.int64), part.notes.id)
    place = features(take, part, rows)

    def told(one: Sum | None, salt: int) -> Floats:
        if one is None:
            return np.zeros(len(rows))
        return predicted(one, place) + _remaining(take, part, rows, one, weighed.seed + salt) * weighed.rest

    force, late, held = told(hand.force, 0), told(hand.time, 1), told(hand.length, 2)
    if found := matched(take, number, hand.played.pitch):
        at, there = looked_up(rows, found[0])
        which = found[1][at[there]]
        played = hand.played
        force[there] = np.array(played.force)[which] - part.notes.velocity[rows[there]]
        late[there] = np.array(played.late)[which] if hand.time else 0.0
        held[there] = np.array(played.held)[which]
    # What nobody plays, a record may say all the same.
    late = np.clip(late * weighed.time, -MOST_LATE_MS, MOST_LATE_MS)
    return Given(np.clip(force * weighed.force, -HIGHEST, HIGHEST), late, held * weighed.length)


def _remaining(take: Take, part: Part, rows: Ints, told: Sum, seed: int) -> Floats:
    """What remains, by chance: of the spread and the memory that were measured."""
    quick = chance(part.notes.id[rows], seed)
    slow = drifting(take.tempo.seconds(part.notes.start[rows]), seed, part.id)
    return np.asarray(told.spread * (np.sqrt(1 - told.memory) * quick + np.sqrt(told.memory) * slow))


class _Force(VelocityStroke):
    """How hard, as a hand has it."""

    spec = Spec("play", "Force")
    hand: Hand
    weighed: Weighed

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        masks = select(take, self.target).masks
        given = np.concatenate([self._of(take, number, mask) for number, mask in masks.items()])
        return np.asarray(picked.velocity + given)

    def _of(self, take: Take, number: int, mask: Flags) -> Floats:
        return _given(take, number, self.hand, self.weighed, tuple(take.parts[number].notes.id[mask].tolist())).force

    @override
    def label(self) -> str:
        return "Force"


class _Time(TimeStroke):
    """When, and how long, as a hand has it."""

    spec = Spec("play", "Time and length")
    hand: Hand
    weighed: Weighed

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        notes = part.notes
        given = _given(take, part.id, self.hand, self.weighed, tuple(notes.id[mask].tolist()))
        start, end = notes.start[mask], notes.end[mask]
        begins = whole(take.tempo.tick(np.maximum(take.tempo.seconds(start) + given.late / 1000, 0)))
        begins = np.where(given.late == 0, start, begins)
        lasts = np.where(given.held == 0, end - start, whole((end - start) * 2.0 ** np.clip(given.held, -4, 1)))
        return Times(begins, begins + np.maximum(lasts, 1))

    @override
    def label(self) -> str:
        return "Time and length"


class _Swells(WritingStroke):
    """What a lane does over long notes, as a hand has it; over notes that it played itself (ids) as it played them."""

    spec = Spec("play", "Swells")
    swell: Swell | None
    own: tuple[tuple[int, Shape], ...]
    share: float
    seed: int

    @override
    def on_spot(self, take: Take, spot: Spot) -> Lane:
        found = [self._long(take, part) for part in take.parts_on(spot.channel)]
        starts, ends, ids = (np.concatenate(column) for column in zip(*found, strict=True))
        # Of a chord once, and up to the next.
        starts, first = np.unique(starts, return_index=True)
        ends, ids = ends[first], ids[first]
        ends[:-1] = np.minimum(ends[:-1], starts[1:])
        own = dict(self.own)
        known = np.array([self.swell is not None or one in own for one in ids.tolist()], dtype=bool)
        wide = (ends - starts >= SHAPE) & known
        if not wide.any():
            return spot.lane
        starts, ends, ids = starts[wide], ends[wide], ids[wide]
        shapes = self._shapes(ids)
        for row, one in enumerate(ids.tolist()):
            if one in own:
                shapes[row] = own[one]
        middle = shapes.mean(axis=1, keepdims=True)
        low, high = spot.bounds
        levels = np.clip(middle + (shapes - middle) * self.share, low, high)
        ticks = whole(starts[:, None] + np.linspace(0, 1, SHAPE) * (ends - 1 - starts)[:, None])
        hold = np.zeros(levels.shape, dtype=bool)
        hold[:, -1] = True
        made = Curve.of(ticks.ravel(), np.round(levels, 2).ravel(), hold.ravel())
        return spot.lane.reshaped(laid_all(spot.curve, starts, ends, made, spot.error, resumes=False))

    def _shapes(self, ids: Ints) -> Floats:
        """The curve of each note: the mean one, and by chance along the one by which they differ."""
        if self.swell is None:
            return np.zeros((len(ids), SHAPE))
        along = chance(ids, self.seed)[:, None] * self.swell.spread
        return np.asarray(np.array(self.swell.mean) + along * np.array(self.swell.curve))

    def _long(self, take: Take, part: Part) -> tuple[Ints, Ints, Ints]:
        notes = part.notes
        mask = self.where.notes_of(part) & ~notes.muted
        mask &= take.tempo.seconds(notes.end) - take.tempo.seconds(notes.start) >= LONG_SECONDS
        return notes.start[mask], notes.end[mask], notes.id[mask]

    @override
    def lane_reach(self, take: Take) -> Reach:
        return BaseStroke.reach(self, take)

    @override
    def label(self) -> str:
        return "Swells"


class PlayLike(MadeOf):
    """As somebody played: a hand that was measured, given to other notes.

    Where the music is the same, note after note, what was played of each is carried over; otherwise, and of notes that
    are not in it, what goes with their place.
    """

    kind: Literal["play.like"] = "play.like"
    spec = Spec(
        "play",
        "As a hand played",
        says="Each by an amount of its own: 0 switches it off.",
        asks=(
            Ask("hand", "Hand", "hand"),
            ASK_AMOUNT,
            *(entry(field, name, 0.1) for field, name in zip(PIECES, NAMES, strict=True)),
            ASK_ROLL,
        ),
        gestures=(
            Gesture(
                "hand",
                "Like a hand",
                "As somebody played: a hand that was measured, given to this part",
                "imitate style groove template example humanise humanize performance copy feel hand",
                "Rules",
                where="notes of the part",
                begins="hand",
            ),
        ),
        evidence=("facts",),
        by_phrase=True,
    )
    hand: Hand = Field(description="What was measured.")
    amount: Amount = AMOUNT
    force: Share = Field(1.0, description="How hard.")
    time: Share = Field(1.0, description="When.")
    length: Share = Field(1.0, description="How long.")
    rest: Share = Field(1.0, description="What goes with no place, by chance, as much of it as was measured.")
    swell: Share = Field(1.0, description="What a lane does over long notes.")
    vibrato: Share = Field(1.0, description="How long notes tremble, where one sounds at a time.")
    scoop: Share = Field(1.0, description="How notes are come to, where one sounds at a time.")
    seed: Seed = SEED

    @override
    def pieces(self, take: Take) -> list[BaseStroke]:
        return self.strokes(take)

    @override
    def dials(self) -> list[Dial]:
        return [Dial(field, name, getattr(self, field), 1.0) for field, name in zip(PIECES, NAMES, strict=True)]

    @override
    def made(self, take: Take) -> Iterator[BaseStroke]:
        hand, much = self.hand, self.amount
        weighed = Weighed(self.force * much, self.time * much, self.length * much, self.rest, self.seed)
        if weighed.force:
            yield _Force.model_validate({"where": self.where, "hand": hand, "weighed": weighed})
        if (weighed.time and hand.time) or weighed.length:
            yield _Time.model_validate({"where": self.where, "hand": hand, "weighed": weighed})
        if share := self.swell * abs(much):
            yield from self._swells(take, share)
        yield from self._bends(take)

    def _swells(self, take: Take, share: float) -> Iterator[BaseStroke]:
        swell = self.hand.swell
        parts = tuple(masks_of(take, self.where))
        own: dict[str, list[tuple[int, tuple[float, ...]]]] = {swell.lane: []} if swell else {}
        for part in parts:
            found = matched(take, part, self.hand.played.pitch)
            if found is None:
                continue
            ids = dict(zip(found[1].tolist(), take.parts[part].notes.id[found[0]].tolist(), strict=True))
            for one in self.hand.played.curves:
                shapes = zip(one.of, one.shapes, strict=True)
                own.setdefault(one.lane, []).extend((ids[at], shape) for at, shape in shapes if at in ids)
        where = self.where.model_copy(update={"parts": parts})
        for lane, notes in own.items():
            mine = swell if swell and swell.lane == lane else None
            told = {"lane": lane, "swell": mine, "own": tuple(notes), "share": share, "seed": self.seed}
            yield _Swells.model_validate({"where": where, **told})

    def _bends(self, take: Take) -> Iterator[BaseStroke]:
        vibrato, scoop = self.hand.vibrato, self.hand.scoop
        if vibrato and (much := self.vibrato * abs(self.amount)):
            for part, where in bendable(take, self.where, LONG_SECONDS):
                if ids := self._some(part, where.notes_of(part), vibrato.share, 3):
                    beats = vibrato.delay / take.tempo.micros[0] * 1e6
                    told = {"rate": vibrato.rate, "depth": min(vibrato.cents * much, 1200), "delay": float(beats)}
                    yield BendShake.model_validate({"where": by_ids(part.id, self.where, ids), **told})
        if scoop and (semitones := scoop.semitones * self.scoop * self.amount):
            for part, where in bendable(take, self.where, 2 * scoop.seconds):
                if ids := self._some(part, where.notes_of(part), scoop.share, 4):
                    beats = scoop.seconds / take.tempo.micros[0] * 1e6
                    told = {"start": float(np.clip(semitones, -24, 24)), "time": float(beats), "ease": 0.5}
                    yield BendScoop.model_validate({"where": by_ids(part.id, self.where, ids), **told})

    def _some(self, part: Part, mask: Flags, share: float, salt: int) -> list[int]:
        """As large a share of some notes (ids) as a hand does it on, by chance."""
        ids = part.notes.id[mask]
        order = np.argsort(chance(ids, self.seed + salt))
        return sorted(ids[order[: max(round(share * len(ids)), 0)]].tolist())

    @override
    def label(self) -> str:
        return f"Like {self.hand.name}" + ("" if self.amount == 1 else f", {self.amount:g}".replace("-", "−"))
