"""Everything in a take as rows: what the event list shows."""

from typing import Literal, NamedTuple, cast

import numpy as np
from typing_extensions import TypedDict

from expression.arrays import Flags, Ints, looked_up
from expression.lanes import BEND as BEND_LANE
from expression.lanes import CONTROLLERS
from expression.limits import MOST_LETTERS
from expression.memo import worked_out
from expression.midi import smf, words
from expression.midi.emit import emit_with_notes
from expression.midi.texts import texts_of
from expression.midi.zones import NO_NOTE, Emitted
from expression.notes import HIGHEST, LOWEST
from expression.pitch import NOTE_NAMES
from expression.status import (
    BEND,
    BEND_CENTRE,
    CONTROL,
    ESCAPE,
    META,
    NOTE_ON,
    POLY_PRESSURE,
    PRESSURE,
    PROGRAM,
    SYSEX,
)
from expression.take import Events, Part, Take

KINDS = (
    "note", "controller", "bend", "pressure", "key pressure", "program", "exclusive", "text", "tempo", "metre", "key",
    "other",
)  # fmt: skip
Order = Literal["time", "part", "kind", "number", "value", "length"]
_DATA = ("data1", "data2")
_STATUS_KIND = {CONTROL: 1, BEND: 2, PRESSURE: 3, POLY_PRESSURE: 4, PROGRAM: 5}
_META_KIND = {
    **dict.fromkeys(range(0x01, words.LAST_TEXT + 1), "text"),
    smf.TEMPO: "tempo",
    smf.TIME_SIGNATURE: "metre",
    words.KEY_SIGNATURE: "key",
}


class EventRow(TypedDict):
    """A row. `note`, `text`: its id, -1 where it is none; `lane`: the lane it is a value of; times are ticks.

    `low` and `high`: the values that can be given; null where it is not to be changed.
    """

    tick: int
    bar: int
    beat: int
    rest: int
    part: int
    kind: str
    note: int
    text: int
    number: str
    value: str
    length: int
    lane: str
    low: float | None
    high: float | None


class EventPage(TypedDict):
    """Some rows of all; `first` is the place of the first of them."""

    total: int
    first: int
    rows: list[EventRow]


class Rows(NamedTuple):
    """The rows of a take in the order of time; ends of notes are no rows of their own, but lengths."""

    tick: Ints
    part: Ints
    """-1 for what belongs to no part."""
    kind: Ints
    """Index into `KINDS`."""
    note: Ints
    """Id of the note, -1 for all else."""
    track: Ints
    row: Ints
    """The event's row in its track; of a text, for which `track` is one behind the last, among `texts_of`."""


@worked_out(8)
def rows_of(take: Take) -> tuple[Rows, tuple[Events, ...]]:
    """All rows, and the tracks that they point into."""
    emitted = emit_with_notes(take)
    tracks = tuple(track.events for track in emitted)
    pieces: list[tuple[Ints, ...]] = []
    for number, one in enumerate(emitted):
        track, note = one.events, one.note
        kind = np.full(len(track), KINDS.index("other"))
        channel_kind = track.status & 0xF0
        for status, index in _STATUS_KIND.items():
            kind[channel_kind == status] = index
        kind[(track.status == SYSEX) | (track.status == ESCAPE)] = KINDS.index("exclusive")
        meta = track.status == META
        for data1, name in _META_KIND.items():
            kind[meta & (track.data1 == data1)] = KINDS.index(name)
        owner = _parts_of(take, number, one)
        kind[note >= 0] = KINDS.index("note")
        # Texts are listed as what they are, not as what is sent for them.
        shown = (note >= NO_NOTE) & ~(meta & (track.data1 == smf.END_OF_TRACK)) & (kind != KINDS.index("text"))
        shown = np.flatnonzero(shown)
        pieces.append((track.tick[shown], owner[shown], kind[shown], note[shown], np.full(len(shown), number), shown))
    pieces.insert(0, _texts(take, len(tracks)))
    columns = [np.concatenate(column) for column in zip(*pieces, strict=True)]
    order = np.argsort(columns[0], kind="stable")
    return Rows._make(column[order] for column in columns), tracks


def _texts(take: Take, track: int) -> tuple[Ints, ...]:
    """The columns of the texts."""
    tick = np.array([one.tick for one in texts_of(take)], dtype=np.int64)
    none = np.full(len(tick), -1)
    kind = np.full(len(tick), KINDS.index("text"))
    return tick, none, kind, none, np.full(len(tick), track), np.arange(len(tick))


def _parts_of(take: Take, number: int, track: Emitted) -> Ints:
    """The part that each event of an emitted track belongs to; -1: to none."""
    owner = np.full(len(track.owner), -1)
    for part in reversed(take.parts):
        # What goes to a track of its own comes from the part's.
        if part.track == number or number >= len(take.tracks):
            owner[track.owner == part.channel.id] = part.id
    return owner


