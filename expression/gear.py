"""What an instrument does by itself: found while nobody touches it, told in words, with what puts it right."""

from collections import defaultdict
from collections.abc import Sequence
from typing import Literal

import numpy as np
from typing_extensions import TypedDict

from expression.lanes import BEND, LANES, PEDALS, PRESSURE
from expression.pitch import NOTE_NAMES
from expression.played import is_message
from expression.status import BEND_CENTRE

Message = tuple[float, str]
"""Seconds since the listening began, and the bytes of a channel message in hexadecimal figures."""
FEW = 3
"""So many messages of a kind are no accident."""
NEAR_CENTRE = 8
"""Steps of 8192 that a wheel may rest beside its middle: less than a cent at the usual range."""
SLACK = 6
"""Steps beyond what a wheel was seen to tremble that are taken for resting, too."""
TWICE_SECONDS = 0.03


class Mend(TypedDict):
    """What puts it right: a kind is not taken, or where it changes; the wheel rests there; the pedal is turned."""

    do: Literal["ignore", "centre", "turn", "thin"]
    kind: str
    rest: int
    slack: int


class GearFinding(TypedDict):
    """What an instrument does by itself, in words, and what puts it right where anything does."""

    kind: str
    says: str
    mend: Mend | None


def listened(messages: Sequence[Message], seconds: float) -> list[GearFinding]:
    """What came in so many seconds in which nobody touched the instrument."""
    controls, keys = _sorted(messages)
    found: list[GearFinding] = []
    for kind, values in controls.items():
        if kind == BEND:
            found += _wheel(values)
        elif kind in PEDALS:
            found += _pedal(kind, values, seconds)
        else:
            found += _control(kind, values, seconds)
    if keys:
        names = ", ".join(NOTE_NAMES[key] for key in sorted(keys)[:3])
        found.append(_finding("notes", f"Keys strike by themselves: {names}.", None))
    return found


def played_through(messages: Sequence[Message]) -> list[GearFinding]:
    """What of a pass nobody can have played: keys that strike twice, and what moves a little all of the time."""
    controls, strikes = _sorted(messages)
    seconds = max((second for second, _ in messages), default=0.0) - min(
        (second for second, _ in messages), default=0.0
    )
    found: list[GearFinding] = []
    for kind, values in controls.items():
        spread = max(values) - min(values)
        if kind == BEND:
            found += [one for one in _wheel(values[-1:]) if len(values) >= FEW]
        elif kind not in PEDALS and spread <= 6 and seconds and len(values) / seconds >= 10:
            found += _control(kind, values, seconds)
    twice = sum(int((np.diff(sorted(times)) < TWICE_SECONDS).sum()) for times in strikes.values())
    if twice:
        found.append(_finding("notes", f"Keys strike twice: {twice} times within 30 ms.", None))
    return found


def _sorted(messages: Sequence[Message]) -> tuple[dict[str, list[int]], dict[int, list[float]]]:
    """The values of each control in their order, and when each key was struck."""
    controls: dict[str, list[int]] = defaultdict(list)
    strikes: dict[int, list[float]] = defaultdict(list)
    for second, words in sorted(messages):
        if not is_message(words):
            continue
        data = bytes.fromhex(words)
        kind = data[0] & 0xF0
        if kind == 0x90 and data[2]:
            strikes[data[1]].append(second)
        elif kind == 0xB0:
            controls[f"cc:{data[1]}"].append(data[2])
        elif kind == 0xD0:
            controls[PRESSURE].append(data[1])
        elif kind == 0xE0:
            controls[BEND].append((data[2] << 7 | data[1]) - BEND_CENTRE)
    return controls, strikes


def _control(kind: str, values: list[int], seconds: float) -> list[GearFinding]:
    name = LANES[kind].name if kind in LANES else f"Controller {kind.removeprefix('cc:')}"
    often = _often(len(values), seconds)
    low, high = min(values), max(values)
    if len(values) < FEW:
        return []
    if low == high:
        return [_finding(kind, f"{name} says {low} again and again, {often}.", _mend("thin", kind))]
    return [_finding(kind, f"{name} moves by itself, {often}, between {low} and {high}.", _mend("ignore", kind))]


def _pedal(kind: str, values: list[int], seconds: float) -> list[GearFinding]:
    name = LANES[kind].name
    found = []
    if values[-1] >= 64:
        says = f"{name} says that it is down, though nobody stands on it: it is the wrong way round."
        found.append(_finding(kind, says, _mend("turn", kind)))
    if len(values) >= FEW and len(set(values)) > 1:
        says = f"{name} trembles, {_often(len(values), seconds)}, between {min(values)} and {max(values)}."
        found.append(_finding(kind, says, _mend("ignore", kind)))
    return found


def _wheel(values: list[int]) -> list[GearFinding]:
    low, high = min(values), max(values)
    rest = int(np.median(values))
    if abs(rest) < NEAR_CENTRE and high - low < NEAR_CENTRE:
        return []
    mend: Mend = {"do": "centre", "kind": BEND, "rest": rest, "slack": max(high - rest, rest - low) + SLACK}
    if high - low < NEAR_CENTRE:
        return [_finding(BEND, f"The bend wheel rests at {rest:+d} instead of in its middle.", mend)]
    return [_finding(BEND, f"The bend wheel moves by itself, between {low:+d} and {high:+d}.", mend)]


def _often(count: int, seconds: float) -> str:
    rate = count / max(seconds, 0.1)
    return f"{rate:.0f} times a second" if rate >= 1.5 else f"{count} times"


def _mend(do: Literal["ignore", "turn", "thin"], kind: str) -> Mend:
    return {"do": do, "kind": kind, "rest": 0, "slack": 0}


def _finding(kind: str, says: str, mend: Mend | None) -> GearFinding:
    return {"kind": kind, "says": says, "mend": mend}


def forces(soft: Sequence[int], middle: Sequence[int], hard: Sequence[int]) -> list[int]:
    """For each velocity of a keyboard (0 to 127) the one it is taken for, from some soft, middle and hard strikes.

    Their medians become 32, 72 and 112, with straight lines between and to the ends; it never falls. Raises ValueError
    where they do not rise.
    """
    learned = [float(np.median(strikes)) if len(strikes) else float("nan") for strikes in (soft, middle, hard)]
    if not learned[0] < learned[1] < learned[2]:
        raise ValueError("soft, middle and hard strikes must grow harder; try them once more.")
    made = np.interp(np.arange(128), [0, *learned, 128], [0, 32, 72, 112, 128])
    return [0, *np.clip(np.floor(made[1:] + 0.5), 1, 127).astype(int).tolist()]
