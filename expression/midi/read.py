"""From the bytes of a Standard MIDI File to a Take."""

from collections import deque
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from expression.arrays import Floats, Ints, frozen
from expression.curve import Curve
from expression.lanes import FINE_OFFSET
from expression.midi import rpn, smf
from expression.notes import Notes
from expression.take import Events, Header, Lane, Part, Take
from expression.time import Meter, TempoMap

LEAST_RESOLUTION = 960
NOTE_OFF, NOTE_ON, POLY_PRESSURE, CONTROL, PROGRAM, PRESSURE, BEND = range(0x80, 0xF0, 0x10)
BEND_CENTRE = 8192


def read(data: bytes) -> Take:
    """Read a file of type 0 or 1. Nothing in it is lost: what the model does not name stays in `Take.tracks`.

    Times are multiplied by the smallest whole number that brings the resolution to at least 960 ticks a quarter.
    Raises BadFile; small faults that leave no doubt are read and told in `Take.remarks`.
    """
    file = smf.parse(data)
    factor = -(-LEAST_RESOLUTION // file.division)
    resolution = file.division * factor
    tracks = tuple(replace(track, tick=frozen(track.tick * factor, np.int64)) for track in file.tracks)
    remarks = list(file.remarks)
    parts: list[Part] = []
    for number, track in enumerate(tracks):
        parts.extend(_parts(number, track, len(parts), sum(len(part.notes) for part in parts), remarks))
    return Take(
        source=data,
        header=Header(file.format, file.division, factor),
        resolution=resolution,
        tracks=tracks,
        tempo=TempoMap.of(resolution, list(_tempo(tracks, remarks))),
        meter=Meter.of(resolution, list(_meter(tracks, remarks))),
        parts=tuple(parts),
        remarks=tuple(dict.fromkeys(remarks)),
    )


def _meta(tracks: tuple[Events, ...], kind: int) -> Iterator[tuple[int, bytes]]:
    for track in tracks:
        for row in np.flatnonzero((track.status == smf.META) & (track.data1 == kind)).tolist():
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


def text_of(payload: bytes) -> str:
    """Printable text of a meta event: UTF-8 where it is, otherwise Latin-1 as the standard's examples are."""
    try:
        text = payload.decode()
    except UnicodeDecodeError:
        text = payload.decode("latin-1")
    return "".join(sign if sign.isprintable() else " " for sign in text).strip()


def _parts(number: int, track: Events, first_part: int, first_note: int, remarks: list[str]) -> Iterator[Part]:
    """The parts of one track, by channel."""
    voice = (track.status >= NOTE_OFF) & (track.status < smf.SYSEX)
    channels = np.unique(track.status[voice] & 0x0F).tolist()
    names = [text_of(payload) for _, payload in _meta((track,), smf.TRACK_NAME)]
    title = next((name for name in names if name), f"Track {number + 1}")
    pairs, stray = _pair(track)
    if stray:
        what = "note has no end or no start" if stray == 1 else "notes have no end or no start"
        remarks.append(f"{title}: {stray:,} {what}; kept where they are, but out of reach of strokes.")
    for index, channel in enumerate(channels):
        rows = np.flatnonzero(voice & ((track.status & 0x0F) == channel))
        notes = _notes(track, pairs[(track.status[pairs[:, 0]] & 0x0F) == channel], first_note)
        first_note += len(notes)
        yield _part(first_part + index, title, len(channels) > 1, number, channel, track, rows, notes)


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


def _coarse(controllers: set[int]) -> list[int]:
    """The controllers that are lanes: a fine half joins its coarse one where that is there."""
    return sorted(
        number for number in controllers if number - FINE_OFFSET not in controllers or number >= 2 * FINE_OFFSET
    )


def _controller_values(track: Events, rows: Ints, controller: int) -> Floats:
    """The value after each event. A coarse event sets the fine half to 0 (MIDI 1.0, Continuous Controllers)."""
    values = track.data2[rows].astype(np.float64)
    fine = track.data1[rows] != controller
    if fine.any():
        # Of each event the last coarse one so far; what comes before any has a coarse half of 0.
        last = np.maximum.accumulate(np.where(~fine, np.arange(len(rows)), -1))
        coarse = np.where(last >= 0, values[np.maximum(last, 0)], 0.0)
        values = np.where(fine, coarse + values / 128, values)
    return values


def _notes(track: Events, pairs: Ints, first_id: int) -> Notes:
    on, off = pairs[:, 0], pairs[:, 1]
    nothing = np.zeros(len(on), dtype=bool)
    return Notes(
        id=frozen(np.arange(first_id, first_id + len(on)), np.int64),
        start=frozen(track.tick[on], np.int64),
        end=frozen(track.tick[off], np.int64),
        pitch=frozen(track.data1[on], np.uint8),
        velocity=frozen(track.data2[on], np.uint8),
        release=frozen(track.data2[off], np.uint8),
        muted=frozen(nothing, bool),
        cue=frozen(nothing, bool),
        on=frozen(on, np.int64),
        off=frozen(off, np.int64),
    )


def _part(
    id_: int, title: str, shared: bool, number: int, channel: int, track: Events, rows: Ints, notes: Notes
) -> Part:
    kind, one, two = track.status[rows] & 0xF0, track.data1[rows], track.data2[rows]
    control = kind == CONTROL
    bend_range, ranges = rpn.bend_ranges(rows[control], track.tick[rows[control]], one[control], two[control])
    expressive = control & ~np.isin(one, rpn.CONTROLLERS)
    lanes: dict[str, Lane] = {}

    def add(key: str, at: Ints, values: np.ndarray) -> None:
        if len(at):
            lanes[key] = Lane.recorded(key, Curve.of(track.tick[at], values), frozen(at, np.int64))

    bent = rows[kind == BEND]
    raw = track.data1[bent].astype(np.int64) | track.data2[bent].astype(np.int64) << 7
    in_force = ranges.semitones[np.searchsorted(ranges.rows, bent, side="right") - 1]
    add("bend", bent, (raw - BEND_CENTRE) / BEND_CENTRE * in_force)
    pressed = rows[kind == PRESSURE]
    add("pressure", pressed, track.data1[pressed])
    for controller in _coarse(set(np.unique(one[expressive]).tolist())):
        at = rows[expressive & ((one == controller) | (one == controller + FINE_OFFSET) & (controller < FINE_OFFSET))]
        add(f"cc:{controller}", at, _controller_values(track, at, controller))

    named = np.zeros(len(track), dtype=bool)
    for owned in (notes.on, notes.off, *(lane.origin for lane in lanes.values())):
        named[owned] = True
    programs = one[kind == PROGRAM]
    return Part(
        id=id_,
        name=f"{title}, channel {channel + 1}" if shared else title,
        track=number,
        channel=channel,
        notes=notes,
        lanes=lanes,
        bend_range=bend_range,
        loose=frozen(rows[~named[rows]], np.int64),
        program=int(programs[0]) if len(programs) else None,
    )