def page(
    take: Take,
    first: int,
    count: int,
    kinds: list[str] | None = None,
    parts: list[int] | None = None,
    note: int | None = None,
    order: Order = "time",
    falling: bool = False,
) -> EventPage:
    """`count` rows from the `first` of those of some kinds and parts; with `note`, the page that holds that note.

    In the order of time, or of another column; what is alike there in the order of time.
    """
    rows, tracks = rows_of(take)
    keep: Flags = np.ones(len(rows.tick), dtype=bool)
    if kinds is not None:
        keep &= np.isin(rows.kind, [KINDS.index(kind) for kind in kinds if kind in KINDS])
    if parts is not None:
        keep &= np.isin(rows.part, parts)
    chosen = np.flatnonzero(keep)
    if order != "time":
        chosen = chosen[np.argsort(_column(take, order)[chosen] * (-1 if falling else 1), kind="stable")]
    elif falling:
        chosen = chosen[::-1]
    if note is not None:
        at = np.flatnonzero(rows.note[chosen] == note)
        first = max(int(at[0]) - count // 3, 0) if len(at) else first
    shown = chosen[first : first + count]
    return {
        "total": len(chosen),
        "first": first,
        "rows": [_row(take, rows, tracks, row) for row in shown.tolist()],
    }


@worked_out(2)
def _column(take: Take, order: Order) -> Ints:
    """What rows are put in order by, all of them; of what is no number, where it stands in its list."""
    rows, tracks = rows_of(take)
    if order in ("part", "kind"):
        return rows.part if order == "part" else rows.kind
    if order == "length":
        lengths = np.zeros(len(rows.tick), dtype=np.int64)
        for part in take.parts:
            row, known = looked_up(rows.note, part.notes.id)
            mine = known & (rows.part == part.id)
            lengths[mine] = (part.notes.end - part.notes.start)[row[mine]]
        return lengths
    starts = np.cumsum([0, *(len(track) for track in tracks)])
    is_text = rows.track == len(tracks)
    at = np.where(is_text, 0, starts[rows.track] + rows.row)
    one, two = (np.concatenate([getattr(track, name) for track in tracks])[at].astype(np.int64) for name in _DATA)
    one[is_text], two[is_text] = [text.number for text in texts_of(take)], 0
    is_bend = rows.kind == KINDS.index("bend")
    alone = np.isin(rows.kind, [KINDS.index(kind) for kind in ("pressure", "program")])
    if order == "number":
        return np.where(is_bend | alone, -1, one)
    return np.where(is_bend, two << 7 | one, np.where(alone, one, two))


def _row(take: Take, rows: Rows, tracks: tuple[Events, ...], at: int) -> EventRow:
    tick, part, note = int(rows.tick[at]), int(rows.part[at]), int(rows.note[at])
    kind = KINDS[int(rows.kind[at])]
    bar, beat, rest = take.meter.position(tick)
    place = {"tick": tick, "bar": bar, "beat": beat, "rest": rest, "part": part, "kind": kind, "note": note}
    if kind == "text":
        text = texts_of(take)[int(rows.row[at])]
        # One that is longer than can be typed is shown, and not typed over.
        known = text.id if len(text.words) <= MOST_LETTERS else -1
        told = {"text": known, "number": words.TEXTS.get(text.number, "text"), "value": text.words[:MOST_LETTERS]}
        return cast(EventRow, {**place, **told, "length": 0, "lane": "", "low": None, "high": None})
    track, row = tracks[int(rows.track[at])], int(rows.row[at])
    one, two = int(track.data1[row]), int(track.data2[row])
    number, value, length, lane = "", "", 0, ""
    # A message of a zone may be for one note alone.
    own_channel = take.parts[part].channel if part >= 0 else None
    is_own = own_channel is not None and int(track.status[row]) & 0x0F == own_channel.number
    is_own = is_own and (kind != "bend" or BEND_LANE in take.parts[part].lanes)
    if note >= 0:
        number, value = NOTE_NAMES[one], str(two)
        length = _length(take.parts[part], note)
    elif kind == "controller":
        number, value = f"{one} {CONTROLLERS[one]}", str(two)
        lane = f"cc:{one}" if is_own and f"cc:{one}" in take.parts[part].lanes else ""
    elif kind == "bend" and is_own:
        lane, value = kind, f"{float(take.parts[part].lanes[kind].curve.at(tick)):.2f}"
    elif kind == "bend":
        reach = take.parts[part].channel.sending.zone.reach
        value = f"{((two << 7 | one) / BEND_CENTRE - 1) * reach:.2f}"
    elif kind == "key pressure":
        number, value = NOTE_NAMES[one], str(two)
    elif kind in ("pressure", "program"):
        value, lane = str(one), kind if kind == "pressure" and is_own else ""
    elif int(track.payload[row]) >= 0:
        payload = track.payloads[int(track.payload[row])]
        number, value = words.exclusive(payload) if kind == "exclusive" else words.meta(one, payload)
    elif (status := int(track.status[row]) & 0xF0) <= NOTE_ON:
        number, value = NOTE_NAMES[one], "never ends" if (status == NOTE_ON and two) else "never began"
    low, high = (LOWEST, HIGHEST) if note >= 0 else take.parts[part].channel.bounds(lane) if lane else (None, None)
    event = {"text": -1, "number": number, "value": value, "length": length, "lane": lane, "low": low, "high": high}
    return cast(EventRow, {**place, **event})


def _length(part: Part, note: int) -> int:
    index = int(np.argmax(part.notes.id == note))
    return int(part.notes.end[index] - part.notes.start[index])
