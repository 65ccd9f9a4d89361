"""What goes wrong with pedals: where, in words, and the stroke that mends it with all others of its kind."""

from collections.abc import Mapping

import numpy as np

from expression.lanes import LANES, OFF, PEDALS, SOSTENUTO, SUSTAIN, Form
from expression.sounding import Pressed, notes_off, pressed, sounding
from expression.strokes import parse_stroke
from expression.take import Channel, Take
from expression.views.fault import Fault, fault

FLICKER_SECONDS = 0.06
"""No foot goes down and up, or up and down, faster than this, more than once."""
SILENT_BARS = 2


def pedal_faults(take: Take, channel: Channel, part: int) -> list[Fault]:
    """All of them, on the pedals of a part's channel."""
    found: list[Fault] = []
    for key in PEDALS:
        presses = pressed(take, channel, key)
        if len(presses.down):
            found += _ends(take, channel, part, key, presses)
            found += _flickers(take, channel, part, key, presses)
            found += _silent(take, channel, part, key, presses)
    return found


def _fault(
    take: Take, part: int, key: str, reason: str, spans: list[tuple[int, int]], says: str, mend: Mapping[str, object]
) -> list[Fault]:
    if not spans:
        return []
    bar = take.meter.position(spans[0][0]).bar
    stroke = parse_stroke({"lane": key, **mend})
    text = says.format(name=LANES[key].name, bar=bar, count=f"{len(spans):,}")
    return [fault(part, key, reason, text, spans, stroke)]


def _ends(take: Take, channel: Channel, part: int, key: str, presses: Pressed) -> list[Fault]:
    """Down at the end of the take; down before the first note; and down where all notes are put off."""
    notes = sounding(take, channel)
    found: list[Fault] = []
    values = channel.lanes[key].curve.values
    if values[-1] >= 64:
        down = int(presses.down[-1])
        lift = {"tick": take.end, "value": OFF}
        mend = {"kind": "lane.nodes", "where": {"parts": [part], "span": [take.end, take.end + 1]}, "nodes": [lift]}
        says = "{name} is down at the end of the take, from bar {bar} on: what is played next rings on."
        found += _fault(take, part, key, "left down", [(down, take.end)], says, mend)
    if len(notes.start) and presses.down[0] < notes.start[0] - take.resolution:
        span = (int(presses.down[0]), int(min(notes.start[0], presses.up[0])))
        mend = {"kind": "pedal.lift", "where": {"parts": [part], "span": span}}
        says = "{name} is down from bar {bar} on, long before the first note."
        found += _fault(take, part, key, "early pedal", [span], says, mend)
    if key in (SUSTAIN, SOSTENUTO):
        ticks = notes_off(take, channel)
        row = np.searchsorted(presses.down, ticks, side="right") - 1
        held = (row >= 0) & (ticks < presses.up[np.maximum(row, 0)])
        spans = list(dict.fromkeys(zip(ticks[held].tolist(), presses.up[row[held]].tolist(), strict=True)))
        if spans:
            # Up until the next note, or as long as it was down.
            first = np.array([span[0] for span in spans])
            after = np.append(notes.start, take.end)[np.searchsorted(notes.start, first)]
            lifts = [(a, max(min(b, int(c)), a + 1)) for (a, b), c in zip(spans, after.tolist(), strict=True)]
            mend = {"kind": "pedal.lift", "where": {"parts": [part]}, "spans": lifts}
            says = "{name} is down where all notes are put off, in bar {bar}: they ring on until it comes up."
            found += _fault(take, part, key, "ringing on", spans, says, mend)
    return found


def _flickers(take: Take, channel: Channel, part: int, key: str, presses: Pressed) -> list[Fault]:
    """It goes down and up about its threshold, faster than any foot."""
    edges = np.sort(np.concatenate((presses.down, presses.up)))
    brief = np.diff(take.tempo.seconds(edges)) < FLICKER_SECONDS
    # One brief press or lift may be played: two that follow each other are not.
    quick = np.flatnonzero(brief[1:] & brief[:-1])
    if not len(quick):
        return []
    runs = np.split(quick, np.flatnonzero(np.diff(quick) > 1) + 1)
    spans = [(int(edges[run[0]]), int(edges[run[-1] + 2])) for run in runs]
    says = "{name} flickers about its threshold in {count} places, the first in bar {bar}."
    mend: dict[str, object] = {"kind": "pedal.switch", "on": 70.0, "off": 50.0, "where": {"parts": [part]}}
    if LANES[key].form_of(channel.lanes[key].curve.values) is Form.SWITCH:
        mend = {"kind": "pedal.press", "where": {"parts": [part]}, "spans": spans}
    return _fault(take, part, key, "pedal flickers", spans, says, mend)


def _silent(take: Take, channel: Channel, part: int, key: str, presses: Pressed) -> list[Fault]:
    """It is pressed while nothing sounds, for more than two bars."""
    notes = sounding(take, channel)
    order = np.argsort(notes.start, kind="stable")
    reach = np.maximum.accumulate(np.append(0, notes.end[order]))
    # From when nothing sounds any longer that began before it came up.
    last = reach[np.searchsorted(notes.start[order], presses.up)]
    quiet = np.maximum(presses.down, last)
    bars = take.meter.bar_of(quiet)[2]
    idle = presses.up - quiet > SILENT_BARS * bars
    spans = list(zip(quiet[idle].tolist(), presses.up[idle].tolist(), strict=True))
    mend: dict[str, object] = {"kind": "pedal.lift", "where": {"parts": [part]}, "spans": spans}
    says = "{name} is pressed while nothing sounds for more than two bars, the first time in bar {bar}."
    return _fault(take, part, key, "idle pedal", spans, says, mend)
