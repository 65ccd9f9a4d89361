"""What kinds of lanes there are: one table, from which everything that is particular to a kind is read.

MIDI 1.0, tables 1 to 3; what a receiver assumes, and goes back to, by RP-015 and GM level 1.
"""

import math
from enum import StrEnum
from typing import Any, NamedTuple

import numpy as np

from expression import status
from expression.arrays import Bytes, Flags, Floats, Ints
from expression.dynamics import MARKS

FINE_OFFSET = 32
"""Controllers 0 to 31 have their fine halves 32 higher (MIDI 1.0, Continuous Controllers)."""
ON, OFF, THRESHOLD = 127.0, 0.0, 64.0
"""A pedal that is down or up; it acts from the threshold on."""


class Form(StrEnum):
    """How values are meant, and drawn."""

    LEVEL = "level"
    """From nothing upwards."""
    CENTRED = "centred"
    """To both sides of a middle."""
    PEDAL = "pedal"
    """Pressed more or less deeply; it acts from the threshold on."""
    SWITCH = "switch"
    """Off or on, and nothing between."""


class Wire(NamedTuple):
    """The message that carries a lane's values. A code is one whole number, as sent."""

    status: int
    number: int | None = None
    """Of a controller."""
    bits: int = 7

    @property
    def highest(self) -> int:
        """The highest code."""
        return (1 << self.bits) - 1

    @property
    def fine(self) -> int | None:
        """The number of the controller that carries fine halves."""
        return self.number + FINE_OFFSET if self.number is not None and self.number < FINE_OFFSET else None

    def own(self, kind: Ints | Bytes, one: Bytes) -> Flags:
        """Which messages (status without its channel, first data byte) carry it; fine halves where there are coarse."""
        mine = kind == self.status
        if self.number is None:
            return np.asarray(mine)
        coarse = mine & (one == self.number)
        return np.asarray(coarse | (mine & (one == self.fine)) if self.fine and coarse.any() else coarse)

    def code(self, one: Bytes, two: Bytes) -> Ints:
        """What the data bytes of such messages say."""
        first, second = one.astype(np.int64), two.astype(np.int64)
        if self.number is not None:
            return second
        return first if self.bits == 7 else first | second << 7

    def data(self, code: Ints) -> tuple[Ints, Ints]:
        """The data bytes that say a code."""
        if self.number is not None:
            return np.full(len(code), self.number), code
        return code & 0x7F, code >> 7


_CALLED = {
    "velocity": "force touch loudness dynamics strike ghost accent",
    "bend": "pitch wheel bender glide portamento scoop semitones",
    "pressure": "aftertouch monophonic channel touch squeeze",
    "cc:1": "modulation vibrato", "cc:2": "wind blow", "cc:4": "foot pedal", "cc:5": "glide speed",
    "cc:7": "level loudness",
    "cc:8": "stereo", "cc:10": "panorama stereo position", "cc:11": "swell dynamics level crescendo",
    "cc:64": "damper pedal hold sustain half", "cc:65": "glide on off", "cc:66": "middle pedal",
    "cc:67": "una corda left pedal",
    "cc:68": "bound slur", "cc:71": "resonance timbre harmonic q", "cc:72": "fade tail", "cc:73": "onset",
    "cc:74": "cutoff filter timbre slide tone colour", "cc:75": "decay", "cc:76": "lfo speed", "cc:77": "lfo amount",
    "cc:84": "glide from", "cc:91": "room hall send", "cc:92": "tremolo", "cc:93": "ensemble", "cc:94": "celeste",
}  # fmt: skip


