"""Strokes on the curves of notes: drawn for each, given from one to many, scattered, begun where they should begin."""

from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, field_validator, model_validator
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, whole
from expression.chords import chord_onsets
from expression.curve import NO_NODES, Curve
from expression.errors import NothingMatched
from expression.lanes import LANES, NOTE_PITCH
from expression.limits import MOST_NODES
from expression.note_curves import NoteCurves
from expression.piece import backwards, cut, opened
from expression.records import Record, Unit
from expression.strokes.base import Count, Lift, masks_of
from expression.strokes.batch import Batch
from expression.strokes.batch import Chosen as Sounding
from expression.strokes.feel import CUT, chance
from expression.strokes.grips import Grip
from expression.strokes.own_stroke import Chosen, NoteLane, NoteStroke, known_note_lane
from expression.strokes.spec import ASK_ROLL, Gesture, Spec, choice, entry, yes_no
from expression.take import Part, Take

OCTAVE = 12.0
"""Semitones to either side of a note that become the whole range of another kind."""
NODES_EACH = 2**16
"""Ids of a note's nodes, by which they deviate."""


class CurveNode(Record):
    """One node of a curve, and the way to the next."""

    at: Unit = Field(description="Where in the note: a share of its length.")
    value: Annotated[float, Field(ge=-127, le=127)] = Field(description="In the lane's unit; pitch in semitones.")
    hold: bool = Field(False, description="Keep the value until the next node.")
    lift: Lift = 0.0
    ease: Unit = 0.0


class NoteCurve(NoteStroke):
    """The curve of every chosen note, each over its own length, in place of what it had."""

    kind: Literal["note.curve"] = "note.curve"
    spec = Spec(
        "own",
        "Curve of each note",
        says="Over the length of each chosen note, in place of what it had.",
        gestures=(
            Gesture(
                "fadeIn",
                "Rise",
                "From rest upwards, over each chosen note",
                "ramp grow each note",
                "Each note",
                where="own",
                given={"nodes": "@rise"},
            ),
            Gesture(
                "swell",
                "There and back",
                "A swell over each chosen note",
                "swell each note pressure",
                "Each note",
                where="own",
                given={"nodes": "@there and back"},
            ),
            Gesture(
                "scoop",
                "Arrive",
                "Each chosen note comes to rest from elsewhere",
                "scoop from below settle each note",
                "Each note",
                where="own",
                given={"nodes": "@arrive"},
            ),
            Gesture(
                "away",
                "No curve",
                "The curves of the chosen notes away, or of all",
                "clear erase remove delete",
                "Each note",
                where="own",
                given={"nodes": []},
            ),
        ),
    )
    nodes: tuple[CurveNode, ...] = Field(max_length=MOST_NODES, description="Ascending by `at`; none: no curve.")

    @model_validator(mode="after")
    def _fits(self) -> Self:
        places = [node.at for node in self.nodes]
        if places != sorted(places):
            raise ValueError("nodes must ascend by at")
        kind = LANES[self.lane]
        if any(not kind.low <= node.value <= kind.high for node in self.nodes):
            raise ValueError(f"nodes of {kind.name} must have values from {kind.low:g} to {kind.high:g}")
        return self

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        # Where it may be too many nodes, all are counted.
        most = len(self.nodes) * sum(len(part.notes) for part in take.parts)
        return self if most > MOST_NODES * 10 else super().seen(take, start, end)

    @override
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves]:
        if len(self.nodes) * len(chosen.id) > MOST_NODES * 10:
            raise NothingMatched(f"That would be more than {MOST_NODES * 10:,} nodes; choose fewer notes.", "nodes")
        count, nodes = len(chosen.id), len(self.nodes)
        at, value, hold, lift, ease = (
            np.array([getattr(node, name) for node in self.nodes]) for name in ("at", "value", "hold", "lift", "ease")
        )
        ticks = whole(np.repeat(chosen.length, nodes) * np.tile(at, count))
        columns = (np.tile(column, count) for column in (value, hold, lift, ease))
        return chosen.id, NoteCurves.of(np.repeat(chosen.id, nodes), Curve.of(ticks, *columns))

    @override
    def label(self) -> str:
        if not self.nodes:
            return f"{self.name} cleared"
        ends = " → ".join(f"{node.value:g}".replace("-", "−") for node in (self.nodes[0], self.nodes[-1]))
        return f"{self.name} {ends}" if len(self.nodes) > 1 else f"{self.name} {self.nodes[0].value:g}"


