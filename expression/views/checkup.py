"""What an experienced player would say of a take: what is broken on its lanes, and what reads as programmed."""

from typing import Literal

from typing_extensions import TypedDict

from expression.memo import worked_out
from expression.stiff import stiff_spots
from expression.strokes import Stroke
from expression.take import Take
from expression.views.fault import MOST_SPANS
from expression.views.faults import faults
from expression.views.unsent import too_dense


class SpotMend(TypedDict):
    """A stroke that mends a spot, and what it does in words."""

    words: str
    stroke: Stroke


class SpotView(TypedDict):
    """One thing: broken or stiff, why, on which part and lane, in words, where (ticks), and what mends it."""

    kind: Literal["broken", "stiff"]
    reason: str
    part: int
    lane: str
    says: str
    spans: list[tuple[int, int]]
    mends: list[SpotMend]


@worked_out(1)
def checkup(take: Take) -> list[SpotView]:
    """All of it, part by part: first what is broken, then what reads as programmed, as soon as it is heard."""
    found: list[SpotView] = [
        {
            "kind": "broken",
            "reason": one["reason"],
            "part": one["part"],
            "lane": one["lane"],
            "says": one["says"],
            "spans": one["spans"],
            "mends": [{"words": one["mend"], "stroke": one["stroke"]}] if one["stroke"] else [],
        }
        for one in (*faults(take), *too_dense(take))
    ]
    found += [
        {
            "kind": "stiff",
            "reason": one.reason,
            "part": one.part,
            "lane": one.lane,
            "says": one.says,
            "spans": list(one.spans[:MOST_SPANS]),
            "mends": [{"words": mend.spec.name, "stroke": mend} for mend in one.mends],
        }
        for one in stiff_spots(take)
    ]
    return sorted(found, key=lambda one: one["part"])
