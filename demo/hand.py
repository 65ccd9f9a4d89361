"""A simulated player's hand: writes what it plays into a mido track, never quite as written."""

import itertools
import random
from collections.abc import Iterable

import mido

RESOLUTION = 480
LATENESS, UNEVENNESS = 9, 6


class Hand:
    """One part. Places are in beats from the start; the seed makes every performance the same one."""

    def __init__(self, name: str, channel: int, program: int | None, seed: int) -> None:
        self._events: list[tuple[int, int, mido.Message | mido.MetaMessage]] = []
        self._channel = channel
        self.dice = random.Random(seed)
        self.meta(0, mido.MetaMessage("track_name", name=name))
        if program is not None:
            self.send(0, "program_change", program=program)

    def meta(self, beat: float, message: mido.Message | mido.MetaMessage) -> None:
        """Any event that is not for a channel."""
        self._add(round(beat * RESOLUTION), message)

    def send(self, beat: float, kind: str, **fields: int) -> None:
        """A channel message, exactly at its place."""
        self._add(round(beat * RESOLUTION), mido.Message(kind, channel=self._channel, **fields))

    def _add(self, tick: int, message: mido.Message | mido.MetaMessage) -> None:
        self._events.append((max(tick, 0), len(self._events), message))

    def note(
        self, beat: float, length: float, pitch: int, velocity: float, late: float = 0.0, flat: bool = False
    ) -> None:
        """A note, a little early or late and a little uneven in force; `flat`: all equally hard."""
        tick = max(0, round(beat * RESOLUTION + late + self.dice.gauss(0, LATENESS)))
        force = velocity if flat else velocity + self.dice.gauss(0, UNEVENNESS)
        held = max(30, round(length * RESOLUTION * self.dice.uniform(0.9, 0.98)))
        strike = min(127, max(1, round(force)))
        self._add(tick, mido.Message("note_on", channel=self._channel, note=pitch, velocity=strike))
        let_go = self.dice.randint(30, 90)
        self._add(tick + held, mido.Message("note_off", channel=self._channel, note=pitch, velocity=let_go))

    def sweep(self, kind: str, field: str, points: Iterable[tuple[float, float]], **fields: int) -> None:
        """A wheel or pedal moved by hand through (beat, value): sent as a device would, on each change of value."""
        points = list(points)
        before: int | None = None
        for (beat, value), (next_beat, next_value) in itertools.pairwise(points):
            steps = max(1, round((next_beat - beat) * 24))
            for step in range(steps):
                u = step / steps
                now = round(value + (next_value - value) * u * u * (3 - 2 * u))
                if now != before:
                    self.send(beat + (next_beat - beat) * u, kind, **fields, **{field: now})
                    before = now
        self.send(points[-1][0], kind, **fields, **{field: round(points[-1][1])})

    def control(self, controller: int, points: Iterable[tuple[float, float]]) -> None:
        """A controller moved by hand."""
        self.sweep("control_change", "value", points, control=controller)

    def track(self) -> mido.MidiTrack:
        """What was played, in the order of time; at one tick, in the order of playing."""
        track = mido.MidiTrack()
        before = 0
        for tick, _, message in sorted(self._events, key=lambda event: event[:2]):
            track.append(message.copy(time=tick - before))
            before = tick
        track.append(mido.MetaMessage("end_of_track", time=RESOLUTION))
        return track
