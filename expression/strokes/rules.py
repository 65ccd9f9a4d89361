"""What players do, as rules that research has measured: each a stroke with an amount. Their formulas: docs/rules.md.

An amount of 0 changes nothing, 1 is the rule as it was published, less than 0 its opposite. They add up.
"""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, whole
from expression.hands import MOST_AMOUNT
from expression.percussion import CHANNEL
from expression.phrases import LEAP, line_of, metre_levels, onsets_of, phrases_of
from expression.records import Unit
from expression.strokes.base import BaseStroke, Picked, select
from expression.strokes.note_times import Times, TimeStroke
from expression.strokes.spec import ASK_PAGE, ASK_UNDER, Ask, Gesture, Spec, choice, entry
from expression.strokes.velocity import VelocityStroke
from expression.take import Part, Take

Amount = Annotated[float, Field(ge=-MOST_AMOUNT, le=MOST_AMOUNT)]
AMOUNT: Amount = Field(1.0, description="0 changes nothing, 1 is the rule as it was published, -1 its opposite.")
ASK_AMOUNT = entry("amount", "Amount", 0.1)
DECIBELS_A_DECADE = 40.0
"""Of velocity: the level of a note goes with its square (Dannenberg, *The interpretation of MIDI velocity*, 2006)."""


def played(
    sign: str, name: str, title: str, words: str, says: str, *asks: Ask, time: bool = False, by_phrase: bool = False
) -> Spec:
    """What all rules are: with an amount, begun on what is chosen."""
    return Spec(
        "play",
        name,
        says=says,
        asks=(ASK_AMOUNT, *asks, *((ASK_UNDER, ASK_PAGE) if time else ())),
        gestures=(Gesture(sign, name, title, words, "Rules", where="notes of the part", folded=True),),
        evidence=("counts",) if time else ("facts",),
        by_phrase=by_phrase,
    )


class Rule(BaseStroke):
    """A rule of performance: a stroke with an amount."""

    amount: Amount

    @override
    def label(self) -> str:
        return f"{self.spec.name} {self.amount:g}".replace("-", "−")


class ForceRule(Rule, VelocityStroke):
    """A rule of how hard notes are struck."""

    amount: Amount = AMOUNT

    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        """Decibels that each of the masked notes of a part is louder by, at an amount of 1. Raises NothingMatched."""
        raise NotImplementedError

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        masks = select(take, self.target).masks
        found = [self.levels(take, take.parts[number], mask) for number, mask in masks.items()]
        return np.asarray(picked.velocity * 10.0 ** (self.amount * np.concatenate(found) / DECIBELS_A_DECADE))


def _onsets(take: Take, part: Part, mask: Flags) -> Ints:
    """When the chord of each masked note begins."""
    return onsets_of(take, part.id)[mask]


class RuleHigh(ForceRule):
    """High is loud: 3 dB an octave, from middle C on (Friberg, Bresin and Sundberg 2006)."""

    kind: Literal["rule.high"] = "rule.high"
    spec = played(
        "high",
        "High is loud",
        "The higher, the louder: 3 dB an octave",
        "pitch register contour melody height",
        "3 dB an octave, above and below one pitch.",
        entry("about", "About"),
    )
    about: Annotated[int, Field(ge=0, le=127)] = Field(60, description="The pitch that keeps its level.")

    @override
    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        # The keys of a kit are no pitches.
        if part.channel.number == CHANNEL:
            return np.zeros(int(mask.sum()))
        return np.asarray((part.notes.pitch[mask].astype(np.float64) - self.about) / 4)


CONTRAST = ((30.0, 0.0), (200.0, -0.825), (400.0, -0.525), (600.0, 0.0))
"""Milliseconds and decibels (Friberg 1991, duration contrast): of notes that last so long; between them evenly."""


