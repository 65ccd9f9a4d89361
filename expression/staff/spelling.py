"""Keys and the spelling of notes: each pitch class as it lies nearest to the key on the line of fifths."""

from typing import NamedTuple

import numpy as np

from expression.arrays import Floats, Ints

STEPS = "FCGDAEB"
"""The natural notes on the line of fifths."""
FROM_C = (0, 7, 2, 9, 4, 11, 6, 1, 8, 3, 10, 5)
"""Pitch classes in fifths upwards from C."""
MAJOR = (6.35, 2.23, 3.48, 2.33, 4.38, 4.09, 2.52, 5.19, 2.39, 3.66, 2.29, 2.88)
MINOR = (6.33, 2.68, 3.52, 5.38, 2.60, 3.53, 2.54, 4.75, 3.98, 2.69, 3.34, 3.17)
"""How well each step above the keynote fits (C. L. Krumhansl and E. J. Kessler, 1982)."""


class Spelled(NamedTuple):
    """A note by its letter, its alteration in semitones, and its octave (middle C is C4)."""

    step: str
    alter: int
    octave: int


def signature(pitch: Ints, weight: Floats) -> int:
    """The key signature of some notes, each of some weight: fifths from C, sharps positive, at most six."""
    if not len(pitch):
        return 0
    found = np.bincount(pitch % 12, weight, minlength=12)
    if not found.any():
        return 0
    best, fifths = -2.0, 0
    for profile, minor in ((MAJOR, False), (MINOR, True)):
        for tonic in range(12):
            fit = np.corrcoef(found, np.roll(profile, tonic))[0, 1]
            if np.isnan(fit) or fit <= best:
                continue
            best = float(fit)
            # A minor key has the signature of the major key three semitones above.
            place = FROM_C.index((tonic + (3 if minor else 0)) % 12)
            fifths = place if place <= 6 else place - 12
    return fifths


def spelled(pitch: int, fifths: int) -> Spelled:
    """A note in a key: from five fifths below the keynote to six above."""
    place = FROM_C.index(pitch % 12)
    # The keynote lies at `fifths`; what is chosen lies between five below and six above.
    place += 12 * round((fifths + 0.5 - place) / 12)
    letter, alter = STEPS[(place + 1) % 7], (place + 1) // 7
    natural = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}[letter]
    return Spelled(letter, alter, (pitch - natural - alter) // 12 - 1)


def altered(step: str, fifths: int) -> int:
    """What a key signature does to a letter: 1 sharpens it, -1 flattens it."""
    place = STEPS.index(step)
    return (fifths - place + 6) // 7 if fifths > 0 else -((-fifths - (6 - place) + 6) // 7)
