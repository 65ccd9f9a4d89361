"""What a cable has to carry: bytes second by second, where it is busiest, and how coarse ways have to be to fit."""

import numpy as np
from typing_extensions import TypedDict

from expression.memo import worked_out
from expression.midi.write import Way, sent
from expression.take import Take
from expression.views.proof import CABLE, busiest, told

THINNINGS = (0.5, 1.0, 2.0, 4.0, 8.0, 16.0)
"""Steps by which ways may be off, tried one after another."""
MOST_SECONDS = 4_000


class Wire(TypedDict):
    """Of the port that has most to carry. `bytes`: the most within any second that begins in each of as many even
    stretches of the take, each `every` seconds long. `thin`: the least of the steps by which ways have to be off so
    that all fits, with what it comes to then; null where all fits, or nothing helps.
    """

    most: int
    every: float
    bytes: list[int]
    peak: int
    at: int
    thin: float | None
    thinned: int


@worked_out(4)
def wire(take: Take, way: Way | None = None) -> Wire:
    """The load of a take's busiest cable, in the form in which it is sent."""
    formed = sent(take, way)
    ports = sorted({channel.port for channel in formed.channels} or {0})
    said = {port: told(formed, port) for port in ports}
    peak, at, port = max((*busiest(formed, *said[port]), port) for port in ports)
    ticks, sizes = said[port]
    seconds = formed.tempo.seconds(ticks)
    total = np.append(0, np.cumsum(sizes))
    within = total[np.searchsorted(seconds, seconds + 1.0)] - total[:-1]
    lasts = max(float(formed.tempo.seconds(max(formed.end, 1))), 1.0)
    count = min(int(np.ceil(lasts)), MOST_SECONDS)
    every = lasts / count
    most = np.zeros(count, dtype=np.int64)
    np.maximum.at(most, np.minimum((seconds / every).astype(np.int64), count - 1), within)
    thin, thinned = None, peak
    for steps in THINNINGS if peak > CABLE else ():
        thinned = max(busiest(formed, *told(formed, one, steps))[0] for one in ports)
        if thinned <= CABLE:
            thin = steps
            break
    return {
        "most": CABLE,
        "every": round(every, 4),
        "bytes": most.tolist(),
        "peak": peak,
        "at": at,
        "thin": thin,
        "thinned": thinned,
    }
