"""Somebody hums the line of the watch room: scoops, a vibrato that begins late, and never quite in tune."""

import io
import itertools

import numpy as np
import soundfile

from demo.watch_room import LINE

RATE = 22_050
BPM = 88


def hummed(seed: int = 12) -> bytes:
    """A WAV file of one round of the line, an octave below where it is written."""
    dice = np.random.default_rng(seed)
    beats = [0.0, *itertools.accumulate(length for _, length in LINE)]
    out = np.zeros(round(beats[-1] * 60 / BPM * RATE) + RATE // 2)
    phase = 0.0
    for (pitch, length), beat in zip(LINE, beats, strict=False):
        if not pitch:
            continue
        count = round(length * 60 / BPM * RATE)
        at = np.arange(count) / RATE
        off = dice.normal(0, 0.15)
        scoop = -dice.uniform(0.5, 1.2) * np.exp(-at / 0.05)
        shake = 0.25 * np.sin(2 * np.pi * 5.6 * at) * np.clip((at - 0.4) / 0.4, 0, 1)
        hertz = 440 * 2 ** ((pitch - 12 - 69 + off + scoop + shake) / 12)
        turns = phase + np.cumsum(hertz) / RATE
        phase = float(turns[-1])
        wave = sum(np.sin(2 * np.pi * k * turns) / k**1.6 for k in range(1, 7))
        lasts = count / RATE
        swell = np.sin(np.pi * np.clip(at / lasts, 0, 1)) ** 0.5 * np.clip((lasts - at) / 0.06, 0, 1)
        begins = round(beat * 60 / BPM * RATE)
        out[begins : begins + count] += 0.22 * wave * swell * np.clip(at / 0.03, 0, 1)
    out += dice.normal(0, 0.002, len(out))
    file = io.BytesIO()
    soundfile.write(file, np.clip(out, -1, 1), RATE, format="WAV", subtype="PCM_16")
    return file.getvalue()
