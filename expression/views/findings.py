"""What is wrong on the lanes of a take: why, where, and the stroke that mends it."""

import numpy as np
from typing_extensions import TypedDict

from expression.lanes import BEND, LANES
from expression.strokes import Stroke, parse_stroke
from expression.take import Channel, Lane, Take
from expression.unplayed import Run, flickers, unheard

MOST_SPANS = 500


class Unplayed(TypedDict):
    """What is wrong on a lane: why, where (spans of ticks), and the stroke that mends it, if one does."""

    part: int
    lane: str
    reason: str
    says: str
    spans: list[tuple[int, int]]
    stroke: Stroke | None


def findings(take: Take) -> list[Unplayed]:
    """What nobody played, lane by lane: how often, why it is thought so, where, and the stroke that takes it away.

    And bends that the range in force cannot hold: they are drawn, but not heard.
    """
    found: list[Unplayed] = []
    for channel in take.channels:
        # Parts that share a channel share its lanes: each is told.
        parts = [part.id for part in take.parts_on(channel)]
        for lane in channel.lanes.values():
            runs = {"flicker": flickers(take, lane), "unheard": unheard(take, channel, lane)}
            for reason, places in runs.items():
                if places:
                    found += [_finding(take, part, lane, reason, places) for part in parts]
        found += [one for part in parts for one in _beyond(take, channel, part)]
    return sorted(found, key=lambda one: one["part"])


def _finding(take: Take, part: int, lane: Lane, reason: str, places: list[Run]) -> Unplayed:
    ticks = lane.curve.ticks
    events = sum(run.last - run.first + (reason == "flicker") for run in places)
    start, after = int(ticks[places[0].first]), places[-1].last + 1
    # Up to the next node: what the last of them comes to is held until then.
    end = int(ticks[after]) if after < len(ticks) else int(ticks[-1]) + 1
    return {
        "part": part,
        "lane": lane.key,
        "reason": reason,
        "says": _says(take, lane, reason, places, events),
        "spans": [(int(ticks[a]), int(ticks[b]) + 1) for a, b, _ in places[:MOST_SPANS]],
        "stroke": parse_stroke(
            {
                "kind": "lane.unplayed",
                "lane": lane.key,
                "where": {"parts": [part], "span": [start, end]},
                "flicker": reason == "flicker",
                "unheard": reason == "unheard",
            }
        ),
    }


def _beyond(take: Take, channel: Channel, part: int) -> list[Unplayed]:
    """Where the bend is drawn further than the range in force reaches; nothing mends that but another range."""
    if BEND not in channel.lanes:
        return []
    curve, ranges = channel.lanes[BEND].curve, channel.bend_range
    ticks = np.union1d(curve.ticks, ranges.ticks[ranges.ticks >= curve.ticks[0]])
    drawn = curve.at(ticks)
    # The wheel reaches the full range downwards, and upwards all but one of its 8,192 steps.
    over = np.flatnonzero(np.abs(drawn) > ranges.at(ticks) * (1 + 1e-9))
    if not len(over):
        return []
    worst = over[np.argmax(np.abs(drawn[over]) - ranges.at(ticks[over]))]
    bar = take.meter.position(int(ticks[worst])).bar
    says = (
        f"Pitch bend is drawn {abs(drawn[worst]):.2f} semitones away in bar {bar}, but the range in force there is "
        f"{ranges.at(ticks[worst]):g}: no more than that is heard."
    )
    ends = np.append(ticks[1:], ticks[-1] + 1)[over]
    spans = [(int(a), int(b)) for a, b in zip(ticks[over], ends, strict=True)]
    return [{"part": part, "lane": BEND, "reason": "beyond", "says": says, "spans": spans[:MOST_SPANS], "stroke": None}]


def _says(take: Take, lane: Lane, reason: str, places: list[Run], events: int) -> str:
    name, bar = LANES[lane.key].name, take.meter.position(int(lane.curve.ticks[places[0].first])).bar
    where = f"in {len(places)} places, the first in bar {bar}" if len(places) > 1 else f"in bar {bar}"
    if reason == "flicker":
        return f"{name} flickers between neighbouring values {where}: {events} events that no hand makes."
    return f"{name} moves while nothing sounds {where}: {events} events that nobody hears."
