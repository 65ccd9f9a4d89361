"""MIDI 2.0 clip files (M2-116-U): a take with all that its notes say by themselves, in values of 32 bits."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np

from expression.arrays import Floats, Ints, frozen
from expression.curve import Curve
from expression.errors import BadFile
from expression.lanes import (
    BEND,
    BESIDE,
    CHANNEL_LANES,
    DATA_LSB,
    DATA_MSB,
    LANES,
    MODE_MESSAGES,
    NOTE_PITCH,
    NOTE_PRESSURE,
    NRPN_LSB,
    NRPN_MSB,
    PARAMETERS,
    PRESSURE,
    RPN_LSB,
    RPN_MSB,
    controller,
)
from expression.limits import LAST_TICK, MOST_EVENTS
from expression.midi import smf
from expression.midi.emit import emit_with_notes
from expression.midi.read import read
from expression.midi.read_zones import CONFIGURATION
from expression.midi.status import CONTROL, META, NOTE_OFF, NOTE_ON, PROGRAM
from expression.midi.ump import HEADER, Packet, narrowed, packed, packets, unpacked, widened
from expression.note_curves import NoteCurves
from expression.take import Events, Lane, Part, Take
from expression.time import TempoMap

LONGEST_DELTA = (1 << 20) - 1
NOTE_RANGE = (0, 7)
"""The registered controller that says how far bends of single notes go, in 1/2^25 of a semitone (M2-104, 7.4.11)."""
RANGE = (0, 0)
REGISTERED = frozenset((1, 2, 7, 8, 10, 11, *range(70, 80), 91, 92, 93, 94, 95))
"""Numbers of registered controllers of notes (M2-104, appendix A.5); others go as assignable ones."""
ITS_PITCH = 3
"""The registered controller that says the pitch of a note itself, in 1/2^25 of a semitone (M2-104, appendix A.5)."""
HALF = 1 << 31
REACH = 48.0
"""Semitones to either side that the bend of a note goes, unless it is told otherwise."""
Say = tuple[int, int, int, bytes]
"""Tick, class and place within it, packet."""
FIRST, VALUES, OVER, STRUCK = range(4)
"""At one tick: programs and ranges, values, ends of notes, starts of notes."""


def write_clip(take: Take) -> bytes:
    """A take as a clip file, each part on its channel of the group of its port. Texts and marks are not part of it."""
    said: list[Say] = list(_times(take))
    for part in take.parts:
        said += _notes(take, part)
    for channel in take.channels:
        said += _lanes(take, channel.id)
    said += _loose(take)
    said.sort(key=lambda one: one[:3])
    body = [HEADER, packed("delta"), packed("resolution", ticks=take.resolution), packed("delta"), packed("start")]
    last = 0
    for tick, _, _, packet in said:
        body += [*_waited(tick - last), packet]
        last = tick
    body += [*_waited(max(take.end - last, 0)), packed("end")]
    return b"".join(body)


def _waited(ticks: int) -> Iterator[bytes]:
    """Delta clockstamps; longer ones than fit into one have messages that say nothing between them."""
    while ticks > LONGEST_DELTA:
        yield packed("delta", ticks=LONGEST_DELTA)
        yield packed("nothing")
        ticks -= LONGEST_DELTA
    yield packed("delta", ticks=ticks)


def _times(take: Take) -> Iterator[Say]:
    for place, (tick, micros) in enumerate(zip(take.tempo.ticks.tolist(), take.tempo.micros.tolist(), strict=True)):
        yield tick, FIRST, place, packed("tempo", to=1, period=micros * 100)
    meter = take.meter
    for tick, beats, beat in zip(meter.ticks.tolist(), meter.beats.tolist(), meter.beat_ticks.tolist(), strict=True):
        unit = max(round(np.log2(4 * take.resolution / beat)), 0)
        yield tick, FIRST, 1, packed("metre", to=1, beats=beats, unit=unit, thirty_seconds=8)


def _notes(take: Take, part: Part) -> Iterator[Say]:
    where = {"group": part.channel.port & 0x0F, "channel": part.channel.number}
    notes = part.notes
    sounds = np.flatnonzero(~notes.muted)
    reach = part.channel.sending.zone.reach
    if NOTE_PITCH in part.curves and len(part.curves[NOTE_PITCH]):
        bank, index = NOTE_RANGE
        yield (
            0,
            FIRST,
            2,
            packed("registered", **where, bank=bank, index=index, value=min(round(reach * (1 << 25)), 2**32 - 1)),
        )
    columns = (notes.start, notes.end, notes.pitch, notes.velocity, notes.release)
    for row, (start, end, key, velocity, release) in zip(
        sounds.tolist(), zip(*(column[sounds].tolist() for column in columns), strict=True), strict=True
    ):
        yield start, STRUCK, row, packed("note on", **where, key=key, velocity=widened(velocity, 16))
        yield end, OVER, row, packed("note off", **where, key=key, velocity=widened(release, 16))
    key_of = dict(zip(notes.id.tolist(), notes.pitch.tolist(), strict=True))
    span = dict(zip(notes.id.tolist(), zip(notes.start.tolist(), notes.end.tolist(), strict=True), strict=True))
    silent = set(notes.id[notes.muted].tolist())
    for kind, curves in part.curves.items():
        # At one tick what is said comes in the order of kinds and keys, so that a clip is always the same bytes.
        say, place = _note_message(kind, reach), 1000 * (1 + list(BESIDE).index(kind))
        struck: set[int] = set()
        for note in curves.ids[np.argsort([span[note][0] for note in curves.ids.tolist()], kind="stable")].tolist():
            if note in silent:
                continue
            start, end = span[note]
            ticks, values = sampled(take.tempo, curves.curve(note), start, LANES[kind].seconds)
            if not len(ticks) or ticks[0] > 0:
                ticks, values = np.append(0, ticks), np.append(LANES[kind].default, values)
            inside = (ticks < end - start) | (ticks == 0)
            for tick, value in zip(ticks[inside].tolist(), values[inside].tolist(), strict=True):
                yield start + tick, VALUES, place + key_of[note], say(where, key_of[note], value)
            struck.add(note)
        # A key keeps what it was told: a note without a curve that strikes it later begins at rest.
        keys = {key_of[note] for note in struck}
        for row in sounds.tolist():
            if int(notes.pitch[row]) in keys and int(notes.id[row]) not in struck:
                key = int(notes.pitch[row])
                yield int(notes.start[row]), VALUES, place + key, say(where, key, LANES[kind].default)


def _note_message(kind: str, reach: float) -> Callable[[dict[str, int], int, float], bytes]:
    if kind == NOTE_PITCH:
        return lambda where, key, value: packed("note bend", **where, key=key, value=_bent(value / reach))
    if kind == NOTE_PRESSURE:
        return lambda where, key, value: packed("note pressure", **where, key=key, value=widened(value, 32))
    number = LANES[BESIDE[kind]].wire.number or 0
    name = "registered note controller" if number in REGISTERED else "assignable note controller"
    return lambda where, key, value: packed(name, **where, key=key, index=number, value=widened(value, 32))


def _bent(share: float) -> int:
    """From -1 to 1 in 32 bits, 0 in the middle."""
    return min(max(round(share * HALF) + HALF, 0), 2 * HALF - 1)


def sampled(tempo: TempoMap, curve: Curve, start: int, seconds: float) -> tuple[Ints, Floats]:
    """A curve as values in time: its nodes, and on its ways one in every so many seconds."""
    if not curve.ways.any():
        return curve.ticks, curve.values
    found = [curve.ticks]
    for node in np.flatnonzero(curve.ways).tolist():
        a, b = (float(tempo.seconds(start + int(curve.ticks[at]))) for at in (node, node + 1))
        moments = np.arange(a + seconds, b, seconds)
        found.append(np.floor(tempo.tick(moments)).astype(np.int64) - start)
    ticks = np.unique(np.concatenate(found))
    return ticks, curve.at(ticks)


def _lanes(take: Take, number: int) -> Iterator[Say]:
    channel = take.channels[number]
    where = {"group": channel.port & 0x0F, "channel": channel.number}
    for key, lane in channel.lanes.items():
        ticks, values = sampled(take.tempo, lane.curve, 0, LANES[key].seconds)
        lasts = np.append(ticks[1:] != ticks[:-1], True)
        ticks, values = ticks[lasts], values[lasts]
        reach = channel.bend_range.at(ticks)
        for tick, value, size in zip(ticks.tolist(), values.tolist(), reach.tolist(), strict=True):
            if key == BEND:
                packet = packed("bend", **where, value=_bent(value / size if size else 0.0))
            elif key == PRESSURE:
                packet = packed("pressure", **where, value=widened(value, 32))
            else:
                index = CHANNEL_LANES[key].wire.number or 0
                packet = packed("controller", **where, index=index, value=widened(value, 32))
            yield tick, VALUES, 0, packet
    steps = channel.bend_range
    for tick, size in zip(steps.ticks.tolist(), steps.semitones.tolist(), strict=True):
        cents = round(size * 100)
        value = (cents // 100) << 25 | (cents % 100) << 18
        yield tick, FIRST, 3, packed("registered", **where, bank=0, index=0, value=value)


def _loose(take: Take) -> Iterator[Say]:
    """Programs and parameters other than ranges, as they are sent."""
    for channel in take.channels:
        # What sets a zone up has no place here: each note has its own number.
        take = take.with_channel(replace(channel, sending=channel.sending._replace(way="plain")))
    take = take.with_curves({part.id: {key: NoteCurves.each([], []) for key in part.curves} for part in take.parts})
    owners = {channel.id: channel for channel in take.channels}
    for emitted in emit_with_notes(take):
        events = emitted.events
        chosen: dict[int, tuple[str, int, int]] = {}
        coarse: dict[int, int] = {}
        for row in np.flatnonzero((emitted.owner >= 0) & np.isin(events.status & 0xF0, (CONTROL, PROGRAM))).tolist():
            channel = owners[int(emitted.owner[row])]
            where = {"group": channel.port & 0x0F, "channel": channel.number}
            status, one, two, tick = (
                int(column[row]) for column in (events.status, events.data1, events.data2, events.tick)
            )
            line = status & 0x0F
            if line != channel.number:
                continue
            if status & 0xF0 == PROGRAM:
                yield tick, FIRST, 4, packed("program", **where, program=one)
            elif one in (RPN_MSB, RPN_LSB, NRPN_MSB, NRPN_LSB):
                name = "registered" if one in (RPN_MSB, RPN_LSB) else "assignable"
                known = chosen.get(line, (name, 127, 127))
                known = known if known[0] == name else (name, 127, 127)
                chosen[line] = (name, two, known[2]) if one in (RPN_MSB, NRPN_MSB) else (name, known[1], two)
            elif one in (DATA_MSB, DATA_LSB):
                name, bank, index = chosen.get(line, ("registered", 127, 127))
                if (bank, index) in ((127, 127), RANGE, CONFIGURATION) and name == "registered":
                    continue
                coarse[line] = two if one == DATA_MSB else coarse.get(line, 0)
                value = coarse[line] << 25 | (two << 18 if one == DATA_LSB else 0)
                yield tick, FIRST, 5, packed(name, **where, bank=bank, index=index, value=value)
            elif one >= MODE_MESSAGES:
                yield tick, VALUES, 1, packed("controller", **where, index=one, value=widened(two, 32))


# ---- reading


class _Heard:
    """What a clip says to one channel, as it comes."""

    def __init__(self) -> None:
        self.events: list[tuple[int, int, int, int, int]] = []
        """Tick, order, status, two data bytes: what a track of a file of MIDI 1.0 can hold of it."""
        self.lanes: dict[str, list[tuple[int, int]]] = {}
        self.ranges: list[tuple[int, float]] = [(0, 2.0)]
        self.notes: dict[str, dict[int, list[tuple[int, float]]]] = {}
        """By their kind and key what is said to single notes: tick, value."""
        self.reach = REACH

    def of_note(self, kind: str, key: int, tick: int, value: float) -> None:
        """A value of a kind that is said to a key."""
        self.notes.setdefault(kind, {}).setdefault(key, []).append((tick, value))


def read_clip(data: bytes) -> Take:
    """A clip file as a take. Raises BadFile; messages that are not known are passed over and counted in a remark."""
    if data[: len(HEADER)] != HEADER:
        raise BadFile("This is not a MIDI clip file: it does not begin with its header.")
    tick, resolution, unknown, total, started, ended = 0, 0, 0, 0, False, False
    times: list[tuple[int, int, bytes]] = []
    channels: dict[tuple[int, int], _Heard] = {}
    for packet in packets(data, len(HEADER)):
        message = unpacked(packet)
        name, fields = message
        if ended:
            break
        if name == "delta":
            tick += fields["ticks"]
            if tick > LAST_TICK // 1024:
                raise BadFile("The clip file says that it lasts for years; cut off what lies far behind its last note.")
        elif name == "resolution":
            resolution = fields["ticks"]
        elif name == "start":
            started, tick = True, 0
        elif name == "end":
            ended = True
        elif name == "tempo" and started:
            times.append((tick, smf.TEMPO, max(round(fields["period"] / 100), 1).to_bytes(4)[-3:]))
        elif name == "metre" and started:
            times.append((tick, smf.TIME_SIGNATURE, bytes([fields["beats"] or 4, min(fields["unit"], 6), 24, 8])))
        elif "channel" in fields and name not in ("tempo", "metre"):
            total += 1
            if total > MOST_EVENTS:
                raise BadFile(f"The clip file has more than {MOST_EVENTS:,} events; save it in shorter clips.")
            _heard(channels.setdefault((fields["group"], fields["channel"]), _Heard()), tick, message)
        elif name not in ("nothing",):
            unknown += 1
    if not resolution:
        raise BadFile("The clip file does not say how many ticks a quarter note has; it may be of another version.")
    if not started:
        raise BadFile("The clip file has no start of its sequence; it may be of another version, or cut off.")
    take = read(_as_file(resolution, times, channels, tick))
    remarks = take.remarks
    if unknown:
        remarks += (f"{unknown:,} messages of kinds that Lull does not know were left out.",)
    if not ended:
        remarks += ("The clip file has no end; what is there was read.",)
    return _with_values(replace(take, source=data, remarks=remarks), channels)


def _heard(heard: _Heard, tick: int, message: Packet) -> None:
    name, fields = message
    key = fields.get("key", 0) & 0x7F
    if name == "note on":
        velocity = max(round(narrowed(fields["velocity"], 16)), 1)
        heard.events.append((tick, STRUCK, NOTE_ON, key, velocity))
    elif name == "note off":
        heard.events.append((tick, OVER, NOTE_OFF, key, round(narrowed(fields["velocity"], 16))))
    elif name in (BEND, PRESSURE):
        heard.lanes.setdefault(name, []).append((tick, fields["value"]))
    elif name == "note bend":
        heard.of_note(NOTE_PITCH, key, tick, (fields["value"] - HALF) / HALF * heard.reach)
    elif name == "note pressure":
        heard.of_note(NOTE_PRESSURE, key, tick, narrowed(fields["value"], 32))
    elif name == "note management" and fields["flags"] & 1:
        for kind in heard.notes:
            heard.of_note(kind, key, tick, LANES[kind].default)
    elif name == "program":
        heard.events.append((tick, FIRST, PROGRAM, fields["program"] & 0x7F, 0))
    elif name == "controller":
        _controlled(heard, tick, fields["index"] & 0x7F, fields["value"])
    elif name == "registered note controller" and fields["index"] == ITS_PITCH:
        heard.of_note(NOTE_PITCH, key, tick, fields["value"] / (1 << 25) - key)
    elif name == "assignable note controller" or (
        name == "registered note controller" and fields["index"] in REGISTERED
    ):
        own = _NOTE_KINDS.get(controller(fields["index"] & 0x7F))
        if own:
            heard.of_note(own, key, tick, narrowed(fields["value"], 32))
    elif name in ("registered", "assignable"):
        _parameter(heard, tick, name == "registered", fields)


_NOTE_KINDS = {beside: key for key, beside in BESIDE.items()}


def _controlled(heard: _Heard, tick: int, number: int, value: int) -> None:
    if controller(number) in CHANNEL_LANES:
        heard.lanes.setdefault(controller(number), []).append((tick, value))
    elif number not in PARAMETERS:
        heard.events.append((tick, VALUES, CONTROL, number, round(narrowed(value, 32))))


def _parameter(heard: _Heard, tick: int, registered: bool, fields: dict[str, int]) -> None:
    bank, index, value = fields["bank"] & 0x7F, fields["index"] & 0x7F, fields["value"]
    if registered and (bank, index) == NOTE_RANGE:
        heard.reach = value / (1 << 25) or REACH
        return
    coarse, fine = value >> 25, value >> 18 & 0x7F
    if registered and (bank, index) == RANGE:
        heard.ranges.append((tick, coarse + fine / 100))
    numbers = (RPN_MSB, RPN_LSB) if registered else (NRPN_MSB, NRPN_LSB)
    told = [(numbers[0], bank), (numbers[1], index), (DATA_MSB, coarse), (DATA_LSB, fine)]
    told += [(RPN_MSB, 127), (RPN_LSB, 127)]
    heard.events += [(tick, FIRST, CONTROL, number, data) for number, data in told]


_Row = tuple[int, int, int, int, bytes | None]
"""Tick, status, two data bytes, and what a meta event holds."""


def _as_file(
    resolution: int, times: list[tuple[int, int, bytes]], channels: dict[tuple[int, int], _Heard], end: int
) -> bytes:
    """What a file of MIDI 1.0 can hold of a clip: its times, notes, programs and parameters, a track a channel."""
    tracks = [_track([(tick, META, kind, 0, payload) for tick, kind, payload in times], end)]
    for (group, number), heard in sorted(channels.items()):
        name = (
            f"Channel {number + 1}" if len({group for group, _ in channels}) < 2 else f"Group {group + 1}, {number + 1}"
        )
        rows: list[tuple[int, int, int, int, bytes | None]] = [(0, META, smf.TRACK_NAME, 0, name.encode())]
        if group:
            rows.append((0, META, smf.PORT, 0, bytes([group])))
        heard.events.sort(key=lambda one: one[:2])
        rows += [(tick, status & 0xF0 | number, one, two, None) for tick, _, status, one, two in heard.events]
        tracks.append(_track(rows, end))
    return smf.compose(1, resolution, tracks)


def _track(
    rows: list[tuple[int, int, int, int, bytes | None]] | list[tuple[int, int, int, int, bytes]], end: int
) -> Events:
    whole = [*rows, (max(end, rows[-1][0] if rows else 0), META, smf.END_OF_TRACK, 0, b"")]
    payloads = [row[4] for row in whole if row[4] is not None]
    places = iter(range(len(payloads)))
    payload = [next(places) if row[4] is not None else -1 for row in whole]
    columns = [[row[at] for row in whole] for at in range(4)]
    return Events.of(columns[0], bytes(columns[1]), bytes(columns[2]), bytes(columns[3]), payload, payloads)


def _with_values(take: Take, channels: dict[tuple[int, int], _Heard]) -> Take:
    """The take with the lanes and the curves of notes that the clip says, as finely as it does."""
    factor = take.header.factor
    by_line = {(channel.port, channel.number): channel for channel in take.channels}
    for line, heard in channels.items():
        channel = by_line.get(line)
        if channel is None:
            continue
        lanes = []
        for key, told in heard.lanes.items():
            ticks, codes = (np.array(column, dtype=np.int64) for column in zip(*told, strict=True))
            if key == BEND:
                at, sizes = (np.array(column) for column in zip(*heard.ranges, strict=True))
                size = sizes[np.searchsorted(at, ticks, side="right") - 1]
                values = (codes - HALF) / HALF * size
            else:
                values = np.array([narrowed(code, 32) for code in codes.tolist()])
            curve = Curve.of(ticks * factor, values)
            lanes.append(Lane(key, curve, Lane.recorded(key, curve, np.full(len(curve), -1)).standing))
        take = take.with_lanes({channel.id: lanes}) if lanes else take
        sending = channel.sending._replace(zone=channel.sending.zone._replace(reach=heard.reach))
        take = take.with_channel(replace(take.channels[channel.id], sending=sending))
        for part in take.parts_on(channel):
            curves = {kind: _own(part, told, kind, factor) for kind, told in heard.notes.items()}
            take = take.with_curves({part.id: curves})
    return take


def _own(part: Part, told: dict[int, list[tuple[int, float]]], kind: str, factor: int) -> NoteCurves:
    """What is said to keys, for the notes that sound there: before a note is struck, for that."""
    ids: list[int] = []
    curves: list[Curve] = []
    default = LANES[kind].default
    for key, said in told.items():
        mine = np.flatnonzero(part.notes.pitch == key)
        ticks = np.array([tick for tick, _ in said], dtype=np.int64) * factor
        found = np.array([value for _, value in said])
        for row in mine.tolist():
            start, end = int(part.notes.start[row]), int(part.notes.end[row])
            first, after = np.searchsorted(ticks, start, side="right"), np.searchsorted(ticks, end)
            begins = found[first - 1] if first else default
            inner = slice(int(first), int(max(after, first)))
            if begins == default and inner.start == inner.stop:
                continue
            ids.append(int(part.notes.id[row]))
            at = np.append(0, ticks[inner] - start)
            curves.append(Curve.of(frozen(at, np.int64), np.append(begins, found[inner])))
    return NoteCurves.each(ids, curves) if ids else NoteCurves.each([], [])
