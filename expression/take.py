"""A take: what was recorded, as the core sees it."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from expression.arrays import Bytes, Flags, Floats, Ints, constant, frozen, joined
from expression.cable import Answers, BendRange, Instrument, Pace, Sending, Statement, Zone
from expression.curve import NO_NODES, Curve, differing
from expression.lanes import DATA_LSB, DATA_MSB, LANES
from expression.memo import Remembers, beside
from expression.note_curves import NoteCurves
from expression.notes import Notes
from expression.status import SYSEX
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

    def before(self, tick: int) -> "Events":
        """Those before a tick."""
        end = int(np.searchsorted(self.tick, tick))
        said = self.status[:end], self.data1[:end], self.data2[:end]
        return Events(self.tick[:end], *said, self.payload[:end], self.payloads)


class Header(NamedTuple):
    """What the file's header chunk says, and what else stands outside its tracks."""

    format: int
    division: int
    """Ticks a quarter note in the file."""
    factor: int
    """Ticks of the take for one tick of the file."""


@dataclass(frozen=True, eq=False)
class Rows(Remembers):
    """All events of a recording, one track after another: what lanes and notes stand on is named by its row here."""

    tick: Ints
    status: Bytes
    data1: Bytes
    data2: Bytes
    track: Ints
    first: Ints
    """The row of each track's first event; at the end, how many rows there are."""
    rank: Ints
    """The place of each row in the order in which a receiver is told: by tick, then by track, then as in the track."""

    @classmethod
    def of(cls, tracks: Sequence[Events]) -> "Rows":
        """From the tracks of a file."""
        first = np.cumsum([0, *map(len, tracks)])
        columns = [joined(*(getattr(track, name) for track in tracks)) for name in ("tick", "status", "data1", "data2")]
        rank = np.empty(int(first[-1]), dtype=np.int64)
        rank[np.argsort(columns[0], kind="stable")] = np.arange(len(rank))
        track = np.repeat(np.arange(len(tracks)), np.diff(first))
        tick, status, data1, data2 = columns
        return cls(tick, status, data1, data2, frozen(track, np.int64), frozen(first, np.int64), frozen(rank, np.int64))


@dataclass(frozen=True, eq=False)
class Lane:
    """A stream of one kind of expression on a channel."""

    key: str
    curve: Curve
    standing: Callable[[], "Standing"]
    """Asked once, when what the nodes stand on is needed: a preview never needs it."""

    @classmethod
    def recorded(cls, key: str, curve: Curve, origin: Ints) -> "Lane":
        """A lane as it came."""
        return cls.on(key, curve, Standing(frozen(origin, np.int64), constant(False, len(curve), bool)))

    @classmethod
    def empty(cls, key: str) -> "Lane":
        """A lane without a node."""
        return cls.recorded(key, NO_NODES, frozen([], np.int64))

    @cached_property
    def _stands(self) -> "Standing":
        return self.standing()

    @property
    def origin(self) -> Ints:
        """For each node the row (of `Rows`) of the recorded event that stands for it, -1 where there is none.

        A node may also stand on a reset or a change of range, which are no values but make one.
        """
        return self._stands.origin

    @property
    def touched(self) -> Flags:
        """Of the nodes that stand on events: whose value is not what that says. Others are emitted as recorded."""
        return self._stands.touched

    def sent_anew(self, which: Flags, gone: Ints) -> "Lane":
        """The same curve, of which some nodes are sent anew; none stands any longer on rows that are `gone`."""
        origin = np.where(np.isin(self.origin, gone), -1, self.origin)
        standing = Standing(frozen(origin, np.int64), frozen(self.touched | which | (origin != self.origin), bool))
        return Lane.on(self.key, self.curve, standing)

    def reshaped(self, curve: Curve) -> "Lane":
        """The lane with another curve; the very same where nothing differs.

        A node at a tick where one was before, counted from the last of that tick, keeps that one's event; it is touched
        where its value is another.
        """
        bounds = differing(self.curve, curve)
        if bounds[0] == bounds[1] == bounds[2]:
            return self
        # Known by now, so that no long chain of strokes has to be asked at once.
        before, stands = self.curve, self._stands
        return Lane(self.key, curve, lambda: stands.after(before, curve, *bounds))

    @classmethod
    def on(cls, key: str, curve: Curve, standing: "Standing") -> "Lane":
        """A lane whose nodes stand on what is known by now."""
        return cls(key, curve, lambda: standing)

    def __reduce__(self) -> tuple[object, ...]:
        """As it is put away (see `checkpoint`): with the answer, which can be written, not with who is asked for it."""
        return Lane.on, (self.key, self.curve, self._stands)


