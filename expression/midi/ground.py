"""Tempo and metre as the meta events of a file (SMF 1.0, Set Tempo and Time Signature)."""

from dataclasses import replace

import numpy as np

from expression.arrays import Flags, frozen
from expression.midi.smf import END_OF_TRACK, TEMPO, TIME_SIGNATURE
from expression.status import META
from expression.take import Events, Rows, Take

CLOCKS = 24
"""MIDI clocks a quarter."""


def of_ground(rows: Rows) -> Flags:
    """Which rows of a recording say a tempo or a metre."""
    return np.asarray((rows.status == META) & np.isin(rows.data1, (TEMPO, TIME_SIGNATURE)))


def with_ground(take: Take, events: Events) -> Events:
    """A track with the tempo and the metre of the take said in it, each before what else happens at its tick."""
    said: list[tuple[int, int, bytes]] = [(tick, TEMPO, micros.to_bytes(3)) for tick, micros in take.tempo.steps]
    for tick, beats, unit in take.meter.signatures(take.resolution):
        said.append((tick, TIME_SIGNATURE, bytes((beats, unit.bit_length() - 1, CLOCKS * 4 // unit, 8))))
    said.sort(key=lambda one: one[0])
    return with_meta(events, said)


def with_meta(events: Events, said: list[tuple[int, int, bytes]]) -> Events:
    """A track with meta events (tick, number, payload; ascending by tick), each before what else happens at its tick.

    Its end mark stays behind all of them.
    """
    if not said:
        return events
    count = len(said)
    ticks = np.concatenate(([one[0] for one in said], events.tick))
    over = np.append(np.zeros(count, dtype=bool), (events.status == META) & (events.data1 == END_OF_TRACK))
    ticks = np.where(over, ticks.max(), ticks)
    order = np.lexsort((over, ticks))

    def column(new: list[int], old: np.ndarray) -> np.ndarray:
        return frozen(np.concatenate((new, old))[order].astype(old.dtype), old.dtype)

    first = len(events.payloads)
    return replace(
        events,
        tick=frozen(ticks[order], np.int64),
        status=column([META] * count, events.status),
        data1=column([one[1] for one in said], events.data1),
        data2=column([0] * count, events.data2),
        payload=column([first + row for row in range(count)], events.payload),
        payloads=(*events.payloads, *(one[2] for one in said)),
    )
