"""The lens room: short fingers and a long foot. A pedal pressed in part that trembles, and a part without any pedal."""

import math

from demo.hand import Hand

CHORDS = ((41, 60, 65, 69), (41, 60, 65, 69), (46, 62, 65, 70), (39, 58, 63, 67), (36, 60, 64, 67), (41, 60, 65, 69))
BARS = 12


def half_pedalled() -> Hand:
    """A reed box whose player lets go early and leaves the rest to the foot: half down where the harmony is thick."""
    hand = Hand("Reed box", 1, 21, 61)
    for bar in range(BARS):
        beat, chord = bar * 4.0, CHORDS[bar // 2 % len(CHORDS)]
        hand.note(beat, 0.8, chord[0], 66)
        for step, pitch in enumerate(chord[1:]):
            hand.note(beat + 1 + step, 0.6, pitch, 56 + 4 * step)
        deep = 108 if bar % 3 else 82
        path: list[tuple[float, float]] = [(beat + 0.15, 0), (beat + 0.45, deep), (beat + 2.6, deep - 12)]
        if bar % 4 == 3:
            # A tired foot: it rests just where the pedal takes hold.
            path += [(beat + 2.7 + step / 16, 64 + 4 * math.sin(2.2 * step)) for step in range(10)]
        hand.control(64, [*path, (beat + 3.6, deep - 30), (beat + 3.9, 0)])
    return hand


def unpedalled() -> Hand:
    """A thumb piano without a pedal: basses and chords for one to be made from."""
    hand = Hand("Thumb piano", 3, 108, 62)
    for bar in range(BARS):
        beat, chord = bar * 4.0, CHORDS[bar // 2 % len(CHORDS)]
        hand.note(beat, 1.8, chord[0] + 12, 70)
        for place in (1.0, 2.0, 3.0):
            for voice, pitch in enumerate(chord[1:]):
                hand.note(beat + place, 0.8, pitch + 12, 54 + 3 * voice, late=voice * 4)
    return hand