class NoteCopy(NoteStroke):
    """The curve of one note, given to the other chosen ones.

    It is shaped as what it is and then becomes another kind by its numbers; between pitch and the others, an octave to
    either side of the note is 0 to 128 about 64 (and up from 0 for a kind that rests there, 0 to 127).
    """

    kind: Literal["note.copy"] = "note.copy"
    spec = Spec(
        "own",
        "Given to others",
        says="The curve of one note, to all others that are chosen.",
        asks=(
            choice("by", "Over", ("share", "each length"), ("beats", "its own time")),
            choice("flip", "Turned", ("none", "not"), ("time", "in time"), ("value", "upside down")),
            yes_no("alternate", "Every other upside down"),
            entry("gain", "Times", 0.05),
            choice("scale", "And by", ("none", "—"), ("velocity", "touch"), ("pitch", "height"), ("chord", "voice")),
        ),
        gestures=(
            Gesture(
                "copy",
                "Give to others",
                "The curve of the first chosen note that has one, to the other chosen ones",
                "copy paste curve many notes alternate invert",
                "Each note",
                where="own",
                begins="give",
                for_selection=True,
            ),
        ),
        named_by=("to", "lane"),
    )
    source: Count = Field(description="The id of the note whose curve is given.")
    to: NoteLane | None = Field(None, description="The kind that it becomes; absent: the same.")
    by: Literal["share", "beats"] = Field("share", description="Over the length of each note, or as long as it is.")
    flip: Literal["none", "time", "value"] = Field(
        "none",
        description="Backwards, or upside down: about rest where that is in the middle, else the top is the bottom.",
    )
    alternate: bool = Field(False, description="Every other note gets it upside down.")
    gain: Annotated[float, Field(ge=0, le=16)] = Field(1.0, description="Distances from rest times this.")
    scale: Literal["none", "velocity", "pitch", "chord"] = Field(
        "none",
        description="Besides times how hard each note is struck against the source; or 1 and a twelfth more for each "
        "semitone above it; or the share of its chord that is not above it.",
    )

    @field_validator("to")
    @classmethod
    def _known_to(cls, to: str | None) -> str | None:
        return to if to is None else known_note_lane(to, "to")

    @property
    @override
    def target_lane(self) -> str:
        return self.to or self.lane

    @override
    def seen(self, take: Take, start: int, end: int) -> Self:
        # Where each is turned by its number among the others, or scaled by its place in a chord, all of them count.
        return self if self.alternate or self.scale == "chord" else super().seen(take, start, end)

    def _source(self, take: Take) -> tuple[Part, int, Curve]:
        for part in take.parts:
            row = np.flatnonzero(part.notes.id == self.source)
            if len(row):
                curve = part.curves[self.lane].curve(self.source) if self.lane in part.curves else NO_NODES
                if not len(curve):
                    raise NothingMatched(f"The note whose curve is to be given has none ({self.name}).", "source")
                return part, int(row[0]), curve
        raise NothingMatched(f"There is no note {self.source} in this take.", "source")

    @override
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves] | None:
        part, row, curve = self._source(take)
        others = chosen.id != self.source if self.target_lane == self.lane else np.ones(len(chosen.id), dtype=bool)
        if not others.any():
            raise NothingMatched("Only the note that gives its curve is chosen; choose those that are to get it.")
        length = max(int(part.notes.end[row] - part.notes.start[row]), 1)
        factor = self._factors(take, part, row, chosen)
        turned = self._turned(take, chosen)
        rest = _rest(self.lane)
        if self.flip == "time":
            # What says nothing yet is at rest until it does, and so comes to rest where it runs backwards.
            silent = Curve.of([0], [rest]) if curve.ticks[0] > 0 else NO_NODES
            curve = backwards(cut(silent.then(curve), 0, length, LANES[self.lane].error)).curve
        ids, lengths = chosen.id[others], chosen.length[others]
        count, each = len(ids), len(curve)
        ticks = np.tile(curve.ticks, count)
        if self.by == "share":
            ticks = whole(ticks * np.repeat(lengths / length, each))
        values = rest + np.tile(curve.values - rest, count) * np.repeat(factor[others], each)
        values = np.where(np.repeat(turned[others], each), _upside_down(values, self.lane), values)
        values = _in_unit(values, self.lane, self.target_lane)
        made = Curve.of(ticks, values, *(np.tile(column, count) for column in (curve.hold, curve.lift, curve.ease)))
        return ids, NoteCurves.of(np.repeat(ids, each), made)

    def _factors(self, take: Take, part: Part, row: int, chosen: Chosen) -> Floats:
        if self.scale == "velocity":
            return np.asarray(self.gain * chosen.velocity / max(int(part.notes.velocity[row]), 1))
        if self.scale == "pitch":
            away = chosen.pitch - int(part.notes.pitch[row])
            return np.asarray(self.gain * np.maximum(1 + away / 12, 0.0))
        if self.scale == "chord":
            chord = np.unique(chord_onsets(chosen.start, take.resolution), return_inverse=True)[1]
            above = np.array(
                [
                    np.sum((chord == own) & (chosen.pitch <= pitch))
                    for own, pitch in zip(chord, chosen.pitch, strict=True)
                ]
            )
            return np.asarray(self.gain * above / np.bincount(chord)[chord])
        return np.full(len(chosen.id), self.gain)

    def _turned(self, take: Take, chosen: Chosen) -> Flags:
        turned = np.full(len(chosen.id), self.flip == "value")
        if self.alternate:
            # Counted by their starts, the lower first, from the source on; that one is as it is.
            order = np.lexsort((chosen.pitch, chosen.start))
            place = np.empty(len(order), dtype=np.int64)
            place[order] = np.arange(len(order))
            own = place[chosen.id == self.source]
            turned ^= (place - (int(own[0]) if len(own) else -1)) % 2 == 1
        return turned

    @override
    def label(self) -> str:
        onto = f" to {LANES[self.target_lane].name}" if self.target_lane != self.lane else ""
        words = {"time": ", backwards", "value": ", upside down", "none": ""}[self.flip]
        return f"{self.name} copied{onto}{words}" + (", every other turned" if self.alternate else "")


