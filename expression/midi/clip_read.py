"""A MIDI 2.0 clip file (M2-116-U) as a take, as finely as it says its values; messages of MIDI 1.0 in it as well."""

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from expression import status
from expression.arrays import Ints, frozen
from expression.curve import Curve
from expression.errors import BadFile
from expression.lanes import (
    BANKS,
    BEND,
    BESIDE,
    CHANNEL_LANES,
    DATA_DOWN,
    DATA_LSB,
    DATA_MSB,
    DATA_UP,
    FINE_OFFSET,
    LANES,
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
from expression.limits import LAST_TICK, LONGEST_NAME, MOST_EVENTS
from expression.midi import smf
from expression.midi.clip_values import (
    AT_REST,
    BEGINS,
    DETACH,
    ENDS,
    HALF,
    ITS_PITCH,
    NOTE_RANGE,
    RANGE,
    REGISTERED,
    SEMITONE,
    SEVENTH,
    WHOLE,
    At,
    named,
)
from expression.midi.read import read
from expression.midi.rpn import DEFAULT_SEMITONES, bend_ranges
from expression.midi.ump import HEADER, Packet, narrowed, packets, unpacked, widened
from expression.note_curves import NoteCurves
from expression.take import Events, Exact, Lane, Part, Take

REACH = 48.0
"""Semitones to either side that the bend of a note goes, unless it is told otherwise."""


class _Event(NamedTuple):
    """What a track of a file of MIDI 1.0 can hold of a clip; of a note also its velocity in 16 bits and its pitch."""

    tick: int
    order: int
    status: int
    one: int
    two: int
    payload: bytes | None = None
    velocity: int = -1
    pitch: float = np.nan


class _Heard:
    """What a clip says to one channel, as it comes."""

    def __init__(self) -> None:
        self.events: list[_Event] = []
        self.lanes: dict[str, list[tuple[int, int]]] = {}
        self.ranges: list[tuple[int, float]] = [(0, DEFAULT_SEMITONES)]
        self.notes: dict[str, dict[int, list[tuple[int, float]]]] = {}
        """By their kind and key what is said to single notes: tick, value."""
        self.detached: dict[int, list[int]] = {}
        """By key the ticks at which what sounds there stops listening."""
        self.reach = REACH
        self.name = b""
        self._pitch: dict[int, list[float]] = {}
        """By key: the pitch that is its own, counted from the key, and what it is bent by."""
        self._parameters: list[tuple[int, int, int]] = []
        """Tick, number and value of those that came as messages of MIDI 1.0."""

    def of_note(self, kind: str, key: int, tick: int, value: float) -> None:
        """A value of a kind that is said to a key."""
        self.notes.setdefault(kind, {}).setdefault(key, []).append((tick, value))

    def pitched(self, key: int, tick: int, own: float | None = None, bent: float | None = None) -> None:
        """A pitch of its own, or a bend of it, that is said to a key: both together are how far it is from the key."""
        both = self._pitch.setdefault(key, [0.0, 0.0])
        both[:] = [known if new is None else new for known, new in zip(both, (own, bent), strict=True)]
        self.of_note(NOTE_PITCH, key, tick, sum(both))

    def manage(self, key: int, tick: int, flags: int) -> None:
        """Management of the notes of a key."""
        if flags & DETACH:
            self.detached.setdefault(key, []).append(tick)
        if flags & AT_REST:
            self._pitch.pop(key, None)
            for kind in self.notes:
                self.of_note(kind, key, tick, LANES[kind].default)

    def lane(self, key: str, tick: int, code: int) -> None:
        """A value of a lane, in 32 bits."""
        self.lanes.setdefault(key, []).append((tick, code))

    def set(self, tick: int, *controls: tuple[int, int]) -> None:
        """Controllers that set parameters."""
        self.events += [_Event(tick, At.SET, status.CONTROL, number, value) for number, value in controls]

    def old_parameter(self, tick: int, number: int, value: int) -> None:
        """A parameter message of MIDI 1.0: what it makes of the range is known once all are there."""
        self._parameters.append((tick, number, value))
        self.set(tick, (number, value))

    def all_ranges(self) -> list[tuple[int, float]]:
        """The range of the bend, from ticks on."""
        if not self._parameters:
            return self.ranges
        tick, number, value = (np.array(column) for column in zip(*self._parameters, strict=True))
        rows, sizes = bend_ranges(number.astype(np.uint8), value.astype(np.uint8), np.zeros(len(tick), dtype=np.int64))
        return sorted([*self.ranges, *zip(tick[rows].tolist(), sizes.tolist(), strict=True)], key=lambda one: one[0])


Line = tuple[int, int]
"""Group and channel."""


def read_clip(data: bytes) -> Take:
    """A clip file as a take. Raises BadFile; messages that are not known are passed over and counted in a remark."""
    if data[: len(HEADER)] != HEADER:
        raise BadFile("This is not a MIDI clip file: it does not begin with its header.")
    tick, resolution, unknown, total, started, ended = 0, 0, 0, 0, False, False
    times: list[_Event] = []
    exclusives = _Exclusives()
    channels: dict[Line, _Heard] = {}
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
            payload = max(round(fields["period"] / 100), 1).to_bytes(4)[-3:]
            times.append(_Event(tick, At.SET, status.META, smf.TEMPO, 0, payload))
        elif name == "metre" and started:
            payload = bytes([fields["beats"] or 4, min(fields["unit"], 6), 24, 8])
            times.append(_Event(tick, At.SET, status.META, smf.TIME_SIGNATURE, 0, payload))
        elif name == "exclusive":
            total += 1
            exclusives.add(tick, fields)
        elif "channel" in fields and name not in ("tempo", "metre"):
            total += 1
            _heard(channels.setdefault((fields["group"], fields["channel"]), _Heard()), tick, message)
        elif name != "nothing":
            unknown += 1
        if total > MOST_EVENTS:
            raise BadFile(f"The clip file has more than {MOST_EVENTS:,} events; save it in shorter clips.")
    if not resolution:
        raise BadFile("The clip file does not say how many ticks a quarter note has; it may be of another version.")
    if not started:
        raise BadFile("The clip file has no start of its sequence; it may be of another version, or cut off.")
    lines = _tracks(channels)
    take = read(_as_file(resolution, times, exclusives.by_group, lines, tick))
    remarks = take.remarks
    if unknown:
        remarks += (f"{unknown:,} messages of kinds that Lull does not know were left out.",)
    if not ended:
        remarks += ("The clip file has no end; what is there was read.",)
    return _with_values(replace(take, source=data, remarks=remarks), channels, lines)


class _Exclusives:
    """System exclusive messages, put together from their packets; by group."""

    def __init__(self) -> None:
        self.by_group: dict[int, list[_Event]] = {}
        self._open: dict[int, bytes] = {}

    def add(self, tick: int, fields: dict[str, int]) -> None:
        """One packet."""
        group, form = fields["group"], fields["form"]
        piece = fields["bytes"].to_bytes(6)[: min(fields["count"], 6)]
        body = piece if form in (WHOLE, BEGINS) else self._open.get(group, b"") + piece
        if form in (WHOLE, ENDS):
            self._open.pop(group, None)
            event = _Event(tick, At.EXCLUSIVE, status.SYSEX, 0, 0, bytes(byte & 0x7F for byte in body) + b"\xf7")
            self.by_group.setdefault(group, []).append(event)
        else:
            self._open[group] = body


def _heard(heard: _Heard, tick: int, message: Packet) -> None:
    name, fields = message
    key = fields.get("key", 0) & 0x7F
    if name in ("note on", "note off"):
        is_on = name == "note on"
        velocity = round(narrowed(fields["velocity"], 16))
        own = fields["attribute"] / (1 << 9) - key if is_on and fields["kind"] == ITS_PITCH else np.nan
        kind, order = (status.NOTE_ON, At.STRUCK) if is_on else (status.NOTE_OFF, At.OVER)
        data = (key, max(velocity, 1) if is_on else velocity)
        heard.events.append(_Event(tick, order, kind, *data, None, fields["velocity"], own))
    elif name in (BEND, PRESSURE):
        heard.lane(name, tick, fields["value"])
    elif name == "note bend":
        heard.pitched(key, tick, bent=(fields["value"] - HALF) / HALF * heard.reach)
    elif name == "note pressure":
        heard.of_note(NOTE_PRESSURE, key, tick, narrowed(fields["value"], 32))
    elif name == "note management":
        heard.manage(key, tick, fields["flags"])
    elif name == "program":
        for number, half in zip(BANKS, ("bank", "bank_fine"), strict=True) if fields["with_bank"] else ():
            _bank(heard, tick, number, fields[half])
        heard.events.append(_Event(tick, At.SET, status.PROGRAM, fields["program"] & 0x7F, 0))
    elif name == "controller":
        _controlled(heard, tick, fields["index"] & 0x7F, fields["value"])
    elif name == "registered note controller" and fields["index"] == ITS_PITCH:
        heard.pitched(key, tick, own=fields["value"] / SEMITONE - key)
    elif name == "assignable note controller" or (
        name == "registered note controller" and fields["index"] in REGISTERED
    ):
        own_kind = _NOTE_KINDS.get(controller(fields["index"] & 0x7F))
        if own_kind:
            heard.of_note(own_kind, key, tick, narrowed(fields["value"], 32))
    elif name in ("registered", "assignable", "relative registered", "relative assignable"):
        _parameter(heard, tick, name, fields)
    elif name == "name":
        heard.name = (b"" if fields["form"] in (WHOLE, BEGINS) else heard.name) + fields["text"].to_bytes(12)
    elif name == "as in MIDI 1.0":
        _as_in_midi_1(heard, tick, fields["status"] << 4, fields["one"] & 0x7F, fields["two"] & 0x7F)


_NOTE_KINDS = {beside: key for key, beside in BESIDE.items()}


def _as_in_midi_1(heard: _Heard, tick: int, kind: int, one: int, two: int) -> None:
    """A message of MIDI 1.0 in a packet, as the standard translates it (M2-115, appendix D.2)."""
    if kind == status.NOTE_ON and two:
        heard.events.append(_Event(tick, At.STRUCK, kind, one, two, None, widened(two, 16)))
    elif kind in (status.NOTE_OFF, status.NOTE_ON):
        heard.events.append(_Event(tick, At.OVER, status.NOTE_OFF, one, two, None, widened(two, 16)))
    elif kind == status.POLY_PRESSURE:
        heard.of_note(NOTE_PRESSURE, one, tick, float(two))
    elif kind == status.PROGRAM:
        heard.events.append(_Event(tick, At.SET, kind, one, 0))
    elif kind == status.PRESSURE:
        heard.lane(PRESSURE, tick, widened(one, 32))
    elif kind == status.BEND:
        heard.lane(BEND, tick, (two << 7 | one) << SEVENTH)
    elif one in PARAMETERS:
        heard.old_parameter(tick, one, two)
    elif FINE_OFFSET <= one < 2 * FINE_OFFSET and controller(one - FINE_OFFSET) in heard.lanes:
        coarse = narrowed(heard.lanes[controller(one - FINE_OFFSET)][-1][1], 32) // 1
        heard.lane(controller(one - FINE_OFFSET), tick, widened(coarse + two / 128, 32))
    else:
        _controlled(heard, tick, one, widened(two, 32))


def _bank(heard: _Heard, tick: int, number: int, value: int) -> None:
    """Half of a bank that a program says: a value of its controller, where it has not got that already."""
    code, known = widened(value & 0x7F, 32), heard.lanes.get(controller(number))
    if not known or known[-1][1] != code:
        heard.lane(controller(number), tick, code)


def _controlled(heard: _Heard, tick: int, number: int, value: int) -> None:
    if controller(number) in CHANNEL_LANES:
        heard.lane(controller(number), tick, value)
    elif number not in PARAMETERS:
        two = round(narrowed(value, 32))
        heard.events.append(_Event(tick, At.VALUE, status.CONTROL, number, two))


def _parameter(heard: _Heard, tick: int, name: str, fields: dict[str, int]) -> None:
    bank, index, value = fields["bank"] & 0x7F, fields["index"] & 0x7F, fields["value"]
    registered = name.endswith("registered")
    if name == "registered" and (bank, index) == NOTE_RANGE:
        heard.reach = value / SEMITONE or REACH
        return
    coarse, fine = value >> SEVENTH + 7, value >> SEVENTH & 0x7F
    if name == "registered" and (bank, index) == RANGE:
        heard.ranges.append((tick, coarse + fine / 100))
    numbers = (RPN_MSB, RPN_LSB) if registered else (NRPN_MSB, NRPN_LSB)
    data = [(DATA_MSB, coarse), (DATA_LSB, fine)]
    if name.startswith("relative"):
        data = [(DATA_DOWN if value >= HALF else DATA_UP, 0)]
    heard.set(tick, (numbers[0], bank), (numbers[1], index), *data, (RPN_MSB, 127), (RPN_LSB, 127))


def _tracks(channels: Mapping[Line, _Heard]) -> dict[Line, list[_Event]]:
    """The track of each channel of a file of MIDI 1.0: its name, its port, and its events in their order."""
    groups = len({group for group, _ in channels})
    found = {}
    for (group, number), heard in sorted(channels.items()):
        name = heard.name.rstrip(b"\0")[: 4 * LONGEST_NAME] or named(group, number, groups).encode()
        head = [_Event(0, -1, status.META, smf.TRACK_NAME, 0, name)]
        if group:
            head.append(_Event(0, -1, status.META, smf.PORT, 0, bytes([group])))
        events = sorted(heard.events, key=lambda one: one[:2])
        found[group, number] = [*head, *(one._replace(status=one.status & 0xF0 | number) for one in events)]
    return found


def _as_file(
    resolution: int,
    times: list[_Event],
    exclusives: Mapping[int, list[_Event]],
    lines: Mapping[Line, list[_Event]],
    end: int,
) -> bytes:
    """What a file of MIDI 1.0 can hold of a clip: a track for its times, one for each channel, and those of a group
    before its first channel for what is exclusive to that.
    """
    conductor = sorted([*times, *exclusives.get(0, [])], key=lambda one: one[:2])
    tracks = [_track(conductor, end)]
    for group, found in sorted(exclusives.items()):
        if group:
            tracks.append(_track([_Event(0, -1, status.META, smf.PORT, 0, bytes([group])), *found], end))
    tracks += [_track(events, end) for events in lines.values()]
    return smf.compose(1, resolution, tracks)


def _track(rows: list[_Event], end: int) -> Events:
    last = max(end, rows[-1].tick if rows else 0)
    whole = [*rows, _Event(last, 0, status.META, smf.END_OF_TRACK, 0, b"")]
    payloads = [row.payload for row in whole if row.payload is not None]
    places = iter(range(len(payloads)))
    payload = [next(places) if row.payload is not None else -1 for row in whole]
    tick = [row.tick for row in whole]
    kinds, ones, twos = (bytes(getattr(row, name) for row in whole) for name in ("status", "one", "two"))
    return Events.of(tick, kinds, ones, twos, payload, payloads)


def _with_values(take: Take, channels: Mapping[Line, _Heard], lines: Mapping[Line, list[_Event]]) -> Take:
    """The take with the lanes, the curves of notes and the velocities that the clip says, as finely as it does."""
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
                at, sizes = (np.array(column) for column in zip(*heard.all_ranges(), strict=True))
                size = sizes[np.searchsorted(at, ticks, side="right") - 1]
                values = (codes - HALF) / HALF * size
            else:
                values = np.array([narrowed(code, 32) for code in codes.tolist()])
            curve = Curve.of(ticks * factor, values)
            lanes.append(Lane(key, curve, Lane.recorded(key, curve, np.full(len(curve), -1)).standing))
        take = take.with_lanes({channel.id: lanes}) if lanes else take
        sending = channel.sending._replace(zone=channel.sending.zone._replace(reach=heard.reach))
        take = take.with_channel(replace(take.channels[channel.id], sending=sending))
        events = lines[line]
        for part in take.parts_on(channel):
            on = [events[row] for row in part.notes.on.tolist()]
            off = [events[row] for row in part.notes.off.tolist()]
            codes_ = (np.array([one.velocity for one in found], dtype=np.int64) for found in (on, off))
            exact = Exact(part.notes.id, *(frozen(code, np.int64) for code in codes_))
            take = replace(
                take, parts=tuple(replace(one, exact=exact) if one.id == part.id else one for one in take.parts)
            )
            own = {int(note): one.pitch for note, one in zip(part.notes.id, on, strict=True) if one.pitch == one.pitch}
            curves = {
                kind: _own(part, told, kind, factor, heard.detached, own if kind == NOTE_PITCH else {})
                for kind, told in {**({NOTE_PITCH: {}} if own else {}), **heard.notes}.items()
            }
            take = take.with_curves({part.id: curves})
    return take


def _own(
    part: Part,
    told: Mapping[int, list[tuple[int, float]]],
    kind: str,
    factor: int,
    detached: Mapping[int, list[int]],
    pitched: Mapping[int, float],
) -> NoteCurves:
    """What is said to keys, for the notes that sound there: before a note is struck, for that. A note that has a pitch
    of its own (by its id, counted from the key) has all that is said counted from there.
    """
    ids: list[int] = []
    curves: list[Curve] = []
    default = LANES[kind].default
    keys = set(told) | {int(part.notes.pitch[row]) for row in np.flatnonzero(np.isin(part.notes.id, list(pitched)))}
    for key in sorted(keys):
        said = told.get(key, [])
        ticks: Ints = np.array([tick for tick, _ in said], dtype=np.int64) * factor
        found = np.array([value for _, value in said], dtype=np.float64)
        deaf = np.append(np.array(sorted(detached.get(key, [])), dtype=np.int64) * factor, np.iinfo(np.int64).max)
        for row in np.flatnonzero(part.notes.pitch == key).tolist():
            start, end, note = (int(column[row]) for column in (part.notes.start, part.notes.end, part.notes.id))
            end = min(end, int(deaf[np.searchsorted(deaf, start, side="right")]))
            first, after = np.searchsorted(ticks, start, side="right"), np.searchsorted(ticks, end)
            begins = found[first - 1] if first else default
            inner = slice(int(first), int(max(after, first)))
            shift = pitched[note] - begins if note in pitched else 0.0
            if begins + shift == default and inner.start == inner.stop:
                continue
            ids.append(note)
            at = np.append(0, ticks[inner] - start)
            curves.append(Curve.of(frozen(at, np.int64), np.append(begins, found[inner]) + shift))
    return NoteCurves.each(ids, curves)
