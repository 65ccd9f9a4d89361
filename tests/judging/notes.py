"""What strokes on notes and on their curves are documented to do (docs/strokes.md), by plain loops, for the judge.

A formula gives 0 and nothing where all is as it is meant to be; otherwise a number over 1 and a sentence.
"""

import bisect
import itertools
import math
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.note_curves import (
    begun,
    centred,
    drawn_for_each,
    given,
    glided,
    same_drawing,
    scattered,
    together,
    trimmed,
)
from tests.judging.rows import RIGHT, WRONG, Found, Row, chosen, rounded, rows, stands


def stepped(pitch: int, steps: int, scale: list[int]) -> int:
    """So many steps of a scale higher, by a list of its keys; beside it, the distance to the step below stays."""
    keys = [key for key in range(-240, 400) if key % 12 in scale]
    row = bisect.bisect_right(keys, pitch) - 1
    return keys[row + steps] + pitch - keys[row]


def moved(before: Take, after: Take, said: dict[str, Any]) -> Found:
    def wanted(row: Row) -> tuple[int, int, int]:
        keys, scale, ticks = said.get("keys", 0), said.get("scale"), said.get("ticks", 0)
        pitch = stepped(row.pitch, keys, scale) if scale else row.pitch + keys
        return row.start + ticks, row.end + ticks, pitch

    return stands(before, after, said, wanted)