@dataclass(frozen=True, eq=False)
class Standing:
    """What the nodes of a lane stand on."""

    origin: Ints
    touched: Flags

    def after(self, before: Curve, curve: Curve, first: int, mine: int, theirs: int) -> "Standing":
        """The same for a changed curve: the nodes from `first` to before `mine` gave way to those before `theirs`."""
        here = np.arange(first, theirs)
        tick = curve.ticks[first:theirs]
        old = before.ticks[:mine]
        if first == mine:
            origin, touched = np.full(len(here), -1), np.ones(len(here), dtype=bool)
        else:
            if mine == theirs and np.array_equal(old[first:], tick):
                same, known = here, np.ones(len(here), dtype=bool)
            else:
                last = np.append(np.flatnonzero(tick[1:] != tick[:-1]), len(tick) - 1)
                behind = np.repeat(last, np.diff(last, prepend=-1)) - np.arange(len(tick))
                same = np.searchsorted(old, tick, side="right") - 1 - behind
                known = (same >= first) & (same < mine)
                same = np.where(known, same, 0)
                known &= old[same] == tick
            origin = np.where(known, self.origin[same], -1)
            touched = ~known | self.touched[same] | (before.values[same] != curve.values[here])
        return Standing(
            joined(self.origin[:first], frozen(origin, np.int64), self.origin[mine:]),
            joined(self.touched[:first], frozen(touched, bool), self.touched[mine:]),
        )


@dataclass(frozen=True, eq=False)
class Channel(Remembers):
    """What is in force on one channel of one port, over all tracks, as a receiver has it."""

    id: int
    """Its place in `Take.channels`."""
    port: int
    number: int
    """0 to 15."""
    lanes: Mapping[str, Lane]
    bend_range: BendRange
    resets: Ints
    """Rows that put values back: Reset All Controllers (121), and exclusives that turn a module's system on."""
    ranges: Ints
    """Rows that set the bend range."""
    changed_lanes: frozenset[str] = frozenset()
    """Lanes that strokes have changed: their recorded events count only where a node still stands for them."""
    statements: tuple[Statement, ...] = ()
    """Bend ranges that strokes have set, ascending; their data entries are among the steps of `bend_range`."""
    dropped_rows: Ints = field(default_factory=lambda: frozen([], np.int64))
    """Rows of recorded messages about the bend range that are not sent any longer."""
    paces: Mapping[str, Pace] = field(default_factory=dict[str, Pace])
    """Of lanes that are to be sent more thinly than is usual."""
    instrument: Instrument = field(default_factory=Instrument)
    sending: Sending = field(default_factory=Sending)
    answers: Answers = field(default_factory=Answers)
    zone: Zone | None = None
    """The zone in which its notes were recorded, each on a member of its own; none: on the channel itself."""
    configured: Ints = field(default_factory=lambda: frozen([], np.int64))
    """Rows of recorded messages that set that zone up."""

    def pace(self, key: str) -> Pace:
        """How finely the ways of a lane are sent."""
        kind = LANES[key]
        return self.paces.get(key) or Pace(kind.step, kind.seconds, kind.worst)

    @cached_property
    def restated(self) -> Ints:
        """Ticks of the data entries of `statements`: from there on bends are read otherwise."""
        entries = (
            tick
            for one in self.statements
            for tick, (number, _) in zip(one.ticks, one.controls, strict=True)
            if number in (DATA_MSB, DATA_LSB)
        )
        return frozen(sorted({*entries}), np.int64)

    def at_system_on(self, rows: Rows) -> Ints:
        """Ticks of the resets of a whole module, each once, ascending."""
        return np.unique(rows.tick[self.resets[self.is_system_on(rows)]])

    def is_system_on(self, rows: Rows) -> Flags:
        """Which of its resets turn the system of a whole module on."""
        return np.asarray(rows.status[self.resets] == SYSEX)

    def implied(self, lane: Lane) -> Flags:
        """Which nodes of a lane are no events of its own, but what a reset or a change of range has made of it."""
        return np.isin(lane.origin, np.concatenate((self.resets, self.ranges))) & ~lane.touched

    def bounds(self, key: str) -> tuple[float, float]:
        """The lowest and the highest value of a lane: the bend by the widest range it is given."""
        kind = LANES[key]
        if not kind.is_ranged:
            return kind.low, kind.high
        widest = float(self.bend_range.semitones.max())
        return -widest, widest


class Exact(NamedTuple):
    """Velocities of 16 bits as they came (MIDI 2.0), which count for as long as nobody gives a note another one."""

    ids: Ints
    """Of the notes, ascending."""
    velocity: Ints
    release: Ints


