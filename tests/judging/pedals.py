"""Strokes on pedals, as they are documented."""

from typing import Any

import numpy as np

from expression.strokes import parse_stroke
from expression.take import Take
from tests.judging.comparing import compare, inside, is_switch
from tests.judging.drawn import Drawn
from tests.judging.hearing import Hearing


def sounding_on(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Pedal into lengths and lengths into pedal: every note stops sounding when it did, within a tick."""
    if said.get("threshold", 64.0) != 64 or said.get("longest") or said.get("gap_ms"):
        return 0.0, ""
    ends = []
    for take in (before, after):
        hearing = Hearing(take)
        scale = hearing.scale
        ends.append(sorted((n.part, n.start * scale, n.pitch, n.velocity, n.end * scale) for n in hearing.heard.notes))
    last = min(before.end, after.end)
    for one, other in zip(*ends, strict=True):
        if one[:4] != other[:4]:
            return 999.0, f"note {one[:4]} has become {other[:4]}"
        if (off := abs(min(one[4], last) - min(other[4], last))) > 1:
            return off, f"note {one[:4]} stops {off} ticks from where it did"
    return 0.0, ""


def footed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Pressed and lifted: at its depth over the span, or while any of the notes lasts."""
    wanted = said.get("depth", 127.0) if said["kind"] == "pedal.press" else 0.0
    stroke = parse_stroke(said)
    for part in said["where"]["parts"]:
        if not wanted and said.get("lane", "cc:64") not in after.parts[part].lanes:
            # What a reset has lifted, and nothing presses, needs no lane.
            continue
        spans = said.get("spans") or [said["where"].get("span")]
        if not said.get("spans") and (said["where"].get("notes") or said["where"].get("pitches")):
            notes = before.parts[part].notes.only(stroke.where.notes_of(before.parts[part]))
            spans = list(zip(notes.start.tolist(), notes.end.tolist(), strict=True))
        for start, end in (span for span in spans if span and span[1] > span[0]):
            off, sentence = compare(
                after, part, said.get("lane", "cc:64"), ticks := inside(start, end, 9), [wanted] * len(ticks)
            )
            if off > 1:
                return off, sentence
    return 0.0, ""


def switched(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Depth into on and off, with a memory: by walking along the lane tick after tick of what it says."""
    part, key = said["where"]["parts"][0], said.get("lane", "cc:64")
    drawn = Drawn.of(before, part, key)
    if not all(drawn.hold) or not drawn.ticks or is_switch(before, part, key):
        return 0.0, ""
    start, end = said["where"].get("span") or (drawn.ticks[0], drawn.ticks[-1] + 1)
    is_on, states = False, {}
    for tick, value in zip(drawn.ticks, drawn.values, strict=True):
        is_on = value >= said.get("on", 64.0) or (is_on and value >= said.get("off", 60.0))
        states[tick] = 127.0 if is_on else 0.0
    told = [tick for tick in states if start <= tick < end]
    return compare(after, part, key, told, [states[tick] for tick in told]) if told else (0.0, "")


def deepened(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """On and off into depth: what was down is so deep."""
    part, key = said["where"]["parts"][0], said.get("lane", "cc:64")
    drawn = Drawn.of(before, part, key)
    if not drawn.ticks:
        return 0.0, ""
    start, end = said["where"].get("span") or (drawn.ticks[0], drawn.ticks[-1] + 1)
    ticks = inside(max(start, drawn.ticks[0]), max(end, drawn.ticks[0] + 1))
    wanted = np.where(drawn.at(ticks) == 127, said.get("depth", 100.0), drawn.at(ticks))
    return compare(after, part, key, ticks, np.where(ticks < end, wanted, np.nan))
