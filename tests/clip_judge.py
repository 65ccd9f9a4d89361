"""Clip files held against what is drawn: by a receiver of their own, and read again."""

from collections import defaultdict
from collections.abc import Callable
from typing import Any

import numpy as np

from expression.clip_receiver import receive_clip
from expression.midi.clip_read import read_clip
from expression.midi.clip_write import write_clip
from expression.midi.read import read
from expression.take import Part, Take
from tests.judging.drawn import Drawn
from tests.judging.strokes import stroke_of, tried
from tests.judging.takes import recording

SEMITONE = 0.03


def shaped(seed: int) -> Take:
    """A random take with some strokes on its lanes and on its notes."""
    dice = np.random.default_rng([seed, 404])
    take = read(recording(dice))
    for kind in ("lane.ramp", "note.curve", "note.curve", "lane.wave", "velocity.nudge", "note.curve", "notes.move"):
        if dice.random() < 0.6:
            take = tried(take, stroke_of(dice, kind, take)) or take
    return take


def clip_faults(seed: int) -> list[str]:
    """What is otherwise in a clip than it is drawn."""
    take = shaped(seed)
    data = write_clip(take)
    again = read_clip(data)
    faults = _heard_otherwise(take, receive_clip(data)["notes"])
    # Read again, what is at rest anyway needs no curve of its own, and parts that share a channel are one. From then on
    # it is the same bytes.
    second = write_clip(again)
    if len(second) > len(data) or write_clip(read_clip(second)) != second:
        faults.append(f"written anew, {len(data)} bytes are {len(second)}, or others")
    if len({part.channel.id for part in take.parts}) < len(take.parts):
        return faults
    struck = [
        sorted(
            (int(note), int(start), int(end), int(velocity))
            for part in one.parts
            for note, start, end, velocity in zip(*_columns(part), strict=True)
        )
        for one in (take, again)
    ]
    if struck[0] != struck[1]:
        faults.append(f"{set(struck[0]) ^ set(struck[1])} differ when it is read again")
    return faults


def _columns(part: Part) -> list[Any]:
    notes = part.notes.only(~part.notes.muted)
    return [notes.pitch, notes.start, notes.end, notes.velocity]


def _heard_otherwise(take: Take, heard: list[dict[str, Any]]) -> list[str]:
    """Notes whose pitch is heard otherwise than it is drawn, by plain looking at every moment something is told."""
    found = defaultdict(list)
    for one in heard:
        found[one["pitch"], one["velocity"]].append(one)
    faults = []
    for part in take.parts:
        curves, lane = part.curves.get("note:pitch"), Drawn.of(take, part.id, "bend")
        for row in np.flatnonzero(~part.notes.muted).tolist():
            notes = part.notes
            start, end, key = int(notes.start[row]), int(notes.end[row]), int(notes.pitch[row])
            at = float(take.tempo.seconds(start))
            same = [one for one in found[key, int(notes.velocity[row])] if abs(one["start"] - at) < 1e-4]
            others = [
                int(other)
                for one in take.parts_on(part.channel)
                for other, pitch in zip(one.notes.start, one.notes.pitch, strict=True)
                if int(pitch) == key and start <= int(other) < end
            ]
            # A key that is struck again tells one thing at a time.
            if len(same) != 1 or len(others) > 1:
                if not same:
                    faults.append(f"note {int(notes.id[row])} is not heard")
                continue
            own = curves.curve(int(notes.id[row])) if curves is not None else None
            ticks = np.unique(np.linspace(start, max(end - 1, start), 60).astype(int))
            ticks = ticks[take.tempo.seconds(ticks) < max(same[0]["end"], at + 1e-6)]
            wanted = np.nan_to_num(lane.at(ticks))
            force = part.channel.bend_range.at(ticks)
            wanted = np.clip(wanted, -force, force)
            if own is not None and len(own):
                wanted = wanted + np.nan_to_num(own.at(ticks - start))
            steps = np.array(same[0]["bend"])
            seconds = take.tempo.seconds(ticks)
            told = steps[np.maximum(np.searchsorted(steps[:, 0], seconds + 1e-6, side="right") - 1, 0), 1]
            # It is told every two milliseconds: so much a way has gone on by then.
            later = _near(lane.at, ticks)
            if own is not None and len(own):
                later = later + _near(own.at, ticks - start)
            off = np.abs(told - wanted) - SEMITONE - later
            if off.max() > 0:
                faults.append(f"note {int(notes.id[row])} is heard {off.max():.3f} off at {ticks[off.argmax()]}")
    return faults


def _near(at: Callable[[Any], Any], ticks: Any) -> Any:
    """By how much a curve goes within a few ticks of some."""
    values = [at(ticks + by) for by in (-10, 0, 10)]
    known = [np.where(np.isnan(one), values[1], one) for one in values]
    return np.nan_to_num(np.max(known, axis=0) - np.min(known, axis=0))