class RuleContrast(ForceRule):
    """Duration contrast: what is short is a little softer beside what is long (Friberg 1991)."""

    kind: Literal["rule.contrast"] = "rule.contrast"
    spec = played(
        "contrast",
        "Short is soft",
        "Short notes a little softer than long ones",
        "duration contrast inegal length",
        "Softest are notes of 200 ms; from 600 ms on they keep their level.",
    )

    @override
    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        start, end = (take.tempo.seconds(ticks) for ticks in (part.notes.start[mask], part.notes.end[mask]))
        length, level = zip(*CONTRAST, strict=True)
        return np.interp((end - start) * 1000, length, level)


class RuleArch(ForceRule):
    """Phrase arch: a phrase rises to its middle and falls away (Todd 1992; Friberg 1995): a parabola of so many dB."""

    kind: Literal["rule.arch"] = "rule.arch"
    spec = played(
        "arch",
        "Phrase arch",
        "Each phrase rises and falls away",
        "phrase phrasing breath dynamics swell line arc",
        "Phrases are found by where the line breathes; each is an arch.",
        entry("depth", "Depth (dB)", 0.5),
        entry("peak_at", "Peak at", 0.05),
        choice("over", "Over", ("phrases", "phrases"), ("groups", "groups")),
        by_phrase=True,
    )
    depth: Annotated[float, Field(ge=0, le=24)] = Field(6.0, description="Decibels from its ends to its peak.")
    peak_at: Unit = Field(0.5, description="Where it is loudest, as a share of the phrase.")
    over: Literal["phrases", "groups"] = Field("phrases", description="Whole phrases, or the groups within them.")

    @override
    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        share, size = _places(take, part, mask, self.over)
        before, after = max(self.peak_at, 1e-9), max(1 - self.peak_at, 1e-9)
        away = np.where(share < self.peak_at, (self.peak_at - share) / before, (share - self.peak_at) / after)
        # What stands alone has no arch.
        return np.where(size > 1, self.depth * (0.5 - away**2), 0.0)


def _places(take: Take, part: Part, mask: Flags, over: str) -> tuple[Floats, Ints]:
    """Where in its phrase or group each masked note lies (0 its first onset, 1 its last); how many onsets that has."""
    found = phrases_of(take, part.id)
    level = found.phrases if over == "phrases" else found.groups
    line = line_of(take, part.id).onset
    _, row = found.of(line, level)
    size = np.bincount(row, minlength=len(level))
    last = line[np.cumsum(size) - 1]
    onsets = _onsets(take, part, mask)
    begins, mine = found.of(onsets, level)
    length = last[mine] - begins
    return np.clip((onsets - begins) / np.maximum(length, 1), 0, 1), size[mine]


METRE_STEP = 1.0
"""Decibels from one level of the metre to the next."""


class RuleMetre(ForceRule):
    """The metre's accents: the higher the level of the metre that a note lies on, the louder (Drake, Palmer 1993)."""

    kind: Literal["rule.metre"] = "rule.metre"
    spec = played(
        "metre",
        "Metre",
        "First beats, half bars, beats and what is between them: each a little softer",
        "meter accent beat downbeat strong weak",
        "1 dB from each level of the metre to the next: bar, half bar, beat, half beat.",
    )

    @override
    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        levels = np.sum(metre_levels(take, _onsets(take, part, mask)), axis=0)
        return np.asarray(METRE_STEP * (levels - 2.0))


VOICE_DECIBELS = 3.0


class RuleVoice(ForceRule):
    """The upper voice above its chord: the melody 3 dB louder than what goes with it (after Goebl 2001)."""

    kind: Literal["rule.voice"] = "rule.voice"
    spec = played(
        "voice",
        "Upper voice",
        "Of each chord the highest stands out",
        "melody voicing chord top soprano bring out",
        "The highest of a chord 1.5 dB louder, the others 1.5 dB softer.",
    )

    @override
    def levels(self, take: Take, part: Part, mask: Flags) -> Floats:
        is_top, size = _tops(take, part, mask)
        return np.where(size > 1, np.where(is_top, VOICE_DECIBELS / 2, -VOICE_DECIBELS / 2), 0.0)


