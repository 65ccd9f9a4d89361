"""What a receiver makes of exported bytes, beside what is drawn."""

from collections import defaultdict
from collections.abc import Iterator
from typing import Any

import numpy as np

from expression.levels import is_zoned
from expression.midi.write import write
from expression.receiver import Channel, Heard, receive
from expression.take import Take
from tests.judging.drawn import Drawn

HALF_A_STEP, THREE_CENTS = 0.5, 0.03


SLACK = 1e-6


EIGHTH = 0.125
"""What straight ways may be off that stand for a curve; a bend's may be off by a cent."""


STEP_SECONDS = 0.005
"""A bend has no such excuse: it is never further off than its 3 cents, unless a thinner stream is asked for."""


class Hearing:
    """A take, and what a receiver hears of it."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.data = write(take)
        self.heard: Heard = receive(self.data)
        self.scale = take.resolution / self.heard.division

    def channel(self, part: int) -> Channel:
        """The receiver's channel of a part."""
        where = self.take.parts[part].channel
        zone = where.sending.zone
        if is_zoned(self.take, where):
            # It may have had to go to another port: to the first on which it shares no channel with others.
            ports = sorted({port for port, _ in self.heard.managers})
            lines = [(port, zone.manager) for port in ports if port >= where.port]
            return next((self.heard.channels[line] for line in lines if line in self.heard.channels), Channel())
        return self.heard.channels[where.port, where.number]

    def shares(self, part: int, key: str) -> bool:
        """Whether notes move a lane of their channel as well, so that it says more than is drawn of it."""
        channel = self.take.parts[part].channel
        kinds = {"bend": "note:pitch", "pressure": "note:pressure", "cc:74": "note:timbre", "cc:10": "note:pan"}
        own = any(kinds.get(key, f"note:{key}") in other.curves for other in self.take.parts_on(channel))
        zones = [one for one in self.take.channels if is_zoned(self.take, one)]
        return (own and channel not in zones) or (channel in zones and len(zones) > 1)

    def off_notes(self) -> Iterator[tuple[float, str]]:
        """How far the pitch of each note with a curve is heard from what is drawn, in units of 6 cents."""
        sounding = defaultdict(list)
        for note in self.heard.notes:
            sounding[round(note.start * self.scale), note.pitch, note.velocity].append(note)
        for part in self.take.parts:
            zoned = is_zoned(self.take, part.channel)
            curves = part.curves.get("note:pitch")
            if curves is None or part.channel.paces or not part.channel.instrument.is_told:
                continue
            for row in range(len(part.notes)):
                notes = part.notes
                key = (int(notes.start[row]), int(notes.pitch[row]), int(notes.velocity[row]))
                if notes.muted[row] or len(sounding[key]) != 1:
                    continue
                note = sounding[key][0]
                # Of notes that sound at a time on one channel none is by itself.
                here = [one for one in self.heard.notes if (one.port, one.channel) == (note.port, note.channel)]
                if any(one is not note and one.start < note.key_up and one.key_up > note.start for one in here):
                    continue
                # So soon after another it is one chord with that, for a channel that can say but one thing.
                chord = self.take.resolution / 16 / self.scale
                if not zoned and any(one is not note and abs(one.start - note.start) <= chord for one in here):
                    continue
                own = Drawn(*(column.tolist() for column in curves.curve(int(notes.id[row])).columns))
                ticks = np.arange(key[0], int(notes.end[row]), max((int(notes.end[row]) - key[0]) // 400, 1))
                wanted = np.nan_to_num(own.at(ticks - key[0]))
                lane = np.nan_to_num(Drawn.of(self.take, part.id, "bend").at(ticks))
                force = self.channel(part.id).bend_range.at(ticks / self.scale)
                if zoned:
                    # A zone bends as far as its notes say.
                    wanted = wanted + np.clip(lane, -force, force)
                else:
                    wanted = np.clip(wanted + lane, -force, force)
                off = np.abs(self.heard.bend_of(note, ticks / self.scale) - wanted)
                # Where it goes by more than a key in some ticks, these decide.
                steep = np.abs(np.gradient(wanted, ticks)) if len(ticks) > 1 else 0.0
                off -= np.where(force > 24, force / 16384, 0.0) + 0.001 + 0.1 * np.where(steep > 0.1, steep, 0.0)
                if len(off):
                    at = int(off.argmax())
                    said = f"note {int(notes.id[row])} is heard {off[at]:.3f} semitones off at {ticks[at]}"
                    yield float(off[at]) / (THREE_CENTS / HALF_A_STEP), said

    def value(self, part: int, key: str, ticks: Any) -> Any:
        """What the receiver has in force, at ticks of the take."""
        channel, at = self.channel(part), np.asarray(ticks) / self.scale
        if key == "bend" and not self.take.parts[part].channel.instrument.is_told:
            # Its range is set by hand, to the one that the page names.
            return channel.wheel.at(at) / 8192 * self.take.parts[part].channel.bend_range.semitones[0]
        return _steps(channel, key).at(at)

    def moments(self, part: int, key: str) -> list[int]:
        """Ticks of the take at which the receiver was told something."""
        return [round(tick * self.scale) for tick in _steps(self.channel(part), key).ticks.tolist()]

    def off_drawn(self, part: int, key: str) -> tuple[float, int]:
        """How far what is heard is from what is drawn, in steps, beyond what a time step forbids; and where."""
        drawn = Drawn.of(self.take, part, key)
        unit = THREE_CENTS / HALF_A_STEP if key == "bend" else 1.0
        excuse = 0.0 if key == "bend" else STEP_SECONDS
        if asked := self.take.parts[part].channel.paces.get(key):
            unit, excuse = (asked.worst / HALF_A_STEP, 0.0) if asked.worst < 100 else (unit, asked.seconds)
        edges = {tick + off for tick in (*drawn.ticks, *self.moments(part, key)) for off in (-1, 0, 1)}
        edges |= {round(tick) for tick in np.linspace(drawn.ticks[0], self.take.end + 1, 60)}
        ticks = np.array(sorted(tick for tick in edges if tick >= drawn.ticks[0]))
        heard, wanted = self.value(part, key, ticks), drawn.at(ticks)
        low: Any = 0.0
        slack: Any = 0.0
        high: Any = 127.0
        if key.startswith("cc:") and int(key[3:]) + 32 in self.channel(part).controllers:
            high += 127 / 128
        if key == "bend":
            is_told = self.take.parts[part].channel.instrument.is_told
            ranges = self.channel(part).bend_range.at(ticks / self.scale)
            high = ranges if is_told else 0 * ranges + self.take.parts[part].channel.bend_range.semitones[0]
            low = -high
            # The promise is for ranges up to 24; of a wider one a step is more.
            slack = np.where(high > 24, high / 16384, 0.0)
        wanted = np.clip(wanted, low, high)
        off = np.maximum(np.abs(heard - wanted) - slack, 0.0) / unit
        off[np.isnan(heard)] = 999.0
        # A value with a fine half is rounded to 1/128 of a step.
        off = np.maximum(off - 1 / 256, 0) if not np.isscalar(high) or high != 127 else off
        for row in np.flatnonzero(off > HALF_A_STEP + SLACK).tolist():
            # Within a time step before this moment the drawing was there: no event could come sooner.
            if not excuse:
                continue
            tick = int(ticks[row])
            back = self.earlier(tick, excuse)
            near = np.clip(drawn.at(np.arange(max(back, drawn.ticks[0]), tick + 1)),
                           low if np.isscalar(low) else low[row], high if np.isscalar(high) else high[row])  # fmt: skip
            outside = max(float(np.nanmin(near)) - heard[row], heard[row] - float(np.nanmax(near)), 0.0)
            off[row] = min(off[row], outside / unit)
        worst = int(np.argmax(off))
        return float(off[worst]), int(ticks[worst])

    def earlier(self, tick: int, seconds: float) -> int:
        """The tick before another by as much as two events may be apart that come as often as the time step allows.

        That is less than two steps, each longer by a tick, since ticks are whole.
        """
        now = self.heard.seconds(tick / self.scale)
        back = tick
        while back > 0 and now - self.heard.seconds(back / self.scale) < seconds * 2:
            back -= 1
        return back - 2

    def differing(
        self, other: "Hearing", spans: dict[int, list[tuple[float, float]]] | None
    ) -> Iterator[tuple[float, str]]:
        """What is heard otherwise than in another hearing, outside the spans (by part) in which it may be."""
        if spans is None:
            return
        for part in self.take.parts:
            allowed = spans.get(part.id, [])
            for key in sorted({*part.lanes, *other.take.parts[part.id].lanes}):
                moments = {*self.moments(part.id, key), *other.moments(part.id, key), self.take.end}
                ticks = np.array(sorted(t + off for t in moments for off in (-1, 0) if t + off >= 0))
                inside = np.zeros(len(ticks), dtype=bool)
                for start, end in allowed:
                    inside |= (ticks >= start) & (ticks < end)
                ticks = ticks[~inside]
                if not len(ticks):
                    continue
                mine, theirs = self.value(part.id, key, ticks), other.value(part.id, key, ticks)
                off = np.abs(mine - theirs)
                off[np.isnan(mine) & np.isnan(theirs)] = 0.0
                # What moves is sent anew from where it was cut: there the drawing has to be the same.
                drawn = [Drawn.of(take, part.id, key).at(ticks) for take in (self.take, other.take)]
                same = np.abs(drawn[0] - drawn[1]) <= (0.011 if key == "bend" else EIGHTH)
                nodes = Drawn.of(self.take, part.id, key)
                row = np.searchsorted(nodes.ticks, ticks - 1, side="right") - 1
                moving = np.array([at >= 0 and not nodes.hold[at] for at in row.tolist()], dtype=bool)
                off[same & (moving | (np.abs(drawn[0] - np.round(drawn[0])) > 1e-9))] = 0.0
                # Where nothing had been said yet, the standard's default may be said now.
                off[np.isnan(off)] = 0.0
                if (worst := float(off.max())) > 1e-9:
                    where = int(ticks[int(off.argmax())])
                    yield worst, f"part {part.id} {key} differs by {worst:.3f} at {where}, outside {allowed}"
        # What is never let go ends with the file, which may have become longer.
        last = min(self.take.end, other.take.end)
        mine, theirs = ([(n.part, n.pitch, n.velocity, n.start * h.scale, min(n.key_up * h.scale, last))
                         for n in h.heard.notes] for h in (self, other))  # fmt: skip
        if spans.get(-1) is None and mine != theirs:
            yield 1.0, "notes differ"


def _steps(channel: Channel, key: str) -> Any:
    if key == "bend":
        return channel.bend
    if key == "pressure":
        return channel.pressure
    number = int(key[3:])
    found = channel.controllers.get(number)
    return found if found is not None else type(channel.bend).of([])
