"""What a standard receiver makes of the bytes of a file: which notes sound, how long, and what bends and colours them.

Written from the standard alone, and shares no code with the reading, writing or emission of takes: it is what they are
held against. Everything is reckoned per channel and port over all tracks, as an instrument at the end of the cable
would: MIDI 1.0 (running status, velocity 0, controllers with fine halves, registered parameters, channel mode
messages), RP-015 (Reset All Controllers), RP-018 (data increment and decrement), GM level 1 and 2 (System On).
"""

from bisect import bisect_right
from collections import defaultdict, deque
from dataclasses import dataclass, field
from operator import itemgetter
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from expression import receiver_file
from expression.receiver_zones import (
    ALL_SOUND_OFF,
    DATA,
    DATA_FINE,
    DOWN,
    FIRST_NOTES_OFF,
    NRPN,
    NRPN_FINE,
    RESET,
    RPN,
    RPN_FINE,
    SOSTENUTO,
    SUSTAIN,
    UP,
    Told,
    zones,
)

Numbers = NDArray[np.float64]

PEDAL_ON = 64
PARAMETERS = frozenset((DATA, DATA_FINE, UP, DOWN, NRPN_FINE, NRPN, RPN_FINE, RPN))
AFTER_RESET = {1: 0, 11: 127, 64: 0, 65: 0, 66: 0, 67: 0}
"""RP-015: what Reset All Controllers puts back. Volume, pan, sounds and effects keep their values."""
AT_SYSTEM_ON = {**AFTER_RESET, 7: 100, 10: 64}
"""GM level 1, System On: the state a module starts in."""
START_RANGE = 2.0


class Steps(NamedTuple):
    """Values over time: each holds from its tick to the next; of several at one tick the last holds."""

    ticks: Numbers
    values: Numbers

    @classmethod
    def of(cls, found: list[tuple[int, float]]) -> "Steps":
        """From (tick, value) in the order in which they came."""
        columns = np.array(found, dtype=np.float64).reshape(-1, 2)
        return cls(columns[:, 0], columns[:, 1])

    def at(self, ticks: ArrayLike) -> Numbers:
        """Values at `ticks` (any shape); NaN before the first."""
        if not len(self.ticks):
            return np.full(np.shape(ticks), np.nan)
        row = np.searchsorted(self.ticks, ticks, side="right") - 1
        return np.where(row < 0, np.nan, self.values[np.maximum(row, 0)])


@dataclass(slots=True, eq=False)
class Note:
    """A note as it was heard. Ticks of the file."""

    part: int
    channel: int
    port: int
    pitch: int
    velocity: int
    start: int
    key_up: int = -1
    end: int = -1
    """When it stops sounding, pedals counted in."""
    manager: int = -1
    """The channel that managed its own when it was struck, and acts on it too; -1: none."""


@dataclass
class Channel:
    """What one channel of one port was told."""

    notes: list[Note] = field(default_factory=list)
    wheel: Steps = field(default_factory=lambda: Steps.of([]))
    """-8192 to 8191."""
    bend_range: Steps = field(default_factory=lambda: Steps.of([]))
    """Semitones either way; from tick 0 on."""
    bend: Steps = field(default_factory=lambda: Steps.of([]))
    """Semitones, by the range in force at each moment."""
    pressure: Steps = field(default_factory=lambda: Steps.of([]))
    controllers: dict[int, Steps] = field(default_factory=dict)
    """By number; 0 to 31 with their fine halves (value + fine / 128)."""
    key_pressure: dict[int, Steps] = field(default_factory=dict)


