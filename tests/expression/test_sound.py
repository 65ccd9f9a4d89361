"""A sound beside a take: read in all widths and rates, followed by its loudness, refused with a reason."""

import io
import tracemalloc

import numpy as np
import pytest
import soundfile

from expression import sound
from expression.errors import BadFile, NothingMatched
from expression.midi.read import read
from tests.files import file_of, phrase


def wav(samples: np.ndarray, rate: int = 44_100, subtype: str = "PCM_16", format_: str = "WAV") -> bytes:
    out = io.BytesIO()
    soundfile.write(out, samples, rate, format=format_, subtype=subtype)
    return out.getvalue()


def rated(data: bytes, rate: int) -> bytes:
    """The same file, its header claiming another rate."""
    return data[:24] + rate.to_bytes(4, "little") + data[28:]


def tone(seconds: float, rate: int = 44_100, level: float = 0.5) -> np.ndarray:
    return level * np.sin(2 * np.pi * 220 * np.arange(int(seconds * rate)) / rate)


@pytest.mark.parametrize("subtype", ["PCM_U8", "PCM_16", "PCM_24", "PCM_32", "FLOAT", "DOUBLE"])
@pytest.mark.parametrize("rate", [8_000, 44_100, 96_000])
def test_every_width_and_rate_is_read_alike(subtype: str, rate: int) -> None:
    heard = sound.decode(wav(np.stack([tone(0.5, rate), tone(0.5, rate)], axis=1), rate, subtype))
    assert heard.seconds == pytest.approx(0.5, abs=0.001)
    assert heard.rate == min(rate, 48_000)
    assert np.abs(heard.samples).max() == pytest.approx(0.5, abs=0.02)
    again = sound.unpack(sound.pack(heard))
    assert np.abs(again.samples - heard.samples).max() < 1e-4


@pytest.mark.parametrize(
    ("data", "sentence"),
    [
        (b"", "not a WAV file"),
        (b"RIFF....WAVEjunk", "not a WAV file"),
        (file_of(phrase([64])), "not a WAV file"),
        (wav(tone(0.1), format_="FLAC"), "This is a FLAC file. Save the sound as WAV"),
        (wav(np.zeros(0)), "holds no sound"),
        (wav(np.zeros(66 * 60 * 100), 100), "lasts 66 minutes; at most 65"),
        (rated(wav(tone(0.1)), 1_000_000), "1,000,000 samples a second; Lull reads 100 to 400,000"),
        (rated(wav(tone(0.1)), 2**31 - 1), "samples a second; Lull reads"),
        (rated(wav(tone(0.1)), 1), "1 samples a second; Lull reads"),
        (rated(wav(tone(0.1)), 399_989), "cannot be brought to 48,000 or less evenly"),
        (wav(np.zeros((10, 65))), "65 channels; Lull reads up to 64"),
    ],
)
def test_what_is_no_sound_is_refused_with_the_reason(data: bytes, sentence: str) -> None:
    with pytest.raises(BadFile, match=sentence):
        sound.decode(data)


@pytest.mark.parametrize("rate", [88_200, 96_000, 192_000, 384_000])
def test_high_rates_lose_only_what_could_not_be_kept(rate: int) -> None:
    """A tone that can be heard comes through as it was; one far above does not come back as another."""
    at = np.arange(int(1.3 * rate)) / rate
    low, high = (np.sin(2 * np.pi * pitch * at) for pitch in (1000, 40_000))
    heard = sound.decode(wav(0.5 * low + 0.3 * high, rate, "FLOAT"))
    wanted = 0.5 * np.sin(2 * np.pi * 1000 * np.arange(heard.length) / heard.rate)
    inner = slice(200, -200)
    assert len(heard.samples) == heard.length
    assert np.abs(heard.samples - wanted)[inner].max() < 0.01


def test_a_long_sound_needs_little_memory() -> None:
    """Eleven minutes, 120 MiB as numbers: silence packs to nothing, so that only the work is measured."""
    data = wav(np.zeros(30 * 2**20, np.int16), 48_000, "PCM_U8")
    tracemalloc.start()
    heard = sound.decode(data)
    sound.pack(heard), sound.peaks(heard), sound.loudness(heard, 10, 100)
    most = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert most < 60 * 2**20


def test_an_hour_at_a_low_rate_is_kept() -> None:
    heard = sound.decode(wav(np.zeros(3600 * 200, dtype=np.float32), 200))
    assert heard.seconds == 3600
    assert len(sound.loudness(heard, 10, 100)[0]) <= sound.MOST_POINTS + 1


def test_peaks_show_where_it_is_loud() -> None:
    heard = sound.decode(wav(np.concatenate((np.zeros(22_050), tone(0.5)))))
    shown = sound.peaks(heard)
    assert shown[:24].max() == 0
    assert shown[26:49].min() > 250


def test_loudness_rises_with_the_attack_and_falls_with_the_release() -> None:
    heard = sound.decode(wav(np.concatenate((np.zeros(4_410), tone(0.6), np.zeros(22_050)))))
    quick = sound.loudness(heard, 1, 10)
    slow = sound.loudness(heard, 200, 200)
    at = {round(time, 3): level for time, level in zip(*quick, strict=True)}
    assert at[0.055] < -60
    assert at[0.305] == pytest.approx(0, abs=0.5)
    rise = np.searchsorted(slow[0], [0.2, 0.3, 0.5])
    assert (np.diff(slow[1][rise]) > 0).all()
    # 200 ms after the end the power has fallen to 1/e: 4.3 dB.
    end, later = np.searchsorted(slow[0], [0.7, 0.9])
    assert slow[1][end] - slow[1][later] == pytest.approx(4.34, abs=0.6)


def test_traced_it_lies_where_it_is_heard_within_its_range() -> None:
    take = read(file_of(phrase([64] * 8)))
    heard = sound.decode(wav(np.concatenate((np.zeros(44_100), tone(1)))))
    points = sound.traced(take, heard, 0.5, 1, 50, 20, 100)
    ticks, values = np.array(points).T
    assert (np.diff(ticks) > 0).all()
    # Silence until 1.5 s (three beats at 120 a minute), then loud.
    assert set(values[ticks < 2.95 * 960]) == {20}
    assert values[(ticks > 3.1 * 960) & (ticks < 4.9 * 960)].min() > 95
    # It ends with the sound (2.5 s: five beats), and is silent from there on.
    assert ticks[-2:].tolist() == [5 * 960, 5 * 960 + 1]
    assert values[-2] > 95
    assert values[-1] == 20
    with pytest.raises(NothingMatched, match="ends before the take begins"):
        sound.traced(take, heard, -10, 1, 50, 0, 127)


def test_by_the_height_of_the_wave_half_as_high_is_half() -> None:
    take = read(file_of(phrase([64] * 8)))
    heard = sound.decode(wav(np.concatenate((tone(1), 0.5 * tone(1)))))
    ticks, values = np.array(sound.traced(take, heard, 0.0, 1, 10, 0, 100, linear=True)).T
    soft = values[(ticks > 2.5 * 960) & (ticks < 3.9 * 960)]
    assert soft == pytest.approx(np.full(len(soft), 50), abs=2)
    by_ear = np.array(sound.traced(take, heard, 0.0, 1, 10, 0, 100)).T[1]
    # 6 dB softer is far more than half as loud.
    assert by_ear[(ticks > 2.5 * 960) & (ticks < 3.9 * 960)].min() > 80
