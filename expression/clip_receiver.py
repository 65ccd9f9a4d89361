"""What a receiver of MIDI 2.0 makes of a clip file: which notes sound, how long, and what bends and colours them.

Written from the standards alone (M2-104-UM for packets, M2-116-U for the file), and like `receiver` it shares no code
with the reading and writing of takes. Messages of MIDI 1.0 in packets are heard as what they say.
"""

from dataclasses import dataclass, field

from expression.documents import Document
from expression.errors import BadFile

WORDS = (1, 1, 1, 2, 2, 4, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4)
"""Of packets, by their type (M2-104, 2.1.4)."""
MIDDLE = 1 << 31
SUSTAIN, SOSTENUTO, TIMBRE = 64, 66, 74
ALL_SOUND_OFF, RESET, ALL_NOTES_OFF = 120, 121, 123
BEND_RANGE, NOTE_RANGE, OWN_PITCH = (0, 0), (0, 7), 3
DATA, DATA_FINE, RPN_FINE, RPN = 6, 38, 100, 101
Stream = list[list[float]]
"""[seconds, value]."""


@dataclass(slots=True, eq=False)
class _Note:
    """A note as it was heard; times in ticks."""

    part: int
    key: int
    velocity: int
    start: int
    key_up: int = -1
    end: int = -1
    own: tuple[float, float] = (0.0, 0.0)
    """Semitones that are its own: its pitch from the key, and the bend of that."""
    is_deaf: bool = False
    """What is said to its key is for another by now."""
    is_caught: bool = False
    bend: list[tuple[int, float]] = field(default_factory=list)
    pressure: list[tuple[int, float]] = field(default_factory=list)
    timbre: list[tuple[int, float]] = field(default_factory=list)


@dataclass
class _Key:
    """What one key of a channel was told."""

    own: float = 0.0
    bent: float = 0.0
    pressure: float | None = None
    timbre: float | None = None


class _Channel:
    """One channel, and the notes that sound on it."""

    def __init__(self, part: int, notes: list[_Note]) -> None:
        self.part, self.notes = part, notes
        self.sounding: list[_Note] = []
        self.keys: dict[int, _Key] = {}
        self.wheel, self.range, self.note_range = 0.0, 2.0, 48.0
        self.pressure, self.timbre = 0.0, 64.0
        self.is_down = {SUSTAIN: False, SOSTENUTO: False}
        self.chosen = [127, 127]

    def key(self, number: int) -> _Key:
        return self.keys.setdefault(number, _Key())

    def struck(self, tick: int, number: int, velocity: int, own: float | None) -> None:
        for note in self.sounding:
            if note.key == number and note.key_up >= 0:
                note.end = tick
        known = self.key(number)
        note = _Note(self.part, number, velocity, tick, own=(known.own if own is None else own, known.bent))
        note.bend.append((tick, self._bent(note)))
        note.pressure.append((tick, self.pressure if known.pressure is None else known.pressure))
        note.timbre.append((tick, self.timbre if known.timbre is None else known.timbre))
        self.notes.append(note)
        self.sounding = [one for one in self.sounding if one.end < 0] + [note]

    def _bent(self, note: _Note) -> float:
        return self.wheel * self.range + sum(note.own)

    def let_go(self, tick: int, number: int | None) -> None:
        """The first that is down on a key, or (None) all that are down."""
        for note in self.sounding:
            if note.key_up < 0 and number in (None, note.key):
                note.key_up = tick
                if number is not None:
                    break
        self.settle(tick)

    def settle(self, tick: int) -> None:
        """End what neither a finger nor a pedal holds."""
        for note in self.sounding:
            held = self.is_down[SUSTAIN] or (self.is_down[SOSTENUTO] and note.is_caught)
            if note.key_up >= 0 and note.end < 0 and not held:
                note.end = tick
        self.sounding = [note for note in self.sounding if note.end < 0]

    def silence(self, tick: int) -> None:
        for note in self.sounding:
            note.key_up = tick if note.key_up < 0 else note.key_up
            note.end = tick
        self.sounding = []

    def pedal(self, tick: int, number: int, on: bool) -> None:
        if number == SOSTENUTO and on and not self.is_down[number]:
            for note in self.sounding:
                note.is_caught = note.key_up < 0
        self.is_down[number] = on
        self.settle(tick)

    def moved(self, tick: int, number: int | None = None) -> None:
        """What bends has changed: for the notes of a key that listen, or for all."""
        for note in self.sounding:
            if number is None or (note.key == number and not note.is_deaf):
                if number is not None:
                    note.own = (self.key(number).own, self.key(number).bent)
                note.bend.append((tick, self._bent(note)))

    def coloured(self, tick: int, stream: str, value: float, number: int | None = None) -> None:
        """Pressure or timbre, of a key or of all."""
        if number is None:
            setattr(self, stream, value)
        else:
            setattr(self.key(number), stream, value)
        for note in self.sounding:
            if number is None or (note.key == number and not note.is_deaf):
                getattr(note, stream).append((tick, value))

    def control(self, tick: int, number: int, value: float) -> None:
        """A controller; values from 0 to 127."""
        if number in self.is_down:
            self.pedal(tick, number, value >= 64)
        elif number == TIMBRE:
            self.coloured(tick, "timbre", value)
        elif number == ALL_SOUND_OFF:
            self.silence(tick)
        elif number == RESET:
            self.wheel = 0.0
            self.moved(tick)
            self.coloured(tick, "pressure", 0.0)
            for pedal in self.is_down:
                self.pedal(tick, pedal, False)
        elif number >= ALL_NOTES_OFF:
            self.let_go(tick, None)
        elif number in (RPN, RPN_FINE):
            self.chosen[number == RPN_FINE] = int(value)
        elif number in (DATA, DATA_FINE) and self.chosen == list(BEND_RANGE):
            self.range = value if number == DATA else int(self.range) + value / 100
            self.moved(tick)


