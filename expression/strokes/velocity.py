"""Strokes on the velocity of notes. Results are whole numbers from 1 to 127."""

from collections.abc import Callable
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Floats, Ints, whole
from expression.notes import HIGHEST, LOWEST
from expression.strokes.base import BaseStroke, Picked, select
from expression.strokes.limits import Limit, limited
from expression.strokes.spec import Ask, Gesture, Spec, choice, entry
from expression.take import Take

Velocity = Annotated[int, Field(ge=LOWEST, le=HIGHEST)]
Level = Annotated[float, Field(ge=0, le=HIGHEST)]
Measure = Literal["mean", "min", "max"]
"""A level that the notes themselves give: of those that a stroke reaches."""

_MEASURES: dict[str, Callable[[Any], Any]] = {"mean": np.mean, "min": np.min, "max": np.max}
_MEASURE_NAMES = {"mean": "the mean", "min": "the softest", "max": "the loudest"}


def measured(level: float | Measure, values: Ints | Floats) -> float:
    """A level in numbers."""
    return float(_MEASURES[level](values)) if isinstance(level, str) else level


class VelocityStroke(BaseStroke):
    """A stroke that gives the notes it reaches new velocities, and changes nothing else."""

    def apply(self, take: Take) -> Take:
        """The take with the velocities that `velocities` gives; halves round up, all within 1 to 127."""
        picked, masks = select(take, self.target)
        made = np.clip(whole(self.velocities(picked, take)), LOWEST, HIGHEST)
        replaced = {}
        at = 0
        for part, mask in masks.items():
            notes = take.parts[part].notes
            count = int(np.count_nonzero(mask))
            velocity = own = made[at : at + count].astype(notes.velocity.dtype)
            if count < len(notes):
                velocity = notes.velocity.copy()
                velocity[mask] = own
            replaced[part] = notes.with_velocity(velocity)
            at += count
        return take.with_notes(replaced)

    def velocities(self, picked: Picked, take: Take) -> Floats | Ints:
        """New velocities for the notes, not yet rounded or kept within the range."""
        raise NotImplementedError


class VelocitySet(VelocityStroke):
    """Every note to one value."""

    kind: Literal["velocity.set"] = "velocity.set"
    spec = Spec(
        "velocity",
        "Set",
        asks=(Ask("value", "Value", "measure"),),
        gestures=(
            Gesture(
                "level",
                "Level out",
                "All to their mean, at once; the number can be changed then",
                "even equal same flatten average set velocity",
                "Force",
                given={"value": "mean"},
            ),
        ),
        evidence=("facts",),
    )
    value: Velocity | Measure = Field(
        description="The velocity that every note gets: a number, or what the notes themselves give (levelling out)."
    )

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        return np.full(len(picked.id), measured(self.value, picked.velocity))

    @override
    def label(self) -> str:
        if isinstance(self.value, str):
            return f"Level out to {_MEASURE_NAMES[self.value]}"
        return f"Set to {self.value}"

    @override
    def sign(self) -> str:
        return str(self.value)


class VelocityNudge(VelocityStroke):
    """Add the same to every note."""

    kind: Literal["velocity.nudge"] = "velocity.nudge"
    spec = Spec(
        "velocity",
        "Nudge",
        asks=(entry("by", "By"),),
        evidence=("facts",),
    )
    by: Annotated[int, Field(ge=-127, le=127)] = Field(description="What is added to each velocity.")
    limit: Limit = "pin"

    @override
    def velocities(self, picked: Picked, take: Take) -> Ints:
        return limited(picked.velocity, picked.velocity + self.by, self.limit)

    @override
    def label(self) -> str:
        return f"Nudge by {self.by:+d}".replace("-", "−")

    @override
    def sign(self) -> str:
        return f"{self.by:+d}".replace("-", "−")