def _rest(key: str) -> float:
    """What a kind of curve says at rest."""
    return LANES[key].default


def _upside_down(values: Floats, key: str) -> Floats:
    """About rest where that lies within the range, so that what begins at rest does so still; else within the range."""
    kind = LANES[key]
    return 2 * kind.default - values if kind.low < kind.default < kind.high else kind.low + kind.high - values


def _in_unit(values: Floats, old: str, new: str) -> Floats:
    """The values of one kind as those of another: the same numbers, but for pitch, where an octave is half the range.

    So an octave below and above the note are 0 and 128; of a kind that rests at 0, an octave is all of it.
    """
    if (old == NOTE_PITCH) == (new == NOTE_PITCH):
        return values
    other = LANES[new if old == NOTE_PITCH else old]
    octave = other.default if other.default > other.low else other.high
    return other.default + values * octave / OCTAVE if old == NOTE_PITCH else (values - other.default) * OCTAVE / octave


class NoteScatter(NoteStroke):
    """Every node gets a deviation of its own, which depends on the seed, the note and the node's place alone."""

    kind: Literal["note.scatter"] = "note.scatter"
    spec = Spec(
        "own",
        "Scatter",
        says="Each node by chance within the bows about it; the same for a note whatever else is chosen.",
        asks=(
            entry("amount", "Spread", 0.5),
            ASK_ROLL,
            choice("nodes", "Nodes", ("all", "all"), ("first", "first"), ("inner", "inner"), ("last", "last")),
        ),
        gestures=(
            Gesture(
                "vary",
                "Scatter",
                "Each node a little differently, by chance",
                "random spread vary deviation humanise nodes",
                "Each note",
                where="own",
                given={"amount": "@spread"},
            ),
        ),
        evidence=("bows",),
    )
    amount: Annotated[float, Field(ge=0, le=127)] = Field(description="The most by which a node deviates either way.")
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = Field(1, description="Another seed is another roll of the dice.")
    nodes: Literal["all", "first", "last", "inner"] = Field("all", description="Which nodes of each note.")

    @override
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves] | None:
        known = chosen.part.curves.get(self.lane)
        if known is None or not len(own := known.only(chosen.id)):
            return None
        owners, place = own.owners(), np.arange(len(own.nodes)) - np.repeat(own.first[:-1], np.diff(own.first))
        kind = LANES[self.lane]
        off = self.amount / CUT * chance(owners * NODES_EACH + place, self.seed)
        last = np.append(owners[1:] != owners[:-1], True)
        which = {"all": True, "first": place == 0, "last": last, "inner": (place > 0) & ~last}[self.nodes]
        values = np.clip(own.nodes.values + np.where(which, off, 0.0), kind.low, kind.high)
        return own.ids, NoteCurves.of(owners, own.nodes.valued(values))

    @override
    def grips(self, take: Take) -> list[Grip]:
        """The spread, where it acts first."""
        for number, mask in masks_of(take, self.where).items():
            chosen = Chosen.of(take.parts[number], mask)
            known = chosen.part.curves.get(self.lane)
            has = np.flatnonzero(np.isin(chosen.id, known.ids)) if known else np.zeros(0, dtype=np.int64)
            if known is None or not len(has):
                continue
            curve = known.curve(int(chosen.id[has[0]]))
            tick, value = int(chosen.start[has[0]] + curve.ticks[0]), float(curve.values[0])
            return [Grip("amount", "How far the nodes may go", tick, value + self.amount, self.amount, base=value)]
        return []

    @override
    def label(self) -> str:
        which = "" if self.nodes == "all" else f", {self.nodes} nodes"
        return f"{self.name} scattered by {self.amount:g}{which}"


