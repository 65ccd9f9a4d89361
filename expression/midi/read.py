"""From the bytes of a Standard MIDI File to a Take."""

from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen
from expression.cable import BendRange, Sending
from expression.curve import Curve
from expression.errors import BadFile
from expression.lanes import BEND, CHANNEL_LANES, LANES, NOTE_PRESSURE, RESET, LaneKind, Wire
from expression.limits import LAST_TICK, LONGEST_NAME, MOST_BARS, MOST_EVENTS, MOST_HOURS
from expression.midi import rpn, smf
from expression.midi.read_zones import ZoneFound, curves_in, looks_zoned, zones
from expression.midi.rpn import DEFAULT_SEMITONES
from expression.midi.words import OWN, RESERVED, text_of
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.status import BEND_CENTRE, CONTROL, META, NOTE_OFF, NOTE_ON, POLY_PRESSURE, PROGRAM, SYSEX
from expression.take import Channel, Events, Header, Lane, Part, Rows, Take
from expression.time import Meter, TempoMap

LEAST_RESOLUTION = 960
LOOKS_ZONED = (
    "Notes on {} channels, one at a time and bent by itself on each: this looks like MPE, but the file does not say "
    "so. It was read channel by channel; it can be opened as MPE instead."
)
TOO_LONG = (
    "The file says that it lasts {}; Lull reads up to "
    f"{MOST_HOURS} hours and {MOST_BARS:,} bars. Cut off what lies far behind its last note, and export it again."
)


