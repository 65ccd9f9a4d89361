"""A recorded sound beside a take: read, seen as peaks, and traced into a lane by its loudness.

Files are read by libsndfile (through soundfile); Lull only mixes them down and measures them. A sound goes through in
blocks, so that an hour of it needs no more memory than a second.
"""

import io
from collections.abc import Callable, Iterator
from typing import NamedTuple

import numpy as np
import soundfile

from expression.arrays import Bytes, Floats
from expression.errors import BadFile, NothingMatched
from expression.limits import LONGEST_SOUND_SECONDS, MOST_SOUND_CHANNELS, SOUND_RATES
from expression.take import Take

HIGHEST_RATE = 48_000
"""What has more is brought to a whole share of it that is no higher."""
BLOCK = 2**20
"""About so many samples, of all channels together, are in memory at once."""
PEAKS_A_SECOND = 50
QUIETEST_DB = -54.0
"""What lies further below the loudest moment counts as silence."""
HOP_SECONDS = 0.01
MOST_POINTS = 19_000
UNREADABLE = "This is not a WAV file that can be read. Save the sound as WAV and try again."


Tell = Callable[[float], None]
"""Hears how much of something is done, from 0 to 1."""


def unheard(_: float) -> None:
    """Nobody asks how much is done."""


class Sound(NamedTuple):
    """One channel of sound, `rate` samples a second from -1 to 1; its blocks can be gone through again and again."""

    rate: int
    length: int
    """Samples."""
    blocks: Callable[[], Iterator[Floats]]

    @property
    def seconds(self) -> float:
        """How long it lasts."""
        return self.length / self.rate

    @property
    def samples(self) -> Floats:
        """All of it at once."""
        return np.concatenate([*self.blocks(), np.zeros(0, np.float32)])

    def evenly(self, size: int) -> Iterator[Floats]:
        """Its blocks in rows of `size` samples; the last row is filled up with silence."""
        rest: Floats = np.zeros(0)
        for block in self.blocks():
            block = np.concatenate((rest.astype(block.dtype), block))
            whole = len(block) - len(block) % size
            rest = block[whole:]
            if whole:
                yield block[:whole].reshape(-1, size)
        if len(rest):
            yield np.pad(rest, (0, size - len(rest))).reshape(1, size)


