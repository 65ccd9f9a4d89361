"""From a take to the bytes of a Standard MIDI File."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from expression.arrays import frozen
from expression.levels import kinds_on
from expression.midi import smf
from expression.midi.emit import emit
from expression.percussion import CHANNEL as PERCUSSION
from expression.take import Channel, Events, Take

Way = Literal["plain", "mpe"]


def write(take: Take, tolerance: float = 0.0, way: Way | None = None) -> bytes:
    """The file of a take, of the type it came as, at the source's own resolution where every time allows it.

    `tolerance` as in `emit`. Notes with curves are sent as each part says; `way`: parts that leave it open, plainly, or
    all that have any in zones of MPE.
    """
    tracks = emit(sent(take, way), tolerance)
    return composed(take, take.header.format if len(tracks) == 1 else max(take.header.format, 1), tracks)


def composed(take: Take, format_: int, tracks: Sequence[Events]) -> bytes:
    """The file of some tracks of a take, at the source's own resolution where every time allows it."""
    factor = take.header.factor
    if all(not (track.tick % factor).any() for track in tracks):
        whole = [replace(track, tick=frozen(track.tick // factor, np.int64)) for track in tracks]
        return smf.compose(format_, take.header.division, whole)
    return smf.compose(format_, take.resolution, list(tracks))


def sent(take: Take, way: Way | None) -> Take:
    """The take with its parts sent in one way: in zones all whose notes have curves (percussion only where it is told
    to leave its channel), or plainly what leaves it open.
    """
    for channel in take.channels if way else ():
        chosen = channel.sending.way
        if way == "mpe" and channel.number != PERCUSSION and kinds_on(take, channel):
            chosen = "mpe"
        elif way == "plain" and chosen == "auto":
            chosen = "plain"
        if chosen != channel.sending.way:
            take = _in_way(take, channel, chosen)
    return take


def heard_in(take: Take, ways: Mapping[Way, Collection[int]]) -> Take:
    """The take as instruments get it of which each is sent some parts (by id) in a way of its own, whatever they say;
    the others as they say.
    """
    for way, parts in ways.items():
        for channel in {part.channel.id: part.channel for part in take.parts if part.id in parts}.values():
            take = _in_way(take, channel, way)
    return take


def _in_way(take: Take, channel: Channel, way: Literal["auto", "plain", "mpe"]) -> Take:
    return take.with_channel(replace(channel, sending=channel.sending._replace(way=way)))
