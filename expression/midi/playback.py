"""The emitted events as messages in time, for whoever plays them: all of them, or those of a span with its chase."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, among
from expression.lanes import CHANNEL_LANES, MODE_MESSAGES, PARAMETERS, RESET
from expression.levels import is_zoned
from expression.memo import worked_out
from expression.midi.emit import emit_with_notes
from expression.midi.ranges import range_controls
from expression.midi.zones import Emitted, allotment
from expression.sounding import sounding
from expression.status import BEND, CONTROL, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PRESSURE, PROGRAM, SHORT
from expression.take import Part, Take


class Stream(NamedTuple):
    """Channel messages of all parts in the order of time. One element of each array a message."""

    seconds: Floats
    part: Ints
    status: Bytes
    data1: Bytes
    data2: Bytes

    def pick(self, keep: Flags | Ints) -> "Stream":
        """Some of the messages, by mask or by rows."""
        return Stream._make(column[keep] for column in self)


_NONE, _NO_BYTES = np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.uint8)


@worked_out(8)
def stream(take: Take, until: int | None = None) -> Stream:
    """All channel messages with their times, each with the part it is for; or those before a tick.

    What is said to a channel is said to every part on it: those that share one are told alike, as one instrument is.
    """
    nothing: tuple[np.ndarray, ...] = (_NONE, _NONE, _NO_BYTES, _NO_BYTES, _NO_BYTES)
    pieces = [nothing, *(_set_by_hand(part) for part in take.parts if not part.channel.instrument.is_told)]
    for number, emitted in enumerate(emit_with_notes(take, until=until)):
        track, (rows, part) = emitted.events, _told_in(take, number, emitted, until)
        pieces.append((track.tick[rows], part, track.status[rows], track.data1[rows], track.data2[rows]))
    tick, *columns = (np.concatenate(column) for column in zip(*pieces, strict=True))
    if (tick[1:] < tick[:-1]).any():
        order = np.argsort(tick, kind="stable")
        tick, *columns = (column[order] for column in (tick, *columns))
    return Stream(take.tempo.seconds(tick), *columns)


def _told_in(take: Take, number: int, emitted: Emitted, until: int | None) -> tuple[Ints, Ints]:
    """Which events of a track are told, and to which part: as they come; one that several are told, part by part."""
    told = [(_NONE, _NONE)]
    heard_of = len(emitted.owner) if until is None else int(np.searchsorted(emitted.events.tick, until))
    for part in (part for part in take.parts if part.track == number or number >= len(take.tracks)):
        sharing = take.parts_on(part.channel)
        if number >= len(take.tracks) and part.id != min(one.id for one in sharing):
            continue
        rows = np.flatnonzero(emitted.owner[:heard_of] == part.channel.id)
        for other in sharing:
            heard = rows
            if other is not part:
                kind = emitted.events.status[rows] & 0xF0
                heard = rows[(kind != NOTE_ON) & (kind != NOTE_OFF) & (kind != POLY_PRESSURE)]
            told.append((heard, np.full(len(heard), other.id)))
    if len(told) <= 2:
        return told[-1]
    rows, parts = (np.concatenate(column) for column in zip(*told, strict=True))
    order = np.lexsort((parts, rows))
    return rows[order], parts[order]


def _set_by_hand(part: Part) -> tuple[np.ndarray, ...]:
    """What the practice synth is told of a range that is sent to no instrument: it has no knob to be set by."""
    controls = range_controls(float(part.bend_range.semitones[0]))
    count = len(controls)
    zero, status = np.zeros(count, dtype=np.int64), np.full(count, CONTROL | part.channel.number, dtype=np.uint8)
    numbers, values = np.array(controls, dtype=np.uint8).T
    return zero, np.full(count, part.id), status, numbers, values


RELEASE = 64
"""The release velocity of a key of which none is known (MIDI 1.0, Note-Off)."""
_PUT_BACK = [kind for kind in CHANNEL_LANES.values() if kind.after_reset is not None]


def listen(messages: Stream, start: float, end: float, chase: bool, held: Stream | None = None) -> Stream:
    """The messages to be heard from `start` to `end` in seconds (end not included).

    With `chase`, what is in force at `start` comes first, at that time: programs, controllers, pressure and bend as
    they stand after the last reset, and parameter messages in full, since their order is their meaning. Behind these
    comes what is `held` (see `held_at`), where it is given.
    """
    within = (messages.seconds >= start) & (messages.seconds < end)
    if not chase:
        return messages.pick(within)
    before = messages.pick(messages.seconds < start)
    chased = before.pick(in_force(before))
    chased = chased._replace(seconds=np.full(len(chased.seconds), start))
    return after(after(chased, held) if held is not None else chased, messages.pick(within))


def in_force(before: Stream) -> Ints:
    """Which messages (rows, ascending) are in force behind all of them, part by part (see `listen`)."""
    kind = before.status & 0xF0
    control = kind == CONTROL
    parameter = control & among(before.data1, PARAMETERS)
    state = (control | (kind == PROGRAM) | (kind == PRESSURE) | (kind == BEND)) & ~parameter
    resets = control & (before.data1 == RESET)
    state &= ~control | (before.data1 < MODE_MESSAGES)
    # What the last reset of its part has put back is in force no longer.
    last_reset = np.full(int(before.part.max(initial=-1)) + 1, -1)
    last_reset[before.part[resets]] = np.flatnonzero(resets)
    put_back = np.any([lane.wire.own(kind, before.data1) for lane in _PUT_BACK], axis=0)
    state &= ~(put_back & (np.arange(len(kind)) < last_reset[before.part]))
    numbered = np.where(control, before.data1, 0)
    stream_key = before.part << 16 | before.status.astype(np.int64) << 8 | numbered
    rows = np.flatnonzero(state)
    # np.unique keeps the first of each: read backwards, that is the last value of each stream.
    last = rows[::-1][np.unique(stream_key[rows][::-1], return_index=True)[1]]
    forced = np.concatenate((np.flatnonzero(parameter), last_reset[last_reset >= 0], last))
    return np.unique(forced)


def held_at(take: Take, start: float, cues_alone: bool = False) -> Stream:
    """What is to be struck so that what sounds at `start` in seconds sounds there: notes begun before, in their order.

    Pedals are counted in: a note that only they hold is struck and let go again. Of one key the last is struck. What
    the last cue of a part has called up lasts: it is struck, and let go again, before all music.
    """
    rows = [row for part in take.parts for row in _last_cue(take, part, start)]
    if cues_alone:
        return _struck(rows, start)
    for channel in take.channels:
        notes = sounding(take, channel)
        begun, over, up = (take.tempo.seconds(ticks) for ticks in (notes.start, notes.end, notes.key_up))
        cues = np.concatenate([part.notes.id[part.notes.cue] for part in take.parts_on(channel)])
        here = np.flatnonzero((begun < start) & (over > start) & ~np.isin(notes.id, cues))
        given = allotment(take, channel) if is_zoned(take, channel) else None
        member = dict(zip(given.id.tolist(), given.member.tolist(), strict=True)) if given else {}
        numbers = [member.get(note, channel.number) for note in notes.id[here].tolist()]
        at = zip(here.tolist(), numbers, strict=True)
        last = {(int(notes.part[row]), number, int(notes.pitch[row])): row for row, number in at}
        for (part, number, pitch), row in last.items():
            rows.append((int(notes.start[row]), part, NOTE_ON | number, pitch, int(notes.velocity[row])))
            if up[row] <= start:
                rows.append((int(notes.start[row]), part, NOTE_OFF | number, pitch, RELEASE))
    return _struck(rows, start)


def _last_cue(take: Take, part: Part, start: float) -> list[tuple[int, int, int, int, int]]:
    notes = part.notes
    # In the order of their onsets: the last that has begun.
    begun = np.flatnonzero(notes.cue & ~notes.muted & (take.tempo.seconds(notes.start) < start))
    if not len(begun):
        return []
    row = int(begun[-1])
    number, pitch = part.channel.number, int(notes.pitch[row])
    struck = (-2, part.id, NOTE_ON | number, pitch, int(notes.velocity[row]))
    if take.tempo.seconds(notes.end[row]) > start:
        return [struck]
    return [struck, (-1, part.id, NOTE_OFF | number, pitch, RELEASE)]


def _struck(rows: list[tuple[int, int, int, int, int]], start: float) -> Stream:
    """Messages from (when they were told, part, and their bytes), all at one time, in their order."""
    rows.sort(key=lambda one: one[0])
    columns = np.array(rows, dtype=np.int64).reshape(-1, 5).T
    when = np.full(len(rows), start)
    return Stream(when, columns[1], *(column.astype(np.uint8) for column in columns[2:]))


def after(first: Stream, then: Stream) -> Stream:
    """Messages of one moment, and those that follow."""
    pairs: list[tuple[np.ndarray, np.ndarray]] = list(zip(first, then, strict=True))
    return Stream._make(np.concatenate(pair) for pair in pairs)


def message_bytes(messages: Stream) -> bytes:
    """The messages one after another as they would go down the cable; each tells its own length by its status."""
    kind = messages.status & 0xF0
    columns = np.stack([messages.status, messages.data1, messages.data2], axis=1)
    wanted = np.ones_like(columns, dtype=bool)
    wanted[:, 2] = ~np.isin(kind, SHORT)
    return bytes(columns[wanted])