def lengthened(before: Take, after: Take, said: dict[str, Any]) -> Found:
    beat, gap, edge = before.resolution, said.get("gap_ms"), said.get("edge", "end")
    line = sorted(set(chords([row.start for row in chosen(before, said).values()], beat // 16).values()))

    def wanted(row: Row) -> tuple[int, int, int] | None:
        was = row.end - row.start
        least = max(min(was, max(beat // 32, 1)), 1)
        if gap is not None:
            head = max((tick for tick in line if tick <= row.start), default=row.start)
            following = [tick for tick in line if tick > head]
            if not following:
                return None
            until = rounded(float(before.tempo.tick(before.tempo.seconds(following[0]) - gap / 1000)))
            length = max(until - row.start, least)
        elif said.get("to") is not None:
            length = max(round(said["to"] * beat), 1)
        elif said.get("by") is not None:
            length = max(was + round(said["by"] * beat), least)
        else:
            length = max(rounded(was * said["factor"]), least)
        if edge == "start":
            return max(row.end - length, 0), max(row.end, max(row.end - length, 0) + 1), row.pitch
        return row.start, row.start + length, row.pitch

    return stands(before, after, said, wanted)


def chords(starts: list[int], apart: int) -> dict[int, int]:
    """Of each start that of its chord: of the first that began no more than a spread before."""
    found, head = {}, -math.inf
    for start in sorted(starts):
        head = start if start - head > apart else head
        found[start] = int(head)
    return found


def strummed(before: Take, after: Take, said: dict[str, Any]) -> Found:
    mine = list(chosen(before, said).values())
    heads = chords([row.start for row in mine], before.resolution // 16)
    order, lift, each = said.get("order", "up"), said.get("lift", 0.0), said.get("time_ms", 20.0) / 1000
    at: dict[int, int] = {}
    for head in set(heads.values()):
        chord = sorted((row for row in mine if heads[row.start] == head), key=lambda row: row.pitch)
        if len({row.pitch for row in chord}) < len(chord):
            return RIGHT
        if order == "down":
            chord.reverse()
        elif order == "out":
            # From the middle outwards, of two that are as far from it the lower first.
            middle = (len(chord) - 1) / 2
            places = sorted(range(len(chord)), key=lambda place: (abs(place - middle), place))
            chord = [chord[place] for place in places]
        for rank, row in enumerate(chord):
            if len(chord) < 2:
                at[row.id] = row.start
                continue
            share = rank / (len(chord) - 1)
            bent = math.expm1(-8 * lift * share) / math.expm1(-8 * lift) if lift else share
            late = (len(chord) - 1) * each * (bent - (said.get("anchor") == "last"))
            at[row.id] = rounded(float(before.tempo.tick(max(float(before.tempo.seconds(head)) + late, 0.0))))

    def wanted(row: Row) -> tuple[int, int, int]:
        start = at[row.id]
        return start, max(row.end, start + max((row.end - row.start) // 4, 1)), row.pitch

    return stands(before, after, said, wanted)


def placed(before: Take, after: Take, said: dict[str, Any]) -> Found:
    step, keep, swing = 4 * before.resolution / said.get("grid", 16), said.get("keep", 0.0), said.get("swing", 0.0)
    window = said.get("window")

    def line_of(start: int) -> float:
        bar, _, length = (int(column[0]) for column in before.meter.bar_of(np.array([start])))
        lines = [bar + n * step + (swing * step / 3 if n % 2 else 0.0) for n in range(math.ceil(length / step) + 2)]
        return float(min((min(line, bar + length) for line in lines), key=lambda line: abs(line - start)))

    mine = chosen(before, said)
    targets = Counter((row.pitch, rounded(line_of(row.start))) for row in mine.values())

    def wanted(row: Row) -> tuple[int, int, int] | None:
        line = line_of(row.start)
        lines = sorted({abs(line_of(row.start + near) - line) for near in (-2, 2)})
        if targets[row.pitch, rounded(line)] > 1 or lines[-1] > 0.5 or (not float(line + keep).is_integer() and keep):
            return None
        if window is not None and abs(rounded(line) - row.start) > window * before.resolution - 2:
            return None
        start = max(rounded(line + keep * (row.start - line)), 0)
        return start, row.end + start - row.start, row.pitch

    return stands(before, after, said, wanted)


def loosened(before: Take, after: Take, said: dict[str, Any]) -> Found:
    now, amount = rows(after, said["where"]["parts"][0]), said.get("amount_ms", 8.0) / 1000
    mine = chosen(before, said)
    for id_, row in rows(before, said["where"]["parts"][0]).items():
        if id_ not in now:
            continue
        seconds = [float(before.tempo.seconds(one.start)) for one in (row, now[id_])]
        tick = float(before.tempo.seconds(row.start + 60)) - seconds[0]
        # Notes of a key keep their order, so that one may be pushed on by others.
        if abs(seconds[1] - seconds[0]) > (2 * amount + tick if id_ in mine else 0):
            return WRONG, f"note {id_} was moved by {seconds[1] - seconds[0]:.4f} s"
        if (now[id_].pitch, now[id_].velocity) != (row.pitch, row.velocity):
            return WRONG, f"note {id_} is another"
    return RIGHT


def tiles(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """Split notes: pieces without a gap between them, from where each began to where it ended."""
    part = said["where"]["parts"][0]
    found = Counter((row.start, row.end, row.pitch, row.velocity) for row in rows(after, part).values())
    mine = chosen(before, said)
    for id_, row in rows(before, part).items():
        cuts: list[int] = []
        length = row.end - row.start
        if id_ in mine and said.get("into") and length >= said["into"]:
            cuts = [row.start + rounded(n * length / said["into"]) for n in range(1, said["into"])]
        elif id_ in mine and said.get("at") is not None:
            cuts = [said["at"]] if row.start < said["at"] < row.end else []
        elif id_ in mine and said.get("grid"):
            cuts = sorted(set(lines_within(before, row, 4 * before.resolution / said["grid"])))
        edges = [row.start, *cuts, row.end]
        for begin, end in itertools.pairwise(edges):
            piece = (begin, end, row.pitch, row.velocity)
            if not found[piece]:
                return WRONG, f"note {id_} has no piece {piece}"
            found[piece] -= 1
    left = +found
    return (WRONG, f"{left} are too many") if left else RIGHT


def lines_within(take: Take, row: Row, step: float) -> Iterator[int]:
    at = row.start
    while at < row.end:
        bar, _, length = (int(column[0]) for column in take.meter.bar_of(np.array([at])))
        for n in range(math.ceil(length / step) + 1):
            line = min(rounded(bar + n * step), bar + length)
            if row.start < line < row.end:
                yield line
        at = bar + length


def joined(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, rest = said["where"]["parts"][0], rounded(said.get("rest", 0.125) * before.resolution)
    mine, now = chosen(before, said), rows(after, part)
    every = [row for one in before.parts_on(before.parts[part].channel) for row in rows(before, one.id).values()]
    by_key: dict[int, list[Row]] = {}
    for row in sorted((row for row in every if not row.muted), key=lambda row: row.start):
        by_key.setdefault(row.pitch, []).append(row)
    for line in by_key.values():
        if len({row.start for row in line}) < len(line):
            continue
        chain: list[Row] = []
        follower: Row | None
        for follower in [*line, None]:
            follows = follower is not None and chain and follower.id in mine and chain[-1].id in mine
            if follows and follower is not None and follower.start - chain[-1].end <= rest:
                chain.append(follower)
                continue
            if chain and chain[0].id in rows(before, part):
                made, end = now.get(chain[0].id), max(one.end for one in chain)
                if made is None or (made.start, made.end, made.velocity) != (chain[0].start, end, chain[0].velocity):
                    return WRONG, f"{chain} became {made}"
                if any(one.id in now for one in chain[1:]):
                    return WRONG, f"of {chain} more than one is left"
            chain = [follower] if follower is not None else []
    return RIGHT


def flagged(name: str) -> Callable[[Take, Take, dict[str, Any]], Found]:
    def formula(before: Take, after: Take, said: dict[str, Any]) -> Found:
        mine, now = chosen(before, said), rows(after, said["where"]["parts"][0])
        for id_, row in rows(before, said["where"]["parts"][0]).items():
            wanted = said.get("on", True) if id_ in mine else getattr(row, name)
            if id_ in now and getattr(now[id_], name) != wanted:
                return WRONG, f"note {id_} is {name}: {not wanted}"
        return RIGHT

    return formula


def deleted(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, gone = said["where"]["parts"][0], chosen(before, said)
    wanted = {id_: row for id_, row in rows(before, part).items() if id_ not in gone}
    return RIGHT if rows(after, part) == wanted else (WRONG, "other notes are left than those that were not meant")


def added(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part = said["where"]["parts"][0]
    old, now = rows(before, part), rows(after, part)
    new = [row for id_, row in now.items() if id_ not in old]
    for note in said["notes"]:
        same = [row for row in new if (row.start, row.pitch) == (note["start"], note["pitch"])]
        if not same:
            return WRONG, f"{note} is not there"
        alone = sum((one["start"], one["pitch"]) == (note["start"], note["pitch"]) for one in said["notes"]) == 1
        fits = any(row.velocity == note["velocity"] and row.end <= row.start + note["length"] for row in same)
        if alone and not fits:
            return WRONG, f"{note} became {same}"
    return (WRONG, "more notes than were asked for") if len(new) > len(said["notes"]) else RIGHT


def filled(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """Every note of a run lies between two of the line, in key and in time."""
    part = said["where"]["parts"][0]
    old, mine = rows(before, part), chosen(before, said)
    heads = chords([row.start for row in mine.values()], before.resolution // 16)
    tops: dict[int, Row] = {}
    for row in sorted(mine.values(), key=lambda row: row.pitch):
        tops[heads[row.start]] = row
    line = sorted(tops.values(), key=lambda row: row.start)
    if len(line) < 2:
        return RIGHT
    for id_, row in rows(after, part).items():
        if id_ in old:
            continue
        left = [one for one in line if one.start <= row.start]
        right = [one for one in line if one.start > row.start]
        if not left or not right:
            return WRONG, f"{row} lies outside the line"
        low, high = sorted((left[-1].pitch, right[0].pitch))
        if not low < row.pitch < high:
            return WRONG, f"{row} is not between {low} and {high}"
    return RIGHT


def accented(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    step = 4 * take.resolution / said.get("grid", 8)
    heads = chords(start.astype(int).tolist(), take.resolution // 16)
    found = []
    for own, at in zip(velocity.tolist(), start.astype(int).tolist(), strict=True):
        bar = int(take.meter.bar_of(np.array([heads[at]]))[0][0])
        place = rounded((heads[at] - bar) / step) % len(said["pattern"])
        found.append(own + said.get("amount", 16.0) * said["pattern"][place])
    return np.array(found)


def pedalled(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """By bars or beats, whatever bass is held: up at each, down after the lag, while any key is down or was struck."""
    part, lag = said["where"]["parts"][0], said.get("lag_ms", 80.0) / 1000
    if said.get("by") not in ("bar", "beat") or not said.get("through_bass") or said["where"].get("span"):
        return RIGHT
    curve, channel = after.parts[part].lanes["cc:64"].curve, before.parts[part].channel
    if len(before.parts_on(channel)) > 1:
        return RIGHT
    notes = [row for row in rows(before, part).values() if not row.muted]
    bars = before.meter.bars(before.end + 1)
    columns = zip(bars.start.tolist(), bars.beats.tolist(), bars.beat_ticks.tolist(), strict=True)
    edges = [bar + n * size for bar, beats, size in columns for n in range(beats if said["by"] == "beat" else 1)]
    # Before the first note nothing is pressed, and behind it the lag is counted from there.
    after_first = bisect.bisect_right(edges, min((row.start for row in notes), default=0))
    for change, following in zip(edges, [*edges[1:], before.end + 1], strict=True):
        if change < edges[min(after_first, len(edges) - 1)]:
            continue
        down = float(before.tempo.tick(before.tempo.seconds(change) + lag)) + 2
        fingers = [row for row in notes if row.start < following and row.end > change]
        if any(row.start <= change < row.end for row in fingers) and float(curve.at(change)) >= 64:
            return WRONG, f"the pedal is down at the change at {change}"
        last = max((row.end for row in fingers), default=-1)
        if fingers and down < min(last, following) - 2 and float(curve.at(down)) != said.get("depth", 127.0):
            return WRONG, f"the pedal is not down at {down}, after the change at {change}"
    return RIGHT


NOTE_FORMULAS: dict[str, Callable[[Take, Take, dict[str, Any]], Found]] = {
    "notes.add": added,
    "notes.move": moved,
    "notes.transpose": moved,
    "notes.length": lengthened,
    "notes.split": tiles,
    "notes.join": joined,
    "notes.mute": flagged("muted"),
    "notes.delete": deleted,
    "notes.cue": flagged("cue"),
    "notes.spread": strummed,
    "notes.place": placed,
    "notes.loosen": loosened,
    "notes.fill": filled,
    "note.curve": drawn_for_each,
    "note.glide": glided,
    "note.copy": given,
    "note.scatter": scattered,
    "note.start": begun,
    "note.to_lane": together,
    "lane.to_notes": together,
    "lane.trim": trimmed,
    "note.send": same_drawing,
    "note.stream": same_drawing,
    "note.answers": same_drawing,
    "bend.instrument": same_drawing,
    "bend.stream": same_drawing,
    "bend.centre": centred,
    "pedal.legato": pedalled,
}