def _seven(code: int, bits: int) -> float:
    """A value from 0 to 127 of one of 16 or 32 bits: its lower half goes evenly to the middle, its upper to the end."""
    middle, most = 1 << (bits - 1), (1 << bits) - 1
    return 64 * code / middle if code <= middle else 64 + 63 * (code - middle) / (most - middle)


def receive_clip(data: bytes) -> Document:
    """The notes of a clip file with what bends and colours each, as `as_document` tells others. Raises BadFile.

    Parts are counted by group, then by channel. Of what is told to a key and to its channel, the later counts.
    """
    if data[:8] != b"SMF2CLIP":
        raise BadFile("This is not a MIDI clip file: it does not begin with its header.")
    packets = _packets(data)
    lines = sorted({(packet[0] & 0x0F, packet[1] & 0x0F) for packet in packets if packet[0] >> 4 in (2, 4)})
    notes: list[_Note] = []
    channels = {line: _Channel(part, notes) for part, line in enumerate(lines)}
    tick, resolution = 0, 1
    tempo: list[tuple[int, int]] = []
    for packet in packets:
        kind, status = packet[0] >> 4, packet[1] >> 4
        if kind == 0 and status == 4:
            tick += int.from_bytes(packet[1:4]) & 0xFFFFF
        elif kind == 0 and status == 3:
            resolution = int.from_bytes(packet[2:4])
        elif kind == 15 and packet[0] & 0x0C == 0 and int.from_bytes(packet[:2]) & 0x3FF == 0x20:
            tick = 0
        elif kind == 15 and packet[0] & 0x0C == 0 and int.from_bytes(packet[:2]) & 0x3FF == 0x21:
            break
        elif kind == 13 and packet[2:4] == b"\0\0":
            tempo.append((tick, int.from_bytes(packet[4:8])))
        elif kind == 3 and packet[1] >> 4 == 0 and packet[2] == 0x7E and packet[4] == 0x09 and packet[5] in (1, 3):
            for channel in channels.values():
                channel.silence(tick)
            channels = {line: _Channel(part, notes) for part, line in enumerate(lines)}
        elif kind == 2:
            _in_midi_1(channels[packet[0] & 0x0F, packet[1] & 0x0F], tick, status, packet[2] & 0x7F, packet[3] & 0x7F)
        elif kind == 4:
            channel = channels[packet[0] & 0x0F, packet[1] & 0x0F]
            _in_midi_2(channel, tick, status, packet[2], packet[3], packet[4:8])
    for channel in channels.values():
        channel.silence(tick)
    clock = _Clock(resolution, tempo)
    return {"notes": [_told(note, clock) for note in sorted(notes, key=lambda one: (one.start, one.part, one.key))]}


