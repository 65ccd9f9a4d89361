"""What was played in one go while recording: added to what is there, in its place, or where it was touched."""

import itertools
from collections.abc import Callable, Mapping, Sequence
from typing import Annotated, Literal, NamedTuple, Self

import numpy as np
from pydantic import BeforeValidator, Field, model_validator
from typing_extensions import override

from expression.arrays import Flags, Ints, frozen, merged, whole
from expression.curve import NO_NODES, Curve
from expression.errors import NothingMatched
from expression.lanes import BEND, LANES, PEDALS, PRESSURE
from expression.limits import LAST_TICK
from expression.note_curves import NoteCurves
from expression.piece import Piece, laid, laid_all
from expression.played import Performance, figures, packed, performed, unpacked, within
from expression.status import NOTE_OFF, SYSEX
from expression.strokes.base import IDS_EACH, Count, Reach, Tick, counted
from expression.strokes.lane import lane_of
from expression.strokes.note_stroke import FIRST_MADE, NotesStroke, Outcome, free_ids, settle
from expression.strokes.spec import Ask, Spec, choice, entry
from expression.take import Channel, Lane, Part, Take
from expression.time import TempoMap

MOST_SPANS = 1000
REST_SECONDS = 0.5
"""A control that nothing moves for so long rests."""
SPRINGS = {*PEDALS, BEND, PRESSURE}
"""Controls that go back to 0 where they are let go."""
NOTES, KEY_PRESSURE, PEDAL = "notes", "key pressure", "pedals"
KINDS_LEFT_OUT = (NOTES, BEND, PRESSURE, KEY_PRESSURE, PEDAL)
MODES = {"merge": "added", "replace": "in place of what was there", "touch": "where it was touched"}


def _kept(given: object) -> object:
    """As it is kept, from a list of messages; what is kept already is looked at."""
    if isinstance(given, str):
        unpacked(given)
        return given
    if isinstance(given, list | tuple) and all(
        isinstance(row, list | tuple) and len(row) == 2 and _is_tick(row[0]) for row in given
    ):
        return packed([(int(tick), str(words)) for tick, words in given])
    raise ValueError('events must be a list of ticks and messages, such as [[0, "903c40"], [480, "803c40"]]')


def _is_tick(one: object) -> bool:
    return isinstance(one, int) and not isinstance(one, bool) and 0 <= one <= LAST_TICK


def _left_out(kinds: tuple[str, ...]) -> None:
    for kind in kinds:
        if kind not in KINDS_LEFT_OUT and not (kind in LANES and kind.startswith("cc:")):
            known = ", ".join(f"`{one}`" for one in KINDS_LEFT_OUT)
            raise ValueError(f"leave_out can name {known} and controllers such as `cc:7`, not {kind[:40]!r}")


