"""What the check-up finds: of faults that are planted in what was played, and where nothing was planted."""

from collections import Counter
from collections.abc import Callable
from pathlib import Path

from bench.played import cases_of
from expression.errors import NothingMatched
from expression.history import applied
from expression.stiff import stiff_spots
from expression.strokes import parse_stroke
from expression.take import Take

Plant = Callable[[Take, int], Take]
BARS = 30


def _stroke(kind: str, **fields: object) -> Plant:
    def planted(take: Take, part: int) -> Take:
        return applied(parse_stroke({"kind": kind, "where": {"parts": [part]}, **fields}), take)

    return planted


def _lane(values: list[tuple[float, float]], hold: bool) -> Plant:
    """A lane through (quarters, values), from the first note of the part on."""

    def planted(take: Take, part: int) -> Take:
        first = int(take.parts[part].notes.start.min())
        nodes = [{"tick": first + round(at * take.resolution), "value": value, "hold": hold} for at, value in values]
        return _stroke("lane.nodes", lane="cc:16", nodes=nodes)(take, part)

    return planted


PLANTS: dict[str, Plant] = {
    "equal velocities": _stroke("velocity.set", value=77),
    "dead on the grid": _stroke("notes.place", grid=16, under=False),
    "stair steps": _lane([(at, 10 + 12 * at) for at in range(8)], hold=True),
    "straight swells": _lane([(2 * at, 20 + 70 * (at % 2)) for at in range(12)], hold=False),
}


def measured(folder: Path) -> None:
    """Print both shares of a folder of performances."""
    found, alarms, bars = Counter[str](), Counter[str](), 0
    tried: Counter[str] = Counter()
    for take, part in cases_of(folder):
        before = [one for one in stiff_spots(take) if one.part == part]
        for one in before:
            alarms[one.reason] += len(one.spans)
        bars += take.meter.position(take.end).bar
        known = {one.reason for one in before}
        for reason, plant in PLANTS.items():
            if reason in known:
                continue
            try:
                made = plant(take, part)
            except NothingMatched:
                continue
            tried[reason] += 1
            found[reason] += any(one.part == part and one.reason == reason for one in stiff_spots(made))
    print(f"\n{bars:,} bars that were played. Told of them, for each {BARS} bars:")
    for reason, count in alarms.most_common():
        print(f"  {reason:24}{BARS * count / max(bars, 1):8.3f}")
    print(f"  {'all':24}{BARS * alarms.total() / max(bars, 1):8.3f}  (fewer than 1)")
    print("Planted in them, and found:")
    for reason, count in tried.items():
        print(f"  {reason:24}{found[reason]:5} of {count} ({found[reason] / count:.0%})")
