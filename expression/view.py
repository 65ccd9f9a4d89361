"""What a screen needs of a take, as plain lists and numbers ready for JSON."""

import itertools
from collections.abc import Sequence
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from expression import listing, percussion
from expression.arrays import Ints, runs
from expression.contour import contours
from expression.dynamics import dynamic
from expression.errors import NothingMatched
from expression.history import Shaped
from expression.lanes import LANES, VELOCITY, LaneKind
from expression.notes import HIGHEST, LOWEST, Notes
from expression.pitch import NOTE_NAMES
from expression.strokes import AnyStroke, Where, select
from expression.strokes.velocity import VelocityStroke
from expression.take import Part, Take

DYES = ("indigo", "walnut", "verdigris", "orchil", "weld", "madder", "woad", "oakgall")
"""Natural dyes, one for each part in turn; the page knows their colours."""
PATCHES = ("thumb piano", "reed box", "bowed glass", "frame drum")
MOST_FLAGS = 500
SKETCH_COLUMNS, SKETCH_ROWS = 96, 16
REEDS_AND_PIPES = (*range(16, 24), *range(56, 80))
STRINGS_AND_PADS = (*range(40, 56), *range(80, 104))
BINS = 16


def desk(take: Take) -> dict[str, Any]:
    """The whole take for the desk. Columns of notes are lists of one length; `start` holds differences."""
    bars = take.meter.bars(take.end)
    return {
        "resolution": take.resolution,
        "end": take.end,
        "seconds": round(take.seconds, 3),
        "bars": {"start": bars.start.tolist(), "beats": bars.beats.tolist(), "beat_ticks": bars.beat_ticks.tolist()},
        "tempo": {
            "ticks": take.tempo.ticks.tolist(),
            "seconds": take.tempo.at_step.tolist(),
            "micros": take.tempo.micros.tolist(),
        },
        "note_names": list(NOTE_NAMES),
        "flags": flags(take),
        "parts": [_part(take, part) for part in take.parts],
        "remarks": list(take.remarks),
    }


def _part(take: Take, part: Part) -> dict[str, Any]:
    notes = part.notes
    return {
        "id": part.id,
        "name": part.name,
        "channel": part.channel.number + 1,
        "shares": [other.id for other in take.parts_on(part.channel) if other is not part],
        "dye": DYES[part.id % len(DYES)],
        "seal": seal(part.id),
        "patch": patch(part),
        "drum": part.channel.number == percussion.CHANNEL,
        "voices": _voices(part),
        **_lanes(part),
        "ids": runs(notes.id),
        "start": np.diff(notes.start, prepend=0).tolist(),
        "length": (notes.end - notes.start).tolist(),
        "pitch": notes.pitch.tolist(),
        "velocity": notes.velocity.tolist(),
    }


def lanes_of(take: Take, parts: Sequence[int]) -> list[dict[str, Any]]:
    """What `desk` tells of the lanes of some parts (those that are there), and of what they make of the notes."""
    return [{"id": part.id, **_lanes(part)} for part in take.parts if part.id in parts]


def _lanes(part: Part) -> dict[str, Any]:
    return {"lanes": [_lane_head(part, key) for key in LANES if key in part.lanes], "contour": contours(part)}


def _voices(part: Part) -> dict[int, str]:
    """The standard's names of the keys that a percussion part plays."""
    if part.channel.number != percussion.CHANNEL:
        return {}
    pitches = np.unique(part.notes.pitch).tolist()
    return {pitch: percussion.voice_name(pitch) or NOTE_NAMES[pitch] for pitch in pitches}


def _lane_head(part: Part, key: str) -> dict[str, Any]:
    curve = part.lanes[key].curve
    first = int(part.notes.start.min()) if len(part.notes) else 0
    return {
        "key": key,
        "nodes": len(curve),
        "lowest": round(float(curve.values.min()), 2),
        "highest": round(float(curve.values.max()), 2),
        "leads_in": int(curve.ticks[0]) <= first,
        "form": LANES[key].form_of(curve.values),
    }


def lane_kinds() -> list[dict[str, Any]]:
    """Velocity, and every lane there can be: what it is called, what its values mean and how they are drawn."""
    return [_lane_kind(kind) for kind in (VELOCITY, *LANES.values())]


