"""Lane keys and what they are called: one table, from which names, units and defaults are read (MIDI 1.0, table 3)."""

from typing import NamedTuple

from expression.arrays import Floats


class LaneName(NamedTuple):
    """How a lane is shown."""

    name: str
    unit: str
    default: float
    """What a receiver assumes until it is told otherwise (RP-015, Reset All Controllers; GM level 1)."""
    pedal: bool = False
    """On from 64, off below; a switch for as long as it holds nothing but off and on."""
    step: float = 1.0
    """The smallest change that is worth an event, in the lane's unit."""
    seconds: float = 0.005
    """No two events of a way come closer together than this."""
    error: float = 0.1
    """How far a curve may be off that has to be told in straight ways: with the rounding of ticks, no more than an
    eighth of a step; bend: a cent."""
    low: float = 0.0
    high: float = 127.0


FINE_OFFSET = 32
"""Controllers 0 to 31 have their fine halves 32 higher (MIDI 1.0, Continuous Controllers)."""

_PEDALS = {
    64: "Sustain pedal",
    65: "Portamento on",
    66: "Sostenuto pedal",
    67: "Soft pedal",
    68: "Legato",
    69: "Hold 2",
}
_NAMED = {
    0: "Bank", 1: "Mod wheel", 2: "Breath", 4: "Foot pedal", 5: "Portamento time", 6: "Data entry", 7: "Volume",
    8: "Balance", 10: "Pan", 11: "Expression", 12: "Effect 1", 13: "Effect 2", 16: "General 1", 17: "General 2",
    18: "General 3", 19: "General 4", 70: "Sound variation", 71: "Resonance", 72: "Release time", 73: "Attack time",
    74: "Timbre", 75: "Decay time", 76: "Vibrato rate", 77: "Vibrato depth", 78: "Vibrato delay",
    79: "Sound control 10", 80: "General 5", 81: "General 6", 82: "General 7", 83: "General 8", 84: "Portamento from",
    88: "Fine velocity", 91: "Reverb send", 92: "Tremolo depth", 93: "Chorus send", 94: "Detune depth",
    95: "Phaser depth", 96: "Data up", 97: "Data down", 98: "NRPN fine", 99: "NRPN", 100: "RPN fine", 101: "RPN",
    120: "All sound off", 121: "Reset controllers", 122: "Local control", 123: "All notes off", 124: "Omni off",
    125: "Omni on", 126: "Mono on", 127: "Poly on",
}  # fmt: skip
_DEFAULTS = {7: 100.0, 8: 64.0, 10: 64.0, 11: 127.0, **dict.fromkeys(range(70, 80), 64.0)}


def _controller(number: int) -> LaneName:
    if number in _PEDALS:
        return LaneName(_PEDALS[number], "on from 64", 0.0, pedal=True)
    coarse = number - FINE_OFFSET
    name = _NAMED.get(number) or (f"{_NAMED.get(coarse, f'Controller {coarse}')} fine" if 0 <= coarse < 32 else None)
    return LaneName(name or f"Controller {number}", "0–127", _DEFAULTS.get(number, 0.0))


DATA_MSB, DATA_LSB, DATA_UP, DATA_DOWN = 6, 38, 96, 97
NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB = 98, 99, 100, 101
PARAMETERS = (DATA_MSB, DATA_LSB, DATA_UP, DATA_DOWN, NRPN_LSB, NRPN_MSB, RPN_LSB, RPN_MSB)
"""Controllers that carry parameters, not expression. They are kept in place and are no lanes."""
RESET = 121
MODE_MESSAGES = 120
"""Controllers from here on are channel mode messages (all sound off, reset, all notes off ...): events, not lanes."""

CONTROLLERS: dict[int, LaneName] = {number: _controller(number) for number in range(128)}
"""What controllers are called, lanes or not."""
LANES: dict[str, LaneName] = {
    "bend": LaneName("Pitch bend", "semitones", 0.0, step=1 / 64, seconds=0.002, error=0.008, low=-127.0),
    "pressure": LaneName("Channel pressure", "0–127", 0.0),
    **{
        f"cc:{number}": name
        for number, name in CONTROLLERS.items()
        if number < MODE_MESSAGES and number not in PARAMETERS
    },
}
"""Every lane a channel can have, in the order in which they are listed."""
AFTER_RESET: dict[str, float] = {
    "bend": 0.0, "pressure": 0.0, "cc:1": 0.0, "cc:11": 127.0, "cc:64": 0.0, "cc:65": 0.0, "cc:66": 0.0, "cc:67": 0.0,
}  # fmt: skip
"""What Reset All Controllers puts back (RP-015). Volume, pan, sounds and effects keep their values."""
AT_SYSTEM_ON = {**AFTER_RESET, "cc:7": 100.0, "cc:10": 64.0}
"""The state that System On puts a module in (GM level 1)."""
ON, OFF = 127.0, 0.0


def controller_of(key: str) -> int | None:
    """The controller number of a lane, if it is one."""
    return int(key[3:]) if key.startswith("cc:") else None


def is_switch(key: str, values: Floats) -> bool:
    """Whether a lane is a switch by what it holds: a pedal that is off or on and nothing between."""
    return LANES[key].pedal and bool(((values == OFF) | (values == ON)).all())