@dataclass(frozen=True, eq=False)
class Part:
    """One track and channel of the source."""

    id: int
    name: str
    track: int
    channel: Channel
    """Shared with every part on the same channel and port."""
    notes: Notes
    paired: Ints
    """Rows of the track's events that began and ended the notes as they were recorded."""
    loose: Ints
    """Rows of the track's events that belong to this channel and are neither note nor lane."""
    program: int | None
    """The first program change, 0 to 127."""
    curves: Mapping[str, NoteCurves] = field(default_factory=dict[str, NoteCurves])
    """Curves of its notes, by their kind."""
    note_rows: Ints = field(default_factory=lambda: frozen([], np.int64))
    """Rows of the track's events that say something to single notes: sent only while a curve stands for them."""
    cue_names: Mapping[int, str] = field(default_factory=dict[int, str])
    """What the keys of its cue notes call up."""
    exact: "Exact | None" = None
    """Velocities as the source has them, where it has them more finely than notes do."""

    @cached_property
    def music(self) -> "Part":
        """The same without its cue notes."""
        return replace(self, notes=self.notes.only(self.notes.music)) if self.notes.cue.any() else self

    @property
    def lanes(self) -> Mapping[str, Lane]:
        """The lanes of its channel."""
        return self.channel.lanes

    @property
    def bend_range(self) -> BendRange:
        """The bend range of its channel."""
        return self.channel.bend_range


class Text(NamedTuple):
    """A marker, a lyric or another text. Ticks of the take."""

    id: int
    """The recorded event's row; of one that a stroke has put in, what the history set aside for it."""
    track: int
    tick: int
    number: int
    """Which kind of text, as a file says it: 1 to 15."""
    words: str


class PhraseMark(NamedTuple):
    """Where phrases or groups of a part's line begin by hand, from one tick to the last of a stretch; ticks."""

    part: int
    level: str
    """`phrases` or `groups`."""
    first: int
    last: int
    bounds: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Take(Remembers):
    """A recording, and what strokes have made of it. Times are ticks of `resolution` a quarter note."""

    # Several recordings in one take (layers) would be several of what follows up to `rows`, each with its own parts;
    # strokes, channels and writing look at `parts` and `rows` alone, so that only reading would know of it.
    source: bytes
    header: Header
    resolution: int
    tracks: tuple[Events, ...]
    """Everything the file holds, at the take's resolution."""
    rows: Rows
    """The same, one track after another."""
    tempo: TempoMap
    meter: Meter
    parts: tuple[Part, ...]
    remarks: tuple[str, ...]
    """What was wrong with the file, in sentences, where it could be read all the same."""
    is_conducted: bool = False
    """Strokes have changed tempo or metre: what the recording says of them is not sent any longer."""
    texts: tuple[Text, ...] = ()
    """Texts that strokes have put in, or said otherwise."""
    dropped_texts: frozenset[int] = frozenset()
    """Rows of recorded texts that are not sent as they were recorded."""
    phrase_marks: tuple[PhraseMark, ...] = ()
    """Where strokes have said that phrases begin, the newest last."""
    looks_zoned: bool = False
    """It looks like MPE, but nothing in it says so: it was read channel by channel."""

    def with_notes(self, notes: Mapping[int, Notes]) -> "Take":
        """The take with the notes of some parts (by id) replaced; the rest is shared."""
        parts = tuple(replace(part, notes=notes[part.id]) if part.id in notes else part for part in self.parts)
        return replace(self, parts=parts)

    def without_cues(self) -> "Take":
        """The take with its music alone."""
        return self.with_notes({part.id: part.music.notes for part in self.parts if part.music is not part})

    def with_curves(self, changed: Mapping[int, Mapping[str, NoteCurves]]) -> "Take":
        """The take with curves of the notes of some parts (by id) replaced, kind by kind; of no note there are none."""
        parts = []
        for part in self.parts:
            curves = {**part.curves, **changed.get(part.id, {})}
            known = {key: one for key, one in curves.items() if len(one) or len(one.rows)}
            parts.append(replace(part, curves=known) if part.id in changed else part)
        return replace(self, parts=tuple(parts))

    def with_channel(self, channel: "Channel") -> "Take":
        """The take with one channel (by id) replaced, for all parts that share it."""
        parts = (replace(part, channel=channel) if part.channel.id == channel.id else part for part in self.parts)
        return replace(self, parts=tuple(parts))

    def with_lane(self, channel: int, lane: Lane) -> "Take":
        """The take with one lane of a channel (by id) replaced; a lane without nodes is gone."""
        return self.with_lanes({channel: [lane]})

    def with_lanes(self, changed: Mapping[int, Sequence[Lane]]) -> "Take":
        """The take with lanes of some channels (by id) replaced."""
        made = {}
        for channel in self.channels:
            if wanted := changed.get(channel.id):
                lanes = {key: known for key, known in channel.lanes.items() if key not in {one.key for one in wanted}}
                lanes |= {lane.key: lane for lane in wanted if len(lane.curve)}
                changed_lanes = channel.changed_lanes | {lane.key for lane in wanted}
                made[channel.id] = replace(channel, lanes=lanes, changed_lanes=changed_lanes)
        parts = (
            replace(part, channel=made[part.channel.id]) if part.channel.id in made else part for part in self.parts
        )
        return replace(self, parts=tuple(parts))

    @cached_property
    def channels(self) -> tuple[Channel, ...]:
        """The channels of all parts, in the order of their ids."""
        return tuple(channel for _, channel in sorted({part.channel.id: part.channel for part in self.parts}.items()))

    def parts_on(self, channel: Channel) -> list[Part]:
        """The parts that share a channel."""
        return [part for part in self.parts if part.channel.id == channel.id]

    @cached_property
    def end(self) -> int:
        """The last tick at which anything happens."""
        ends = [track.tick[-1] for track in self.tracks if len(track)]
        for part in self.parts:
            ends += [part.notes.end.max()] if len(part.notes) else []
            ends += [lane.curve.ticks[-1] for lane in part.lanes.values()]
        return int(max(ends, default=0))

    @beside
    def is_like(self, other: "Take") -> bool:
        """Whether another take of the same recording says and sends the same. (On that, the newer, it is kept.)"""
        if self is other:
            return True
        if not (_alike_ground(self, other) and len(self.parts) == len(other.parts)):
            return False
        pairs = zip(self.parts, other.parts, strict=True)
        return all(_alike_parts(one, two) for one, two in pairs) and all(
            _alike_channels(one, two) for one, two in zip(self.channels, other.channels, strict=True)
        )

    @property
    def seconds(self) -> float:
        """The length of the take."""
        return float(self.tempo.seconds(self.end))

    @property
    def note_count(self) -> int:
        """Notes of all parts together."""
        return sum(len(part.notes) for part in self.parts)


