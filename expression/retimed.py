"""A take at other times: what a change of tempo makes of it where what is heard stays as it is."""

from dataclasses import replace

import numpy as np

from expression.arrays import Ints, frozen
from expression.beats import Moving
from expression.cable import BendRange, Statement
from expression.note_curves import NoteCurves
from expression.take import Channel, Events, Lane, Part, PhraseMark, Rows, Standing, Take
from expression.time import Meter, TempoMap


def conducted(take: Take, tempo: TempoMap | None = None, meter: Meter | None = None) -> Take:
    """The take by another tempo or metre: all lies where it lay in the bars, and is told to the file anew."""
    return replace(take, tempo=tempo or take.tempo, meter=meter or take.meter, is_conducted=True)


def moved(take: Take, move: Moving) -> Take:
    """The take with all that it holds at other ticks; tempo and metre are left to who moves it."""
    tracks = tuple(replace(track, tick=_ticks(move, track.tick)) for track in take.tracks)
    channels = {channel.id: _channel(channel, move) for channel in take.channels}
    parts = tuple(_part(part, channels[part.channel.id], move) for part in take.parts)
    ticks = move(np.array([one.tick for one in take.texts], dtype=np.int64)).tolist() if take.texts else []
    texts = tuple(one._replace(tick=tick) for one, tick in zip(take.texts, ticks, strict=True))
    marks = tuple(_phrase_mark(one, move) for one in take.phrase_marks)
    rows = _rows(take.rows, tracks)
    return replace(take, tracks=tracks, rows=rows, parts=parts, texts=texts, phrase_marks=marks)


def _phrase_mark(one: PhraseMark, move: Moving) -> PhraseMark:
    first, last, *bounds = move(np.array([one.first, one.last, *one.bounds], dtype=np.int64)).tolist()
    return one._replace(first=first, last=last, bounds=tuple(bounds))


def _ticks(move: Moving, ticks: Ints) -> Ints:
    return frozen(move(ticks), np.int64) if len(ticks) else ticks


def _rows(rows: Rows, tracks: tuple[Events, ...]) -> Rows:
    """The same rows: what was told before is told before, also where both come to the same tick now."""
    made = Rows.of(tracks)
    return replace(made, rank=rows.rank)


def _channel(channel: Channel, move: Moving) -> Channel:
    lanes = {}
    for key, lane in channel.lanes.items():
        standing = Standing(lane.origin, lane.touched)
        lanes[key] = Lane.on(key, lane.curve.timed(_ticks(move, lane.curve.ticks)), standing)
    range_ = BendRange(_ticks(move, channel.bend_range.ticks), channel.bend_range.semitones)
    statements = tuple(_statement(one, move) for one in channel.statements)
    return replace(channel, lanes=lanes, bend_range=range_, statements=statements)


def _statement(one: Statement, move: Moving) -> Statement:
    ticks = move(np.array([*one.ticks, one.at, max(one.since, 0)], dtype=np.int64)).tolist()
    since = ticks[-1] if one.since >= 0 else one.since
    return one._replace(ticks=tuple(ticks[:-2]), at=ticks[-2], since=since)


def _part(part: Part, channel: Channel, move: Moving) -> Part:
    notes = part.notes
    # What is not written has no place on the page.
    page_start, page_end = (
        np.where(ticks < 0, ticks, _ticks(move, np.maximum(ticks, 0))) for ticks in (notes.page_start, notes.page_end)
    )
    made = notes.put(
        start=_ticks(move, notes.start), end=_ticks(move, notes.end), page_start=page_start, page_end=page_end
    )
    curves = {key: _curves(part, one, move) for key, one in part.curves.items()}
    return replace(part, channel=channel, notes=made, curves=curves)


def _curves(part: Part, curves: NoteCurves, move: Moving) -> NoteCurves:
    """Their nodes count from the start of their notes, where that is now."""
    order = np.argsort(part.notes.id)
    row = order[np.searchsorted(part.notes.id, curves.owners(), sorter=order)]
    start = part.notes.start[row]
    ticks = move(start + np.maximum(curves.nodes.ticks, 0)) - move(start)
    # What lies before a note begins it.
    ticks = np.where(curves.nodes.ticks < 0, curves.nodes.ticks, ticks)
    return replace(curves, nodes=curves.nodes.timed(frozen(ticks, np.int64)))