def _packets(data: bytes) -> list[bytes]:
    found, at = [], 8
    while at < len(data):
        size = 4 * WORDS[data[at] >> 4]
        if at + size > len(data):
            raise BadFile("The clip file is cut off within a message.")
        found.append(data[at : at + size])
        at += size
    return found


def _in_midi_2(channel: _Channel, tick: int, status: int, one: int, two: int, data: bytes) -> None:
    value = int.from_bytes(data)
    if status == 0x9:
        own = int.from_bytes(data[2:]) / 512 - one if two == OWN_PITCH else None
        channel.struck(tick, one, max(round(_seven(value >> 16, 16)), 1), own)
    elif status == 0x8:
        channel.let_go(tick, one)
    elif status == 0x6:
        channel.key(one).bent = (value - MIDDLE) / MIDDLE * channel.note_range
        channel.moved(tick, one)
    elif status == 0x0 and two == OWN_PITCH:
        channel.key(one).own = value / (1 << 25) - one
        channel.moved(tick, one)
    elif status in (0x0, 0x1) and two == TIMBRE:
        channel.coloured(tick, "timbre", _seven(value, 32), one)
    elif status == 0xA:
        channel.coloured(tick, "pressure", _seven(value, 32), one)
    elif status == 0xD:
        channel.coloured(tick, "pressure", _seven(value, 32))
    elif status == 0xE:
        channel.wheel = (value - MIDDLE) / MIDDLE
        channel.moved(tick)
    elif status == 0xB:
        channel.control(tick, one, _seven(value, 32))
    elif status == 0x2 and (one, two) == BEND_RANGE:
        channel.range = (value >> 25) + (value >> 18 & 0x7F) / 100
        channel.moved(tick)
    elif status == 0x2 and (one, two) == NOTE_RANGE:
        channel.note_range = value / (1 << 25)
    elif status == 0xF:
        if two & 2:
            for note in channel.sounding:
                note.is_deaf |= note.key == one
        if two & 1:
            channel.keys.pop(one, None)


def _in_midi_1(channel: _Channel, tick: int, status: int, one: int, two: int) -> None:
    if status == 0x9 and two:
        channel.struck(tick, one, two, None)
    elif status in (0x8, 0x9):
        channel.let_go(tick, one)
    elif status == 0xA:
        channel.coloured(tick, "pressure", two, one)
    elif status == 0xB:
        channel.control(tick, one, two)
    elif status == 0xD:
        channel.coloured(tick, "pressure", one)
    elif status == 0xE:
        channel.wheel = ((two << 7 | one) - 8192) / 8192
        channel.moved(tick)


class _Clock:
    """Ticks in seconds, by the tempo (in tens of nanoseconds a quarter note; 120 a minute until one is set)."""

    def __init__(self, resolution: int, changes: list[tuple[int, int]]) -> None:
        self._steps = [(0, 0.0, 50_000_000)]
        self._resolution = resolution
        for tick, period in changes:
            self._steps.append((tick, self.seconds(tick), period))

    def seconds(self, tick: int) -> float:
        at, seconds, period = next(step for step in reversed(self._steps) if step[0] <= tick)
        return seconds + (tick - at) * period / 1e8 / self._resolution


def _told(note: _Note, clock: _Clock) -> Document:
    times = {name: round(clock.seconds(getattr(note, name)), 6) for name in ("start", "key_up", "end")}
    streams = {name: _stream(getattr(note, name), note, clock) for name in ("bend", "pressure", "timbre")}
    return {"part": note.part, "pitch": note.key, "velocity": note.velocity, **times, **streams}


def _stream(steps: list[tuple[int, float]], note: _Note, clock: _Clock) -> Stream:
    """Each change until the note has ended; of several at one tick the last."""
    heard = {tick: value for tick, value in steps if tick == note.start or tick < note.end}
    found: Stream = []
    for tick, value in heard.items():
        if not found or round(value, 6) != found[-1][1]:
            found.append([round(clock.seconds(tick), 6), round(value, 6)])
    return found