def _alike_ground(one: Take, other: Take) -> bool:
    """Whether tempo, metre and what was recorded lie alike."""
    if any(getattr(one, name) != getattr(other, name) for name in ("texts", "dropped_texts", "phrase_marks")):
        return False
    pairs = (
        (one.tempo.ticks, other.tempo.ticks),
        (one.tempo.micros, other.tempo.micros),
        (one.meter.ticks, other.meter.ticks),
        (one.meter.beats, other.meter.beats),
        (one.meter.beat_ticks, other.meter.beat_ticks),
        (one.rows.tick, other.rows.tick),
    )
    return all(_alike(mine, theirs) for mine, theirs in pairs)


def _alike(one: np.ndarray, other: np.ndarray) -> bool:
    return one is other or np.array_equal(one, other)


def _alike_parts(one: Part, other: Part) -> bool:
    notes = one.notes is other.notes or all(
        _alike(getattr(one.notes, each.name), getattr(other.notes, each.name)) for each in fields(Notes)
    )
    if not notes or one.cue_names != other.cue_names or one.curves.keys() != other.curves.keys():
        return False
    pairs = ((one.curves[key], other.curves[key]) for key in one.curves)
    return all(
        mine is theirs or (_alike_curves(mine.nodes, theirs.nodes) and np.array_equal(mine.owners(), theirs.owners()))
        for mine, theirs in pairs
    )


def _alike_channels(one: Channel, other: Channel) -> bool:
    if one is other:
        return True
    settings = ("statements", "paces", "instrument", "sending", "answers")
    if any(getattr(one, name) != getattr(other, name) for name in settings) or one.lanes.keys() != other.lanes.keys():
        return False
    ranges = zip(one.bend_range, other.bend_range, strict=True)
    if not all(_alike(*pair) for pair in ranges) or not _alike(one.dropped_rows, other.dropped_rows):
        return False
    pairs = ((one.lanes[key], other.lanes[key]) for key in one.lanes)
    return all(mine is theirs or _alike_curves(mine.curve, theirs.curve) for mine, theirs in pairs)


def _alike_curves(one: Curve, other: Curve) -> bool:
    return one is other or (len(one) == len(other) and differing(one, other)[0] == len(one))


def in_force(curve: Curve | None, key: str, ticks: ArrayLike) -> Floats:
    """What a curve of a kind says at `ticks`; where it says nothing yet, what a receiver assumes."""
    at = np.asarray(ticks)
    values = np.full(at.shape, np.nan) if curve is None or not len(curve) else curve.at(at)
    return np.where(np.isnan(values), LANES[key].default, values)
