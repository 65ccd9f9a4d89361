"""What of a take will not sound as it is drawn in the form in which it is sent: what, where, and what helps."""

import numpy as np

from expression.arrays import Flags
from expression.lanes import LANES
from expression.midi.clip_write import exclusive_bytes, struck_again
from expression.midi.emit import on_channel_lanes
from expression.midi.files import FileKind
from expression.midi.write import Way, sent
from expression.status import ESCAPE, META, SYSEX
from expression.strokes.base import counted
from expression.take import Part, Take
from expression.views.bend_faults import beyond_range
from expression.views.fault import Fault, fault
from expression.views.note_faults import note_faults
from expression.views.wire import THINNINGS, wire

TEXTS = (0x01, 0x02, 0x05, 0x06, 0x07)
"""Metas that hold text, copyright, lyric, marker, cue point (SMF 1.0)."""


def unsent(take: Take, kind: FileKind | None = None, one_track: bool = False) -> list[Fault]:
    """All of it, part by part: for the form that a file is asked for in, or as its parts are sent."""
    found: list[Fault] = []
    way: Way | None = None if kind == "clip" else kind
    formed = sent(take, way)
    heard = take if kind == "clip" else on_channel_lanes(formed)
    for channel in heard.channels:
        parts = take.parts_on(channel)
        found += beyond_range(heard, channel, parts[0].id)
        for part in parts:
            found += _struck_again(take, part) if kind == "clip" else _of_notes(formed, part)
    if kind == "clip":
        return found + _not_in_clips(take)
    if one_track:
        found += _in_one_track(take)
    return found + too_dense(take, way)


def _in_one_track(take: Take) -> list[Fault]:
    """Parts that only their tracks tell apart."""
    found: list[Fault] = []
    for channel in take.channels:
        first, *others = take.parts_on(channel)
        if others and len({one.track for one in (first, *others)}) > 1:
            names = " and ".join(one.name or f"part {one.id + 1}" for one in (first, *others))
            says = f"{names} share channel {channel.number + 1}: in one track (format 0) they come back as one part."
            found.append(fault(first.id, "", "one track", says, []))
    return found


def too_dense(take: Take, way: Way | None = None) -> list[Fault]:
    """More than a cable carries: what is late gets later."""
    load = wire(take, way)
    if load["peak"] <= load["most"]:
        return []
    bar = take.meter.position(load["at"]).bar
    helps = (
        f"Thinned by {load['thin']:g} steps it is {load['thinned']:,}."
        if load["thin"]
        else f"Ways off by {THINNINGS[-1]:g} steps still come to {load['thinned']:,}: send fewer parts at a time."
    )
    says = (
        f"In bar {bar} a cable of MIDI 1.0 has to carry {load['peak']:,} bytes in a second and carries "
        f"{load['most']:,}: what is played from this file comes late there. {helps}"
    )
    return [fault(0, "", "cable", says, [(load["at"], load["at"] + 1)])]


def _of_notes(take: Take, part: Part) -> list[Fault]:
    faults = note_faults(take, take.channels[part.channel.id], part.id)
    # That it has a port to itself takes nothing away.
    return [one for one in faults if one["reason"] != "own port"]


def _struck_again(take: Take, part: Part) -> list[Fault]:
    """Notes whose curves go on while their key is struck again: in a clip a key says one thing at a time."""
    found: list[Fault] = []
    notes = part.notes
    until = struck_again(take, part)
    order = np.argsort(notes.id)
    for key, curves in part.curves.items():
        row = order[np.searchsorted(notes.id[order], curves.owners())]
        at = notes.start[row] + curves.nodes.ticks
        # What is still to come, or on its way there, when the key is struck again; all of it, if that is at once.
        late = (at >= until[row]) | (until[row] == notes.start[row])
        late |= np.append(curves.nodes.ways[:-1] & (at[1:] > until[row][:-1]), False)
        late &= (until[row] < notes.end[row]) & ~notes.muted[row]
        ids = np.unique(curves.owners()[late])
        if len(ids):
            says = (
                f"{LANES[key].name}: {counted(len(ids))}, the first in bar {{bar}}, "
                f"{'keeps' if len(ids) == 1 else 'keep'} from there on what they had come to, where their keys are "
                "struck again: in a clip a key says one thing at a time."
            )
            found.append(_fault(take, part, key, "struck again", np.isin(notes.id, ids), says))
    return found


def _fault(take: Take, part: Part, key: str, reason: str, rows: Flags, says: str) -> Fault:
    start, end = part.notes.start[rows], part.notes.end[rows]
    spans = list(zip(start.tolist(), end.tolist(), strict=True))
    bar = take.meter.position(int(start[0])).bar
    return fault(part.id, key, reason, says.format(bar=bar), spans)


def _not_in_clips(take: Take) -> list[Fault]:
    """Texts, and what goes down a cable in other ways than packets can say."""
    texts, strange, first = 0, 0, -1
    for track in take.tracks:
        texts += int(((track.status == META) & np.isin(track.data1, TEXTS)).sum())
        for row in np.flatnonzero((track.status == SYSEX) | (track.status == ESCAPE)).tolist():
            if track.status[row] == ESCAPE or exclusive_bytes(track.payloads[track.payload[row]]) is None:
                strange += 1
                first = int(track.tick[row]) if first < 0 else first
    found: list[Fault] = []
    for count, says in (
        (
            texts,
            f"{counted(texts, 'text')} (words, marks, names of places) are left out: a clip has no place for them.",
        ),
        (
            strange,
            f"{counted(strange, 'exclusive')}, the first in bar {take.meter.position(max(first, 0)).bar}, are left "
            "out: they come in pieces, or hold what no packet can.",
        ),
    ):
        if count:
            found.append(fault(0, "", "not in clips", says, []))
    return found