class VelocityScale(VelocityStroke):
    """Widen or narrow the differences about a pivot. About 0 it is a plain percentage."""

    kind: Literal["velocity.scale"] = "velocity.scale"
    spec = Spec(
        "velocity",
        "Depth",
        says="Differences widen above 1 and narrow below it.",
        asks=(
            entry("factor", "Factor", 0.05),
            Ask("pivot", "Pivot", "measure"),
        ),
        gestures=(
            Gesture(
                "depth",
                "Depth",
                "Widen or narrow the differences",
                "scale contrast dynamics range expand compress",
                "Force",
                given={"factor": 0.7},
            ),
        ),
        evidence=("facts",),
    )
    factor: Annotated[float, Field(ge=0, le=16)] = Field(
        description="1 changes nothing, 0.5 halves every distance from the pivot, 0 levels out, 2 doubles."
    )
    pivot: Level | Measure = Field("mean", description="What stays where it is: a level, or what the notes give.")
    limit: Limit = "pin"

    @override
    def velocities(self, picked: Picked, take: Take) -> Ints:
        pivot = measured(self.pivot, picked.velocity)
        wanted = np.asarray(pivot + self.factor * (picked.velocity - pivot))
        return limited(picked.velocity, wanted, self.limit)

    @override
    def label(self) -> str:
        if self.pivot == 0:
            return f"Scale to {self.factor * 100:.0f}%"
        about = _MEASURE_NAMES[self.pivot] if isinstance(self.pivot, str) else f"{self.pivot:g}"
        return f"Depth {self.factor * 100:.0f}% about {about}"


class VelocityKnee(VelocityStroke):
    """Lower the loud notes only, or raise the quiet ones only, bending softly where it begins.

    Distances past the threshold are divided by the ratio; within the knee the bend is a parabola that meets both
    straight lines smoothly, so that no order is ever turned round.
    """

    kind: Literal["velocity.knee"] = "velocity.knee"
    spec = Spec(
        "velocity",
        "Soft knee",
        says="Only notes past the threshold move, gently where it begins.",
        asks=(
            choice("side", "Moves", ("loud", "the loud down"), ("quiet", "the quiet up")),
            entry("threshold", "Threshold"),
            entry("ratio", "Ratio", 0.1),
            entry("knee", "Knee"),
        ),
        gestures=(
            Gesture(
                "knee",
                "Soft knee",
                "Lower the loud only, or raise the quiet only",
                "compressor compression threshold ratio limit tame",
                "Force",
                given={"side": "loud", "threshold": "@mean", "ratio": 2},
            ),
        ),
        evidence=("facts",),
    )
    side: Literal["loud", "quiet"] = Field("loud", description="Which notes move: those above, or those below.")
    threshold: Level = Field(description="Where it begins.")
    ratio: Annotated[float, Field(ge=1, le=100)] = Field(
        2.0, description="1 changes nothing, 2 halves what lies past the threshold, 100 holds it there."
    )
    knee: Annotated[float, Field(ge=0, le=127)] = Field(16.0, description="Over how many steps it bends; 0: a corner.")

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        sign = 1.0 if self.side == "loud" else -1.0
        past = sign * (picked.velocity - self.threshold)
        slope = 1 - 1 / self.ratio
        bend = (past + self.knee / 2) ** 2 / (2 * max(self.knee, 1e-9))
        less = np.where(2 * past >= self.knee, past, np.where(2 * past > -self.knee, bend, 0.0))
        return np.asarray(picked.velocity - sign * slope * less)

    @override
    def label(self) -> str:
        what = "Lower the loud" if self.side == "loud" else "Raise the quiet"
        return f"{what} past {self.threshold:.0f}, {self.ratio:g} to 1"


class VelocityTrim(VelocityStroke):
    """A standing scale and offset, mostly of a whole part: there is one at each `where`, which is opened again."""

    stands: ClassVar[bool] = True

    kind: Literal["velocity.trim"] = "velocity.trim"
    spec = Spec(
        "velocity",
        "Trim of the part",
        says="Stands for the whole part; opened again, not stacked.",
        asks=(
            entry("scale", "Scale", 0.05),
            entry("offset", "Offset"),
        ),
        gestures=(
            Gesture(
                "trim",
                "Trim part",
                "A standing scale and offset for the parts in front, all of their notes",
                "balance louder softer whole part mix",
                "Force",
                where="parts in front",
            ),
        ),
        evidence=("facts",),
    )
    scale: Annotated[float, Field(ge=0, le=4)] = Field(1.0, description="Each velocity times this ...")
    offset: Annotated[int, Field(ge=-127, le=127)] = Field(0, description="... plus this.")

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        return np.asarray(picked.velocity * self.scale + self.offset)

    @override
    def label(self) -> str:
        return f"Trim {self.scale * 100:.0f}% {self.offset:+d}".replace("-", "−")
