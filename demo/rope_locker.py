"""The rope locker: a harp of which the ends of runs alone were played, and reeds that are told how to play by keys."""

from demo.hand import Hand

BARS = 12
ENDS = ((50, 86), (53, 84), (48, 79), (57, 88), (55, 82), (50, 86))
CHORDS = ((57, 62, 65), (60, 65, 69), (60, 64, 67), (57, 60, 64), (58, 62, 67), (57, 62, 65))
CALLS = ((24, "open"), (26, "breathy"), (28, "short"))
"""Keys far below what is played, and what each calls up."""


def harp() -> Hand:
    """The two ends of a run in every second bar, up and down, and a chord between: the run is left to be made."""
    hand = Hand("Thumb piano", 3, 108, 71)
    for turn in range(BARS // 2):
        beat = turn * 8.0
        low, high = ENDS[turn % len(ENDS)]
        first, last = (low, high) if turn % 2 == 0 else (high, low)
        hand.note(beat, 1.0, first, 58)
        hand.note(beat + 3.0, 2.5, last, 92)
        for voice, pitch in enumerate(CHORDS[turn % len(CHORDS)]):
            hand.note(beat + 6.0, 1.8, pitch + 12, 66 + 3 * voice)
    return hand


def told_reeds() -> Hand:
    """Chords, and before each phrase a key that says how it is to be played."""
    hand = Hand("Reed box", 1, 21, 72)
    for turn in range(BARS // 2):
        beat = turn * 8.0
        key = CALLS[turn % len(CALLS)][0]
        hand.note(max(beat - 0.12, 0.0), 0.2, key, 100, flat=True)
        chord = CHORDS[turn % len(CHORDS)]
        short = CALLS[turn % len(CALLS)][1] == "short"
        for place in (0.0, 2.0, 4.0, 6.0):
            for voice, pitch in enumerate(chord):
                hand.note(beat + place, 0.5 if short else 1.9, pitch, 60 + 4 * voice, late=voice * 3)
    return hand


def called(part: int) -> list[dict[str, object]]:
    """The keys that call something up are cues, by their names."""
    return [{"kind": "notes.cue", "where": {"parts": [part], "pitches": [key]}, "name": name} for key, name in CALLS]
