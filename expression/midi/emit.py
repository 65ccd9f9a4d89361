"""From a take to MIDI events: the one place where what is drawn becomes what is heard and what is written."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Ints, among, frozen
from expression.cable import Pace, Zone
from expression.lanes import BEND, BESIDE, LANES, NOTE_PITCH, NOTE_PRESSURE
from expression.levels import is_zoned, kinds_on, widened, with_line
from expression.limits import MOST_SEMITONES
from expression.memo import worked_out
from expression.midi.encoding import Messages, lane_messages, preceding
from expression.midi.ground import of_ground, with_ground
from expression.midi.note_events import key_pressure, standing
from expression.midi.order import FOLLOWS, Order, class_of, last_at
from expression.midi.ranges import restated, with_range
from expression.midi.rpn import holding
from expression.midi.smf import END_OF_TRACK
from expression.midi.texts import with_texts
from expression.midi.zones import NO_NOTE, Emitted, ends, zoned
from expression.status import CONTROL, META, NOTE_OFF, NOTE_ON, SYSEX
from expression.take import Channel, Events, Part, Rows, Take


def emit(take: Take, tolerance: float = 0.0) -> tuple[Events, ...]:
    """The events of every track, at the take's resolution.

    With a `tolerance` (in steps) the ways between nodes are sent in fewer events: never further off than that.

    Begins with what was recorded and changes only what strokes have changed, so an untouched take comes out as it was,
    event for event and in the same order.
    """
    tracks = tuple(emitted.events for emitted in emit_with_notes(take, tolerance))
    if take.texts:
        tracks = tuple(with_texts(take, number, track) for number, track in enumerate(tracks))
    return (with_ground(take, tracks[0]), *tracks[1:]) if take.is_conducted and tracks else tracks


class _New(NamedTuple):
    """New messages: their class, what they are, the notes they start, and where they go.

    `track` is the track and `slot` the row before which they stand.
    """

    order: Order
    messages: Messages
    note: Ints
    track: Ints
    slot: Ints


@worked_out(8)
def emit_with_notes(take: Take, tolerance: float = 0.0, until: int | None = None) -> tuple[Emitted, ...]:
    """`emit`, with the notes that its events belong to; or what is sent before a tick, and some of what comes then."""
    take = on_channel_lanes(take)
    if any(is_zoned(take, channel) for channel in take.channels):
        # Which member a note is sent on is a matter of all that follow.
        until = None
    rows = take.rows
    draft = _Draft(take)
    if take.is_conducted:
        draft.keep[of_ground(rows)] = False
    draft.keep[list(take.dropped_texts)] = False
    for part in take.parts:
        zone = part.channel.sending.zone if is_zoned(take, part.channel) else None
        draft.notes(part, part.channel.zone is None or part.channel.zone == zone)
        draft.note_messages(part, take, zone)
    for channel in take.channels:
        home = min(part.track for part in take.parts_on(channel))
        draft.keep[channel.dropped_rows] = False
        if channel.zone is not None and not (is_zoned(take, channel) and channel.sending.zone == channel.zone):
            draft.keep[channel.configured] = False
        if channel.statements:
            draft.new.append(_stated(take, channel, home))
        for key in sorted(channel.changed_lanes):
            made = lane_messages(take, channel, key, tolerance, until)
            draft.keep[made.recorded] = False
            draft.keep[made.kept] = True
            draft.write(made.changed, made.new_data1, made.new_data2)
            track, slot = _placed(rows, home, made.added.tick, made.after)
            draft.new.append(_New(class_of(LANES[key]), made.added, np.full(len(track), NO_NOTE), track, slot))
    tracks = [track if until is None else track.before(until) for track in take.tracks]
    return tuple(zoned(take, [draft.track(number, track) for number, track in enumerate(tracks)]))


def on_channel_lanes(take: Take) -> Take:
    """The take with what its notes say on the lanes of their channels, where they are sent without a zone.

    A range that does not hold it is widened, that of a zone too. Pressure stays with the notes: there is a message for
    it.
    """
    for channel in take.channels:
        kinds = [key for key in kinds_on(take, channel) if key != NOTE_PRESSURE]
        if not kinds:
            continue
        if is_zoned(take, channel):
            take = take.with_channel(widened(take, channel))
            channel = take.channels[channel.id]
            if NOTE_PITCH in kinds and BEND in channel.lanes and BEND not in channel.paces:
                # What both are off adds up.
                grain, seconds, worst = channel.pace(BEND)
                half = Pace(grain / 2, seconds, worst / 2)
                take = take.with_channel(replace(channel, paces={**channel.paces, BEND: half}))
            continue
        paces = {BESIDE[key]: channel.pace(key) for key in kinds if key != NOTE_PITCH or key in channel.paces}
        take = take.with_channel(replace(channel, paces=paces | dict(channel.paces)))
        for key in kinds:
            take = with_line(take, take.channels[channel.id], key)
        take = _held(take, take.channels[channel.id])
    return take


def _held(take: Take, channel: Channel) -> Take:
    """The take with a range of the wheel that holds what is drawn, as far as there is one."""
    lane = channel.lanes.get(BEND)
    if lane is None or not channel.instrument.is_told:
        return take
    furthest = float(np.abs(lane.curve.values).max())
    if furthest <= float(channel.bend_range.semitones.max()):
        return take
    semitones = min(holding(furthest), channel.instrument.largest or MOST_SEMITONES, MOST_SEMITONES)
    return take.with_channel(with_range(channel, restated(take, channel, None, float(semitones), 0.005, False)))


def _stated(take: Take, channel: Channel, home: int) -> _New:
    """The bend ranges that strokes have set, message by message."""
    told = [
        (tick, CONTROL | channel.number, *control)
        for one in channel.statements
        for tick, control in zip(one.ticks, one.controls, strict=True)
    ]
    tick, status, one, two = (np.array(column, dtype=np.int64) for column in zip(*told, strict=True))
    after = last_at(take.rows, preceding(take, channel, FOLLOWS[Order.RANGE]), tick)
    track, slot = _placed(take.rows, home, tick, after)
    return _New(Order.RANGE, Messages(tick, status, one, two), np.full(len(tick), NO_NOTE), track, slot)


def _placed(rows: Rows, home: int, ticks: Ints, after: Ints) -> tuple[Ints, Ints]:
    """The track and the slot of new messages: behind what they follow, otherwise first of their tick at `home`."""
    behind = (after >= 0) & (rows.track[np.maximum(after, 0)] >= home)
    first, end = rows.first[home], rows.first[home + 1]
    slot = np.where(behind, after + 1, first + np.searchsorted(rows.tick[first:end], ticks))
    return np.where(behind, rows.track[np.maximum(after, 0)], home), slot


def _put_between(standing: Ints, count: int, new: Sequence[_New]) -> Ints:
    """The order of `count` recorded messages, of which those that are `standing` (rows, ascending) come before the end
    of the track, and of new ones behind them: each before the row of its slot.

    What is recorded is in order. So only what is new has to be sorted.
    """
    order = np.arange(count)
    if not new:
        return order
    slot, tick = (np.concatenate(one) for one in zip(*((part.slot, part.messages.tick) for part in new), strict=True))
    rank = np.repeat([part.order for part in new], [len(part.slot) for part in new])
    sooner = np.lexsort((rank, tick, slot))
    return np.insert(order, np.searchsorted(standing, slot[sooner]), sooner + count)


class _Draft:
    """The rows of a recording of which some go and some change, and the messages that come."""

    def __init__(self, take: Take) -> None:
        self.take = take
        self.rows = rows = take.rows
        self.keep: Flags = np.ones(len(rows.tick), dtype=bool)
        self.note = np.full(len(rows.tick), NO_NOTE)
        self.new: list[_New] = []
        self._data = [rows.data1, rows.data2]

    def write(self, which: Ints, data1: Ints | None, data2: Ints | Bytes) -> None:
        """Other data bytes for some rows."""
        for column, values in ((0, data1), (1, data2)):
            if values is None or np.array_equal(self._data[column][which], values):
                continue
            if not self._data[column].flags.writeable:
                self._data[column] = self._data[column].copy()
            self._data[column][which] = values

    def notes(self, part: Part, stands: bool) -> None:
        """A recorded event is written only while a note claims it, unmoved; what else a note needs is made anew.

        None stands where the recording has notes on channels on which they are not sent any longer.
        """
        rows, notes, first = self.rows, part.notes, int(self.rows.first[part.track])
        sounding = ~notes.muted

        def claims(at: Ints, tick: Ints) -> Flags:
            row = first + np.maximum(at, 0)
            return np.asarray(
                stands & sounding & (at >= 0) & (rows.tick[row] == tick) & (rows.data1[row] == notes.pitch)
            )

        starts, finished = claims(notes.on, notes.start), claims(notes.off, notes.end)
        on, off = first + notes.on[starts], first + notes.off[finished]
        if len(on) + len(off) < len(part.paired):
            self.keep[first + part.paired] = False
            self.keep[on] = self.keep[off] = True
        self.note[on], self.note[off] = notes.id[starts], ends(notes.id[finished])
        self.write(on, None, notes.velocity[starts])
        for order, claimed, tick, status, value in (
            (Order.END, finished, notes.end, NOTE_OFF, notes.release),
            (Order.START, starts, notes.start, NOTE_ON, notes.velocity),
        ):
            made = sounding & ~claimed
            if made.any():
                count = int(made.sum())
                pitch = notes.pitch[made].astype(np.int64)
                messages = Messages(tick[made], np.full(count, status | part.channel.number), pitch, value[made])
                ids = notes.id[made] if order is Order.START else ends(notes.id[made])
                until = int(rows.first[part.track + 1])
                # An end comes before, a start after all that was recorded at its tick.
                track = rows.tick[first:until]
                if order is Order.END:
                    slot = first + np.searchsorted(track, messages.tick)
                else:
                    slot = first + np.searchsorted(track, messages.tick, side="right")
                self.new.append(_New(order, messages, ids, np.full(count, part.track), slot))

    def note_messages(self, part: Part, take: Take, zone: Zone | None) -> None:
        """What is said to single notes: as it was recorded while a note stands there with its curve as it came.

        Without a zone the rest of their pressure is made anew, key by key.
        """
        first = int(self.rows.first[part.track])
        self.keep[first + part.note_rows] = False
        stand = standing(take, part) if zone == part.channel.zone else part.notes.id[:0]
        for curves in part.curves.values():
            as_it_came = np.isin(curves.notes_of_rows, stand) & ~np.isin(curves.notes_of_rows, curves.made)
            self.keep[first + curves.rows[as_it_came]] = True
        if zone is not None or NOTE_PRESSURE not in part.curves:
            return
        pressed = part.curves[NOTE_PRESSURE]
        new = pressed.only(part.notes.id[~part.notes.muted])
        if part.channel.zone is None:
            said = pressed.notes_of_rows[
                np.isin(pressed.notes_of_rows, stand) & ~np.isin(pressed.notes_of_rows, pressed.made)
            ]
            new = new.without(said)
        if not len(new):
            return
        messages = key_pressure(take, part, new)
        start, until = (int(edge) for edge in self.rows.first[part.track : part.track + 2])
        slot = start + np.searchsorted(self.rows.tick[start:until], messages.tick, side="right")
        count = len(messages.tick)
        self.new.append(_New(Order.VALUE, messages, np.full(count, NO_NOTE), np.full(count, part.track), slot))

    def track(self, number: int, recorded: Events) -> Emitted:
        """One track, or the beginning of one, as it is to be sent."""
        first = int(self.rows.first[number])
        own = slice(first, first + len(recorded))
        one, two = (column[own] for column in self._data)
        new = [part for part in self._new_in(number) if len(part.slot)]
        if not new and self.keep[own].all():
            same = one is recorded.data1 or np.array_equal(one, recorded.data1)
            same = same and np.array_equal(two, recorded.data2)
            events = recorded if same else Events(
                recorded.tick, recorded.status, frozen(one, np.uint8), frozen(two, np.uint8),
                recorded.payload, recorded.payloads,
            )  # fmt: skip
            return Emitted(events, self.note[own], self.owners(number, events.status))
        rows = np.flatnonzero(self.keep[own])
        over = (recorded.status[rows] == META) & (one[rows] == END_OF_TRACK)
        # What ends a track stands at its end, behind all that comes.
        rows = np.concatenate((rows[~over], rows[over]))
        standing = Messages(recorded.tick[rows], recorded.status[rows], one[rows], two[rows])
        groups = [standing, *(part.messages for part in new)]
        tick, status, data1, data2 = (np.concatenate(column) for column in zip(*groups, strict=True))
        before_end = len(rows) - int(np.count_nonzero(over))
        tick[before_end : len(rows)] = tick.max(initial=0)
        note = np.concatenate((self.note[own][rows], *(part.note for part in new)))
        payload = np.full(len(tick), -1)
        payload[: len(rows)] = recorded.payload[rows]
        order = _put_between(rows[:before_end] + first, len(rows), new)
        status, data1, data2 = (frozen(column[order].astype(np.uint8), np.uint8) for column in (status, data1, data2))
        times, payload = frozen(tick[order], np.int64), frozen(payload[order], np.int64)
        events = Events(times, status, data1, data2, payload, recorded.payloads)
        return Emitted(events, note[order], self.owners(number, events.status))

    def owners(self, track: int, status: Bytes) -> Ints:
        """The channel (its id) to which each event of a track belongs; -1: to none."""
        found = np.full(len(status), -1)
        for part in self.take.parts:
            if part.track == track:
                numbers = [part.channel.number, *(part.channel.zone.channels if part.channel.zone else ())]
                statuses = [kind | number for kind in range(NOTE_OFF, SYSEX, 16) for number in numbers]
                found[among(status, statuses)] = part.channel.id
        return found

    def _new_in(self, number: int) -> Iterator[_New]:
        for new in self.new:
            here = new.track == number
            messages = Messages(*(column[here] for column in new.messages))
            yield new._replace(messages=messages, note=new.note[here], slot=new.slot[here])