class LaneKind(NamedTuple):
    """All that is particular to a kind of lane."""

    key: str
    name: str
    unit: str
    wire: Wire
    form: Form = Form.LEVEL
    default: float = 0.0
    """What a receiver assumes until it is told otherwise."""
    low: float = 0.0
    high: float = 127.0
    is_ranged: bool = False
    """Whether the channel's bend range says how far its values go, either way."""
    least: float = 0.0
    """It is drawn as far as it goes, and so far at least; 0: from its lowest to its highest value."""
    decimals: int = 0
    marks: tuple[float, ...] = (0, 32, 64, 96, 127)
    """Values that are drawn as lines; none: its ends and its middle."""
    rounds: tuple[float, ...] = (0, 16, 32, 48, 64, 80, 96, 112, 127)
    """Values that a hand is drawn to when it comes near."""
    words: tuple[tuple[str, float], ...] = ()
    """Words that players have for values."""
    step: float = 1.0
    """The smallest change that is worth an event, in the lane's unit."""
    seconds: float = 0.005
    """No two events of a way come closer together than this, unless what is heard were more than `worst` off."""
    worst: float = math.inf
    """How far what is heard may be from what is drawn, in the lane's unit, for the sake of the time step."""
    error: float = 0.1
    """How far a curve may be off that has to be told in straight ways: with the rounding of ticks, no more than an
    eighth of a step; bend: a cent."""
    after_reset: float | None = None
    """What Reset All Controllers puts it back to (RP-015). Volume, pan, sounds and effects keep their values."""
    at_system_on: float | None = None
    """What it is after System On (GM level 1)."""
    is_of_notes: bool = False
    """Whether each note has a curve of its own."""

    @property
    def title(self) -> str:
        """Its name behind its number, where it has one."""
        return self.name if self.wire.number is None or self.is_of_notes else f"CC {self.wire.number} {self.name}"

    @property
    def called(self) -> str:
        """Other words of the trade for it, by which it is looked for."""
        return _CALLED.get(BESIDE[self.key] if self.is_of_notes else self.key, "")

    @property
    def middle(self) -> float:
        """The value at which a centred lane rests."""
        return self.default if self.form is Form.CENTRED else max(self.low, 0.0)

    @property
    def is_pressed(self) -> bool:
        """Whether it acts from a threshold on: a switch for as long as it holds nothing but off and on."""
        return self.form in (Form.PEDAL, Form.SWITCH)

    def form_of(self, values: Floats) -> Form:
        """The form of a lane that holds such values: what could be a switch is one by what it holds."""
        if not self.is_pressed:
            return self.form
        return Form.SWITCH if bool(((values == OFF) | (values == ON)).all()) else Form.PEDAL


def controller(number: int) -> str:
    """The key of a controller's lane."""
    return f"cc:{number}"


BEND, PRESSURE = "bend", "pressure"
MOD_WHEEL, VOLUME, PAN, EXPRESSION, SUSTAIN, SOSTENUTO, TIMBRE = map(controller, (1, 7, 10, 11, 64, 66, 74))
SOFT, HOLD_2 = controller(67), controller(69)
PEDALS = (SUSTAIN, SOSTENUTO, SOFT, HOLD_2)
BANKS = (0, 32)
"""Controllers that say what a program change that follows means."""
DATA_MSB, DATA_LSB, DATA_UP, DATA_DOWN = 6, 38, 96, 97
NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB = 98, 99, 100, 101
PARAMETERS = (DATA_MSB, DATA_LSB, DATA_UP, DATA_DOWN, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB)
"""Controllers that carry parameters, not expression. They are kept in place and are no lanes."""
ALL_SOUND_OFF, RESET, ALL_NOTES_OFF = 120, 121, 123
MODE_MESSAGES = 120
"""Controllers from here on are channel mode messages (all sound off, reset, all notes off ...): events, not lanes."""

_NAMED = {
    0: "Bank", 1: "Mod wheel", 2: "Breath", 4: "Foot pedal", 5: "Portamento time", 6: "Data entry", 7: "Volume",
    8: "Balance", 10: "Pan", 11: "Expression", 12: "Effect 1", 13: "Effect 2", 16: "General 1", 17: "General 2",
    18: "General 3", 19: "General 4", 64: "Sustain pedal", 65: "Portamento on", 66: "Sostenuto pedal",
    67: "Soft pedal", 68: "Legato", 69: "Hold 2", 70: "Sound variation", 71: "Resonance", 72: "Release time",
    73: "Attack time", 74: "Timbre", 75: "Decay time", 76: "Vibrato rate", 77: "Vibrato depth", 78: "Vibrato delay",
    79: "Sound control 10", 80: "General 5", 81: "General 6", 82: "General 7", 83: "General 8", 84: "Portamento from",
    88: "Fine velocity", 91: "Reverb send", 92: "Tremolo depth", 93: "Chorus send", 94: "Detune depth",
    95: "Phaser depth", 96: "Data up", 97: "Data down", 98: "NRPN fine", 99: "NRPN", 100: "RPN fine", 101: "RPN",
    120: "All sound off", 121: "Reset controllers", 122: "Local control", 123: "All notes off", 124: "Omni off",
    125: "Omni on", 126: "Mono on", 127: "Poly on",
}  # fmt: skip


def _name(number: int) -> str:
    coarse = number - FINE_OFFSET
    if number in _NAMED or not 0 <= coarse < FINE_OFFSET:
        return _NAMED.get(number, f"Controller {number}")
    return f"{_name(coarse)} fine"


CONTROLLERS: tuple[str, ...] = tuple(map(_name, range(128)))
"""What controllers are called, lanes or not."""


def _controller(number: int, form: Form = Form.LEVEL, default: float = 0.0, **particular: Any) -> LaneKind:
    wire = Wire(status.CONTROL, number)
    pressed = {"unit": "on from 64", "words": (("off", OFF), ("on", ON))}
    more = {"unit": "0–127", **(pressed if form in (Form.PEDAL, Form.SWITCH) else {}), **particular}
    return LaneKind(key=controller(number), name=CONTROLLERS[number], wire=wire, form=form, default=default, **more)


