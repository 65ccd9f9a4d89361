"""Strokes on the wheel, as they are documented."""

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.comparing import compare
from tests.judging.drawn import Drawn, way


@dataclass(frozen=True)
class Struck:
    """A note in short."""

    start: int
    pitch: int
    velocity: int


def struck(take: Take, part: int) -> list[Struck]:
    notes = take.parts[part].notes
    return [Struck(*one) for one in zip(*(c.tolist() for c in (notes.start, notes.pitch, notes.velocity)), strict=True)]


def alone(before: Take, said: dict[str, Any]) -> list[tuple[int, int, int]]:
    """Chosen notes that no other chosen note meets: their starts, ends (or where the next begins) and pitches."""
    part = before.parts[said["where"]["parts"][0]]
    low, high = said["where"].get("span") or (0, math.inf)
    notes = [
        (int(start), int(end), int(pitch))
        for start, end, pitch in zip(part.notes.start, part.notes.end, part.notes.pitch, strict=True)
        if low <= start < high
    ]
    chord = before.resolution / 16
    return [
        (start, end, pitch)
        for start, end, pitch in sorted(notes)
        if all(abs(other[0] - start) > 2 * chord and not start <= other[0] < end and not other[0] <= start < other[1]
               for other in notes if other != (start, end, pitch))
        and notes.count((start, end, pitch)) == 1 and end > start
    ][:12]  # fmt: skip