class RecordPass(NotesStroke):
    """What was played in one go over `where.span`, on one part.

    What is added lies beside what is there: notes beside notes, and a control counts from where it was moved until
    something that was there moves it again. In place of what was there: notes that begin in the span give way, and all
    lanes of the channel that the pass does not leave out. Where it was touched: a lane gives way from where its control
    first moved to where it rests again, that is where nothing moves it for half a second, and what springs back is
    back; notes are added. Keys that are still down where the span ends, end there; and what springs back, does.
    """

    is_beyond = True

    kind: Literal["record.pass"] = "record.pass"
    spec = Spec(
        "passes",
        "Played in",
        asks=(
            choice("mode", "It is", ("merge", "added"), ("replace", "in place"), ("touch", "where touched")),
            entry("shift_ms", "Later, ms", 5),
            Ask("events", "Rounds", "pass"),
        ),
    )
    mode: Literal["merge", "replace", "touch"] = Field(
        "merge",
        description="`merge`: added to what is there; `replace`: in place of it; `touch`: only where a control was "
        "moved.",
    )
    events: Annotated[
        str,
        Field(
            description='What came: a list of ticks and messages in hexadecimal figures, `[[0, "903c40"], [480, '
            '"803c40"]]`; on channel 1 what is the part\'s, on others what belongs to single notes (MPE). It is '
            "kept as the file of these (SMF format 0), deflated, in base64, and can be given so too."
        ),
        BeforeValidator(_kept),
    ]
    leave_out: tuple[str, ...] = Field(
        (),
        description="Kinds that do not count: `notes`, `bend`, `pressure`, `key pressure`, `pedals`, `cc:7` ...; "
        "nothing is lost, and what is there of these stays.",
        max_length=140,
    )
    shift_ms: Annotated[float, Field(ge=-2000, le=2000)] = Field(
        0.0, description="Later by so many milliseconds; negative: sooner."
    )
    only: tuple[tuple[Tick, Tick], ...] | None = Field(
        None,
        max_length=MOST_SPANS,
        description="Spans of ticks in which it counts, as where a bar is taken from another pass; absent: all.",
    )
    first: Count | None = FIRST_MADE

    @model_validator(mode="after")
    def _is_placed(self) -> Self:
        if self.where.parts is None or len(self.where.parts) != 1:
            raise ValueError("a pass is played on one part; name it in where")
        if self.where.span is None:
            raise ValueError("a pass has a span; name it in where")
        _left_out(self.leave_out)
        if any(start >= end for start, end in self.only or ()):
            raise ValueError("only must have spans that end after they start")
        return self

    @property
    @override
    def stays(self) -> str:
        return "it was played in where it is; copy its notes"

    @override
    def numbered(self, number: int) -> Self:
        return self.model_copy(update={"first": number * IDS_EACH})

    @property
    def span(self) -> tuple[int, int]:
        """Ticks over which it was played."""
        return self.where.span or (0, 1)

    @property
    def _part(self) -> int:
        return (self.where.parts or (0,))[0]

    @property
    def _spans(self) -> list[tuple[int, int]]:
        """Where it counts: apart from each other, ascending."""
        start, end = self.span
        told = self.only if self.only is not None else [self.span]
        first, last = np.clip(np.array(told, dtype=np.int64).reshape(-1, 2), start, end).T
        first, last = merged(first[first < last], last[first < last])
        return [*zip(first.tolist(), last.tolist(), strict=True)]

    def counts(self, key: str) -> bool:
        """Whether a lane of the channel, or a kind of curve of notes, counts."""
        if key in PEDALS and PEDAL in self.leave_out:
            return False
        return key not in self.leave_out

    @override
    def messages(self, tempo: TempoMap) -> list[tuple[float, str]]:
        track = unpacked(self.events)
        voice = np.flatnonzero((track.status >= NOTE_OFF) & (track.status < SYSEX))
        return [*zip(tempo.seconds(track.tick[voice]).tolist(), figures(track, voice), strict=True)]

    def played(self, take: Take) -> Performance:
        """What was played, at the times that it counts for."""
        made = performed(self.events, self.span[1])
        if not self.shift_ms:
            return made
        shift = self.shift_ms / 1000

        def later(ticks: Ints) -> Ints:
            return np.maximum(whole(take.tempo.tick(take.tempo.seconds(ticks) + shift)), 0)

        start = later(made.notes.start)
        notes = made.notes.put(
            start=start,
            end=np.maximum(later(made.notes.end), start + 1),
            page_start=start,
            page_end=np.maximum(later(made.notes.end), start + 1),
        )
        lanes = {key: curve.timed(frozen(later(curve.ticks), np.int64)) for key, curve in made.lanes.items()}
        return made._replace(notes=notes, lanes=lanes)

    @override
    def outcome(self, take: Take) -> Outcome:
        if self._part >= len(take.parts):
            raise NothingMatched(f"There is no part {self._part}; this take has {len(take.parts)}.", "where")
        played, spans = self.played(take), self._spans
        told: list[str] = []
        if played.stray:
            told.append(f"{counted(played.stray)} came to an end without having begun.")
        part = take.parts[self._part]
        made = self._with_notes(take, part, played, spans, told)
        made = made.with_lanes({part.channel.id: list(self._lanes(take, part.channel, played, spans))})
        if take.is_like(made):
            raise NothingMatched(self._nothing(played, spans))
        return Outcome(made, tuple(told))

    def _nothing(self, played: Performance, spans: Sequence[tuple[int, int]]) -> str:
        if not len(played.notes) and not played.lanes:
            return "Nothing was played in this pass."
        if not spans:
            return "Another pass counts everywhere where this one was played."
        return "Nothing of this pass is left in: it is left out, or it says what is there."

    def _with_notes(
        self, take: Take, part: Part, played: Performance, spans: Sequence[tuple[int, int]], told: list[str]
    ) -> Take:
        if not self.counts(NOTES):
            return take
        # Ids count through all that was played, so that what comes later means the same notes whatever is left out.
        number = free_ids(take, self.first, len(played.notes)) + played.notes.id
        mine = within(played.notes.start, spans)
        new = played.notes.put(id=number).only(mine)
        old = part.notes
        if self.mode == "replace":
            gone = old.music & within(old.start, spans)
            if gone.any():
                told.append(f"{counted(int(gone.sum()))} gave way.")
            old = old.only(~gone)
        made = (
            settle(take, {part.id: old.merged(new)}, np.sort(new.id), "cut", told)
            if len(new)
            else take.with_notes({part.id: old})
        )
        ids = played.notes.id[mine]
        names = number[mine]
        curves = {
            key: _with(part.curves.get(key), one.renamed(ids, names), names)
            for key, one in played.curves.items()
            if self._counts_for_notes(key)
        }
        return made.with_curves({part.id: curves}) if curves else made

    def _counts_for_notes(self, key: str) -> bool:
        beside = {"note:pitch": BEND, "note:pressure": KEY_PRESSURE, "note:timbre": "cc:74", "note:pan": "cc:10"}
        return self.counts(beside.get(key, key.removeprefix("note:")))

    def _lanes(
        self, take: Take, channel: Channel, played: Performance, spans: Sequence[tuple[int, int]]
    ) -> "list[Lane]":
        keys = {key for key in played.lanes if self.counts(key)}
        if self.mode == "replace":
            keys |= {key for key in channel.lanes if self.counts(key)}
        found = []
        for key in sorted(keys):
            lane = lane_of(take, channel, key)
            moved = self._moved(channel, key, played)
            made = _WAYS[self.mode](_Laying(take, lane, moved, spans, key in SPRINGS))
            if made is not lane.curve:
                found.append(lane.reshaped(made))
        return found

    def _moved(self, channel: Channel, key: str, played: Performance) -> Curve:
        """What a control did, at one value a tick; a bend in semitones by the range in force."""
        curve = played.lanes.get(key, NO_NODES)
        values = curve.values * (channel.bend_range.at(curve.ticks) if key == BEND else 1.0)
        last = np.append(curve.ticks[1:] != curve.ticks[:-1], True)[: len(curve)]
        return Curve.of(curve.ticks[last], values[last])

    @override
    def reach(self, take: Take) -> Reach:
        if self._part >= len(take.parts):
            raise NothingMatched(f"There is no part {self._part}; this take has {len(take.parts)}.", "where")
        played = self.played(take)
        count = len(played.notes) + sum(len(curve) for curve in played.lanes.values())
        return Reach(*self.span, [self._part], count)

    @override
    def label(self) -> str:
        notes = len(performed(self.events, self.span[1]).notes)
        what = f"{counted(notes)}" if notes and self.counts(NOTES) else "Controls"
        return f"Played in: {what}, {MODES[self.mode]}"