@dataclass
class Heard:
    """All that a receiver heard of a file."""

    division: int
    """Ticks a quarter note."""
    end: int
    channels: dict[tuple[int, int], Channel]
    """By port and channel (0 to 15)."""
    tempo: tuple[list[int], list[float], list[int]]
    """Ticks, seconds and microseconds a quarter note of each step."""
    managers: dict[tuple[int, int], int] = field(default_factory=dict)
    """Of channels that are members of a zone at any time (port and channel) the one that manages them last."""

    def bend_of(self, note: Note, ticks: ArrayLike) -> Numbers:
        """Semitones by which a note is bent at `ticks`: by its channel, and by what manages that (M1-100, 2.2.5)."""
        found = np.nan_to_num(self.channels[note.port, note.channel].bend.at(ticks))
        if note.manager >= 0:
            found = found + np.nan_to_num(self.channels[note.port, note.manager].bend.at(ticks))
        return found

    def seconds(self, tick: float) -> float:
        """Seconds from the start."""
        ticks, seconds, micros = self.tempo
        step = bisect_right(ticks, tick) - 1
        return seconds[step] + (tick - ticks[step]) * micros[step] / (1e6 * self.division)

    @property
    def notes(self) -> list[Note]:
        """Of all channels, by their starts."""
        return sorted(
            (note for channel in self.channels.values() for note in channel.notes),
            key=lambda note: (note.start, note.part, note.pitch),
        )


def receive(data: bytes) -> Heard:
    """Hear a Standard MIDI File of type 0 or 1. Raises BadFile."""
    division, tracks = receiver_file.tracks(data)
    told: dict[tuple[int, int], list[Told]] = {}
    for track in tracks:
        for channel in {message[1] & 0x0F for message in track.messages if message[1] < 0xF0}:
            told.setdefault((track.port, channel), [])
    told = {line: told[line] for line in sorted(told)}
    for number, track in enumerate(tracks):
        for tick, status, first, second in track.messages:
            if status < 0xF0:
                told[track.port, status & 0x0F].append((tick, number, status & 0xF0, first, second))
            else:
                for messages in told.values():
                    messages.append((tick, number, 0xF0, 0, 0))
    managers = zones(tracks, told)
    parts: dict[tuple[int, int], int] = {}
    for number, track in enumerate(tracks):
        mine = {message[1] & 0x0F for message in track.messages if message[1] < 0xF0}
        # The members of a zone are one part with what manages them.
        for channel in sorted({managers.get((track.port, one), one) for one in mine}):
            parts[number, channel] = len(parts)
    end = max((track.end for track in tracks), default=0)
    channels = {}
    for (port, channel), messages in told.items():
        # In the order of time; at one tick the tracks stay one after another, each in its own order.
        messages.sort(key=itemgetter(0))
        owner = {number: part for (number, of), part in parts.items() if of == managers.get((port, channel), channel)}
        channels[port, channel] = _channel(messages, port, channel, owner, end)
    tempo = _tempo(division, [step for track in tracks for step in track.tempo])
    return Heard(division, end, channels, tempo, managers)


def _tempo(division: int, changes: list[tuple[int, int]]) -> tuple[list[int], list[float], list[int]]:
    ticks, seconds, micros = [0], [0.0], [500_000]
    for tick, wanted in sorted(changes, key=lambda one: one[0]):
        if tick > ticks[-1]:
            seconds.append(seconds[-1] + (tick - ticks[-1]) * micros[-1] / (1e6 * division))
            ticks.append(tick)
            micros.append(wanted)
        else:
            micros[-1] = wanted
    return ticks, seconds, micros


# ---- one channel


def _channel(
    messages: list[tuple[int, int, int, int, int]], port: int, number: int, owner: dict[int, int], end: int
) -> Channel:
    listener = _Listener(port, number)
    for tick, track, kind, first, second in messages:
        if kind == 0x90 and second:
            listener.keys.struck(tick, owner[track], first, second)
        else:
            listener.hears(tick, kind, first, second)
    listener.keys.silence(end)
    heard = listener.heard()
    fine_ones = [one for one in heard.controllers if 32 <= one < 64 and one - 32 in heard.controllers]
    if fine_ones:
        _add_fine_halves(heard, messages, set(fine_ones))
    return heard


