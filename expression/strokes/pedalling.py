"""What the foot does for the fingers: pedal into lengths, lengths into pedal, and pedalling from the harmony."""

import itertools
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Bytes, Flags, Ints, contained, merged, union, whole
from expression.chords import chord_onsets
from expression.curve import Curve
from expression.errors import NothingMatched
from expression.lanes import OFF, ON, SOSTENUTO, SUSTAIN, THRESHOLD
from expression.memo import worked_out
from expression.notes import Notes
from expression.piece import Piece
from expression.sounding import Pressed, Sounding, next_struck, notes_off, pressed, sounding
from expression.strokes.base import BaseStroke, Reach, Where, masks_of, select
from expression.strokes.grips import Grip, Time
from expression.strokes.lane import Spot, lane_of
from expression.strokes.note_stroke import on_page
from expression.strokes.pedals import Spans, Threshold, footed
from expression.take import Channel, Take

SPLIT = 60
"""Where a part goes below and above middle C, two hands are told apart there."""
STEP = 2
"""Semitones: so little above the bass, a note of the lower hand is a new one."""
EARLY = 1
"""Ticks by which the pedal is down before keys are let go that it is to hold."""
APART = 2
"""Beats after which a single note of the lower hand is a bass again."""
CHORD = 3
"""Notes from which on what is struck at once is a chord with a bass of its own."""


class _Held(NamedTuple):
    """The notes of a channel, which of them a stroke changes, and from when on each needs a pedal until it ends."""

    channel: Channel
    sounds: Sounding
    chosen: Flags
    key_up: Ints
    needs: Flags


class _FootStroke(BaseStroke):
    """A stroke that makes lengths of pedal, or pedal of lengths."""

    @property
    def target_lane(self) -> str:
        """The lane on which it shows."""
        return SUSTAIN

    def held(self, take: Take) -> list[_Held]:
        """What becomes of the notes of each channel on which it acts."""
        raise NotImplementedError

    def span(self, take: Take, held: _Held) -> tuple[int, int]:
        """Where the pedal is laid anew: as given; otherwise from the first of the notes until the last has ended."""
        if self.where.span:
            return self.where.span
        if held.chosen.all():
            return throughout(take)
        sounds = held.sounds
        return int(sounds.start[held.chosen].min()), int(sounds.end[held.chosen].max())

    @override
    def reach(self, take: Take) -> Reach:
        found = self.held(take)
        spans = [self.span(take, held) for held in found]
        parts = sorted({int(part) for held in found for part in union(held.sounds.part[held.chosen])})
        count = sum(int(held.chosen.sum()) for held in found)
        return Reach(min(a for a, _ in spans), max(b for _, b in spans), parts, count)


def throughout(take: Take) -> tuple[int, int]:
    """The span of all of a take."""
    return 0, take.end + 1


class PedalToLengths(_FootStroke):
    """Notes end where they sounded to, and the pedal that held them goes: what is heard stays as it was.

    A note that the pedal held ends when that comes up, or when its key is struck again. Where the pedal holds notes
    that are not chosen it stays.
    """

    kind: Literal["pedal.to_lengths"] = "pedal.to_lengths"
    threshold: Threshold = Field(64.0, description="A pedal holds from here upwards.")
    gap_ms: Annotated[float, Field(ge=0, le=10_000)] = Field(
        0.0, description="So much before its key is struck again a note ends at the latest, if its finger lets it."
    )
    longest: Annotated[float | None, Field(gt=0, le=1_000_000)] = Field(
        None, description="Beats: no note becomes longer than this; absent: as long as it sounded."
    )
    keep_pedal: bool = Field(False, description="The pedal stays as well.")

    @override
    def held(self, take: Take) -> list[_Held]:
        return _to_lengths(self, take)

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for held in self.held(take):
            made = _ended(made, held)
            if not self.keep_pedal:
                made = _pedalled(made, held, self.span(take, held), self.threshold, None)
        return made

    @override
    def also(self, take: Take) -> str:
        grown = longest = again = 0
        for held in self.held(take):
            grows = held.key_up > held.sounds.key_up
            grown += int(grows.sum())
            longest = max(longest, int((held.key_up - held.sounds.start)[grows].max(initial=0)))
            again += int((held.chosen & held.sounds.again).sum())
        if not grown:
            return "No note grows: none was held by the pedal alone."
        beats = f"{longest / take.resolution:.3g} beats"
        notes = "1 note grows" if grown == 1 else f"{grown:,} notes grow"
        cut = "" if not again else f"; {again:,} end where their keys are struck again"
        return f"{notes}, the longest to {beats}{cut}."

    @override
    def label(self) -> str:
        return "Pedal into lengths" + (", pedal kept" if self.keep_pedal else "")


