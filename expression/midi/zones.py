"""Notes in a zone, each on a member channel that it has alone (MPE: M1-100, MIDI Polyphonic Expression 1.1).

What the channel's lanes say goes to the manager, which acts on all notes of the zone; what a note says by itself, to
the member that carries it, before it is struck and while it sounds.
"""

import heapq
from typing import NamedTuple

import numpy as np

from expression.arrays import Bytes, Flags, Ints, frozen, whole
from expression.cable import Zone
from expression.lanes import (
    BEND,
    BESIDE,
    DATA_LSB,
    DATA_MSB,
    LANES,
    NOTE_PITCH,
    NOTE_PRESSURE,
    NOTE_TIMBRE,
    RESET,
    RPN_LSB,
    RPN_MSB,
)
from expression.levels import curves_on, is_zoned, kinds_on, of_lane
from expression.memo import worked_out
from expression.midi.note_events import NoteEvents, Placed, note_events, standing
from expression.midi.rpn import NOTHING
from expression.note_curves import NoteCurves
from expression.sounding import sounding
from expression.status import BEND_CENTRE, CONTROL, META, PRESSURE, SYSEX
from expression.take import Channel, Events, Take

CONFIGURATION = (0, 6)
"""The registered parameter that sets a zone up (M1-100, 2.1.1)."""
ALWAYS = (NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE)
"""Said before every note, whatever it says (M1-100, 2.2.4 to 2.2.6)."""
PORT_PREFIX = 0x21
"""A meta event of tracks that says to which cable they go."""


NO_NOTE = -1
_ENDS = -2
"""Less the id of a note is that of its end."""


class Allotment(NamedTuple):
    """The members on which the notes of a channel sound. One element of each array a note, in the order of starts."""

    id: Ints
    start: Ints
    end: Ints
    """When the key comes up."""
    member: Ints
    """The channel, 0 to 15."""
    crowded: Ints
    """Ids of notes that found no channel free: they share that of the note that was nearest to its end."""


@worked_out(32)
def allotment(take: Take, channel: Channel) -> Allotment:
    """Which member carries which note of a channel that is sent in a zone.

    Of those on which nothing sounds any longer (pedals counted in) the one that has been silent longest, so that what
    rings on keeps its pitch. Where something sounds on each, that on which the fewest keys are down, then on which the
    fewest notes ring, then the one that is nearest to its end. A note that stands as it was recorded stays on its
    channel.
    """
    zone = channel.sending.zone
    notes = sounding(take, channel, apart=True)
    recorded = _recorded(take, channel, notes.id)
    members = zone.channels
    slot = {member: at for at, member in enumerate(members)}
    free = [-1] * len(members)
    over: list[list[tuple[int, int]]] = [[] for _ in members]
    """Of what sounds on each member: when its key comes up, and when it has ended."""
    waiting: dict[int, list[tuple[int, int]]] = {}
    for start, end, member in zip(notes.start.tolist(), notes.end.tolist(), recorded.tolist(), strict=True):
        if member in slot:
            waiting.setdefault(slot[member], []).append((start, end))
    for queue in waiting.values():
        heapq.heapify(queue)
    found = np.zeros(len(notes.id), dtype=np.int64)
    crowded: list[int] = []
    columns = (column.tolist() for column in (notes.start, notes.key_up, notes.end, recorded, notes.id))
    for row, (start, key_up, end, member, note) in enumerate(zip(*columns, strict=True)):
        if member in slot:
            at = slot[member]
            heapq.heappop(waiting[at])
            if free[at] > start:
                crowded.append(note)
        else:
            # Nothing that was recorded there may begin while this one sounds.
            apart = [
                number for number in range(len(members))
                if free[number] <= start and not (waiting.get(number) and waiting[number][0][0] < end)
            ]  # fmt: skip
            if not apart:
                crowded.append(note)
                over = [[one for one in ends if one[1] > start] for ends in over]
                down = [sum(up > start for up, _ in ends) for ends in over]
                least = min((down[number], len(over[number])) for number in range(len(members)))
                apart = [number for number in range(len(members)) if (down[number], len(over[number])) == least]
            at = min(apart, key=free.__getitem__)
        if free[at] <= start:
            over[at] = []
        over[at].append((key_up, end))
        free[at] = max(free[at], end)
        found[row] = members[at]
    return Allotment(notes.id, notes.start, notes.key_up, found, frozen(crowded, np.int64))


