"""A take as a MIDI 2.0 clip file (M2-116-U): all that its notes say by themselves, in values of 32 bits."""

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Floats, Ints
from expression.curve import Curve
from expression.lanes import (
    BANKS,
    BEND,
    BESIDE,
    CHANNEL_LANES,
    DATA_DOWN,
    DATA_LSB,
    DATA_MSB,
    DATA_UP,
    LANES,
    MODE_MESSAGES,
    NOTE_PITCH,
    NOTE_PRESSURE,
    NRPN_LSB,
    NRPN_MSB,
    PRESSURE,
    RESET,
    RPN_LSB,
    RPN_MSB,
    LaneKind,
    controller,
)
from expression.levels import curves_on, kinds_on
from expression.levels import widened as widened_zone
from expression.midi.clip_values import (
    AT_REST,
    BEGINS,
    DETACH,
    ENDS,
    GOES_ON,
    HALF,
    NOTE_RANGE,
    RANGE,
    REGISTERED,
    SEMITONE,
    SEVENTH,
    WHOLE,
    At,
    named,
)
from expression.midi.emit import emit_with_notes
from expression.midi.encoding import putting_back
from expression.midi.read_zones import CONFIGURATION
from expression.midi.rpn import NOTHING
from expression.midi.ump import HEADER, narrowed, packed, widened
from expression.note_curves import NO_CURVES
from expression.piece import share_at
from expression.sounding import NEVER, next_struck
from expression.status import CONTROL, PROGRAM, SYSEX
from expression.take import Channel, Exact, Part, Take
from expression.time import TempoMap

LONGEST_DELTA = (1 << 20) - 1
EXCLUSIVE_BYTES, TEXT_BYTES = 6, 12
"""In one packet."""
Say = tuple[int, int, int, bytes]
"""Tick, class (`At`) and place within it, packet."""


def write_clip(take: Take) -> bytes:
    """A take as a clip file, each part on its channel of the group of its port.

    Texts and marks are not part of it, but for names. What it cannot hold `unsent` names.
    """
    said: list[Say] = [*_times(take), *_exclusives(take)]
    for channel in take.channels:
        said += _names(take, channel)
        said += _note_range(take, channel)
        said += _lanes(take, channel)
        said += _curves(take, channel)
    for part in take.parts:
        said += _notes(part)
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
    for place, (tick, micros) in enumerate(take.tempo.steps):
        yield tick, At.SET, place, packed("tempo", to=1, period=micros * 100)
    meter = take.meter
    for tick, beats, beat in zip(meter.ticks.tolist(), meter.beats.tolist(), meter.beat_ticks.tolist(), strict=True):
        unit = max(round(np.log2(4 * take.resolution / beat)), 0)
        yield tick, At.SET, 1, packed("metre", to=1, beats=beats, unit=unit, thirty_seconds=8)


def _where(channel: Channel) -> dict[str, int]:
    return {"group": channel.port & 0x0F, "channel": channel.number}


def _in_packets(data: bytes, size: int) -> Iterator[tuple[int, bytes]]:
    """Data in pieces that go into a packet each, and what each is of the whole."""
    pieces = [data[at : at + size] for at in range(0, max(len(data), 1), size)]
    for number, one in enumerate(pieces):
        first, last = number == 0, number == len(pieces) - 1
        yield (WHOLE if first and last else BEGINS if first else ENDS if last else GOES_ON), one


def exclusive_bytes(payload: bytes) -> bytes | None:
    """What a packet holds of an exclusive of a file: its bytes without the last; None where it has no such end."""
    body = payload[:-1]
    return body if payload[-1:] == b"\xf7" and all(byte < 0x80 for byte in body) else None


def _exclusives(take: Take) -> Iterator[Say]:
    for number, track in enumerate(take.tracks):
        ports = {part.channel.port for part in take.parts if part.track == number}
        for row in np.flatnonzero(track.status == SYSEX).tolist():
            body = exclusive_bytes(track.payloads[track.payload[row]])
            for form, piece in _in_packets(body, EXCLUSIVE_BYTES) if body is not None else ():
                value = int.from_bytes(piece.ljust(EXCLUSIVE_BYTES, b"\0"))
                fields = {"group": min(ports, default=0) & 0x0F, "form": form, "count": len(piece), "bytes": value}
                yield int(track.tick[row]), At.EXCLUSIVE, row, packed("exclusive", **fields)


