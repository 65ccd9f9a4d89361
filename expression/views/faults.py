"""What is wrong on the lanes of a take: why, where, and the stroke that mends it."""

from expression.lanes import LANES
from expression.strokes import parse_stroke
from expression.take import Lane, Take
from expression.unplayed import Run, flickers, unheard
from expression.views.bend_faults import BEND_FAULTS
from expression.views.fault import MOST_SPANS, Fault, fault
from expression.views.note_faults import note_faults
from expression.views.pedal_faults import pedal_faults


def faults(take: Take) -> list[Fault]:
    """What nobody played, lane by lane: how often, why it is thought so, where, and the stroke that takes it away.

    And bends that the range in force cannot hold: they are drawn, but not heard.
    """
    found: list[Fault] = []
    for channel in take.channels:
        # Parts that share a channel share its lanes: each is told.
        parts = [part.id for part in take.parts_on(channel)]
        for lane in channel.lanes.values():
            runs = {"flicker": flickers(take, lane), "unheard": unheard(take, channel, lane)}
            for reason, places in runs.items():
                if places:
                    found += [_fault(take, part, lane, reason, places) for part in parts]
        for part in parts:
            for faults in BEND_FAULTS:
                found += faults(take, channel, part)
            found += note_faults(take, channel, part)
            found += pedal_faults(take, channel, part)
    return sorted(found, key=lambda one: one["part"])


def _fault(take: Take, part: int, lane: Lane, reason: str, places: list[Run]) -> Fault:
    ticks = lane.curve.ticks
    events = sum(run.last - run.first + (reason == "flicker") for run in places)
    start, after = int(ticks[places[0].first]), places[-1].last + 1
    # Up to the next node: what the last of them comes to is held until then.
    end = int(ticks[after]) if after < len(ticks) else int(ticks[-1]) + 1
    stroke = parse_stroke(
        {
            "kind": "lane.unplayed",
            "lane": lane.key,
            "where": {"parts": [part], "span": [start, end]},
            "flicker": reason == "flicker",
            "unheard": reason == "unheard",
        }
    )
    spans = [(int(ticks[a]), int(ticks[b]) + 1) for a, b, _ in places[:MOST_SPANS]]
    return fault(part, lane.key, reason, _says(take, lane, reason, places, events), spans, stroke)


def _says(take: Take, lane: Lane, reason: str, places: list[Run], events: int) -> str:
    name, bar = LANES[lane.key].name, take.meter.position(int(lane.curve.ticks[places[0].first])).bar
    where = f"in {len(places)} places, the first in bar {bar}" if len(places) > 1 else f"in bar {bar}"
    if reason == "flicker":
        return f"{name} flickers between neighbouring values {where}: {events} events that no hand makes."
    return f"{name} moves while nothing sounds {where}: {events} events that nobody hears."