def _lane_kind(kind: LaneKind) -> dict[str, Any]:
    shown = (
        "key", "name", "title", "unit", "form", "default", "low", "high", "middle", "least", "decimals", "marks",
        "rounds",
    )  # fmt: skip
    words = [{"word": word, "value": value} for word, value in kind.words]
    return {**{name: getattr(kind, name) for name in shown}, "number": kind.wire.number, "words": words}


def flags(take: Take) -> list[dict[str, Any]]:
    """What is neither note nor lane, in its place: programs, exclusives, texts, changes of tempo."""
    found = listing.page(take, 0, MOST_FLAGS, kinds=["program", "exclusive", "text", "tempo", "other"])["rows"]
    return [{name: row[name] for name in ("tick", "part", "kind", "value")} for row in found]


def seal(part_id: int) -> str:
    """A letter for each part, so that it can be told without its dye: A to Z, then AA, AB ..."""
    letters = ""
    number = part_id + 1
    while number:
        number, letter = divmod(number - 1, 26)
        letters = chr(ord("A") + letter) + letters
    return letters


def patch(part: Part) -> str:
    """The practice patch that suits a part: by its program (GM level 1), for want of one by how its notes are held."""
    if part.channel.number == percussion.CHANNEL:
        return PATCHES[3]
    if part.program in STRINGS_AND_PADS:
        return PATCHES[2]
    if part.program is not None:
        held = part.program in REEDS_AND_PIPES
    else:
        notes = part.notes
        gaps = float(np.median(np.diff(notes.start))) if len(notes) > 1 else 0.0
        held = len(notes) > 1 and float(np.median(notes.end - notes.start)) > 1.5 * max(gaps, 1.0)
    return PATCHES[1] if held else PATCHES[0]


def history(shaped: Shaped) -> dict[str, Any]:
    """The strokes with their marks, and how many steps can be undone and redone."""
    steps = shaped.history
    return {
        "strokes": [
            {
                "number": entry.number,
                "on": entry.on,
                "step": steps.last_step(entry.number),
                "stroke": entry.stroke.model_dump(mode="json"),
                "idle": reason.sentence if (reason := shaped.now.idle.get(entry.number)) else None,
                "mark": mark(shaped.met_by(entry.number), entry.stroke),
            }
            for entry in shaped.entries
        ],
        "undone": [{"label": label, "step": done} for done, label in steps.undone()],
        "can_undo": steps.done,
        "can_redo": len(steps.steps) - steps.done,
    }


_marks: WeakKeyDictionary[Take, dict[AnyStroke, dict[str, Any]]] = WeakKeyDictionary()


def mark(take: Take, stroke: AnyStroke) -> dict[str, Any]:
    """Where a stroke shows on the page. Its line is [[tick, value]...]; `start` and `end` are ticks.

    Remembered for as long as the take lives: every answer carries all marks of the history.
    """
    known = _marks.setdefault(take, {})
    if stroke not in known:
        known[stroke] = _mark(take, stroke)
    return known[stroke]


