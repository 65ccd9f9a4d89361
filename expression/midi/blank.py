"""Takes from nothing: files without a note, to be played into."""

from collections.abc import Sequence

from expression.errors import BadFile
from expression.limits import LONGEST_NAME, MOST_TRACKS
from expression.midi import smf
from expression.midi.read import read
from expression.midi.ump import HEADER as CLIP
from expression.midi.words import KEY_SIGNATURE, OWN, RESERVED
from expression.percussion import CHANNEL as PERCUSSION
from expression.status import META
from expression.take import Events

RESOLUTION = 960
BARS = 8
"""So long is a take from nothing."""


def blank(bpm: float, beats: int, unit: int, fifths: int = 0, is_minor: bool = False, name: str = "Part 1") -> bytes:
    """A file of some empty bars with one part: `bpm` quarters a minute, `beats` of 1/`unit` a bar, `fifths` sharps."""
    end = BARS * beats * RESOLUTION * 4 // unit
    conductor = [
        (0, smf.TIME_SIGNATURE, bytes((beats, unit.bit_length() - 1, 24, 8))),
        (0, KEY_SIGNATURE, bytes((fifths & 0xFF, int(is_minor)))),
        (0, smf.TEMPO, round(60_000_000 / bpm).to_bytes(3)),
    ]
    return smf.compose(1, RESOLUTION, [_track(conductor, end), _part(name, 0, end)])


def blank_at(resolution: int, tempo: Sequence[tuple[int, int]], beats: int, names: Sequence[str], end: int) -> bytes:
    """A file of empty bars of `beats` quarters, with a tempo (ticks, microseconds a quarter) and some parts."""
    bar = beats * resolution
    end = -(-max(end, 1) // bar) * bar
    metas = [
        (0, smf.TIME_SIGNATURE, bytes((beats, 2, 24, 8))),
        *((tick, smf.TEMPO, micros.to_bytes(3)) for tick, micros in tempo),
    ]
    free = [number for number in range(16) if number != PERCUSSION]
    parts = [_part(name, free[row % len(free)], end) for row, name in enumerate(names)]
    return smf.compose(1, resolution, [_track(metas, end), *parts])


def with_part(data: bytes, name: str) -> bytes:
    """A file with one part more, of which nothing is played yet, on the first channel that no other part has.

    Nothing that was there is otherwise; a file of type 0 becomes one of type 1. Raises BadFile where there is no room.
    """
    if data.startswith(CLIP):
        raise BadFile("A MIDI 2.0 clip takes no part more. Take it home as a MIDI file, and bring that back.")
    take, file = read(data), smf.parse(data)
    if len(file.tracks) >= MOST_TRACKS:
        raise BadFile(f"A take has at most {MOST_TRACKS} tracks, and this one has as many.")
    taken = {
        number
        for part in take.parts
        if part.channel.port == 0
        for number in (part.channel.number, *(part.channel.zone.channels if part.channel.zone else ()))
    }
    free = next((number for number in range(16) if number != PERCUSSION and number not in taken), None)
    if free is None:
        raise BadFile("Every channel has a part already. Play into one of those, or into a take from nothing.")
    end = max(int(track.tick[-1]) for track in file.tracks)
    return smf.compose(1, file.division, [*file.tracks, _part(name, free, end)])


def _part(name: str, channel: int, end: int) -> Events:
    told = name.encode("utf-8", "replace")[:LONGEST_NAME]
    return _track([(0, smf.TRACK_NAME, told), (0, OWN, RESERVED + bytes((channel,)))], end)


def _track(metas: Sequence[tuple[int, int, bytes]], end: int) -> Events:
    rows = [*metas, (end, smf.END_OF_TRACK, b"")]
    ticks, kinds, payloads = (list(column) for column in zip(*rows, strict=True))
    count = len(rows)
    return Events.of(ticks, bytes([META] * count), bytes(kinds), bytes(count), [*range(count)], payloads)
