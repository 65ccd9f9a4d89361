"""What a receiver makes of the bytes, held against what is drawn: lane by lane, how far they differ, and where."""

from dataclasses import replace

import numpy as np
from typing_extensions import TypedDict

from expression import receiver
from expression.arrays import Floats, Ints
from expression.lanes import BEND, CHANNEL_LANES, LANES, PRESSURE
from expression.memo import worked_out
from expression.midi import smf
from expression.midi.emit import emit
from expression.status import BEND_CENTRE, META, NOTE_OFF, POLY_PRESSURE, SHORT, SYSEX
from expression.take import Channel, Lane, Part, Take

CABLE = 3125
"""Bytes a second that a cable carries (MIDI 1.0: 31,250 baud, ten bits a byte)."""


class LaneProof(TypedDict):
    """Of one lane: the largest difference between what is drawn and what is heard, and where (a tick).

    `off` is in the lane's unit, `steps` in steps of its messages, `cents` that of a bend; `elsewhere`: where a bend is
    drawn beyond its range, the largest in cents where it is not. `bytes_a_second` is the most that its messages come to
    within any second, `at` where that begins.
    """

    key: str
    off: float
    steps: float
    cents: float | None
    elsewhere: float | None
    tick: int
    messages: int
    bytes_a_second: int
    at: int


class Proof(TypedDict):
    """Of the lanes of a part. `cable`: the most bytes that its port is told within any second, of `most`."""

    lanes: list[LaneProof]
    cable: int
    most: int


def proof(take: Take, part: Part) -> Proof:
    """The bytes of a part's channel as a receiver hears them, against its lanes."""
    channel = part.channel
    heard = _heard(take, channel)
    lanes = [_lane(take, channel, lane, heard) for key, lane in channel.lanes.items() if key in CHANNEL_LANES]
    return {"lanes": lanes, "cable": busiest(take, *told(take, channel.port))[0], "most": CABLE}


@worked_out(8)
def _heard(take: Take, channel: Channel) -> receiver.Channel:
    """What a receiver hears on a channel of the file that would be exported: all of it but the notes."""
    tracks = []
    of_part = {part.track for part in take.parts_on(channel)}
    for number, track in enumerate(emit(take)):
        kind = track.status & 0xF0
        voice = (track.status & 0x0F == channel.number) & (kind > POLY_PRESSURE) & (number in of_part)
        rows = np.flatnonzero((track.status >= SYSEX) | voice)
        names = ("tick", "status", "data1", "data2", "payload")
        tracks.append(replace(track, **{name: getattr(track, name)[rows] for name in names}))
    heard = receiver.receive(smf.compose(1, take.resolution, tracks))
    return heard.channels.get((channel.port, channel.number), receiver.Channel())


def _steps(channel: Channel, heard: receiver.Channel, key: str) -> receiver.Steps:
    if key == PRESSURE:
        return heard.pressure
    if key != BEND:
        number = LANES[key].wire.number
        return heard.controllers.get(-1 if number is None else number, receiver.Steps.of([]))
    if channel.instrument.is_told:
        return heard.bend
    return heard.wheel._replace(values=heard.wheel.values / BEND_CENTRE * float(channel.bend_range.semitones[0]))


def _lane(take: Take, channel: Channel, lane: Lane, heard: receiver.Channel) -> LaneProof:
    steps, curve = _steps(channel, heard, lane.key), lane.curve
    told = steps.ticks.astype(np.int64)
    # Between two of these both only hold, or the drawing only moves on: it is furthest off at one end or the other.
    ticks = np.sort(np.concatenate((curve.ticks, curve.ticks - 1, told, told - 1, [take.end])))
    ticks = ticks[np.diff(ticks, prepend=-1) > 0]
    ticks = ticks[(ticks >= curve.ticks[0]) & (ticks <= max(take.end, int(curve.ticks[-1])))]
    off = np.abs(np.nan_to_num(steps.at(ticks), nan=LANES[lane.key].default) - curve.at(ticks))
    ranged = LANES[lane.key].is_ranged
    step = channel.bend_range.at(ticks) / BEND_CENTRE if ranged else np.ones(len(ticks))
    beyond = ranged & (np.abs(curve.at(ticks)) > step * BEND_CENTRE * (1 + 1e-9))
    in_steps = np.divide(off, step, out=np.zeros(len(off)), where=step > 0)
    worst = int(off.argmax())
    sent, sizes = _of_lane(take, channel, lane.key)
    most, at = busiest(take, sent, sizes)
    return {
        "key": lane.key,
        "off": round(float(off[worst]), 4),
        "steps": round(float(in_steps[worst]), 2),
        "cents": round(float(off[worst]) * 100, 2) if lane.key == BEND else None,
        "elsewhere": round(float(off[~beyond].max(initial=0.0)) * 100, 2) if beyond.any() else None,
        "tick": int(ticks[worst]),
        "messages": len(sent),
        "bytes_a_second": most,
        "at": at,
    }


def _of_lane(take: Take, channel: Channel, key: str) -> tuple[Ints, Ints]:
    """Ticks and bytes of the messages that a lane is sent in."""
    wire = LANES[key].wire
    ticks = []
    for part in take.parts_on(channel):
        track = emit(take)[part.track]
        kind = np.where(track.status < SYSEX, track.status & 0xF0, 0)
        mine = (track.status & 0x0F) == channel.number
        ticks.append(track.tick[mine & wire.own(kind, track.data1)])
    all_ticks = np.sort(np.concatenate(ticks))
    return all_ticks, np.full(len(all_ticks), 2 if key == PRESSURE else 3)


def told(take: Take, port: int, tolerance: float = 0.0) -> tuple[Ints, Ints]:
    """Ticks and bytes of all that a port is told, without running status; ways off by so many steps (`emit`)."""
    ticks, sizes = [], []
    on_port = {part.track for part in take.parts if part.channel.port == port}
    for number in on_port:
        track = emit(take, tolerance)[number]
        voice = np.flatnonzero((track.status >= NOTE_OFF) & (track.status < SYSEX))
        exclusive = np.flatnonzero((track.status >= SYSEX) & (track.status < META) & (track.payload >= 0))
        kind = track.status[voice] & 0xF0
        ticks += [track.tick[voice], track.tick[exclusive]]
        long = [len(track.payloads[at]) + 1 for at in track.payload[exclusive].tolist()]
        sizes += [np.where(np.isin(kind, SHORT), 2, 3), np.array(long, dtype=np.int64)]
    tick, size = np.concatenate(ticks), np.concatenate(sizes)
    order = np.argsort(tick, kind="stable")
    return tick[order], size[order]


def busiest(take: Take, ticks: Ints, sizes: Ints) -> tuple[int, int]:
    """The most bytes within any second, and the tick at which that begins."""
    if not len(ticks):
        return 0, 0
    seconds: Floats = take.tempo.seconds(ticks)
    total = np.append(0, np.cumsum(sizes))
    within = total[np.searchsorted(seconds, seconds + 1.0)] - total[:-1]
    first = int(within.argmax())
    return int(within[first]), int(ticks[first])


def streamed(take: Take, channel: Channel, key: str) -> tuple[int, int]:
    """The most bytes a second that a lane alone comes to, and where."""
    return busiest(take, *_of_lane(take, channel, key))
