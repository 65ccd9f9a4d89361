"""Takes with a lane that a hand has moved, and what of it is exported."""

import io
from typing import Any

import mido
import numpy as np

from expression.curve import Curve
from expression.history import shape
from expression.midi.read import read
from expression.midi.write import write
from expression.strokes import parse_stroke
from expression.take import Take
from tests.files import events, file_of, phrase

BEAT = 960


def wheel(values: Any, gap: int = 24, start: int = 0, control: int = 1, channel: int = 0) -> list[mido.Message]:
    """A controller moved by hand: one event every `gap` ticks of the file (480 a quarter)."""
    return [
        mido.Message(
            "control_change", control=control, value=int(value), time=start if step == 0 else gap, channel=channel
        )
        for step, value in enumerate(values)
    ]


def recorded(values: Any, notes: int = 8, **more: Any) -> Take:
    """A part with notes and a wheel."""
    merged = mido.merge_tracks([mido.MidiTrack(phrase([64] * notes)), mido.MidiTrack(wheel(values, **more))])
    return read(file_of([message for message in merged if not message.is_meta]))


def curve_of(take: Take, key: str = "cc:1", part: int = 0) -> Curve:
    return take.parts[part].lanes[key].curve


def made(take: Take, *strokes: Any, key: str = "cc:1") -> Curve:
    return curve_of(shape(take, [parse_stroke(one) for one in strokes]), key)


def exported(take: Take, control: int = 1) -> list[tuple[int, int]]:
    """What another reader finds of a controller in the file."""
    data = write(take)
    scale = BEAT // mido.MidiFile(file=io.BytesIO(data)).ticks_per_beat
    return [
        (tick * scale, sent[2])
        for track in events(data)
        for tick, sent in track
        if sent[0] & 0xF0 == 0xB0 and sent[1] == control
    ]


def spoken(sent: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Without what only repeats the value before."""
    return [one for row, one in enumerate(sent) if row == 0 or one[1] != sent[row - 1][1]]


SLOW = [round(20 + 60 * np.sin(np.pi * step / 300) ** 2) for step in range(301)]
"""A wheel moved no faster than it is sent: by a step or none at a time."""


BUMP = [round(20 + 80 * np.sin(np.pi * step / 40) ** 2) for step in range(41)]


def held(ticks: Any, values: Any, at: Any) -> Any:
    """What a receiver has at some ticks: the last value told."""
    return np.asarray(values)[np.searchsorted(ticks, at, side="right") - 1]