class PedalFromLengths(_FootStroke):
    """Notes as short as fingers hold them, and the pedal where what sounds on needs it: what is heard stays as it was.

    The pedal goes down only where nothing ends that it would hold: what it would make longer the fingers hold instead.
    Hands are told apart at middle C, where a part goes to both sides of it.
    """

    kind: Literal["pedal.from_lengths"] = "pedal.from_lengths"
    finger_ms: Annotated[float | None, Field(gt=0, le=60_000)] = Field(
        None, description="How long fingers hold; absent: to the next chord of the same hand."
    )

    @override
    def held(self, take: Take) -> list[_Held]:
        return _from_lengths(self, take)

    @override
    def span(self, take: Take, held: _Held) -> tuple[int, int]:
        # What begins within the span may need the pedal beyond it.
        start, end = super().span(take, held)
        return start, max(end, int(held.sounds.end[held.chosen].max()))

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for held in self.held(take):
            made = _pedalled(_ended(made, held), held, self.span(take, held), THRESHOLD, ON)
        return made

    @override
    def also(self, take: Take) -> str:
        short = sum(int((held.key_up < held.sounds.key_up).sum()) for held in self.held(take))
        return "1 note becomes shorter." if short == 1 else f"{short:,} notes become shorter."

    @override
    def label(self) -> str:
        return "Lengths into pedal"


@worked_out(8)
def _to_lengths(stroke: PedalToLengths, take: Take) -> list[_Held]:
    found = []
    for channel, sounds, chosen in _chosen(stroke.where, take, stroke.threshold):
        if not any(len(pressed(take, channel, key, stroke.threshold).down) for key in (SUSTAIN, SOSTENUTO)):
            continue
        until = sounds.end.copy()
        if len({part.track for part in take.parts_on(channel)}) > 1:
            # Of two tracks, either may be told first at a tick: what ends there has to end before.
            until = np.where(sounds.again, until - 1, until)
        if stroke.gap_ms:
            # Whether that ends it, or the pedal has come up just before.
            since = np.maximum(sounds.key_up, sounds.start + 1)
            row = next_struck(sounds.pitch, sounds.start, sounds.pitch, since)
            strikes = sounds.start[row]
            before = whole(take.tempo.tick(np.maximum(take.tempo.seconds(strikes) - stroke.gap_ms / 1000, 0)))
            until = np.where(row >= 0, np.minimum(until, before), until)
        if stroke.longest is not None:
            until = np.minimum(until, sounds.start + max(round(stroke.longest * take.resolution), 1))
        # What fingers hold longer stays.
        key_up = np.where(chosen, np.maximum(until, sounds.key_up), sounds.key_up)
        # What a message lets go of all keys at before that cannot be held by its key: the pedal goes on holding it.
        offs = np.append(notes_off(take, channel), np.iinfo(np.int64).max)
        key_up = np.where(offs[np.searchsorted(offs, sounds.key_up)] < key_up, sounds.key_up, key_up)
        held = _Held(channel, sounds, chosen, key_up, np.zeros(len(chosen), dtype=bool))
        # A key that sostenuto would catch now, where that stays, is let go as before; and what held it stays too.
        while True:
            downs, ups, stays = _catching(take, held._replace(key_up=key_up), stroke.span(take, held), stroke.threshold)
            stays |= stroke.keep_pedal
            grown = key_up.copy()
            for down, up in zip(downs[stays].tolist(), ups[stays].tolist(), strict=True):
                caught = (sounds.start <= down) & (sounds.key_up <= down) & (key_up >= down) & (key_up <= up)
                key_up = np.where(caught, sounds.key_up, key_up)
            if (grown == key_up).all():
                break
        presses = pressed(take, channel, SUSTAIN, stroke.threshold)
        bare = _without(take, channel, SOSTENUTO, stroke.threshold)
        by_sustain = _by_sustain(presses, bare, sounds) | (sounds.again & (_down(presses, sounds.end) < sounds.end))
        needs = (key_up == sounds.key_up) & (key_up < sounds.end) & by_sustain
        found.append(held._replace(key_up=key_up, needs=needs))
    if not found:
        raise NothingMatched("No pedal is pressed here that could become lengths.")
    return found


