"""What a sound sings: its pitch, its brightness and its attacks, and what becomes of them beside a take.

Pitch is tracked by pYIN (M. Mauch, S. Dixon, *pYIN: a fundamental frequency estimator using probabilistic threshold
distributions*, ICASSP 2014), and all is measured, by librosa.
"""

import io
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

from expression.arrays import Floats, Ints
from expression.errors import BadFile, NothingMatched
from expression.phrases import line_of
from expression.sound import Sound, Tell, unheard
from expression.take import Part, Take

RATE, HOP, FRAME = 22_050, 256, 1_024
"""Samples a second of what is measured, from one measure to the next, and of each."""
SHORTEST = 4_096
"""What has fewer samples is filled up with silence."""
PIECE_SECONDS, OVERLAP_SECONDS = 20.0, 0.5
"""A sound goes through in pieces, so that ten minutes need no more memory than half of one."""
LONGEST_SECONDS = 600.0
COARSE = 0.2
"""Semitones of a step of the tracker: finer ones take many times as long."""
LOWEST_HZ, HIGHEST_HZ = 65.0, 1_600.0
TOLERANCE = 0.03
"""Semitones."""


class Tune(NamedTuple):
    """What was measured, `HOP` samples apart: semitones as MIDI numbers them (nan where nothing is sung), the centre of
    the spectrum in octaves above 20 Hz, and seconds at which something is struck.
    """

    pitch: Floats
    bright: Floats
    attacks: Floats

    @property
    def seconds(self) -> Floats:
        """When each was measured."""
        return np.asarray(np.arange(len(self.pitch)) * (HOP / RATE), dtype=np.float64)


def followed(sound: Sound, tell: Tell = unheard) -> Tune:
    """Measure a sound. Raises BadFile where it is too long. It takes about a tenth of the time that it lasts."""
    if sound.seconds > LONGEST_SECONDS:
        raise BadFile(f"This sound lasts {sound.seconds / 60:.0f} minutes; the pitch of 10 at most is followed.")
    # Only here, in a worker: reading these in takes longer than all of Lull.
    import librosa

    samples = librosa.resample(sound.samples.astype(np.float32), orig_sr=sound.rate, target_sr=RATE)
    if len(samples) < SHORTEST:
        samples = np.pad(samples, (0, SHORTEST - len(samples)))
    pitch = np.concatenate(list(_pitches(samples, tell)))
    centre = librosa.feature.spectral_centroid(y=samples, sr=RATE, n_fft=2 * FRAME, hop_length=HOP)[0]
    bright = np.log2(np.maximum(centre, 20.0) / 20.0)
    attacks = librosa.onset.onset_detect(y=samples, sr=RATE, hop_length=HOP, units="time")
    tell(1.0)
    count = min(len(pitch), len(bright))
    return Tune(pitch[:count].astype(np.float32), bright[:count].astype(np.float32), attacks.astype(np.float32))


def _pitches(samples: Floats, tell: Tell) -> Iterator[Floats]:
    """Semitones of one piece after another; of what two have in common each has half."""
    import librosa

    step = round(PIECE_SECONDS * RATE / HOP)
    more = round(OVERLAP_SECONDS * RATE / HOP)
    frames = 1 + len(samples) // HOP
    for first in range(0, frames, step):
        begins = max(first - more, 0)
        piece = samples[begins * HOP : (first + step + more) * HOP]
        if len(piece) < FRAME:
            piece = np.pad(piece, (0, FRAME - len(piece)))
        # Silence, and what is next to it, has no pitch; the tracker would make one up.
        loud = librosa.feature.rms(y=piece, frame_length=FRAME, hop_length=HOP)[0]
        asked: Any = {"fmin": LOWEST_HZ, "fmax": HIGHEST_HZ, "sr": RATE, "frame_length": FRAME, "hop_length": HOP}
        hertz, voiced, _ = librosa.pyin(piece, resolution=COARSE, fill_na=np.nan, **asked)
        # Which way it goes is known by steps; where on the step it is, the plain tracker says more finely.
        fine = librosa.yin(piece, **asked)[: len(hertz)]
        near = np.abs(np.log2(fine / hertz)) * 12 <= 2 * COARSE
        hertz = np.where(near, fine, hertz)
        hertz = np.where(voiced & (loud[: len(hertz)] > SILENCE), hertz, np.nan)
        found = 69 + 12 * np.log2(hertz / 440)
        yield found[first - begins : first - begins + min(step, frames - first)]
        tell(min((first + step) / frames, 0.95))


SILENCE = 10 ** (-50 / 20)
"""Of the height of the wave."""


def packed(tune: Tune) -> bytes:
    """What was measured, to be kept."""
    out = io.BytesIO()
    np.savez_compressed(out, **tune._asdict())
    return out.getvalue()


