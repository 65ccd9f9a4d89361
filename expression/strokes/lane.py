"""What all strokes on lanes share: controllers, channel pressure, bend."""

from typing import Annotated, ClassVar, Self

import numpy as np
from pydantic import Field, field_validator, model_validator
from typing_extensions import override

from expression.arrays import Floats
from expression.errors import NothingMatched
from expression.lanes import LANES
from expression.strokes.base import BaseStroke, Reach
from expression.take import Lane, Part, Take

MOST_LANES = 130
HIGHEST_VALUE = 127.0
SWITCH_ON = 64
REST_SECONDS = 0.1
"""A recorded value that lasts for longer than this was held; what comes faster is a movement."""

LaneKey = Annotated[str, Field(description="`bend`, `pressure`, or `cc:0` to `cc:127`.")]
LaneKeys = Annotated[
    str | Annotated[tuple[str, ...], Field(min_length=1, max_length=MOST_LANES)],
    Field(description="`bend`, `pressure`, or `cc:0` to `cc:127`; or a list of them, on which it acts alike."),
]


def known_lane(key: str, field: str = "lane") -> str:
    """A lane's key. Raises ValueError where there is no such lane."""
    if key not in LANES:
        raise ValueError(f"{field} must be bend, pressure or cc:0 to cc:127, not {key[:40]!r}")
    return key


class LaneStroke(BaseStroke):
    """A stroke on lanes of the parts it names (of all that have them, where it names none)."""

    lane: LaneKeys

    @field_validator("lane")
    @classmethod
    def _known(cls, lane: str | tuple[str, ...]) -> str | tuple[str, ...]:
        for key in [lane] if isinstance(lane, str) else lane:
            known_lane(key)
        return lane

    @property
    def keys(self) -> tuple[str, ...]:
        """The lanes it acts on."""
        return (self.lane,) if isinstance(self.lane, str) else self.lane

    @property
    def makes(self) -> bool:
        """Whether it makes a lane where there is none."""
        return False

    @property
    def name(self) -> str:
        """What the lane is called."""
        return LANES[self.keys[0]].name if len(self.keys) == 1 else f"{len(self.keys)} lanes"

    def lanes(self, take: Take) -> list[tuple[Part, Lane]]:
        """The lanes it acts on, each with its part. Raises NothingMatched."""
        wanted = self.where.parts
        found = [
            (part, lane_of(part, key))
            for part in take.parts
            if wanted is None or part.id in wanted
            for key in self.keys
            if key in part.lanes or (self.makes and wanted is not None)
        ]
        if not found:
            raise NothingMatched(f"No part that the stroke names has a lane {', '.join(self.keys)}.")
        return found

    @override
    def apply(self, take: Take) -> Take:
        made = take
        matched = False
        for part, lane in self.lanes(take):
            shaped = self.shaped(take, part, lane)
            matched |= shaped is not None
            if shaped is not None and shaped is not lane:
                made = made.with_lanes({part.id: shaped})
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    @property
    def nothing(self) -> str:
        """Why it matches nothing although there are lanes."""
        return f"{self.name} carries nothing in this span."

    def shaped(self, take: Take, part: Part, lane: Lane) -> Lane | None:
        """One lane as the stroke leaves it; the very same where nothing changes, None where there is nothing for it."""
        raise NotImplementedError

    def span_of(self, take: Take, lane: Lane) -> tuple[int, int]:
        """The span it acts on: as given, otherwise all of the lane."""
        ticks = lane.curve.ticks
        return self.where.span or ((int(ticks[0]), int(ticks[-1]) + 1) if len(ticks) else (0, max(take.end, 1)))

    @override
    def reach(self, take: Take) -> Reach:
        lanes = self.lanes(take)
        spans = [self.span_of(take, lane) for _, lane in lanes]
        count = sum(len(lane.curve.within(*span)) for (_, lane), span in zip(lanes, spans, strict=True))
        start, end = min(span[0] for span in spans), max(span[1] for span in spans)
        return Reach(start, end, sorted({part.id for part, _ in lanes}), count)


class SlidingStroke(LaneStroke):
    """A stroke on lanes that slide: a switch is on or off."""

    lane: LaneKeys
    stiff: ClassVar[str] = "there is nothing to smooth"
    """Why a switch is refused."""

    @model_validator(mode="after")
    def _slides(self) -> Self:
        for key in self.keys:
            if LANES[key].switch:
                raise ValueError(f"{LANES[key].name} is on or off; {self.stiff}")
        return self


def lane_of(part: Part, key: str) -> Lane:
    """A lane of a part; one without nodes where it has none."""
    return part.lanes.get(key) or Lane.empty(key)


def bounds(part: Part, key: str) -> tuple[float, float]:
    """The lowest and the highest value of a lane: the bend by the widest range it is given."""
    if key != "bend":
        return 0.0, HIGHEST_VALUE
    widest = float(part.bend_range.semitones.max())
    return -widest, widest


def rest_ticks(take: Take, tick: int) -> int:
    """How many ticks the rest of a held value lasts at least, by the tempo there."""
    return max(int(take.tempo.tick(take.tempo.seconds(tick) + REST_SECONDS) - tick), 1)


def pinned(values: Floats, part: Part, key: str) -> Floats:
    """Values held within a lane's range."""
    return np.clip(values, *bounds(part, key))


def switched(values: Floats) -> Floats:
    """Values as a switch takes them: on from 64."""
    return np.where(values >= SWITCH_ON, HIGHEST_VALUE, 0.0)
