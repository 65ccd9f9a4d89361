"""Scales by their steps: what a bend may come to, and what may be played, where a player names one."""

from typing import NamedTuple


class ScaleKind(NamedTuple):
    """A scale: its steps are semitones above its root."""

    key: str
    name: str
    steps: tuple[int, ...]


SCALES: tuple[ScaleKind, ...] = (
    ScaleKind("major", "major", (0, 2, 4, 5, 7, 9, 11)),
    ScaleKind("minor", "natural minor", (0, 2, 3, 5, 7, 8, 10)),
    ScaleKind("harmonic", "harmonic minor", (0, 2, 3, 5, 7, 8, 11)),
    ScaleKind("melodic", "melodic minor", (0, 2, 3, 5, 7, 9, 11)),
    ScaleKind("dorian", "Dorian", (0, 2, 3, 5, 7, 9, 10)),
    ScaleKind("phrygian", "Phrygian", (0, 1, 3, 5, 7, 8, 10)),
    ScaleKind("lydian", "Lydian", (0, 2, 4, 6, 7, 9, 11)),
    ScaleKind("mixolydian", "Mixolydian", (0, 2, 4, 5, 7, 9, 10)),
    ScaleKind("pentatonic", "pentatonic", (0, 2, 4, 7, 9)),
    ScaleKind("minor pentatonic", "minor pentatonic", (0, 3, 5, 7, 10)),
    ScaleKind("blues", "blues", (0, 3, 5, 6, 7, 10)),
    ScaleKind("whole tone", "whole tone", (0, 2, 4, 6, 8, 10)),
    ScaleKind("octatonic", "octatonic", (0, 2, 3, 5, 6, 8, 9, 11)),
)
"""In the order in which they are offered."""
