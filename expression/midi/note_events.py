"""Curves of notes as messages in time: at nodes exactly, and between them so few that what is heard is near enough.

All notes are laid on one line, each on the stretch of a voice of its own, so that one reckoning serves them all.
"""

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from expression import piece
from expression.arrays import Bytes, Flags, Floats, Ints, contained, frozen, ranges, whole
from expression.cable import Pace
from expression.curve import Curve
from expression.lanes import LANES, NOTE_PITCH, NOTE_PRESSURE
from expression.midi.encoding import Messages
from expression.midi.segment_events import on_way_of, segment_events
from expression.note_curves import NoteCurves
from expression.status import POLY_PRESSURE
from expression.take import Part, Take
from expression.time import TempoMap

HEARD_OFF = 0.0295
"""Semitones: so far a pitch may be heard from what is drawn, with the rounding of ticks not more than 3 cents."""


@dataclass(frozen=True, eq=False)
class _Voices(TempoMap):
    """The clock of a take for several voices, one after another on one line, so many ticks and seconds apart."""

    apart: int = 1
    apart_seconds: float = 1.0

    def seconds(self, ticks: ArrayLike) -> Floats:
        """Seconds on the line of all voices."""
        ticks = np.asarray(ticks, dtype=np.float64)
        voice = np.floor(ticks / self.apart)
        return np.asarray(voice * self.apart_seconds + super().seconds(ticks - voice * self.apart))

    def tick(self, seconds: ArrayLike) -> Floats:
        """The inverse of `seconds`."""
        seconds = np.asarray(seconds, dtype=np.float64)
        voice = np.floor(seconds / self.apart_seconds)
        return np.asarray(voice * self.apart + super().tick(seconds - voice * self.apart_seconds))


class Placed(NamedTuple):
    """Notes in voices: on each voice one follows another. One element of each array a note."""

    id: Ints
    start: Ints
    end: Ints
    voice: Ints


class NoteEvents(NamedTuple):
    """Values that are sent, in the order of voices and of time. One element of each array an event."""

    tick: Ints
    voice: Ints
    note: Ints
    """The row (of `Placed`) of the note for which it is sent."""
    value: Floats
    is_first: Flags
    """Whether it is what the note begins with."""
    is_again: Flags
    """Whether it is sent whatever was sent before."""


