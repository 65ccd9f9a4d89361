"""A take: what was recorded, as the core sees it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen, joined
from expression.curve import Curve
from expression.notes import Notes
from expression.time import Meter, TempoMap

LAST_TICK = 2**40
"""No take lasts longer than this."""


@dataclass(frozen=True, eq=False)
class Events:
    """The events of one track in their order. One element of each array an event.

    Channel messages live in `status`, `data1`, `data2`. For meta events `status` is 255 and `data1` the type; they and
    system exclusive have their data in `payloads[payload]` (-1: none).
    """

    tick: Ints
    status: Bytes
    data1: Bytes
    data2: Bytes
    payload: Ints
    payloads: tuple[bytes, ...]

    def __len__(self) -> int:
        return len(self.tick)

    @classmethod
    def of(
        cls, tick: list[int], status: bytes, data1: bytes, data2: bytes, payload: list[int], payloads: list[bytes]
    ) -> "Events":
        """From columns of equal length."""
        return cls(
            frozen(tick, np.int64),
            frozen(np.frombuffer(status, np.uint8), np.uint8),
            frozen(np.frombuffer(data1, np.uint8), np.uint8),
            frozen(np.frombuffer(data2, np.uint8), np.uint8),
            frozen(payload, np.int64),
            tuple(payloads),
        )


class Header(NamedTuple):
    """What the file's header chunk says, and what else stands outside its tracks."""

    format: int
    division: int
    """Ticks a quarter note in the file."""
    factor: int
    """Ticks of the take for one tick of the file."""


@dataclass(frozen=True, eq=False)
class Lane:
    """A stream of one kind of expression.

    `origin` gives each node's row in the source track's events, -1 where it has none; `touched` the nodes that a stroke
    has made or changed. What is not touched is emitted as recorded.
    """

    key: str
    curve: Curve
    origin: Ints
    touched: Flags

    @classmethod
    def recorded(cls, key: str, curve: Curve, origin: Ints) -> "Lane":
        """A lane as it came."""
        return cls(key, curve, origin, frozen(np.zeros(len(curve), dtype=bool), bool))

    @classmethod
    def empty(cls, key: str) -> "Lane":
        """A lane without a node."""
        return cls.recorded(key, Curve.of([], []), frozen([], np.int64))

    def kept(self, rows: Flags, values: Floats, touched: Flags) -> "Lane":
        """Some of the nodes, with other values where they are `touched`."""
        curve = Curve.of(
            self.curve.ticks[rows], values[rows], self.curve.hold[rows], self.curve.lift[rows], self.curve.ease[rows]
        )
        return Lane(self.key, curve, frozen(self.origin[rows], np.int64), frozen(touched[rows], bool))

    def opened(self, tick: int) -> "Lane":
        """The same lane with a node at `tick`, wherever it has a value there."""
        cut = self.curve.cut(tick)
        if cut is None:
            return self
        first, after, made = cut
        origin = np.full(len(made), -1, dtype=np.int64)
        origin[: after - first] = self.origin[first:after]
        return self.spliced(first, after, made, origin)

    def between(self, start: int, end: int, made: Curve, comes_back: bool = True) -> "Lane":
        """The lane with its nodes from tick `start` to before `end` replaced; ways across an edge keep their form.

        What was held at the end goes on from there only where it `comes_back`: otherwise the last of the new values
        stays until the next node, as with anything that is played over.
        """
        lane = self.opened(start)
        if comes_back or not (len(self.curve) and self.curve.holds([end]).all()):
            lane = lane.opened(end)
        first, after = np.searchsorted(lane.curve.ticks, [start, end]).tolist()
        if first and first < len(lane.curve) and not lane.curve.hold[first - 1]:
            # A way that comes in from outside arrives where it did, before anything new begins.
            made = Curve.of([start], [lane.curve.values[first]]).spliced(1, 1, made)
        return lane.spliced(first, after, made, np.full(len(made), -1, dtype=np.int64))

    def spliced(self, start: int, end: int, made: Curve, origin: Ints) -> "Lane":
        """The lane with the nodes from `start` to before `end` replaced by others, which count as touched."""
        return Lane(
            self.key,
            self.curve.spliced(start, end, made),
            joined(self.origin[:start], frozen(origin, np.int64), self.origin[end:]),
            joined(self.touched[:start], frozen(np.ones(len(made), bool), bool), self.touched[end:]),
        )


class BendRange(NamedTuple):
    """The range of the bend wheel over time: from each of `ticks` on, that many `semitones` either way."""

    ticks: Ints
    semitones: Floats


@dataclass(frozen=True, eq=False)
class Part:
    """One track and channel of the source."""

    id: int
    name: str
    track: int
    channel: int
    """0 to 15."""
    notes: Notes
    lanes: Mapping[str, Lane]
    bend_range: BendRange
    loose: Ints
    """Rows of the track's events that belong to this channel and are neither note nor lane."""
    program: int | None
    """The first program change, 0 to 127."""
    shaped: frozenset[str] = frozenset()
    """Lanes that strokes have changed: their recorded events count only where a node still stands for them."""


@dataclass(frozen=True, eq=False)
class Take:
    """A recording, and what strokes have made of it. Times are ticks of `resolution` a quarter note."""

    source: bytes
    header: Header
    resolution: int
    tracks: tuple[Events, ...]
    """Everything the file holds, at the take's resolution."""
    tempo: TempoMap
    meter: Meter
    parts: tuple[Part, ...]
    remarks: tuple[str, ...]
    """What was wrong with the file, in sentences, where it could be read all the same."""

    def with_notes(self, notes: Mapping[int, Notes]) -> "Take":
        """The take with the notes of some parts (by id) replaced; the rest is shared."""
        parts = tuple(replace(part, notes=notes[part.id]) if part.id in notes else part for part in self.parts)
        return replace(self, parts=parts)

    def with_lanes(self, lanes: Mapping[int, Lane]) -> "Take":
        """The take with one lane of some parts (by id) replaced; a lane without nodes is gone."""
        parts = list(self.parts)
        for part, lane in lanes.items():
            others = {key: known for key, known in parts[part].lanes.items() if key != lane.key}
            shaped = parts[part].shaped | {lane.key}
            parts[part] = replace(
                parts[part], lanes=others | ({lane.key: lane} if len(lane.curve) else {}), shaped=shaped
            )
        return replace(self, parts=tuple(parts))

    @cached_property
    def end(self) -> int:
        """The last tick at which anything happens."""
        ends = [track.tick[-1] for track in self.tracks if len(track)]
        for part in self.parts:
            ends += [part.notes.end.max()] if len(part.notes) else []
            ends += [lane.curve.ticks[-1] for lane in part.lanes.values()]
        return int(max(ends, default=0))

    @property
    def seconds(self) -> float:
        """The length of the take."""
        return float(self.tempo.seconds(self.end))

    @property
    def note_count(self) -> int:
        """Notes of all parts together."""
        return sum(len(part.notes) for part in self.parts)
