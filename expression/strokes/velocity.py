"""Strokes on the velocity of notes. Results are whole numbers from 1 to 127."""

from collections.abc import Callable
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from typing_extensions import override

from expression.arrays import Floats, Ints, whole
from expression.curve import lift_through, ramp
from expression.notes import HIGHEST, LOWEST
from expression.strokes.base import BaseStroke, Picked, Unit, select
from expression.take import Take

Velocity = Annotated[int, Field(ge=LOWEST, le=HIGHEST)]
Limit = Literal["stop", "pin", "squeeze"]

LINE_POINTS = 33


class VelocityStroke(BaseStroke):
    """A stroke that gives the notes it reaches new velocities, and changes nothing else."""

    def apply(self, take: Take) -> Take:
        """The take with the velocities that `velocities` gives; halves round up, all within 1 to 127."""
        picked, masks = select(take, self.where)
        made = np.clip(whole(self.velocities(picked)), LOWEST, HIGHEST)
        replaced = {}
        at = 0
        for part, mask in masks.items():
            notes = take.parts[part].notes
            count = int(mask.sum())
            velocity = notes.velocity.copy()
            velocity[mask] = made[at : at + count]
            replaced[part] = notes.with_velocity(velocity)
            at += count
        return take.with_notes(replaced)

    def velocities(self, picked: Picked) -> Floats | Ints:
        """New velocities for the notes, not yet rounded or kept within the range."""
        raise NotImplementedError


class VelocitySet(VelocityStroke):
    """Every note to one value."""

    kind: Literal["velocity.set"] = "velocity.set"
    value: Velocity = Field(description="The velocity that every note gets.")

    @override
    def velocities(self, picked: Picked) -> Ints:
        return np.full(len(picked.id), self.value)

    @override
    def label(self) -> str:
        return f"Set to {self.value}"


class VelocityNudge(VelocityStroke):
    """Add the same to every note."""

    kind: Literal["velocity.nudge"] = "velocity.nudge"
    by: Annotated[int, Field(ge=-127, le=127)] = Field(description="What is added to each velocity.")
    limit: Limit = Field(
        "pin",
        description=(
            "At the end of the range: `stop` halts the whole group when its first note is at the end, `pin` leaves "
            "each note at the end, `squeeze` compresses the group so that louder stays louder."
        ),
    )

    @override
    def velocities(self, picked: Picked) -> Ints:
        return LIMITS[self.limit](picked.velocity, self.by)

    @override
    def label(self) -> str:
        return f"Nudge by {self.by:+d}".replace("-", "−")


class VelocityHairpin(VelocityStroke):
    """A ramp over the notes, from the first onset to the last or over `where.span`."""

    kind: Literal["velocity.hairpin"] = "velocity.hairpin"
    start: Annotated[float, Field(ge=0, le=127)] = Field(description="Where the ramp starts: a velocity, or a factor.")
    end: Annotated[float, Field(ge=0, le=127)] = Field(description="Where it ends.")
    lift: Annotated[float, Field(ge=-1, le=1)] = Field(
        0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast."
    )
    ease: Unit = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")
    accents: Unit = Field(
        0.0,
        description=(
            "How much of each note's own deviation from the straight line through the notes is kept (mode `to`)."
        ),
    )
    mode: Literal["to", "by"] = Field(
        "to",
        description=(
            "`to`: the notes go to the ramp's values. `by`: each velocity is multiplied by the ramp (a fade)."
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
    def velocities(self, picked: Picked) -> Floats:
        way = self._way(picked.start, self._span(picked))
        if self.mode == "by":
            made = picked.velocity * way
        else:
            made = way + self.accents * _deviation(picked)
        return np.clip(made, self.floor, self.ceiling)

    def _span(self, picked: Picked) -> tuple[int, int]:
        return self.where.span or (int(picked.start.min()), int(picked.start.max()))

    def _way(self, ticks: Ints | Floats, span: tuple[int, int]) -> Floats:
        u = (ticks - span[0]) / max(span[1] - span[0], 1)
        return ramp(u, self.start, self.end, self.lift, self.ease)

    @property
    def _scale(self) -> int:
        """Factors have no place on a lane of velocities; they are drawn as a share of its range."""
        return HIGHEST if self.mode == "by" else 1

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        span = self._span(select(take, self.where).picked)
        points = 2 if not self.lift and not self.ease else LINE_POINTS
        ticks = np.linspace(*span, points)
        values = np.minimum(self._way(ticks, span) * self._scale, HIGHEST)
        return list(zip(whole(ticks).tolist(), np.round(values, 3).tolist(), strict=True))

    @override
    def pulled(self, take: Take, tick: int, value: float) -> Self:
        start, end = self._span(select(take, self.where).picked)
        if self.start == self.end or not start < tick < end:
            return self
        y = (value / self._scale - self.start) / (self.end - self.start)
        lift = lift_through((tick - start) / (end - start), min(max(y, 0.0), 1.0), self.ease)
        return self.model_copy(update={"lift": lift})

    @override
    def label(self) -> str:
        if self.mode == "by":
            return f"Fade {self.start * 100:.0f}% → {self.end * 100:.0f}%"
        return f"Hairpin {self.start:.0f} → {self.end:.0f}"


def _deviation(picked: Picked) -> Floats:
    """Each note's distance from the least-squares line through the velocities over their onsets."""
    time = picked.start - picked.start.mean()
    spread = float((time * time).sum())
    slope = float((time * picked.velocity).sum()) / spread if spread else 0.0
    return np.asarray(picked.velocity - (picked.velocity.mean() + slope * time))


def _stop(velocity: Ints, by: int) -> Ints:
    room = (HIGHEST - velocity.max()) if by > 0 else (LOWEST - velocity.min())
    return np.asarray(velocity + (min(by, room) if by > 0 else max(by, room)))


def _pin(velocity: Ints, by: int) -> Ints:
    return np.clip(velocity + by, LOWEST, HIGHEST)


def _squeeze(velocity: Ints, by: int) -> Ints:
    if by < 0:  # The same at the other end, seen in a mirror.
        return LOWEST + HIGHEST - _squeeze(LOWEST + HIGHEST - velocity, -by)
    steps = np.unique(velocity)
    moved = steps + by
    if moved[-1] > HIGHEST:
        # The softest goes all the way unless the others need its room; the rest is spread evenly up to the end.
        low = min(moved[0], HIGHEST - (len(steps) - 1))
        moved = whole(low + (steps - steps[0]) * (HIGHEST - low) / max(steps[-1] - steps[0], 1))
        count = np.arange(len(steps))
        moved = np.maximum.accumulate(moved - count) + count
        moved = np.minimum(moved, HIGHEST - count[::-1])
    return moved[np.searchsorted(steps, velocity)]


LIMITS: dict[Limit, Callable[[Ints, int], Ints]] = {"stop": _stop, "pin": _pin, "squeeze": _squeeze}
"""What a group does at the end of the range when `by` is added to it. Velocities in, velocities out."""