@worked_out(8)
def _from_lengths(stroke: PedalFromLengths, take: Take) -> list[_Held]:
    found = []
    for channel, sounds, named in _chosen(stroke.where, take, THRESHOLD):
        bare = _without(take, channel, SOSTENUTO)
        # What only sostenuto holds is left as it is.
        chosen = named & (bare.end == sounds.end)
        if stroke.finger_ms is None:
            wanted = _next_chord(take, sounds)
        else:
            wanted = whole(take.tempo.tick(take.tempo.seconds(sounds.start) + stroke.finger_ms / 1000))
        # The pedal may only go down once all has ended that it would make longer.
        # A reset lifts it, even where it is pressed again at once.
        resets = take.rows.tick[channel.resets]
        ends = union(sounds.end[~sounds.again], resets)
        before = np.searchsorted(ends, sounds.end) - 1
        least = np.maximum(np.where(before >= 0, ends[np.maximum(before, 0)], -1), sounds.start) + 1 + EARLY
        key_up = np.where(chosen, np.minimum(sounds.key_up, np.maximum(wanted, least)), sounds.key_up)
        # Where the pedal goes down as it did, nothing ends by it at that tick.
        presses = pressed(take, channel, SUSTAIN)
        down = _down(presses, sounds.end)
        last = stroke.span(take, _Held(channel, sounds, named, key_up, named))[1]
        while True:
            needs = _by_sustain(presses, bare, sounds) & (key_up < sounds.end)
            as_before = key_up == sounds.key_up
            stays = np.concatenate((down[needs & as_before], presses.down[presses.down >= last]))
            stuck = ~as_before & ~sounds.again & contained(sounds.end, np.sort(stays))
            if not stuck.any():
                break
            key_up = np.where(stuck, sounds.key_up, key_up)
        found.append(_Held(channel, sounds, named, key_up, needs))
    if not any((held.key_up != held.sounds.key_up).any() for held in found):
        raise NothingMatched("No note here is longer than fingers would hold it, or could be shorter unheard.")
    return found


def _chosen(where: Where, take: Take, threshold: float) -> list[tuple[Channel, Sounding, Flags]]:
    """The channels on which notes are chosen, how long theirs sound, and which are chosen. Raises NothingMatched."""
    masks = masks_of(take, where)
    if not masks:
        select(take, where)
    ids = np.concatenate([take.parts[part].notes.id[mask] for part, mask in masks.items()])
    found = []
    for number in sorted({take.parts[part].channel.id for part in masks}):
        sounds = sounding(take, take.channels[number], threshold)
        chosen = contained(sounds.id, np.sort(ids))
        if chosen.any():
            found.append((take.channels[number], sounds, chosen))
    if not found:
        raise NothingMatched("All of the chosen notes are muted.")
    return found


def _without(take: Take, channel: Channel, key: str, threshold: float = THRESHOLD) -> Sounding:
    """How long notes would sound without a pedal."""
    if key not in channel.lanes:
        return sounding(take, channel, threshold)
    bare = take.with_lane(channel.id, lane_of(take, channel, key).reshaped(Curve.of([], [])))
    return sounding(bare, bare.channels[channel.id], threshold)


def _next_chord(take: Take, sounds: Sounding) -> Ints:
    """When the next chord of the same hand of the same part begins; never: where the note is let go."""
    wanted = sounds.key_up.copy()
    for part in union(sounds.part):
        own = sounds.part == part
        both = bool((sounds.pitch[own] < SPLIT).any() and (sounds.pitch[own] >= SPLIT).any())
        for hand in (sounds.pitch < SPLIT, sounds.pitch >= SPLIT) if both else (own,):
            rows = np.flatnonzero(own & hand)
            onsets = chord_onsets(sounds.start[rows], take.resolution)
            chords = union(onsets)
            following = np.searchsorted(chords, onsets, side="right")
            has = following < len(chords)
            wanted[rows[has]] = chords[following[has]]
    return wanted


