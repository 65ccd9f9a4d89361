"""Strokes on curves of notes, as they are documented."""

from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.rows import RIGHT, WRONG, Found, Row, chosen, rounded, rows


def own(take: Take, part: int, key: str, note: int) -> Any:
    """The curve of a note as columns of nodes, and its values at ticks (NaN before the first)."""
    curves = take.parts[part].curves.get(key)
    return curves.curve(note) if curves is not None else None


REST = {"note:timbre": 64.0, "note:pan": 64.0}


LIMITS = {"note:pitch": (-96.0, 96.0)}


def drawn_for_each(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """Its nodes lie at shares of the length of each note."""
    part, key = said["where"]["parts"][0], said["lane"]
    for id_, row in chosen(before, said).items():
        curve = own(after, part, key, id_)
        length = max(row.end - row.start, 1)
        last = {rounded(node["at"] * length): node["value"] for node in said["nodes"]}
        for tick, value in last.items():
            made = float(curve.at(tick))
            if abs(made - value) > 1e-6:
                return WRONG, f"note {id_} says {made} at {tick}, not {value}"
    return RIGHT


def scattered(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, key = said["where"]["parts"][0], said["lane"]
    for id_ in chosen(before, said):
        old, new = own(before, part, key, id_), own(after, part, key, id_)
        if old is None or not len(old):
            continue
        if old.ticks.tolist() != new.ticks.tolist() or np.abs(old.values - new.values).max() > said["amount"] + 1e-6:
            return WRONG, f"the nodes of note {id_} have gone further than {said['amount']}"
    return RIGHT


def begun(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, key = said["where"]["parts"][0], said["lane"]
    low, high = LIMITS.get(key, (0.0, 127.0))
    asked = said.get("value")
    value: float = REST.get(key, 0.0) if asked is None else asked
    for id_ in chosen(before, said):
        old, new = own(before, part, key, id_), own(after, part, key, id_)
        if old is None or not len(old):
            continue
        first = float(new.values[0])
        if abs(first - min(max(value, low), high)) > 1e-6:
            return WRONG, f"note {id_} begins with {first}, not with {value}"
        shift = value - float(old.values[0])
        held = old.values + shift
        inside = held.min() >= low and held.max() <= high
        if not said.get("time_ms") and inside and np.abs(new.values - held).max() > 1e-6:
            return WRONG, f"note {id_} has another form"
    return RIGHT


def given(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """The curve of one note, stretched over the length of each other one."""
    part, key = said["where"]["parts"][0], said["lane"]
    plain = said.get("flip", "none") == "none" and not said.get("alternate") and said.get("scale", "none") == "none"
    source = next((one.id for one in before.parts if said["source"] in rows(before, one.id)), None)
    if not plain or source is None or said.get("to"):
        return RIGHT
    note, curve = rows(before, source)[said["source"]], own(before, source, key, said["source"])
    length, rest = max(note.end - note.start, 1), REST.get(key, 0.0)
    low, high = LIMITS.get(key, (0.0, 127.0))
    for id_, row in chosen(before, said).items():
        if id_ == said["source"]:
            continue
        new = own(after, part, key, id_)
        factor = max(row.end - row.start, 1) / length if said.get("by", "share") == "share" else 1.0
        for tick, value in zip(curve.ticks.tolist(), curve.values.tolist(), strict=True):
            at = [rounded(other * factor) for other in curve.ticks.tolist()]
            if at.count(rounded(tick * factor)) > 1:
                continue
            wanted = rest + (value - rest) * said.get("gain", 1.0)
            made = float(new.at(rounded(tick * factor)))
            if low <= wanted <= high and abs(made - wanted) > 1e-6:
                return WRONG, f"note {id_} says {made} at {rounded(tick * factor)}, not {wanted}"
    return RIGHT


BESIDE = {"note:pitch": "bend", "note:pressure": "pressure", "note:timbre": "cc:74", "note:pan": "cc:10"}


NOTE_OF = {beside: key for key, beside in BESIDE.items()}


def both(take: Take, part: int, key: str, row: Row, ticks: Any) -> Any:
    """What a note and its channel's lane say together, counted from rest."""
    rest = REST.get(key, 0.0)
    lane, curve = take.parts[part].lanes.get(BESIDE[key]), own(take, part, key, row.id)
    total = np.zeros(len(ticks))
    for said, at in ((lane.curve if lane else None, ticks), (curve, ticks - row.start)):
        if said is not None and len(said):
            total = total + np.nan_to_num(said.at(at), nan=rest) - rest
    return total


def together(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """What goes from notes to their lane, or from there to them, is heard as it was."""
    part = said["where"]["parts"][0]
    key = said["lane"] if said["kind"] == "note.to_lane" else NOTE_OF.get(said["lane"])
    if said.get("to") or said.get("keep") or key is None:
        return RIGHT
    for row in chosen(before, said).values():
        ticks = np.unique(np.linspace(row.start, max(row.end - 1, row.start), 31).astype(int))
        if row.muted:
            continue
        was, now = (both(take, part, key, row, ticks) for take in (before, after))
        # Where the next note is struck it needs the lane; steep ways are told to the tick.
        steep = np.abs(both(before, part, key, row, ticks + 1) - both(before, part, key, row, ticks - 1))
        off = np.where(steep > (0.2 if key == "note:pitch" else 4), 0.0, np.abs(was - now))
        near = ticks - row.start < before.resolution // 16
        off = np.where(near | (ticks > row.end - before.resolution // 16), 0.0, off)
        if off.max() > (0.05 if key == "note:pitch" else 1.1):
            return (
                WRONG,
                f"note {row.id} says {now[off.argmax()]:.3f} at {ticks[off.argmax()]}, not {was[off.argmax()]:.3f}",
            )
    return RIGHT


def same_drawing(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """How something is sent changes nothing of what is drawn."""
    for old, new in zip(before.parts, after.parts, strict=True):
        if rows(before, old.id) != rows(after, new.id):
            return WRONG, "notes are others"
        for key in old.curves.keys() | new.curves.keys():
            one, other = old.curves.get(key), new.curves.get(key)
            if one is None or other is None or one.nodes.values.tolist() != other.nodes.values.tolist():
                return WRONG, f"{key} is drawn otherwise"
        for key, lane in old.lanes.items():
            now = new.lanes[key].curve
            ticks = np.unique(np.concatenate((lane.curve.ticks, now.ticks, lane.curve.ticks + 3)))
            off = np.abs(np.nan_to_num(lane.curve.at(ticks)) - np.nan_to_num(now.at(ticks)))
            if off.max(initial=0.0) > 1e-6:
                return WRONG, f"{key} is drawn {off.max():.3f} otherwise"
    return RIGHT


def centred(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, span = said["where"]["parts"][0], said["where"].get("span")
    if said.get("offset") is None:
        return RIGHT
    was, now = (take.parts[part].lanes["bend"].curve for take in (before, after))
    start, end = span or (int(was.ticks[0]), int(was.ticks[-1]) + 1)
    ticks = np.unique(np.linspace(max(start, int(was.ticks[0])), max(end - 1, start), 60).astype(int))
    ticks = ticks[(ticks >= was.ticks[0]) & (ticks < end)]
    off = np.abs(now.at(ticks) - (was.at(ticks) - said["offset"] / 100)) if len(ticks) else np.zeros(1)
    return (WRONG, f"the wheel is {off.max():.4f} from where it was to be") if off.max() > 0.012 else RIGHT


def trimmed(before: Take, after: Take, said: dict[str, Any]) -> Found:
    part, key, span = said["where"]["parts"][0], said["lane"], said["where"].get("span")
    old = before.parts[part].lanes.get(key)
    if old is None or key == "bend" or {0.0, 127.0} >= set(old.curve.values.tolist()):
        return RIGHT
    start, end = span or (int(old.curve.ticks[0]), int(old.curve.ticks[-1]) + 1)
    start = max(start, int(old.curve.ticks[0]))
    if start >= end:
        return RIGHT
    ticks = np.unique(np.linspace(start, end - 1, 60).astype(int))
    highest = max(127.0, float(old.curve.values.max()))
    wanted = np.clip(old.curve.at(ticks) + said["by"], 0, highest)
    steep = np.abs(old.curve.at(ticks + 1) - old.curve.at(ticks - 1))
    off = np.where(np.nan_to_num(steep) > 1, 0.0, np.abs(after.parts[part].lanes[key].curve.at(ticks) - wanted))
    return (WRONG, f"{key} is {off.max():.3f} from where it was to be") if off.max() > 0.2 else RIGHT


def glided(before: Take, after: Take, said: dict[str, Any]) -> Found:
    """A voice that goes on as its partner comes to its partner's pitch; partners are not struck again."""
    part = said["where"]["parts"][0]
    old, now = rows(before, part), rows(after, part)
    if set(now) - set(old):
        return WRONG, "there are notes that nobody made"
    gone = [old[id_] for id_ in set(old) - set(now)]
    for id_, row in now.items():
        had = own(before, part, "note:pitch", id_)
        curve = own(after, part, "note:pitch", id_)
        if row.end <= old[id_].end or curve is None or (had is not None and len(had)):
            continue
        reached = row.pitch + float(curve.values[-1])
        if not any(abs(one.pitch - reached) < 1e-6 for one in gone):
            return WRONG, f"note {id_} comes to {reached}, where nobody was"
    return RIGHT
