"""Setting the bend range: what is said, when, and what was recorded of it that is not said any longer.

MIDI 1.0, Registered Parameter Numbers: selection (101, 100), data entry (6, 38), and the null parameter, so that no
data entry that follows is mistaken for another range.
"""

from dataclasses import replace
from typing import NamedTuple

import numpy as np

from expression.arrays import Flags, Ints, among, contained, frozen
from expression.cable import BendRange, Statement
from expression.lanes import (
    BEND,
    DATA_LSB,
    DATA_MSB,
    NRPN_LSB,
    NRPN_MSB,
    PARAMETERS,
    RESET,
    RPN_LSB,
    RPN_MSB,
)
from expression.limits import LAST_TICK
from expression.midi.encoding import lane_events
from expression.midi.order import rows_on
from expression.midi.rpn import DEFAULT_SEMITONES, NOTHING
from expression.status import CONTROL
from expression.take import Channel, Take

RANGE = (0, 0)


def range_controls(semitones: float) -> list[tuple[int, int]]:
    """A bend range said in full: controllers and values, in their order."""
    cents = round(semitones * 100)
    return [
        (RPN_MSB, RANGE[0]), (RPN_LSB, RANGE[1]), (DATA_MSB, cents // 100), (DATA_LSB, cents % 100),
        (RPN_MSB, NOTHING[0]), (RPN_LSB, NOTHING[1]),
    ]  # fmt: skip


class _Parameters(NamedTuple):
    """The parameter messages of a channel in the order of telling."""

    rows: Ints
    about_range: Flags
    """Which of them choose, set or let go of the bend range; or set what nothing was chosen for."""
    astray: Flags
    """Which of them are data entries for which nothing is chosen."""
    chosen: list[tuple[int, int, int, int]]
    """After each: the two messages that choose the parameter (controller, value, controller, value)."""


def _parameters(take: Take, channel: Channel) -> _Parameters:
    rows = take.rows
    mine = rows_on(take, channel)
    mine = mine[((rows.status[mine] & 0xF0) == CONTROL) & among(rows.data1[mine], (*PARAMETERS, RESET))]
    mine = mine[np.argsort(rows.rank[mine])]
    about, astray = np.zeros((2, len(mine)), dtype=bool)
    chosen = (RPN_MSB, NOTHING[0], RPN_LSB, NOTHING[1])
    after: list[tuple[int, int, int, int]] = []
    choosing: list[int] = []
    was_range = False
    for at, (number, value) in enumerate(zip(rows.data1[mine].tolist(), rows.data2[mine].tolist(), strict=True)):
        pair = (NRPN_MSB, NRPN_LSB) if number in (NRPN_MSB, NRPN_LSB) else (RPN_MSB, RPN_LSB)
        if number == RESET:
            chosen, choosing, was_range = (RPN_MSB, NOTHING[0], RPN_LSB, NOTHING[1]), [], False
        elif number in (NRPN_MSB, NRPN_LSB, RPN_MSB, RPN_LSB):
            first, _, second, _ = chosen
            msb, lsb = (chosen[1], chosen[3]) if (first, second) == pair else NOTHING
            msb, lsb = (value, lsb) if number == pair[0] else (msb, value)
            chosen = (pair[0], msb, pair[1], lsb)
            choosing.append(at)
            if was_range and chosen == (RPN_MSB, NOTHING[0], RPN_LSB, NOTHING[1]):
                about[choosing] = True
                choosing, was_range = [], False
        else:
            was_range = chosen == (RPN_MSB, RANGE[0], RPN_LSB, RANGE[1])
            about[[*choosing, at]] = was_range
            choosing = []
            if chosen == (RPN_MSB, NOTHING[0], RPN_LSB, NOTHING[1]):
                about[at] = astray[at] = True
        after.append(chosen)
    return _Parameters(mine, about, astray, after)


def astray(take: Take, channel: Channel) -> list[tuple[int, int]]:
    """Ranges that nothing was chosen for, (tick, semitones): instruments pass over them."""
    parameters = _parameters(take, channel)
    rows = parameters.rows[parameters.astray]
    rows = rows[(take.rows.data1[rows] == DATA_MSB) & ~np.isin(rows, channel.dropped_rows)]
    return list(zip(take.rows.tick[rows].tolist(), take.rows.data2[rows].tolist(), strict=True))


def with_range(before: Channel, made: Channel) -> Channel:
    """A channel that has got another range: what it sends of the wheel says the same pitch with it."""
    lane = made.lanes.get(BEND)
    if lane is None:
        return made
    other = np.asarray(before.bend_range.at(lane.curve.ticks) != made.bend_range.at(lane.curve.ticks))
    lane = lane.sent_anew(other, made.dropped_rows)
    return replace(made, lanes={**made.lanes, BEND: lane}, changed_lanes=made.changed_lanes | {BEND})


def restated(
    take: Take, channel: Channel, span: tuple[int, int] | None, semitones: float, gap: float, travels: bool
) -> Channel:
    """The channel with another bend range from the start of a span to its end, or throughout.

    `gap` is the least time between two messages, in seconds; the pitch stays, or changes with the range (`travels`):
    then the change is exact. Lanes are left as they are drawn: the steps of the range are known to the tick, so that
    encoding says the same pitch with them.
    """
    start, end = span or (0, None)
    parameters, sent = _parameters(take, channel), _sent(take, channel)
    rows, finish = take.rows, LAST_TICK if end is None else end
    at = rows.tick[parameters.rows]
    stays = ~parameters.about_range | (at < start) | (at >= finish)
    # One that was set for the same bends gives way; others keep their places, and no two come between each other.
    gives_way = [one for one in channel.statements if start <= one.at < finish or _idle(one, sent, start)]
    kept = [one for one in channel.statements if one not in gives_way]
    since = max((one.ticks[-1] for one in kept if one.at < start), default=-1)
    later = [one for one in kept if one.at >= finish]
    until = min((one.at for one in later), default=LAST_TICK)
    writer = _Writer(take, channel, parameters, stays, sent, gap, travels)
    # System On puts the range back: after each it has to be said again; before one, only for bends that come sooner.
    system = channel.at_system_on(rows)
    made: list[Statement] = []
    begins, last = start, since
    if not _any_between(system, start, _first_from(sent, start)):
        made.append(writer.statement(start, semitones, since, min(until, finish)))
        begins, last = min(start, made[0].ticks[0]), made[0].ticks[-1]
    again = [tick for tick in system.tolist() if begins <= tick < finish]
    for tick in again:
        if made and tick <= made[-1].ticks[0]:
            continue
        # What is bent at its very tick needs it there, behind the reset.
        then = tick if contained(np.array([tick]), sent)[0] else tick + 1
        made.append(writer.statement(then, semitones, max(tick - (then == tick), last), min(until, finish)))
        last = made[-1].ticks[-1]
    # What was recorded of the range behind the span stays: it is said before that, or there need nothing be said.
    following = rows.tick[channel.ranges][rows.tick[channel.ranges] >= finish]
    if finish <= take.end and not (following == finish).any():
        until = min([until, *following.tolist()])
        made.append(writer.statement(finish, float(channel.bend_range.at(finish)), last, until))
        finish, last = max(finish, made[-1].ticks[0]), made[-1].ticks[-1]
    # What was set for later, and would have begun before all this was said, begins behind it.
    pressed = [one for one in later if one.ticks[0] <= last]
    for one, after in zip(pressed, [*later[1:], None], strict=False):
        made.append(writer.statement(one.at, one.semitones, last, after.at if after else LAST_TICK))
        last = made[-1].ticks[-1]
    gives_way += pressed
    kept = [one for one in kept if one not in pressed]
    known = _known_outside(channel, (begins, finish), gives_way) | dict.fromkeys(again, DEFAULT_SEMITONES)
    gone = parameters.rows[parameters.about_range & (at >= begins) & (at < finish)]
    return replace(
        channel,
        bend_range=_ranges_of(known, [*kept, *made]),
        ranges=frozen(channel.ranges[~np.isin(channel.ranges, gone)], np.int64),
        changed_lanes=channel.changed_lanes | {BEND},
        statements=tuple(sorted([*kept, *made], key=lambda one: one.ticks[0])),
        dropped_rows=frozen(np.union1d(channel.dropped_rows, gone), np.int64),
    )


def _known_outside(channel: Channel, span: tuple[int, int], dropped: list[Statement]) -> dict[int, float]:
    """The ranges by their ticks that hold before and after a span, without what was said by those that are dropped."""
    (begins, finish), old = span, channel.bend_range
    known = {0: float(old.semitones[0]) if begins > 0 else DEFAULT_SEMITONES}
    gone = {tick for one in dropped for tick in one.ticks}
    for tick, value in zip(old.ticks.tolist(), old.semitones.tolist(), strict=True):
        if (tick < begins or tick >= finish) and tick not in gone:
            known[tick] = value
    return known


def relaid(take: Take, channel: Channel) -> Channel:
    """The same ranges, said where the bends leave room for them now: these have changed since."""
    parameters = _parameters(take, channel)
    stays = ~np.isin(parameters.rows, channel.dropped_rows)
    # Bends that are only said again because a range was are no reason to say that elsewhere.
    sent = _sent(take, replace(channel, statements=()))
    following = take.rows.tick[channel.ranges]
    made: list[Statement] = []
    for one, then in zip(channel.statements, [*channel.statements[1:], None], strict=True):
        since = max(one.since, made[-1].ticks[-1] if made else -1)
        until = min([*following[following > one.at].tolist(), then.at if then else LAST_TICK])
        writer = _Writer(take, channel, parameters, stays, sent, one.gap, False)
        made.append(writer.statement(one.at, one.semitones, since, until))
    if [one.ticks for one in made] == [one.ticks for one in channel.statements]:
        return channel
    old = channel.bend_range
    moved = {tick for one in channel.statements for tick, _ in _steps(one)}
    known = {0: DEFAULT_SEMITONES}
    known |= {t: v for t, v in zip(old.ticks.tolist(), old.semitones.tolist(), strict=True) if t not in moved}
    return replace(channel, bend_range=_ranges_of(known, made), statements=tuple(made))


def _sent(take: Take, channel: Channel) -> Ints:
    """Ticks at which the wheel is sent."""
    wheel = channel.lanes.get(BEND)
    if wheel is None:
        return frozen([], np.int64)
    ticks, values = lane_events(take, channel, wheel, 0, max(take.end, 1) + 1)
    # What a reset puts back to the centre is nothing that is sent, and means the same under any range.
    put_back = np.sort(wheel.curve.ticks[channel.implied(wheel)])
    return np.asarray(ticks[(values != 0) | ~contained(ticks, put_back)])


def _ranges_of(known: dict[int, float], statements: list[Statement]) -> BendRange:
    """The range over time: steps that are known, and what is said."""
    known = known | {tick: value for one in statements for tick, value in _steps(one)}
    ticks = sorted(known)
    changes = [tick for row, tick in enumerate(ticks) if not row or known[tick] != known[ticks[row - 1]]]
    return BendRange(frozen(changes, np.int64), frozen([known[tick] for tick in changes], np.float64))


def by_hand(take: Take, channel: Channel, semitones: float) -> Channel:
    """The channel with one range throughout, of which nothing is said."""
    parameters = _parameters(take, channel)
    said = parameters.rows[parameters.about_range]
    return replace(
        channel,
        bend_range=BendRange(frozen([0], np.int64), frozen([semitones], np.float64)),
        ranges=frozen(np.setdiff1d(channel.ranges, said), np.int64),
        changed_lanes=channel.changed_lanes | {BEND},
        statements=(),
        dropped_rows=frozen(np.union1d(channel.dropped_rows, said), np.int64),
    )


def _any_between(ticks: Ints, first: int, last: int) -> bool:
    """Whether any of some ticks lies from one to before another."""
    return bool(((ticks >= first) & (ticks < last)).any())


def _first_from(ticks: Ints, first: int) -> int:
    """The first of ascending ticks from one on; never: beyond all."""
    row = int(np.searchsorted(ticks, first))
    return int(ticks[row]) if row < len(ticks) else LAST_TICK


def _idle(statement: Statement, sent: Ints, start: int) -> bool:
    """Whether a statement was made for bends from a tick on alone: none is sent between its data and that."""
    entry = statement.ticks[2]
    first, after = np.searchsorted(sent, [entry, start])
    return bool(entry < start and first == after)


def _steps(statement: Statement) -> list[tuple[int, float]]:
    """What the range is from each data entry on: a coarse one sets the cents to 0."""
    found: dict[int, float] = {}
    semitones = 0
    for tick, (number, value) in zip(statement.ticks, statement.controls, strict=True):
        if number == DATA_MSB:
            semitones = value
            found[tick] = float(value)
        elif number == DATA_LSB:
            found[tick] = semitones + value / 100
    return list(found.items())


class _Writer(NamedTuple):
    """Says ranges where the music leaves room for it."""

    take: Take
    channel: Channel
    parameters: _Parameters
    stays: Flags
    """Which of them are sent still."""
    sent: Ints
    """Ticks at which the wheel is sent."""
    gap: float
    travels: bool
    """The pitch changes with the range."""

    def statement(self, at: int, semitones: float, since: int, until: int) -> Statement:
        """A range that is in force for the first bend at `at` or later, and not before the last that comes earlier.

        It is said after the tick `since`, and has been said before `until`.
        """
        tempo = self.take.tempo
        controls = range_controls(semitones)
        count = len(controls)
        row = int(np.searchsorted(self.sent, at))
        before = int(self.sent[row - 1]) if row else -1
        after = min(int(self.sent[row]) if row < len(self.sent) else LAST_TICK, until - 1)
        rows = self.take.rows
        resets = rows.tick[self.channel.resets]
        before = max([before, since, *resets[resets < at].tolist()[-1:]])
        moment = float(tempo.seconds(at))
        earliest = 0.0 if before < 0 else float(tempo.seconds(before)) + self.gap
        ticks = self._apart(max(moment - count * self.gap, earliest), count)
        is_crowded = (
            after < LAST_TICK and float(tempo.seconds(ticks[-1])) > float(tempo.seconds(after)) - self.gap + 1e-9
        )
        if is_crowded:
            low = before + 1
            ticks = [low + (max(after - 1, low) - low) * step // (count - 1) for step in range(count)]
            ticks = [min(tick, max(after, low)) for tick in ticks]
        wheel = self.channel.lanes.get(BEND)
        held = abs(float(np.nan_to_num(wheel.curve.at(at - 1)))) if wheel else 0.0
        if held > (0.0 if self.travels else semitones):
            # The wheel is out, and another range would be heard at once: it is changed at the very moment.
            choosing = self._apart(max(moment - 3 * self.gap, earliest), 2)
            letting_go = self._apart(moment + self.gap, 2)
            change = max(at, since + 1)
            ticks = [*(min(tick, change) for tick in choosing), change, change]
            ticks += [max(min(tick, until - 1), change) for tick in letting_go]
        ticks, is_crowded = self._undisturbed(ticks, is_crowded, after)
        if semitones % 1 and self._furthest(ticks[2], ticks[3]) > semitones // 1:
            # Between the semitones and the cents the range would not hold what is drawn.
            ticks[2] = ticks[3]
        controls += self._chosen_again(ticks[-1])
        ticks += [ticks[-1]] * (len(controls) - count)
        return Statement(tuple(ticks), tuple(controls), is_crowded, at, semitones, since, self.gap)

    def _furthest(self, start: int, end: int) -> float:
        """How far the wheel is out between two ticks, in semitones."""
        wheel = self.channel.lanes.get(BEND)
        if wheel is None or not len(wheel.curve):
            return 0.0
        values = np.append(wheel.curve.within(start, end).values, wheel.curve.at([start, end - 1]))
        return float(np.abs(np.nan_to_num(values)).max())

    def _apart(self, start: float, count: int) -> list[int]:
        """Ticks from a moment on (seconds), a gap apart at least."""
        tempo = self.take.tempo
        ticks = [int(np.ceil(float(tempo.tick(start)) - 1e-6))]
        while len(ticks) < count:
            ticks.append(int(np.ceil(float(tempo.tick(float(tempo.seconds(ticks[-1])) + self.gap)) - 1e-6)))
        return ticks

    def _undisturbed(self, ticks: list[int], is_crowded: bool, after: int) -> tuple[list[int], bool]:
        """The same, where another parameter is chosen or set between them or the choice is reset: behind that, or where
        there is no room, all at once.
        """
        rows = self.take.rows
        others = np.unique(rows.tick[self.parameters.rows[self.stays]])
        between = others[(others >= ticks[0]) & (others <= ticks[-1])]
        if not len(between):
            return ticks, is_crowded
        tempo = self.take.tempo
        behind = self._apart(float(tempo.seconds(between[-1])) + self.gap, len(ticks))
        is_free = not ((others >= behind[0]) & (others <= behind[-1])).any()
        if is_free and float(tempo.seconds(behind[-1])) <= float(tempo.seconds(after)) - self.gap + 1e-9:
            return behind, False
        tick = int(between[-1]) + 1
        while tick < after and contained(np.array([tick]), others)[0]:
            tick += 1
        return [min(tick, max(after, ticks[0]))] * len(ticks), True

    def _chosen_again(self, tick: int) -> list[tuple[int, int]]:
        """What has to be chosen again, where data entries follow that rely on another choice from before."""
        rows = self.take.rows
        others = np.flatnonzero(self.stays)
        following = others[rows.tick[self.parameters.rows[others]] > tick]
        earlier = others[rows.tick[self.parameters.rows[others]] <= tick]
        if not len(following) or not len(earlier):
            return []
        number = int(rows.data1[self.parameters.rows[following[0]]])
        first, msb, second, lsb = self.parameters.chosen[earlier[-1]]
        if number in (RPN_MSB, RPN_LSB, NRPN_MSB, NRPN_LSB, RESET) or (msb, lsb) == NOTHING:
            return []
        return [(first, msb), (second, lsb)]
