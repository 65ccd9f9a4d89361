"""Chord into chord: the voices of one are held and go to the pitches of the next, which is not struck again."""

import itertools
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Flags, Ints, frozen
from expression.chords import chord_onsets
from expression.curve import NO_NODES, Curve
from expression.errors import NothingMatched
from expression.lanes import LANES, NOTE_PITCH
from expression.limits import MOST_COPIES
from expression.memo import worked_out
from expression.note_curves import NO_CURVES, NoteCurves
from expression.notes import Notes
from expression.piece import Piece, cut, laid
from expression.records import Record, Unit
from expression.strokes.base import BaseStroke, Count, Lift, Reach, Thread, counted, select
from expression.strokes.grips import Grip, Time
from expression.strokes.spec import ASK_EASE, ASK_LIFT, Ask, Gesture, Spec, entry
from expression.take import Part, Take

STRUMMED = 4
"""Voices of a chord that is to glide may be struck so many times further apart than those of one that is counted."""
OUTER = 1 / 1024
"""Of a semitone: so much is it worth that an outer voice stays an outer one, where the movement is the same."""
Beats = Annotated[float, Field(gt=0, le=1024)]


class Voice(Record):
    """One voice that goes in its own way: by the note with which it begins."""

    note: Count
    start: Unit | None = None
    time: Beats | None = None
    late_ms: Annotated[float | None, Field(ge=0, le=60_000)] = None
    lift: Lift | None = None
    ease: Unit | None = None


class NoteGlide(BaseStroke):
    """Chord into chord, through all that are chosen: each voice is held and moves to the pitch of its partner.

    The voices are paired so that all of them together move least; where that leaves a choice, outer voices stay outer.
    Partners are not struck again; voices without one end or begin as before.
    """

    kind: Literal["note.glide"] = "note.glide"
    spec = Spec(
        "own",
        "Chord into chord",
        says="Each voice is held and goes to its partner's pitch. By its grips a voice goes in its own way; by its "
        "ring it is hung on another note.",
        asks=(
            entry("start", "Leaves at", 0.05),
            entry("time", "Beats", 0.125),
            entry("late_ms", "Apart (ms)", 10),
            Ask("seed", "Roll", "roll", absent="by height"),
            ASK_LIFT,
            ASK_EASE,
        ),
        gestures=(
            Gesture(
                "glide",
                "Chords glide",
                "The voices of the chosen chords glide from one to the next, which is not struck again",
                "glide portamento morph voices progression pad bend chord",
                "Time",
                where="own",
                begins="glide",
                for_selection=True,
            ),
        ),
        lane="note:pitch",
    )
    pairs: Annotated[tuple[tuple[Count, Count | None], ...] | None, Field(max_length=MOST_COPIES)] = Field(
        None,
        description="[note, its partner in the next chord, or null for none]: by their ids; voices that are not named, "
        "or all where it is absent, are paired by least movement.",
    )
    start: Unit = Field(1.0, description="When a voice leaves: a share of the time until the next chord was struck.")
    time: Beats = Field(0.5, description="Beats until it is there.")
    late_ms: Annotated[float, Field(ge=0, le=60_000)] = Field(
        0.0, description="Voices start up to so much later: the higher the later, or by chance where there is a seed."
    )
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(1.0, description="0: as `lift` forms it; 1: softened at both ends.")
    voices: tuple[Voice, ...] = Field((), max_length=1000, description="Voices that go in their own way.")

    @model_validator(mode="after")
    def _once(self) -> Self:
        for side, name in ((0, "leaves"), (1, "is reached")):
            named = [pair[side] for pair in self.pairs or () if pair[side] is not None]
            if len(set(named)) < len(named):
                raise ValueError(f"pairs must name each note once: one {name} twice")
        return self

    @override
    def apply(self, take: Take) -> Take:
        _, masks = select(take, self.where)
        made, matched = take, False
        for number in masks:
            part = take.parts[number]
            threads = self.threads(take, number)
            if not threads:
                continue
            matched = True
            notes, curves = _glided(part, threads)
            made = made.with_notes({number: notes}).with_curves({number: curves})
        if not matched:
            raise NothingMatched("Choose two chords, or more, that follow one another: there is nothing to glide to.")
        return made

    @override
    def threads(self, take: Take, part: int) -> list[Thread]:
        return _threads(self, take, part)

    @override
    def reach(self, take: Take) -> Reach:
        picked, masks = select(take, self.where)
        found = {number: threads for number in masks if (threads := self.threads(take, number))}
        if not found:
            raise NothingMatched("Choose two chords, or more, that follow one another: there is nothing to glide to.")
        last = max(thread.arrives for threads in found.values() for thread in threads)
        count = sum(map(len, found.values()))
        return Reach(int(picked.start.min()), max(last, int(picked.end.max())), list(found), count)

    @override
    def also(self, take: Take) -> str:
        """Voices without a partner, in words."""
        _, masks = select(take, self.where)
        alone = 0
        for number, mask in masks.items():
            threads = self.threads(take, number)
            paired = {thread.one for thread in threads} | {thread.other for thread in threads}
            alone += len(set(np.flatnonzero(mask).tolist()) - paired)
        if not alone:
            return ""
        return (
            "One note has no partner and stays as it is." if alone == 1 else f"{alone} notes have no partner and stay."
        )

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        return []

    @override
    def grips(self, take: Take) -> list[Grip]:
        _, masks = select(take, self.where)
        for number in masks:
            threads, notes = self.threads(take, number), take.parts[number].notes
            if not threads:
                continue
            first = threads[0]
            begin, until = int(notes.start[first.one]), int(notes.start[first.other])
            away = float(int(notes.pitch[first.other]) - int(notes.pitch[first.one]))
            leaves = Time("start", begin, float(max(until - begin, 1)))
            arrives = Time("time", first.leaves, float(take.resolution))
            return [
                Grip("start", "When the voices leave", first.leaves, 0.0, self.start, time=leaves),
                Grip("time", "When they are there", first.arrives, away, self.time, time=arrives),
            ]
        return []

    @override
    def label(self) -> str:
        late = f", up to {self.late_ms:g} ms apart" if self.late_ms else ""
        return f"Chord into chord over {counted(self.time, 'beat')}{late}"


