"""Strokes on lanes, as they are documented."""

import math
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.comparing import MEASURES, compare, drawable, inside, is_switch, limits, steepness
from tests.judging.drawn import Drawn, way
from tests.judging.hearing import EIGHTH, STEP_SECONDS, Hearing, _steps
from tests.judging.takes import DEFAULTS


def ramped(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    there = [DEFAULTS.get(key, 0.0) if np.isnan(v) else float(v) for v in Drawn.of(before, part, key).at([start, end])]
    low, high = (
        given if given is not None else v for given, v in zip((said.get("start"), said.get("end")), there, strict=True)
    )
    ticks = inside(start, end)
    wanted = low + (high - low) * way((ticks - start) / (end - start), said.get("lift", 0.0), said.get("ease", 0.0))
    # A way that ends at the end of the range does so at a whole tick.
    allowed = 1 + steepness(wanted, ticks) / (0.01 if key == "bend" else EIGHTH)
    return compare(after, part, key, ticks, np.clip(wanted, *drawable(before, part, key)), allowed)


def waved(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    if is_switch(before, part, key):
        return 0.0, ""
    ticks = inside(start, end, 301)
    clock = before.tempo
    if said.get("per", "beats") == "hz":
        turns = (clock.seconds(ticks) - clock.seconds(start)) * said["rate"]
    else:
        turns = (ticks - start) / before.resolution / said["rate"]
    share = (turns + said.get("phase", 0.0)) % 1
    form = said.get("form", "sine")
    level = {
        "sine": np.sin(2 * np.pi * share), "rise": 2 * share - 1, "fall": 1 - 2 * share,
        "pulse": np.where(share < 0.5, 1.0, -1.0), "triangle": 1 - np.abs(4 * ((share + 0.25) % 1) - 2),
    }[form]  # fmt: skip
    last = said.get("depth_end") if said.get("depth_end") is not None else said["depth"]
    depth = said["depth"] + (last - said["depth"]) * (ticks - start) / (end - start)
    if said.get("fade_in"):
        depth = depth * np.clip((ticks - start) / (said["fade_in"] * before.resolution), 0, 1)
    base = Drawn.of(before, part, key).at(ticks) if said.get("mode") == "add" else said.get("centre", 64.0)
    wanted = np.clip(base + depth * level, *drawable(before, part, key))
    # Beside a jump, and where a cycle lasts only some ticks, rounding to ticks decides.
    per_tick = np.max(np.abs(np.diff(turns)) / np.maximum(np.diff(ticks), 1)) if len(ticks) > 1 else 0
    near = np.min([np.abs((share - edge + 0.5) % 1 - 0.5) for edge in (0.0, 0.5)], axis=0)
    keep = near > 1.5 * per_tick
    keep &= (form == "sine") | (
        np.min([np.abs((share - e + 0.5) % 1 - 0.5) for e in (0.25, 0.75)], axis=0) > 1.5 * per_tick
    )
    slope = float(np.max(depth)) * per_tick * 2 * np.pi
    wanted = np.where(keep, wanted, np.nan)
    return compare(after, part, key, ticks, wanted, 1 + slope / (0.01 if key == "bend" else EIGHTH))


def faded(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said.get("lane", "cc:11"), said["where"]["parts"][0], said["where"]["span"]
    ticks = inside(start, end)
    base = Drawn.of(before, part, key).at(ticks)
    base = np.where(np.isnan(base), DEFAULTS.get(key, 0.0), base)
    factor = said["start"] + (said["end"] - said["start"]) * way(
        (ticks - start) / (end - start), said.get("lift", 0.0), said.get("ease", 0.0)
    )
    wanted = np.clip(base * factor, 0, max([127.0, *Drawn.of(before, part, key).values]))
    return compare(after, part, key, ticks, wanted, 1 + steepness(base * factor, ticks) / EIGHTH)


def framed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    drawn = Drawn.of(before, part, key)
    if said.get("join") == "smooth" or not drawn.ticks or is_switch(before, part, key):
        return 0.0, ""
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    length, drift = said.get("length", 1.0), said.get("drift", 0.0)
    covered = max(round((end - start) * length), 1)
    ticks = inside(start, start + covered, 301)
    share = (ticks - start) / ((end - start) * length)
    if drift:
        middle = 0.5 + 0.45 * drift
        lift = math.log((1 - middle) / middle) / 4
        share = np.log1p(share * math.expm1(8 * lift)) / (8 * lift)
    at = start + share * (end - start)

    def valued(moments: Any) -> Any:
        return drawn.at(moments) + said.get("level", 0.0)

    values = valued(at)
    depth = said.get("depth", 1.0)
    pivot = said.get("pivot", "mean")
    if depth != 1 and isinstance(pivot, str):
        nodes = [t for t in drawn.ticks if start <= t < end]
        if drawn.ticks[0] <= start and start not in nodes:
            nodes = [start, *nodes]
        if len(set(nodes)) != len(nodes) or not nodes:
            return 0.0, ""
        found = valued(np.array(nodes))
        if not all(drawn.hold) and pivot != "mean":
            found = valued(np.arange(max(start, drawn.ticks[0]), end))
        if not all(drawn.hold) and pivot == "mean":
            return 0.0, ""
        pivot = MEASURES[pivot](found)
    if depth != 1:
        values = pivot + depth * (values - pivot)
    left, right = said.get("lean", (1.0, 1.0))
    bow = said.get("bow", 0.0)
    inner = (at - start) / (end - start)
    values = values * (left + (right - left) * inner) + bow * 4 * inner * (1 - inner)
    low, high = drawable(before, part, key)
    if said.get("limit", "pin") != "pin" and (np.nanmin(values) < low + 1 or np.nanmax(values) > high - 1):
        return 0.0, ""
    wanted = np.clip(values, low, high)
    allowed = 1.3 + steepness(values, ticks) / (0.01 if key == "bend" else EIGHTH)
    # Beside a node that moves to another tick, rounding decides where the jump is.
    if drift or length != 1:
        near = np.array([min((abs(one - tick) for tick in drawn.ticks), default=9e9) for one in at])
        wanted = np.where(near < 3 + 3 / max(length, 0.01) + (end - start) * 0.002, np.nan, wanted)
        steep = np.abs(drawn.at(at + 2) - drawn.at(at - 2))
        wanted = np.where(steep > 0.2 * (0.1 if key == "bend" else 1), np.nan, wanted)
    return compare(after, part, key, ticks, wanted, allowed)


def smoothed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    drawn = Drawn.of(before, part, key)
    if not drawn.ticks or is_switch(before, part, key):
        return 0.0, ""
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    start = max(start, drawn.ticks[0])
    low, high = limits(before, part, key)
    jump = said.get("jump") if said.get("jump") is not None else (high - low) / 4
    every = np.arange(start, end)
    if len(every) < 3 or len(every) > 40_000:
        return 0.0, ""
    values, clock = drawn.at(every), before.tempo.seconds(every)
    if any(a == b for a, b in zip(drawn.ticks, drawn.ticks[1:], strict=False)):
        return 0.0, ""
    lasting = np.diff(np.append(clock, before.tempo.seconds(end)))
    # What moves is in the middle of a tick what it is on the whole of it.
    area = np.concatenate(([0.0], np.cumsum(drawn.at(every + 0.5) * lasting)))
    clocks = np.append(clock, before.tempo.seconds(end))
    jumps = np.flatnonzero(np.abs(np.diff(values)) > jump) + 1
    moving = np.flatnonzero(~np.array(drawn.hold)[np.searchsorted(drawn.ticks, every[jumps] - 1, side="right") - 1])
    if len(moving) or np.any(np.abs(np.abs(np.diff(values)) - jump) < 1e-6):
        return 0.0, ""
    edges = np.concatenate(([0], jumps, [len(every)]))
    half_width = said.get("width", 80.0) / 2000
    ticks = inside(start, end, 80)
    wanted = []
    for tick in ticks.tolist():
        row = tick - start
        section = np.searchsorted(edges, row, side="right") - 1
        low_, high_ = clocks[edges[section]], clocks[edges[section + 1]]
        half = min(half_width, clock[row] - low_, high_ - clock[row])
        if half < 1e-6:
            wanted.append(values[row])
            continue
        under = np.interp([clock[row] - half, clock[row] + half], clocks, area)
        wanted.append((under[1] - under[0]) / (2 * half))
    # A bend is drawn beyond its range, too.
    low, high = drawable(before, part, key)
    wanted = np.clip(np.array(wanted), low, max([high, *drawn.values]))
    # Within a tick of a transition the mean is only as fine as the ticks are.
    slope = np.max(np.abs(np.diff(values)), initial=0) * np.max(lasting) / half_width
    return compare(after, part, key, ticks, wanted, 2 + slope / (0.01 if key == "bend" else EIGHTH))


def copied(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    to = said["to"]
    target = to.get("lane") or key
    if "bend" in (key, target) or is_switch(before, part, target) or target in {f"cc:{n}" for n in range(64, 70)}:
        return 0.0, ""
    length, at = said.get("fit") or end - start, to.get("at", start)
    at_ = inside(at, at + length * said.get("repeat", 1), 201)
    inner = ((at_ - at) % length) / length * (end - start)
    if said.get("flip") == "time":
        inner = (end - start) - inner
    drawn = Drawn.of(before, part, key)
    values = drawn.at(start + inner) * said.get("gain", 1.0)
    if said.get("flip") == "value":
        values = max([127.0, *Drawn.of(before, part, target).values]) - values
    near = np.array(
        [min((abs(one - tick) for tick in (*drawn.ticks, start, end)), default=9e9) for one in start + inner]
    )
    step = 3 * (end - start) / length + 3
    steep = np.abs(drawn.at(start + inner + step) - drawn.at(start + inner - step))
    wanted = np.where(
        (near < step) | (steep > 0.1), np.nan, np.clip(values, 0, max([127.0, *Drawn.of(before, part, target).values]))
    )
    return compare(after, part, target, at_, wanted, 1.5)


def cleared(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    part, span = said["where"]["parts"][0], said["where"].get("span")
    keys = [said["lane"]] if isinstance(said["lane"], str) else said["lane"]
    if span is None:
        left = [key for key in keys if key in after.parts[part].lanes]
        return (99.0, f"{left} are still there") if left else (0.0, "")
    key = keys[0]
    drawn = Drawn.of(before, part, key)
    if span[0] <= 0 or not drawn.ticks:
        return 0.0, ""
    # What was there just before the span lasts through it.
    first = [v for t, v in zip(drawn.ticks, drawn.values, strict=True) if t == span[0]]
    row = np.searchsorted(drawn.ticks, span[0]) - 1
    last = first[0] if first and row >= 0 and not drawn.hold[row] else drawn.at(span[0] - 1e-9)
    return compare(after, part, key, inside(*span), np.full(len(inside(*span)), last))


def shifted(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Nodes are where they were, or so many ticks later; those that were there before them are gone."""
    key, part = said["lane"], said["where"]["parts"][0]
    was, now = Drawn.of(before, part, key), Drawn.of(after, part, key)
    start, end = said["where"].get("span") or (0, math.inf)
    pairs = list(zip(was.ticks, was.values, strict=True))
    moved = [(tick + said["ticks"], value) for tick, value in pairs if start <= tick < end]
    taken = {tick for tick, _ in moved}
    stays = [(tick, value) for tick, value in pairs if not start <= tick < end and tick not in taken]
    wanted = sorted([*stays, *moved], key=lambda one: one[0])
    found = list(zip(now.ticks, now.values, strict=True))
    return (0.0, "") if wanted == found else (99.0, f"nodes are {found[:6]}, not {wanted[:6]}")


def distilled(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part = said["lane"] if isinstance(said["lane"], str) else said["lane"][0], said["where"]["parts"][0]
    was, now = Hearing(before), Hearing(after)
    moments = np.array(sorted({*was.moments(part, key), *now.moments(part, key)}))
    ticks = np.unique(np.concatenate((moments, moments - 1)))
    if span := said["where"].get("span"):
        # Where a way goes on steeply after it, events come as often as the time step allows, but at other moments; and
        # one too soon before the node at its end is left to that.
        ticks = ticks[(ticks >= span[0]) & (ticks < now.earlier(span[1], STEP_SECONDS))]
    off = np.abs(was.value(part, key, ticks) - now.value(part, key, ticks))
    off = off[~np.isnan(off)]
    allowed = said.get("tolerance", 1.0) + 1e-6
    counts = [len(_steps(one.channel(part), key).ticks) for one in (was, now)]
    drawn = not all(Drawn.of(before, part, key).hold)
    # What was drawn was itself within half a step of what it was heard as.
    worst = float(off.max(initial=0.0)) / (allowed + (0.5 if key != "bend" else 0.03) * drawn)
    if counts[1] > counts[0] + 2 * drawn:
        return 99.0, f"{counts[1]} events where {counts[0]} were"
    return worst, f"part {part} {key} is heard {off.max(initial=0.0):.3f} away, tolerance {allowed:.3f}"


def led_in(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part = said["lane"], said["where"]["parts"][0]
    if said.get("value") is None:
        return 0.0, ""
    heard = Hearing(after).value(part, key, [0])
    low, high = limits(after, part, key)
    if key == "bend":
        at_start = float(after.parts[part].bend_range.at(0))
        low, high = max(low, -at_start), min(high, at_start)
    wanted = min(max(said["value"], low), high)
    off = abs(float(heard[0]) - wanted) / (0.03 if key == "bend" else 0.5001)
    return off, f"part {part} {key} is heard {heard[0]} at the start, not {wanted}"


def drawn_by_hand(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    points = said["points"]
    if said.get("steps") or is_switch(before, part, key) or len({tick for tick, _ in points}) < len(points):
        return 0.0, ""
    start, end = points[0][0], points[-1][0] + 1
    if span:
        start, end = max(start, span[0]), min(end, span[1])
    low, high = drawable(before, part, key)
    ticks = np.array([tick for tick, _ in points if start <= tick < end] or [start])
    wanted = np.clip(np.interp(ticks, *np.array(points).T), low, high)
    unit = 0.011 if key == "bend" else EIGHTH
    return compare(after, part, key, ticks, wanted, 1 + said.get("tolerance", 1.0) / unit)


def noded(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, nodes = said["lane"], said["where"]["parts"][0], said["nodes"]
    if not nodes:
        return 0.0, ""
    last = {node["tick"]: node["value"] for node in nodes}
    return compare(after, part, key, list(last), list(last.values()))


def shaped(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    if said.get("notes") or not span:
        return 0.0, ""
    start, end = span
    every = said.get("every")
    ticks = inside(start, end, 211)
    length = every * before.resolution if every else end - start
    head = np.floor(start + np.floor((ticks - start) / length) * length + 0.5)
    tail = np.minimum(np.floor(head + length + 0.5), end)
    lasting = np.maximum(tail - head, 1)
    peak, lift, ease = said.get("peak"), said.get("lift", 0.0), said.get("ease", 0.0)
    u = (ticks - head) / lasting
    if peak is None:
        wanted = said["start"] + (said["end"] - said["start"]) * way(u, lift, ease)
    else:
        turn = np.floor(lasting * said.get("peak_at", 0.5) + 0.5)
        up = said["start"] + (peak - said["start"]) * way(
            np.clip((ticks - head) / np.maximum(turn, 1), 0, 1), lift, ease
        )
        back = np.clip((ticks - head - turn) / np.maximum(lasting - turn, 1), 0, 1)
        wanted = np.where(ticks - head < turn, up, peak + (said["end"] - peak) * way(back, -lift, ease))
        wanted = np.where((turn < 2) | (lasting - turn < 2), np.nan, wanted)
    # The form runs between its ends as they are held within the range.
    low, high = drawable(before, part, key)
    if any(not low <= one <= high for one in (said["start"], said["end"], peak or low)):
        return 0.0, ""
    near = (np.abs(ticks - head) < 3) | (np.abs(tail - ticks) < 3)
    wanted = np.where(near & (ticks != start), np.nan, wanted)
    steep = np.nan_to_num(np.abs(np.gradient(wanted, ticks))) if len(ticks) > 2 else np.zeros(len(ticks))
    unit = 0.011 if key == "bend" else EIGHTH
    # Three places of each shape lie on whole ticks: its edges, and its peak.
    return compare(after, part, key, ticks, wanted, 1.2 + 2 * min(float(steep.max()), 8.0) / unit)


def moved(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, to, part, span = said["lane"], said["to"], said["where"]["parts"][0], said["where"].get("span")
    if "bend" in (key, to) or is_switch(before, part, to) or not Drawn.of(before, part, key).ticks:
        return 0.0, ""
    drawn = Drawn.of(before, part, key)
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    ticks = inside(max(start, drawn.ticks[0]), end, 151)
    highest = max([127.0, *Drawn.of(before, part, to).values])
    found = compare(after, part, to, ticks, np.minimum(drawn.at(ticks), highest), 1.2)
    if said.get("keep"):
        other = compare(after, part, key, ticks, drawn.at(ticks))
        return max(found, other, key=lambda one: one[0])
    return found


def unplayed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Nothing new is said: every node is one that was there, or a flicker's usual value."""
    key = said["lane"] if isinstance(said["lane"], str) else said["lane"][0]
    part = said["where"]["parts"][0]
    was, now = (Drawn.of(take, part, key) for take in (before, after))
    edges = said["where"].get("span") or [0, -1]
    strange = [tick for tick in now.ticks if tick not in set(was.ticks) and tick not in edges]
    return (99.0, f"nodes at {strange[:3]} that were not there") if strange else (0.0, "")