def _recorded(take: Take, channel: Channel, ids: Ints) -> Ints:
    """The channel on which each note stands as it was recorded; -1 where it does not."""
    found = np.full(len(ids), -1)
    if channel.zone is None or channel.zone != channel.sending.zone:
        return found
    order = np.argsort(ids)
    for part in take.parts_on(channel):
        stands = np.isin(part.notes.id, standing(take, part))
        rows = int(take.rows.first[part.track]) + part.notes.on[stands]
        found[order[np.searchsorted(ids[order], part.notes.id[stands])]] = take.rows.status[rows] & 0x0F
    return found


class Emitted(NamedTuple):
    """A track as emitted; one element of each array an event. `note`: the id of the note that it starts, what `ends`
    makes of the one that it ends, or `NO_NOTE`; `owner`: the channel (its id in the take) that it belongs to, or -1.
    """

    events: Events
    note: Ints
    owner: Ints


def ends(note: Ints) -> Ints:
    """What stands for the ends of notes among the notes of events, and back: of neither, less than `NO_NOTE`."""
    return np.asarray(_ENDS - note)


def ports_needed(take: Take, zoned: list[Channel]) -> dict[int, int]:
    """The ports that zones need which would share channels with others: by the id of their channel."""
    taken: dict[int, set[int]] = {}
    for channel in take.channels:
        if channel not in zoned:
            taken.setdefault(channel.port, set()).add(channel.number)
    found = {}
    for channel in zoned:
        zone = channel.sending.zone
        own = {zone.manager, *zone.channels}
        port = channel.port
        while taken.get(port, set()) & own:
            port = max(taken) + 1
        taken.setdefault(port, set()).update(own)
        if port != channel.port:
            found[channel.id] = port
    return found


def zoned(take: Take, tracks: list[Emitted]) -> list[Emitted]:
    """The tracks with the channels that are sent in zones in their zones. A zone that would share channels with others
    gets a port of its own, and where its track holds other channels, a track of its own.
    """
    zoned = [channel for channel in take.channels if is_zoned(take, channel)]
    if not zoned:
        return tracks
    ports = ports_needed(take, zoned)
    for channel in zoned:
        if channel.id in ports:
            tracks = _apart(take, channel, tracks, ports[channel.id])
    for channel in zoned:
        tracks = _in_zone(take, channel, tracks, channel.id in ports)
    return tracks


def _apart(take: Take, channel: Channel, tracks: list[Emitted], port: int) -> list[Emitted]:
    """The messages of a channel in tracks for another port: its own, or where others are there too, a new one."""
    made = list(tracks)
    for number, track in enumerate(tracks):
        mine = track.owner == channel.id
        if not mine.any():
            continue
        alone = not ((track.owner >= 0) & ~mine).any()
        name = next(part.name for part in take.parts if part.channel.id == channel.id)
        prefix = _meta(PORT_PREFIX, bytes([port & 0x7F]))
        if alone:
            keep = ~((track.events.status == META) & (track.events.data1 == PORT_PREFIX))
            made[number] = _joined(prefix, _picked(track, keep))
            continue
        made[number] = _picked(track, ~mine)
        own = _picked(track, mine)
        ends = _meta(0x2F, b"", int(track.events.tick[-1]))
        made.append(_joined(prefix, _meta(0x03, name.encode()), own, ends))
    return made


