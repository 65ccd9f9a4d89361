"""What a file that was taken away, changed in another program and brought back has that the take has not."""

from collections import Counter, defaultdict

import numpy as np

from expression.alike import matched
from expression.arrays import Ints, looked_up, runs
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.midi.files import FileKind, opened, saved
from expression.phrases import heard_rows
from expression.strokes.back import LaneBack, NotesBack, TakeBack
from expression.strokes.note_edits import NewNote
from expression.take import Part, Take, in_force

LEAST_SHARE = 0.5
"""Of the notes: where fewer are found again it is other music."""


def returned(take: Take, data: bytes) -> TakeBack:
    """The stroke that makes a take as a file has it. Raises BadFile; NothingMatched where it has nothing else, or is
    other music.

    It is held against the file that the take would be written as, so that what only a file does (curves in steps) is
    no difference.
    """
    other = opened(data)
    kind: FileKind | None = "clip" if data[:4] != b"MThd" else None
    away = opened(saved(take, kind))
    notes, lanes, known = [], [], 0
    scales = take.resolution / away.resolution, take.resolution / other.resolution
    for part, mine, theirs in _pairs(take, away, other):
        back, same = _notes(part, mine, theirs, *scales, take.resolution)
        known += same
        if back.gone or back.changed or back.new:
            notes.append(back)
        lanes += _lanes(part.id, mine, theirs, *scales)
    # A part that the file has not is left as it is, but tells that it may be another file.
    count = sum(len(heard_rows(part)) for part in take.parts)
    if known < LEAST_SHARE * count:
        raise NothingMatched(
            f"This is other music: {known:,} of {count:,} notes of the take are found in it. Bring it as a new take."
        )
    if not notes and not lanes:
        raise NothingMatched("Nothing in this file is otherwise than in the take.")
    return TakeBack.model_validate({"notes": tuple(notes), "lanes": tuple(lanes)})


NEAR = 0.125
"""Quarters: notes of a key that begin so near to each other may be the same."""


def _pairs(take: Take, away: Take, other: Take) -> list[tuple[Part, Part, Part]]:
    """Parts of the take, as the file that it is written as has them, and as the other file has them.

    By their music: another program may have put parts in another order, on other channels and under other names.
    """
    mine = [_places(part, away.resolution) for part in away.parts]
    theirs = [_places(part, other.resolution) for part in other.parts]
    alike = [
        (-(one & two).total(), one_is != two_is, abs(row - column), row, column)
        for row, (one, one_is) in enumerate(mine)
        for column, (two, two_is) in enumerate(theirs)
    ]
    found: dict[int, int] = {}
    for shared, _, _, row, column in sorted(alike):
        if shared and row not in found and column not in found.values():
            found[row] = column
    for row in range(min(len(mine), len(theirs))):
        # What shares no note at its place may have been moved as a whole.
        if row not in found and row not in found.values():
            found[row] = row
    return [
        (take.parts[row], away.parts[row], other.parts[column])
        for row, column in sorted(found.items())
        if _is_same(away.parts[row], other.parts[column], (mine[row][0] & theirs[column][0]).total())
    ]


def _is_same(mine: Part, theirs: Part, shared: int) -> bool:
    """Whether one part is another: by its music, or by its name and channel. What is not there is left as it is."""
    least = LEAST_SHARE * len(heard_rows(mine))
    known = mine.name == theirs.name and mine.channel.number == theirs.channel.number
    return known or shared >= least or len(matched(mine, theirs, by_ids=False)[0]) >= least


def _places(part: Part, resolution: int) -> tuple[Counter[tuple[int, int]], int]:
    """Keys of a part with where they are struck, to an eighth of a quarter; and its channel."""
    rows = heard_rows(part)
    step = np.round(part.notes.start[rows] / (resolution * NEAR)).astype(np.int64)
    return Counter(zip(part.notes.pitch[rows].tolist(), step.tolist(), strict=True)), part.channel.number