def read(data: bytes, most: int = MOST_EVENTS) -> Take:
    """Read a file of type 0 or 1, of `most` events. Nothing is lost: what the model does not name is in `Take.tracks`.

    Times are multiplied by the smallest whole number that brings the resolution to at least 960 ticks a quarter.
    Raises BadFile; small faults that leave no doubt are read and told in `Take.remarks`.
    """
    file = smf.parse(data, most)
    factor = -(-LEAST_RESOLUTION // file.division)
    resolution = file.division * factor
    _check_ticks(file.tracks, factor)
    tracks = tuple(replace(track, tick=frozen(track.tick * factor, np.int64)) for track in file.tracks)
    remarks = list(file.remarks)
    tempo = TempoMap.of(resolution, list(_tempo(tracks, remarks)))
    meter = Meter.of(resolution, list(_meter(tracks, remarks)))
    _check_length(max(int(track.tick[-1]) for track in tracks), tempo, meter)
    rows = Rows.of(tracks)
    zoned = zones(rows, lines_of(tracks, rows))
    members = 0 if zoned else looks_zoned(rows, lines_of(tracks, rows))[1]
    if members:
        remarks.append(LOOKS_ZONED.format(members))
    parts = tuple(_parts(tracks, rows, zoned, remarks))
    return Take(
        source=data,
        header=Header(file.format, file.division, factor),
        resolution=resolution,
        tracks=tracks,
        rows=rows,
        tempo=tempo,
        meter=meter,
        parts=parts,
        remarks=tuple(dict.fromkeys(remarks)),
        looks_zoned=members > 0,
    )


def _check_ticks(tracks: Sequence[Events], factor: int) -> None:
    """Refuse what lasts for ever before its resolution is raised. Raises BadFile."""
    if max(int(track.tick[-1]) for track in tracks) > LAST_TICK // factor:
        raise BadFile(TOO_LONG.format("for years"))


def _check_length(end: int, tempo: TempoMap, meter: Meter) -> None:
    """Refuse more time and more bars than anybody plays, before anything is made for each of them. Raises BadFile."""
    hours, bars = float(tempo.seconds(end)) / 3600, meter.position(end).bar
    if hours > MOST_HOURS:
        raise BadFile(TOO_LONG.format(f"{hours:,.0f} hours"))
    if bars > MOST_BARS:
        raise BadFile(TOO_LONG.format(f"{bars:,} bars"))


def _meta(tracks: Sequence[Events], kind: int) -> Iterator[tuple[int, bytes]]:
    for track in tracks:
        for row in np.flatnonzero((track.status == META) & (track.data1 == kind)).tolist():
            yield int(track.tick[row]), track.payloads[track.payload[row]]


def _tempo(tracks: tuple[Events, ...], remarks: list[str]) -> Iterator[tuple[int, int]]:
    for tick, payload in _meta(tracks, smf.TEMPO):
        if len(payload) == 3 and int.from_bytes(payload):
            yield tick, int.from_bytes(payload)
        else:
            remarks.append("A tempo that makes no sense was kept but is not followed.")


def _meter(tracks: tuple[Events, ...], remarks: list[str]) -> Iterator[tuple[int, int, int]]:
    for tick, payload in _meta(tracks, smf.TIME_SIGNATURE):
        if len(payload) >= 2 and payload[0] and payload[1] <= 6:
            yield tick, payload[0], 2 ** payload[1]
        else:
            remarks.append("A time signature that makes no sense was kept but is not followed.")


def _parts(tracks: Sequence[Events], rows: Rows, zoned: Sequence[ZoneFound], remarks: list[str]) -> Iterator[Part]:
    """The parts of all tracks, by track and then by channel."""
    voice = (rows.status >= NOTE_OFF) & (rows.status < SYSEX)
    line = lines_of(tracks, rows)
    exclusives = _system_on(tracks, rows)
    found = {zone.manager: zone for zone in zoned}
    folded = line.copy()
    for zone in found.values():
        # The members of a zone are one part with what manages them.
        folded[np.isin(line, zone.members)] = zone.manager
    channels: dict[int, Channel] = {}
    id_ = first_note = 0
    for number, track in enumerate(tracks):
        own = slice(*rows.first[number : number + 2].tolist())
        names = [text_of(payload) for _, payload in _meta((track,), smf.TRACK_NAME)]
        title = next((name for name in names if name), f"Track {number + 1}")[:LONGEST_NAME]
        pairs, stray = _pair(track)
        if stray:
            what = "note has no end or no start" if stray == 1 else "notes have no end or no start"
            remarks.append(f"{title}: {stray:,} {what}; kept where they are, but out of reach of strokes.")
        lines = np.unique(folded[own][voice[own]]).tolist() or _reserved(track)
        for wanted in lines:
            if wanted not in channels:
                channel = _channel(len(channels), wanted, rows, line, exclusives)
                if wanted in found:
                    sending, about = Sending("mpe", found[wanted].zone), frozen(found[wanted].rows, np.int64)
                    channel = replace(channel, zone=sending.zone, configured=about, sending=sending)
                channels[wanted] = channel
            channel = channels[wanted]
            here = np.flatnonzero(folded[own] == wanted)
            numbers = [channel.number, *(channel.zone.channels if channel.zone else ())]
            notes = _notes(track, pairs[np.isin(track.status[pairs[:, 0]] & 0x0F, numbers)], first_note)
            curves, said = (
                curves_in(track, here, found[wanted], notes) if channel.zone else _note_curves(track, here, notes)
            )
            owned = np.concatenate(
                [said, notes.on, notes.off, *(_standing(lane, own, channel) for lane in channel.lanes.values())]
            )
            named = np.zeros(len(track), dtype=bool)
            named[owned] = True
            programs = track.data1[here][(track.status[here] & 0xF0) == PROGRAM]
            yield Part(
                id=id_,
                name=f"{title}, channel {channel.number + 1}" if len(lines) > 1 else title,
                track=number,
                channel=channel,
                notes=notes,
                paired=frozen(np.concatenate((notes.on, notes.off)), np.int64),
                loose=frozen(here[~named[here]], np.int64),
                program=int(programs[0]) if len(programs) else None,
                curves=curves,
                note_rows=said,
            )
            id_ += 1
            first_note += len(notes)


def _reserved(track: Events) -> list[int]:
    """The line of a part of which nothing is played yet, where a track says that there is to be one."""
    told = [payload.removeprefix(RESERVED) for _, payload in _meta((track,), OWN) if payload.startswith(RESERVED)]
    return [one[0] for one in told[:1] if len(one) == 1 and one[0] < 16]


def lines_of(tracks: Sequence[Events], rows: Rows) -> Ints:
    """The line of each row: its port times 16, and its channel; -1 where it belongs to none."""
    voice = (rows.status >= NOTE_OFF) & (rows.status < SYSEX)
    return np.where(voice, _ports(tracks)[rows.track] << 4 | rows.status & 0x0F, -1)


def _note_curves(track: Events, here: Ints, notes: Notes) -> tuple[dict[str, NoteCurves], Ints]:
    """What is said to single keys, for the notes that they sound: of several of a key, for the one struck last.

    With the curves the rows that say them. What is said to a key that is up belongs to no note.
    """
    rows = here[(track.status[here] & 0xF0) == POLY_PRESSURE]
    if not len(rows) or not len(notes):
        return {}, rows[:0]
    order = np.lexsort((notes.start, notes.pitch))
    pitch, start, end = (column[order].astype(np.int64) for column in (notes.pitch, notes.start, notes.end))
    tick, key = track.tick[rows], track.data1[rows].astype(np.int64)
    note = np.searchsorted(pitch * LAST_TICK + start, key * LAST_TICK + tick, side="right") - 1
    sounds = (note >= 0) & (pitch[note] == key) & (end[note] > tick)
    if not sounds.any():
        return {}, rows[:0]
    note, rows = note[sounds], frozen(rows[sounds], np.int64)
    nodes = Curve.of(tick[sounds] - start[note], track.data2[rows].astype(np.float64))
    notes_of_rows = notes.id[order][note]
    return {NOTE_PRESSURE: NoteCurves.of(notes_of_rows, nodes).recorded(rows, notes_of_rows)}, rows


def _standing(lane: Lane, own: slice, channel: Channel) -> Ints:
    """Rows of a track (from its first) whose events are values of a lane."""
    rows = lane.origin[(lane.origin >= own.start) & (lane.origin < own.stop)]
    events: Ints = rows[~np.isin(rows, channel.resets) & ~np.isin(rows, channel.ranges)] - own.start
    return events


def _ports(tracks: Sequence[Events]) -> Ints:
    """The port of each track: the first that it names (SMF, meta event 0x21); 0 where it names none."""
    named = ([payload[0] for _, payload in _meta((track,), smf.PORT) if len(payload) == 1] for track in tracks)
    return np.array([ports[0] if ports else 0 for ports in named], dtype=np.int64)


def _system_on(tracks: Sequence[Events], rows: Rows) -> Ints:
    """Rows of exclusives that put whole modules in their first state (Universal Non-Real Time, GM System On)."""
    found = []
    for number, track in enumerate(tracks):
        for row in np.flatnonzero(track.status == SYSEX).tolist():
            payload = track.payloads[track.payload[row]]
            if payload[:1] == b"\x7e" and payload[2:4] in (b"\x09\x01", b"\x09\x03"):
                found.append(int(rows.first[number]) + row)
    return np.array(found, dtype=np.int64)


def _pair(track: Events) -> tuple[Ints, int]:
    """Rows of (on, off) of every note in the order of the ons, and how many ons and offs are left over.

    A note struck again before it was let go is another note; offs end the one that has sounded longest.
    """
    kind = track.status & 0xF0
    rows = np.flatnonzero((kind == NOTE_ON) | (kind == NOTE_OFF))
    ons = (kind[rows] == NOTE_ON) & (track.data2[rows] > 0)
    keys = (track.status[rows].astype(np.int64) & 0x0F) << 7 | track.data1[rows]
    sounding: dict[int, deque[int]] = {}
    pairs: list[tuple[int, int]] = []
    stray = 0
    for row, on, key in zip(rows.tolist(), ons.tolist(), keys.tolist(), strict=True):
        if on:
            sounding.setdefault(key, deque()).append(row)
        elif waiting := sounding.get(key):
            pairs.append((waiting.popleft(), row))
        else:
            stray += 1
    stray += sum(map(len, sounding.values()))
    pairs.sort()
    return np.array(pairs, dtype=np.int64).reshape(-1, 2), stray


def _lanes_there(kind: Ints | Bytes, one: Bytes) -> list[LaneKind]:
    """The lanes that some messages carry: a fine half joins its coarse one where that is there."""
    kinds = set(np.unique(kind).tolist())
    numbers = set(np.unique(one[kind == CONTROL]).tolist())

    def is_there(wire: Wire) -> bool:
        return wire.status in kinds if wire.number is None else wire.number in numbers

    joined = {lane.wire.fine for lane in CHANNEL_LANES.values() if is_there(lane.wire)} - {None}
    return [lane for lane in CHANNEL_LANES.values() if is_there(lane.wire) and lane.wire.number not in joined]


def _values(wire: Wire, number: Bytes, value: Bytes) -> Floats:
    """The value after each event. A coarse event sets the fine half to 0 (MIDI 1.0, Continuous Controllers)."""
    values = wire.code(number, value).astype(np.float64)
    if wire.fine is not None and (fine := number != wire.number).any():
        # Of each event the last coarse one so far; what comes before any has a coarse half of 0.
        last = np.maximum.accumulate(np.where(~fine, np.arange(len(values)), -1))
        coarse = np.where(last >= 0, values[np.maximum(last, 0)], 0.0)
        values = np.where(fine, coarse + values / 128, values)
    return values


def _notes(track: Events, pairs: Ints, first_id: int) -> Notes:
    on, off = pairs[:, 0], pairs[:, 1]
    nothing = np.zeros(len(on), dtype=bool)
    start, end = frozen(track.tick[on], np.int64), frozen(track.tick[off], np.int64)
    return Notes(
        id=frozen(np.arange(first_id, first_id + len(on)), np.int64),
        start=start,
        end=end,
        pitch=frozen(track.data1[on], np.uint8),
        velocity=frozen(track.data2[on], np.uint8),
        release=frozen(track.data2[off], np.uint8),
        muted=frozen(nothing, bool),
        cue=frozen(nothing, bool),
        on=frozen(on, np.int64),
        off=frozen(off, np.int64),
        page_start=start,
        page_end=end,
    )


def _channel(id_: int, line: int, rows: Rows, lines: Ints, exclusives: Ints) -> Channel:
    """What a channel's messages say, over all tracks: each lane with what resets and changes of range make of it."""
    mine = np.append(np.flatnonzero(lines == line), exclusives)
    mine = mine[np.argsort(rows.rank[mine])]
    kind, one, two = rows.status[mine] & 0xF0, rows.data1[mine], rows.data2[mine]
    system = rows.status[mine] == SYSEX
    control = kind == CONTROL
    reset = np.where(system, 2, np.where(control & (one == RESET), 1, 0)).astype(np.uint8)
    at, sizes = rpn.bend_ranges(np.where(control, one, 127).astype(np.uint8), two, reset)
    lanes: dict[str, Lane] = {}
    for lane in _lanes_there(kind, one):
        own = lane.wire.own(kind, one)
        if lane.is_ranged:
            lanes[lane.key] = _bend(rows, mine, own, reset, at, sizes)
            continue
        # What puts it back stands among its messages. Not every instrument answers System On: that says nothing of a
        # lane that has not begun.
        begun = np.logical_or.accumulate(own)
        back = ((reset == 1) & (lane.after_reset is not None)) | (
            (reset == 2) & begun & (lane.at_system_on is not None)
        )
        told = np.flatnonzero(own | back)
        value = np.where(reset[told] == 2, lane.at_system_on or 0.0, lane.after_reset or 0.0)
        value[own[told]] = _values(lane.wire, one[own], two[own])
        lanes[lane.key] = Lane.recorded(lane.key, Curve.of(rows.tick[mine[told]], value), mine[told])
    ticks, semitones = [0], [DEFAULT_SEMITONES]
    for tick, size in zip(rows.tick[mine[at]].tolist(), sizes.tolist(), strict=True):
        # Of several settings at one tick, the last is the one that lasts.
        if tick == ticks[-1]:
            semitones[-1] = size
        else:
            ticks.append(tick)
            semitones.append(size)
    return Channel(
        id=id_,
        port=line >> 4,
        number=line & 0x0F,
        lanes=lanes,
        bend_range=BendRange(frozen(ticks, np.int64), frozen(semitones, np.float64)),
        resets=frozen(mine[reset > 0], np.int64),
        ranges=frozen(mine[at], np.int64),
    )


def _bend(rows: Rows, mine: Ints, bent: Flags, reset: Bytes, at: Ints, sizes: Floats) -> Lane:
    """The wheel in semitones: by the range in force, also where that changes under a wheel that is held."""
    wheel = LANES[BEND].wire.code(rows.data1[mine], rows.data2[mine]) - BEND_CENTRE
    ranged = np.zeros(len(mine), dtype=bool)
    ranged[at] = True
    begun = np.logical_or.accumulate(bent)
    reset = np.where((reset == 2) & ~begun, 0, reset)
    told = np.flatnonzero(bent | (reset > 0) | ranged)
    # The wheel stands where it was last put; before that, nobody knows.
    put = bent[told] | (reset[told] > 0)
    last = np.maximum.accumulate(np.where(put, np.arange(len(told)), -1))
    known = last >= 0
    told, last = told[known], last[known]
    where = np.where(bent[told], wheel[told], 0)[np.searchsorted(np.flatnonzero(known), last)]
    size = np.append(DEFAULT_SEMITONES, sizes)[np.searchsorted(at, told, side="right")]
    value = where / BEND_CENTRE * size
    # A change of range says nothing while the wheel is at rest.
    says = ~ranged[told] | (np.diff(value, prepend=np.nan) != 0)
    return Lane.recorded(BEND, Curve.of(rows.tick[mine[told[says]]], value[says]), mine[told[says]])
