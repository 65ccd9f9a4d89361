"""The whole take for the desk: parts with their notes in columns, lanes in short, bars, tempo."""

from collections.abc import Sequence
from typing import Literal, NotRequired

import numpy as np
from typing_extensions import TypedDict

from expression import percussion
from expression.arrays import Column, contained, looked_up, runs
from expression.lanes import BEND, BESIDE, CHANNEL_LANES, LANES, Form
from expression.levels import is_zoned
from expression.notes import Notes
from expression.phrases import phrases_of, stretches
from expression.pitch import NOTE_NAMES
from expression.status import SYSEX
from expression.take import Part, Take
from expression.views import events
from expression.views.columns import InRuns, in_runs
from expression.views.contours import Contour, contours
from expression.views.looks import dye, patch, seal, voices
from expression.views.rings import Rings, feet, rings

MOST_FLAGS = 500
RESTED = 4
"""Beats without an event after which another track is said to act anew."""
FLAGS = ["program", "exclusive", "text", "tempo", "metre", "key", "other"]
"""Kinds of events that are shown as flags."""


class Bars(TypedDict):
    """Bars in columns: the tick at which each starts, its beats, and the ticks of a beat."""

    start: list[int]
    beats: list[int]
    beat_ticks: list[int]


class Tempo(TypedDict):
    """Steps of tempo in columns: where (ticks and seconds), and microseconds a quarter note from there on."""

    ticks: list[int]
    seconds: list[float]
    micros: list[int]


class LaneHead(TypedDict):
    """A lane of a part in short. `leads_in`: it has a value before the first note; `form`: by what it holds."""

    key: str
    nodes: int
    lowest: float
    highest: float
    leads_in: bool
    form: Form


class Flag(TypedDict):
    """What is neither note nor lane."""

    tick: int
    part: int
    kind: str
    value: str


class InForce(TypedDict):
    """Something else that acts on the bend of a part: a reset, or a track of the same channel, at a tick."""

    tick: int
    what: str


class SentView(TypedDict):
    """How a part is sent (`zoned`: in a zone of MPE), and what its instrument takes of single notes (None: all)."""

    way: Literal["auto", "plain", "mpe"]
    zoned: bool
    lower: bool
    members: int
    semitones: float
    replaces: list[str]
    takes: list[str] | None
    bends: float | None


class PhraseColumns(TypedDict):
    """Phrases of a part's upper voice, in columns: from one tick to another; and where further groups begin in any."""

    start: list[int]
    end: list[int]
    groups: list[int]


class PartLanes(TypedDict):
    """The lanes of a part in short, and what they make of its notes.

    `by_hand`: its instrument takes its range by hand, and is told none; `in_force`: what else acts on its bend.
    """

    id: int
    bend_range: list[tuple[int, float]]
    """From each tick on, so many semitones either way."""
    by_hand: bool
    sent: SentView
    largest: float | None
    in_force: list[InForce]
    lanes: list[LaneHead]
    contour: Contour | None
    rings: Rings | None
    feet: list[tuple[int, int]]
    """Where sustain is down: from one tick to another."""
    phrases: PhraseColumns


class OffPage(TypedDict):
    """Notes that are written elsewhere than they are heard.

    `row`: inclusive ranges of their rows; `start`, `end`: for how many ticks later than they are heard. Notes at the
    rows of `nowhere` are not written at all.
    """

    row: list[tuple[int, int]]
    start: InRuns
    end: InRuns
    nowhere: list[tuple[int, int]]


class CueView(TypedDict):
    """A cue note."""

    id: int
    start: int
    end: int
    pitch: int
    velocity: int
    muted: bool


class _PartHead(PartLanes):
    """What is drawn of a part besides the columns of its music. `shares`: others on its channel; `muted`: rows."""

    name: str
    channel: int
    shares: list[int]
    dye: str
    seal: str
    patch: str
    drum: bool
    voices: dict[int, str]
    ids: list[tuple[int, int]]
    muted: list[int]
    cues: list[CueView]
    cue_names: dict[int, str]
    off_page: OffPage


class PartView(_PartHead):
    """A part with its music in columns, its cues apart. `start` holds differences."""

    start: list[int]
    length: list[int]
    pitch: list[int]
    velocity: list[int]


class PartChange(_PartHead):
    """A part of which notes have come, gone or moved: of each by how much more it has than it had (a new one: than 0).

    `start` holds ticks.
    """

    start: InRuns
    length: InRuns
    pitch: InRuns
    velocity: InRuns