def _mark(take: Take, stroke: AnyStroke) -> dict[str, Any]:
    try:
        start, end, parts, count = stroke.reach(take)
    except NothingMatched:
        nowhere = {"place": "", "start": 0, "end": 0, "line": [], "grips": [], "parts": [], "count": 0}
        return {"label": stroke.label(), **nowhere}
    # What comes a little before or after a bar line belongs to the bar that the hand was aiming at; a note that is
    # reached there is in its own bar.
    near = min(take.resolution // 8, max(end - start - 1, 0) // 2)
    last_tick = max(start, end - 1 - near)
    if isinstance(stroke, VelocityStroke):
        last_tick = max(last_tick, int(select(take, stroke.target).picked.start.max()))
    first, last = take.meter.position(start + near), take.meter.position(last_tick)
    return {
        "label": stroke.label(),
        "place": f"bar {first.bar}" if first.bar == last.bar else f"bars {first.bar}–{last.bar}",
        "start": start,
        "end": end,
        "line": stroke.line(take),
        "grips": [grip._asdict() for grip in stroke.grips(take)],
        "parts": parts,
        "count": count,
    }


def changes(before: Take, after: Take) -> dict[str, Any]:
    """What differs between two takes of one recording.

    Velocities as runs of note ids with one value for each note; the parts of which any lane differs; the notes
    that have come; and whether there are `others` at all, come or gone, so that the take has to be read anew.
    """
    added: list[dict[str, Any]] = []
    others = False
    ids: list[Ints] = [np.zeros(0, dtype=np.int64)]
    values: list[np.ndarray] = [np.zeros(0, dtype=np.uint8)]
    parts: list[int] = []
    for old, new in zip(before.parts, after.parts, strict=True):
        keys = old.lanes.keys() | new.lanes.keys()
        if old.lanes is not new.lanes and any(old.lanes.get(key) is not new.lanes.get(key) for key in keys):
            parts.append(new.id)
        if old.notes.velocity is new.notes.velocity:
            continue
        was, now = old.notes, new.notes
        if old.notes.id is not new.notes.id:
            others = True
            come = now.only(~now.among_ids(was))
            was, now = was.only(was.among_ids(now)), now.only(now.among_ids(was))
            was, now = was.only(np.argsort(was.id)), now.only(np.argsort(now.id))
            moved = now.only((was.start != now.start) | (was.end != now.end) | (was.pitch != now.pitch))
            come = come.among(moved)
            added += [_added(new.id, come)] if len(come) else []
        rows = np.flatnonzero(was.velocity != now.velocity)
        ids.append(now.id[rows])
        values.append(now.velocity[rows])
    return {
        "notes": runs(np.concatenate(ids)),
        "velocity": np.concatenate(values).tolist(),
        "lanes": parts,
        "added": added,
        "others": others,
    }


def _added(part: int, notes: Notes) -> dict[str, Any]:
    return {
        "part": part,
        "start": notes.start.tolist(),
        "end": notes.end.tolist(),
        "pitch": notes.pitch.tolist(),
        "velocity": notes.velocity.tolist(),
    }


def facts(take: Take, where: Where) -> dict[str, Any]:
    """What is selected: how many notes, their velocities in numbers, and how these are spread (16 bins of 8)."""
    velocity = select(take, where).picked.velocity
    spread = np.bincount(velocity * BINS // 128, minlength=BINS)
    lowest, highest = int(velocity.min()), int(velocity.max())
    return {
        "count": len(velocity),
        "lowest": lowest,
        "mean": round(float(velocity.mean()), 1),
        "highest": highest,
        "dynamic": dynamic(float(velocity.mean())),
        "spread": spread.tolist(),
        "at_end": int(((velocity == LOWEST) | (velocity == HIGHEST)).sum()),
    }


def summary(take: Take) -> dict[str, Any]:
    """What the library tells of a take."""
    return {
        "seconds": round(take.seconds, 3),
        "bars": take.meter.position(take.end).bar,
        "notes": take.note_count,
        "parts": [{"name": part.name, "dye": DYES[part.id % len(DYES)], "seal": seal(part.id)} for part in take.parts],
        "sketch": _sketch(take),
    }


def _sketch(take: Take) -> list[list[int]]:
    """A small drawing: [column, row, width, part] of horizontal runs on a grid of 96 by 16, top row highest."""
    parts = [part for part in take.parts if len(part.notes)]
    if not parts:
        return []
    low = min(int(part.notes.pitch.min()) for part in parts)
    height = max(max(int(part.notes.pitch.max()) for part in parts) - low, 1)
    owner = np.full((SKETCH_ROWS, SKETCH_COLUMNS), -1)
    for part in parts:
        notes = part.notes
        level = (SKETCH_ROWS - 1) - (notes.pitch.astype(np.int64) - low) * (SKETCH_ROWS - 1) // height
        left = notes.start * (SKETCH_COLUMNS - 1) // max(take.end, 1)
        right = notes.end * (SKETCH_COLUMNS - 1) // max(take.end, 1)
        # +1 where a note starts and -1 after it ends: the running sum is how many sound in a cell.
        steps = np.zeros((SKETCH_ROWS, SKETCH_COLUMNS + 1), dtype=np.int64)
        np.add.at(steps, (level, left), 1)
        np.add.at(steps, (level, right + 1), -1)
        owner[np.cumsum(steps, axis=1)[:, :-1] > 0] = part.id
    cells: list[list[int]] = []
    for row, line in enumerate(owner):
        edges = np.concatenate(([0], np.flatnonzero(np.diff(line)) + 1, [SKETCH_COLUMNS]))
        for left, right in itertools.pairwise(edges.tolist()):
            if line[left] >= 0:
                cells.append([left, row, right - left, int(line[left])])
    return cells
