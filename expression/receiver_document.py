"""What the receiver has heard, as a document that can be written as JSON."""

from bisect import bisect_left, bisect_right

import numpy as np

from expression.documents import Document
from expression.receiver import Channel, Heard, Note, Steps


def as_document(heard: Heard) -> Document:
    """The notes with what bends and colours each, for `./lull receive --json`: times in seconds.

    Streams begin with what is in force when the note starts (what nothing has set yet is the standard's default) and
    tell every change until it has ended. A key's own pressure and the channel's: whichever was told last.
    """
    streams: dict[tuple[int, int, int, int], tuple[_Stream, _Stream, _Stream]] = {}
    notes = []
    for note in heard.notes:
        key = (note.port, note.channel, note.pitch, note.manager)
        if key not in streams:
            streams[key] = _streams(heard, note)
        bend, pressure, timbre = streams[key]
        start = round(heard.seconds(note.start), 6)
        notes.append(
            {
                "part": note.part,
                "pitch": note.pitch,
                "velocity": note.velocity,
                "start": start,
                "key_up": round(heard.seconds(note.key_up), 6),
                "end": round(heard.seconds(note.end), 6),
                "bend": bend.during(note, start),
                "pressure": pressure.during(note, start),
                "timbre": timbre.during(note, start),
            }
        )
    return {"notes": notes}


def _streams(heard: Heard, note: Note) -> "tuple[_Stream, _Stream, _Stream]":
    """Bend, pressure and timbre as a key of the channel hears them; in a zone, with what its manager is told."""
    nothing = Steps.of([])
    channel = heard.channels[note.port, note.channel]
    presses = [channel.pressure, channel.key_pressure.get(note.pitch, nothing)]
    ticks = np.concatenate([one.ticks for one in presses])
    order = np.argsort(ticks, kind="stable")
    pressure = Steps(ticks[order], np.concatenate([one.values for one in presses])[order])
    bend, timbre = channel.bend, channel.controllers.get(74, nothing)
    if note.manager >= 0:
        above = heard.channels.get((note.port, note.manager), Channel())
        bend, pressure = _sum(bend, above.bend, 0.0), _sum(pressure, above.pressure, 0.0)
        timbre = _sum(timbre, above.controllers.get(74, nothing), 64.0)
        for steps in (pressure, timbre):
            steps.values.clip(0, 127, out=steps.values)
    return _Stream(heard, bend, 0.0), _Stream(heard, pressure, 0.0), _Stream(heard, timbre, 64.0)


def _sum(one: Steps, other: Steps, rest: float) -> Steps:
    """Two streams that act together, each counted from where it rests."""
    ticks = np.union1d(one.ticks, other.ticks)
    values = (np.nan_to_num(steps.at(ticks), nan=rest) - rest for steps in (one, other))
    return Steps(ticks, rest + sum(values, np.zeros(len(ticks))))


class _Stream:
    """Steps in seconds, to be told note by note."""

    def __init__(self, heard: Heard, steps: Steps, otherwise: float) -> None:
        self._ticks = steps.ticks.tolist()
        self._steps = [
            [round(heard.seconds(tick), 6), round(value, 6)]
            for tick, value in zip(self._ticks, steps.values.tolist(), strict=True)
        ]
        self._otherwise = otherwise

    def during(self, note: Note, start: float) -> list[list[float]]:
        """The value that a note begins with, and each change before it has ended."""
        first = bisect_right(self._ticks, note.start)
        last = bisect_left(self._ticks, note.end, lo=first)
        value = self._steps[first - 1][1] if first else self._otherwise
        found = [[start, value]]
        for step in self._steps[first:last]:
            if step[1] != value:
                found.append(step)
                value = step[1]
        return found