def _meta(kind: int, payload: bytes, tick: int = 0) -> Emitted:
    events = Events.of([tick], bytes([META]), bytes([kind]), bytes([0]), [0], [payload])
    return Emitted(events, np.array([-1]), np.array([-1]))


def _picked(track: Emitted, keep: Flags) -> Emitted:
    events = track.events
    tick, payload = events.tick[keep], events.payload[keep]
    kind, one, two = events.status[keep], events.data1[keep], events.data2[keep]
    return Emitted(_events(tick, kind, one, two, payload, events.payloads), track.note[keep], track.owner[keep])


def _joined(*tracks: Emitted) -> Emitted:
    payloads: tuple[bytes, ...] = ()
    shifted = []
    for track in tracks:
        own = track.events.payload
        shifted.append(np.where(own >= 0, own + len(payloads), own))
        payloads += track.events.payloads
    names = ("tick", "status", "data1", "data2")
    tick, kind, one, two = (np.concatenate([getattr(track.events, name) for track in tracks]) for name in names)
    note, owner = (np.concatenate([getattr(track, name) for track in tracks]) for name in ("note", "owner"))
    return Emitted(_events(tick, kind, one, two, np.concatenate(shifted), payloads), note, owner)


class _Added(NamedTuple):
    """New messages of a zone: when, what, and for which note (its id)."""

    tick: Ints
    status: Ints
    one: Ints
    two: Ints
    note: Ints
    is_first: Flags
    is_again: Flags

    def only(self, rows: Flags | Ints) -> "_Added":
        """Some of them."""
        return _Added(*(column[rows] for column in self))  # type: ignore[arg-type]


def _in_zone(take: Take, channel: Channel, tracks: list[Emitted], own_port: bool) -> list[Emitted]:
    zone, given = channel.sending.zone, allotment(take, channel)
    order = np.argsort(given.id)
    ids, member = given.id[order], given.member[order]
    stands = channel.zone is not None and channel.zone == zone
    added = _values(take, channel, given)
    home = min(number for number, track in enumerate(tracks) if (track.owner == channel.id).any())
    made = list(tracks)
    # What a reset has put back is said again behind it, in the track that it is in. Where that goes to another port: in
    # the zone's own, and a tick later, if that is told before.
    rows = channel.resets[np.argsort(take.rows.rank[channel.resets])]
    resets = dict(zip(take.rows.tick[rows].tolist(), take.rows.track[rows].tolist(), strict=True))
    late = np.array([tick for tick, number in resets.items() if own_port and number > home], dtype=np.int64)
    if own_port:
        resets = dict.fromkeys(resets, home)
    behind = np.full(len(added.tick), -1)
    behind[added.is_again] = [resets.get(tick, -1) for tick in added.tick[added.is_again].tolist()]
    added = added._replace(tick=added.tick + (added.is_again & np.isin(added.tick, late)))
    # What sets a zone up has to be said again after each.
    system = [] if stands else channel.at_system_on(take.rows).tolist()
    for number, track in enumerate(tracks):
        mine = track.owner == channel.id
        if not mine.any() and number not in resets.values():
            continue
        events = track.events
        note = np.where(track.note < NO_NOTE, ends(track.note), track.note)
        is_note = mine & (note >= 0)
        status = events.status.astype(np.int64)
        manages = mine & ~is_note & ((status & 0x0F) == channel.number) & (status < SYSEX)
        status[manages] = (status[manages] & 0xF0) | zone.manager
        status[is_note] = (status[is_note] & 0xF0) | member[np.searchsorted(ids, note[is_note])]
        gone = mine & _replaced(channel, events)
        struck = np.flatnonzero(mine & (track.note >= 0))
        here = np.where(added.is_again, behind == number, np.isin(added.note, track.note[struck]))
        new = added.only(here)
        at = np.searchsorted(events.tick, new.tick)
        at[new.is_again] = [_after_resets(events, tick) for tick in new.tick[new.is_again].tolist()]
        by_id = struck[np.argsort(track.note[struck])]
        first = by_id[np.searchsorted(track.note[by_id], new.note[new.is_first])]
        at[new.is_first] = first
        columns = [_messages(at * 2, new.tick, new.status, new.one, new.two, channel.id)]
        if number == home and not stands and not _begins_reset(tracks, channel, system):
            columns.insert(0, _configuration(channel, zone, 0, _first_place(track, channel)))
        again = [tick + (tick in late) for tick in system if resets[tick] == number]
        columns[:0] = [_configuration(channel, zone, tick, _after_resets(events, tick)) for tick in again]
        made[number] = _woven(track, status, gone, columns)
    return made


