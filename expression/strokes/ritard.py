"""The last ritard: how players slow down at the end."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Ints, union
from expression.errors import NothingMatched
from expression.limits import MOST_POINTS
from expression.retimed import conducted
from expression.strokes.base import Reach
from expression.strokes.ground import STEPS_A_BEAT, GroundStroke
from expression.strokes.rules import AMOUNT, ASK_AMOUNT, Amount, Rule
from expression.strokes.spec import Gesture, Spec, entry
from expression.take import Take
from expression.time import TempoMap

SLOWEST, FASTEST = 0.1, 4.0
"""Shares of the tempo that it never leaves."""


class RuleRitard(Rule, GroundStroke):
    """The last ritard, as a runner comes to a stop (Friberg and Sundberg 1999): over the span, or before the last note.

    The tempo is that of before times (1 + (w^q - 1) x)^(1/q), with x from 0 at its start to 1 at the last onset. Notes
    keep their bars.
    """

    kind: Literal["rule.ritard"] = "rule.ritard"
    spec = Spec(
        "play",
        "Last ritard",
        says="All parts slow down together, as a runner comes to a stop.",
        asks=(
            ASK_AMOUNT,
            entry("beats", "Over (beats)"),
            entry("last", "Down to", 0.05),
            entry("curve", "Curve", 0.5),
        ),
        gestures=(
            Gesture(
                "late",
                "Last ritard",
                "All slow down at the end, or over the span, as a runner comes to a stop",
                "ritardando rallentando slow down end final cadence tempo",
                "Rules",
                where="ground",
                folded=True,
            ),
        ),
    )
    amount: Amount = AMOUNT
    beats: Annotated[float, Field(ge=0.25, le=256)] = Field(
        4.0, description="Quarters before the last onset in which it begins, where no span says it."
    )
    last: Annotated[float, Field(ge=0.1, le=1)] = Field(
        0.6, description="w: the tempo that it comes to, as a share of the one before."
    )
    curve: Annotated[float, Field(ge=1, le=10)] = Field(
        3.0, description="q: 2 slows evenly in time, 3 later, as listeners prefer it."
    )

    def _place(self, take: Take) -> tuple[int, int, int | None]:
        """Where it begins, its last onset, and where the tempo comes back; None: it does not."""
        begins, until = self.span_in(take)
        if self.where.span is None:
            begins = 0
        onsets = [one.notes.start[one.notes.start >= begins] for one in take.parts]
        onsets = [one if until is None else one[one < until] for one in onsets]
        last = max((int(one.max()) for one in onsets if len(one)), default=-1)
        if self.where.span is None:
            begins = max(last - round(self.beats * take.resolution), 0)
        if last <= begins:
            raise NothingMatched("No notes come one after another there, so that nothing could slow down.")
        return begins, last, until

    @override
    def apply(self, take: Take) -> Take:
        begins, last, until = self._place(take)
        if not self.amount:
            return take
        edges = self._edges(take, begins, last)
        x = np.clip((edges + np.append(edges[1:], last)) / 2 - begins, 0, last - begins) / (last - begins)
        final = float(np.clip(1 - self.amount * (1 - self.last), SLOWEST, FASTEST))
        speed = (1 + (final**self.curve - 1) * x) ** (1 / self.curve)
        # From the last onset on it is as slow as it was to become.
        edges, speed = np.append(edges, last), np.append(speed, final)
        old = take.tempo
        behind = [one for one in old.steps if one[0] > last and (until is None or one[0] < until)]
        edges = np.append(edges, [tick for tick, _ in behind])
        speed = np.append(speed, np.full(len(behind), final))
        micros = np.round(_micros(old, edges) / speed).astype(np.int64)
        made = [one for one in old.steps if one[0] < begins]
        made += list(zip(edges.tolist(), micros.tolist(), strict=True))
        if until is not None:
            made += [(until, int(_micros(old, np.array([until]))[0])), *(one for one in old.steps if one[0] > until)]
        return conducted(take, TempoMap.of(take.resolution, made))

    @staticmethod
    def _edges(take: Take, begins: int, last: int) -> Ints:
        """Where the tempo changes on the way: eight times a beat, and where it did before."""
        count = max(min((last - begins) * STEPS_A_BEAT // take.resolution, MOST_POINTS), 1)
        even = begins + (last - begins) * np.arange(count) // count
        old = take.tempo.ticks
        return union(even, old[(old > begins) & (old < last)])

    @override
    def reach(self, take: Take) -> Reach:
        begins, last, until = self._place(take)
        end = take.end if until is None else until
        count = sum(int(((one.notes.start >= begins) & (one.notes.start <= last)).sum()) for one in take.parts)
        return Reach(begins, max(end, last + 1), [part.id for part in take.parts], count)


def _micros(tempo: TempoMap, ticks: Ints) -> Ints:
    """Microseconds a quarter in force at some ticks."""
    return np.asarray(tempo.micros[np.maximum(np.searchsorted(tempo.ticks, ticks, side="right") - 1, 0)])
