"""Velocity strokes that make a part less even: variation by chance, accents by the metre."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Floats, Ints, whole
from expression.chords import chord_onsets
from expression.errors import NothingMatched
from expression.strokes.base import Picked
from expression.strokes.limits import Limit, limited
from expression.strokes.spec import ASK_ROLL, Ask, Gesture, Spec, entry
from expression.strokes.velocity import VelocityStroke
from expression.take import Take

SLOW = 2.5
"""Seconds over which a hand's drift goes one way or the other."""
CUT = 2.0
"""No note deviates by more than this many times `amount`."""


class VelocityVary(VelocityStroke):
    """Small deviations by chance, as a hand makes them. What a note gets depends on the seed and the note alone."""

    kind: Literal["velocity.vary"] = "velocity.vary"
    spec = Spec(
        "velocity",
        "Vary",
        says="Each note deviates by chance, the same whatever else is chosen.",
        asks=(
            entry("amount", "Amount", 0.5),
            ASK_ROLL,
        ),
        gestures=(
            Gesture(
                "vary",
                "Vary",
                "Small deviations by chance",
                "random humanise humanize loosen chance dice",
                "Force",
                given={"amount": 5},
            ),
        ),
        evidence=("facts",),
    )
    amount: Annotated[float, Field(ge=0, le=64)] = Field(
        description="Standard deviation in velocity steps; none deviates by more than twice that."
    )
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = Field(1, description="Another seed is another roll of the dice.")
    limit: Limit = "pin"

    @override
    def velocities(self, picked: Picked, take: Take) -> Ints:
        return limited(picked.velocity, picked.velocity + self.amount * chance(picked.id, self.seed), self.limit)

    @override
    def label(self) -> str:
        return f"Vary by {self.amount:g}"


class VelocityAccent(VelocityStroke):
    """Metric accents: what each place of the bar adds, from a pattern that goes round with the bars."""

    kind: Literal["velocity.accent"] = "velocity.accent"
    spec = Spec(
        "velocity",
        "Accents",
        says="The pattern goes round with the bars.",
        asks=(
            Ask("grid", "Steps of", "pattern"),
            entry("amount", "Amount"),
        ),
        gestures=(
            Gesture(
                "accent",
                "Accents",
                "A pattern of accents that goes round with the bars",
                "accent groove beat strong weak pattern metre",
                "Force",
                given={"grid": 8, "pattern": "@metric", "amount": 16},
            ),
        ),
        evidence=("facts",),
    )
    pattern: tuple[Annotated[float, Field(ge=-1, le=1)], ...] = Field(
        min_length=1, max_length=128, description="For each step of the bar, how much of `amount` is added (-1 to 1)."
    )
    grid: Literal[1, 2, 4, 6, 8, 12, 16, 24, 32] = Field(8, description="The step: 8 is eighths, 12 eighth triplets.")
    amount: Annotated[float, Field(ge=-64, le=64)] = Field(16.0, description="In velocity steps.")

    @override
    def velocities(self, picked: Picked, take: Take) -> Floats:
        step_ticks = 4 * take.resolution / self.grid
        onsets = chord_onsets(picked.start, take.resolution)
        start, _, length = take.meter.bar_of(onsets)
        misfit = np.flatnonzero(np.abs(length / step_ticks - len(self.pattern)) > 1e-9)
        if len(misfit):
            bar = take.meter.position(int(onsets[misfit[0]])).bar
            steps = length[misfit[0]] / step_ticks
            raise NothingMatched(
                f"The pattern has {len(self.pattern)} steps, but bar {bar} has {steps:g} of 1/{self.grid}. "
                "Choose notes of bars of one length, and a pattern that fits them.",
                "pattern",
            )
        # The nearest line of the grid; a note played early at the first beat is still the first beat's.
        step = whole((onsets - start) / step_ticks) % len(self.pattern)
        return np.asarray(picked.velocity + self.amount * np.array(self.pattern)[step])

    @override
    def label(self) -> str:
        return f"Accents by {self.amount:g}".replace("-", "−")


def chance(ids: Ints, seed: int) -> Floats:
    """For each id a deviation of the normal distribution, cut at two: the same for the same seed and id, always.

    The bits come from SplitMix64 (Steele, Lea and Flood, *Fast splittable pseudorandom number generators*, 2014),
    counted by id, so that no note's deviation depends on which others are asked for.
    """
    with np.errstate(over="ignore"):
        bits = np.uint64(seed) * np.uint64(0xD1342543DE82EF95) + (ids.astype(np.uint64) + np.uint64(1)) * np.uint64(
            0x9E3779B97F4A7C15
        )
        bits = (bits ^ (bits >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        bits = (bits ^ (bits >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        bits ^= bits >> np.uint64(31)
    uniform = ((bits >> np.uint64(11)).astype(np.float64) + 0.5) / 2**53
    # Reading the package in takes longer than reading a file: it is done only where deviations are wanted.
    from scipy.special import ndtr, ndtri

    low = ndtr(-CUT)
    return np.asarray(ndtri(low + uniform * (1 - 2 * low)))


def drifting(seconds: Floats, seed: int, part: int) -> Floats:
    """A slow wandering of a part's time, of about the same spread as `chance`: knots of its own, and a smooth way.

    At knots `SLOW` apart a deviation each; between two their mean by raised cosines, whose squares add up to one, so
    that the spread is the same everywhere.
    """
    place = seconds / SLOW
    knot = np.floor(place).astype(np.int64)
    share = (place - knot) * np.pi / 2
    begins = int(knot.min(initial=0))
    knots = chance(np.arange(begins, int(knot.max(initial=0)) + 2) + (part + 1) * 2**40, seed)
    return np.asarray(np.cos(share) * knots[knot - begins] + np.sin(share) * knots[knot - begins + 1])