def _ended(take: Take, held: _Held) -> Take:
    """The take with notes whose keys are let go at other times. The written page follows: the foot's work is seen."""
    changed: dict[int, Notes] = {}
    differ = held.key_up != held.sounds.key_up
    for part in union(held.sounds.part[differ]).tolist():
        notes = take.parts[part].notes
        mine = differ & (held.sounds.part == part)
        order = np.argsort(notes.id)
        rows = order[np.searchsorted(notes.id[order], held.sounds.id[mine])]
        end, touched = notes.end.copy(), np.zeros(len(notes), dtype=bool)
        end[rows], touched[rows] = held.key_up[mine], True
        changed[part] = notes.put(**on_page(notes, touched, notes.start[touched], end[touched], True))
    return take.with_notes(changed) if changed else take


def _pedalled(take: Take, held: _Held, span: tuple[int, int], threshold: float, depth: float | None) -> Take:
    """The take with its sustain down where it is needed alone, within a span, at a depth (absent: as deep as it was).

    Sostenuto goes with it where no note needs that.
    """
    channel = take.channels[held.channel.id]
    # Where fingers are let go as before, the pedal goes down as it did.
    as_before = held.key_up == held.sounds.key_up
    down = np.where(as_before, _down(pressed(take, channel, SUSTAIN, threshold), held.sounds.end), held.key_up - EARLY)
    needed = Spans.of(*merged(down[held.needs], held.sounds.end[held.needs]), depth or ON).within(*span)
    # What stays is as deep as it was: only what lies between is lifted.
    told = {SUSTAIN: needed.up_between(*span) if depth is None else needed.filled(*span)}
    if depth is None:
        downs, ups, stays = _catching(take, held, span, threshold)
        told[SOSTENUTO] = Spans.of(downs[~stays], ups[~stays], OFF)
    for key, spans in told.items():
        if key not in channel.lanes and depth is None:
            continue
        spot = Spot(channel, [], lane_of(take, channel, key))
        lane = footed(spot, spans, resumes=span[1] <= take.end)
        if span == throughout(take) and not (lane.curve.values >= 1).any():
            # Of a pedal that is never pressed nothing has to be said.
            lane = spot.laid(Piece(0, max(take.end, span[1]) + 1, Curve.of([], [])), resumes=False)
        take = take.with_lane(channel.id, lane)
    return take


def _down(presses: Pressed, ends: Ints) -> Ints:
    """When the sustain went down that was down last before each of some ticks."""
    if not len(presses.up):
        return ends
    return np.asarray(presses.down[np.minimum(np.searchsorted(presses.up, ends), len(presses.up) - 1)])


def _by_sustain(presses: Pressed, bare: Sounding, sounds: Sounding) -> Flags:
    """Which notes sustain can hold to their ends: sostenuto does not, or only until sustain takes over."""
    return np.asarray((bare.end == sounds.end) | contained(sounds.end, presses.up))


def _catching(take: Take, held: _Held, span: tuple[int, int], threshold: float) -> tuple[Ints, Ints, Flags]:
    """Where sostenuto is pressed, until when, and whether it stays so: it reaches beyond the span, or holds others."""
    channel, sounds = held.channel, held.sounds
    presses = pressed(take, channel, SOSTENUTO, threshold)
    stays = (presses.down < span[0]) | (presses.up > span[1])
    bare = _without(take, channel, SOSTENUTO, threshold)
    others = (held.key_up == sounds.key_up) & (bare.end != sounds.end)
    for row, (down, up) in enumerate(zip(presses.down.tolist(), presses.up.tolist(), strict=True)):
        stays[row] |= bool((others & (sounds.start <= down) & (sounds.key_up >= down) & (sounds.key_up <= up)).any())
    return presses.down, presses.up, stays


# ---- from the harmony


