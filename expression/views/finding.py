"""One thing that is wrong on a lane, as the desk tells it."""

from typing_extensions import TypedDict

from expression.strokes import Stroke

MOST_SPANS = 500


class Unplayed(TypedDict):
    """What is wrong on a lane: why, where (spans of ticks), and the stroke that mends it, if one does."""

    part: int
    lane: str
    reason: str
    says: str
    spans: list[tuple[int, int]]
    stroke: Stroke | None
