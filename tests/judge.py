"""The judge: random takes, random strokes of every kind, and what a receiver makes of the exported bytes.

After each stroke three things are held. What is *heard* is what is *drawn*: within half a step (bend: 3 cents) wherever
no time step forbids it. Outside the stroke's place nothing that was heard differs. And what is drawn is what the kind
is documented to do, written here once more as a plain formula. A kind that is not in the tables below is judged by the
first two alone; it needs no entry.
"""

import io
import itertools
import math
import zlib
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import mido
import numpy as np

from expression.errors import BadStroke, NothingMatched
from expression.history import applied
from expression.levels import is_zoned
from expression.midi.read import read
from expression.midi.write import write
from expression.receiver import Channel, Heard, receive
from expression.strokes import KINDS, parse_stroke
from expression.take import Take
from tests.note_formulas import NOTE_FORMULAS, WRONG, accented, same_drawing
from tests.pass_formula import played_in

HALF_A_STEP, THREE_CENTS = 0.5, 0.03
SLACK = 1e-6
EIGHTH = 0.125
"""What straight ways may be off that stand for a curve; a bend's may be off by a cent."""
STEP_SECONDS = 0.005
"""A bend has no such excuse: it is never further off than its 3 cents, unless a thinner stream is asked for."""
DEFAULTS = {"cc:7": 100.0, "cc:10": 64.0, "cc:8": 64.0, "cc:11": 127.0, "cc:74": 64.0}
Draw = np.random.Generator


# ---- takes