class PedalLegato(_FootStroke):
    """Up at each change, and down again a little later, so that nothing is cut off and nothing blurs.

    `harmony`: at a new bass, or a chord of which so large a share of pitch classes is new. `bass`: at a new bass alone.
    `chord`, `bar`, `beat`: at each. A new bass is what is struck below the last, the lowest note of a chord of three or
    more (of two in the lower hand) after another such chord, or a note of the lower hand after a chord of that hand or
    two beats, or a step above the last; where no lower finger outlasts it.
    The pedal is up in rests longer than a beat. A melody that is held over a change is caught again with the new
    harmony. A bass that its finger still holds is waited for, unless a key of the new harmony is let go sooner: then it
    is caught again too, and `lift` may leave the pedal half down there instead of lifting it.
    """

    kind: Literal["pedal.legato"] = "pedal.legato"
    by: Literal["harmony", "bass", "chord", "bar", "beat"] = "harmony"
    lag_ms: Annotated[float, Field(ge=0, le=2000)] = Field(80.0, description="Down again so much after the change.")
    depth: Threshold = Field(127.0, description="How deep.")
    lift: Annotated[float, Field(ge=0, le=127)] = Field(
        0.0,
        description="How deep it stays at a change over a bass that is held on and would be caught again: 0 is up, 40 "
        "about half a lift, which lets go of high strings and keeps low ones.",
    )
    share: Annotated[float, Field(gt=0, le=1)] = Field(
        0.5, description="Of the pitch classes of a chord (two notes or more): so many new ones are a new harmony."
    )
    through_bass: bool = Field(False, description="A change of bass alone does not lift the pedal.")

    @override
    def held(self, take: Take) -> list[_Held]:
        return [
            _Held(channel, sounds, chosen, sounds.key_up, np.zeros(len(chosen), dtype=bool))
            for channel, sounds, chosen in _chosen(self.where, take, THRESHOLD)
        ]

    @override
    def span(self, take: Take, held: _Held) -> tuple[int, int]:
        if self.where.span or held.chosen.all():
            return super().span(take, held)
        sounds = held.sounds
        return int(sounds.start[held.chosen].min()), int(sounds.key_up[held.chosen].max())

    @override
    def apply(self, take: Take) -> Take:
        made = take
        for held in self.held(take):
            start, end = self.span(take, held)
            channel = made.channels[held.channel.id]
            spans = self._told(take, held).filled(start, end)
            lane = footed(Spot(channel, [], lane_of(made, channel, SUSTAIN)), spans, resumes=end <= take.end)
            made = made.with_lane(channel.id, lane)
        return made

    def spans(self, take: Take, held: _Held) -> tuple[Ints, Ints]:
        """From when to when the pedal is down."""
        return _legato(self, take, held.channel.id)

    def _told(self, take: Take, held: _Held) -> Spans:
        """Where the pedal is how deep; where nothing is said, it is up."""
        downs, ups = self.spans(take, held)
        spans = Spans.of(downs, ups, self.depth)
        if not self.lift:
            return spans
        lifted = _between(_timeless(self), take, held.channel.id).blurs
        until = np.append(downs, np.iinfo(np.int64).max)[np.searchsorted(downs, lifted)]
        lasts = until < np.append(ups, np.iinfo(np.int64).max)[np.searchsorted(ups, lifted, side="right")]
        return spans.with_more(Spans.of(lifted[lasts], until[lasts], self.lift))

    @override
    def also(self, take: Take) -> str:
        found = self.held(take)
        count = sum(len(self.spans(take, held)[0]) for held in found)
        blurs = [_between(_timeless(self), take, held.channel.id).blurs for held in found]
        told = "Pressed once." if count == 1 else f"Pressed {count:,} times."
        if many := sum(map(len, blurs)):
            bar = take.meter.position(min(int(one[0]) for one in blurs if len(one))).bar
            where = f"In {many:,} places, the first" if many > 1 else "In one place,"
            told += f" {where} in bar {bar}, a bass that is held on is caught again"
            told += "." if self.lift else ": half a lift (40) blurs less."
        return told

    @override
    def grips(self, take: Take) -> list[Grip]:
        for held in self.held(take):
            changes = _changes(_timeless(self), take, held.channel.id)
            downs = self.spans(take, held)[0]
            if not len(downs) or not len(changes):
                continue
            first = int(downs[0])
            change = int(changes[np.searchsorted(changes, first, side="right") - 1])
            second = float(take.tempo.tick(take.tempo.seconds(change) + 1)) - change
            time = Time("lag_ms", change, max(second / 1000, 1e-6))
            return [Grip("lag_ms", "When it goes down again", first, self.depth, self.lag_ms, time=time)]
        return []

    @override
    def label(self) -> str:
        return {
            "harmony": "Pedal by the harmony",
            "bass": "Pedal by the bass",
            "chord": "Pedal at every chord",
            "bar": "Pedal at every bar",
            "beat": "Pedal at every beat",
        }[self.by]