def _names(take: Take, channel: Channel) -> Iterator[Say]:
    name = ", ".join(dict.fromkeys(part.name for part in take.parts_on(channel)))
    if name == named(channel.port & 0x0F, channel.number, len({one.port & 0x0F for one in take.channels})):
        return
    for form, piece in _in_packets(name.encode(), TEXT_BYTES):
        text = int.from_bytes(piece.ljust(TEXT_BYTES, b"\0"))
        yield 0, At.EXCLUSIVE, 0, packed("name", **_where(channel), form=form, to=0, text=text)


def _reach(take: Take, channel: Channel) -> float:
    """Semitones that the bend of a note goes: as far as its part says, and as far as its notes go."""
    return widened_zone(take, channel).sending.zone.reach


def _note_range(take: Take, channel: Channel) -> Iterator[Say]:
    if len(curves_on(take, channel, NOTE_PITCH)):
        bank, index = NOTE_RANGE
        value = min(round(_reach(take, channel) * SEMITONE), 2**32 - 1)
        yield 0, At.SET, 2, packed("registered", **_where(channel), bank=bank, index=index, value=value)


def _notes(part: Part) -> Iterator[Say]:
    where, notes = _where(part.channel), part.notes
    exact = part.exact or Exact(*[np.zeros(0, dtype=np.int64)] * 3)
    struck = _codes(notes.id, notes.velocity, exact.ids, exact.velocity, 1)
    let_go = _codes(notes.id, notes.release, exact.ids, exact.release, 0)
    sounds = np.flatnonzero(~notes.muted)
    columns = (notes.start[sounds], notes.end[sounds], notes.pitch[sounds], struck[sounds], let_go[sounds])
    for start, end, key, velocity, release in zip(*(column.tolist() for column in columns), strict=True):
        yield start, At.STRUCK, key, packed("note on", **where, key=key, velocity=velocity)
        yield end, At.OVER, key, packed("note off", **where, key=key, velocity=release)


def _codes(ids: Ints, values: Bytes, known: Ints, codes: Ints, least: int) -> Ints:
    """Velocities in 16 bits: as they came where they are what they were, otherwise as the standard translates them."""
    found = np.array([widened(value, 16) for value in range(128)])[values]
    if len(known):
        row = np.minimum(np.searchsorted(known, ids), len(known) - 1)
        own = codes[row]
        near = np.array([max(round(narrowed(code, 16)), least) for code in own.tolist()])
        found = np.where((known[row] == ids) & (near == values), own, found)
    return found


def struck_again(take: Take, part: Part) -> Ints:
    """Of each note when its key is struck next on its channel, in ticks; beyond all where it is not."""
    keys, starts = (
        np.concatenate([getattr(one.notes, name)[~one.notes.muted] for one in take.parts_on(part.channel)])
        for name in ("pitch", "start")
    )
    row = next_struck(keys, starts, part.notes.pitch, part.notes.start + 1)
    return np.append(starts, NEVER)[row]


def _curves(take: Take, channel: Channel) -> Iterator[Say]:
    """What notes say by themselves, each to its key: up to its end, or to where that is struck again."""
    kinds, reach, where = kinds_on(take, channel), _reach(take, channel), _where(channel)
    if not kinds:
        return
    notes = _Heard.of(take, channel)
    # Of notes that are struck at once on a key only one is heard as it says.
    speaks = sorted({(start, key): note for note, key, start, _ in notes}.items())
    span = {note.id: note for note in notes}
    curves = {kind: curves_on(take, channel, kind) for kind in kinds}
    shaped = {kind: set(one.ids.tolist()) & span.keys() for kind, one in curves.items()}
    told = {span[note].key for ids in shaped.values() for note in ids}
    begun: set[int] = set()
    for (start, key), _ in speaks:
        # What rings on a key, or is still down, hears nothing of what the next one on it is told.
        if key in told and key in begun:
            yield start, At.VALUE, 500 + key, packed("note management", **where, key=key, flags=DETACH | AT_REST)
        begun.add(key)
    for kind, own in curves.items():
        # At one tick what is said comes in the order of kinds and keys, so that a clip is always the same bytes.
        say, place = _note_message(kind, reach), 1000 * (1 + list(BESIDE).index(kind))
        keys = {span[note].key for note in shaped[kind]}
        for (start, key), note in speaks:
            if key not in keys:
                continue
            if note not in shaped[kind]:
                # A key keeps what it was told, where nobody heeds the management: one without a curve begins at rest.
                yield start, At.VALUE, place + key, say(where, key, LANES[kind].default)
                continue
            ticks, values = sampled(take.tempo, own.curve(note), start, LANES[kind])
            if not len(ticks) or ticks[0] > 0:
                ticks, values = np.append(0, ticks), np.append(LANES[kind].default, values)
            inside = (ticks < span[note].until - start) | (ticks == 0)
            for tick, value in zip(ticks[inside].tolist(), values[inside].tolist(), strict=True):
                yield start + tick, At.VALUE, place + key, say(where, key, value)


