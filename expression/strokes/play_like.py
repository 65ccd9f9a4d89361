"""As somebody played: what was measured of a hand, given to other notes; note for note where the music is the same."""

from collections.abc import Iterator
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.alike import same_music
from expression.arrays import Flags, Floats, Ints, looked_up, whole
from expression.carried import MOST_NOTES
from expression.hands import MOST_AMOUNT
from expression.lanes import NOTE_LANES, is_pitch
from expression.living import LONG_SECONDS
from expression.measured import Hand, Sum, features, heard_of, predicted
from expression.memo import worked_out
from expression.notes import HIGHEST
from expression.phrases import heard_rows
from expression.strokes.base import BaseStroke, Dial, Picked, Where, masks_of, select
from expression.strokes.feel import chance, drifting
from expression.strokes.hand_curves import (
    HandCarried,
    HandCarriedNotes,
    HandScoops,
    HandSwells,
    HandVibrato,
)
from expression.strokes.long_rules import SEED, Seed
from expression.strokes.made_of import MadeOf, bendable, by_ids
from expression.strokes.note_times import Times, TimeStroke
from expression.strokes.rules import AMOUNT, ASK_AMOUNT, Amount
from expression.strokes.spec import ASK_ROLL, Ask, Gesture, Spec, entry
from expression.strokes.velocity import VelocityStroke
from expression.take import Part, Take

MOST_COMPARED, MORE = 20_000, 200
"""Notes; and how many may have been added to what a hand has."""
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
    # Of a long part a hand has only the beginning.
    few = rows[: MOST_NOTES + MORE] if len(pitches) == MOST_NOTES else rows
    if len(few) > MOST_COMPARED:
        return None
    found = same_music(notes.pitch[few].tolist(), pitches)
    return (few[found[0]], found[1]) if found else None


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
        # What is there already is not done once more.
        played, now = hand.played, heard_of(take, part)
        mine, _ = looked_up(rows[there], now.rows)
        force[there] = np.array(played.force)[which] - now.force[mine]
        late_now = np.zeros(len(now.rows)) if now.late is None else now.late
        late[there] = np.array(played.late)[which] - late_now[mine] if hand.time else 0.0
        held[there] = np.array(played.held)[which] - now.held[mine]
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
        yield from self._carried(take)
        yield from self._living(take)

    def _carried(self, take: Take) -> Iterator[BaseStroke]:
        """Of the same music what each lane, and each note's own curve, did."""
        levels, slow, quick = (share * abs(self.amount) for share in (self.swell, self.scoop, self.vibrato))
        masks = masks_of(take, self.where)
        for part, found in self._alike(take).items():
            reached = masks[part][found[0]]
            rows, theirs = found[0][reached], found[1][reached]
            ids = dict(zip(theirs.tolist(), take.parts[part].notes.id[rows].tolist(), strict=True))
            where = by_ids(part, self.where, list(ids.values()))
            for one in self.hand.played.curves:
                own = tuple((ids[at], curve) for at, curve in zip(one.of, one.curves, strict=True) if at in ids)
                bends = is_pitch(one.lane)
                told = {"lane": one.lane, "own": own, "slow": slow if bends else levels, "quick": quick}
                if own and (slow or quick if bends else levels):
                    made = HandCarriedNotes if one.lane in NOTE_LANES else HandCarried
                    yield made.model_validate({"where": where, **told})

    def _alike(self, take: Take) -> dict[int, tuple[Ints, Ints]]:
        """Parts that are the same music as the hand's: which of their notes (rows) are which of its."""
        parts = {part: matched(take, part, self.hand.played.pitch) for part in masks_of(take, self.where)}
        return {part: found for part, found in parts.items() if found}

    def _others(self, take: Take) -> Where | None:
        """What is reached and is not the hand's own music: there its shapes are given. None where all is."""
        alike = self._alike(take)
        parts = tuple(part for part in masks_of(take, self.where) if part not in alike)
        return self.where.model_copy(update={"parts": parts}) if parts else None

    def _living(self, take: Take) -> Iterator[BaseStroke]:
        where, much = self._others(take), abs(self.amount)
        if where is None:
            return
        hand, seed = self.hand, self.seed
        if hand.swell and (share := self.swell * much):
            told = {"lane": hand.swell.lane, "swell": hand.swell, "share": share}
            yield HandSwells.model_validate({"where": where, "seed": seed, **told})
        if hand.scoop and (share := self.scoop * self.amount):
            for part, long in bendable(take, where, 2 * hand.scoop.seconds):
                if ids := self._some(part, long.notes_of(part), hand.scoop.share, 4):
                    told = {"where": by_ids(part.id, where, ids), "scoop": hand.scoop, "much": share}
                    yield HandScoops.model_validate({"seed": seed, **told})
        if hand.vibrato and (share := self.vibrato * much):
            for part, long in bendable(take, where, LONG_SECONDS):
                if ids := self._some(part, long.notes_of(part), hand.vibrato.share, 3):
                    told = {"where": by_ids(part.id, where, ids), "vibrato": hand.vibrato, "much": share}
                    yield HandVibrato.model_validate({"seed": seed, **told})

    def _some(self, part: Part, mask: Flags, share: float, salt: int) -> list[int]:
        """As large a share of some notes (ids) as a hand does it on, by chance."""
        ids = part.notes.id[mask]
        order = np.argsort(chance(ids, self.seed + salt))
        return sorted(ids[order[: max(round(share * len(ids)), 0)]].tolist())

    @override
    def label(self) -> str:
        return f"Like {self.hand.name}" + ("" if self.amount == 1 else f", {self.amount:g}".replace("-", "−"))