def _fingers(stroke: PedalLegato, take: Take, number: int) -> tuple[_Held, np.ndarray]:
    """The channel as it is held, and which of its notes sound within the span."""
    (held,) = [one for one in stroke.held(take) if one.channel.id == number]
    start, end = stroke.span(take, held)
    return held, np.flatnonzero((held.sounds.start < end) & (held.sounds.key_up > start))


@worked_out(8)
def _changes(stroke: PedalLegato, take: Take, number: int) -> Ints:
    """When the pedal changes: ticks within the span."""
    held, rows = _fingers(stroke, take, number)
    start, end = stroke.span(take, held)
    sounds = held.sounds
    if stroke.by in ("bar", "beat"):
        bars = take.meter.bars(end)
        ticks = bars.start
        if stroke.by == "beat":
            columns = (column.tolist() for column in bars)
            ticks = np.concatenate([bar + step * np.arange(beats) for bar, beats, step in zip(*columns, strict=True)])
        changes = ticks[(ticks >= start) & (ticks < end)]
        # Where the span does not begin with one, what is struck first is.
        return np.union1d(changes, sounds.start[rows][(sounds.start[rows] >= start)][:1])
    inside = rows[sounds.start[rows] >= start]
    onsets = chord_onsets(sounds.start[inside], take.resolution)
    if stroke.by == "chord":
        return union(onsets)
    return _of_harmony(stroke, sounds, inside, onsets, take.resolution)


def _of_harmony(stroke: PedalLegato, sounds: Sounding, rows: Ints, onsets: Ints, resolution: int) -> Ints:
    changes: list[int] = []
    bass, beside, known, formed = 128, 0, set[int](), False
    order = np.lexsort((sounds.pitch[rows], onsets))
    columns = (sounds.start[rows], sounds.key_up[rows], sounds.pitch[rows].astype(int), onsets)
    fingers: list[tuple[int, int]] = []
    onset_before, count_before = -(2**62), 0
    """When the lower hand struck last, and how many keys."""
    for onset, group in itertools.groupby(
        zip(*(column[order].tolist() for column in columns), strict=True), key=lambda note: note[3]
    ):
        notes = list(group)
        lowest, let_go = notes[0][2], notes[0][1]
        classes = {pitch % 12 for _, _, pitch, _ in notes}
        fingers = [one for one in fingers if one[0] > onset]
        # What a lower finger outlasts is no bass.
        is_bass = lowest != bass and not any(pitch < lowest and until >= let_go for until, pitch in fingers)
        low = lowest < SPLIT
        # Above a bass that was struck alone chords are its company.
        is_chord = beside > 1 and (len(notes) >= CHORD or (low and len(notes) > 1))
        # One after a rest or a chord of its hand is a bass; one in a figure is not, unless it rubs against the last.
        is_apart = low and (count_before > 1 or onset - onset_before >= APART * resolution)
        is_new = is_bass and (is_chord or is_apart or (low and lowest - bass <= STEP))
        new_bass = lowest < bass or is_new
        # What a bass that was struck alone stands under, the first chord after it says.
        news = len(classes - known) / len(classes)
        new_harmony = stroke.by == "harmony" and formed and len(classes) > 1 and news >= stroke.share
        if not changes or new_harmony or (new_bass and not stroke.through_bass):
            changes.append(min(note[0] for note in notes))
            bass, beside, known, formed = lowest, len(notes), set(), False
        bass = min(bass, lowest)
        known |= classes
        formed |= len(classes) > 1
        fingers += [(until, pitch) for _, until, pitch, _ in notes]
        if low:
            onset_before, count_before = onset, sum(pitch < SPLIT for _, _, pitch, _ in notes)
    return np.array(changes, dtype=np.int64)