def decode(data: bytes) -> Sound:
    """A WAV file of any width and up to 64 channels, mixed down to one. Raises BadFile, also while it is gone through.

    Of more than 48,000 samples a second every second, third ... is kept, after what is too high for that was taken out.
    """
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            form, rate, frames, channels = file.format, file.samplerate, file.frames, file.channels
    except soundfile.LibsndfileError:
        raise BadFile(UNREADABLE) from None
    if form not in ("WAV", "WAVEX", "RF64"):
        raise BadFile(f"This is a {form} file. Save the sound as WAV and try again.")
    if not SOUND_RATES[0] <= rate <= SOUND_RATES[1]:
        raise BadFile(
            f"This file says that it has {rate:,} samples a second; Lull reads "
            f"{SOUND_RATES[0]:,} to {SOUND_RATES[1]:,}. Save it with 44,100 or 48,000 and try again."
        )
    if channels > MOST_SOUND_CHANNELS:
        raise BadFile(
            f"This file has {channels} channels; Lull reads up to {MOST_SOUND_CHANNELS}. Mix it down and try."
        )
    if frames / rate > LONGEST_SOUND_SECONDS:
        raise BadFile(f"This sound lasts {frames / rate / 60:.0f} minutes; at most 65 can be kept beside a take.")
    if not frames:
        raise BadFile("This WAV file holds no sound.")
    step = next(step for step in range(1, rate + 1) if rate / step <= HIGHEST_RATE and rate % step == 0)
    if rate / step < HIGHEST_RATE / 4 and step > 1:
        raise BadFile(
            f"This file has {rate:,} samples a second, which cannot be brought to {HIGHEST_RATE:,} or less evenly. "
            "Save it with 44,100 or 48,000 and try again."
        )
    return Sound(rate // step, -(-frames // step), lambda: _decimated(_mixed(data), step))


def _mixed(data: bytes) -> Iterator[Floats]:
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            for block in file.blocks(max(BLOCK // file.channels, 1), dtype="float32", always_2d=True):
                yield np.nan_to_num(block.mean(axis=1))
    except soundfile.LibsndfileError:
        raise BadFile(UNREADABLE) from None


def _decimated(blocks: Iterator[Floats], step: int) -> Iterator[Floats]:
    """Every so manyeth sample, after a low pass (a windowed sinc of ten samples of the lower rate to either side)."""
    if step == 1:
        yield from blocks
        return
    # Only here, since it takes longer to load than all the rest of Lull.
    from scipy.signal import firwin

    half = 10 * step
    taps = firwin(2 * half + 1, 1 / step, window=("kaiser", 5.0)).astype(np.float32)
    held = np.zeros(half, np.float32)
    silence = iter([np.zeros(half, np.float32)])
    for block in (block for some in (blocks, silence) for block in some):
        held = np.concatenate((held, block))
        count = max((len(held) - 2 * half - 1) // step + 1, 0)
        if count:
            windows = np.lib.stride_tricks.sliding_window_view(held, 2 * half + 1)[: (count - 1) * step + 1 : step]
            yield windows @ taps
            held = held[count * step :]


def pack(sound: Sound, tell: Tell = unheard) -> bytes:
    """The sound in few bytes and without loss of what 16 bits hold: FLAC. `tell` hears how much of it is done."""
    out, done = io.BytesIO(), 0
    with soundfile.SoundFile(out, "w", sound.rate, 1, format="FLAC", subtype="PCM_16") as file:
        for block in sound.blocks():
            file.write(np.clip(block, -1, 1))
            done += len(block)
            tell(done / sound.length)
    return out.getvalue()


def unpack(data: bytes) -> Sound:
    """What `pack` has made. Raises BadFile where it has not."""
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as file:
            is_packed = file.format == "FLAC" and file.channels == 1 and file.samplerate <= HIGHEST_RATE
            sound = Sound(file.samplerate, file.frames, lambda: _mixed(data))
    except soundfile.LibsndfileError:
        raise BadFile(UNREADABLE) from None
    if not (is_packed and 0 < sound.seconds <= LONGEST_SOUND_SECONDS):
        raise BadFile(UNREADABLE)
    return sound


def peaks(sound: Sound, tell: Tell = unheard) -> Bytes:
    """How far the sound goes out in each fiftieth of a second, 0 to 255 for the loudest of all."""
    size, found, done = max(sound.rate // PEAKS_A_SECOND, 1), [], 0
    for rows in sound.evenly(size):
        found.append(np.abs(rows).max(axis=1))
        done += rows.size
        tell(min(done / sound.length, 1.0))
    most = np.concatenate(found)
    return np.asarray(np.round(most / max(float(most.max()), 1e-9) * 255).astype(np.uint8))


def loudness(sound: Sound, attack: float, release: float) -> tuple[Floats, Floats]:
    """Seconds, and loudness in dB below the loudest moment, every hundredth of a second or a little less often.

    The power of each stretch, followed by an envelope that rises within `attack` and falls within `release`
    milliseconds (the time to come 63% of the way).
    """
    hop = max(HOP_SECONDS, sound.seconds / MOST_POINTS)
    size = max(int(np.ceil(hop * sound.rate - 1e-6)), 1)
    power = np.concatenate([(rows.astype(np.float64) ** 2).mean(axis=1) for rows in sound.evenly(size)])
    rising, falling = (1 - np.exp(-size / sound.rate / max(ms / 1000, 1e-6)) for ms in (attack, release))
    level, followed = 0.0, np.empty(len(power))
    for step, now in enumerate(power.tolist()):
        level += (now - level) * (rising if now > level else falling)
        followed[step] = level
    most = max(float(followed.max()), 1e-12)
    seconds = (np.arange(len(power)) + 0.5) * size / sound.rate
    return seconds, np.asarray(10 * np.log10(np.maximum(followed / most, 1e-12)))


def traced(
    take: Take,
    sound: Sound,
    offset: float,
    attack: float,
    release: float,
    low: float,
    high: float,
    linear: bool = False,
) -> list[tuple[int, float]]:
    """The loudness as points of a lane, (tick, value) from `low` to `high`; the sound begins at `offset` seconds.

    By decibels, as it is heard, or `linear`: by the height of the wave. With the end of the sound it is silent. Raises
    NothingMatched where the sound lies before the take.
    """
    seconds, level = loudness(sound, attack, release)
    inside = seconds + offset >= 0
    if not inside.any():
        raise NothingMatched("The sound ends before the take begins; move it later.", "offset")
    ticks = np.round(take.tempo.tick(seconds[inside] + offset)).astype(np.int64)
    share = np.clip(10 ** (level[inside] / 20) if linear else 1 - level[inside] / QUIETEST_DB, 0, 1)
    values = np.round(low + (high - low) * share, 2)
    first = np.unique(ticks, return_index=True)[1]
    points = list(zip(ticks[first].tolist(), values[first].tolist(), strict=True))
    last, value = points[-1]
    end = max(round(float(take.tempo.tick(offset + sound.seconds))), last)
    ends = [(end, value), (end + 1, float(low))]
    return points + ends[end == last :]