class _Heard(NamedTuple):
    """A note that sounds on a channel: until when what is said to its key is for it."""

    id: int
    key: int
    start: int
    until: int

    @classmethod
    def of(cls, take: Take, channel: Channel) -> "list[_Heard]":
        """All of a channel, whichever part they are of."""
        found = []
        for part in take.parts_on(channel):
            notes = part.notes
            until = np.minimum(notes.end, np.maximum(struck_again(take, part), notes.start + 1))
            columns = (column[~notes.muted].tolist() for column in (notes.id, notes.pitch, notes.start, until))
            found += [cls(*one) for one in zip(*columns, strict=True)]
        return found


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


def sampled(tempo: TempoMap, curve: Curve, start: int, kind: LaneKind) -> tuple[Ints, Floats]:
    """A curve as values in time: its nodes, and on its ways one in every time step of its kind, or as many as keep what
    is heard within the kind's worst.
    """
    if not curve.ways.any():
        return curve.ticks, curve.values
    found = [curve.ticks]
    for node in np.flatnonzero(curve.ways).tolist():
        first, after = int(curve.ticks[node]), int(curve.ticks[node + 1])
        a, b = (float(tempo.seconds(start + tick)) for tick in (first, after))
        moments = np.arange(a + kind.seconds, b, kind.seconds)
        found.append(np.floor(tempo.tick(moments)).astype(np.int64) - start)
        rise = abs(float(curve.values[node + 1] - curve.values[node]))
        if rise > kind.worst * (len(moments) + 1):
            count = min(math.ceil(rise / kind.worst), 4 * (after - first))
            share: Floats = np.arange(1, count, dtype=np.float64) / count
            along = share_at(share, curve.lift[[node]], curve.ease[[node]])
            found.append(np.ceil(first + along * (after - first)).astype(np.int64))
    ticks = np.unique(np.concatenate(found))
    return ticks, curve.at(ticks)