def _same(mine: Part, theirs: Part, scale: float, factor: float, resolution: int) -> tuple[Ints, Ints]:
    """Rows of the notes that are each other's: by the order of their keys where nearly all are found so; otherwise
    first those that begin where they did, and what is left by its order.
    """
    here, there = matched(mine, theirs, by_ids=False)
    rows, others = heard_rows(mine), heard_rows(theirs)
    if len(here) >= SURE * max(len(rows), len(others)):
        return here, there
    near = NEAR * resolution
    waiting: dict[int, list[int]] = defaultdict(list)
    starts = _scaled(theirs.notes.start, factor)
    for row in others.tolist():
        waiting[int(theirs.notes.pitch[row])].append(row)
    pairs: list[tuple[int, int]] = []
    for row in rows.tolist():
        begins = round(float(mine.notes.start[row]) * scale)
        free = waiting[int(mine.notes.pitch[row])]
        # Those that begin long before are nobody's any more.
        while len(free) > 1 and abs(starts[free[1]] - begins) <= abs(starts[free[0]] - begins):
            free.pop(0)
        if free and abs(starts[free[0]] - begins) <= near:
            pairs.append((row, free.pop(0)))
    if len(pairs) < len(here):
        return here, there
    columns = np.array(pairs, dtype=np.int64).reshape(-1, 2)
    return columns[:, 0], columns[:, 1]


SURE = 0.98


def _notes(part: Part, mine: Part, theirs: Part, scale: float, factor: float, resolution: int) -> tuple[NotesBack, int]:
    """What became of the notes of a part, and how many are found again. Factors: to ticks of the take."""
    own, written = matched(part, mine, by_ids=False)
    here, there = _same(mine, theirs, scale, factor, resolution)
    row, is_own = looked_up(here, written)
    ids = part.notes.id[own[row]]
    near = max(int(np.ceil(factor)), 1)
    a, b = mine.notes, theirs.notes
    start, end = _scaled(b.start[there], factor), _scaled(b.end[there], factor)
    moved, longer = start - _scaled(a.start[here], scale), end - _scaled(a.end[here], scale)
    differs = (np.abs(moved) > near) | (np.abs(longer) > near) | (a.velocity[here] != b.velocity[there])
    # What is a tick off for another resolution is where it was.
    start = part.notes.start[own[row]] + np.where(np.abs(moved) > near, moved, 0)
    end = part.notes.end[own[row]] + np.where(np.abs(longer) > near, longer, 0)
    changed = [
        (int(ids[at]), max(int(start[at]), 0), max(int(end[at] - start[at]), 1), int(b.velocity[there[at]]))
        for at in np.flatnonzero(differs & is_own).tolist()
    ]
    gone = np.setdiff1d(heard_rows(part), own[row[is_own]])
    new = np.setdiff1d(heard_rows(theirs), there)
    made = [
        NewNote(
            start=int(_scaled(b.start[at : at + 1], factor)[0]),
            length=max(round(float(b.end[at] - b.start[at]) * factor), 1),
            pitch=int(b.pitch[at]),
            velocity=max(int(b.velocity[at]), 1),
        )
        for at in new.tolist()
    ]
    told = NotesBack(part=part.id, gone=tuple(part.notes.id[gone].tolist()), changed=tuple(changed), new=tuple(made))
    return told, int(is_own.sum())


def _scaled(ticks: Ints, factor: float) -> Ints:
    return np.round(ticks * factor).astype(np.int64)


def _lanes(number: int, mine: Part, theirs: Part, one: float, other: float) -> list[LaneBack]:
    """Stretches on which a lane of a part says something else."""
    found = []
    for key in sorted(mine.lanes.keys() | theirs.lanes.keys()):
        if key not in LANES or LANES[key].is_of_notes:
            continue
        curves = [
            _rescaled(part.lanes[key].curve, by) if key in part.lanes else None
            for part, by in ((mine, one), (theirs, other))
        ]
        ticks = np.unique(np.concatenate([curve.ticks for curve in curves if curve is not None]))
        was, now = (in_force(curve, key, ticks) for curve in curves)
        differs = np.abs(now - was) > 0.5 * LANES[key].step
        for first, last in runs(np.flatnonzero(differs)):
            after = last + 1
            points = [(int(ticks[at]), round(float(now[at]), 4)) for at in range(first, after)]
            if after < len(ticks) and ticks[after] - 1 > points[-1][0]:
                points.append((int(ticks[after]) - 1, points[-1][1]))
            found.append(LaneBack(part=number, lane=key, points=tuple(points)))
    return found


def _rescaled(curve: Curve, factor: float) -> Curve:
    return curve if factor == 1 else curve.timed(_scaled(curve.ticks, factor))
