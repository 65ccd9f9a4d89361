"""A recording that looks like MPE but does not say so, with the message that says it."""

from dataclasses import replace

import numpy as np

from expression.arrays import frozen, joined
from expression.cable import Zone
from expression.errors import BadFile
from expression.midi import smf
from expression.midi.read import lines_of
from expression.midi.read_zones import CONFIGURATION, looks_zoned
from expression.midi.zones import controls
from expression.status import CONTROL, SYSEX
from expression.take import Events, Rows


def as_zone(data: bytes) -> bytes:
    """The same file with the message that sets its zone up before all else (M1-100, 2.1.1). Raises BadFile."""
    file = smf.parse(data)
    rows = Rows.of(file.tracks)
    lower, members = looks_zoned(rows, lines_of(file.tracks, rows))
    if not members:
        raise BadFile("This recording does not look like MPE: it is read as it says.")
    zone = Zone(lower, members)
    # In the first track that has notes on a member.
    voices = [bool(np.isin(track.status[track.status < SYSEX] & 0x0F, zone.channels).any()) for track in file.tracks]
    number = voices.index(True)
    told = controls(CONFIGURATION, zone.members)
    tracks = list(file.tracks)
    tracks[number] = _after(tracks[number], zone.manager, told)
    return smf.compose(file.format, file.division, tracks)


def _after(track: Events, manager: int, told: list[tuple[int, int]]) -> Events:
    count = len(told)
    one, two = np.array(told, dtype=np.uint8).T
    return replace(
        track,
        tick=joined(frozen(np.zeros(count), np.int64), track.tick),
        status=joined(frozen(np.full(count, CONTROL | manager), np.uint8), track.status),
        data1=joined(frozen(one.copy(), np.uint8), track.data1),
        data2=joined(frozen(two.copy(), np.uint8), track.data2),
        payload=joined(frozen(np.full(count, -1), np.int64), track.payload),
    )