def note_events(
    take: Take,
    notes: Placed,
    curves: NoteCurves,
    key: str,
    otherwise: float | None,
    rounding: float = 0.0,
    halved: bool = False,
    again: Ints | None = None,
    asked: Pace | None = None,
) -> NoteEvents:
    """What is sent of the curves of notes, each up to its end or to the next of its voice.

    A note that says nothing at its start begins with `otherwise`; where that is None, with nothing. `rounding` is what
    the encoding takes of what may be heard off, in the unit of the kind; `halved`: only half of that is theirs.
    `asked`: how finely they are to be sent, where that is another than usual. At the ticks `again` something has put
    back what was said: it is said once more.
    """
    kind = LANES[key]
    order = np.lexsort((notes.start, notes.voice))
    last = int(max(notes.end.max(initial=0), take.end)) + 1
    apart = 1 << last.bit_length()
    clock = take.tempo
    lines = _Voices(
        clock.resolution, clock.ticks, clock.micros, clock.at_step, apart, float(np.ceil(clock.seconds(apart))) + 1.0
    )
    base = notes.voice[order] * apart + notes.start[order]
    length = np.maximum(notes.end - notes.start, 1)[order]
    following = np.append(base[1:], np.iinfo(np.int64).max)
    until = np.minimum(base + length, following)
    own = curves.renamed(notes.id[order], np.arange(len(order)))
    row = own.owners()
    nodes = own.nodes.timed(frozen(own.nodes.ticks + base[row], np.int64))
    inside = nodes.ticks <= until[row]
    nodes, row = nodes.rows(inside), row[inside]
    if otherwise is not None:
        nodes, row = _begun(nodes, row, base, otherwise)
    nodes = _cut(nodes, own, base, until, row, kind.error)
    forced = _again(again, notes, order, base, until) if again is not None and len(again) else base[:0]
    nodes = piece.opened(nodes, forced, kind.error) if len(forced) else nodes
    pace = asked or Pace(kind.step, kind.seconds, kind.worst)
    if key == NOTE_PITCH and asked is None:
        share = 2 if halved else 1
        pace = Pace(kind.step / share, kind.seconds, min(kind.worst, HEARD_OFF / share - rounding))
    on_way = on_way_of(lines, nodes, pace.seconds) & ~contained(nodes.ticks, forced)
    lasts = np.append(nodes.ticks[1:] != nodes.ticks[:-1], True)[: len(nodes)]
    ticks, values = segment_events(
        lines, nodes, on_way, nodes.ticks[:0], pace, key != NOTE_PRESSURE and kind.wire.bits > 7
    )
    fixed = lasts & ~on_way
    ticks = np.concatenate((nodes.ticks[fixed], ticks))
    values = np.concatenate((nodes.values[fixed], values))
    sequence = np.argsort(ticks, kind="stable")
    ticks, values = ticks[sequence], values[sequence]
    at = np.searchsorted(base, ticks, side="right") - 1
    inside = (ticks < until[at]) | (ticks == base[at])
    ticks, values, at = ticks[inside], values[inside], at[inside]
    first = ticks == base[at]
    return NoteEvents(ticks % apart, ticks // apart, order[at], values, first, contained(ticks, forced) & ~first)


def _begun(nodes: Curve, row: Ints, base: Ints, otherwise: float) -> tuple[Curve, Ints]:
    """Every note has a node where it begins, at `base`: those that had none, one of `otherwise`."""
    has = np.zeros(len(base), dtype=bool)
    has[row[nodes.ticks == base[row]]] = True
    silent = np.flatnonzero(~has)
    nodes = Curve.of(base[silent], np.full(len(silent), otherwise)).then(nodes)
    row = np.concatenate((silent, row))
    sequence = np.lexsort((np.arange(len(row)), nodes.ticks, row))
    return nodes.rows(sequence), row[sequence]


def _again(again: Ints, notes: Placed, order: Ints, base: Ints, until: Ints) -> Ints:
    """Places on the line of voices where notes sound at some ticks."""
    start = notes.start[order]
    first = np.searchsorted(again, start, side="left")
    after = np.searchsorted(again, start + (until - base), side="left")
    which, row = ranges(first, after)
    return np.unique(base[row] + again[which] - start[row])


def _cut(nodes: Curve, own: NoteCurves, base: Ints, until: Ints, row: Ints, error: float) -> Curve:
    """The nodes of notes (each that of a `row`), where a way goes on behind what counts of a note, with a node that
    says how far it comes; in the order of time.
    """
    # What is the last of a note says nothing of the next.
    hold = nodes.hold | np.append(row[1:] != row[:-1], True)[: len(row)]
    nodes = Curve(nodes.ticks, nodes.values, frozen(hold, bool), nodes.lift, nodes.ease)
    rows = own.owners()
    local = own.nodes.ticks + base[rows]
    crossed = np.flatnonzero(own.nodes.ways)
    crossed = crossed[(rows[crossed + 1] == rows[crossed]) & (local[crossed] < until[rows[crossed]])]
    crossed = crossed[local[crossed + 1] > until[rows[crossed]]]
    if not len(crossed):
        return nodes
    # Such ways are told again, each as far as it counts, in straight ways where their form cannot be cut. Each is the
    # last that is left of its note.
    pieces = []
    for at in crossed.tolist():
        way = own.nodes.rows(slice(at, at + 2)).timed(local[at : at + 2])
        pieces.append(piece.cut(way, int(local[at]), int(until[rows[at]]), error).curve)
    gone = contained(row, rows[crossed]) & np.append(row[1:] != row[:-1], True)
    made = nodes.rows(~gone).then(*pieces)
    owner = np.concatenate((row[~gone], np.repeat(rows[crossed], [len(one) for one in pieces])))
    # Notes follow one another: where one ends, the next may begin.
    return made.rows(np.lexsort((np.arange(len(made)), made.ticks, owner)))


def standing(take: Take, part: Part) -> Ints:
    """Ids of the notes of a part that are where they were recorded."""
    notes, first = part.notes, int(take.rows.first[part.track])
    rows = first + np.maximum(notes.on, 0)
    stands = ~notes.muted & (notes.on >= 0) & (take.rows.tick[rows] == notes.start)
    return np.asarray(notes.id[stands & (take.rows.data1[rows] == notes.pitch)])


def voices(starts: Ints, ends: Ints) -> Ints:
    """A voice for each note, so that no two of one sound together: of those that are free the one silent longest."""
    free: list[int] = []
    found = np.zeros(len(starts), dtype=np.int64)
    for row in np.argsort(starts, kind="stable").tolist():
        start = int(starts[row])
        best = min(range(len(free)), key=free.__getitem__) if free else -1
        if best < 0 or free[best] > start:
            best = len(free)
            free.append(0)
        free[best] = int(ends[row])
        found[row] = best
    return found


def key_pressure(take: Take, part: Part, curves: NoteCurves) -> Messages:
    """The pressure of notes, key by key (MIDI 1.0, Polyphonic Key Pressure)."""
    notes = part.notes
    mine = np.flatnonzero(np.isin(notes.id, curves.ids))
    start, end = notes.start[mine], notes.end[mine]
    placed = Placed(notes.id[mine], start, end, voices(start, end))
    found = note_events(take, placed, curves, NOTE_PRESSURE, None, asked=part.channel.paces.get(NOTE_PRESSURE))
    code = np.clip(whole(found.value), 0, 127)
    # Of what a note is told only what is another than before.
    first = np.append(True, found.note[1:] != found.note[:-1])
    new = first | (np.diff(code, prepend=-1) != 0)
    pitch: Bytes = notes.pitch[mine][found.note[new]]
    status = np.full(int(new.sum()), POLY_PRESSURE | part.channel.number)
    tick = found.tick[new]
    order = np.argsort(tick, kind="stable")
    return Messages(tick[order], status, pitch.astype(np.int64)[order], code[new][order])