def _tops(take: Take, part: Part, mask: Flags) -> tuple[Flags, Ints]:
    """Which of the masked notes are the highest of what is struck with them, and of how many."""
    _, row, size = np.unique(_onsets(take, part, mask), return_inverse=True, return_counts=True)
    highest = np.zeros(len(size), dtype=np.int64)
    pitch = part.notes.pitch[mask].astype(np.int64)
    np.maximum.at(highest, row, pitch)
    return pitch == highest[row], size[row]


class TimeRule(Rule, TimeStroke):
    """A rule of when notes begin and end."""

    amount: Amount = AMOUNT

    def timed(self, take: Take, part: Part, mask: Flags) -> tuple[Floats, Floats]:
        """Seconds that each of the masked notes begins and ends later by, at the amount. Raises NothingMatched."""
        raise NotImplementedError

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        notes = part.notes
        start, end = notes.start[mask], notes.end[mask]
        begins, ends = self.timed(take, part, mask)
        moved = [
            np.where(late == 0, ticks, whole(take.tempo.tick(np.maximum(take.tempo.seconds(ticks) + late, 0))))
            for ticks, late in ((start, begins), (end, ends))
        ]
        return Times(moved[0], np.maximum(moved[1], moved[0] + 1))


LEAD_SECONDS, SPREAD_SECONDS = 0.020, 0.008


class RuleLead(TimeRule):
    """The melody leads: the highest of a chord some 20 ms ahead of the others, spread a little (Goebl 2001)."""

    kind: Literal["rule.lead"] = "rule.lead"
    spec = played(
        "lead",
        "Melody leads",
        "Of each chord the highest a little ahead of the others",
        "melody lead asynchrony chord spread early",
        "20 ms ahead of what is struck with it; that is spread over 8 ms, from below.",
        time=True,
    )

    @override
    def timed(self, take: Take, part: Part, mask: Flags) -> tuple[Floats, Floats]:
        is_top, size = _tops(take, part, mask)
        share = self._from_below(take, part, mask, is_top)
        late = np.where(is_top & (size > 1), -LEAD_SECONDS, share * SPREAD_SECONDS) * self.amount
        return late, np.zeros(len(late))

    @staticmethod
    def _from_below(take: Take, part: Part, mask: Flags, is_top: Flags) -> Floats:
        """Where each lies among those of its chord that are not the highest: 0 the lowest, 1 the last of them."""
        onsets, pitch = _onsets(take, part, mask), part.notes.pitch[mask]
        order = np.lexsort((pitch, is_top, onsets))
        _, first, row = np.unique(onsets[order], return_index=True, return_inverse=True)
        others = np.bincount(row, weights=~is_top[order])
        share = np.empty(len(order))
        share[order] = (np.arange(len(order)) - first[row]) / np.maximum(others[row] - 1, 1)
        return np.clip(share, 0, 1)


GAP_SECONDS, REPEAT_SECONDS = 0.060, 0.040
MOST_GAP = 0.25
"""A note gives up so much of its length at most."""


class RuleGaps(TimeRule):
    """Little gaps: after each group, and between a note and the same one again (Friberg, Bresin and Sundberg 2006)."""

    kind: Literal["rule.gaps"] = "rule.gaps"
    spec = played(
        "gaps",
        "Little gaps",
        "A breath after each group, and between a note and the same again",
        "articulation punctuation breath micropause repeat detach",
        "60 ms after a group, 40 ms before the same note again; a quarter of the note at most.",
        time=True,
        by_phrase=True,
    )

    @override
    def timed(self, take: Take, part: Part, mask: Flags) -> tuple[Floats, Floats]:
        groups = phrases_of(take, part.id).groups
        line = line_of(take, part.id)
        notes = part.notes
        start, end = notes.start[mask], notes.end[mask]
        # When the next note of the line begins, and which it is.
        row = np.searchsorted(line.onset, _onsets(take, part, mask), side="right")
        following = np.append(line.onset, np.iinfo(np.int64).max)[row]
        again = np.append(line.pitch, -1)[row] == notes.pitch[mask]
        closes = np.isin(following, groups)
        begins, ends, begun = (take.tempo.seconds(ticks) for ticks in (start, end, np.minimum(following, take.end)))
        gap = np.where(closes, GAP_SECONDS, np.where(again, REPEAT_SECONDS, 0.0))
        shorter = _let_go(gap * self.amount, begins, ends, begun)
        return np.zeros(len(start)), np.where((closes | again) & (row < len(line.onset)), -shorter, 0.0)


