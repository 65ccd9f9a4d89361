"""What a sound sings: followed, and made into bends, brightness and places of notes."""

import io
from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
import pytest
import soundfile

from demo.hum import hummed
from demo.watch_room import LINE
from expression import sound
from expression.errors import BadFile, NothingMatched
from expression.history import applied
from expression.sound import Sound
from expression.strokes import parse_stroke
from expression.take import Take
from expression.tune import RATE, TOLERANCE, Tune, followed, packed, shining, struck, sung, unpacked
from tests.expression.test_rules import take_of

Pitch = Callable[[np.ndarray], np.ndarray]


def sounding(pitch: Pitch, seconds: float, level: float = 0.2) -> Sound:
    """A voice of six partials at a pitch (semitones) by time."""
    at = np.arange(round(seconds * RATE)) / RATE
    turns = np.cumsum(440 * 2 ** ((pitch(at) - 69) / 12)) / RATE
    wave = sum(np.sin(2 * np.pi * k * turns) / k for k in range(1, 7))
    return of(level * np.asarray(wave))


def of(samples: np.ndarray) -> Sound:
    file = io.BytesIO()
    soundfile.write(file, samples, RATE, format="WAV", subtype="PCM_16")
    return sound.decode(file.getvalue())


@cache
def tune_of_hum() -> Tune:
    return followed(sound.decode(hummed()))


def line() -> Take:
    """The line that is hummed, at 88 a minute."""
    notes, beat = [], 0.0
    for pitch, length in LINE:
        if pitch:
            notes.append((beat, length, pitch, 80))
        beat += length
    return take_of(*notes, bpm=88)


def test_a_vibrato_is_followed_within_ten_cents() -> None:
    tune = followed(sounding(lambda at: 60 + 0.4 * np.sin(2 * np.pi * 5.5 * at), 3))
    inside = (tune.seconds > 0.2) & (tune.seconds < 2.8)
    wanted = 60 + 0.4 * np.sin(2 * np.pi * 5.5 * tune.seconds[inside])
    off = np.abs(tune.pitch[inside] - wanted)
    assert np.isfinite(off).all()
    assert np.percentile(off, 95) < 0.1


def test_pieces_are_put_together_where_they_were_cut() -> None:
    tune = followed(sounding(lambda at: 55 + at / 10, 45))
    inside = (tune.seconds > 0.2) & (tune.seconds < 44.8)
    assert np.abs(tune.pitch[inside] - 55 - tune.seconds[inside] / 10).max() < 0.15


def test_noise_and_silence_sing_nothing() -> None:
    dice = np.random.default_rng(1)
    for samples in (np.zeros(RATE), dice.normal(0, 0.1, RATE * 2), np.zeros(10)):
        tune = followed(of(samples))
        assert np.isfinite(tune.pitch).mean() < 0.2
        with pytest.raises(NothingMatched, match="Nothing is sung"):
            sung(line(), line().parts[0], tune._replace(pitch=np.full(len(tune.pitch), np.nan)), 0, 1)
    with pytest.raises(NothingMatched, match="Nothing is struck"):
        struck(line(), followed(of(np.zeros(RATE))), 0)


def test_too_long_a_sound_is_refused() -> None:
    with pytest.raises(BadFile, match="of 10 at most is followed"):
        followed(Sound(100, 100 * 700, lambda: iter([])))


def test_what_was_measured_is_kept() -> None:
    tune = tune_of_hum()
    again = unpacked(packed(tune))
    for mine, theirs in zip(tune, again, strict=True):
        assert np.array_equal(mine, theirs, equal_nan=True)


def bent(correction: float, **where: Any) -> Take:
    take = line()
    points = sung(take, take.parts[0], tune_of_hum(), 0.0, correction)
    fields = {"lane": "bend", "points": points, "tolerance": TOLERANCE, "where": {"parts": [0]}}
    return applied(parse_stroke({"kind": "lane.draw", **fields}), take)


