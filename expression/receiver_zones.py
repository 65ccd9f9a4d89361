"""Zones of MPE as a receiver keeps them (M1-100): which channels are told what, and by whom they are managed.

Written from the standard alone, like the receiver whose part it is.
"""

from operator import itemgetter

from expression.receiver_file import Track

SUSTAIN, SOSTENUTO = 64, 66
ALL_SOUND_OFF, RESET, FIRST_NOTES_OFF = 120, 121, 123
DATA, DATA_FINE, UP, DOWN, NRPN_FINE, NRPN, RPN_FINE, RPN = 6, 38, 96, 97, 98, 99, 100, 101

Told = tuple[int, int, int, int, int]
"""Tick, track, status without its channel, two data bytes. Of our own making: 0xF1, a bend range of so many semitones
and cents, which is set by a message to another channel of a zone; 0xF2, the channel that manages this one from now on
(-1: none)."""
ZONE_PARAMETER = (0, 6)
MEMBER_RANGE, MANAGER_RANGE = 48, 2
"""Semitones, from the message on that sets a zone up (M1-100, 2.1.1)."""
FOR_ALL = frozenset((SUSTAIN, SOSTENUTO, ALL_SOUND_OFF, RESET, *range(FIRST_NOTES_OFF, 128)))
"""Controllers that a manager is told, and its members answer."""


def zones(tracks: list[Track], told: dict[tuple[int, int], list[Told]]) -> dict[tuple[int, int], int]:
    """Zones of MPE (M1-100): the manager of each member, by port and channel. What acts on all members of a zone is
    added to what each of them is told.
    """
    managers: dict[tuple[int, int], int] = {}
    for port in sorted({track.port for track in tracks}):
        order: list[tuple[int, int, int, int, int, int, int]] = []
        for number, track in enumerate(tracks):
            # A module is reset whatever cable says so.
            order += [
                (tick, number, row, status & 0x0F, status & 0xF0, first, second)
                for row, (tick, status, first, second) in enumerate(track.messages)
                if track.port == port or status == 0xF0
            ]
        if not any(kind == 0xB0 and first == RPN_FINE and second == 6 for *_, kind, first, second in order):
            continue
        order.sort()
        _in_zones(port, order, told, managers)
    return managers


def _in_zones(
    port: int,
    order: list[tuple[int, int, int, int, int, int, int]],
    told: dict[tuple[int, int], list[Told]],
    managers: dict[tuple[int, int], int],
) -> None:
    port_zones = _Zones([channel for of, channel in told if of == port])
    for tick, number, row, channel, kind, first, second in order:
        port_zones.hear((tick, number, row), channel, (tick, number, kind, first, second))
    managers.update({(port, member): manager for member, manager in port_zones.managers.items()})
    for channel, messages in port_zones.told.items():
        messages.sort(key=itemgetter(0))
        told[port, channel] = [message for _, message in messages]


_Place = tuple[int, int, int]
"""Tick, track, row."""


class _Zones:
    """The two zones that a port may have, and what each of its channels is told, message after message."""

    def __init__(self, channels: list[int]) -> None:
        self.chosen: dict[int, list[int]] = {}
        self.ranges: dict[int, list[int]] = {}
        self.sizes = {0: 0, 15: 0}
        self.managers: dict[int, int] = {}
        self.told: dict[int, list[tuple[tuple[int, int, int, int], Told]]] = {channel: [] for channel in channels}

    def _members(self, manager: int | None) -> list[int]:
        if manager is None:
            return []
        count = self.sizes[manager]
        return list(range(1, 1 + count)) if manager == 0 else list(range(14, 14 - count, -1))

    def _say(self, channel: int, place: _Place, kind: int, first: int, second: int) -> None:
        if channel in self.told:
            message = (place[0], place[1], kind, first, second)
            self.told[channel].append(((*place, len(self.told[channel])), message))

    def hear(self, place: _Place, channel: int, message: Told) -> None:
        *_, kind, first, second = message
        if kind == 0xF0:
            # A module that starts anew knows of no zone.
            self.sizes.update({0: 0, 15: 0})
            self.chosen.clear()
            self.ranges.clear()
            for one in self.told:
                self._say(one, place, 0xF0, 0, 0)
                self._say(one, place, 0xF2, -1, 0)
            return
        self._say(channel, place, kind, first, second)
        if kind == 0xB0:
            self._control(place, channel, first, second)

    def _control(self, place: _Place, channel: int, first: int, second: int) -> None:
        if first in (RPN, RPN_FINE):
            self.chosen.setdefault(channel, [127, 127])[first == RPN_FINE] = second
        elif first in (NRPN, NRPN_FINE):
            self.chosen[channel] = [127, 127]
        elif first in (DATA, DATA_FINE) and self.chosen.get(channel) == list(ZONE_PARAMETER) and channel in self.sizes:
            if first == DATA:
                self._set_up(place, channel, second)
        elif first in (DATA, DATA_FINE) and self.chosen.get(channel) == [0, 0]:
            self._range(place, channel, first, second)
        elif first in FOR_ALL and channel in self.sizes:
            for member in self._members(channel):
                self._say(member, place, 0xB0, first, second)

    def _set_up(self, place: _Place, manager: int, size: int) -> None:
        self.sizes[manager] = min(size, 15)
        # The newer zone takes from the other what both would have.
        other = 15 - manager
        self.sizes[other] = min(self.sizes[other], max(14 - self.sizes[manager], 0))
        for one in self.told:
            if one not in self._members(other):
                self._say(one, place, 0xF2, -1, 0)
        for member in self._members(manager):
            self._say(member, place, 0xF2, manager, 0)
            self.managers[member] = manager
            self._say(member, place, 0xF1, MEMBER_RANGE, 0)
        self._say(manager, place, 0xF1, MANAGER_RANGE, 0)

    def _range(self, place: _Place, channel: int, first: int, second: int) -> None:
        """A bend range that one member is given is that of all of its zone."""
        manager = next((one for one in self.sizes if channel in self._members(one)), None)
        size = self.ranges.setdefault(channel, [MANAGER_RANGE, 0])
        size[:] = [second, 0] if first == DATA else [size[0], second]
        for member in self._members(manager):
            if member != channel:
                self.ranges[member] = list(size)
                self._say(member, place, 0xF1, size[0], size[1])