class _Reach(TypedDict):
    """How long a take is, its bars and its tempo."""

    end: int
    seconds: float
    bars: Bars
    tempo: Tempo


class Frame(_Reach):
    """What of no part differs; flags (what is neither note nor lane) only where they may."""

    flags: NotRequired[list[Flag]]


class Page(_Reach):
    """All that is drawn of a take."""

    flags: list[Flag]
    resolution: int
    note_names: list[str]
    parts: list[PartView]
    remarks: list[str]


def page(take: Take) -> Page:
    """All that the desk draws of a take."""
    return {
        **_reach(take),
        "flags": flags(take),
        "resolution": take.resolution,
        "note_names": list(NOTE_NAMES),
        "parts": [_part(take, part) for part in take.parts],
        "remarks": list(take.remarks),
    }


def part_changes(was: Take, now: Take, parts: Sequence[int]) -> list[PartChange]:
    """What `page` tells of some parts, as it differs from what it told of them."""
    return [_changed(now, old, new) for old, new in zip(was.parts, now.parts, strict=True) if new.id in parts]


def _changed(now: Take, old: Part, new: Part) -> PartChange:
    before, notes = old.music.notes, new.music.notes
    row, is_known = looked_up(notes.id, before.id)

    def more(column: Column, had: Column) -> InRuns:
        base = np.zeros(len(column), dtype=np.int64)
        base[is_known] = had[row[is_known]]
        return in_runs(column - base)

    return {
        **_head(now, new),
        "start": more(notes.start, before.start),
        "length": more(notes.end - notes.start, before.end - before.start),
        "pitch": more(notes.pitch, before.pitch),
        "velocity": more(notes.velocity, before.velocity),
    }


def frame(was: Take, now: Take) -> Frame | None:
    """What `page` tells of no part, where any of it differs. Longer notes alone leave the flags where they are."""
    others = ("rows", "tempo", "meter", "texts", "dropped_texts")
    is_other = any(getattr(was, name) is not getattr(now, name) for name in others)
    if not is_other and was.end == now.end:
        return None
    told = _reach(now)
    if is_other:
        told["flags"] = flags(now)
    return told


def _reach(take: Take) -> Frame:
    bars = take.meter.bars(take.end)
    return {
        "end": take.end,
        "seconds": round(take.seconds, 3),
        "bars": {"start": bars.start.tolist(), "beats": bars.beats.tolist(), "beat_ticks": bars.beat_ticks.tolist()},
        "tempo": {
            "ticks": take.tempo.ticks.tolist(),
            "seconds": take.tempo.at_step.tolist(),
            "micros": take.tempo.micros.tolist(),
        },
    }


def _part(take: Take, part: Part) -> PartView:
    notes = part.music.notes
    return {
        **_head(take, part),
        "start": np.diff(notes.start, prepend=0).tolist(),
        "length": (notes.end - notes.start).tolist(),
        "pitch": notes.pitch.tolist(),
        "velocity": notes.velocity.tolist(),
    }


def _head(take: Take, part: Part) -> _PartHead:
    notes = part.music.notes
    return {
        **_lanes(take, part),
        "name": part.name,
        "channel": part.channel.number + 1,
        "shares": [other.id for other in take.parts_on(part.channel) if other is not part],
        "dye": dye(part.id),
        "seal": seal(part.id),
        "patch": patch(part),
        "drum": part.channel.number == percussion.CHANNEL,
        "voices": voices(part),
        "ids": runs(notes.id),
        "muted": np.flatnonzero(notes.muted).tolist(),
        "cues": _cues(part),
        "cue_names": dict(part.cue_names),
        "off_page": _off_page(notes),
    }


def _cues(part: Part) -> list[CueView]:
    cues = part.notes.only(part.notes.cue)
    columns = (getattr(cues, name).tolist() for name in ("id", "start", "end", "pitch", "velocity", "muted"))
    return [
        {"id": id_, "start": start, "end": end, "pitch": pitch, "velocity": velocity, "muted": muted}
        for id_, start, end, pitch, velocity, muted in zip(*columns, strict=True)
    ]


def _off_page(notes: Notes) -> OffPage:
    start, end = notes.page_start, notes.page_end
    others = np.zeros(len(notes), dtype=bool)
    if start is not notes.start or end is not notes.end:
        others = (start != notes.start) | (end != notes.end)
    written, nowhere = (np.flatnonzero(which) for which in (others & (start >= 0), others & (start < 0)))
    return {
        "row": runs(written),
        "start": in_runs((start - notes.start)[written]),
        "end": in_runs((end - notes.end)[written]),
        "nowhere": runs(nowhere),
    }