_PEDAL = {"after_reset": 0.0, "at_system_on": 0.0}
_SIDES = (("left", 0.0), ("centre", 64.0), ("right", 127.0))
_PARTICULAR = {
    1: _controller(1, after_reset=0.0, at_system_on=0.0),
    7: _controller(7, default=100.0, at_system_on=100.0),
    8: _controller(8, Form.CENTRED, 64.0, words=_SIDES),
    10: _controller(10, Form.CENTRED, 64.0, words=_SIDES, at_system_on=64.0),
    11: _controller(11, default=127.0, after_reset=127.0, at_system_on=127.0),
    64: _controller(64, Form.PEDAL, **_PEDAL),
    65: _controller(65, Form.SWITCH, **_PEDAL),
    66: _controller(66, Form.PEDAL, **_PEDAL),
    67: _controller(67, Form.PEDAL, **_PEDAL),
    68: _controller(68, Form.SWITCH),
    69: _controller(69, Form.PEDAL),
    **{number: _controller(number, default=64.0) for number in range(70, 80)},
}
_KINDS = (
    LaneKind(
        BEND, "Pitch bend", "semitones", Wire(status.BEND, bits=14), Form.CENTRED, low=-127.0, is_ranged=True,
        least=2.0, decimals=2, marks=(), rounds=(),
        step=1 / 64, seconds=0.002, worst=0.027, error=0.008,
        after_reset=0.0, at_system_on=0.0,
    ),
    LaneKind(PRESSURE, "Channel pressure", "0–127", Wire(status.PRESSURE), after_reset=0.0, at_system_on=0.0),
    *(
        _PARTICULAR.get(number) or _controller(number)
        for number in range(MODE_MESSAGES)
        if number not in PARAMETERS
    ),
)  # fmt: skip
CHANNEL_LANES: dict[str, LaneKind] = {kind.key: kind for kind in _KINDS}
"""Every lane a channel can have, in the order in which they are listed."""

OF_NOTES = "note:"
NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE, NOTE_PAN = (
    f"{OF_NOTES}{name}" for name in ("pitch", "pressure", "timbre", "pan")
)
BESIDE: dict[str, str] = {
    NOTE_PITCH: BEND, NOTE_PRESSURE: PRESSURE, NOTE_TIMBRE: TIMBRE, NOTE_PAN: PAN,
    **{
        f"{OF_NOTES}{key}": key
        for key, kind in CHANNEL_LANES.items()
        if key not in (BEND, PRESSURE, TIMBRE, PAN) and not kind.is_pressed and kind.wire.number not in BANKS
    },
}  # fmt: skip
"""Of each kind of curve that a note can have, the lane of its channel that it stands on. A pedal is no note's own."""


def _of_note(key: str) -> LaneKind:
    """The kind of a note's curve: as that of the lane beside it, but that no range of the wheel bounds it."""
    kind = CHANNEL_LANES[BESIDE[key]]
    if key == NOTE_PITCH:
        return kind._replace(key=key, name="Note pitch", low=-96.0, high=96.0, is_ranged=False)
    # What a note says is heard more closely than a channel's lane: as often as a bend, and no more than this off.
    kind = kind._replace(seconds=CHANNEL_LANES[BEND].seconds, worst=2.0)
    # Polyphonic pressure is a message of its own; what else belongs to a note is sent on a channel that it has alone.
    wire = Wire(status.POLY_PRESSURE) if key == NOTE_PRESSURE else kind.wire
    name = "Note pressure" if key == NOTE_PRESSURE else f"Note {kind.name[0].lower()}{kind.name[1:]}"
    return kind._replace(key=key, name=name, wire=wire, after_reset=None, at_system_on=None)


NOTE_LANES: dict[str, LaneKind] = {key: _of_note(key)._replace(is_of_notes=True) for key in BESIDE}
"""Every kind of curve that a note can have."""
LANES: dict[str, LaneKind] = CHANNEL_LANES | NOTE_LANES
"""All of them together."""
VELOCITY = LaneKind(
    "velocity", "Velocity", "1–127", Wire(status.NOTE_ON), default=64.0, low=1.0, marks=(1, 32, 64, 96, 127), rounds=(),
    words=tuple((word, float(value)) for word, value in MARKS),
)  # fmt: skip
"""How hard notes are struck: no lane of a channel, but drawn as one."""
MESSAGES: dict[str, str] = {
    controller(number): CONTROLLERS[number] for number in range(128) if controller(number) not in CHANNEL_LANES
}
"""Keys of controllers that are no lanes, and their names."""


def is_pitch(key: str) -> bool:
    """Whether a lane, or a kind of notes' own curves, says how far pitch is bent."""
    return key in (BEND, NOTE_PITCH)
