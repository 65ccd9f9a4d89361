"""Random strokes of every kind, as their schemas allow them."""

from functools import cache
from typing import Any

import numpy as np

from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.strokes import KINDS, parse_stroke
from expression.take import Take
from tests.judging.takes import Draw


@cache
def schema_of(kind: str) -> dict[str, Any]:
    """What pydantic says of a kind, which is much slower to say than to read."""
    return KINDS[kind].model_json_schema()


def tried(take: Take, said: dict[str, Any]) -> Take | None:
    """The take as a stroke leaves it; None where it is refused."""
    try:
        return applied(parse_stroke(said), take)
    except (BadStroke, NothingMatched):
        return None


def stroke_of(dice: Draw, kind: str, take: Take) -> dict[str, Any]:
    """A stroke of a kind with random numbers, as its schema allows them."""
    schema = schema_of(kind)
    known = schema.get("$defs", {})
    keys = sorted({key for part in take.parts for key in part.lanes} | {"cc:11", "cc:74", "bend"})
    if kind in ON_NOTES:
        keys = list(OWN)
    said: dict[str, Any] = {"kind": kind}
    for name, spec in schema["properties"].items():
        if name in ("kind", "where", "first", "called"):
            continue
        if name in schema.get("required", ()) or dice.random() < 0.5:
            said[name] = _value(dice, name, spec, known, take, keys)
    start, end = sorted(dice.integers(0, max(take.end, 2), 2).tolist())
    where: dict[str, Any] = {"parts": [int(dice.integers(0, len(take.parts)))]}
    if dice.random() < 0.8 or kind in ("lane.ramp", "lane.wave", "lane.fade", "lane.copy"):
        where["span"] = [start, max(end, start + 1)]
    said = _shaped(dice, said, where, take, start)
    drawn = [(part, key) for part in take.parts for key, one in sorted(part.curves.items()) if len(one)]
    if kind in ON_NOTES and kind != "note.curve" and drawn and dice.random() < 0.9:
        owner, said["lane"] = drawn[int(dice.integers(0, len(drawn)))]
        where = {"parts": [owner.id]}
        if "source" in said:
            return {**said, "where": where, "source": int(dice.choice(owner.curves[said["lane"]].ids))}
    return {**_played(dice, said, where, take, (start, end)), "where": where}


def _shaped(dice: Draw, said: dict[str, Any], where: dict[str, Any], take: Take, start: int) -> dict[str, Any]:
    """What strokes on lanes, notes and streams ask for beyond their schemas."""
    kind = said["kind"]
    if kind == "lane.nodes" and "span" in where:
        low, high = where["span"]
        said["nodes"] = [node for node in said["nodes"] if low <= node["tick"] < high]
    if kind == "lane.copy":
        said.setdefault("to", {})["at"] = int(dice.integers(0, max(take.end, 2)))
    if kind == "notes.length":
        kept = str(dice.choice(["to", "by", "factor", "gap_ms"]))
        usual = {"to": (0.01, 3), "by": (-1, 2), "factor": (0.05, 3), "gap_ms": (-80, 200)}[kept]
        said = {"kind": kind, **{name: said[name] for name in ("under", "edge") if name in said}}
        said[kept] = round(float(dice.uniform(*usual)), 3)
        if kept == "gap_ms":
            said.pop("edge", None)
    if kind == "notes.split":
        said = {
            "kind": kind,
            **[{"at": start}, {"into": int(dice.integers(2, 6))}, {"grid": 16}][int(dice.integers(0, 3))],
        }
    if kind in ("notes.move", "notes.transpose"):
        said |= {"keys": int(dice.integers(-7, 8)), "over": "cut"}
        if said.get("ticks"):
            said["ticks"] = int(dice.integers(-2000, 8000))
    if kind == "notes.add":
        said["notes"] = [
            {**note, "start": note["start"] % max(take.end, 2), "length": 1 + note["length"] % 4000}
            for note in said["notes"]
        ]
    if kind == "velocity.accent":
        said |= {"grid": 8, "pattern": [round(float(one), 2) for one in dice.uniform(-1, 1, 8)]}
    if kind == "note.stream":
        said = {"kind": kind, "lane": said["lane"], **({"per_second": 50.0} if dice.random() < 0.5 else {"off": 2.0})}
    if kind == "bend.stream":
        said = {"kind": kind, **({"per_second": 50.0} if dice.random() < 0.5 else {"cents": 10.0})}
    if kind == "pedal.legato":
        said = {
            "kind": kind,
            "by": str(dice.choice(["bar", "beat", "harmony", "chord"])),
            "through_bass": bool(dice.random() < 0.7),
        }
    return said