def _legato(stroke: PedalLegato, take: Take, number: int) -> tuple[Ints, Ints]:
    changes, waits, ups, _ = _between(_timeless(stroke), take, number)
    downs = np.maximum(whole(take.tempo.tick(take.tempo.seconds(changes) + stroke.lag_ms / 1000)), waits)
    down = downs < ups
    return downs[down], ups[down]


def _timeless(stroke: PedalLegato) -> PedalLegato:
    """The same stroke for all lags and depths: where the pedal changes does not depend on these."""
    return stroke.model_copy(update={"lag_ms": 0.0, "depth": ON, "lift": OFF})


class _Changes(NamedTuple):
    """When the pedal changes, until when it has to wait after each change, when it comes up again; and the changes at
    which a bass is held on that it catches again.
    """

    at: Ints
    waits: Ints
    ups: Ints
    blurs: Ints


@worked_out(8)
def _between(stroke: PedalLegato, take: Take, number: int) -> _Changes:
    held, rows = _fingers(stroke, take, number)
    end, sounds = stroke.span(take, held)[1], held.sounds
    changes = _changes(stroke, take, number)
    if not len(changes):
        return _Changes(changes, changes, changes, changes)
    rests = _rests(take, sounds.start[rows], sounds.key_up[rows])
    rest = np.append(rests, np.iinfo(np.int64).max)[np.searchsorted(rests, changes)]
    ups = np.minimum(np.append(changes[1:], end), rest)
    basses = _basses(sounds.start[rows], sounds.key_up[rows], sounds.pitch[rows], take.resolution)
    columns = [column[rows].tolist() for column in (sounds.start, sounds.key_up, sounds.pitch)]
    notes = sorted(zip(*columns, basses.tolist(), strict=True))
    waits = changes.copy()
    held_on: list[tuple[int, int, bool]] = []
    """Of the notes from before each change that fingers hold still: when they are let go, pitches, whether a bass."""
    at = 0
    blurs: list[int] = []
    for place, (change, following) in enumerate(zip(changes.tolist(), [*changes[1:].tolist(), end], strict=True)):
        while at < len(notes) and notes[at][0] < change:
            held_on.append(notes[at][1:])
            at += 1
        held_on = [one for one in held_on if one[0] > change]
        after = at
        while after < len(notes) and notes[after][0] < following:
            after += 1
        new = notes[at:after]
        _, lowest, is_bass = min(held_on, key=lambda one: one[1], default=(0, 128, False))
        lowest_new = min((note[2] for note in new), default=128)
        is_bass &= lowest != lowest_new and lowest < max(SPLIT, lowest_new)
        if not held_on and not new:
            waits[place] = following
        elif new and is_bass and not stroke.through_bass:
            # A bass from before that its finger still holds would be caught again: it is waited for, unless a key of
            # the new harmony is let go sooner.
            until = 1 + max(let_go for let_go, pitch, _ in held_on if pitch == lowest)
            if until <= min(note[1] for note in new) - EARLY:
                waits[place] = until
            else:
                blurs.append(change)
    return _Changes(changes, waits, ups, np.array(blurs, dtype=np.int64))


def _basses(start: Ints, key_up: Ints, pitch: Bytes, resolution: int) -> Flags:
    """Which notes are basses: struck with none below them, and with no lower key down for half of their length."""
    onsets = chord_onsets(start, resolution)
    found = np.zeros(len(start), dtype=bool)
    fingers: list[tuple[int, int]] = []
    columns = (onsets, pitch, key_up, np.arange(len(start)))
    notes = sorted(zip(*(column.tolist() for column in columns), strict=True))
    for onset, group in itertools.groupby(notes, key=lambda note: note[0]):
        together = list(group)
        fingers = [one for one in fingers if one[0] > onset]
        _, lowest, let_go, row = min(together, key=lambda note: note[1])
        found[row] = all(own >= lowest or 2 * (until - onset) < let_go - onset for until, own in fingers)
        fingers += [(let_go, own) for _, own, let_go, _ in together]
    return found


def _rests(take: Take, start: Ints, end: Ints) -> Ints:
    """When rests longer than a beat begin."""
    begins, over = merged(start, end)
    beat = take.meter.bar_of(over)[1]
    return over[np.append(begins[1:], 2**62) - over > beat]
