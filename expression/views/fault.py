"""One thing that is wrong on a lane, as the desk tells it."""

from collections.abc import Sequence

from typing_extensions import TypedDict

from expression.strokes import AnyStroke, Stroke

MOST_SPANS = 500


class Fault(TypedDict):
    """What is wrong on a lane: why, where (spans of ticks), and the stroke that mends it, if one does; with words."""

    part: int
    lane: str
    reason: str
    says: str
    spans: list[tuple[int, int]]
    stroke: Stroke | None
    mend: str


def fault(
    part: int, lane: str, reason: str, says: str, spans: Sequence[tuple[int, int]], stroke: AnyStroke | None = None
) -> Fault:
    """One thing that is wrong, with as many of its places as are shown."""
    mend = stroke.mends() if stroke else ""
    shown = list(spans[:MOST_SPANS])
    return {"part": part, "lane": lane, "reason": reason, "says": says, "spans": shown, "stroke": stroke, "mend": mend}