class _Listener:
    """What one channel has come to, message after message."""

    def __init__(self, port: int, number: int) -> None:
        self.channel = Channel()
        self.keys = _Keys(self.channel.notes, port, number)
        self.wheel: list[tuple[int, float]] = []
        self.ranges: list[tuple[int, float]] = [(0, START_RANGE)]
        self.bend: list[tuple[int, float]] = []
        self.pressure: list[tuple[int, float]] = []
        self.controllers: dict[int, list[tuple[int, float]]] = defaultdict(list)
        self.key_pressure: dict[int, list[tuple[int, float]]] = defaultdict(list)
        self.parameter = _Parameter()
        self.lever = 0

    def hears(self, tick: int, kind: int, first: int, second: int) -> None:
        """Take any message but that a note begins."""
        if kind == 0xF2:
            self.keys.manager = first
        elif kind in (0x80, 0x90):
            self.keys.let_go(tick, first)
        elif kind == 0xE0:
            self.lever = (first | second << 7) - 8192
            self.wheel.append((tick, self.lever))
            self._bends(tick)
        elif kind == 0xD0:
            self.pressure.append((tick, first))
        elif kind == 0xF1:
            self.parameter.set(first, second)
            self._ranges(tick)
        elif kind == 0xA0:
            self.key_pressure[first].append((tick, second))
        elif kind == 0xB0:
            self._controls(tick, first, second)
        elif kind == 0xF0:
            self.keys.silence(tick)
            self.parameter = _Parameter()
            self.ranges.append((tick, START_RANGE))
            self._rests(tick, AT_SYSTEM_ON)

    def _bends(self, tick: int) -> None:
        self.bend.append((tick, self.lever / 8192 * self.parameter.semitones))

    def _ranges(self, tick: int) -> None:
        self.ranges.append((tick, self.parameter.semitones))
        self._bends(tick)

    def _controls(self, tick: int, controller: int, value: int) -> None:
        if controller in PARAMETERS:
            if self.parameter.takes(controller, value):
                self._ranges(tick)
        elif controller < ALL_SOUND_OFF:
            self.controllers[controller].append((tick, value))
            if controller == SUSTAIN:
                self.keys.sustain(tick, value >= PEDAL_ON)
            elif controller == SOSTENUTO:
                self.keys.sostenuto(tick, value >= PEDAL_ON)
        elif controller == ALL_SOUND_OFF:
            self.keys.silence(tick)
        elif controller == RESET:
            self._rests(tick, AFTER_RESET)
        elif controller >= FIRST_NOTES_OFF:
            self.keys.all_let_go(tick)

    def _rests(self, tick: int, values: dict[int, int]) -> None:
        """All levers go where they rest; controllers to what these `values` say."""
        self.parameter.chosen = None
        self.lever = 0
        for steps in (self.wheel, self.bend, self.pressure, *self.key_pressure.values()):
            steps.append((tick, 0))
        for controller, value in values.items():
            self.controllers[controller].append((tick, value))
            if (fine := self.controllers.get(controller + 32)) and controller < 32:
                fine.append((tick, 0))
        self.keys.sustain(tick, False)
        self.keys.sostenuto(tick, False)

    def heard(self) -> Channel:
        heard = self.channel
        heard.wheel, heard.bend_range, heard.bend = Steps.of(self.wheel), Steps.of(self.ranges), Steps.of(self.bend)
        heard.pressure = Steps.of(self.pressure)
        heard.key_pressure = {key: Steps.of(steps) for key, steps in self.key_pressure.items()}
        heard.controllers = {controller: Steps.of(steps) for controller, steps in self.controllers.items()}
        return heard


def _add_fine_halves(heard: Channel, messages: list[tuple[int, int, int, int, int]], fine_ones: set[int]) -> None:
    """Coarse and fine together. A coarse half sets the fine one to 0 (MIDI 1.0, Continuous Controllers)."""
    both: dict[int, list[tuple[int, float]]] = {fine - 32: [] for fine in fine_ones}
    coarse: dict[int, int] = {}
    for tick, _, kind, first, second in messages:
        if kind == 0xF0 or (kind == 0xB0 and first == RESET):
            for controller, value in (AT_SYSTEM_ON if kind == 0xF0 else AFTER_RESET).items():
                if controller in both:
                    coarse[controller] = value
                    both[controller].append((tick, value))
        elif kind == 0xB0 and first in both:
            coarse[first] = second
            both[first].append((tick, second))
        elif kind == 0xB0 and first in fine_ones:
            both[first - 32].append((tick, coarse.get(first - 32, 0) + second / 128))
    heard.controllers |= {controller: Steps.of(steps) for controller, steps in both.items()}


