"""What a pass is documented to do (docs/strokes.md, `record.pass`), by plain loops over its messages, for the judge."""

import math
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.rows import RIGHT, WRONG, Found, on_key, rows

PEDALS = ("cc:64", "cc:66", "cc:67", "cc:69")
SPRINGS = (*PEDALS, "bend", "pressure")
HALF_A_SECOND = 0.5


def played_in(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part = said["where"]["parts"][0]
    found = _notes(before, after, said, part)
    if found != RIGHT:
        return found
    moved = controls(before, said)
    for key in sorted({*before.parts[part].lanes, *after.parts[part].lanes, *moved}):
        found = _lane(before, after, said, part, key, moved.get(key, []))
        if found != RIGHT:
            return found
    return RIGHT


def later(take: Take, said: dict[str, Any], tick: int) -> int:
    if not said.get("shift_ms"):
        return tick
    seconds = float(take.tempo.seconds(tick)) + said["shift_ms"] / 1000
    return max(math.floor(float(take.tempo.tick(seconds)) + 0.5), 0)


def controls(take: Take, said: dict[str, Any]) -> dict[str, list[tuple[int, float]]]:
    """What each control did, one value a tick; the wheel in shares of its range."""
    found: dict[str, dict[int, float]] = {}
    for tick, words in said["events"]:
        data = bytes.fromhex(words)
        key, value = {
            0xB0: (f"cc:{data[1]}", float(data[-1])),
            0xD0: ("pressure", float(data[-1])),
            0xE0: ("bend", ((data[-1] << 7 | data[1]) - 8192) / 8192),
        }.get(data[0] & 0xF0, ("", 0.0))
        found.setdefault(key, {})[later(take, said, tick)] = value
    found.pop("", None)
    return {key: sorted(values.items()) for key, values in found.items()}


def left_out(said: dict[str, Any], key: str) -> bool:
    out = said.get("leave_out", ())
    return key in out or (key in PEDALS and "pedals" in out)


def spans(said: dict[str, Any]) -> list[tuple[int, int]]:
    first, after = said["where"]["span"]
    only = said.get("only")
    return [(max(a, first), min(b, after)) for a, b in (only or [(first, after)]) if max(a, first) < min(b, after)]


def is_in(said: dict[str, Any], tick: int) -> bool:
    return any(start <= tick < end for start, end in spans(said))


def _notes(before: Take, after: Take, said: dict[str, Any], part: int) -> Found:
    now = rows(after, part)
    strikes = on_key(after, part)
    if left_out(said, "notes"):
        return RIGHT if now == rows(before, part) else (WRONG, "notes changed, which were left out")
    down: dict[int, list[tuple[int, int]]] = {}
    wanted = []
    for tick, words in said["events"]:
        data = bytes.fromhex(words)
        if data[0] == 0x90 and data[2]:
            down.setdefault(data[1], []).append((tick, data[2]))
        elif data[0] in (0x80, 0x90) and down.get(data[1]):
            start, force = down[data[1]].pop(0)
            wanted.append((start, tick, data[1], force))
    wanted += [(start, said["where"]["span"][1], key, force) for key, held in down.items() for start, force in held]
    for start, end, key, force in wanted:
        start, end = later(before, said, start), later(before, said, end)
        if not is_in(said, start):
            continue
        here = [row for row in now.values() if (row.start, row.pitch) == (start, key)]
        if not here:
            return WRONG, f"what was played at {start} on {key} is not there"
        same = [row for row in here if row.velocity == force]
        if len(here) == 1 and not same and not any((s, k) == (start, key) for s, _, k, f in wanted if f != force):
            return WRONG, f"what was played at {start} on {key} has another force"
        again = [tick for tick in strikes.get(key, []) if tick > start]
        if same and max(row.end for row in same) < min(end, *(again or [end])) - 1:
            return WRONG, f"what was played at {start} on {key} ends too soon"
    for id_, row in rows(before, part).items():
        gone = said.get("mode") == "replace" and not row.cue and is_in(said, row.start)
        if gone and id_ in now:
            return WRONG, f"note {id_} did not give way"
        struck = (row.start, row.pitch) in {(later(before, said, start), key) for start, _, key, _ in wanted}
        if not gone and id_ not in now and not struck:
            return WRONG, f"note {id_} is gone"
    return RIGHT


def _lane(
    before: Take, after: Take, said: dict[str, Any], part: int, key: str, moved: list[tuple[int, float]]
) -> Found:
    from tests.judging.drawn import Drawn

    was, now = (Drawn.of(take, part, key) for take in (before, after))
    if left_out(said, key):
        return RIGHT if was == now else (WRONG, f"{key} changed, which was left out")
    if not was.ticks and len(before.parts[part].channel.resets):
        # A reset gives a new lane values of its own.
        return RIGHT
    size = before.parts[part].bend_range if key == "bend" else None
    moved = [(tick, value * (float(size.at(tick)) if size else 1.0)) for tick, value in moved]
    if key == "bend" and {*after.parts[part].channel.statements} != {*before.parts[part].channel.statements}:
        return RIGHT
    places = [tick for tick, _ in moved] + was.ticks + now.ticks + [edge for span in spans(said) for edge in span]
    ticks = sorted({max(place + step, 0) for place in places for step in (-1, 0, 1, 7)})
    for tick in ticks:
        want, got = _value(before, said, key, was, moved, tick), float(now.at(tick))
        both = math.isnan(want) == math.isnan(got)
        # Eased ways that are cut become straight ones, an eighth of a step or a cent off at most.
        if not both or (not math.isnan(want) and abs(want - got) > (0.011 if key == "bend" else 0.125)):
            return WRONG, f"{key} is {got:g} at {tick}, not {want:g}"
    return RIGHT


def _value(take: Take, said: dict[str, Any], key: str, was: Any, moved: list[tuple[int, float]], tick: int) -> float:
    old = float(was.at(tick))
    mode = said.get("mode", "merge")
    if mode == "replace":
        here = next(((start, last) for start, last in spans(said) if start <= tick < last), None)
        if here is None:
            since = [last for _, last in spans(said) if last <= tick]
            nothing = since and not any(node <= tick for node in was.ticks)
            if not nothing:
                return old
            # Nothing was there that could come back: it stays where it was put, and what springs is back.
            value = [v for t, v in moved if t < since[-1]]
            return (0.0 if key in SPRINGS else value[-1]) if value else old
        value = [v for t, v in moved if t <= tick]
        if value:
            return value[-1]
        return float(was.at(here[0])) if any(node < here[0] for node in was.ticks) else math.nan
    mine: list[tuple[int, float]] = []
    for start, after in spans(said):
        played = [(t, v) for t, v in moved if start <= t < after]
        back = after - (mode == "touch")
        springs = key in SPRINGS and played and played[-1][1] and played[-1][0] < back
        mine += [*played, (back, 0.0)] if springs else played
    if mode == "touch":
        for stretch in _stretches(take, mine, key):
            if stretch[0][0] <= tick <= stretch[-1][0]:
                return [v for t, v in stretch if t <= tick][-1]
            if stretch[-1][0] < tick and not any(node <= tick for node in was.ticks):
                old = stretch[-1][1]
        return old
    before = [(t, v) for t, v in mine if t <= tick]
    if not before:
        return old
    last = before[-1]
    node = int(np.searchsorted(was.ticks, tick, side="right")) - 1
    on_its_way = 0 <= node < len(was.ticks) - 1 and not was.hold[node]
    if last[0] == tick:
        return last[1]
    return old if on_its_way or (node >= 0 and was.ticks[node] > last[0]) else last[1]


def _stretches(take: Take, mine: list[tuple[int, float]], key: str) -> list[list[tuple[int, float]]]:
    found: list[list[tuple[int, float]]] = []
    for tick, value in mine:
        if found:
            last, before = found[-1][-1]
            gap = float(take.tempo.seconds(tick)) - float(take.tempo.seconds(last))
            if gap < HALF_A_SECOND or (key in SPRINGS and before != 0):
                found[-1].append((tick, value))
                continue
        found.append([(tick, value)])
    return found
