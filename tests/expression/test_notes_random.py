"""Strokes on notes, on random takes: what a receiver makes of the bytes, by plain loops."""

import io
import random
from collections import Counter
from typing import Any

import mido
import numpy as np
import pytest

from expression.errors import NothingMatched
from expression.history import applied
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import Heard, Note, receive
from expression.strokes import parse_stroke
from expression.take import Take
from tests.expression.pedalled import performance
from tests.judging.takes import recording

SEEDS = 16
FINE = range(32, 64)


def strokes(dice: np.random.Generator, take: Take, part: int) -> list[dict[str, Any]]:
    """One of each kind, on all notes of a part or on some."""
    where: dict[str, Any] = {"parts": [part]}
    ids = take.parts[part].notes.id
    if dice.random() < 0.7:
        some = dice.choice(ids, size=max(1, len(ids) // 3), replace=False)
        where["notes"] = [[int(one), int(one)] for one in sorted(some)]
    beat = take.resolution

    def either() -> bool:
        return bool(dice.random() < 0.5)

    length: list[dict[str, Any]] = [
        {"to": float(dice.random() * 3 + 0.01)},
        {"by": float(dice.normal())},
        {"factor": float(dice.random() * 3 + 0.01)},
        {"gap_ms": float(dice.normal() * 100)},
    ]
    new = [
        {
            "start": int(dice.integers(0, take.end)),
            "length": int(dice.integers(1, 2 * beat)),
            "pitch": int(dice.integers(48, 80)),
            "velocity": 9,
        }
        for _ in range(3)
    ]
    said: list[dict[str, Any]] = [
        {"kind": "notes.move", "ticks": int(dice.integers(-beat, 3 * beat)), "keys": int(dice.integers(-3, 4))},
        {"kind": "notes.transpose", "keys": int(dice.integers(-3, 4)), "scale": [0, 2, 4, 5, 7, 9, 11]},
        {"kind": "notes.length", **length[int(dice.integers(0, 4))]},
        {"kind": "notes.length", "factor": float(dice.random() * 3 + 0.01), "edge": "start"},
        {
            "kind": "notes.spread",
            "time_ms": float(dice.random() * 80),
            "order": str(dice.choice(["up", "down", "out"])),
        },
        {"kind": "notes.place", "grid": int(dice.choice([4, 8, 12, 16])), "keep": float(dice.random() * 2)},
        {"kind": "notes.loosen", "amount_ms": float(dice.random() * 50), "seed": int(dice.integers(0, 99))},
        {"kind": "notes.split", "into": int(dice.integers(2, 6))},
        {"kind": "notes.split", "grid": int(dice.choice([4, 8, 16]))},
        {"kind": "notes.join", "rest": float(dice.random() * 4)},
        {"kind": "notes.mute"},
        {"kind": "notes.delete"},
        {"kind": "notes.cue", "name": "x"},
        {"kind": "notes.fill", "by": str(dice.choice(["semitone", "white"])), "ring": float(dice.random() * 0.3)},
        {"kind": "notes.add", "where": {"parts": [part]}, "notes": new},
    ]
    travels = {"notes.move", "notes.length", "notes.spread", "notes.place", "notes.loosen", "notes.delete"}
    return [{"where": where, **one, **({"under": either()} if one["kind"] in travels else {})} for one in said]


def overlaps(data: bytes) -> Counter[tuple[int, int]]:
    """Of each channel and key how often it is struck while it is down."""
    struck = []
    for number, track in enumerate(mido.MidiFile(file=io.BytesIO(data)).tracks):
        tick = 0
        for place, message in enumerate(track):
            tick += message.time
            if message.type in ("note_on", "note_off"):
                struck.append((tick, number, place, message))
    down: Counter[tuple[int, int]] = Counter()
    found: Counter[tuple[int, int]] = Counter()
    for *_, message in sorted(struck, key=lambda one: one[:3]):
        key = (message.channel, message.note)
        if message.type == "note_on" and message.velocity:
            found[key] += down[key] > 0
            down[key] += 1
        else:
            down[key] = max(0, down[key] - 1)
    return +found


class Sounds:
    """What a receiver hears, in ticks of the take."""

    def __init__(self, take: Take) -> None:
        self.heard: Heard = receive(write(take))
        self.factor = take.resolution // self.heard.division
        self.by_key: dict[tuple[int, int, int], Note] = {}
        for note in self.heard.notes:
            self.by_key.setdefault((note.channel, note.pitch, note.start * self.factor), note)
        self.strikes = {(n.channel, n.pitch, n.start * self.factor) for n in self.heard.notes}
        self.end = max((n.end for n in self.heard.notes), default=0) * self.factor

    def lanes(self, channel: int, ticks: Any) -> dict[str, Any]:
        known = self.heard.channels.get((0, channel))
        if known is None:
            return {}
        at = np.asarray(ticks) / self.factor
        found = {str(number): steps.at(at) for number, steps in known.controllers.items() if number not in FINE}
        return {**found, "bend": known.bend.at(at), "pressure": known.pressure.at(at)}


def untouched(before: Take, after: Take, said: dict[str, Any]) -> None:
    """What is heard of every note that was not touched, and that nothing has cut, is what was heard.

    Not asked of keys that were recorded doubled: which of two notes an off ends is for each receiver to say.
    """
    doubled = overlaps(write(before))
    ranges = said["where"].get("notes")
    was, now = Sounds(before), Sounds(after)
    for old, new in zip(before.parts, after.parts, strict=True):
        rows = {int(note): row for row, note in enumerate(new.notes.id)}
        for row, note in enumerate(old.notes.id.tolist()):
            named = old.id in said["where"]["parts"] and (ranges is None or [note, note] in ranges)
            here = rows.get(note)
            if (named and said["kind"] != "notes.add") or here is None or new.notes.end[here] != old.notes.end[row]:
                continue
            channel, pitch, start = old.channel.number, int(old.notes.pitch[row]), int(old.notes.start[row])
            if (channel, pitch) in doubled:
                continue
            one, other = was.by_key.get((channel, pitch, start)), now.by_key.get((channel, pitch, start))
            if one is None:
                continue
            assert other is not None, f"{pitch} at {start} is lost"
            ends = [one.end * was.factor, other.end * now.factor]
            # One that only a pedal holds ends where its key is struck, and none is held longer than the file.
            struck = any((channel, pitch, end) in was.strikes | now.strikes for end in ends)
            assert ends[0] == ends[1] or struck or ends[0] >= was.end - 1, f"{pitch} at {start} ends {ends}"
            ticks = np.unique(np.linspace(start, max(min(ends) - 1, start), 7).astype(int))
            heard = now.lanes(channel, ticks)
            for key, values in was.lanes(channel, ticks).items():
                # Where nothing had been said yet, the standard's default may be said now.
                known = ~np.isnan(values)
                assert np.allclose(values[known], heard[key][known], atol=1e-6), f"{key} under {pitch} at {start}"


@pytest.mark.parametrize("seed", range(SEEDS))
def test_no_keys_overlap_and_untouched_notes_are_heard_as_before(seed: int) -> None:
    dice = np.random.default_rng([seed, 14])
    pedalled = performance(random.Random(seed), 60, True, 1 + seed % 4 // 2)
    take = read(recording(dice) if seed % 2 else pedalled)
    before = overlaps(write(take))
    matched = 0
    part = int(dice.integers(0, len(take.parts)))
    if not len(take.parts[part].notes):
        part = 0
    for said in strokes(dice, take, part):
        try:
            made = applied(parse_stroke(said), take)
        except NothingMatched as reason:
            assert str(reason).endswith(".")
            continue
        matched += 1
        data = write(made)
        doubled = overlaps(data)
        # The pieces of a note that was recorded doubled are struck under the other, each of them.
        split = said["kind"] == "notes.split" and doubled.keys() <= before.keys()
        assert split or doubled.total() <= before.total(), said
        assert read(data).note_count == sum(int((~one.notes.muted).sum()) for one in made.parts), said
        assert all((np.diff(one.notes.start) >= 0).all() for one in made.parts)
        untouched(take, made, said)
    assert matched >= 8