class _Parameter:
    """The bend range as registered parameter 0 sets it: semitones, and cents (MIDI 1.0; RP-018)."""

    def __init__(self) -> None:
        self.chosen: tuple[int, int] | None = None
        """The registered parameter that data entry goes to; None: a non-registered one, or nothing yet."""
        self._halves = [127, 127]
        self._semitones, self._cents = int(START_RANGE), 0

    @property
    def semitones(self) -> float:
        return self._semitones + self._cents / 100

    def set(self, semitones: int, cents: int) -> None:
        self._semitones, self._cents = semitones, cents

    def takes(self, controller: int, value: int) -> bool:
        """Whether the message has set the bend range."""
        if controller in (RPN, RPN_FINE):
            if self.chosen is None:
                self._halves = [127, 127]
            self._halves[controller == RPN_FINE] = value
            self.chosen = (self._halves[0], self._halves[1])
        elif controller in (NRPN, NRPN_FINE):
            self.chosen = None
        elif self.chosen == (0, 0):
            if controller == DATA:
                self._semitones, self._cents = value, 0
            elif controller == DATA_FINE:
                self._cents = value
            else:
                # RP-018: by one cent; the cents run from 0 to 99 and carry.
                cents = self._semitones * 100 + self._cents + (1 if controller == UP else -1)
                self._semitones, self._cents = divmod(min(max(cents, 0), 127 * 100 + 99), 100)
            return True
        return False


class _Keys:
    """Keys that are down, and notes that the pedals hold."""

    def __init__(self, notes: list[Note], port: int, channel: int) -> None:
        self._notes, self._port, self._channel, self.manager = notes, port, channel, -1
        self._down: dict[int, deque[Note]] = defaultdict(deque)
        self._held: dict[int, list[Note]] = {}
        """Let go by the finger, held by a pedal."""
        self._caught: set[int] = set()
        """Notes (by identity) whose keys were down when the sostenuto pedal went down."""
        self._sustain = self._sostenuto = False

    def struck(self, tick: int, part: int, pitch: int, velocity: int) -> None:
        for note in self._held.pop(pitch, ()):
            note.end = tick
        note = Note(part, self._channel, self._port, pitch, velocity, tick, manager=self.manager)
        self._notes.append(note)
        self._down[pitch].append(note)

    def let_go(self, tick: int, pitch: int) -> None:
        if waiting := self._down.get(pitch):
            self._release(waiting.popleft(), tick)

    def _release(self, note: Note, tick: int) -> None:
        note.key_up = tick
        if self._sustain or (self._sostenuto and id(note) in self._caught):
            self._held.setdefault(note.pitch, []).append(note)
        else:
            note.end = tick

    def sustain(self, tick: int, on: bool) -> None:
        was, self._sustain = self._sustain, on
        if was and not on:
            self._settle(tick)

    def sostenuto(self, tick: int, on: bool) -> None:
        was, self._sostenuto = self._sostenuto, on
        if on and not was:
            self._caught = {id(note) for down in self._down.values() for note in down}
        elif was and not on:
            self._settle(tick)

    def _settle(self, tick: int) -> None:
        """End what no pedal holds any longer."""
        for pitch, notes in list(self._held.items()):
            stay = [note for note in notes if self._sustain or (self._sostenuto and id(note) in self._caught)]
            for note in notes:
                if note not in stay:
                    note.end = tick
            if stay:
                self._held[pitch] = stay
            else:
                del self._held[pitch]

    def all_let_go(self, tick: int) -> None:
        for down in self._down.values():
            while down:
                self._release(down.popleft(), tick)

    def silence(self, tick: int) -> None:
        for down in self._down.values():
            while down:
                note = down.popleft()
                note.key_up = note.end = tick
        for notes in self._held.values():
            for note in notes:
                note.end = tick
        self._held.clear()
