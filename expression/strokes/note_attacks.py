"""Notes that go where something else is struck: a programmed drum follows a played bass."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator
from typing_extensions import override

from expression.arrays import Flags, whole
from expression.errors import NothingMatched
from expression.limits import MOST_POINTS
from expression.strokes.base import Tick
from expression.strokes.note_times import Times, TimeStroke, meets
from expression.strokes.spec import ASK_PAGE, ASK_UNDER, Spec, entry
from expression.take import Part, Take

Ms = Annotated[float, Field(ge=0, le=5_000)]


class NotesFollow(TimeStroke):
    """Notes to the nearest of some attacks, or so much of the way; each keeps its length.

    Notes that have none near are left alone.
    """

    kind: Literal["notes.follow"] = "notes.follow"
    spec = Spec(
        "notes",
        "Towards attacks",
        says="How far each is from the nearest attack of the sound is kept, and scaled.",
        asks=(entry("keep", "Keep", 0.05), entry("window_ms", "As far as (ms)", 10), ASK_UNDER, ASK_PAGE),
        evidence=("counts",),
    )
    travels = ("attacks.*",)
    attacks: Annotated[tuple[Tick, ...], Field(min_length=1, max_length=MOST_POINTS)] = Field(
        description="When something is struck, in ticks, ascending."
    )
    keep: Annotated[float, Field(ge=0, le=2)] = Field(
        0.0, description="How much of its distance to the attack each keeps: 0 lies on it, 1 stays."
    )
    window_ms: Ms = Field(120.0, description="Notes with no attack as near as this are left alone.")

    @field_validator("attacks")
    @classmethod
    def _ascends(cls, attacks: tuple[int, ...]) -> tuple[int, ...]:
        if list(attacks) != sorted(attacks):
            raise ValueError("attacks must ascend")
        return attacks

    @override
    def times(self, take: Take, part: Part, mask: Flags) -> Times:
        start, end = part.notes.start[mask], part.notes.end[mask]
        attacks = np.array(self.attacks, dtype=np.int64)
        after = np.minimum(np.searchsorted(attacks, start), len(attacks) - 1)
        before = np.maximum(after - 1, 0)
        nearest = np.where(start - attacks[before] <= np.abs(attacks[after] - start), attacks[before], attacks[after])
        away = 1000 * np.abs(take.tempo.seconds(nearest) - take.tempo.seconds(start))
        reached = away <= self.window_ms
        if not reached.any():
            raise NothingMatched(f"No attack lies within {self.window_ms:g} ms of any of these notes.", "window_ms")
        moved = np.where(reached, nearest + whole(self.keep * (start - nearest)), start)
        # Of several notes of a key that would come to one attack only the nearest goes.
        moved = np.where(meets(part.notes.pitch[mask].astype(np.int64), moved, start), start, moved)
        return Times(moved, end + moved - start)

    @override
    def label(self) -> str:
        how = "onto attacks" if not self.keep else f"{self.keep:.0%} as far from attacks"
        return f"Notes {how}"
