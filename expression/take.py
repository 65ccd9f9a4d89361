"""A take: what was recorded, as the core sees it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Floats, Ints, frozen
from expression.curve import Curve
from expression.notes import Notes
from expression.time import Meter, TempoMap


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

    def spliced(self, start: int, end: int, made: Curve, origin: Ints) -> "Lane":
        """The lane with the nodes from `start` to before `end` replaced by others, which count as touched."""
        return Lane(
            self.key,
            self.curve.spliced(start, end, made),
            frozen(np.concatenate((self.origin[:start], origin, self.origin[end:])), np.int64),
            frozen(np.concatenate((self.touched[:start], np.ones(len(made), bool), self.touched[end:])), bool),
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
        return max((int(track.tick[-1]) for track in self.tracks if len(track)), default=0)

    @property
    def seconds(self) -> float:
        """The length of the take."""
        return float(self.tempo.seconds(self.end))

    @property
    def note_count(self) -> int:
        """Notes of all parts together."""
        return sum(len(part.notes) for part in self.parts)
