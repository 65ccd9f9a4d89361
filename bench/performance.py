"""A made-up performance as large as real ones get."""

import io
import math
import random

import mido


def performance(notes: int, pedals: int, parts: int = 2, tempo: float = 104, seed: int = 7) -> bytes:
    """A long take: 2 x `notes` note events and `pedals` pedal events, shared among `parts` on channels of their own."""
    dice = random.Random(seed)
    file = mido.MidiFile(type=1, ticks_per_beat=480)
    conductor = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(tempo))])
    file.tracks.append(conductor)
    for part in range(parts):
        happenings: list[tuple[int, mido.Message]] = []
        tick, pitch = 0, 60
        for _ in range(notes // parts):
            tick += dice.choice((60, 120, 120, 240, 240, 480))
            pitch = min(96, max(36, pitch + dice.randint(-5, 5)))
            strike = min(127, max(1, round(dice.gauss(66, 14))))
            happenings.append((tick, mido.Message("note_on", channel=part % 16, note=pitch, velocity=strike)))
            happenings.append((tick + dice.randint(50, 300), mido.Message("note_off", channel=part % 16, note=pitch)))
        for step in range(pedals // parts):
            at = tick * step // max(pedals // parts, 1)
            happenings.append(
                (at, mido.Message("control_change", channel=part % 16, control=64, value=step * 37 % 128))
            )
        track, before = mido.MidiTrack([mido.MetaMessage("track_name", name=f"Keys {part + 1}")]), 0
        for at, message in sorted(happenings, key=lambda one: one[0]):
            track.append(message.copy(time=at - before))
            before = at
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def swelling(chords: int = 550, waves: float = 6.0) -> bytes:
    """Two-note chords under an expression pedal that never rests: each note has a contour of many points."""
    events: list[tuple[int, mido.Message]] = []
    for chord in range(chords):
        for pitch in (48 + chord % 12, 55 + chord % 12):
            events.append((chord * 960, mido.Message("note_on", note=pitch, velocity=60 + chord % 40)))
            events.append((chord * 960 + 940, mido.Message("note_off", note=pitch)))
    for step in range(chords * 40 if waves else 0):
        value = round(70 + 50 * math.sin(step / 40 * waves))
        events.append((step * 24, mido.Message("control_change", control=11, value=value)))
    return _one_track("Reeds", events)


def wheel(nodes: int, notes: int = 4_000, seed: int = 3, bends: bool = False) -> bytes:
    """A long take with one controller moved by hand all through: `nodes` values of the mod wheel, or of the bend."""
    dice = random.Random(seed)
    events: list[tuple[int, mido.Message]] = []
    tick = 0
    for node in range(nodes):
        tick += dice.randint(8, 40)
        value = 64 + 50 * math.sin(node / 37) * math.sin(node / 411) + dice.gauss(0, 0.4)
        level = min(127, max(0, round(value)))
        moved = mido.Message("control_change", control=1, value=level)
        events.append((tick, mido.Message("pitchwheel", pitch=(level - 64) * 128) if bends else moved))
    for note in range(notes):
        at = tick * note // notes
        events.append((at, mido.Message("note_on", note=50 + note % 24, velocity=70)))
        events.append((at + tick // notes - 20, mido.Message("note_off", note=50 + note % 24)))
    return _one_track("Lead", events)


def crowded(seconds: int = 60) -> bytes:
    """As much as a cable carries: a controller a millisecond."""
    events = [(row, mido.Message("control_change", control=1, value=row % 128)) for row in range(seconds * 960)]
    return _one_track("Crowd", events)


def leaned(notes: int = 2_000, nodes: int = 30, seed: int = 5) -> bytes:
    """Notes that overlap, each key leaned on by itself in so many values."""
    dice = random.Random(seed)
    events: list[tuple[int, mido.Message]] = []
    for note in range(notes):
        at, pitch = note * 120, 36 + note * 7 % 60
        events.append((at, mido.Message("note_on", note=pitch, velocity=50 + note % 50)))
        events.append((at + 420, mido.Message("note_off", note=pitch)))
        for node in range(nodes):
            value = round(60 + 50 * math.sin(node / 5) + dice.gauss(0, 3))
            tick = at + 10 + node * 13
            events.append((tick, mido.Message("polytouch", note=pitch, value=min(max(value, 0), 127))))
    return _one_track("Pad", events)


def progression(chords: int = 64) -> bytes:
    """Chords of four, one after another."""
    events: list[tuple[int, mido.Message]] = []
    for chord in range(chords):
        for voice, pitch in enumerate((48, 55, 60, 64)):
            key = pitch + (chord * 5 + voice) % 7
            events.append((chord * 960 + voice * 4, mido.Message("note_on", note=key, velocity=70)))
            events.append((chord * 960 + 940, mido.Message("note_off", note=key)))
    return _one_track("Pad", events)


def _one_track(name: str, events: list[tuple[int, mido.Message]]) -> bytes:
    track, before = mido.MidiTrack([mido.MetaMessage("track_name", name=name)]), 0
    for at, message in sorted(events, key=lambda one: one[0]):
        track.append(message.copy(time=at - before))
        before = at
    file = mido.MidiFile(type=1, ticks_per_beat=480)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()