def _played(
    dice: Draw, said: dict[str, Any], where: dict[str, Any], take: Take, between: tuple[int, int]
) -> dict[str, Any]:
    """What passes, tempo and curves of notes ask for beyond their schemas."""
    kind, (start, end) = said["kind"], between
    if kind == "record.pass":
        said |= {"events": played_at_random(dice, start, max(end, start + 1))}
        said["only"] = [[start, (start + end) // 2]] if said.get("only") and end - start > 1 else None
        said["leave_out"] = ["notes", "cc:1", "pedals"][: int(dice.integers(0, 4))]
        where["span"] = [start, max(end, start + 1)]
    if kind == "take.tempo":
        said = {"kind": kind, "bpm": round(float(dice.uniform(40, 220)), 1)}
        if "span" in where and dice.random() < 0.4:
            said["end_bpm"] = round(float(dice.uniform(40, 220)), 1)
        if dice.random() < 0.5:
            said["keeps"] = "seconds"
        if dice.random() < 0.3:
            said = {"kind": kind, "keeps": "seconds", "beats": np.cumsum(dice.uniform(0.3, 0.9, 12)).round(3).tolist()}
    if "source" in said:
        said["source"] = int(dice.integers(0, max(take.note_count, 1)))
    if kind == "note.glide":
        said |= {"pairs": None, "voices": []}
    if kind in ("lane.to_notes", "note.to_lane", "note.copy"):
        said.pop("to", None)
    if kind == "note.curve":
        said["nodes"] = sorted(said["nodes"], key=lambda node: float(node["at"]))
        for node in said["nodes"]:
            node["value"] = node["value"] / 8 if said["lane"] == "note:pitch" else abs(node["value"]) % 128
    if kind == "note.answers":
        said = {"kind": kind, "keys": [str(dice.choice(OWN))]}
    if kind == "note.send":
        said |= {"replaces": [], "members": int(dice.choice([15, 4])), "semitones": float(dice.choice([24, 48, 96]))}
    return said


def played_at_random(dice: Draw, start: int, end: int) -> list[list[Any]]:
    """Messages as a hand sends them within some ticks, on one channel: notes, wheels, pressure, a pedal."""
    found: list[list[Any]] = []
    for _ in range(int(dice.integers(1, 30))):
        tick = int(dice.integers(start, end))
        key, value = int(dice.integers(48, 60)), int(dice.integers(1, 128))
        match int(dice.integers(0, 6)):
            case 0:
                found += [[tick, f"90{key:02x}{value:02x}"], [tick + int(dice.integers(1, 900)), f"80{key:02x}40"]]
            case 1:
                found.append([tick, f"e0{value:02x}{key:02x}"])
            case 2:
                found.append([tick, f"d0{value:02x}"])
            case 3:
                found.append([tick, f"b040{0 if value < 64 else 127:02x}"])
            case _:
                found.append([tick, f"b0{(1, 11, 7)[value % 3]:02x}{value:02x}"])
    return sorted(found, key=lambda one: one[0])


OWN = ("note:pitch", "note:pressure", "note:timbre", "note:pan")


ON_NOTES = ("note.curve", "note.copy", "note.scatter", "note.start", "note.to_lane", "note.stream")


def _value(dice: Draw, name: str, spec: dict[str, Any], known: dict[str, Any], take: Take, keys: list[str]) -> Any:
    if name in ("lane",) or (name == "to" and spec.get("type") == "string"):
        return str(dice.choice(keys))
    if "$ref" in spec:
        inner = known[spec["$ref"].rpartition("/")[2]]
        fields = inner["properties"].items()
        needed = inner.get("required", ())
        return {
            key: _value(dice, key, one, known, take, keys)
            for key, one in fields
            if key in needed or (dice.random() < 0.5 and key != "part")
        }
    if "anyOf" in spec:
        choices = [one for one in spec["anyOf"] if one.get("type") != "null"] or spec["anyOf"]
        return _value(dice, name, choices[int(dice.integers(0, len(choices)))], known, take, keys)
    if "const" in spec:
        return spec["const"]
    if "enum" in spec:
        return spec["enum"][int(dice.integers(0, len(spec["enum"])))]
    match spec.get("type"):
        case "boolean":
            return bool(dice.random() < 0.5)
        case "string":
            return str(dice.choice(keys))
        case "integer" | "number" as kind:
            return _number(dice, name, spec, kind == "integer", take)
        case "array" if "prefixItems" in spec:
            return [_value(dice, "tick" if i == 0 and name == "points" else name, one, known, take, keys)
                    for i, one in enumerate(spec["prefixItems"])]  # fmt: skip
        case "array":
            count = max(int(dice.integers(1, 6)), spec.get("minItems", 0))
            made = [_value(dice, name, spec["items"], known, take, keys) for _ in range(count)]
            return sorted(made, key=_tick_of)
        case _:
            return None


def _tick_of(one: Any) -> float:
    return float(one.get("tick", 0) if isinstance(one, dict) else one[0] if isinstance(one, list) else 0)


def _number(dice: Draw, name: str, spec: dict[str, Any], is_whole: bool, take: Take) -> float:
    low = float(spec.get("minimum", spec.get("exclusiveMinimum", -128)))
    high = float(spec.get("maximum", 128))
    if name in ("tick", "at", "fit") and high > 1:
        return int(dice.integers(int(low), max(take.end, 2)))
    usual = {"rate": (0.05, 8), "width": (10, 400), "repeat": (1, 4), "every": (0.1, 6), "fade_in": (0, 8),
             "delay": (0, 300), "length": (0.2, 2.5)}.get(name)  # fmt: skip
    low, high = (max(low, usual[0]), min(high, usual[1])) if usual else (max(low, -128), min(high, 128))
    if name in ("value", "start", "end", "peak", "centre", "points") and dice.random() < 0.8:
        low = max(low, 0.0)
    if dice.random() < 0.1:
        value = float(dice.choice([low, high]))
    else:
        value = float(dice.uniform(low, high))
    return round(value) if is_whole else round(value, 3)