class _Columns(NamedTuple):
    """Events while they are put in order: `place` is twice the event before which one comes, and 1 more for that."""

    place: Ints
    tick: Ints
    status: Ints
    one: Ints
    two: Ints
    payload: Ints
    note: Ints
    owner: Ints


def _messages(place: Ints, tick: Ints, status: Ints, one: Ints, two: Ints, owner: int) -> _Columns:
    none = np.full(len(place), NO_NOTE)
    return _Columns(place, tick, status, one, two, none, none, np.full(len(place), owner))


def _woven(track: Emitted, status: Ints, gone: Flags, added: list[_Columns]) -> Emitted:
    """A track with new messages before some of its events."""
    events, keep = track.events, ~gone
    columns = (events.tick, status, events.data1, events.data2, events.payload, track.note, track.owner)
    kept = _Columns(np.arange(len(events))[keep] * 2 + 1, *(column[keep] for column in columns))  # type: ignore[arg-type]
    whole_ = _Columns(*(np.concatenate(column) for column in zip(*added, kept, strict=True)))
    # New ones of one place come in the order of time.
    order = np.lexsort((np.arange(len(whole_.place)), whole_.tick, whole_.place))
    _, tick, kind, one, two, payload, note, owner = (column[order] for column in whole_)
    return Emitted(_events(tick, kind, one, two, payload, events.payloads), note, owner)


def _events(
    tick: Ints, kind: Ints | Bytes, one: Ints | Bytes, two: Ints | Bytes, payload: Ints, payloads: tuple[bytes, ...]
) -> Events:
    small = [frozen(column.astype(np.uint8), np.uint8) for column in (kind, one, two)]
    return Events(frozen(tick, np.int64), small[0], small[1], small[2], frozen(payload, np.int64), payloads)


def _replaced(channel: Channel, events: Events) -> Flags:
    """Events of lanes in whose place curves of notes stand."""
    found = np.zeros(len(events), dtype=bool)
    for key in channel.sending.replaces:
        found |= LANES[BESIDE[key]].wire.own(events.status & 0xF0, events.data1) & (events.status < SYSEX)
    return found


def controls(parameter: tuple[int, int], value: int, fine: int | None = None) -> list[tuple[int, int]]:
    """A registered parameter said in full: controllers and values in their order, the null parameter after it."""
    data = [(DATA_MSB, value)] + ([] if fine is None else [(DATA_LSB, fine)])
    chosen = [(RPN_MSB, parameter[0]), (RPN_LSB, parameter[1])]
    return [*chosen, *data, (RPN_MSB, NOTHING[0]), (RPN_LSB, NOTHING[1])]


def _first_place(track: Emitted, channel: Channel) -> int:
    """Before which event of a track a zone is set up that a channel is sent in: at the start, before all of its own."""
    voices = np.flatnonzero(track.owner == channel.id)
    return min(int(voices[0]), int(np.searchsorted(track.events.tick, 0, side="right")))


def _begins_reset(tracks: list[Emitted], channel: Channel, system: list[int]) -> bool:
    """Whether a whole module is reset before anything is said to a channel: what is said behind that is enough."""
    own = [track.events.tick[track.owner == channel.id] for track in tracks]
    return bool(system) and min(int(ticks[0]) for ticks in own if len(ticks)) >= system[0]