def middles(take: Take) -> list[float]:
    """Of each note of a beat or more the median bend of its second half."""
    notes, curve = take.parts[0].notes, take.parts[0].lanes["bend"].curve
    found = []
    for start, end in zip(notes.start.tolist(), notes.end.tolist(), strict=True):
        if end - start >= take.resolution:
            found.append(float(np.median(curve.at(np.arange((start + end) // 2, end - (end - start) // 8)))))
    return found


def test_a_hum_becomes_bends_in_tune_with_scoops_and_vibrato() -> None:
    made = bent(1)
    assert np.abs(middles(made)).max() < 0.15
    notes, curve = made.parts[0].notes, made.parts[0].lanes["bend"].curve
    long = int(np.argmax(notes.end - notes.start))
    ticks = np.arange(notes.start[long], notes.end[long])
    bend = curve.at(ticks)
    late = bend[len(bend) // 2 : -len(bend) // 8]
    assert np.ptp(late) == pytest.approx(0.5, abs=0.15)
    # Into its notes it comes from below.
    first = [float(curve.at(np.array([int(start) + 20]))[0]) for start in notes.start]
    assert np.median(first) < -0.2


def test_without_correction_it_is_as_out_of_tune_as_it_was_sung() -> None:
    assert 0.05 < np.std(middles(bent(0))) < 0.25
    half, whole = np.array(middles(bent(0.5))), np.array(middles(bent(0)))
    assert half == pytest.approx(whole / 2, abs=0.1)


def test_a_hum_becomes_the_pitch_of_each_note_as_it_becomes_the_wheel() -> None:
    take = line()
    points = sung(take, take.parts[0], tune_of_hum(), 0.0, 1.0)
    fields = {"lane": "note:pitch", "in_take": True, "points": points, "tolerance": TOLERANCE, "where": {"parts": [0]}}
    made = applied(parse_stroke({"kind": "lane.draw", **fields}), take)
    wheel, part = bent(1).parts[0].lanes["bend"].curve, made.parts[0]
    notes = part.notes
    assert len(part.curves["note:pitch"]) == len(notes)
    for id_, start, end in zip(notes.id.tolist(), notes.start.tolist(), notes.end.tolist(), strict=True):
        ticks = np.arange(start, end - 1, 7)
        own = part.curves["note:pitch"].curve(id_).at(ticks - start)
        assert own == pytest.approx(wheel.at(ticks), abs=3 * TOLERANCE)


def test_a_line_in_the_time_of_the_take_gives_each_note_what_lies_over_it() -> None:
    """Two that sound together, one before the line and one that it ends in."""
    take = take_of((0, 1, 50, 80), (2, 4, 60, 80), (3, 2, 64, 80), (7, 4, 62, 80))
    quarter = take.resolution
    points = [[2 * quarter, 0.0], [8 * quarter, 6.0]]
    fields = {"lane": "note:pitch", "in_take": True, "points": points, "tolerance": 0, "where": {"parts": [0]}}
    part = applied(parse_stroke({"kind": "lane.draw", **fields}), take).parts[0]
    curves, ids = part.curves["note:pitch"], dict(zip(part.notes.pitch.tolist(), part.notes.id.tolist(), strict=True))
    assert len(curves.curve(ids[50])) == 0
    at = np.array([0, quarter, 2 * quarter - 2])
    assert curves.curve(ids[60]).at(at) == pytest.approx(at / quarter, abs=0.01)
    assert curves.curve(ids[64]).at(at) == pytest.approx(1 + at / quarter, abs=0.01)
    assert curves.curve(ids[62]).at(np.array([0, quarter // 2, 3 * quarter])) == pytest.approx([5, 5.5, 6], abs=0.01)
    with pytest.raises(NothingMatched, match="lies over none of these notes"):
        applied(parse_stroke({"kind": "lane.draw", **fields, "where": {"notes": [[ids[50], ids[50]]]}}), take)


def test_another_tune_chords_and_no_notes_are_clear_outcomes() -> None:
    tune = tune_of_hum()
    other = take_of(*((step, 1, 60 + (step * 5) % 11, 80) for step in range(30)), bpm=88)
    with pytest.raises(NothingMatched, match="sings another tune"):
        sung(other, other.parts[0], tune, 0, 1)
    chords = take_of(*((step, 1, pitch, 80) for step in range(8) for pitch in (60, 64, 67)))
    with pytest.raises(NothingMatched, match="Several notes sound at a time"):
        sung(chords, chords.parts[0], tune, 0, 1)
    with pytest.raises(NothingMatched, match="Nothing is sung where this part has notes"):
        sung(line(), line().parts[0], tune, 10_000, 1)


def test_brightness_goes_from_the_darkest_to_the_brightest() -> None:
    at = np.arange(3 * RATE) / RATE
    partials = 1 + 9 * at / 3
    wave = sum(np.clip(partials - k + 1, 0, 1) * np.sin(2 * np.pi * 220 * k * at) / k for k in range(1, 11))
    points = shining(line(), followed(of(0.1 * np.asarray(wave))), 0.0, 10, 90)
    ticks, values = np.array(points).T
    assert values.min() == 10
    assert values.max() == 90
    assert np.corrcoef(ticks, values)[0, 1] > 0.9


def clicks(*seconds: float) -> Sound:
    samples = np.zeros(round((max(seconds) + 1) * RATE))
    dice = np.random.default_rng(3)
    for one in seconds:
        begins = round(one * RATE)
        samples[begins : begins + 2000] += dice.normal(0, 0.3, 2000) * np.exp(-np.arange(2000) / 300)
    return of(samples)


def test_notes_go_to_the_nearest_attack_by_an_amount_and_others_stay() -> None:
    take = take_of(*((step, 0.5, 36, 80) for step in range(8)))
    tune = followed(clicks(0.54, 1.03, 1.46, 2.05))
    attacks = struck(take, tune, 0.0).tolist()
    stroke = {"kind": "notes.follow", "attacks": attacks}
    made = applied(parse_stroke(stroke), take)
    seconds = made.tempo.seconds(made.parts[0].notes.start)
    assert seconds[:5] == pytest.approx([0, 0.54, 1.03, 1.46, 2.05], abs=0.025)
    assert seconds[5:] == pytest.approx([2.5, 3.0, 3.5])
    half = applied(parse_stroke({**stroke, "keep": 0.5}), take)
    assert half.tempo.seconds(half.parts[0].notes.start)[1] == pytest.approx((0.5 + float(seconds[1])) / 2, abs=2e-3)
    with pytest.raises(NothingMatched, match="No attack lies within 5 ms"):
        applied(parse_stroke({"kind": "notes.follow", "attacks": [480], "window_ms": 5}), take)
