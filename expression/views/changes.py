"""What differs between two takes of one recording: what a stroke has done."""

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Flags, Ints, contained, frozen, looked_up, runs, union
from expression.lanes import NOTE_PITCH
from expression.memo import worked_out
from expression.note_curves import APART
from expression.notes import Notes
from expression.take import Part, Take
from expression.time import Sight
from expression.views.contours import own_turns, step_of

BENT = 300
"""Notes of which is told how they are bent."""


class Bends(TypedDict):
    """How the own pitch of some notes goes: so many points of each, in ticks from its start and semitones."""

    count: list[int]
    tick: list[int]
    value: list[float]


class AddedNotes(TypedDict):
    """Notes that have come to a part, in columns; times are ticks. (No columns where the part is told anew with them.)

    `bends`: of the first of them how their own pitch goes; of none, where that is as it was.
    """

    part: int
    start: list[int]
    end: list[int]
    pitch: list[int]
    velocity: list[int]
    bends: Bends


class MovedNotes(AddedNotes):
    """Notes (inclusive ranges of ids) of which more than the velocity is another, as they are now."""

    notes: list[tuple[int, int]]
    release: list[int]
    muted: list[bool]
    cue: list[bool]


class Changes(TypedDict):
    """Notes (inclusive ranges of ids) with the velocity each has now, and the parts of which lanes have changed.

    `others`: parts of which notes have come (`added`), gone, or are elsewhere (`moved`), or whose cues are called
    otherwise: their columns are others now.
    """

    notes: list[tuple[int, int]]
    velocity: list[int]
    lanes: list[int]
    added: list[AddedNotes]
    moved: list[MovedNotes]
    others: list[int]


BESIDE_VELOCITY = ("start", "end", "pitch", "release", "muted", "cue", "page_start", "page_end")
"""Columns of notes that a change is told of; ids never change, and rows of events are not seen."""


def changes(before: Take, after: Take, sight: Sight | None = None, is_told_anew: bool = False) -> Changes:
    """What of a take differs in another of the same recording; of its notes, between two ticks, those in sight.

    (So are `others`, but for notes that have come or gone.) `is_told_anew`: `others` are told with all their notes
    beside this; so of these only which.
    """
    told = Changes(notes=[], velocity=[], lanes=[], added=[], moved=[], others=[])
    ids: list[Ints] = [np.zeros(0, dtype=np.int64)]
    values: list[np.ndarray] = [np.zeros(0, dtype=np.uint8)]
    for old, new in zip(before.parts, after.parts, strict=True):
        if _lanes_differ(old, new):
            told["lanes"].append(new.id)
        others = old.cue_names != new.cue_names
        if old.notes is new.notes:
            told["others"] += [new.id] if others else []
            continue
        was, now = old.notes, new.notes
        if was.id is not now.id:
            known, ids_now = _ids(was), _ids(now)
            others |= not np.array_equal(known, ids_now)
            # It is enough to look at such as either has in sight.
            here, there = (np.flatnonzero(_in_sight(one, sight)) for one in (now, was))
            stays, stayed = contained(now.id[here], known), contained(was.id[there], ids_now)
            if not stays.all():
                told["added"].append(_added(old, new, _told(now, here[~stays], is_told_anew), sight))
            both = union(now.id[here[stays]], was.id[there[stayed]])
            was, now = (one.only(looked_up(both, one.id)[0]) for one in (was, now))
        differ = _differ(was, now)
        if differ.any():
            differ &= _in_sight(was, sight) | _in_sight(now, sight)
        if differ.any():
            told["moved"].append(_moved(old, new, _told(now, differ, is_told_anew), now.id[differ], sight))
            others = True
        told["others"] += [new.id] if others else []
        rows = _near(now, sight)
        rows = rows[was.velocity[rows] != now.velocity[rows]]
        ids.append(now.id[rows])
        values.append(now.velocity[rows])
    told["notes"] = runs(np.concatenate(ids))
    told["velocity"] = np.concatenate(values).tolist()
    return told


@worked_out(1, is_lasting=True)
def _ids(notes: Notes) -> Ints:
    """The ids of notes, ascending."""
    return frozen(np.sort(notes.id, kind="stable"), np.int64)


def _told(notes: Notes, which: Flags | Ints, is_told_anew: bool) -> Notes:
    """Notes of which the columns are told: of those that are told anew, none."""
    return notes.only(slice(0) if is_told_anew else which)


def _in_sight(notes: Notes, sight: Sight | None) -> Flags:
    """Which notes lie between two ticks; all of them where none are given."""
    if sight is None:
        return np.ones(len(notes), dtype=bool)
    return notes.between(*sight)


@worked_out(2, is_lasting=True)
def _near(notes: Notes, sight: Sight | None) -> Ints:
    """The rows of the notes in sight; however hard they are struck."""
    return frozen(np.flatnonzero(_in_sight(notes, sight)), np.int64)


def _lanes_differ(old: Part, new: Part) -> bool:
    if old.bend_range is not new.bend_range or old.channel.instrument != new.channel.instrument:
        return True
    if old.curves is not new.curves or old.channel.sending != new.channel.sending:
        return True
    if old.channel.answers != new.channel.answers:
        return True
    if old.lanes is new.lanes:
        return False
    return any(old.lanes.get(key) is not new.lanes.get(key) for key in old.lanes.keys() | new.lanes.keys())


def _differ(was: Notes, now: Notes) -> Flags:
    """Which notes differ in more than velocity. Columns that both share are not looked at."""
    differ = np.zeros(len(now), dtype=bool)
    for name in BESIDE_VELOCITY:
        old, new = getattr(was, name), getattr(now, name)
        if old is not new:
            differ |= old != new
    return differ


def _added(old: Part, new: Part, notes: Notes, sight: Sight | None) -> AddedNotes:
    return {
        "part": new.id,
        "start": notes.start.tolist(),
        "end": notes.end.tolist(),
        "pitch": notes.pitch.tolist(),
        "velocity": notes.velocity.tolist(),
        "bends": _bends(old, new, notes.id, step_of(sight)),
    }


def _bends(old: Part, new: Part, ids: Ints, least: float) -> Bends:
    known = new.curves.get(NOTE_PITCH)
    if known is None or known is old.curves.get(NOTE_PITCH):
        return {"count": [], "tick": [], "value": []}
    ids = ids[:BENT]
    notes, turns = own_turns(known.only(ids), least)
    row, _ = looked_up(notes, ids)
    row, tick = np.divmod(union(row * APART + turns), APART)
    value = np.round(known.at(ids[row], tick), 3)
    return {
        "count": np.bincount(row, minlength=len(ids)).tolist(),
        "tick": tick.tolist(),
        "value": value.tolist(),
    }


def _moved(old: Part, new: Part, notes: Notes, ids: Ints, sight: Sight | None) -> MovedNotes:
    return {
        **_added(old, new, notes, sight),
        "notes": runs(ids),
        "release": notes.release.tolist(),
        "muted": notes.muted.tolist(),
        "cue": notes.cue.tolist(),
    }
