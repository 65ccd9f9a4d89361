"""What gestures of the bend wheel share: each is over the notes that are chosen, and added to what was there.

The wheel moves the whole channel, so that a gesture moves all that sounds there then; notes struck together are one.
"""

from abc import abstractmethod
from collections.abc import Mapping
from typing import Annotated, ClassVar, NamedTuple, Self

import numpy as np
from pydantic import Field
from typing_extensions import override

from expression.arrays import Flags, Floats, Ints, whole
from expression.chords import chord_onsets
from expression.curve import Curve, lift_between
from expression.errors import NothingMatched
from expression.lanes import BEND
from expression.levels import summed
from expression.memo import worked_out
from expression.pitch import NOTE_NAMES
from expression.sounding import died_away
from expression.strokes.base import BaseStroke, Reach, masks_of, select
from expression.strokes.grips import Grip, Time
from expression.strokes.lane import lane_of
from expression.take import Channel, Take

LINE_POINTS = 13
MOST_LINE = 400
MOST_NAMED = 4
NEARLY = 1e-9
Beats = Annotated[float, Field(gt=0, le=1024)]
Interval = Annotated[float, Field(ge=-96, le=96)]
LIFT = Field(0.0, description="-1: fast, then slow; 0: straight; 1: slow, then fast.")
EASE = Field(0.0, description="0: as `lift` forms it; 1: softened at both ends.")


class Line(NamedTuple):
    """The chosen notes of a channel, one after another; notes struck together are one. Ticks."""

    start: Ints
    end: Ints
    """Where each ends, or the next of them begins."""
    ring: Ints
    """How long each keeps what it came to: until the next note of the channel is struck, or it has rung out."""


class Offsets(NamedTuple):
    """What is added to the bend: places (none over another), and the nodes of all of them one after another."""

    starts: Ints
    ends: Ints
    curve: Curve

    @classmethod
    def of(
        cls, places: tuple[Ints, Ints], ticks: list[Ints], values: list[Floats], lift: Floats | float, ease: float
    ) -> "Offsets":
        """From columns of nodes, the same number for each place: ways between them, and the last is held."""
        starts, ends = places
        lasting = ends > starts
        count = len(ticks)
        hold = np.zeros((int(lasting.sum()), count), dtype=bool)
        hold[:, -1] = True
        lifts = np.broadcast_to(np.atleast_1d(lift), hold.shape)
        columns = (np.stack(column, axis=1)[lasting] for column in (ticks, values))
        tick, value = (column.ravel() for column in columns)
        # What has no length is passed over: of several nodes at one tick the last goes on.
        curve = Curve.of(tick, value, hold.ravel(), np.where(hold, 0.0, lifts).ravel(), ease)
        return cls(starts[lasting], ends[lasting], curve)


class First(NamedTuple):
    """The first place of a gesture: the note that it is on, what it adds there, and to what."""

    start: int
    end: int
    own: Curve
    under: Curve

    def base(self, tick: int) -> float:
        """What is there without the gesture, in semitones."""
        return float(np.nan_to_num(self.under.at(tick))) if len(self.under) else 0.0

    def over(self, tick: int) -> float:
        """What the gesture makes of it."""
        return self.base(tick) + float(self.own.at(tick))

    def grip(
        self, field: str, name: str, node: int, number: float, time: Time | None = None, scale: float = 1.0
    ) -> Grip:
        """One at a node, which moves a number of the gesture up and down and another in time."""
        tick = int(self.own.ticks[node])
        value = self.base(tick) + float(self.own.values[node])
        return Grip(field, name, tick, value, number, scale, base=value - number * scale, time=time)

    def form(self, name: str, lift: float, first: int = 0) -> Grip:
        """One in the middle of a way, which forms it."""
        tick = int(self.own.ticks[first] + self.own.ticks[first + 1]) // 2
        return Grip("lift", name, tick, self.over(tick), lift, 0.0)