class NoteStart(NoteStroke):
    """Where the curves begin: each moved so that it begins there, or led from there into what was played."""

    kind: Literal["note.start"] = "note.start"
    spec = Spec(
        "own",
        "Where curves begin",
        says="Each is moved so that it begins there; with a time it stays, and is led into from there.",
        asks=(
            entry("value", "Begins at", 1, "at rest"),
            entry("time_ms", "Led in (ms)", 10),
        ),
        gestures=(
            Gesture(
                "home",
                "Begin at rest",
                "Each curve begins at the note's own pitch, or at rest: no jump at the start",
                "start jump lead in offset zero",
                "Each note",
                where="own",
            ),
        ),
    )
    value: Annotated[float | None, Field(ge=-127, le=127)] = Field(
        None, description="In the lane's unit; absent: at rest (pitch: the note's own)."
    )
    time_ms: Annotated[float, Field(ge=0, le=60_000)] = Field(
        0.0, description="0: the whole curve is moved. Otherwise it stays, and is led into over so many milliseconds."
    )

    @override
    def curves(self, take: Take, chosen: Chosen) -> tuple[Ints, NoteCurves] | None:
        known = chosen.part.curves.get(self.lane)
        if known is None or not len(own := known.only(chosen.id)):
            return None
        value = _rest(self.lane) if self.value is None else self.value
        if not self.time_ms:
            begins = own.nodes.values[own.first[:-1]]
            values = own.nodes.values + np.repeat(value - begins, np.diff(own.first))
            return own.ids, NoteCurves.of(own.owners(), own.nodes.valued(values))
        order = np.argsort(chosen.id)
        row = order[np.searchsorted(chosen.id[order], own.ids)]
        start = chosen.start[row]
        until = whole(take.tempo.tick(take.tempo.seconds(start) + self.time_ms / 1000)) - start
        until = np.minimum(np.maximum(until, 1), chosen.length[row])
        sounding = Sounding(chosen.part.id, chosen.id, chosen.start, chosen.length)
        line = Batch.of_notes(take, sounding, self.lane, None, False)
        curve = opened(line.curve, line.base + until, line.error)
        owner = line.owner(curve.ticks)
        curve = curve.rows(curve.ticks >= (line.base + until)[owner])
        rests = Curve.of(line.base, np.full(len(line), value), False)
        return line.id, line.curves(rests.among(curve))

    @override
    def label(self) -> str:
        value = "at rest" if self.value is None else f"at {self.value:g}".replace("-", "−")
        return f"{self.name} begins {value}" + (f", led in over {self.time_ms:g} ms" if self.time_ms else "")
