"""The judge: random takes, random strokes of every kind, and what a receiver makes of the exported bytes.

After each stroke three things are held. What is *heard* is what is *drawn*: within half a step (bend: 3 cents) wherever
no time step forbids it. Outside the stroke's place nothing that was heard differs. And what is drawn is what the kind
is documented to do, written here once more as a plain formula. A kind that is not in the tables below is judged by the
first two alone; it needs no entry.
"""

import zlib
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from expression.midi.read import read
from expression.strokes import parse_stroke
from expression.take import Take
from tests.judging.bends import bent, dipped, fallen, glided, ranged, scooped, sent_home, shaken
from tests.judging.clocks import barred, retimed
from tests.judging.hearing import HALF_A_STEP, Hearing
from tests.judging.lanes import (
    cleared,
    copied,
    distilled,
    drawn_by_hand,
    faded,
    framed,
    led_in,
    moved,
    noded,
    ramped,
    shaped,
    shifted,
    smoothed,
    unplayed,
    waved,
)
from tests.judging.notes import NOTE_FORMULAS, accented
from tests.judging.passes import played_in
from tests.judging.pedals import deepened, footed, sounding_on, switched
from tests.judging.places import place_of
from tests.judging.strokes import ON_NOTES, stroke_of, tried
from tests.judging.takes import recording
from tests.judging.velocities import by_hand, hairpin, knee, measured, notes_copied, nudged, scaled, varied, velocities


@dataclass
class Verdict:
    """What was found of one kind: the largest differences, and sentences about what was too large."""

    cases: int = 0
    heard: float = 0.0
    """Between drawn and heard, in steps (bend: in units of 6 cents, so that 0.5 is the bound there too)."""
    formula: float = 0.0
    """Between the formula and what is drawn, in steps."""
    outside: float = 0.0
    faults: list[str] = field(default_factory=list)


class Judge:
    """Cases from a seed on, and what they came to, kind by kind."""

    def __init__(self) -> None:
        self.verdicts: dict[str, Verdict] = defaultdict(Verdict)

    def case(self, seed: int, kind: str, salt: int | None = None) -> None:
        """One random take, perhaps drawn on already, and one stroke of the kind: the same whatever kinds there are."""
        dice = np.random.default_rng([seed, zlib.crc32(kind.encode()) if salt is None else salt])
        before = read(recording(dice))
        for earlier in range(int(dice.integers(0, 3))):
            drawing = str(dice.choice(["lane.ramp", "lane.draw", "lane.nodes", "lane.shape", "lane.wave", "lane.fade"]))
            made = tried(before, stroke_of(dice, drawing, before))
            before = made if made is not None and earlier < 2 else before
        if kind in ON_NOTES or kind == "note.send":
            for drawing in ("note.curve", "note.curve", "note.glide")[: int(dice.integers(0, 4))]:
                before = tried(before, stroke_of(dice, drawing, before)) or before
        said = stroke_of(dice, kind, before)
        after = tried(before, said)
        if after is None:
            return
        self.judge(before, after, said, f"{kind} seed {seed}")

    def judge(self, before: Take, after: Take, said: dict[str, Any], name: str) -> None:
        """Hold one stroke against all three."""
        verdict = self.verdicts[said["kind"]]
        verdict.cases += 1
        was, now = (Hearing(take) for take in (before, after))
        stroke = parse_stroke(said)
        spans = place_of(before, said, stroke)
        for off, sentence in now.off_notes():
            verdict.heard = max(verdict.heard, off)
            if off > HALF_A_STEP + 1e-3:
                verdict.faults.append(f"{name}: {sentence}")
        for part in after.parts:
            for key in part.lanes:
                if now.shares(part.id, key):
                    continue
                off, where = now.off_drawn(part.id, key)
                verdict.heard = max(verdict.heard, off)
                if off > HALF_A_STEP + 1e-3:
                    verdict.faults.append(f"{name}: part {part.id} {key} is heard {off:.3f} off the drawing at {where}")
        for off, sentence in now.differing(was, spans):
            verdict.outside = max(verdict.outside, off)
            if off:
                verdict.faults.append(f"{name}: {sentence}")
        if formula := FORMULAS.get(said["kind"]):
            off, sentence = formula(before, after, said)
            verdict.formula = max(verdict.formula, off)
            if off > 1.02:
                verdict.faults.append(f"{name}: {sentence}")

    def table(self) -> str:
        """Kind by kind: cases, and the largest differences."""
        rows = [
            f"{kind:20} {one.cases:6,} cases   heard off {one.heard:8.3f}   outside {one.outside:8.3f}   "
            f"formula {one.formula:8.3f}   {len(one.faults):5,} faults"
            for kind, one in sorted(self.verdicts.items())
        ]
        return "\n".join(rows)


FORMULAS: dict[str, Callable[[Take, Take, dict[str, Any]], tuple[float, str]]] = {
    "lane.ramp": ramped,
    "lane.wave": waved,
    "lane.fade": faded,
    "lane.reshape": framed,
    "lane.smooth": smoothed,
    "lane.copy": copied,
    "lane.clear": cleared,
    "lane.distil": distilled,
    "lane.lead_in": led_in,
    "lane.draw": drawn_by_hand,
    "lane.nodes": noded,
    "lane.shape": shaped,
    "lane.move": moved,
    "lane.shift": shifted,
    "lane.unplayed": unplayed,
    "pedal.to_lengths": sounding_on,
    "pedal.from_lengths": sounding_on,
    "pedal.press": footed,
    "pedal.lift": footed,
    "pedal.switch": switched,
    "pedal.depth": deepened,
    "velocity.set": velocities(lambda v, start, take, said: np.full(len(v), measured(said["value"], v))),
    "velocity.nudge": velocities(nudged),
    "velocity.scale": velocities(scaled),
    "velocity.trim": velocities(lambda v, start, take, said: v * said.get("scale", 1.0) + said.get("offset", 0)),
    "velocity.knee": velocities(knee),
    "velocity.hairpin": velocities(hairpin),
    "velocity.draw": velocities(by_hand),
    "velocity.vary": velocities(varied),
    "notes.copy": notes_copied,
    "bend.range": ranged,
    "bend.scoop": bent(scooped),
    "bend.fall": bent(fallen),
    "bend.dip": bent(dipped),
    "bend.shake": bent(shaken),
    "bend.glide": bent(glided),
    "bend.home": sent_home,
    "velocity.accent": velocities(accented),
    "record.pass": played_in,
    "take.tempo": retimed,
    "take.metre": barred,
    **NOTE_FORMULAS,
}
"""What each kind is documented to do (docs/strokes.md), as a share of what it may be off: 1 is the bound."""


NEUTRAL: tuple[dict[str, Any], ...] = (
    {"kind": "lane.reshape"},
    {"kind": "lane.wave", "mode": "add", "rate": 1, "depth": 0},
    {"kind": "lane.fade", "lane": "cc:11", "start": 1, "end": 1},
    {"kind": "lane.distil", "tolerance": 0},
    {"kind": "lane.smooth", "jump": 0},
    {"kind": "velocity.nudge", "by": 0},
    {"kind": "velocity.scale", "factor": 1},
    {"kind": "velocity.vary", "amount": 0},
    {"kind": "velocity.trim"},
    {"kind": "velocity.hairpin", "mode": "by", "start": 1, "end": 1},
)
"""Numbers that ask for nothing: what is heard stays as it is, and so do the bytes but for what said nothing."""
