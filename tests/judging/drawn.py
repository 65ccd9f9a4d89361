"""What is drawn, by the formula of the design, written out once more."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from expression.take import Take


@dataclass
class Drawn:
    """A curve's nodes, and their meaning by the formula of DESIGN 4, written out once more."""

    ticks: list[int]
    values: list[float]
    hold: list[bool]
    lift: list[float]
    ease: list[float]

    @classmethod
    def of(cls, take: Take, part: int, key: str) -> "Drawn":
        lane = take.parts[part].lanes.get(key)
        if lane is None:
            return cls([], [], [], [], [])
        return cls(*(column.tolist() for column in lane.curve.columns))

    @cached_property
    def _columns(self) -> list[Any]:
        return [np.array(one, dtype=float) for one in (self.ticks, self.values, self.lift, self.ease, self.hold)]

    def at(self, ticks: Any) -> Any:
        """Values at ticks; NaN before the first node."""
        at = np.asarray(ticks, dtype=float)
        if not self.ticks:
            return np.full(at.shape, np.nan)
        tick, value, lift, ease, held = self._columns
        node = np.searchsorted(tick, at, side="right") - 1
        here, after = np.maximum(node, 0), np.minimum(np.maximum(node, 0) + 1, len(tick) - 1)
        width = tick[after] - tick[here]
        u = np.where(width > 0, (at - tick[here]) / np.where(width > 0, width, 1), 0)
        share = np.where((held[here] > 0) | (width <= 0), 0.0, way(np.clip(u, 0, 1), lift[here], ease[here]))
        return np.where(node < 0, np.nan, value[here] + (value[after] - value[here]) * share)


def way(u: Any, lift: Any, ease: Any = 0.0) -> Any:
    """DESIGN 4."""
    u, lift = np.asarray(u, dtype=float), np.asarray(lift, dtype=float)
    bent = np.abs(lift) > 1e-10
    power = np.where(bent, 8 * lift, 1.0)
    s = np.where(bent, np.expm1(power * u) / np.expm1(power), u)
    return (1 - ease) * s + ease * s * s * (3 - 2 * s)