@worked_out(16)
def _threads(stroke: NoteGlide, take: Take, number: int) -> list[Thread]:
    part = take.parts[number]
    notes = part.notes
    rows = np.flatnonzero(stroke.where.notes_of(part) & ~notes.muted)
    if not len(rows):
        return []
    onsets = chord_onsets(notes.start[rows], take.resolution * STRUMMED)
    chords = _grouped(rows, onsets)
    ids = notes.id
    partners = dict(stroke.pairs or ())
    own = {voice.note: voice for voice in stroke.voices}
    found: list[Thread] = []
    for one, other in itertools.pairwise(chords):
        named = [(row, partners[int(ids[row])]) for row in one.tolist() if int(ids[row]) in partners]
        row_of = {int(ids[row]): row for row in other.tolist()}
        fixed = [(row, row_of[partner]) for row, partner in named if partner is not None and partner in row_of]
        taken = {row for row, _ in named}, {row for _, row in fixed}
        sides = zip((one, other), taken, strict=True)
        left = [np.array([row for row in side.tolist() if row not in used], dtype=np.int64) for side, used in sides]
        pitches = [notes.pitch[side].astype(np.int64) for side in left]
        paired = [(int(left[0][a]), int(left[1][b])) for a, b in least(pitches[0], pitches[1])]
        pairs = sorted(fixed + paired, key=lambda pair: int(notes.pitch[pair[0]]))
        late = _late(stroke, ids[np.array([a for a, _ in pairs], dtype=np.int64)])
        for (a, b), after in zip(pairs, late, strict=True):
            told = own[int(ids[a])].model_dump(exclude={"note"}, exclude_none=True) if int(ids[a]) in own else {}
            start, time, lift, ease = (
                told.get(name, getattr(stroke, name)) for name in ("start", "time", "lift", "ease")
            )
            after = told.get("late_ms", after)
            begins, struck = int(notes.start[a]), int(notes.start[b])
            leaves = begins + start * (struck - begins)
            leaves = round(float(take.tempo.tick(take.tempo.seconds(leaves) + after / 1000)))
            last = max(int(notes.end[b]), leaves + 1)
            arrives = min(leaves + max(round(time * take.resolution), 1), last)
            found.append(Thread(a, b, min(leaves, last - 1), arrives, lift, ease))
    return found


def _grouped(rows: Ints, onsets: Ints) -> list[Ints]:
    order = np.argsort(onsets, kind="stable")
    edges = np.flatnonzero(np.diff(onsets[order])) + 1
    return list(np.split(rows[order], edges))


def _late(stroke: NoteGlide, ids: Ints) -> list[float]:
    """How much later each voice goes, in milliseconds: ids from the lowest to the highest."""
    if not stroke.late_ms or not len(ids):
        return [0.0] * len(ids)
    if stroke.seed is None:
        return [float(share) for share in np.linspace(0, stroke.late_ms, len(ids))] if len(ids) > 1 else [0.0]
    from expression.strokes.feel import CUT, chance

    return [float(share) for share in (chance(ids, stroke.seed) / CUT + 1) / 2 * stroke.late_ms]


def least(one: Ints, other: Ints) -> list[tuple[int, int]]:
    """Places in two chords that are paired: as many as the smaller has, so that all pitches together move least.

    In the order of pitch no crossing of voices is ever shorter, so that it is enough to choose who stays alone; of two
    ways that are as short, the one that keeps the lowest with the lowest and the highest with the highest.
    """
    if not len(one) or not len(other):
        return []
    if len(one) > len(other):
        return sorted((a, b) for b, a in least(other, one))
    first, second = np.argsort(one, kind="stable"), np.argsort(other, kind="stable")
    count, many = len(one), len(other)
    cost = np.abs(one[first][:, None] - other[second][None, :]).astype(np.float64)
    cost[0, 0] -= OUTER
    cost[-1, -1] -= OUTER
    best = np.full((count + 1, many + 1), np.inf)
    best[0, :] = 0.0
    for a in range(1, count + 1):
        for b in range(a, many + 1):
            best[a, b] = min(best[a, b - 1], best[a - 1, b - 1] + cost[a - 1, b - 1])
    pairs, a, b = [], count, many
    while a:
        if b > a and best[a, b] == best[a, b - 1]:
            b -= 1
            continue
        pairs.append((int(first[a - 1]), int(second[b - 1])))
        a, b = a - 1, b - 1
    return sorted(pairs)