class BendGesture(BaseStroke):
    """What all gestures share."""

    goes_back: ClassVar[bool] = False
    """Its second way is the first in a mirror."""

    @override
    def apply(self, take: Take) -> Take:
        made = take
        matched = False
        for channel in channels_of(take, select(take, self.where).masks):
            _, offsets = known(self, take, channel)
            if not len(offsets.starts):
                continue
            matched = True
            lane = summed(lane_of(take, channel, BEND), *offsets)
            made = made.with_lane(channel.id, lane)
        if not matched:
            raise NothingMatched(self.nothing)
        return made

    @override
    def also(self, take: Take) -> str:
        masks = masks_of(take, self.where)
        others: list[tuple[int, int]] = []
        for channel in channels_of(take, masks):
            starts, ends, _ = known(self, take, channel).offsets
            for part in take.parts_on(channel):
                notes = part.notes
                place = np.minimum(np.searchsorted(ends, notes.start, side="right"), max(len(ends) - 1, 0))
                meets = (notes.start < ends[place]) & (notes.end > starts[place]) if len(ends) else notes.muted
                meets = meets & ~notes.muted & ~masks.get(part.id, np.zeros(len(notes), dtype=bool))
                meets &= ~self._takes_along(take, part.id)
                others += zip(notes.start[meets].tolist(), notes.pitch[meets].tolist(), strict=True)
        if not others:
            return ""
        others.sort()
        names = ", ".join(dict.fromkeys(NOTE_NAMES[pitch] for _, pitch in others[:MOST_NAMED]))
        more = " …" if len(others) > MOST_NAMED else ""
        count = f"{len(others):,} other notes" if len(others) > 1 else "another note"
        bar = take.meter.position(others[0][0]).bar
        return f"The wheel moves {count} of the channel with these, the first in bar {bar}: {names}{more}."

    def _takes_along(self, take: Take, part: int) -> Flags:
        """Notes that are not chosen, but are meant."""
        return np.zeros(len(take.parts[part].notes), dtype=bool)

    @property
    def nothing(self) -> str:
        """Why it matches nothing although notes are chosen."""
        return "None of the chosen notes is long enough for that."

    def line_of(self, take: Take, channel: Channel) -> Line:
        """The chosen notes of a channel, one after another."""
        parts = take.parts_on(channel)
        masks = masks_of(take, self.where)
        chosen = [part.notes.only(masks[part.id]) for part in parts if part.id in masks]
        id_, start, end = (np.concatenate([getattr(one, name) for one in chosen]) for name in ("id", "start", "end"))
        heads, which = np.unique(chord_onsets(start, take.resolution), return_inverse=True)

        def last(times: Ints) -> Ints:
            found = np.zeros(len(heads), dtype=np.int64)
            np.maximum.at(found, which, times)
            return found

        tails = last(end)
        tails = np.minimum(tails, np.append(heads[1:], tails.max(initial=0)))
        onsets = np.unique(np.concatenate([part.notes.start[~part.notes.muted] for part in parts]))
        return Line(heads, tails, until_struck(tails, last(died_away(take, channel, id_, end)), onsets))

    @override
    def line(self, take: Take) -> list[tuple[int, float]]:
        first = first_place(self, take)
        if first is None:
            return []
        own = first.own.rows(slice(MOST_LINE))
        shares = np.linspace(0, 1, LINE_POINTS)
        gap = np.diff(own.ticks)
        moves = ~own.hold[:-1] & (gap > 0)
        if moves.sum() > MOST_LINE // LINE_POINTS:
            moves &= (own.lift[:-1] != 0) | (own.ease[:-1] != 0)
        on_way = own.ticks[:-1][moves][:, None] + whole(shares * gap[moves][:, None])
        ticks = np.unique(np.concatenate((own.ticks, on_way.ravel())))[:MOST_LINE]
        under = np.nan_to_num(first.under.at(ticks)) if len(first.under) else np.zeros(len(ticks))
        return list(zip(ticks.tolist(), np.round(under + own.at(ticks), 3).tolist(), strict=True))

    @override
    def grips(self, take: Take) -> list[Grip]:
        first = first_place(self, take)
        return self._grips(take, first) if first and len(first.own) > 1 else []

    @abstractmethod
    def _grips(self, take: Take, first: First) -> list[Grip]:
        """Where the first place of the gesture can be taken."""

    @override
    def fitted(self, take: Take, tick: int, value: float) -> Self:
        first = first_place(self, take)
        ease: float | None = getattr(self, "ease", None)
        if first is None or ease is None:
            return self
        own = first.own
        row = min(max(int(np.searchsorted(own.ticks, tick, side="right")) - 1, 0), len(own) - 2)
        here, then = ((int(own.ticks[at]), float(own.values[at])) for at in (row, row + 1))
        lift = lift_between(tick, value - first.base(tick), here, then, ease)
        back = self.goes_back and row > 0
        return self if lift is None else self.model_copy(update={"lift": -lift if back else lift})

    @abstractmethod
    def offsets(self, take: Take, channel: Channel, line: Line) -> Offsets:
        """What is added to the bend."""

    @override
    def reach(self, take: Take) -> Reach:
        picked, masks = select(take, self.where)
        found = [known(self, take, channel).offsets for channel in channels_of(take, masks)]
        places = [one for one in found if len(one.starts)]
        if not places:
            raise NothingMatched(self.nothing)
        start, end = min(int(one.starts[0]) for one in places), max(int(one.ends[-1]) for one in places)
        return Reach(start, end, list(masks), len(picked.id))


def channels_of(take: Take, masks: Mapping[int, Flags]) -> list[Channel]:
    """The channels on which notes of some parts lie."""
    return [channel for channel in take.channels if any(part.id in masks for part in take.parts_on(channel))]


class Known(NamedTuple):
    """What a gesture is on, on a channel, and what it adds there."""

    line: Line
    offsets: Offsets


@worked_out(8)
def known(gesture: BendGesture, take: Take, channel: Channel) -> Known:
    """Asked for to apply a gesture, to mark it, and to say what else it moves."""
    line = gesture.line_of(take, channel)
    return Known(line, gesture.offsets(take, channel, line))


@worked_out(4)
def first_place(gesture: BendGesture, take: Take) -> First | None:
    """The first place of a gesture, by which it is shown and taken; None where it has none."""
    masks = masks_of(take, gesture.where)
    try:
        for channel in channels_of(take, masks):
            line, offsets = known(gesture, take, channel)
            if len(offsets.starts):
                own = offsets.curve.within(int(offsets.starts[0]), int(offsets.ends[0]) + 1)
                row = max(int(np.searchsorted(line.start, own.ticks[0], side="right")) - 1, 0)
                return First(int(line.start[row]), int(line.end[row]), own, lane_of(take, channel, BEND).curve)
    except NothingMatched:
        return None
    return None


def until_struck(ends: Ints, until: Ints, onsets: Ints) -> Ints:
    """What lasts until some time after `ends`, cut short where a note is struck: the wheel is needed for that."""
    following = np.append(onsets, np.iinfo(np.int64).max)[np.searchsorted(onsets, ends)]
    return np.asarray(np.minimum(np.maximum(until, ends), following))


def signed(value: float) -> str:
    """A number with its sign."""
    return f"{value:+g}".replace("-", "−")