def unpacked(data: bytes) -> Tune:
    """What `packed` has made."""
    with np.load(io.BytesIO(data), allow_pickle=False) as found:
        return Tune(*(found[name].astype(np.float64) for name in Tune._fields))


OCTAVE = 12
FARTHEST = 2.5
"""Semitones: what is sung farther from what is written is another note."""
SETTLED = 0.15
"""Share of a note after which a voice has come to it: from there on what it sings is measured."""
FEWEST_FRAMES = 5


def sung(take: Take, part: Part, tune: Tune, offset: float, correction: float) -> list[tuple[int, float]]:
    """A bend of the part's line as it is sung, as points (tick, semitones); the sound begins at `offset` seconds.

    Of each note the middle of what is sung is brought towards what is written, by `correction` (0: as it is, 1: in
    tune); scoops and vibrato stay. Octaves are nobody's mistake. Raises NothingMatched where it sings another tune.
    """
    line = line_of(take, part.id)
    if not len(line.onset):
        raise NothingMatched("This part has no notes that could be sung.")
    if len(np.unique(part.notes.start[part.notes.music])) < 0.8 * int(part.notes.music.sum()):
        raise NothingMatched(
            "Several notes sound at a time in this part; a voice sings one. Choose a part with a line."
        )
    starts, ends = (take.tempo.seconds(ticks) for ticks in (line.onset, line.end))
    ends = np.minimum(ends, np.append(starts[1:], np.inf))
    seconds = tune.seconds + offset
    points: list[tuple[int, float]] = []
    sings, other = 0, 0
    for start, end, tick, pitch in zip(
        starts.tolist(), ends.tolist(), line.onset.tolist(), line.pitch.tolist(), strict=True
    ):
        first, after = np.searchsorted(seconds, (start, end))
        away = tune.pitch[first:after] - pitch
        heard = np.isfinite(away)
        if heard.sum() < FEWEST_FRAMES:
            points.append((tick, 0.0))
            continue
        settled = away[heard & (np.arange(len(away)) >= SETTLED * len(away))]
        middle = float(np.median(settled if len(settled) else away[heard]))
        octaves = OCTAVE * round(middle / OCTAVE)
        sings += 1
        if abs(middle - octaves) > FARTHEST:
            other += 1
            points.append((tick, 0.0))
            continue
        bend = away - octaves - correction * (middle - octaves)
        # Where it takes breath within a note it goes on as it was.
        bend = np.interp(np.arange(len(bend)), np.flatnonzero(heard), _smooth(bend[heard]))
        at = np.maximum(take.tempo.tick(seconds[first:after]), tick)
        points.append((tick, round(float(bend[0]), 3)))
        points += [(int(one), round(float(value), 3)) for one, value in zip(np.round(at), bend, strict=True)]
    if not sings:
        raise NothingMatched("Nothing is sung where this part has notes; move the sound, or choose another part.")
    if 2 * other > sings:
        raise NothingMatched(
            f"This sound sings another tune: {other} of {sings} notes lie more than {FARTHEST:g} semitones away."
        )
    return _ascending(points)


def _smooth(values: Floats) -> Floats:
    """The median of each and its neighbours: a tracker's single slips are gone, and a vibrato is not."""
    padded = np.pad(values, 2, mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 5), axis=1))


def _ascending(points: list[tuple[int, float]]) -> list[tuple[int, float]]:
    """One point a tick, the last that is said of it."""
    return sorted(dict(points).items())


def shining(take: Take, tune: Tune, offset: float, low: float, high: float) -> list[tuple[int, float]]:
    """Brightness as points of a lane, from the darkest twentieth to the brightest; silence goes on as it was.

    Raises NothingMatched where nothing is heard.
    """
    sounds = np.isfinite(tune.pitch)
    if not sounds.any():
        sounds = tune.bright > 0
    seconds = tune.seconds + offset
    inside = sounds & (seconds >= 0)
    if not inside.any():
        raise NothingMatched("Nothing is heard in this sound while the take lasts.")
    values = _smooth(tune.bright[inside])
    dark, light = np.percentile(values, (5, 95))
    share = np.clip((values - dark) / max(light - dark, 1e-6), 0, 1)
    ticks = np.round(take.tempo.tick(seconds[inside])).astype(np.int64)
    return _ascending([(int(t), round(float(v), 2)) for t, v in zip(ticks, low + (high - low) * share, strict=True)])


def struck(take: Take, tune: Tune, offset: float) -> Ints:
    """Ticks at which something is struck, ascending. Raises NothingMatched where nothing is."""
    seconds = tune.attacks + offset
    ticks = np.unique(np.round(take.tempo.tick(seconds[seconds >= 0])).astype(np.int64))
    if not len(ticks):
        raise NothingMatched("Nothing is struck in this sound while the take lasts.")
    return ticks
