"""Velocity strokes that are lines in time: hairpins and what is drawn by hand."""

from itertools import pairwise
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Floats, Ints, whole
from expression.chords import chord_onsets
from expression.curve import LINE_POINTS, form, lift_between
from expression.memo import worked_out
from expression.notes import HIGHEST, LOWEST
from expression.records import Unit
from expression.strokes.base import Lift, Picked, Points, Wedge, Where, select
from expression.strokes.grips import Grip, Place, line_grips, turning
from expression.strokes.spec import (
    ASK_ACCENTS,
    ASK_EACH,
    ASK_EASE,
    ASK_LIFT,
    ASK_PEAK_AT,
    Ask,
    Gesture,
    Option,
    Spec,
    among,
    entry,
    told,
)
from expression.strokes.velocity import Level, Velocity, VelocityStroke
from expression.take import Take

Accents = Annotated[
    float,
    Field(
        ge=0,
        le=1,
        description="How much of each note's own deviation from the straight line through the notes is kept.",
    ),
]


class VelocityHairpin(VelocityStroke):
    """A ramp over the notes, from the first onset to the last or over `where.span`; a chord moves as one.

    With a `peak` it goes there and back: from `start` to `peak`, and in the mirror of that form on to `end`.
    """

    kind: Literal["velocity.hairpin"] = "velocity.hairpin"
    spec = Spec(
        "velocity",
        "Hairpin",
        asks=(
            Ask("peak", "Goes", "turns", start=100).shown(among("mode", "to")),
            Ask("peak", "Goes", "turns", start=1.25).shown(among("mode", "by")),
            Ask(
                "mode",
                "Mode",
                "choice",
                options=(
                    Option("to", "to velocities", {"start": 64, "end": 96, "peak": 100}),
                    Option("by", "by factors", {"start": 1, "end": 1, "peak": 1.25}),
                ),
            ),
            Ask("mode", "As", "writing").shown(among("mode", "by")),
            entry("start", "Start").shown(among("mode", "to")),
            entry("end", "End").shown(among("mode", "to")),
            entry("peak", "Peak").shown(told("peak"), among("mode", "to")),
            entry("start", "Start", 0.05).shown(among("mode", "by")),
            entry("end", "End", 0.05).shown(among("mode", "by")),
            entry("peak", "Peak", 0.05).shown(told("peak"), among("mode", "by")),
            ASK_PEAK_AT,
            ASK_LIFT,
            ASK_EASE,
            ASK_ACCENTS.shown(among("mode", "to")),
            entry("floor", "Floor"),
            entry("ceiling", "Ceiling"),
            ASK_EACH,
        ),
        gestures=(
            Gesture(
                "hairpin",
                "Hairpin",
                "A ramp from the softest to the loudest (h)",
                "crescendo decrescendo diminuendo ramp louder softer dynamics",
                "Force",
                where="chosen",
                given={"start": "@softest", "end": "@loudest"},
                for_selection=True,
            ),
            Gesture(
                "swell",
                "There and back",
                "A swell or a dip with a peak that can be moved",
                "swell dip messa di voce crescendo peak",
                "Force",
                where="chosen",
                given={"start": "@softest", "peak": "@loudest", "end": "@softest"},
                for_selection=True,
            ),
            Gesture(
                "fadeIn",
                "Fade in",
                "At the start of the span or the part: as touch, expression or volume",
                "niente from nothing begin",
                "Force",
                where="fade in",
                given={"mode": "by", "start": 0, "end": 1},
            ),
            Gesture(
                "fadeOut",
                "Fade out",
                "At the end of the span or the part: as touch, expression or volume",
                "niente morendo to nothing end",
                "Force",
                where="fade out",
                given={"mode": "by", "start": 1, "end": 0},
            ),
        ),
        evidence=("facts",),
    )
    start: Level = Field(description="Where the ramp starts: a velocity, or a factor.")
    end: Level = Field(description="Where it ends.")
    peak: Level | None = Field(None, description="Where it turns back; none for a plain ramp. Lower ones make a dip.")
    peak_at: Unit = Field(0.5, description="When it turns back, as a share of the way.")
    lift: Lift = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")
    accents: Accents = 0.0
    mode: Literal["to", "by"] = Field(
        "to",
        description=(
            "`to`: the notes go to the ramp's values, keeping `accents`. `by`: each velocity is multiplied by the "
            "ramp (a fade)."
        ),
    )
    floor: Velocity = Field(LOWEST, description="No note ends up softer than this.")
    ceiling: Velocity = Field(HIGHEST, description="No note ends up louder than this.")

    @model_validator(mode="after")
    def _room(self) -> "VelocityHairpin":
        if self.floor > self.ceiling:
            raise ValueError(f"floor must not be above ceiling ({self.floor} is above {self.ceiling})")
        return self

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        way = self._way(_onsets(take, self.where), self._span(picked))
        if self.mode == "by":
            made = picked.velocity * way
        else:
            made = way + self.accents * deviation(picked) if self.accents else way
        return np.clip(made, self.floor, self.ceiling)

    def _span(self, picked: Picked) -> tuple[int, int]:
        return self.where.span or (int(picked.start.min()), int(picked.start.max()))

    def _way(self, ticks: Ints | Floats, span: tuple[int, int]) -> Floats:
        u = np.clip((ticks - span[0]) / max(span[1] - span[0], 1), 0.0, 1.0)
        if self.peak is None:
            return np.asarray(self.start + (self.end - self.start) * form(u, self.lift, self.ease))
        # The way back is the way there, seen in a mirror: with equal ends and the peak in the middle both halves match.
        there = form(np.clip(u / max(self.peak_at, 1e-9), 0, 1), self.lift, self.ease)
        back = form(np.clip((1 - u) / max(1 - self.peak_at, 1e-9), 0, 1), self.lift, self.ease)
        up, down = self.start + (self.peak - self.start) * there, self.end + (self.peak - self.end) * back
        return np.where(u < self.peak_at, up, down)

    @property
    def _scale(self) -> int:
        """Factors have no place on a lane of velocities; they are drawn as a share of its range."""
        return HIGHEST if self.mode == "by" else 1

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        span = self._span(select(take, self.where).picked)
        shares = np.linspace(0, 1, LINE_POINTS if self.lift or self.ease else 2)
        if self.peak is not None:
            shares = np.concatenate((shares * self.peak_at, self.peak_at + shares[1:] * (1 - self.peak_at)))
        ticks = whole(span[0] + shares * (span[1] - span[0]))
        values = np.minimum(self._way(ticks, span) * self._scale, HIGHEST)
        return list(zip(ticks.tolist(), np.round(values, 3).tolist(), strict=True))

    @override
    def grips(self, take: Take) -> list[Grip]:
        start, end = self._span(select(take, self.where).picked)
        ends, peak = (Place(start, self.start), Place(end, self.end)), turning(start, end, self.peak, self.peak_at)
        return line_grips(*ends, (self.lift, self.ease), peak, self._scale)

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        start, end = self._span(select(take, self.where).picked)
        target = turning(start, end, self.peak, self.peak_at) or Place(end, self.end)
        lift = lift_between(tick, value / self._scale, (start, self.start), target, self.ease)
        return self if lift is None else self.model_copy(update={"lift": lift})

    @override
    def label(self) -> str:
        levels = [self.start, self.end] if self.peak is None else [self.start, self.peak, self.end]
        if self.mode == "by":
            return "Fade " + " → ".join(f"{level * 100:.0f}%" for level in levels)
        turns = "Hairpin" if self.peak is None else "Swell" if self.peak >= max(self.start, self.end) else "Dip"
        return f"{turns} " + " → ".join(f"{level:.0f}" for level in levels)

    @override
    def sign(self) -> str:
        return "<" if self.end >= self.start else ">"

    @override
    def wedges(self, start: int, end: int) -> list[Wedge]:
        turns = [(start, self.start), (end, self.end)]
        if self.peak is not None:
            turns.insert(1, (round(start + (end - start) * self.peak_at), self.peak))
        return [Wedge(begin, last, low < high) for (begin, low), (last, high) in pairwise(turns) if low != high]