def _after_resets(events: Events, tick: int) -> int:
    """Behind which event of a track (1 more than its row) it is known what resets at a tick have left."""
    first, after = (int(row) for row in np.searchsorted(events.tick, [tick, tick + 1]))
    here = slice(first, after)
    control = (events.status[here] < SYSEX) & ((events.status[here] & 0xF0) == CONTROL)
    resets = np.flatnonzero((control & (events.data1[here] == RESET)) | (events.status[here] == SYSEX))
    return first + int(resets[-1]) + 1 if len(resets) else first


def _configuration(channel: Channel, zone: Zone, tick: int, place: int) -> _Columns:
    """What sets a zone up, before an event of a track."""
    told: list[tuple[int, int, int]] = []

    def say(number: int, messages: list[tuple[int, int]]) -> None:
        told.extend((CONTROL | number, *message) for message in messages)

    say(zone.manager, controls(CONFIGURATION, zone.members))
    cents = round(float(channel.bend_range.at(tick)) * 100)
    say(zone.manager, controls((0, 0), cents // 100, cents % 100))
    cents = round(zone.reach * 100)
    for member in zone.channels:
        say(member, controls((0, 0), cents // 100, cents % 100))
    count = len(told)
    kind, one, two = np.array(told, dtype=np.int64).T
    return _messages(np.full(count, place * 2), np.full(count, tick), kind, one, two, channel.id)


def _values(take: Take, channel: Channel, given: Allotment) -> _Added:
    """What is said to members: before each note what it begins with, and what its curves come to while it sounds."""
    zone = channel.sending.zone
    none = np.zeros(0, dtype=bool)
    found = [_Added(*(np.zeros(0, dtype=np.int64),) * 5, none, none)]
    kinds, resets = kinds_on(take, channel), np.unique(take.rows.tick[channel.resets])
    system = channel.at_system_on(take.rows)
    for key in [*ALWAYS, *(key for key in kinds if key not in ALWAYS)]:
        curves = curves_on(take, channel, key)
        if key in channel.sending.replaces and BESIDE[key] in channel.lanes:
            curves = _with_lane(channel, key, given, curves)
        notes = Placed(given.id, given.start, given.end, given.member)
        rounding, shared = zone.reach / (2 * BEND_CENTRE), BEND in channel.lanes
        again = resets if LANES[BESIDE[key]].after_reset is not None else resets[:0]
        asked = channel.paces.get(key)
        events = note_events(take, notes, curves, key, LANES[key].default, rounding, shared, again, asked)
        code = _code(key, events.value, zone)
        epoch = np.searchsorted(system, events.tick, side="right")
        as_it_came = np.isin(notes.id, _as_it_came(take, channel, key))[events.note]
        new = (
            _needed(take, channel, key, events, code, as_it_came)
            if as_it_came.any()
            else _new(key, events, code, epoch)
        )
        status, one, two = _message(key, code[new])
        columns = (events.tick[new], status | events.voice[new], one, two, notes.id[events.note[new]])
        found.append(_Added(*columns, events.is_first[new], events.is_again[new]))
    every = _Added(*(np.concatenate(column) for column in zip(*found, strict=True)))
    return every.only(np.argsort(every.tick, kind="stable"))


def _new(key: str, events: NoteEvents, code: Ints, epoch: Ints) -> Flags:
    """Which values are sent: what a channel has not been told already since the last reset of all (its `epoch`), and
    what is always said before a note.
    """
    same = (code[1:] == code[:-1]) & (events.voice[1:] == events.voice[:-1]) & (epoch[1:] == epoch[:-1])
    new = np.append(True, ~same)[: len(code)]
    return np.asarray(new | (events.is_first & (key in ALWAYS)) | events.is_again)


def _as_it_came(take: Take, channel: Channel, key: str) -> Ints:
    """Ids of notes that are where they were recorded in their zone, with their curves of one kind as they came."""
    found = [np.zeros(0, dtype=np.int64)]
    if channel.zone is not None and channel.zone == channel.sending.zone:
        for part in take.parts_on(channel):
            made = part.curves[key].made if key in part.curves else found[0]
            found.append(np.setdiff1d(standing(take, part), made))
    return np.concatenate(found)


def _needed(take: Take, channel: Channel, key: str, events: NoteEvents, code: Ints, as_it_came: Flags) -> Flags:
    """The same where some is sent as it was recorded: of these notes only what they begin with, and only where what is
    sent of others has left their channel with something else.
    """
    rows = _sent_rows(take, channel, key)
    voice, theirs = take.rows.status[rows] & 0x0F, _recorded_code(key, take, rows)
    ours = np.flatnonzero(~as_it_came | events.is_first)
    # In the order of telling: at one tick what was recorded, and then what is added. (It comes before the note.)
    ticks = np.concatenate((take.rows.tick[rows], events.tick[ours]))
    line = np.concatenate((voice, events.voice[ours]))
    codes = np.concatenate((theirs, code[ours]))
    is_ours = np.repeat([False, True], [len(rows), len(ours)])
    place = np.concatenate((take.rows.rank[rows], len(take.rows.rank) + np.arange(len(ours))))
    order = np.lexsort((place, is_ours, ticks, line))
    at_rest = int(_code(key, np.array([LANES[key].default]), channel.sending.zone)[0])
    before = np.append(at_rest, codes[order][:-1])
    before[np.append(True, line[order][1:] != line[order][:-1])[: len(before)]] = at_rest
    same = np.zeros(len(order), dtype=bool)
    same[order] = codes[order] == before
    new = np.zeros(len(code), dtype=bool)
    new[ours] = ~same[len(rows) :]
    return np.asarray(new | ((events.is_first & (key in ALWAYS)) | events.is_again) & ~as_it_came)


def _sent_rows(take: Take, channel: Channel, key: str) -> Ints:
    """Rows of the recording that still say something of one kind on members."""
    found = [np.zeros(0, dtype=np.int64)]
    for part in take.parts_on(channel):
        if key in part.curves:
            curves = part.curves[key]
            kept = np.isin(curves.notes_of_rows, standing(take, part)) & ~np.isin(curves.notes_of_rows, curves.made)
            found.append(int(take.rows.first[part.track]) + curves.rows[kept])
    return np.concatenate(found)


def _recorded_code(key: str, take: Take, rows: Ints) -> Ints:
    one, two = take.rows.data1[rows], take.rows.data2[rows]
    return one.astype(np.int64) if key == NOTE_PRESSURE else LANES[BESIDE[key]].wire.code(one, two)


def _with_lane(channel: Channel, key: str, given: Allotment, curves: NoteCurves) -> NoteCurves:
    """Curves of a kind that stands in the place of a lane: a note that has none says what the lane says."""
    without = ~np.isin(given.id, curves.ids)
    lane = channel.lanes[BESIDE[key]].curve
    ends = np.maximum(given.end, given.start + 1)
    theirs = of_lane(lane, key, given.id[without], given.start[without], ends[without])
    return curves.with_curves(given.id[without], theirs)


def _code(key: str, values: np.ndarray, zone: Zone) -> Ints:
    if key == NOTE_PITCH:
        code = whole(values / zone.reach * BEND_CENTRE) + BEND_CENTRE
        return np.clip(code, 0, 2 * BEND_CENTRE - 1)
    return np.clip(whole(values), 0, 127)


def _message(key: str, code: Ints) -> tuple[Ints, Ints, Ints]:
    """Status (without its channel) and data bytes: the pressure of a note is that of its channel."""
    zero = np.zeros(len(code), dtype=np.int64)
    if key == NOTE_PRESSURE:
        return zero + PRESSURE, code, zero
    wire = LANES[BESIDE[key]].wire
    one, two = wire.data(code)
    return zero + wire.status, one, two
