"""Names of notes."""

_LETTERS = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
MIDDLE_C, MIDDLE_C_OCTAVE = 60, 4

NOTE_NAMES: tuple[str, ...] = tuple(
    f"{_LETTERS[note % 12]}{note // 12 - MIDDLE_C // 12 + MIDDLE_C_OCTAVE}" for note in range(128)
)
"""The name of each note number; middle C (60) is C4."""
