"""Pedalling from the harmony: down after each change, and up at the next."""

import itertools
from typing import Annotated, Literal, NamedTuple

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Bytes, Flags, Ints, merged, union, whole
from expression.chords import chord_onsets
from expression.lanes import OFF, ON, SUSTAIN, THRESHOLD
from expression.memo import worked_out
from expression.sounding import Sounding
from expression.strokes.foot import EARLY, SPLIT, FootStroke, Held, chosen_in
from expression.strokes.grips import Grip, Time
from expression.strokes.lane import Spot, lane_of
from expression.strokes.pedals import Spans, Threshold, footed
from expression.strokes.spec import Gesture, Spec, choice, entry, yes_no
from expression.take import Take

STEP = 2
"""Semitones: so little above the bass, a note of the lower hand is a new one."""
APART = 2
"""Beats after which a single note of the lower hand is a bass again."""
CHORD = 3
"""Notes from which on what is struck at once is a chord with a bass of its own."""


class PedalLegato(FootStroke):
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
    spec = Spec(
        "pedal",
        "Pedalling",
        says="Up at each change and down again a little later.",
        asks=(
            choice(
                "by",
                "By",
                ("harmony", "harmony"),
                ("bass", "bass"),
                ("chord", "chord"),
                ("bar", "bar"),
                ("beat", "beat"),
            ),
            entry("lag_ms", "Lag (ms)", 10),
            entry("depth", "Depth"),
            entry("lift", "Over a held bass", 5),
            entry("share", "New share", 0.1),
            yes_no("through_bass", "Through a new bass"),
        ),
        gestures=(
            Gesture(
                "legato",
                "Follow harmony",
                "A pedal made from what is played: up at each change of harmony, and down again",
                "pedal legato auto harmony change bass bar beat chord pedalling",
                "Pedal",
                where="span or chosen",
            ),
        ),
        lane="cc:64",
    )
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
    def held(self, take: Take) -> list[Held]:
        return [
            Held(channel, sounds, chosen, sounds.key_up, np.zeros(len(chosen), dtype=bool))
            for channel, sounds, chosen in chosen_in(self.where, take, THRESHOLD)
        ]

    @override
    def span(self, take: Take, held: Held) -> tuple[int, int]:
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

    def spans(self, take: Take, held: Held) -> tuple[Ints, Ints]:
        """From when to when the pedal is down."""
        return _legato(self, take, held.channel.id)

    def _told(self, take: Take, held: Held) -> Spans:
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


def _fingers(stroke: PedalLegato, take: Take, number: int) -> tuple[Held, np.ndarray]:
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