def _lanes(take: Take, channel: Channel) -> Iterator[Say]:
    where = _where(channel)
    rows = take.rows
    for place, key in enumerate(key for key in CHANNEL_LANES if key in channel.lanes):
        lane = channel.lanes[key]
        ticks, values = sampled(take.tempo, lane.curve, 0, LANES[key])
        # What a reset would put back is said again behind it.
        again = np.setdiff1d(rows.tick[putting_back(rows, channel, LANES[key])], ticks)
        again = again[again > (ticks[0] if len(ticks) else np.inf)]
        ticks, values = np.append(ticks, again), np.append(values, lane.curve.at(again))
        order = np.argsort(ticks, kind="stable")
        ticks, values = ticks[order], values[order]
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
            yield tick, At.VALUE, place, packet
    steps = channel.bend_range
    for tick, size in zip(steps.ticks.tolist(), steps.semitones.tolist(), strict=True):
        cents = round(size * 100)
        value = (cents // 100) * SEMITONE | (cents % 100) << SEVENTH
        yield tick, At.SET, 3, packed("registered", **where, bank=0, index=0, value=value)


def _loose(take: Take) -> Iterator[Say]:
    """Programs, parameters other than ranges, and modes, as they are sent."""
    for channel in take.channels:
        # What sets a zone up has no place here: each note has its own number.
        take = take.with_channel(replace(channel, sending=channel.sending._replace(way="plain")))
    take = take.with_curves({part.id: dict.fromkeys(part.curves, NO_CURVES) for part in take.parts})
    owners = {channel.id: channel for channel in take.channels}
    for emitted in emit_with_notes(take):
        events = emitted.events
        parameters: dict[int, _Parameters] = {}
        for row in np.flatnonzero((emitted.owner >= 0) & np.isin(events.status & 0xF0, (CONTROL, PROGRAM))).tolist():
            channel = owners[int(emitted.owner[row])]
            status, one, two, tick = (
                int(column[row]) for column in (events.status, events.data1, events.data2, events.tick)
            )
            if status & 0x0F != channel.number:
                continue
            where = _where(channel)
            if status & 0xF0 == PROGRAM:
                yield tick, At.SET, 1000 + row, packed("program", **where, program=one, **_bank(channel, tick))
            elif one == RESET or one < MODE_MESSAGES:
                told = parameters.setdefault(channel.id, _Parameters(where))
                yield from ((at, At.SET, 1000 + row, packet) for at, packet in told.control(tick, one, two))
            if one >= MODE_MESSAGES and status & 0xF0 == CONTROL:
                # A reset comes before what is said at its tick.
                order = (At.EXCLUSIVE, len(take.rows.tick)) if one == RESET else (At.VALUE, 400)
                yield tick, *order, packed("controller", **where, index=one, value=widened(two, 32))
        for told in parameters.values():
            yield from ((at, At.SET, 1000 + len(events), packet) for at, packet in told.settled())


def _bank(channel: Channel, tick: int) -> dict[str, int]:
    """The bank that is in force for a program, which says it itself."""
    lanes = [channel.lanes.get(controller(number)) for number in BANKS]
    halves = [float(lane.curve.at(tick)) if lane else np.nan for lane in lanes]
    if np.isnan(halves).all():
        return {}
    coarse, fine = (0 if np.isnan(half) else round(half) for half in halves)
    return {"with_bank": 1, "bank": coarse, "bank_fine": fine}


class _Parameters:
    """Parameters in several messages of MIDI 1.0 as they become one: coarse and fine of a tick are one value."""

    def __init__(self, where: dict[str, int]) -> None:
        self._where = where
        self._chosen = ("registered", *NOTHING)
        self._value = 0
        self._waits = False
        """Whether a coarse half has come to which a fine one may follow."""
        self._tick = 0

    def control(self, tick: int, number: int, value: int) -> Iterator[tuple[int, bytes]]:
        """What a controller makes due, and when that is said."""
        if number == DATA_LSB and self._waits and tick == self._tick:
            self._value |= value << SEVENTH
            yield from self.settled()
            return
        if number not in _PARAMETER_CONTROLS:
            return
        yield from self.settled()
        self._tick = tick
        if number in (RPN_MSB, RPN_LSB, NRPN_MSB, NRPN_LSB):
            name = "registered" if number in (RPN_MSB, RPN_LSB) else "assignable"
            known = self._chosen if self._chosen[0] == name else (name, *NOTHING)
            coarse = number in (RPN_MSB, NRPN_MSB)
            self._chosen = (name, value, known[2]) if coarse else (name, known[1], value)
        elif number == RESET:
            self._chosen = ("registered", *NOTHING)
        elif number == DATA_MSB:
            self._value, self._waits = value * SEMITONE, True
        elif number == DATA_LSB:
            self._value = self._value // SEMITONE * SEMITONE | value << SEVENTH
            yield from self._packet("", self._value)
        else:
            yield from self._packet("relative ", (1 if number == DATA_UP else -1) << SEVENTH & 0xFFFFFFFF)

    def settled(self) -> Iterator[tuple[int, bytes]]:
        """What has waited for more."""
        if self._waits:
            self._waits = False
            yield from self._packet("", self._value)

    def _packet(self, prefix: str, value: int) -> Iterator[tuple[int, bytes]]:
        name, bank, index = self._chosen
        if (name, bank, index) not in _NOT_SAID:
            yield self._tick, packed(prefix + name, **self._where, bank=bank, index=index, value=value)


_PARAMETER_CONTROLS = (RPN_MSB, RPN_LSB, NRPN_MSB, NRPN_LSB, RESET, DATA_MSB, DATA_LSB, DATA_UP, DATA_DOWN)
_NOT_SAID = {("registered", *NOTHING), ("assignable", *NOTHING), ("registered", *RANGE), ("registered", *CONFIGURATION)}
"""The range is said as it is in force; zones have no place here."""