def _glided(part: Part, threads: list[Thread]) -> tuple[Notes, dict[str, NoteCurves]]:
    """The notes of a part with voices that are held, without those that they have become; and their curves."""
    notes = part.notes
    following = {thread.one: thread for thread in threads}
    reached = {thread.other for thread in threads}
    end = notes.end.copy()
    changed: dict[str, tuple[list[int], list[Curve]]] = {}
    for row in sorted(following.keys() - reached):
        chain = [following[row]]
        while chain[-1].other in following:
            chain.append(following[chain[-1].other])
        start = int(notes.start[row])
        end[row] = notes.end[[thread.other for thread in chain]].max()
        for key in {NOTE_PITCH, *part.curves}:
            curve = _chained(part, key, row, chain, start)
            if curve is not None:
                ids, curves = changed.setdefault(key, ([], []))
                ids.append(int(notes.id[row]))
                curves.append(curve)
    keep: Flags = np.ones(len(notes), dtype=bool)
    keep[sorted(reached)] = False
    gone = notes.id[~keep]
    made = {}
    for key, (ids, curves) in changed.items():
        known = part.curves.get(key, NO_CURVES)
        named = np.union1d(np.array(ids, dtype=np.int64), gone)
        made[key] = known.with_curves(named, NoteCurves.each(ids, curves))
    for key, known in part.curves.items():
        if key not in made:
            made[key] = known.without(gone)
    return notes.until(frozen(end, np.int64)).only(keep), made


def _chained(part: Part, key: str, row: int, chain: list[Thread], start: int) -> Curve | None:
    """The curve of a voice through its chain: its own, then that of each partner from where it is reached."""
    notes, error = part.notes, LANES[key].error
    rest = LANES[key].default
    known = part.curves.get(key)
    rows = [row, *(thread.other for thread in chain)]
    has = known is not None and bool(np.isin(notes.id[rows], known.ids).any())
    is_pitch = key == NOTE_PITCH
    if not is_pitch and not has:
        return None
    in_turn = all(after.leaves >= before.arrives for before, after in itertools.pairwise(chain))
    if in_turn and not has:
        return _steps(notes, row, chain, start)
    curves = [known.curve(int(notes.id[one])) if known else NO_NODES for one in rows]
    curve = _begun(curves[0], rest)
    base = int(notes.pitch[row])
    for thread, own in zip(chain, curves[1:], strict=True):
        away = float(int(notes.pitch[thread.other]) - base) if is_pitch else 0.0
        leaves, arrives, struck = thread.leaves - start, thread.arrives - start, int(notes.start[thread.other]) - start
        theirs = _begun(own, rest)
        theirs = theirs.timed(frozen(theirs.ticks + struck, np.int64)).valued(theirs.values + away)
        last = max(int(curve.ticks[-1]), int(theirs.ticks[-1]), arrives) + 1
        from_ = float(curve.at(leaves))
        onto = float(theirs.at(arrives)) if arrives >= struck else float(theirs.values[0])
        if is_pitch:
            way = Curve.of([leaves, arrives], [from_, onto], [False, True], thread.lift, thread.ease)
            curve = laid(curve, Piece(leaves, last, way), error, resumes=False)
            curve = laid(curve, cut(theirs, max(arrives, struck), last, error), error, resumes=False)
        else:
            curve = laid(curve, cut(theirs, struck, last, error), error, resumes=False)
    return curve


def _steps(notes: Notes, row: int, chain: list[Thread], start: int) -> Curve:
    """The pitch of a voice through its chain, where nothing else moves it: from each partner's to the next."""
    others, leaves, arrives, lift, ease = (np.array(column) for column in list(zip(*chain, strict=True))[1:])
    away = notes.pitch[others].astype(np.float64) - float(notes.pitch[row])
    values, lifts, eases = np.zeros((3, 1 + 2 * len(chain)))
    ticks, hold = np.zeros(values.shape, dtype=np.int64), np.ones(values.shape, dtype=bool)
    ticks[1::2], ticks[2::2] = leaves - start, arrives - start
    values[2::2], values[3::2] = away, away[:-1]
    hold[1::2], lifts[1::2], eases[1::2] = False, lift, ease
    # One that goes on at once is not held before.
    stays = np.append(np.diff(ticks) > 0, True) | ~hold
    return Curve.of(ticks[stays], values[stays], hold[stays], lifts[stays], eases[stays])


def _begun(curve: Curve, rest: float) -> Curve:
    """A curve that says something from the start on."""
    if len(curve) and curve.ticks[0] <= 0:
        return curve
    return Curve.of([0], [rest]).then(curve)