def lanes_of(take: Take, parts: Sequence[int]) -> list[PartLanes]:
    """What `page` tells of the lanes of some parts (those that are there), and of what they make of the notes."""
    return [_lanes(take, part) for part in take.parts if part.id in parts]


def _lanes(take: Take, part: Part) -> PartLanes:
    heads = [_lane_head(part, key) for key in CHANNEL_LANES if key in part.lanes]
    heads += [_own_head(part, key) for key in BESIDE if key in part.curves and len(part.curves[key])]
    steps = part.bend_range
    ranges = list(zip(steps.ticks.tolist(), steps.semitones.tolist(), strict=True))
    largest, is_told = part.channel.instrument
    return {
        "id": part.id,
        "bend_range": ranges,
        "by_hand": not is_told,
        "sent": _sent(take, part),
        "largest": largest,
        "in_force": in_force(take, part),
        "lanes": heads,
        "contour": contours(part.music),
        "rings": rings(take, part),
        "feet": feet(take, part),
        "phrases": _phrases(take, part),
    }


def _phrases(take: Take, part: Part) -> PhraseColumns:
    begins, ends = stretches(take, part.id, "phrases")
    _, groups = phrases_of(take, part.id)
    # With each phrase a group begins: that is not told again.
    return {
        "start": begins.tolist(),
        "end": ends.tolist(),
        "groups": groups[~contained(groups, begins)].tolist(),
    }


def _sent(take: Take, part: Part) -> SentView:
    way, zone, replaces = part.channel.sending
    answers = part.channel.answers
    return {
        "way": way,
        "zoned": is_zoned(take, part.channel),
        "lower": zone.is_lower,
        "members": zone.members,
        "semitones": zone.reach,
        "replaces": sorted(replaces),
        "takes": sorted(answers.keys) if answers.keys is not None else None,
        "bends": answers.semitones,
    }


def in_force(take: Take, part: Part) -> list[InForce]:
    """What acts on a part's bend and is no bend of its own: resets, and ranges and wheels of other tracks, in words."""
    rows, channel = take.rows, part.channel
    if BEND not in channel.lanes:
        return []
    found: dict[tuple[int, str], None] = {}
    begins = int(channel.lanes[BEND].curve.ticks[0])
    for row in channel.resets[rows.tick[channel.resets] > begins].tolist():
        system = rows.status[row] == SYSEX
        found[int(rows.tick[row]), "System On" if system else "reset (121)"] = None
    names = {other.track: other.name for other in take.parts_on(channel)}
    origin = channel.lanes[BEND].origin
    for of, what in ((channel.ranges, "range from"), (origin[origin >= 0], "bend from")):
        elsewhere = of[(rows.track[of] != part.track) & ~np.isin(of, channel.resets)]
        for track in np.unique(rows.track[elsewhere]).tolist():
            mine = np.sort(rows.tick[elsewhere[rows.track[elsewhere] == track]])
            # Where it begins to act, and again after it has rested for a while.
            anew = np.diff(mine, prepend=-take.resolution * RESTED) >= take.resolution * RESTED
            for tick in mine[anew].tolist():
                found[int(tick), f"{what} {names.get(track, f'track {track + 1}')}"] = None
    return [InForce(tick=tick, what=what) for tick, what in sorted(found)][:MOST_FLAGS]


def _lane_head(part: Part, key: str) -> LaneHead:
    curve = part.lanes[key].curve
    first = int(part.notes.start.min()) if len(part.notes) else 0
    return {
        "key": key,
        "nodes": len(curve),
        "lowest": round(float(curve.values.min()), 2),
        "highest": round(float(curve.values.max()), 2),
        "leads_in": int(curve.ticks[0]) <= first,
        "form": LANES[key].form_of(curve.values),
    }


def _own_head(part: Part, key: str) -> LaneHead:
    values = part.curves[key].nodes.values
    return {
        "key": key,
        "nodes": len(values),
        "lowest": round(float(values.min()), 2),
        "highest": round(float(values.max()), 2),
        "leads_in": True,
        "form": LANES[key].form,
    }


def flags(take: Take) -> list[Flag]:
    """What is neither note nor lane, in its place and in words."""
    return [
        {
            "tick": row["tick"],
            "part": row["part"],
            "kind": row["kind"],
            "value": " ".join(filter(None, (row["number"], row["value"]))),
        }
        for row in events.page(take, 0, MOST_FLAGS, kinds=FLAGS)["rows"]
    ]
