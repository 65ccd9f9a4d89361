"""How far what is drawn is from what a formula says."""

from collections.abc import Callable
from typing import Any

import numpy as np

from expression.take import Take
from tests.judging.drawn import Drawn
from tests.judging.hearing import EIGHTH

MEASURES: dict[str, Callable[[Any], Any]] = {"mean": np.mean, "min": np.min, "max": np.max}


def compare(take: Take, part: int, key: str, ticks: Any, wanted: Any, allowed: float = 1.0) -> tuple[float, str]:
    """How far a lane is from what a formula wants, as a share of what it may be off."""
    unit = (0.011 if key == "bend" else EIGHTH + 1e-3) * allowed
    drawn = Drawn.of(take, part, key).at(ticks)
    wanted = np.asarray(wanted, dtype=float)
    known = ~np.isnan(wanted)
    if not known.any():
        return 0.0, ""
    off = np.abs(drawn - wanted)[known] / unit
    off[np.isnan(off)] = 999.0
    worst = int(off.argmax())
    tick = np.asarray(ticks)[known][worst]
    return float(off[worst]), (
        f"part {part} {key} is drawn {drawn[known][worst]:.3f} at {tick}, the formula says {wanted[known][worst]:.3f}"
    )


def steepness(values: Any, ticks: Any) -> float:
    """The largest change within a tick: nodes lie on whole ticks, so that a way may be off by as much."""
    known = ~np.isnan(values)
    if known.sum() < 2:
        return 0.0
    return float(np.max(np.abs(np.gradient(np.asarray(values)[known], np.asarray(ticks)[known]))))


def limits(take: Take, part: int, key: str) -> tuple[float, float]:
    if key != "bend":
        # Fine halves go a little higher.
        return 0.0, max([127.0, *Drawn.of(take, part, key).values])
    widest = float(take.parts[part].bend_range.semitones.max())
    return -widest, widest


def drawable(take: Take, part: int, key: str) -> tuple[float, float]:
    """A bend is drawn beyond its range, too."""
    return (-127.0, 127.0) if key == "bend" else limits(take, part, key)


def inside(start: int, end: int, count: int = 97) -> Any:
    return np.unique(np.linspace(start, max(end - 1, start), count).round().astype(int))


def is_switch(take: Take, part: int, key: str) -> bool:
    return key in {f"cc:{n}" for n in range(64, 70)} and set(Drawn.of(take, part, key).values) <= {0.0, 127.0}