def bent(offset: Callable[..., Any]) -> Callable[[Take, Take, dict[str, Any]], tuple[float, str]]:
    """What a gesture adds to the bend over a note, held against what was drawn before."""

    def formula(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
        part = said["where"]["parts"][0]
        worst = (0.0, "")
        for start, end, pitch in alone(before, said):
            ticks = np.unique(np.linspace(start, end - 1, 25).astype(int))
            base = np.nan_to_num(Drawn.of(before, part, "bend").at(ticks))
            away = offset(said, before, ticks, start, end, pitch)
            if away is None:
                continue
            # Nodes lie on whole ticks; at a peak it is as steep on either side.
            beside = [np.abs(offset(said, before, ticks + by, start, end, pitch) - away) for by in (-1, 1)]
            slack = 2 + 2 * float(np.max(beside)) / 0.011
            # Where the lane has not begun and nothing is added, nothing is said.
            away = np.where((away == 0) & np.isnan(Drawn.of(after, part, "bend").at(ticks)), np.nan, away)
            worst = max(worst, compare(after, part, "bend", ticks, base + away, slack))
        return worst

    return formula


def scooped(said: dict[str, Any], take: Take, ticks: Any, start: int, end: int, pitch: int) -> Any:
    time = min(max(round(said.get("time", 0.25) * take.resolution), 1), end - start)
    u = np.clip((ticks - start) / time, 0, 1)
    return said.get("start", -2.0) * (1 - way(u, said.get("lift", 0.0), said.get("ease", 0.0)))


def fallen(said: dict[str, Any], take: Take, ticks: Any, start: int, end: int, pitch: int) -> Any:
    leaves = max(end - max(round(said.get("time", 0.5) * take.resolution), 1), start)
    u = np.clip((ticks - leaves) / (end - leaves), 0, 1)
    return said.get("end", -2.0) * way(u, said.get("lift", 0.0), said.get("ease", 0.0))


def dipped(said: dict[str, Any], take: Take, ticks: Any, start: int, end: int, pitch: int) -> Any:
    half = max(round(said.get("time", 0.5) * take.resolution / 2), 1)
    middle = start + round(said.get("at", 0.5) * (end - start))
    first, last = max(middle - half, start), min(middle + half, end)
    lift, ease = said.get("lift", 0.0), said.get("ease", 0.0)
    there = way(np.clip((ticks - first) / max(middle - first, 1e-9), 0, 1), lift, ease)
    back = 1 - way(np.clip((ticks - middle) / max(last - middle, 1e-9), 0, 1), -lift, ease)
    within = (ticks >= first) & (ticks < last)
    return said.get("depth", -1.0) * np.where(within, np.where(ticks < middle, there, back), 0.0)


def shaken(said: dict[str, Any], take: Take, ticks: Any, start: int, end: int, pitch: int) -> Any:
    begin = start + round(said.get("delay", 0.0) * take.resolution)
    until = end - round(said.get("settle", 0.0) * take.resolution)
    clock = take.tempo.seconds if said.get("per", "hz") == "hz" else (lambda tick: np.asarray(tick, dtype=float))
    by_clock = said.get("per", "hz") == "hz"
    rate = said.get("rate", 5.5)
    rates = [one if by_clock else 1 / (one * take.resolution) for one in (rate, said.get("rate_end") or rate)]
    lasts = float(clock(until) - clock(begin))
    grown_at = said.get("grown_at")
    grows = lasts
    if grown_at is not None:
        at = start + grown_at * (end - start)
        grows = min(max(float(clock(math.floor(at + 0.5) if by_clock else at) - clock(begin)), 0.0), max(lasts, 0.0))
    growing = sum(rates) / 2 * grows
    halves = math.floor(2 * (growing + rates[1] * (lasts - grows)) + 1e-9)
    if halves < 1 or 1 / max(rates) / 2 < (0.02 if by_clock else 40):
        return None
    passed = clock(ticks) - clock(begin)
    early = np.minimum(passed, grows)
    turns = rates[0] * early + (rates[1] - rates[0]) / max(grows, 1e-9) / 2 * early**2 + rates[1] * (passed - early)
    grown = np.clip(turns / max(growing if grows < lasts else halves / 2, 1e-9), 0, 1)
    share = turns / (halves / 2)
    first = said.get("depth", 30.0)
    last = first if said.get("depth_end") is None else said["depth_end"]
    depth = first + (last - first) * grown
    return np.where((share >= 0) & (share < 1), depth / 100 * np.sin(2 * np.pi * turns), 0.0)


def glided(said: dict[str, Any], take: Take, ticks: Any, start: int, end: int, pitch: int) -> Any:
    notes = take.parts[said["where"]["parts"][0]].notes
    later = [(int(s), int(p)) for s, p in zip(notes.start, notes.pitch, strict=True) if s > start]
    if not later or said.get("as", "tail") != "tail":
        return None
    onset = min(later)[0]
    target = min((abs(p - pitch), p - pitch) for s, p in later if s == onset)
    if sum(s == onset for s, _ in later) > 1:
        return None
    end = min(end, onset)
    leave = start + round(said.get("start", 0.5) * (end - start))
    time = said.get("time")
    there = end if time is None else min(leave + max(round(time * take.resolution), 1), end)
    if there <= leave:
        return None
    u = np.clip((ticks - leave) / (there - leave), 0, 1)
    return target[1] * way(u, said.get("lift", 0.0), said.get("ease", 0.0))


def sent_home(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Some time after the last note has ended the wheel is at the centre, until it is moved again."""
    part = said["where"]["parts"][0]
    if said["where"].get("span"):
        return 0.0, ""
    notes = sorted(
        (int(s), int(e)) for one in before.parts_on(before.parts[part].channel)
        for s, e in zip(one.notes.start, one.notes.end, strict=True)
    )  # fmt: skip
    worst = (0.0, "")
    last = 0
    for (_, end), (onset, _) in itertools.pairwise(notes):
        last = max(last, end)
        home = last + round(said.get("time", 0.25) * before.resolution)
        if home < onset and Drawn.of(before, part, "bend").ticks[0] <= home:
            worst = max(worst, compare(after, part, "bend", np.array([home, onset - 1]), np.zeros(2)))
    return worst


def ranged(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """`sound` keeps the drawing; `travel` keeps the wheel, whose share of the range in force says where it is."""
    part = said["where"]["parts"][0]
    if "bend" not in before.parts[part].lanes:
        return 0.0, ""
    nodes = Drawn.of(before, part, "bend").ticks
    ticks = np.unique(np.array([tick for tick in (*nodes, *(tick + 7 for tick in nodes)) if tick >= nodes[0]]))
    was = Drawn.of(before, part, "bend").at(ticks)
    if said.get("keep", "sound") == "travel":
        old, new = (take.parts[part].bend_range.at(ticks) for take in (before, after))
        was = np.where(old > 0, was * new / np.where(old > 0, old, 1), np.nan)
    return compare(after, part, "bend", ticks, was, 1.5)
