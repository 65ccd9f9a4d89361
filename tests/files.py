"""MIDI files for tests: made with mido where they are sound, byte by byte where they are not."""

import io
import struct
from collections.abc import Iterable

import mido

NOTE = mido.Message
TICKS = 480


def file_of(*tracks: Iterable[mido.Message | mido.MetaMessage], type_: int = 1, ticks: int = TICKS) -> bytes:
    """A file of tracks whose messages carry delta times."""
    file = mido.MidiFile(type=type_, ticks_per_beat=ticks)
    file.tracks = [mido.MidiTrack(track) for track in tracks]
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def phrase(velocities: Iterable[int], gap: int = TICKS, channel: int = 0, pitch: int = 60) -> list[mido.Message]:
    """Notes one after another, each `gap` ticks after the last and half as long."""
    track: list[mido.Message] = []
    for step, velocity in enumerate(velocities):
        wait = 0 if step == 0 else gap - gap // 2
        track.append(NOTE("note_on", channel=channel, note=pitch + step % 12, velocity=velocity, time=wait))
        track.append(NOTE("note_off", channel=channel, note=pitch + step % 12, velocity=40, time=gap // 2))
    return track


def raw(*chunks: bytes, format_: int = 1, count: int | None = None, division: int = TICKS) -> bytes:
    """A file of raw track bodies."""
    header = b"MThd" + struct.pack(">IHHH", 6, format_, len(chunks) if count is None else count, division)
    return header + b"".join(b"MTrk" + struct.pack(">I", len(chunk)) + chunk for chunk in chunks)


END = b"\x00\xff\x2f\x00"


def events(data: bytes) -> list[list[tuple[int, bytes]]]:
    """What mido, which knows nothing of Lull's reader, finds in a file: (tick, bytes) for each track."""
    tracks = []
    for track in mido.MidiFile(file=io.BytesIO(data)).tracks:
        tick, found = 0, []
        for message in track:
            tick += message.time
            found.append((tick, bytes(message.bytes())))
        tracks.append(found)
    return tracks