def recording(dice: Draw) -> bytes:
    """A small file with whatever real ones hold: shared channels, resets, ranges, fine halves, changes of tempo."""
    ticks = int(dice.choice([96, 384, 480, 960]))
    length = ticks * int(dice.integers(8, 24))
    shared = dice.random() < 0.3
    tracks = [_conductor(dice, ticks, length)]
    for number in range(int(dice.integers(1, 3)) + shared):
        channel = 0 if shared else number
        tracks.append(_played(dice, ticks, length, channel, number))
    _with_what_real_ones_have(np.random.default_rng(int(dice.integers(2**31))), tracks, ticks, length)
    file = mido.MidiFile(type=1, ticks_per_beat=ticks)
    for events in tracks:
        track, before = mido.MidiTrack(), 0
        for tick, message in sorted(events, key=lambda one: one[0]):
            track.append(message.copy(time=tick - before))
            before = tick
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _with_what_real_ones_have(dice: Draw, tracks: list[list[tuple[int, Any]]], ticks: int, length: int) -> None:
    """Now and then: notes that are doubled or lie over each other on a key, one that is held throughout, a kit, and a
    module that is reset in the middle.
    """
    track = tracks[1]
    struck = [(tick, message) for tick, message in track if message.type == "note_on"]

    def put(start: int, end: int, pitch: int, channel: int, where: list[tuple[int, Any]]) -> None:
        velocity = int(dice.integers(1, 128))
        where.append((start, mido.Message("note_on", note=pitch, velocity=velocity, channel=channel)))
        where.append((end, mido.Message("note_off", note=pitch, velocity=0, channel=channel)))

    if dice.random() < 0.15:
        for tick, message in struck[::5]:
            over = int(dice.integers(0, ticks // 4)) * int(dice.integers(0, 2))
            put(tick + over, tick + over + int(dice.integers(1, ticks)), message.note, message.channel, track)
    if dice.random() < 0.25:
        for tick, message in struck[::2]:
            for over in (4, 7):
                near = tick + int(dice.integers(0, ticks // 20 + 1))
                put(near, near + int(dice.integers(ticks // 4, ticks)), message.note + over, message.channel, track)
    if dice.random() < 0.15:
        put(int(dice.integers(0, ticks)), length - 1, 84, struck[0][1].channel if struck else 0, track)
    if dice.random() < 0.1:
        kit: list[tuple[int, Any]] = []
        for tick in range(0, length, ticks // 2):
            put(tick, tick + ticks // 8, int(dice.choice([36, 38, 42])), 9, kit)
        tracks.append(kit)
    if dice.random() < 0.1:
        tracks[0].append((int(dice.integers(ticks, length)), mido.Message("sysex", data=[0x7E, 0x7F, 0x09, 0x01])))


def _conductor(dice: Draw, ticks: int, length: int) -> list[tuple[int, Any]]:
    changes = [0, *(int(dice.integers(1, length)) for _ in range(int(dice.integers(0, 3))))]
    found = [(tick, mido.MetaMessage("set_tempo", tempo=int(dice.integers(200_000, 1_200_000)))) for tick in changes]
    if dice.random() < 0.2:
        found.insert(0, (0, mido.Message("sysex", data=[0x7E, 0x7F, 0x09, 0x01])))
    return found


def _played(dice: Draw, ticks: int, length: int, channel: int, number: int) -> list[tuple[int, Any]]:
    """One track: notes, controllers that move and rest, a wheel, and what gets in their way."""
    found: list[tuple[int, Any]] = []

    def told(tick: int, kind: str, **data: int) -> None:
        found.append((tick, mido.Message(kind, channel=channel, **data)))

    def control(tick: int, controller: int, value: int) -> None:
        told(tick, "control_change", control=controller, value=value)

    if dice.random() < 0.3:
        told(0, "program_change", program=int(dice.integers(0, 128)))
    if dice.random() < 0.4:
        control(0, 121, 0)
    if dice.random() < 0.4:
        _ranged(dice, control, 0)
    for _ in range(int(dice.integers(0, 3))):
        tick = int(dice.integers(0, length))
        if dice.random() < 0.5:
            control(tick, 121, 0)
        else:
            _ranged(dice, control, tick)
    for controller in dice.choice([1, 2, 7, 11, 64, 74, 91], int(dice.integers(1, 4)), replace=False).tolist():
        fine = controller < 32 and dice.random() < 0.2
        for tick, value in _movement(dice, ticks, length, 128):
            only_on_off = controller == 64 and number == 0
            control(tick, controller, (127 if value > 63 else 0) if only_on_off else value)
            if fine and dice.random() < 0.7:
                control(tick, controller + 32, int(dice.integers(0, 128)))
    if dice.random() < 0.6:
        for tick, value in _movement(dice, ticks, length, 16384):
            told(tick, "pitchwheel", pitch=value - 8192)
    if dice.random() < 0.3:
        for tick, value in _movement(dice, ticks, length, 128):
            told(tick, "aftertouch", value=value)
    tick = int(dice.integers(0, ticks))
    while tick < length:
        lasting = int(dice.integers(1, ticks))
        pitch = int(dice.integers(48, 72)) + 24 * number
        told(tick, "note_on", note=pitch, velocity=int(dice.integers(1, 128)))
        told(tick + lasting, "note_off", note=pitch, velocity=0)
        tick += max(lasting, int(dice.integers(1, 2 * ticks)))
    return found


def _movement(dice: Draw, ticks: int, length: int, levels: int) -> Iterator[tuple[int, int]]:
    """Values that wander, jump and rest."""
    tick, value = int(dice.integers(0, length // 2)) * int(dice.integers(0, 2)), int(dice.integers(0, levels))
    for _ in range(int(dice.integers(1, 60))):
        if tick >= length:
            return
        yield tick, value
        rests = dice.random() < 0.15
        tick += int(dice.integers(ticks, 3 * ticks)) if rests else int(dice.integers(1, max(ticks // 8, 2)))
        step = dice.normal(0, levels / 40) if dice.random() < 0.9 else dice.normal(0, levels / 3)
        value = int(min(max(value + step, 0), levels - 1))


def _ranged(dice: Draw, control: Callable[[int, int, int], None], tick: int) -> None:
    """The bend's range set in one of the ways that the standard allows."""
    first, second = (101, 100) if dice.random() < 0.5 else (100, 101)
    if dice.random() < 0.2:
        control(tick, 99, 1)
        control(tick, 6, 55)
    control(tick, first, 0)
    control(tick, second, 0)
    control(tick, 6, int(dice.integers(0, 25)))
    if dice.random() < 0.4:
        control(tick, 38, int(dice.integers(0, 100)))
    if dice.random() < 0.2:
        control(tick, int(dice.choice([96, 97])), 0)
    if dice.random() < 0.5:
        control(tick, 101, 127)
        control(tick, 100, 127)


# ---- strokes


def stroke_of(dice: Draw, kind: str, take: Take) -> dict[str, Any]:
    """A stroke of a kind with random numbers, as its schema allows them."""
    schema = KINDS[kind].model_json_schema()
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
    drawn = [(part, key) for part in take.parts for key, one in sorted(part.curves.items()) if len(one)]
    if kind in ON_NOTES and kind != "note.curve" and drawn and dice.random() < 0.9:
        owner, said["lane"] = drawn[int(dice.integers(0, len(drawn)))]
        where = {"parts": [owner.id]}
        if "source" in said:
            return {**said, "where": where, "source": int(dice.choice(owner.curves[said["lane"]].ids))}
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
    return {**said, "where": where}


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


# ---- what is drawn and what is heard


@dataclass
class Drawn:
    """A curve's nodes, and their meaning by the formula of DESIGN 4, written out once more."""

    ticks: list[int]
    values: list[float]
    hold: list[bool]
    lift: list[float]
    ease: list[float]

    @classmethod
    def of(cls, take: Take, part: int, key: str) -> "Drawn":
        lane = take.parts[part].lanes.get(key)
        if lane is None:
            return cls([], [], [], [], [])
        return cls(*(column.tolist() for column in lane.curve.columns))

    @cached_property
    def _columns(self) -> list[Any]:
        return [np.array(one, dtype=float) for one in (self.ticks, self.values, self.lift, self.ease, self.hold)]

    def at(self, ticks: Any) -> Any:
        """Values at ticks; NaN before the first node."""
        at = np.asarray(ticks, dtype=float)
        if not self.ticks:
            return np.full(at.shape, np.nan)
        tick, value, lift, ease, held = self._columns
        node = np.searchsorted(tick, at, side="right") - 1
        here, after = np.maximum(node, 0), np.minimum(np.maximum(node, 0) + 1, len(tick) - 1)
        width = tick[after] - tick[here]
        u = np.where(width > 0, (at - tick[here]) / np.where(width > 0, width, 1), 0)
        share = np.where((held[here] > 0) | (width <= 0), 0.0, way(np.clip(u, 0, 1), lift[here], ease[here]))
        return np.where(node < 0, np.nan, value[here] + (value[after] - value[here]) * share)


def way(u: Any, lift: Any, ease: Any = 0.0) -> Any:
    """DESIGN 4."""
    u, lift = np.asarray(u, dtype=float), np.asarray(lift, dtype=float)
    bent = np.abs(lift) > 1e-10
    power = np.where(bent, 8 * lift, 1.0)
    s = np.where(bent, np.expm1(power * u) / np.expm1(power), u)
    return (1 - ease) * s + ease * s * s * (3 - 2 * s)


@dataclass
class Verdict:
    """What was found of one kind: the largest differences, and sentences about what was too large."""

    cases: int = 0
    heard: float = 0.0
    """Between drawn and heard, in steps (bend: in units of 6 cents, so that 0.5 is the bound there too)."""
    formula: float = 0.0
    """Between the formula and what is drawn, in steps."""
    outside: float = 0.0
    faults: list[str] = field(default_factory=list)


class Judge:
    """Cases from a seed on, and what they came to, kind by kind."""

    def __init__(self) -> None:
        self.verdicts: dict[str, Verdict] = defaultdict(Verdict)

    def case(self, seed: int, kind: str, salt: int | None = None) -> None:
        """One random take, perhaps drawn on already, and one stroke of the kind: the same whatever kinds there are."""
        dice = np.random.default_rng([seed, zlib.crc32(kind.encode()) if salt is None else salt])
        before = read(recording(dice))
        for earlier in range(int(dice.integers(0, 3))):
            drawing = str(dice.choice(["lane.ramp", "lane.draw", "lane.nodes", "lane.shape", "lane.wave", "lane.fade"]))
            made = tried(before, stroke_of(dice, drawing, before))
            before = made if made is not None and earlier < 2 else before
        if kind in ON_NOTES or kind == "note.send":
            for drawing in ("note.curve", "note.curve", "note.glide")[: int(dice.integers(0, 4))]:
                before = tried(before, stroke_of(dice, drawing, before)) or before
        said = stroke_of(dice, kind, before)
        after = tried(before, said)
        if after is None:
            return
        self.judge(before, after, said, f"{kind} seed {seed}")

    def judge(self, before: Take, after: Take, said: dict[str, Any], name: str) -> None:
        """Hold one stroke against all three."""
        verdict = self.verdicts[said["kind"]]
        verdict.cases += 1
        was, now = (Hearing(take) for take in (before, after))
        stroke = parse_stroke(said)
        spans = place_of(before, said, stroke)
        for off, sentence in now.off_notes():
            verdict.heard = max(verdict.heard, off)
            if off > HALF_A_STEP + 1e-3:
                verdict.faults.append(f"{name}: {sentence}")
        for part in after.parts:
            for key in part.lanes:
                if now.shares(part.id, key):
                    continue
                off, where = now.off_drawn(part.id, key)
                verdict.heard = max(verdict.heard, off)
                if off > HALF_A_STEP + 1e-3:
                    verdict.faults.append(f"{name}: part {part.id} {key} is heard {off:.3f} off the drawing at {where}")
        for off, sentence in now.differing(was, spans):
            verdict.outside = max(verdict.outside, off)
            if off:
                verdict.faults.append(f"{name}: {sentence}")
        if formula := FORMULAS.get(said["kind"]):
            off, sentence = formula(before, after, said)
            verdict.formula = max(verdict.formula, off)
            if off > 1.02:
                verdict.faults.append(f"{name}: {sentence}")

    def table(self) -> str:
        """Kind by kind: cases, and the largest differences."""
        rows = [
            f"{kind:20} {one.cases:6,} cases   heard off {one.heard:8.3f}   outside {one.outside:8.3f}   "
            f"formula {one.formula:8.3f}   {len(one.faults):5,} faults"
            for kind, one in sorted(self.verdicts.items())
        ]
        return "\n".join(rows)


def tried(take: Take, said: dict[str, Any]) -> Take | None:
    """The take as a stroke leaves it; None where it is refused."""
    try:
        return applied(parse_stroke(said), take)
    except (BadStroke, NothingMatched):
        return None


class Hearing:
    """A take, and what a receiver hears of it."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.data = write(take)
        self.heard: Heard = receive(self.data)
        self.scale = take.resolution / self.heard.division

    def channel(self, part: int) -> Channel:
        """The receiver's channel of a part."""
        where = self.take.parts[part].channel
        zone = where.sending.zone
        if is_zoned(self.take, where):
            # It may have had to go to another port: to the first on which it shares no channel with others.
            ports = sorted({port for port, _ in self.heard.managers})
            lines = [(port, zone.manager) for port in ports if port >= where.port]
            return next((self.heard.channels[line] for line in lines if line in self.heard.channels), Channel())
        return self.heard.channels[where.port, where.number]

    def shares(self, part: int, key: str) -> bool:
        """Whether notes move a lane of their channel as well, so that it says more than is drawn of it."""
        channel = self.take.parts[part].channel
        kinds = {"bend": "note:pitch", "pressure": "note:pressure", "cc:74": "note:timbre", "cc:10": "note:pan"}
        own = any(kinds.get(key, f"note:{key}") in other.curves for other in self.take.parts_on(channel))
        zones = [one for one in self.take.channels if is_zoned(self.take, one)]
        return (own and channel not in zones) or (channel in zones and len(zones) > 1)

    def off_notes(self) -> Iterator[tuple[float, str]]:
        """How far the pitch of each note with a curve is heard from what is drawn, in units of 6 cents."""
        sounding = defaultdict(list)
        for note in self.heard.notes:
            sounding[round(note.start * self.scale), note.pitch, note.velocity].append(note)
        for part in self.take.parts:
            zoned = is_zoned(self.take, part.channel)
            curves = part.curves.get("note:pitch")
            if curves is None or part.channel.paces or not part.channel.instrument.is_told:
                continue
            for row in range(len(part.notes)):
                notes = part.notes
                key = (int(notes.start[row]), int(notes.pitch[row]), int(notes.velocity[row]))
                if notes.muted[row] or len(sounding[key]) != 1:
                    continue
                note = sounding[key][0]
                # Of notes that sound at a time on one channel none is by itself.
                here = [one for one in self.heard.notes if (one.port, one.channel) == (note.port, note.channel)]
                if any(one is not note and one.start < note.key_up and one.key_up > note.start for one in here):
                    continue
                # So soon after another it is one chord with that, for a channel that can say but one thing.
                chord = self.take.resolution / 16 / self.scale
                if not zoned and any(one is not note and abs(one.start - note.start) <= chord for one in here):
                    continue
                own = Drawn(*(column.tolist() for column in curves.curve(int(notes.id[row])).columns))
                ticks = np.arange(key[0], int(notes.end[row]), max((int(notes.end[row]) - key[0]) // 400, 1))
                wanted = np.nan_to_num(own.at(ticks - key[0]))
                lane = np.nan_to_num(Drawn.of(self.take, part.id, "bend").at(ticks))
                force = self.channel(part.id).bend_range.at(ticks / self.scale)
                if zoned:
                    # A zone bends as far as its notes say.
                    wanted = wanted + np.clip(lane, -force, force)
                else:
                    wanted = np.clip(wanted + lane, -force, force)
                off = np.abs(self.heard.bend_of(note, ticks / self.scale) - wanted)
                # Where it goes by more than a key in some ticks, these decide.
                steep = np.abs(np.gradient(wanted, ticks)) if len(ticks) > 1 else 0.0
                off -= np.where(force > 24, force / 16384, 0.0) + 0.001 + 0.1 * np.where(steep > 0.1, steep, 0.0)
                if len(off):
                    at = int(off.argmax())
                    said = f"note {int(notes.id[row])} is heard {off[at]:.3f} semitones off at {ticks[at]}"
                    yield float(off[at]) / (THREE_CENTS / HALF_A_STEP), said

    def value(self, part: int, key: str, ticks: Any) -> Any:
        """What the receiver has in force, at ticks of the take."""
        channel, at = self.channel(part), np.asarray(ticks) / self.scale
        if key == "bend" and not self.take.parts[part].channel.instrument.is_told:
            # Its range is set by hand, to the one that the page names.
            return channel.wheel.at(at) / 8192 * self.take.parts[part].channel.bend_range.semitones[0]
        return _steps(channel, key).at(at)

    def moments(self, part: int, key: str) -> list[int]:
        """Ticks of the take at which the receiver was told something."""
        return [round(tick * self.scale) for tick in _steps(self.channel(part), key).ticks.tolist()]

    def off_drawn(self, part: int, key: str) -> tuple[float, int]:
        """How far what is heard is from what is drawn, in steps, beyond what a time step forbids; and where."""
        drawn = Drawn.of(self.take, part, key)
        unit = THREE_CENTS / HALF_A_STEP if key == "bend" else 1.0
        excuse = 0.0 if key == "bend" else STEP_SECONDS
        if asked := self.take.parts[part].channel.paces.get(key):
            unit, excuse = (asked.worst / HALF_A_STEP, 0.0) if asked.worst < 100 else (unit, asked.seconds)
        edges = {tick + off for tick in (*drawn.ticks, *self.moments(part, key)) for off in (-1, 0, 1)}
        edges |= {round(tick) for tick in np.linspace(drawn.ticks[0], self.take.end + 1, 60)}
        ticks = np.array(sorted(tick for tick in edges if tick >= drawn.ticks[0]))
        heard, wanted = self.value(part, key, ticks), drawn.at(ticks)
        low: Any = 0.0
        slack: Any = 0.0
        high: Any = 127.0
        if key.startswith("cc:") and int(key[3:]) + 32 in self.channel(part).controllers:
            high += 127 / 128
        if key == "bend":
            is_told = self.take.parts[part].channel.instrument.is_told
            ranges = self.channel(part).bend_range.at(ticks / self.scale)
            high = ranges if is_told else 0 * ranges + self.take.parts[part].channel.bend_range.semitones[0]
            low = -high
            # The promise is for ranges up to 24; of a wider one a step is more.
            slack = np.where(high > 24, high / 16384, 0.0)
        wanted = np.clip(wanted, low, high)
        off = np.maximum(np.abs(heard - wanted) - slack, 0.0) / unit
        off[np.isnan(heard)] = 999.0
        # A value with a fine half is rounded to 1/128 of a step.
        off = np.maximum(off - 1 / 256, 0) if not np.isscalar(high) or high != 127 else off
        for row in np.flatnonzero(off > HALF_A_STEP + SLACK).tolist():
            # Within a time step before this moment the drawing was there: no event could come sooner.
            if not excuse:
                continue
            tick = int(ticks[row])
            back = self.earlier(tick, excuse)
            near = np.clip(drawn.at(np.arange(max(back, drawn.ticks[0]), tick + 1)),
                           low if np.isscalar(low) else low[row], high if np.isscalar(high) else high[row])  # fmt: skip
            outside = max(float(np.nanmin(near)) - heard[row], heard[row] - float(np.nanmax(near)), 0.0)
            off[row] = min(off[row], outside / unit)
        worst = int(np.argmax(off))
        return float(off[worst]), int(ticks[worst])

    def earlier(self, tick: int, seconds: float) -> int:
        """The tick before another by as much as two events may be apart that come as often as the time step allows.

        That is less than two steps, each longer by a tick, since ticks are whole.
        """
        now = self.heard.seconds(tick / self.scale)
        back = tick
        while back > 0 and now - self.heard.seconds(back / self.scale) < seconds * 2:
            back -= 1
        return back - 2

    def differing(
        self, other: "Hearing", spans: dict[int, list[tuple[float, float]]] | None
    ) -> Iterator[tuple[float, str]]:
        """What is heard otherwise than in another hearing, outside the spans (by part) in which it may be."""
        if spans is None:
            return
        for part in self.take.parts:
            allowed = spans.get(part.id, [])
            for key in sorted({*part.lanes, *other.take.parts[part.id].lanes}):
                moments = {*self.moments(part.id, key), *other.moments(part.id, key), self.take.end}
                ticks = np.array(sorted(t + off for t in moments for off in (-1, 0) if t + off >= 0))
                inside = np.zeros(len(ticks), dtype=bool)
                for start, end in allowed:
                    inside |= (ticks >= start) & (ticks < end)
                ticks = ticks[~inside]
                if not len(ticks):
                    continue
                mine, theirs = self.value(part.id, key, ticks), other.value(part.id, key, ticks)
                off = np.abs(mine - theirs)
                off[np.isnan(mine) & np.isnan(theirs)] = 0.0
                # What moves is sent anew from where it was cut: there the drawing has to be the same.
                drawn = [Drawn.of(take, part.id, key).at(ticks) for take in (self.take, other.take)]
                same = np.abs(drawn[0] - drawn[1]) <= (0.011 if key == "bend" else EIGHTH)
                nodes = Drawn.of(self.take, part.id, key)
                row = np.searchsorted(nodes.ticks, ticks - 1, side="right") - 1
                moving = np.array([at >= 0 and not nodes.hold[at] for at in row.tolist()], dtype=bool)
                off[same & (moving | (np.abs(drawn[0] - np.round(drawn[0])) > 1e-9))] = 0.0
                # Where nothing had been said yet, the standard's default may be said now.
                off[np.isnan(off)] = 0.0
                if (worst := float(off.max())) > 1e-9:
                    where = int(ticks[int(off.argmax())])
                    yield worst, f"part {part.id} {key} differs by {worst:.3f} at {where}, outside {allowed}"
        # What is never let go ends with the file, which may have become longer.
        last = min(self.take.end, other.take.end)
        mine, theirs = ([(n.part, n.pitch, n.velocity, n.start * h.scale, min(n.key_up * h.scale, last))
                         for n in h.heard.notes] for h in (self, other))  # fmt: skip
        if spans.get(-1) is None and mine != theirs:
            yield 1.0, "notes differ"


def _steps(channel: Channel, key: str) -> Any:
    if key == "bend":
        return channel.bend
    if key == "pressure":
        return channel.pressure
    number = int(key[3:])
    found = channel.controllers.get(number)
    return found if found is not None else type(channel.bend).of([])


# ---- where a stroke may change what is heard


def sharing(take: Take, parts: list[int]) -> list[int]:
    """The parts on the same channels as some parts."""
    lines = {id(take.parts[part].channel) for part in parts}
    return [part.id for part in take.parts if id(part.channel) in lines]


ANYWHERE = {
    f"rule.{one}" for one in ("lead", "gaps", "leaps", "swing", "loose", "swell", "vibrato", "slides", "ritard")
}


def place_of(take: Take, said: dict[str, Any], stroke: Any) -> dict[int, list[tuple[float, float]]] | None:
    """Spans in which lanes of a part may be heard otherwise, and {-1: []} where notes may; None: anywhere."""
    kind, where = said["kind"], said["where"]
    if kind.startswith(("note.", "take.")) or kind in ("lane.to_notes", "record.pass"):
        # By another clock ways are sent at other ticks, and may lie elsewhere altogether. What notes say by themselves
        # is held note by note; what was played is held tick by tick.
        return None
    if kind.startswith("notes."):
        # What lies under notes goes with them: untouched notes are held one by one (see test_notes_random).
        return None
    if kind == "phrase.mark":
        return {}
    if kind.startswith("play.") or kind in ANYWHERE:
        # What they come to is held in test_rules.
        return None
    if kind.startswith(("velocity.", "rule.")):
        return {-1: []}
    start, end = where.get("span") or (0, math.inf)
    keys = [said["lane"]] if isinstance(said.get("lane"), str) else list(said.get("lane", [])) or ["cc:11"]
    parts = sharing(take, where["parts"])
    if kind == "lane.draw":
        start, end = max(start, said["points"][0][0]), min(end, said["points"][-1][0] + 1)
    elif kind == "lane.lead_in":
        start, end = 0, 1
    elif kind == "lane.copy":
        length = (said.get("fit") or end - start) * said.get("repeat", 1)
        target = said.get("to", {})
        start = target.get("at", start)
        end = start + length + 1
        keys = [target.get("lane") or keys[0]]
    elif kind == "lane.move":
        keys.append(said["to"])
    elif kind == "lane.shift":
        start, end = min(start, start + said["ticks"]), max(end, end + said["ticks"])
    elif kind == "lane.reshape":
        end = max(end, start + (end - start) * said.get("length", 1.0) + 1)
    elif kind == "lane.fade":
        starts = sorted(tick for part in parts for tick in take.parts[part].notes.start.tolist())
        # Up to the note after the next: a chord that is spread over the end of the fade is one.
        later = [tick for tick in starts if tick >= end]
        end = later[0] if later else math.inf
        if later and [tick for tick in starts if tick < end and later[0] - tick <= take.resolution / 16]:
            following = [tick for tick in later if tick - later[0] > take.resolution / 16]
            end = following[0] if following else math.inf
        start = (
            0
            if not Drawn.of(take, parts[0], keys[0]).ticks or Drawn.of(take, parts[0], keys[0]).ticks[0] > start
            else start
        )
    elif kind.startswith("bend."):
        reach = stroke.reach(take)
        start, end, keys = reach.start, reach.end, ["bend"]
        if kind in ("bend.range", "bend.centre", "bend.instrument", "bend.stream") and "span" not in where:
            end = math.inf
    elif kind in ("pedal.to_lengths", "pedal.from_lengths") or (
        kind.startswith("pedal.") and (said.get("spans") or not where.get("span"))
    ):
        reach = stroke.reach(take)
        start, end = reach.start, reach.end + 1
    elif kind == "lane.shape" and said.get("notes"):
        reach = stroke.reach(take)
        start, end = reach.start, reach.end
    stays = kind in ("lane.draw", "lane.ramp", "lane.shape", "lane.lead_in", "bend.home")
    spans = []
    for key in keys:
        drawn = Drawn.of(take, parts[0], key)
        low, high = start, end
        if kind in ("lane.nodes", "lane.shift"):
            # Ways that cross an edge go to the new nodes, or on from them; what they end with stays.
            low = max((tick for tick in drawn.ticks if tick < start), default=0)
        if stays or kind in ("lane.nodes", "lane.shift"):
            high = min((tick for tick in drawn.ticks if tick >= end), default=math.inf)
        if not drawn.ticks:
            high = math.inf
        elif drawn.ticks[0] >= high:
            # Where the lane has not begun, nothing comes back: what the stroke ends with stays until it begins.
            high = drawn.ticks[0]
        spans.append((low, high))
    if (kind == "bend.glide" and said.get("as") == "one") or kind in ("pedal.to_lengths", "pedal.from_lengths"):
        return {**dict.fromkeys(parts, spans), -1: []}
    return dict.fromkeys(parts, spans)


# ---- the formulas


def _compare(take: Take, part: int, key: str, ticks: Any, wanted: Any, allowed: float = 1.0) -> tuple[float, str]:
    """How far a lane is from what a formula wants, as a share of what it may be off."""
    unit = (0.011 if key == "bend" else EIGHTH + 1e-3) * allowed
    drawn = Drawn.of(take, part, key).at(ticks)
    wanted = np.asarray(wanted, dtype=float)
    known = ~np.isnan(wanted)
    if not known.any():
        return 0.0, ""
    off = np.abs(drawn - wanted)[known] / unit
    off[np.isnan(off)] = 999.0
    worst = int(off.argmax())
    tick = np.asarray(ticks)[known][worst]
    return float(off[worst]), (
        f"part {part} {key} is drawn {drawn[known][worst]:.3f} at {tick}, the formula says {wanted[known][worst]:.3f}"
    )


def _steepness(values: Any, ticks: Any) -> float:
    """The largest change within a tick: nodes lie on whole ticks, so that a way may be off by as much."""
    known = ~np.isnan(values)
    if known.sum() < 2:
        return 0.0
    return float(np.max(np.abs(np.gradient(np.asarray(values)[known], np.asarray(ticks)[known]))))


def _limits(take: Take, part: int, key: str) -> tuple[float, float]:
    if key != "bend":
        # Fine halves go a little higher.
        return 0.0, max([127.0, *Drawn.of(take, part, key).values])
    widest = float(take.parts[part].bend_range.semitones.max())
    return -widest, widest


def _drawable(take: Take, part: int, key: str) -> tuple[float, float]:
    """A bend is drawn beyond its range, too."""
    return (-127.0, 127.0) if key == "bend" else _limits(take, part, key)


def _inside(start: int, end: int, count: int = 97) -> Any:
    return np.unique(np.linspace(start, max(end - 1, start), count).round().astype(int))


def _is_switch(take: Take, part: int, key: str) -> bool:
    return key in {f"cc:{n}" for n in range(64, 70)} and set(Drawn.of(take, part, key).values) <= {0.0, 127.0}


def ramped(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    there = [DEFAULTS.get(key, 0.0) if np.isnan(v) else float(v) for v in Drawn.of(before, part, key).at([start, end])]
    low, high = (
        given if given is not None else v for given, v in zip((said.get("start"), said.get("end")), there, strict=True)
    )
    ticks = _inside(start, end)
    wanted = low + (high - low) * way((ticks - start) / (end - start), said.get("lift", 0.0), said.get("ease", 0.0))
    # A way that ends at the end of the range does so at a whole tick.
    allowed = 1 + _steepness(wanted, ticks) / (0.01 if key == "bend" else EIGHTH)
    return _compare(after, part, key, ticks, np.clip(wanted, *_drawable(before, part, key)), allowed)


def waved(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    if _is_switch(before, part, key):
        return 0.0, ""
    ticks = _inside(start, end, 301)
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
    wanted = np.clip(base + depth * level, *_drawable(before, part, key))
    # Beside a jump, and where a cycle lasts only some ticks, rounding to ticks decides.
    per_tick = np.max(np.abs(np.diff(turns)) / np.maximum(np.diff(ticks), 1)) if len(ticks) > 1 else 0
    near = np.min([np.abs((share - edge + 0.5) % 1 - 0.5) for edge in (0.0, 0.5)], axis=0)
    keep = near > 1.5 * per_tick
    keep &= (form == "sine") | (
        np.min([np.abs((share - e + 0.5) % 1 - 0.5) for e in (0.25, 0.75)], axis=0) > 1.5 * per_tick
    )
    slope = float(np.max(depth)) * per_tick * 2 * np.pi
    wanted = np.where(keep, wanted, np.nan)
    return _compare(after, part, key, ticks, wanted, 1 + slope / (0.01 if key == "bend" else EIGHTH))


def faded(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said.get("lane", "cc:11"), said["where"]["parts"][0], said["where"]["span"]
    ticks = _inside(start, end)
    base = Drawn.of(before, part, key).at(ticks)
    base = np.where(np.isnan(base), DEFAULTS.get(key, 0.0), base)
    factor = said["start"] + (said["end"] - said["start"]) * way(
        (ticks - start) / (end - start), said.get("lift", 0.0), said.get("ease", 0.0)
    )
    wanted = np.clip(base * factor, 0, max([127.0, *Drawn.of(before, part, key).values]))
    return _compare(after, part, key, ticks, wanted, 1 + _steepness(base * factor, ticks) / EIGHTH)


def framed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    drawn = Drawn.of(before, part, key)
    if said.get("join") == "smooth" or not drawn.ticks or _is_switch(before, part, key):
        return 0.0, ""
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    length, drift = said.get("length", 1.0), said.get("drift", 0.0)
    covered = max(round((end - start) * length), 1)
    ticks = _inside(start, start + covered, 301)
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
    low, high = _drawable(before, part, key)
    if said.get("limit", "pin") != "pin" and (np.nanmin(values) < low + 1 or np.nanmax(values) > high - 1):
        return 0.0, ""
    wanted = np.clip(values, low, high)
    allowed = 1.3 + _steepness(values, ticks) / (0.01 if key == "bend" else EIGHTH)
    # Beside a node that moves to another tick, rounding decides where the jump is.
    if drift or length != 1:
        near = np.array([min((abs(one - tick) for tick in drawn.ticks), default=9e9) for one in at])
        wanted = np.where(near < 3 + 3 / max(length, 0.01) + (end - start) * 0.002, np.nan, wanted)
        steep = np.abs(drawn.at(at + 2) - drawn.at(at - 2))
        wanted = np.where(steep > 0.2 * (0.1 if key == "bend" else 1), np.nan, wanted)
    return _compare(after, part, key, ticks, wanted, allowed)


def smoothed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    drawn = Drawn.of(before, part, key)
    if not drawn.ticks or _is_switch(before, part, key):
        return 0.0, ""
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    start = max(start, drawn.ticks[0])
    low, high = _limits(before, part, key)
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
    ticks = _inside(start, end, 80)
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
    low, high = _drawable(before, part, key)
    wanted = np.clip(np.array(wanted), low, max([high, *drawn.values]))
    # Within a tick of a transition the mean is only as fine as the ticks are.
    slope = np.max(np.abs(np.diff(values)), initial=0) * np.max(lasting) / half_width
    return _compare(after, part, key, ticks, wanted, 2 + slope / (0.01 if key == "bend" else EIGHTH))


def copied(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, (start, end) = said["lane"], said["where"]["parts"][0], said["where"]["span"]
    to = said["to"]
    target = to.get("lane") or key
    if "bend" in (key, target) or _is_switch(before, part, target) or target in {f"cc:{n}" for n in range(64, 70)}:
        return 0.0, ""
    length, at = said.get("fit") or end - start, to.get("at", start)
    at_ = _inside(at, at + length * said.get("repeat", 1), 201)
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
    return _compare(after, part, target, at_, wanted, 1.5)


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
    return _compare(after, part, key, _inside(*span), np.full(len(_inside(*span)), last))


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
    low, high = _limits(after, part, key)
    if key == "bend":
        at_start = float(after.parts[part].bend_range.at(0))
        low, high = max(low, -at_start), min(high, at_start)
    wanted = min(max(said["value"], low), high)
    off = abs(float(heard[0]) - wanted) / (0.03 if key == "bend" else 0.5001)
    return off, f"part {part} {key} is heard {heard[0]} at the start, not {wanted}"


def drawn_by_hand(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    points = said["points"]
    if said.get("steps") or _is_switch(before, part, key) or len({tick for tick, _ in points}) < len(points):
        return 0.0, ""
    start, end = points[0][0], points[-1][0] + 1
    if span:
        start, end = max(start, span[0]), min(end, span[1])
    low, high = _drawable(before, part, key)
    ticks = np.array([tick for tick, _ in points if start <= tick < end] or [start])
    wanted = np.clip(np.interp(ticks, *np.array(points).T), low, high)
    unit = 0.011 if key == "bend" else EIGHTH
    return _compare(after, part, key, ticks, wanted, 1 + said.get("tolerance", 1.0) / unit)


def noded(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, nodes = said["lane"], said["where"]["parts"][0], said["nodes"]
    if not nodes:
        return 0.0, ""
    last = {node["tick"]: node["value"] for node in nodes}
    return _compare(after, part, key, list(last), list(last.values()))


def shaped(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, part, span = said["lane"], said["where"]["parts"][0], said["where"].get("span")
    if said.get("notes") or not span:
        return 0.0, ""
    start, end = span
    every = said.get("every")
    ticks = _inside(start, end, 211)
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
    low, high = _drawable(before, part, key)
    if any(not low <= one <= high for one in (said["start"], said["end"], peak or low)):
        return 0.0, ""
    near = (np.abs(ticks - head) < 3) | (np.abs(tail - ticks) < 3)
    wanted = np.where(near & (ticks != start), np.nan, wanted)
    steep = np.nan_to_num(np.abs(np.gradient(wanted, ticks))) if len(ticks) > 2 else np.zeros(len(ticks))
    unit = 0.011 if key == "bend" else EIGHTH
    # Three places of each shape lie on whole ticks: its edges, and its peak.
    return _compare(after, part, key, ticks, wanted, 1.2 + 2 * min(float(steep.max()), 8.0) / unit)


def moved(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    key, to, part, span = said["lane"], said["to"], said["where"]["parts"][0], said["where"].get("span")
    if "bend" in (key, to) or _is_switch(before, part, to) or not Drawn.of(before, part, key).ticks:
        return 0.0, ""
    drawn = Drawn.of(before, part, key)
    start, end = span or (drawn.ticks[0], drawn.ticks[-1] + 1)
    ticks = _inside(max(start, drawn.ticks[0]), end, 151)
    highest = max([127.0, *Drawn.of(before, part, to).values])
    found = _compare(after, part, to, ticks, np.minimum(drawn.at(ticks), highest), 1.2)
    if said.get("keep"):
        other = _compare(after, part, key, ticks, drawn.at(ticks))
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


def velocities(formula: Callable[..., Any]) -> Callable[[Take, Take, dict[str, Any]], tuple[float, str]]:
    """A formula for velocities: takes those of the notes reached, their onsets, the take and the stroke."""

    def compared(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
        where = said["where"]
        notes, now = (take.parts[where["parts"][0]].notes for take in (before, after))
        start, end = where.get("span") or (0, math.inf)
        if said["kind"] == "velocity.draw":
            start, end = max(start, said["points"][0][0]), min(end, said["points"][-1][0] + 1)
        reached = (notes.start >= start) & (notes.start < end)
        if not np.array_equal(now.velocity[~reached], notes.velocity[~reached]):
            return 99.0, "a note that was not meant has another velocity"
        wanted = formula(notes.velocity[reached].astype(float), notes.start[reached].astype(float), before, said)
        if wanted is None:
            return 0.0, ""
        off = np.abs(np.clip(wanted, 1, 127) - now.velocity[reached]).max()
        return float(off) / 0.501, f"a velocity is {off:.2f} off the formula"

    return compared


MEASURES: dict[str, Callable[[Any], Any]] = {"mean": np.mean, "min": np.min, "max": np.max}


def _measured(level: Any, values: Any) -> float:
    return float(MEASURES[level](values)) if isinstance(level, str) else level


def _chords(starts: Any, resolution: int) -> Any:
    """The onset of each note's chord: notes within a sixteenth of a quarter of its first."""
    found, head = [], -math.inf
    for start in starts:
        head = start if start - head > resolution // 16 else head
        found.append(head)
    return np.array(found)


def _own_deviation(velocity: Any, start: Any) -> Any:
    """From the least-squares line through velocities over onsets."""
    if len(set(start.tolist())) < 2:
        return velocity - velocity.mean()
    slope, level = np.polyfit(start - start.mean(), velocity, 1)
    return velocity - (level + slope * (start - start.mean()))


def hairpin(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    first, last = said["where"].get("span") or (start.min(), start.max())
    u = np.clip((_chords(start, take.resolution) - first) / max(last - first, 1), 0, 1)
    lift, ease, peak, at = said.get("lift", 0.0), said.get("ease", 0.0), said.get("peak"), said.get("peak_at", 0.5)
    if peak is None:
        line = said["start"] + (said["end"] - said["start"]) * way(u, lift, ease)
    else:
        there = said["start"] + (peak - said["start"]) * way(np.clip(u / max(at, 1e-9), 0, 1), lift, ease)
        back = said["end"] + (peak - said["end"]) * way(np.clip((1 - u) / max(1 - at, 1e-9), 0, 1), lift, ease)
        line = np.where(u < at, there, back)
    made = (
        velocity * line
        if said.get("mode") == "by"
        else line + said.get("accents", 0.0) * _own_deviation(velocity, start)
    )
    return np.clip(made, said.get("floor", 1), said.get("ceiling", 127))


def knee(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    sign, width = (1 if said.get("side", "loud") == "loud" else -1), said.get("knee", 16.0)
    past = sign * (velocity - said["threshold"])
    slope = 1 - 1 / said.get("ratio", 2.0)
    less = np.where(
        past >= width / 2, past, np.where(past <= -width / 2, 0, (past + width / 2) ** 2 / (2 * max(width, 1e-9)))
    )
    return velocity - sign * slope * less


def by_hand(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    ticks, values = zip(*said["points"], strict=True)
    if len(set(ticks)) < len(ticks):
        return None
    return np.interp(start, ticks, values) + said.get("accents", 0.0) * _own_deviation(velocity, start)


def varied(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    # By chance: no formula, but never by more than twice the amount.
    return velocity if said["amount"] == 0 else None


def nudged(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    return velocity + said["by"] if said.get("limit", "pin") == "pin" else None


def scaled(velocity: Any, start: Any, take: Take, said: dict[str, Any]) -> Any:
    pivot = _measured(said.get("pivot", "mean"), velocity)
    return pivot + said["factor"] * (velocity - pivot) if said.get("limit", "pin") == "pin" else None


def notes_copied(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Every new note is one of those that were meant, at a whole number of steps from where it was."""
    part = said["where"]["parts"][0]
    was = {(n.start, n.pitch, n.velocity) for n in _notes(before, part)}
    now = _notes(after, said["to"].get("part") if said["to"].get("part") is not None else part)
    start, end = said["where"].get("span") or (0, math.inf)
    meant = [n for n in _notes(before, part) if start <= n.start < end]
    keys = said.get("keys", 0)
    for note in now:
        if (note.start, note.pitch, note.velocity) in was:
            continue
        if not any((one.pitch + keys, one.velocity) == (note.pitch, note.velocity) for one in meant):
            return 99.0, f"a note of {note.pitch} at {note.start} that nobody copied"
        if note.start < said["to"]["at"]:
            return 99.0, f"a copy at {note.start}, before {said['to']['at']}"
    return 0.0, ""


@dataclass(frozen=True)
class Struck:
    """A note in short."""

    start: int
    pitch: int
    velocity: int


def _notes(take: Take, part: int) -> list[Struck]:
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
            worst = max(worst, _compare(after, part, "bend", ticks, base + away, slack))
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
    inside = (ticks >= first) & (ticks < last)
    return said.get("depth", -1.0) * np.where(inside, np.where(ticks < middle, there, back), 0.0)


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
            worst = max(worst, _compare(after, part, "bend", np.array([home, onset - 1]), np.zeros(2)))
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
    return _compare(after, part, "bend", ticks, was, 1.5)


def sounding_on(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Pedal into lengths and lengths into pedal: every note stops sounding when it did, within a tick."""
    if said.get("threshold", 64.0) != 64 or said.get("longest") or said.get("gap_ms"):
        return 0.0, ""
    ends = []
    for take in (before, after):
        hearing = Hearing(take)
        scale = hearing.scale
        ends.append(sorted((n.part, n.start * scale, n.pitch, n.velocity, n.end * scale) for n in hearing.heard.notes))
    last = min(before.end, after.end)
    for one, other in zip(*ends, strict=True):
        if one[:4] != other[:4]:
            return 999.0, f"note {one[:4]} has become {other[:4]}"
        if (off := abs(min(one[4], last) - min(other[4], last))) > 1:
            return off, f"note {one[:4]} stops {off} ticks from where it did"
    return 0.0, ""


def footed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Pressed and lifted: at its depth over the span, or while any of the notes lasts."""
    wanted = said.get("depth", 127.0) if said["kind"] == "pedal.press" else 0.0
    stroke = parse_stroke(said)
    for part in said["where"]["parts"]:
        if not wanted and said.get("lane", "cc:64") not in after.parts[part].lanes:
            # What a reset has lifted, and nothing presses, needs no lane.
            continue
        spans = said.get("spans") or [said["where"].get("span")]
        if not said.get("spans") and (said["where"].get("notes") or said["where"].get("pitches")):
            notes = before.parts[part].notes.only(stroke.where.notes_of(before.parts[part]))
            spans = list(zip(notes.start.tolist(), notes.end.tolist(), strict=True))
        for start, end in (span for span in spans if span and span[1] > span[0]):
            off, sentence = _compare(
                after, part, said.get("lane", "cc:64"), ticks := _inside(start, end, 9), [wanted] * len(ticks)
            )
            if off > 1:
                return off, sentence
    return 0.0, ""


def switched(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Depth into on and off, with a memory: by walking along the lane tick after tick of what it says."""
    part, key = said["where"]["parts"][0], said.get("lane", "cc:64")
    drawn = Drawn.of(before, part, key)
    if not all(drawn.hold) or not drawn.ticks or _is_switch(before, part, key):
        return 0.0, ""
    start, end = said["where"].get("span") or (drawn.ticks[0], drawn.ticks[-1] + 1)
    is_on, states = False, {}
    for tick, value in zip(drawn.ticks, drawn.values, strict=True):
        is_on = value >= said.get("on", 64.0) or (is_on and value >= said.get("off", 60.0))
        states[tick] = 127.0 if is_on else 0.0
    told = [tick for tick in states if start <= tick < end]
    return _compare(after, part, key, told, [states[tick] for tick in told]) if told else (0.0, "")


def deepened(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """On and off into depth: what was down is so deep."""
    part, key = said["where"]["parts"][0], said.get("lane", "cc:64")
    drawn = Drawn.of(before, part, key)
    if not drawn.ticks:
        return 0.0, ""
    start, end = said["where"].get("span") or (drawn.ticks[0], drawn.ticks[-1] + 1)
    ticks = _inside(max(start, drawn.ticks[0]), max(end, drawn.ticks[0] + 1))
    wanted = np.where(drawn.at(ticks) == 127, said.get("depth", 100.0), drawn.at(ticks))
    return _compare(after, part, key, ticks, np.where(ticks < end, wanted, np.nan))


def retimed(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Notes keep their ticks and sound by the tempo that was asked for; or their seconds, in ticks as they round."""
    keeps_bars = said.get("keeps", "bars") == "bars"
    start, end = said["where"].get("span") or (0, before.end + 1)
    end = end if end <= before.end else before.end + 10_000_000
    for old, new in zip(before.parts, after.parts, strict=True):
        if keeps_bars and old.notes.start.tolist() != new.notes.start.tolist():
            return WRONG, "notes have left their bars"
        if not keeps_bars:
            was, now = (take.tempo.seconds(part.notes.start) for take, part in ((before, old), (after, new)))
            longest = float(after.tempo.micros.max()) / 1e6 / after.resolution
            off = float(np.abs(was - now).max(initial=0.0)) / max(longest, 1e-9)
            if off > 1:
                return off, f"a note sounds {off:.2f} ticks from where it sounded"
    if not keeps_bars or "bpm" not in said:
        return 0.0, ""
    # Beat by beat, as a plain sum: what is asked for within, what was there without.
    quarter = before.resolution
    edges = sorted(
        {
            *range(0, before.end + quarter, max(quarter // 8, 1)),
            start,
            min(end, before.end),
            *before.tempo.ticks.tolist(),
        }
    )
    expected = 0.0
    for low, high in itertools.pairwise(edges):
        middle = (low + high) / 2
        step = int(np.searchsorted(before.tempo.ticks, middle, side="right")) - 1
        bpm = 60e6 / float(before.tempo.micros[step])
        if "end_bpm" in said and start <= middle < end:
            bpm = said["bpm"] + (said["end_bpm"] - said["bpm"]) * (middle - start) / (end - start)
        elif start <= middle < end:
            bpm = said["bpm"]
        expected += (high - low) / quarter * 60 / bpm
    found = float(after.tempo.seconds(edges[-1]))
    off = abs(found - expected) / max(expected * 2e-3, 0.005)
    return off, f"it lasts {found:.3f} s and not {expected:.3f}" if off > 1 else ""


def barred(before: Take, after: Take, said: dict[str, Any]) -> tuple[float, str]:
    """Bar lines come so many beats apart from the start of the span on; nothing else is otherwise."""
    off, why = same_drawing(before, after, said)
    if off > 1:
        return off, why
    start, end = said["where"].get("span") or (0, before.end + 1)
    length = said["beats"] * 4 * after.resolution // said.get("unit", 4)
    lines = after.meter.bars(max(after.end, 1)).start.tolist()
    for line in range(start, min(end, after.end + 1), max(length, 1)):
        if line <= after.end and line not in lines:
            return WRONG, f"there is no bar line at {line}"
    return 0.0, ""


FORMULAS: dict[str, Callable[[Take, Take, dict[str, Any]], tuple[float, str]]] = {
    "lane.ramp": ramped,
    "lane.wave": waved,
    "lane.fade": faded,
    "lane.reshape": framed,
    "lane.smooth": smoothed,
    "lane.copy": copied,
    "lane.clear": cleared,
    "lane.distil": distilled,
    "lane.lead_in": led_in,
    "lane.draw": drawn_by_hand,
    "lane.nodes": noded,
    "lane.shape": shaped,
    "lane.move": moved,
    "lane.shift": shifted,
    "lane.unplayed": unplayed,
    "pedal.to_lengths": sounding_on,
    "pedal.from_lengths": sounding_on,
    "pedal.press": footed,
    "pedal.lift": footed,
    "pedal.switch": switched,
    "pedal.depth": deepened,
    "velocity.set": velocities(lambda v, start, take, said: np.full(len(v), _measured(said["value"], v))),
    "velocity.nudge": velocities(nudged),
    "velocity.scale": velocities(scaled),
    "velocity.trim": velocities(lambda v, start, take, said: v * said.get("scale", 1.0) + said.get("offset", 0)),
    "velocity.knee": velocities(knee),
    "velocity.hairpin": velocities(hairpin),
    "velocity.draw": velocities(by_hand),
    "velocity.vary": velocities(varied),
    "notes.copy": notes_copied,
    "bend.range": ranged,
    "bend.scoop": bent(scooped),
    "bend.fall": bent(fallen),
    "bend.dip": bent(dipped),
    "bend.shake": bent(shaken),
    "bend.glide": bent(glided),
    "bend.home": sent_home,
    "velocity.accent": velocities(accented),
    "record.pass": played_in,
    "take.tempo": retimed,
    "take.metre": barred,
    **NOTE_FORMULAS,
}
"""What each kind is documented to do (docs/strokes.md), as a share of what it may be off: 1 is the bound."""
NEUTRAL: tuple[dict[str, Any], ...] = (
    {"kind": "lane.reshape"},
    {"kind": "lane.wave", "mode": "add", "rate": 1, "depth": 0},
    {"kind": "lane.fade", "lane": "cc:11", "start": 1, "end": 1},
    {"kind": "lane.distil", "tolerance": 0},
    {"kind": "lane.smooth", "jump": 0},
    {"kind": "velocity.nudge", "by": 0},
    {"kind": "velocity.scale", "factor": 1},
    {"kind": "velocity.vary", "amount": 0},
    {"kind": "velocity.trim"},
    {"kind": "velocity.hairpin", "mode": "by", "start": 1, "end": 1},
)
"""Numbers that ask for nothing: what is heard stays as it is, and so do the bytes but for what said nothing."""
