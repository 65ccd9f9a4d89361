"""A recorded sound beside a take: read, seen as peaks, and traced into a lane by its loudness.

Files are read by libsndfile (through soundfile); Lull only mixes them down and measures them.
"""

import io
from typing import NamedTuple

import numpy as np
import soundfile
from scipy.signal import resample_poly

from expression.arrays import Bytes, Floats
from expression.errors import BadFile, NothingMatched
from expression.take import Take

LONGEST_SECONDS = 65 * 60
HIGHEST_RATE = 48_000
PEAKS_A_SECOND = 50
QUIETEST_DB = -54.0
"""What lies further below the loudest moment counts as silence."""
HOP_SECONDS = 0.01
MOST_POINTS = 19_000


class Sound(NamedTuple):
    """One channel of sound: samples from -1 to 1, so many a second."""

    rate: int
    samples: Floats

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return len(self.samples) / self.rate


def decode(data: bytes) -> Sound:
    """A WAV file of any width, rate and number of channels, mixed down to one. Raises BadFile."""
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            if file.format not in ("WAV", "WAVEX", "RF64"):
                raise BadFile(f"This is a {file.format} file. Save the sound as WAV and try again.")
            if file.frames / file.samplerate > LONGEST_SECONDS:
                minutes = file.frames / file.samplerate / 60
                raise BadFile(f"This sound lasts {minutes:.0f} minutes; at most 65 can be kept beside a take.")
            rate = file.samplerate
            samples = file.read(dtype="float32", always_2d=True).mean(axis=1)
    except soundfile.LibsndfileError:
        raise BadFile("This is not a WAV file that can be read. Save the sound as WAV and try again.") from None
    if not len(samples):
        raise BadFile("This WAV file holds no sound.")
    if rate > HIGHEST_RATE:
        samples = resample_poly(samples, HIGHEST_RATE, rate)
        rate = HIGHEST_RATE
    return Sound(rate, np.nan_to_num(samples))


def pack(sound: Sound) -> bytes:
    """The sound in few bytes and without loss of what 16 bits hold: FLAC."""
    out = io.BytesIO()
    soundfile.write(out, np.clip(sound.samples, -1, 1), sound.rate, format="FLAC", subtype="PCM_16")
    return out.getvalue()


def unpack(data: bytes) -> Sound:
    """What `pack` has made."""
    samples, rate = soundfile.read(io.BytesIO(data), dtype="float32")
    return Sound(rate, samples)


def peaks(sound: Sound) -> Bytes:
    """How far the sound goes out in each fiftieth of a second, 0 to 255 for the loudest of all."""
    size = max(sound.rate // PEAKS_A_SECOND, 1)
    padded = np.pad(np.abs(sound.samples), (0, -len(sound.samples) % size)).reshape(-1, size)
    most = padded.max(axis=1)
    return np.asarray(np.round(most / max(float(most.max()), 1e-9) * 255).astype(np.uint8))


def loudness(sound: Sound, attack: float, release: float) -> tuple[Floats, Floats]:
    """Seconds, and loudness in dB below the loudest moment, every hundredth of a second or a little less often.

    The power of each stretch, followed by an envelope that rises within `attack` and falls within `release`
    milliseconds (the time to come 63% of the way).
    """
    hop = max(HOP_SECONDS, sound.seconds / MOST_POINTS)
    size = max(int(np.ceil(hop * sound.rate - 1e-6)), 1)
    padded = np.pad(sound.samples, (0, -len(sound.samples) % size)).reshape(-1, size)
    power = (padded.astype(np.float64) ** 2).mean(axis=1)
    rising, falling = (1 - np.exp(-size / sound.rate / max(ms / 1000, 1e-6)) for ms in (attack, release))
    level, followed = 0.0, np.empty(len(power))
    for step, now in enumerate(power.tolist()):
        level += (now - level) * (rising if now > level else falling)
        followed[step] = level
    most = max(float(followed.max()), 1e-12)
    seconds = (np.arange(len(power)) + 0.5) * size / sound.rate
    return seconds, np.asarray(10 * np.log10(np.maximum(followed / most, 1e-12)))


def traced(
    take: Take, sound: Sound, offset: float, attack: float, release: float, low: float, high: float
) -> list[tuple[int, float]]:
    """The loudness as points of a lane, (tick, value) from `low` to `high`; the sound begins at `offset` seconds.

    Raises NothingMatched where the sound lies before the take.
    """
    seconds, level = loudness(sound, attack, release)
    inside = seconds + offset >= 0
    if not inside.any():
        raise NothingMatched("The sound ends before the take begins; move it later.", "offset")
    ticks = np.round(take.tempo.tick(seconds[inside] + offset)).astype(np.int64)
    share = np.clip(1 - level[inside] / QUIETEST_DB, 0, 1)
    values = np.round(low + (high - low) * share, 2)
    first = np.unique(ticks, return_index=True)[1]
    return list(zip(ticks[first].tolist(), values[first].tolist(), strict=True))