class _Laying(NamedTuple):
    """A lane, and what was played on its control."""

    take: Take
    lane: Lane
    moved: Curve
    """Held values, one a tick."""
    spans: Sequence[tuple[int, int]]
    """Where the pass counts."""
    springs: bool

    @property
    def error(self) -> float:
        """How far straight ways may be off that stand for what has no form of ours."""
        return LANES[self.lane.key].error

    def counted(self, before_end: int) -> Curve:
        """What was moved where the pass counts; what springs back is back so many ticks before each span ends."""
        pieces = [NO_NODES]
        for start, end in self.spans:
            mine = self.moved.rows(within(self.moved.ticks, [(start, end)]))
            pieces.append(mine)
            if self.springs and len(mine) and mine.values[-1] != 0 and mine.ticks[-1] < end - before_end:
                pieces.append(Curve.of([end - before_end], [0.0]))
        return pieces[0].then(*pieces[1:])


def _merged(one: _Laying) -> Curve:
    """What was there goes on until it moves again: each value is laid by itself, a tick long."""
    moved = one.counted(0)
    if not len(moved):
        return one.lane.curve
    return laid_all(one.lane.curve, moved.ticks, moved.ticks + 1, moved, one.error, resumes=False)


def _replaced(one: _Laying) -> Curve:
    """What was there is gone in the spans, and comes back behind them."""
    pieces = []
    for start, end in one.spans:
        mine = one.moved.rows(within(one.moved.ticks, [(start, end)]))
        before = one.moved.rows(one.moved.ticks < start)
        if len(before) and (not len(mine) or mine.ticks[0] > start):
            # A control that was put somewhere before stands there.
            mine = Curve.of([start], [before.values[-1]]).then(mine)
        pieces.append(Piece(start, end, mine))
    if not pieces:
        return one.lane.curve
    return _closed(one, laid(one.lane.curve, pieces, one.error), [(piece.end, piece.curve) for piece in pieces])


def _touched(one: _Laying) -> Curve:
    """What was there gives way from where the control first moved to where it rests again."""
    moved = one.counted(1)
    if not len(moved):
        return one.lane.curve
    seconds = one.take.tempo.seconds(moved.ticks)
    resting = (moved.values == 0) if one.springs else np.ones(len(moved), dtype=bool)
    rests: Flags = np.append((np.diff(seconds) >= REST_SECONDS) & resting[:-1], True)
    edges = np.append(0, np.flatnonzero(rests) + 1)
    pieces = [
        Piece(int(moved.ticks[a]), int(moved.ticks[b - 1]) + 1, moved.rows(slice(a, b)))
        for a, b in itertools.pairwise(edges.tolist())
    ]
    return laid(one.lane.curve, pieces, one.error)


def _closed(one: _Laying, made: Curve, ends: Sequence[tuple[int, Curve]]) -> Curve:
    """What springs back, does where nothing was there that could come back behind the pass."""
    old = one.lane.curve
    for end, mine in ends:
        nothing_before = not len(old) or old.ticks[0] > end
        if one.springs and len(mine) and mine.values[-1] != 0 and nothing_before:
            made = laid(made, Piece(end, end + 1, Curve.of([end], [0.0])), one.error, resumes=False)
    return made


_WAYS: Mapping[str, Callable[[_Laying], Curve]] = {"merge": _merged, "replace": _replaced, "touch": _touched}


def _with(old: NoteCurves | None, new: NoteCurves, names: Ints) -> NoteCurves:
    return old.with_curves(np.sort(names), new) if old is not None else new


__all__ = ["KINDS_LEFT_OUT", "MODES", "RecordPass"]
