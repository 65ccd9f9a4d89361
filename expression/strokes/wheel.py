"""What strokes on whole channels of the bend wheel share."""

from typing_extensions import override

from expression.errors import NothingMatched
from expression.lanes import BEND
from expression.strokes.base import BaseStroke, Reach
from expression.take import Channel, Take


class WheelStroke(BaseStroke):
    """A stroke on the wheels of the parts that it names (of all, where it names none)."""

    def channels(self, take: Take) -> list[Channel]:
        """The channels of these parts, each once. Raises NothingMatched."""
        found = self._named(take)
        if not found:
            raise NothingMatched(f"There is no such part; this take has parts 0 to {len(take.parts) - 1}.", "where")
        return found

    def bent(self, take: Take) -> list[Channel]:
        """Those on which the wheel is moved. Raises NothingMatched."""
        found = [channel for channel in self._named(take) if BEND in channel.lanes]
        if not found:
            raise NothingMatched("No part that the stroke names has a bend.")
        return found

    def _named(self, take: Take) -> list[Channel]:
        wanted = self.where.parts
        found = {part.channel.id: part.channel for part in take.parts if wanted is None or part.id in wanted}
        return list(found.values())


class StandingStroke(WheelStroke):
    """A stroke that says once how the channels of the parts that it names are sent, and holds throughout."""

    stands = True

    @override
    def reach(self, take: Take) -> Reach:
        return throughout(take, self.channels(take))


def throughout(take: Take, channels: list[Channel], span: tuple[int, int] | None = None) -> Reach:
    """Where a stroke acts that is on all of some channels, or on all of a span of them."""
    return Reach(*(span or (0, max(take.end, 1))), heard_by(take, channels), len(channels))


def heard_by(take: Take, channels: list[Channel]) -> list[int]:
    """The parts that are on any of some channels."""
    named = {channel.id for channel in channels}
    return [part.id for part in take.parts if part.channel.id in named]