def _let_go(gap: Floats, begins: Floats, ends: Floats, begun: Floats) -> Floats:
    """Seconds that notes are shorter by, so that there is a gap before the next begins (`begun`)."""
    wanted = np.minimum(gap, MOST_GAP * (ends - begins))
    # What has let go by then has its gap already; less than nothing makes it longer, up to the next note.
    there = np.maximum(begun - ends, 0.0)
    return np.where(wanted > 0, np.maximum(wanted - there, 0.0), np.maximum(wanted, -there))


LEAP_SECONDS = 0.005


class RuleLeaps(TimeRule):
    """Leaps are taken: the note before one lets go a little early, the farther the earlier (after Friberg 1991)."""

    kind: Literal["rule.leaps"] = "rule.leaps"
    spec = played(
        "gaps",
        "Leaps",
        "A little air before a leap, the more the farther it goes",
        "leap jump interval articulation air",
        "5 ms a semitone from a fourth on; a quarter of the note at most.",
        time=True,
    )

    @override
    def timed(self, take: Take, part: Part, mask: Flags) -> tuple[Floats, Floats]:
        line, notes = line_of(take, part.id), part.notes
        start, end = notes.start[mask], notes.end[mask]
        row = np.searchsorted(line.onset, _onsets(take, part, mask), side="right")
        last = len(line.onset) - 1
        leap = np.abs(line.pitch[np.minimum(row, last)] - notes.pitch[mask])
        following = line.onset[np.minimum(row, last)]
        begins, ends, begun = (take.tempo.seconds(ticks) for ticks in (start, end, following))
        is_top, _ = _tops(take, part, mask)
        wanted = np.where(is_top & (row <= last) & (leap >= LEAP), LEAP_SECONDS * leap * self.amount, 0.0)
        return np.zeros(len(start)), -_let_go(wanted, begins, ends, begun)


SHORT_SECONDS, MOST_SWING = 0.100, 3.5


class RuleSwing(TimeRule):
    """Swing by tempo: the second half of a beat lasts 100 ms, and no less than a 3.5th of the first (Friberg and
    Sundström 2002); from 300 beats a minute on it is straight.
    """

    kind: Literal["rule.swing"] = "rule.swing"
    spec = played(
        "swing",
        "Swing",
        "Off-beats later, by what players do at this tempo",
        "swing shuffle jazz eighths long short groove",
        "The faster, the straighter: 3.5 to 1 when slow, even at 300 a minute.",
        time=True,
    )

    @override
    def timed(self, take: Take, part: Part, mask: Flags) -> tuple[Floats, Floats]:
        notes = part.notes
        late = [self._late(take, ticks) for ticks in (notes.start[mask], notes.end[mask])]
        return late[0], late[1]

    def _late(self, take: Take, ticks: Ints) -> Floats:
        start, beat, _ = take.meter.bar_of(ticks)
        begins = start + (ticks - start) // beat * beat
        first, seconds, last = (take.tempo.seconds(one) for one in (begins, ticks, begins + beat))
        length = last - first
        ratio = np.clip((length - SHORT_SECONDS) / SHORT_SECONDS, 1.0, MOST_SWING)
        middle = 0.5 + self.amount * (ratio / (ratio + 1) - 0.5)
        share = (seconds - first) / length
        # The first half is stretched and the second pressed together, so that the order stays.
        moved = np.where(share < 0.5, share * 2 * middle, middle + (share - 0.5) * 2 * (1 - middle))
        return np.asarray((moved - share) * length)
