"""*The watch room*: programmed, not played. Every note lies on the grid, is as hard as any other, and nothing moves."""

import mido

from demo.hand import RESOLUTION, Hand

FORCE = 80
LINE = (
    (62, 1.0), (65, 0.5), (67, 0.5), (69, 2.0), (67, 1.0), (65, 0.5), (64, 0.5), (62, 2.0),
    (62, 0.5), (62, 0.5), (70, 2.0), (69, 1.0), (67, 0.5), (65, 0.5), (67, 2.0), (0, 1.0),
    (74, 1.5), (72, 0.5), (70, 1.0), (69, 1.0), (67, 3.0), (0, 1.0),
    (65, 1.0), (64, 1.0), (65, 1.0), (69, 1.0), (62, 4.0),
)  # fmt: skip
"""Pitches and beats; 0 is a rest."""
CHORDS = ((50, 57, 62, 65), (46, 53, 58, 65), (48, 55, 60, 64), (50, 57, 62, 65))
STROKES_A_BAR = ((0.0, 36), (1.0, 54), (1.5, 54), (2.0, 38), (2.75, 36), (3.0, 54), (3.5, 54))
ROUNDS = 2


class Programmed(Hand):
    """A part that nobody played."""

    def step(self, beat: float, length: float, pitch: int) -> None:
        """A note exactly where it is written."""
        tick, held = round(beat * RESOLUTION), round(length * RESOLUTION)
        self._add(tick, mido.Message("note_on", channel=self._channel, note=pitch, velocity=FORCE))
        self._add(tick + held, mido.Message("note_off", channel=self._channel, note=pitch, velocity=64))


def stiff_glass() -> Hand:
    """A line of single notes, with steps, leaps, repeated notes and rests."""
    hand = Programmed("Bowed glass", 0, 92, 0)
    beat = 0.0
    for _ in range(ROUNDS):
        for pitch, length in LINE:
            if pitch:
                hand.step(beat, length, pitch)
            beat += length
    return hand


def stiff_reeds() -> Hand:
    """Chords of half bars."""
    hand = Programmed("Reed box", 1, 21, 0)
    for bar in range(8 * ROUNDS):
        for half in (0.0, 2.0):
            for pitch in CHORDS[bar // 2 % len(CHORDS)]:
                hand.step(bar * 4 + half, 2.0, pitch)
    return hand


def stiff_drum() -> Hand:
    """The same bar again and again."""
    hand = Programmed("Frame drum", 9, None, 0)
    for bar in range(8 * ROUNDS):
        for place, pitch in STROKES_A_BAR:
            hand.step(bar * 4 + place, 0.25, pitch)
    return hand