class VelocityDraw(VelocityStroke):
    """Notes follow a line drawn over them, each at its own time; only those between its first and its last point
    change.
    """

    kind: Literal["velocity.draw"] = "velocity.draw"
    spec = Spec(
        "velocity",
        "Drawn",
        asks=(ASK_ACCENTS,),
        evidence=("facts",),
    )
    points: Points[Level]
    accents: Accents = 0.0

    @property
    @override
    def target(self) -> Where:
        return self.where.within(self.points[0][0], self.points[-1][0] + 1)

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        ticks, values = np.array(self.points, dtype=np.float64).T
        return np.asarray(np.interp(picked.start, ticks, values) + self.accents * deviation(picked))

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        return [(tick, value) for tick, value in self.points]

    @override
    def label(self) -> str:
        return f"Drawn {self.points[0][1]:.0f} → {self.points[-1][1]:.0f}"


@worked_out(2)
def _onsets(take: Take, where: Where) -> Ints:
    """Of each note the onset of its chord: the same while a hand tries one hairpin after another."""
    return chord_onsets(select(take, where).picked.start, take.resolution)


def deviation(picked: Picked) -> Floats:
    """Each note's distance from the least-squares line through the velocities over their onsets."""
    time = picked.start - picked.start.mean()
    spread = float((time * time).sum())
    slope = float((time * picked.velocity).sum()) / spread if spread else 0.0
    return np.asarray(picked.velocity - (picked.velocity.mean() + slope * time))
